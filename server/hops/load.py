"""The Load hop over HTTP: images that may go on, the log of flashes, and settings that were kept."""

from __future__ import annotations

import uuid
from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.craft.parts import KitParts
from linkcore.devices.firmware import ROLES
from server.crafts.access import find_craft
from server.crafts.models import Craft
from server.hops.base import answer, draft_of, installed_on, view_of
from server.parsing import StrictJSONParser
from server.parts.models import catalogue_of
from server.problems import REFUSED, ProblemSerializer
from server.schema import CoreField
from server.shelf.models import FlashRecord, Image
from server.shelf.services import carried, log_of
from server.shelf.views import FlashView, LoadView, flash_view, load_view

_ROLE = OpenApiParameter("role", str, enum=list(ROLES), description="Which device", required=True)
_EVERY = OpenApiParameter("every", bool, description="Images for other targets as well")


class FlashesAnswer(serializers.Serializer[Any]):
    """The log of flash jobs, the newest first."""

    flashes = CoreField(FlashView, many=True)


class SettingsChoice(serializers.Serializer[Any]):
    """What becomes of kept settings."""

    settings = serializers.ChoiceField(choices=[FlashRecord.Settings.PUT_BACK.value, FlashRecord.Settings.SKIPPED.value])


class LoadHopView(APIView):
    """The Load hop."""

    @extend_schema(parameters=[_ROLE, _EVERY], responses={200: view_of(LoadView), **REFUSED})
    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """A device's choice of images, judged, and the shortest ways to a link that talks."""
        craft, document, parts = draft_of(request, craft_id)
        role = request.query_params.get("role", "")
        if role not in ROLES:
            raise serializers.ValidationError({"role": [f"must be one of {', '.join(ROLES)}"]})
        images = list(Image.objects.filter(workshop_id=craft.workshop_id).select_related("made_by"))
        installed = installed_on(craft, document, parts)
        return answer(craft, load_view(images, role, document, parts, installed, every=request.query_params.get("every") == "true"))


class FlashesView(APIView):
    """The log of flash jobs."""

    @extend_schema(responses={200: FlashesAnswer, 404: ProblemSerializer, 422: ProblemSerializer})
    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The newest first."""
        return Response({"flashes": _log(find_craft(request, craft_id))})


class FlashSettingsView(APIView):
    """Settings that were kept before a flash."""

    parser_classes = [StrictJSONParser]

    @extend_schema(request=SettingsChoice, responses={200: FlashesAnswer, **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID, flash_id: int) -> Response:
        """They are back in the draft, or are left out; the revision stays either way."""
        craft = find_craft(request, craft_id, "build")
        choice = SettingsChoice(data=request.data)
        choice.is_valid(raise_exception=True)
        record = craft.flashes.filter(pk=flash_id).first()
        if record is None:
            raise NotFound("there is no such flash")
        record.settings_state = choice.validated_data["settings"]
        record.save(update_fields=["settings_state"])
        return Response({"flashes": _log(craft)})


def _log(craft: Craft) -> list[dict[str, Any]]:
    document = craft.read()
    parts = KitParts.of(document, catalogue_of(craft.workshop_id))
    told = []
    for record in log_of(craft):
        offered = record.settings_state == FlashRecord.Settings.OFFERED
        told.append(flash_view(record, carried(record, document, parts) if offered else None).model_dump(mode="json"))
    return told
