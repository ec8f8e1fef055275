"""What has to be seen of the Loom. Wires are rung out one by one, by hand or by the signal; the proof follows from all of them."""

from __future__ import annotations

from linkcore.hops.loom.rules import check_loom
from linkcore.proofs import Proof, ProofOf
from linkcore.reads import Reads, Whole
from linkcore.wiring.netlist import every_wire, wire_key

EVERY_WIRE_RUNG = ProofOf(
    name="every wire rung out",
    says="Every wire of a list without a fault is rung out, by hand with initials or by the signal.",
    reads=Reads("kit", "devices", "wiring", "wiring of devices", "feed"),
    minutes=5,
    seen=None,
    wants=(),
    source="bench or hand",
)


def rung_out(whole: Whole) -> Proof | None:
    """The loom's proof, once every wire of a fault-free list is rung out."""
    craft, rung = whole.craft, whole.rung
    keys = [wire_key(patch) for patch in every_wire(craft, whole.parts)]
    if not craft.wiring or not whole.parts.whole or any(key not in rung for key in keys):
        return None
    if any(finding.severity == "stop" for finding in check_loom(craft, whole.parts)):
        return None
    return Proof(hop="loom", name=EVERY_WIRE_RUNG.name, rests_on=EVERY_WIRE_RUNG.reads.foundation(whole), seen={"wires": {key: rung[key] for key in keys}})
