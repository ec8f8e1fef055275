"""Wires that the signal rings out."""

from __future__ import annotations

from linkcore.bench.seen import SeenBench
from linkcore.craft.document import RECEIVER
from linkcore.devices.port import PortReading
from linkcore.wiring.netlist import feed_wires, wire_key


def wires_rung(bench: SeenBench, reading: PortReading) -> list[str]:
    """Keys of wires that the signal rings out: what is read can only have come through its sender's own line, its supply and its ground."""
    return list(dict.fromkeys([*_receivers(bench, reading), *_devices(bench), *_home(bench), *_picture(bench)]))


def _home(bench: SeenBench) -> list[str]:
    """The wire of telemetry's own, once the receiver hears the board on it."""
    lead = bench.path.home
    if lead is None or lead.pad is None or bench.home_traffic.heard_per_s <= 0:
        return []
    patches = [patch for patch in bench.document.wiring if (patch.device, patch.pin) == (RECEIVER, lead.pin)]
    return [key for patch in patches if (key := wire_key(patch)) not in bench.rung] if len(patches) == 1 else []


def _picture(bench: SeenBench) -> list[str]:
    """Every wire that a picture with text on it came by, and the supply and ground of who sent it."""
    video = bench.video
    if video.picture.why or not any(row.strip() for row in video.picture.rows):
        return []
    found = []
    for name in video.on_the_way:
        for patch in (each for each in bench.document.wiring if each.device == name):
            pin = bench.parts.pin(name, patch.pin)
            carries = pin is not None and (pin.goes_to in ("camera", "video") or patch.pin == video.listens_on or pin.kind in ("supply", "ground"))
            if carries and wire_key(patch) not in bench.rung and sum((each.device, each.pin) == (name, patch.pin) for each in bench.document.wiring) == 1:
                found.append(wire_key(patch))
    return found


def _devices(bench: SeenBench) -> list[str]:
    """Of every device whose messages the board reads whole: the wire that it speaks on, its supply and its ground."""
    found = []
    for wire in bench.devices.wires.values():
        ear = bench.devices.ears.get(wire.pad.port or "") if wire.pad is not None and wire.pad.kind == "rx" else None
        if ear is None or not ear.frames or sum(other.pad is wire.pad for other in bench.devices.wires.values()) > 1:
            continue
        mine = [patch for patch in bench.document.wiring if patch.device == wire.name]
        for patch in mine:
            if (key := wire_key(patch)) in bench.rung or sum(each.pin == patch.pin for each in mine) > 1:
                continue
            pin = bench.parts.pin(patch.device, patch.pin)
            if pin is not None and (patch.pin == wire.pin or pin.kind in ("supply", "ground")):
                found.append(key)
    return found


def _receivers(bench: SeenBench, reading: PortReading) -> list[str]:
    """The receiver's own, and the board's feed where nothing else can have fed it."""
    if not reading.reads or not bench.path.heard_by(bench.board) or bench.path.chatter:
        return []
    carrying = {lead.pin for lead in bench.wire.leads if bench.path.reaches(lead) and lead.pad_name in bench.board.edges_matter_on}
    found = []
    if bench.pack and not bench.usb and bench.board.powered:  # nothing else can have fed it
        feed = bench.whole.kept.get("feed wires", (), None, lambda: feed_wires(bench.document, bench.parts))
        found += [key for patch in feed if (key := wire_key(patch)) not in bench.rung]
    for patch in bench.document.wiring:
        if patch.device != RECEIVER or wire_key(patch) in bench.rung:
            continue
        pin = bench.receiver_part.pin_called(patch.pin)
        if pin is None:
            continue
        alone = sum(each.device == RECEIVER and each.pin == patch.pin for each in bench.document.wiring) == 1
        if alone and (patch.pin in carrying or pin.kind in ("supply", "ground")):
            found.append(wire_key(patch))
    return found
