"""The receiver's port: how parts and wire ask it to be set, and where else its wires could go."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import RECEIVER, CraftDocument, CraftError, ReceiverInput
from linkcore.craft.parts import KitParts
from linkcore.findings import Mend
from linkcore.hops.port_plan.pads import solder
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.wiring.demands import Placement, demands_of, placements
from linkcore.wiring.planner import cost_of, fits_together
from linkcore.wiring.receiver_wire import reading_of

MOST_MOVES = 3


def moves_for_receiver(document: CraftDocument, parts: KitParts) -> list[Mend]:
    """Other places for the receiver's wires: of each kind the cheapest, as the planner counts it; none that somebody else has."""
    demands = [demand for demand in demands_of(document, parts) if (demand.device, demand.job) == (RECEIVER, "receiver input")]
    others = [_soldered(document, parts, demand.device, demand.job) for demand in demands_of(document, parts) if demand not in demands]
    mends = []
    for demand in demands:
        free = [
            place
            for place in placements(demand, document, parts, fixed={})
            if all(not here or any(fits_together([place, one]) for one in here) for here in others)
        ]
        free.sort(key=lambda place: sum(cost_of(document, parts.board, place).values()))
        kinds = set()
        for place in free:
            kind = (place.variant.pins, place.inversion)
            if kind in kinds or all(document.pad_of(pin) == pad for pin, pad in place.patches):
                continue
            mend = _move(document, parts, place)
            if mend is not None:
                kinds.add(kind)
                mends.append(mend)
    return mends[:MOST_MOVES]


def _soldered(document: CraftDocument, parts: KitParts, device: str, job: str) -> list[Placement]:
    demand = next(each for each in demands_of(document, parts) if (each.device, each.job) == (device, job))
    return [
        place
        for place in placements(demand, document, parts, fixed={})
        if place.patches and all(document.pad_of(pin, device) == pad for pin, pad in place.patches)
    ]


def _move(document: CraftDocument, parts: KitParts, place: Placement) -> Mend | None:
    try:
        edits = solder(document, parts, RECEIVER, "receiver input", [pad.name for pad in place.pads])
    except CraftError:
        return None
    output = next((each for each in parts.receiver.outputs if each.pins[: len(place.variant.pins)] == place.variant.pins[: len(each.pins)]), None)
    if output is None:
        return None
    reading = reading_of(output, through_inverter=place.inversion == "external")
    pads = " and ".join(pad.name for pad in place.pads)
    because = {
        "native": "whose port inverts by itself",
        "fixed": "which has an inverter",
        "external": "with an external inverter in it",
        "none": "which needs no inversion",
    }
    pin = f"{output.pins[0]} wire" if len(parts.receiver.outputs) > 1 else "wire"
    return Mend(text=f"Move the {pin} to {pads}, {because[place.inversion]}", edits=(*edits, *reading.edits()))


@dataclass(frozen=True)
class WorkedOutInput:
    """How the port must be set, from the parts and the wire, and the reasons in sentences."""

    settings: ReceiverInput
    because: tuple[str, ...]


def worked_out(document: CraftDocument, parts: KitParts) -> WorkedOutInput | None:
    """What the receiver's output and its wire ask of the port; None where no output sends."""
    output = parts.spoken
    if output is None:
        return None
    patch = next((each for each in document.wiring if (each.device, each.pin) == (RECEIVER, output.pins[0])), None)
    inverter = bool(patch and patch.inverter)
    settings = reading_of(output, through_inverter=inverter)
    spec = RECEIVER_PROTOCOLS.get(output.protocol)
    name = parts.receiver.name
    if spec is None or spec.wire != "serial":
        return WorkedOutInput(settings, (f"The {name} sends {output.protocol}: pulses, which a timer measures; duplex does not come into it.",))
    because = [f"The {name}'s {output.protocol} output rests {'low: inverted' if output.inverted else 'high: not inverted'}."]
    if inverter:
        because.append(f"An inverter stands in its wire, so it arrives {'inverted' if settings.inverted else 'upright'}.")
    because.append(
        f"{output.protocol} goes both ways on one wire: half duplex, which runs on the port's TX pad."
        if output.half_duplex
        else f"{output.protocol} comes in on a wire of its own: full duplex, on the port's RX pad."
    )
    pad = parts.board.pad(patch.pad) if patch and parts.maybe_board else None
    if settings.inverted and pad is not None:
        how = {"native": "the UART inverts by itself", "fixed": "an inverter sits on it", "no": "neither the UART nor the pad can invert"}
        because.append(f"On {pad.name} {how[parts.board.inverts(pad, 'both ways' if pad.kind == 'tx' else 'in')]}.")
    return WorkedOutInput(settings, tuple(because))
