"""The Kit hop over HTTP: what the set can do, and another part in it."""

from __future__ import annotations

import uuid
from typing import Any, Literal, get_args

from drf_spectacular.utils import extend_schema, extend_schema_view
from pydantic import BaseModel
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.hops.kit.ability import Ability, ability
from linkcore.hops.kit.exchange import Fit, add_device, exchange, remove_device, rename_device, what_else_fits
from linkcore.hops.kit.starting import StartLine, starting_point
from linkcore.parts.models import Peripheral
from server.crafts.models import Craft
from server.hops.base import ExchangeView, HopView, answer, draft_of, exchanged, view_of
from server.problems import REFUSED

_EXCHANGE = view_of(ExchangeView)


class KitView(BaseModel):
    """What the set can do, what else would fit, and the starting point."""

    ability: Ability
    fits: list[Fit]
    starting: list[StartLine]


Doing = Literal["board", "receiver", "transmitter", "module", "pack", "add device", "remove device", "rename device"]


def kit_view(document: CraftDocument, parts: KitParts) -> KitView:
    """The Kit hop."""
    fits = what_else_fits(document, parts) if parts.maybe_board and parts.maybe_transmitter else []
    return KitView(ability=ability(document, parts), fits=fits, starting=starting_point(document, parts))


class DoingSerializer(serializers.Serializer[Any]):
    """What to exchange: a role and a part id (empty: none), `add device` and a part id, `remove device` or `rename device` and its name; `to` is the new name."""

    doing = serializers.ChoiceField(get_args(Doing))
    part = serializers.CharField(allow_blank=True, max_length=60)
    to = serializers.CharField(allow_blank=True, max_length=60, required=False)


@extend_schema_view(
    get=extend_schema(responses={200: view_of(KitView), **REFUSED}, description="What the set can do, what else would fit, the starting point.")
)
class KitHopView(HopView):
    """The Kit hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return kit_view(document, parts)


class ExchangePartView(APIView):
    """Another part for the kit."""

    @extend_schema(request=DoingSerializer, responses={200: _EXCHANGE, **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """What it would change; nothing is saved. The edits are taken with a save of the draft."""
        craft, document, parts = draft_of(request, craft_id)
        form = DoingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        doing, part = form.validated_data["doing"], form.validated_data["part"]
        if doing == "add device":
            change = add_device(document, parts.catalogue.of(Peripheral, part))
        elif doing == "remove device":
            change = remove_device(document, part)
        elif doing == "rename device":
            change = rename_device(document, part, form.validated_data.get("to", ""))
        else:
            change = exchange(document, doing, part, parts.catalogue)
        return answer(craft, exchanged(document, parts, change.says, change.edits))
