"""What each device asks of the board's ports and pads, worked out from the parts' facts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.parts.models import SOFTWARE_BAUD, Board, Inverter, Job, Output, Pad, Receiver, Serial
from linkcore.protocols.base import ProtocolSpec
from linkcore.protocols.registry import receiver_protocol

Form = Literal["rx", "tx", "full", "half", "pulses"]
Inversion = Literal["none", "native", "fixed", "external"]
BENCH_LINK: Job = "bench link"
UNIQUE_JOBS: tuple[Job, ...] = ("receiver input", BENCH_LINK, "video transmitter control")  # the board runs one port with each of these


@dataclass(frozen=True)
class Variant:
    """One way to satisfy a demand. `form`: the pads it takes, seen from the board; `pins` in the order of those pads (RX before TX)."""

    form: Form
    pins: tuple[str, ...]
    inverted: bool = False
    reads: Literal["PPM", "PWM"] | None = None
    protocol: str | None = None


@dataclass(frozen=True)
class Demand:
    """One device's wish for one job. The best variant comes first. `baud` 0 for pulses."""

    device: str
    label: str
    job: Job
    baud: int
    variants: tuple[Variant, ...]

    @property
    def key(self) -> str:
        """Its name among a craft's demands."""
        return f"{self.device}: {self.job}"


@dataclass(frozen=True)
class Placement:
    """A demand's variant on certain pads; `port` None for pulses."""

    demand: Demand
    variant: Variant
    port: str | None
    pads: tuple[Pad, ...]
    inversion: Inversion

    @property
    def pins_of_mcu(self) -> tuple[str, ...]:
        """The MCU's pins that it takes; pads that share one cannot both be used."""
        return tuple(pad.pin or pad.name for pad in self.pads)

    @property
    def patches(self) -> tuple[tuple[str, str], ...]:
        """(pin, pad) pairs."""
        return tuple(zip(self.variant.pins, (pad.name for pad in self.pads), strict=False))


def demands_of(document: CraftDocument, parts: KitParts) -> list[Demand]:
    """Every demand of the craft: receiver, telemetry, peripherals, and the bench link where it is kept on a port."""
    demands = []
    if parts.maybe_receiver is not None:
        demands += _receiver(document, parts)
    for name, part in parts.devices.items():
        if part.serial and part.job:
            demands.append(Demand(name, part.name, part.job, part.serial.baud, (_serial(part.serial),)))
    if parts.maybe_board and not any(demand.job == BENCH_LINK for demand in demands) and link_ports(document, parts):
        demands.append(Demand(BENCH_LINK, "Bench link", BENCH_LINK, 115200, (Variant("full", ()),)))
    return demands


def link_ports(document: CraftDocument, parts: KitParts) -> list[str]:
    """The ports that stay with the bench link: the USB bridge's, or those that the pilot gave it without an adapter to be moved."""
    board = parts.board
    if board.link_port:
        return [board.link_port]
    if any(part.job == BENCH_LINK for part in parts.devices.values()):
        return []
    return [port for port in board.ports if document.settings.ports.get(port) == BENCH_LINK]


def _serial(serial: Serial) -> Variant:
    if serial.half_duplex:
        return Variant("half", (str(serial.sends),), serial.inverted)
    pins = tuple(pin for pin in (serial.sends, serial.listens) if pin)
    form: Form = "full" if len(pins) == 2 else "rx" if serial.sends else "tx"
    return Variant(form, pins, serial.inverted)


def _receiver(document: CraftDocument, parts: KitParts) -> list[Demand]:
    receiver, spoken = parts.receiver, parts.spoken
    if spoken is None:
        return []
    active = [output for output in receiver.active(document.kit.jumper_fitted) if output.protocol == spoken.protocol]
    same_line = receiver.telemetry.serial if receiver.telemetry else None
    ordered = [spoken, *(output for output in active if output is not spoken)]
    demands = [channels_of(document, receiver, *ordered)]
    own = same_line if same_line and same_line.sends not in spoken.pins else None
    if own and (document.wants.telemetry or document.pad_of(str(own.sends or own.listens)) or "telemetry" in document.settings.ports.values()):
        demands.append(Demand(RECEIVER, receiver.name, "telemetry", own.baud, (_serial(own),)))
    return demands


def channels_of(document: CraftDocument, receiver: Receiver, *outputs: Output) -> Demand:
    """What a receiver asks for its channels, where it sends them on any of these outputs, which speak one protocol."""
    facts, same_line = receiver_protocol(outputs[0].protocol), receiver.telemetry.serial if receiver.telemetry else None
    variants = [variant for output in outputs for variant in _channels(document, output, facts, same_line)]
    return Demand(RECEIVER, receiver.name, "receiver input", facts.baud or 0, tuple(variants))


