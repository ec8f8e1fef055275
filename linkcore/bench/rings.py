"""Wires that the signal rings out."""

from __future__ import annotations

from linkcore.bench.seen import SeenBench
from linkcore.craft.document import RECEIVER
from linkcore.devices.port import PortReading
from linkcore.wiring.netlist import feed_wires, wire_key


def wires_rung(bench: SeenBench, reading: PortReading) -> list[str]:
    """Keys of wires that the signal rings out: frames that are read can only have come through the receiver's own line, its supply and its ground."""
    if not reading.reads or not bench.path.heard_by(bench.board) or bench.path.chatter:
        return []
    carrying = {lead.pin for lead in bench.wire.leads if bench.path.reaches(lead) and lead.pad_name in bench.board.edges_matter_on}
    found = []
    if bench.pack and not bench.usb and bench.board.powered:  # nothing else can have fed it
        found += [key for patch in feed_wires(bench.document, bench.parts) if (key := wire_key(patch)) not in bench.rung]
    for patch in bench.document.wiring:
        pin = bench.receiver_part.pin_called(patch.pin)
        if patch.device != RECEIVER or pin is None or wire_key(patch) in bench.rung:
            continue
        alone = sum(each.device == RECEIVER and each.pin == patch.pin for each in bench.document.wiring) == 1
        if alone and (patch.pin in carrying or pin.kind in ("supply", "ground")):
            found.append(wire_key(patch))
    return found
