"""Ringing out wires, and the loom's proof that follows from them."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from typing import Any

from django.db import transaction
from django.utils import timezone

from linkcore.craft.document import CraftDocument, CraftError
from linkcore.craft.parts import KitParts
from linkcore.hops.loom.proofs import rung_out
from linkcore.reads import Whole
from linkcore.wiring.netlist import every_wire, wire_key
from server.crafts.models import Craft
from server.parts.models import catalogue_of
from server.proofs.models import ProofRecord, WireRing
from server.retry import again_on_deadlock


def rung_wires(craft_id: uuid.UUID) -> dict[str, str]:
    """The wires that are rung out now: key to who and when."""
    return {ring.wire: ring.says() for ring in WireRing.objects.filter(craft_id=craft_id, until=None).order_by("id")}


@again_on_deadlock
@transaction.atomic
def ring(craft_id: uuid.UUID, wires: Iterable[str], how: str, *, initials: str = "", by: Any = None) -> dict[str, str]:
    """Record wires as rung out, and the loom's proof once all are. Raise CraftError for a wire that the draft does not have."""
    craft = Craft.objects.select_for_update().get(pk=craft_id)
    document = craft.read()
    parts = KitParts.of(document, catalogue_of(craft.workshop_id))
    known, rung = {wire_key(patch) for patch in every_wire(document, parts)}, rung_wires(craft_id)
    for wire in wires:
        if wire not in known:
            raise CraftError(f"{wire}: the wire list has no such wire (any more); look at it again")
        if wire not in rung:
            WireRing.objects.create(craft=craft, wire=wire, how=how, initials=initials, by=by)
    rung = rung_wires(craft_id)
    proof = rung_out(Whole(document, document.settings, parts, rung=rung))
    newest = ProofRecord.objects.filter(craft=craft, hop="loom", withdrawn=False).order_by("-id").first()
    if proof is not None and (newest is None or newest.rests_on != proof.rests_on):
        ProofRecord.objects.create(craft=craft, hop=proof.hop, name=proof.name, rests_on=proof.rests_on, seen=proof.seen)
    return rung


@again_on_deadlock
@transaction.atomic
def take_back(craft_id: uuid.UUID, wire: str) -> dict[str, str]:
    """Take a tick back; the record stays, ended, and the loom's proof with it no longer stands."""
    Craft.objects.select_for_update().get(pk=craft_id)
    WireRing.objects.filter(craft_id=craft_id, wire=wire, until=None).update(until=timezone.now())
    ProofRecord.objects.filter(craft_id=craft_id, hop="loom").update(withdrawn=True)
    return rung_wires(craft_id)


def end_rings(craft: Craft, document: CraftDocument) -> None:
    """A wire that was changed is no longer rung out."""
    known = {wire_key(patch) for patch in every_wire(document, KitParts.of(document, catalogue_of(craft.workshop_id)))}
    for each in WireRing.objects.filter(craft=craft, until=None):
        if each.wire not in known:
            each.until = timezone.now()
            each.save(update_fields=["until"])