def _channels(document: CraftDocument, output: Output, facts: ProtocolSpec, telemetry: Serial | None) -> list[Variant]:
    if facts.wire != "serial":
        pins = output.pins if facts.wire == "PPM" else output.pins[: leads_wanted(document, output)]
        return [Variant("pulses", pins, output.inverted, facts.wire, output.protocol)]
    if output.half_duplex:
        return [Variant("half", output.pins, output.inverted, protocol=output.protocol)]
    listen = Variant("rx", output.pins, output.inverted, protocol=output.protocol)
    if telemetry and telemetry.sends in output.pins and telemetry.listens:
        both = Variant("full", (output.pins[0], telemetry.listens), output.inverted, protocol=output.protocol)
        return [both] if document.wants.telemetry else [both, listen]
    return [listen]


def leads_wanted(document: CraftDocument, output: Output) -> int:
    """How many leads a receiver with one lead a channel needs: as many channels as the craft wants, if it has them."""
    return min(len(output.pins), document.wants.channels)


def placements(demand: Demand, document: CraftDocument, parts: KitParts, *, fixed: Mapping[tuple[str, str], str] | None = None) -> list[Placement]:
    """Every way to satisfy a demand on the craft's board. `fixed` maps (device, pin) to the pad where it stays."""
    held = fixed_pads(document) if fixed is None else fixed
    board, links = parts.board, link_ports(document, parts)
    pins = {pin for variant in demand.variants for pin in variant.pins}
    mine = {pin: pad for (device, pin), pad in held.items() if device == demand.device and pin in pins}
    found = []
    for variant in demand.variants:
        for place in places_on(board, links, demand, variant):
            wires = dict(place.patches)
            if all(wires.get(pin) == pad for pin, pad in mine.items()):  # a variant without a fixed wire would leave it over
                found.append(place)
    return found


def fixed_pads(document: CraftDocument) -> dict[tuple[str, str], str]:
    """The wires that the pilot has fixed: (device, pin) to pad."""
    return {(patch.device, patch.pin): patch.pad for patch in document.wiring if patch.fixed}


def places_on(board: Board, links: list[str], demand: Demand, variant: Variant) -> list[Placement]:
    """Every place for a demand's variant on a board whose ports `links` stay with the bench link."""
    return _pulses(board, demand, variant) if variant.form == "pulses" else _on_ports(board, links, demand, variant)


def _pulses(board: Board, demand: Demand, variant: Variant) -> list[Placement]:
    pads = [pad for pad in board.pads if variant.reads in pad.reads]
    count = len(variant.pins)
    if variant.reads == "PWM":  # the board counts its inputs in their own order, so channel 1 belongs on the first
        return [Placement(demand, variant, None, tuple(pads[:count]), "none")] if len(pads) >= count else []
    return [Placement(demand, variant, None, (pad,), "none") for pad in pads]


def _on_ports(board: Board, links: list[str], demand: Demand, variant: Variant) -> list[Placement]:
    found = []
    for port in board.ports:
        if (port in links) != (demand.device == BENCH_LINK):
            continue
        place = place_on(board, demand, variant, port)
        if isinstance(place, Placement):
            found.append(place)
    return found


def place_on(board: Board, demand: Demand, variant: Variant, port: str) -> Placement | str:
    """A demand's variant on one port, or in a sentence why it cannot be there."""
    rx, tx = board.pad_of(port, "rx"), board.pad_of(port, "tx")
    if port in board.software_ports and demand.job == "receiver input":
        return f"{port} is a software port, too slow and too late for a receiver"
    if port in board.software_ports and demand.baud > SOFTWARE_BAUD:
        return f"{port} is a software port and follows {SOFTWARE_BAUD} baud at most; {demand.baud} are needed"
    pads: tuple[Pad, ...]
    if variant.form == "full":
        if rx is None or tx is None:
            return f"{port} lacks {'RX' if rx is None else 'TX'}, and both ways are needed"
        pads = (rx, tx)
    elif variant.form == "rx":
        if rx is None:
            return f"{port} has no RX pad to listen on"
        pads = (rx,)
    else:
        if tx is None:
            return f"{port} has no TX pad{', on which half duplex runs' if variant.form == 'half' else ' to send from'}"
        pads = (tx,)
    inversion = _inversion(board, variant, pads)
    if inversion is None:
        return f"{pads[-1].name} cannot invert both ways, and an external inverter passes one way only"
    return Placement(demand, variant, port, pads, inversion)


def _inversion(board: Board, variant: Variant, pads: tuple[Pad, ...]) -> Inversion | None:
    if not variant.inverted:
        return "none"
    ways: dict[str, Inverter] = {"rx": "in", "tx": "out"}
    asked = [board.inverts(pad, "both ways" if variant.form == "half" else ways[pad.kind]) for pad in pads]  # type: ignore[arg-type]
    if all(answer == "native" for answer in asked):
        return "native"
    if "no" not in asked:
        return "fixed"
    return None if variant.form == "half" else "external"
