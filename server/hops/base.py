"""What the hops' APIs share: the newest draft with its parts, an answer that says of which draft it is, and a change that was worked out and not saved."""

from __future__ import annotations

import re
import uuid
from functools import cache
from typing import Any

from django.http import HttpResponse
from pydantic import BaseModel
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.chain import still_findings
from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices.firmware import Installed, Role, all_as_made, devices_of
from linkcore.findings import Edit, Finding
from linkcore.reads import Whole
from server.bench.models import BenchRecord
from server.crafts.access import find_craft
from server.crafts.models import Craft
from server.parts.models import catalogue_of
from server.schema import CoreField


@cache
def view_of(model: type[BaseModel]) -> type[serializers.Serializer[Any]]:
    """A serializer for a view of a draft, and which draft it is of."""
    fields = {"__doc__": model.__doc__, "version": serializers.IntegerField(), "view": CoreField(model)}
    return type(f"{model.__name__.removesuffix('View')}Answer", (serializers.Serializer,), fields)


def answer(craft: Craft, view: BaseModel) -> Response:
    """A view, said of the craft's newest draft."""
    return Response({"version": craft.version, "view": view.model_dump(mode="json")})


def draft_of(request: Request, craft_id: uuid.UUID) -> tuple[Craft, CraftDocument, KitParts]:
    """A craft that the user may see, its draft and its parts."""
    craft = find_craft(request, craft_id)
    document = craft.read()
    return craft, document, KitParts.of(document, catalogue_of(craft.workshop_id))


def installed_on(craft: Craft, document: CraftDocument, parts: KitParts) -> dict[Role, Installed]:
    """What the devices run, by the last that the bench has kept."""
    record = BenchRecord.objects.filter(pk=craft.pk).first()
    return record.state_for(document, parts).installed(document, parts) if record else all_as_made(devices_of(parts), document)


class HopView(APIView):
    """A hop's view of the newest draft; its children say what is worked out."""

    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Work it out from the draft."""
        craft, document, parts = draft_of(request, craft_id)
        return answer(craft, self.work_out(craft, document, parts))

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """The view."""
        raise NotImplementedError


class ExchangeView(BaseModel):
    """What taking certain edits would change: in words, and the findings that they would bring."""

    says: list[str]
    edits: list[Edit]
    findings: list[Finding]


def exchanged(document: CraftDocument, parts: KitParts, says: list[str], edits: list[Edit]) -> ExchangeView:
    """Those edits, with the findings that they would bring."""
    after = apply_edits(document, edits)
    before = {(each.code, each.where) for each in still_findings(Whole(document, document.settings, parts))}
    found = still_findings(Whole(after, after.settings, KitParts.of(after, parts.catalogue)))
    return ExchangeView(says=says, edits=edits, findings=[each for each in found if (each.code, each.where) not in before])


def as_file(file: HttpResponse, document: CraftDocument, what: str) -> HttpResponse:
    """To be saved, named after the craft."""
    name = re.sub(r"[^A-Za-z0-9-]+", "-", document.name).strip("-").lower() or "craft"
    file["Content-Disposition"] = f'attachment; filename="{name}-{what}"'
    return file
