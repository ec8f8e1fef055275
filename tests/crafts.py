"""Crafts for tests."""

from __future__ import annotations

from linkcore.craft.document import Band, BoardSettings, CraftDocument, Fitted, Kit, ModeBand, Patch, ReceiverInput
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.reads import SECTIONS, Whole
from linkcore.standins.radio import StandInReceiver
from linkcore.wiring.netlist import wires_for


def sbus_craft(*, pad: str = "R2", port: str = "U2", inverted: bool = True, protocol: str = "SBUS") -> CraftDocument:
    craft = new_craft("Test craft", "quad X", Kit(board="merle-f7", receiver="pip-s8", transmitter="harrow-16"))
    craft.wiring = wires(SBUS=pad, **{"5V": "5V", "GND": "G"})
    return _set(craft, port, protocol, inverted)


def crsf_craft(*, pad: str = "R6", port: str = "U6") -> CraftDocument:
    craft = new_craft("Test craft", "quad X", Kit(board="ouzel-h7", receiver="wisp-900", transmitter="harrow-16", module="wisp-nest-900"))
    craft.wiring = wires(TX=pad, **{"5V": "5V", "GND": "G"})
    if pad.startswith("R"):
        craft.wiring += wires(RX=pad.replace("R", "T"))
    return _set(craft, port, "CRSF", False)


def with_escs(craft: CraftDocument) -> CraftDocument:
    """The same with an ESC for each of its four motors, wired."""
    driven = craft.model_copy(deep=True)
    driven.kit.devices += [Fitted(name=f"ESC {number}", part="oar-25") for number in range(1, 5)]
    driven.wiring = wires_for(driven, KitParts.of(driven), None)
    return CraftDocument.model_validate(driven.model_dump())


def with_gps(craft: CraftDocument, part: str = "tern-8", name: str = "GPS") -> CraftDocument:
    """The same with a GPS on a free port that listens, its job set; without one that is free, unwired."""
    located = craft.model_copy(deep=True)
    located.kit.devices.append(Fitted(name=name, part=part))
    parts = KitParts.of(located)
    used = {patch.pad for patch in located.wiring}
    links = [parts.board.link_port]
    free = [
        pad
        for pad in parts.board.pads
        if pad.kind == "rx"
        and pad.name not in used
        and pad.port not in (*links, *parts.board.software_ports)
        and located.settings.ports[str(pad.port)] == "free"
    ]
    if free:
        located.wiring.append(Patch(device=name, pin="TX", pad=free[0].name))
        located.settings.ports[str(free[0].port)] = "GPS"
    located.wiring = wires_for(located, parts, None)
    return CraftDocument.model_validate(located.model_dump())


def wires(**pads: str) -> list[Patch]:
    return [Patch(device="receiver", pin=pin, pad=pad) for pin, pad in pads.items()]


def _set(craft: CraftDocument, port: str, protocol: str, inverted: bool) -> CraftDocument:
    craft.feed = "pack"
    craft.settings.ports[port] = "receiver input"
    craft.settings.receiver_input = ReceiverInput(protocol=protocol, inverted=inverted)
    craft.settings.arming = Band(channel=5, low=1750, high=2150)
    craft.settings.modes = [ModeBand(mode="angle", channel=6, low=1250, high=1750)]
    return CraftDocument.model_validate(craft.model_dump())


def bound(receiver: StandInReceiver) -> StandInReceiver:
    """A receiver that knows somebody, switched on."""
    receiver.end.identity = bytes(8)
    receiver.power(True, 0.0)
    return receiver


def whole_of(craft: CraftDocument, settings: BoardSettings | None = None) -> Whole:
    """All that is known of a craft fresh from its makers, judged by the draft or by other settings."""
    return Whole(craft, settings or craft.settings, KitParts.of(craft))


def changed_sections(before: CraftDocument, after: CraftDocument) -> set[str]:
    """What a proof could rest on that is another in `after`."""
    one, other = whole_of(before), whole_of(after)
    return {key for key in SECTIONS if one.digest(key) != other.digest(key)}
