"""Which UART is this pad? From a pad to what it can do and who wants it; from a device to the pads that could serve it."""

from __future__ import annotations

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument, CraftError, Patch
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.parts.models import Board, Job, Pad
from linkcore.wiring.demands import BENCH_LINK, Placement, demands_of, link_ports, place_on, placements
from linkcore.wiring.planner import cost_of, fits_together


class PadFacts(BaseModel):
    """One pad: its port, what it can do in short sentences, what is soldered to it, and which devices could use it."""

    pad: str
    port: str | None
    job: Job | None
    abilities: list[str]
    soldered: list[str]
    rivals: list[str]


class Spot(BaseModel):
    """A place that could serve a device, or why it cannot (`why_not`). `cost` as the planner reckons it."""

    pads: list[str]
    port: str | None
    here: bool = False
    why_not: str = ""
    taken_by: str = ""
    cost: int = 0
    note: str = ""


class DeviceSpots(BaseModel):
    """One demand and its spots, best first; those that cannot serve come last."""

    device: str
    label: str
    job: Job
    spots: list[Spot]


def pad_facts(document: CraftDocument, parts: KitParts) -> list[PadFacts]:
    """Every pad of the board."""
    board = parts.board
    reachable = [(demand, place) for demand in demands_of(document, parts) for place in placements(demand, document, parts, fixed={})]
    facts = []
    for pad in board.pads:
        able = list(dict.fromkeys(demand.device for demand, place in reachable if pad in place.pads and demand.device != BENCH_LINK))
        soldered = [f"{patch.device} {patch.pin}" for patch in document.wiring if patch.pad == pad.name]
        job = document.settings.ports.get(pad.port) if pad.port else None
        facts.append(PadFacts(pad=pad.name, port=pad.port, job=job, abilities=abilities(board, pad), soldered=soldered, rivals=able))
    return facts


def abilities(board: Board, pad: Pad) -> list[str]:
    """What a pad can do, in short sentences."""
    said = []
    if pad.port:
        other = board.pad_of(pad.port, "tx" if pad.kind == "rx" else "rx")
        said.append(f"{pad.port} {'listens' if pad.kind == 'rx' else 'sends'} here" + (", and half duplex runs here" if pad.kind == "tx" else ""))
        said.append(f"its other pad is {other.name}" if other else f"{pad.port} has no {'TX' if pad.kind == 'rx' else 'RX'} pad")
        said.append(_inversion(board, pad))
        if pad.port in board.software_ports:
            said.append("a software port: slow lines only, never a receiver")
        if pad.port == board.link_port:
            said.append("USB hangs on this port")
    if pad.reads:
        said.append(f"measures {' and '.join(pad.reads)}")
    if pad.pin:
        rivals = [each.name for each in board.pads if each.pin == pad.pin and each is not pad]
        said.append(f"shares its pin with {' and '.join(rivals)}")
    rail = board.rail(pad.rail)
    if rail:
        said.append(
            f"{rail.volts:g} V on the pack, " + (f"{rail.usb_volts:g} V on USB" if rail.usb_volts else "dead on USB alone") + f", up to {rail.limit_ma} mA"
        )
    if pad.also:
        said.append(pad.also)
    if pad.kind in ("rx", "input") or pad.kind == "tx":
        said.append(f"bears {pad.max_volts:g} V")
    return said


def _inversion(board: Board, pad: Pad) -> str:
    how = board.inverts(pad, "in" if pad.kind == "rx" else "out")
    both = board.inverts(pad, "both ways")
    if how == "native":
        return "inverts inside the UART"
    if how == "fixed":
        return "an inverter sits on it" + ("" if pad.kind == "rx" or both == "fixed" else ", one way")
    return f"cannot invert: an {board.mcu} UART has no inversion of its own"


def device_spots(document: CraftDocument, parts: KitParts) -> list[DeviceSpots]:
    """For every device, the pads that could serve it, best first, and why the others cannot."""
    board = parts.board
    demands = demands_of(document, parts)
    soldered: dict[str, list[Placement]] = {}
    for demand in demands:
        for place in placements(demand, document, parts, fixed={}):
            if place.patches and all(document.pad_of(pin, demand.device) == pad for pin, pad in place.patches):
                soldered.setdefault(demand.device, []).append(place)
    found = []
    for demand in demands:
        if demand.device == BENCH_LINK:
            continue
        spots = []
        for place in placements(demand, document, parts, fixed={}):
            rivals = [device for device, places in soldered.items() if device != demand.device and not all(fits_together([place, other]) for other in places)]
            cost = sum(cost_of(document, board, place).values())
            note = {"none": "", "native": "inverts by itself", "fixed": "has an inverter", "external": "needs an external inverter"}[place.inversion]
            here = bool(place.patches) and all(document.pad_of(pin, demand.device) == pad for pin, pad in place.patches)
            spots.append(Spot(pads=[pad.name for pad in place.pads], port=place.port, here=here, taken_by=", ".join(rivals), cost=cost, note=note))
        spots.sort(key=lambda spot: (not spot.here, bool(spot.taken_by), spot.cost))
        reached = {spot.port for spot in spots}
        links = link_ports(document, parts)
        for port in board.ports if demand.baud else ():
            if port in reached:
                continue
            why = place_on(board, demand, demand.variants[0], port)
            text = f"{port} keeps the bench link" if port in links else why if isinstance(why, str) else "not possible here"
            spots.append(Spot(pads=[pad.name for pad in board.pads if pad.port == port], port=port, why_not=text))
        found.append(DeviceSpots(device=demand.device, label=demand.label, job=demand.job, spots=spots))
    return found


def solder(document: CraftDocument, parts: KitParts, device: str, job: Job, pads: list[str]) -> list[Edit]:
    """Edits that put a device on those pads and give the port its job. Raise CraftError where they cannot serve it.

    A port that had the job and loses its wires loses the job as well; other devices' wires are left alone.
    """
    demand = next((each for each in demands_of(document, parts) if (each.device, each.job) == (device, job)), None)
    if demand is None:
        raise CraftError(f"{device} asks for no port with the job {job}")
    place = next((each for each in placements(demand, document, parts, fixed={}) if [pad.name for pad in each.pads] == pads), None)
    if place is None:
        raise CraftError(f"{' and '.join(pads)}: {device} cannot be served there")
    moved = {pin for variant in demand.variants for pin in variant.pins}
    kept = [patch for patch in document.wiring if patch.device != device or patch.pin not in moved]
    new = [Patch(device=device, pin=pin, pad=pad, inverter=place.inversion == "external") for pin, pad in place.patches]
    edits = [Edit(path="/wiring", value=[patch.model_dump(mode="json") for patch in (*kept, *new)])]
    if place.port is None:
        return edits
    board = parts.board
    used = {pad.port for patch in (*kept, *new) if (pad := board.pad(patch.pad)) is not None}
    ports = {port: "free" if given == job and port not in used else given for port, given in document.settings.ports.items()}
    edits.append(Edit(path="/settings/ports", value=ports | {place.port: job}))
    return edits
