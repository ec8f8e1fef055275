"""What can be done with crafts."""

from __future__ import annotations

import uuid
from typing import Any

from asgiref.sync import async_to_sync
from channels.layers import get_channel_layer
from django.db import IntegrityError, transaction

from linkcore.craft.document import CraftDocument, CraftError, apply_edits, load
from linkcore.findings import Edit
from linkcore.parts.catalogue import part
from linkcore.parts.models import Board, Receiver, Transmitter
from server.bench.models import BenchRecord
from server.crafts.models import Craft, Revision
from server.workshops.models import Workshop


class Stale(Exception):
    """The draft was saved by somebody else meanwhile."""

    def __init__(self, craft: Craft) -> None:
        super().__init__(f"version {craft.version}")
        self.craft = craft


def _fits_catalogue(document: CraftDocument) -> None:
    part(Board, document.kit.board)
    part(Receiver, document.kit.receiver)
    part(Transmitter, document.kit.transmitter)


def create_craft(workshop: Workshop, document: CraftDocument, author: Any, *, demo: bool = False) -> Craft:
    """A new craft with its first revision. Raise CraftError where the workshop has one of that name."""
    _fits_catalogue(document)
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
        raise Stale(craft)
    return save_draft(craft_id, version, apply_edits(craft.read(), edits).model_dump(mode="json"), author)


def save_draft(craft_id: uuid.UUID, version: int, data: Any, author: Any) -> Craft:
    """Save a draft that was made from `version`. Raise Stale where that is not the newest, CraftError where it does not fit."""
    document = load(data)
    _fits_catalogue(document)
    try:
        with transaction.atomic():
            craft = Craft.objects.select_for_update().get(pk=craft_id)
            if craft.version != version:
                raise Stale(craft)
            if craft.read().kit != document.kit:
                raise CraftError("kit: the parts of a craft cannot be exchanged yet; make a new craft with the other parts")
            craft.document = document.model_dump(mode="json")
            craft.name = document.name
            craft.version += 1
            craft.updated_by = author
            craft.save()
            Revision.objects.create(craft=craft, version=craft.version, kind=Revision.Kind.SAVED, document=craft.document, author=author)
    except IntegrityError as error:
        raise CraftError(f"name: this workshop already has a craft called {document.name}") from error
    _tell_bench(craft)
    return craft


def _tell_bench(craft: Craft) -> None:
    """A running bench follows the draft."""
    record = BenchRecord.objects.filter(craft=craft).first()
    layer = get_channel_layer()
    if record is not None and record.held and layer is not None:
        async_to_sync(layer.send)(record.channel, {"type": "draft"})
