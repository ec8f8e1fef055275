"""What can be done with crafts."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from contextlib import suppress
from typing import Any

from django.db import IntegrityError, transaction

from linkcore.craft.document import CraftDocument, CraftError, apply_edits, load
from linkcore.craft.parts import KitParts, foreign_ports
from linkcore.craft.two_sides import ChangedBy, two_sides
from linkcore.findings import Edit
from linkcore.parts.catalogue import UnknownPart
from server.bench.news import tell_bench
from server.crafts.access import read_edits
from server.crafts.models import Craft, Revision
from server.parts.models import catalogue_of
from server.proofs.services import end_rings
from server.workshops.models import Workshop


class Stale(Exception):
    """The draft was saved by somebody else meanwhile."""

    def __init__(self, craft: Craft) -> None:
        super().__init__(f"version {craft.version}")
        self.craft = craft


def _new_parts_exist(document: CraftDocument, before: CraftDocument | None, workshop_id: int) -> None:
    """Parts and ports that a save puts in must exist; one that has vanished since stays, with a finding that says so."""
    catalogue = catalogue_of(workshop_id)
    parts = KitParts.of(document, catalogue)
    known = {(each.role, each.part_id) for each in KitParts.of(before, catalogue).missing} if before else set()
    for each in parts.missing:
        if each.part_id and (each.role, each.part_id) not in known:
            raise UnknownPart(f"kit: the catalogue has no {each.part_id} for the {each.role}")
    if (why := foreign_ports(document, parts, before)) is not None:
        raise CraftError(why)


def as_now(data: Any) -> Any:
    """A kept document with every field that documents have by now; one that cannot be read stays as it is."""
    try:
        return load(data).model_dump(mode="json")
    except CraftError:
        return data


def create_craft(workshop: Workshop, document: CraftDocument, author: Any, *, demo: bool = False) -> Craft:
    """A new craft with its first revision. Raise CraftError where the workshop has one of that name."""
    _new_parts_exist(document, None, workshop.pk)
    try:
        with transaction.atomic():
            craft = Craft.objects.create(workshop=workshop, name=document.name, document=document.model_dump(mode="json"), updated_by=author, demo=demo)
            Revision.objects.create(craft=craft, version=1, kind=Revision.Kind.SAVED, document=craft.document, author=author)
    except IntegrityError as error:
        raise CraftError(f"{workshop.name} already has a craft called {document.name}; choose another name") from error
    return craft


def edit_draft(craft_id: uuid.UUID, version: int, edits: list[Edit], author: Any) -> Craft:
    """Make a finding's edits in the draft of `version`; raises as save_draft does."""
    craft = Craft.objects.get(pk=craft_id)
    if craft.version != version:
        base = Revision.objects.filter(craft=craft, version=version, kind=Revision.Kind.SAVED).first()
        with suppress(CraftError):  # edits that never fitted
            if base is not None and _saved_before(craft, version, apply_edits(load(base.document), edits), author):
                return craft
        raise Stale(craft)
    return save_draft(craft_id, version, apply_edits(craft.read(), edits).model_dump(mode="json"), author)


def changes_beside(craft: Craft, wanted: Mapping[str, Any]) -> list[ChangedBy]:
    """What a save that came too late would have changed, beside what was saved meanwhile; empty where the draft that it was made from is not known or cannot be read."""
    base = Revision.objects.filter(craft=craft, version=wanted["version"], kind=Revision.Kind.SAVED).first()
    try:
        before = load(base.document) if base else None
        if before is None:
            return []
        mine = load(wanted["document"]) if "document" in wanted else apply_edits(before, read_edits(wanted["edits"]))
        return two_sides(before, mine, craft.read())
    except CraftError:
        return []


def _saved_before(craft: Craft, version: int, document: CraftDocument, author: Any) -> bool:
    """Whether this very save was made already, and only its answer got lost: who sends it again is not told to be in conflict with themselves."""
    return craft.version == version + 1 and craft.updated_by_id == author.pk and craft.document == document.model_dump(mode="json")


def save_draft(craft_id: uuid.UUID, version: int, data: Any, author: Any) -> Craft:
    """Save a draft that was made from `version`. Raise Stale where that is not the newest, CraftError where it does not fit."""
    document = load(data)
    try:
        with transaction.atomic():
            craft = Craft.objects.select_for_update().get(pk=craft_id)
            if _saved_before(craft, version, document, author):
                return craft
            if craft.version != version:
                raise Stale(craft)
            _new_parts_exist(document, craft.read(), craft.workshop_id)
            end_rings(craft, document)
            craft.document = document.model_dump(mode="json")
            craft.name = document.name
            craft.version += 1
            craft.updated_by = author
            craft.save()
            Revision.objects.create(craft=craft, version=craft.version, kind=Revision.Kind.SAVED, document=craft.document, author=author)
    except IntegrityError as error:
        raise CraftError(f"name: this workshop already has a craft called {document.name}") from error
    tell_bench(craft.pk, "draft")
    return craft
