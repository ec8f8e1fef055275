"""The demo scenario in the database: the Saltings Field Crew, its people, its crafts and its shelf.

Curlew's proofs are earned, not written down: its bench is run, its sticks are moved and its switches flipped.
"""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.db import transaction

import scenario
from linkcore.bench.bench import CannotRun
from linkcore.craft.document import CraftDocument, CraftError
from linkcore.craft.parts import KitParts
from linkcore.parts.catalogue import shipped
from linkcore.wiring.netlist import every_wire, wire_key
from scenario.bench import Earned, as_it_lies, run_in
from scenario.flights import logs as flown
from scenario.images import scenario_images
from server.apart.keeper import read_sample
from server.bench.models import BenchRecord
from server.captures.flights import CSV
from server.captures.models import Recording
from server.crafts.models import Craft
from server.drafts.services import create_craft
from server.pieces import in_pieces
from server.proofs.models import ProofRecord, WireRing
from server.proofs.services import ring
from server.shelf.models import Image, ImagePiece
from server.workshops.models import Membership, Workshop

PASSWORD = "low-tide-42"
CREW, OTHERS = "Saltings Field Crew", "Upper Weir Survey"
PEOPLE = (("wren", CREW, "owner"), ("teal", CREW, "builder"), ("heron", CREW, "checker"), ("dipper", OTHERS, "owner"))


class NameTaken(Exception):
    """Somebody's own workshop or user has a name of the demo's."""


@transaction.atomic
def load() -> list[str]:
    """Make what is not there yet; return what was made. Raise NameTaken rather than touch anybody's own things."""
    made = []
    users = get_user_model()
    for name in (CREW, OTHERS):
        workshop = Workshop.objects.filter(name=name).first()
        if workshop is None:
            Workshop.objects.create(name=name, demo=True)
            made.append(name)
        elif not workshop.demo:
            raise NameTaken(f"a workshop of your own is called {name}; the demo needs that name, so it was not loaded")
    for username, crew, role in PEOPLE:
        user = users.objects.filter(username=username).first()
        if user is None:
            user = users.objects.create_user(username, password=PASSWORD)
            Membership.objects.create(user=user, workshop=Workshop.objects.get(name=crew), role=role)
            made.append(username)
        elif not Membership.objects.filter(user=user, workshop__demo=True).exists():
            raise NameTaken(f"a user of your own is called {username}; the demo needs that name, so it was not loaded")
    saltings = Workshop.objects.get(name=CREW)
    if not saltings.images.exists():
        fill_shelf(saltings, users.objects.get(username="wren"))
        made.append("the shelf")
    for document in (make() for make in scenario.CRAFTS):
        if not Craft.objects.filter(workshop__name=CREW, name=document.name).exists():
            _make_craft(document, users.objects.get(username="wren"))
            made.append(document.name)
    return made


def fill_shelf(workshop: Workshop, author: Any) -> None:
    """Images for every stand-in that can be flashed: several versions, regions and bands of each, wrong ones among them."""
    images, pieces = [], []
    for name, facts, content in scenario_images(shipped()):
        fields = {"sha256": content.sha256, "crc32": content.crc32, "size": len(content.data), "address": content.address, "start": content.start}
        told = facts.model_dump(mode="json", exclude_defaults=True)
        images.append(Image(workshop=workshop, name=name, facts=told, made_by=author, **fields))
        pieces += [ImagePiece(image=images[-1], number=number, data=piece) for number, piece in enumerate(in_pieces([content.data]))]
    Image.objects.bulk_create(images)
    ImagePiece.objects.bulk_create(pieces, batch_size=40)


def _make_craft(document: CraftDocument, author: Any) -> None:
    workshop = Workshop.objects.get(name=CREW)
    try:
        before = as_it_lies(document)
        earned = run_in(document, before, proven=document.name == "Curlew")
    except CannotRun:
        craft = create_craft(workshop, document, author, demo=True)
        if before is not None:
            BenchRecord.objects.create(craft=craft, state=before.keep())
        return
    craft = keep(workshop, document, earned, author, demo=True)
    if (log := flown().get(document.name)) is not None:
        Recording.store([log[1]], craft=craft, name=log[0], kind=CSV, source=Recording.Source.FILE, kept=True, made_by=author)
    if earned.rings:
        by_hand = [wire for patch in every_wire(document, KitParts.of(document)) if (wire := wire_key(patch)) not in earned.rings]
        ring(craft.pk, by_hand, WireRing.How.HAND, initials="wr", by=author)


@transaction.atomic
def keep(workshop: Workshop, document: CraftDocument, earned: Earned, author: Any, *, demo: bool = False) -> Craft:
    """A new craft with what was earned on its bench. Raise CraftError where the workshop has one of that name."""
    craft = create_craft(workshop, document, author, demo=demo)
    BenchRecord.objects.create(craft=craft, state=earned.state)
    for proof in earned.proofs:
        ProofRecord.objects.create(craft=craft, hop=proof.hop, name=proof.name, rests_on=proof.rests_on, seen=proof.seen)
    if earned.rings:
        ring(craft.pk, earned.rings, WireRing.How.SIGNAL)
    return craft


def make_sample(workshop: Workshop, author: Any) -> Craft:
    """The sample craft, made on demand; a workshop has one at most. Raise CraftError where it has one already; TooMany."""
    if Craft.objects.filter(workshop=workshop, name=scenario.SAMPLE_NAME).exists():
        raise CraftError(f"{workshop.name} has a {scenario.SAMPLE_NAME} already; open that one")
    document, earned = read_sample()
    return keep(workshop, document, earned, author)
