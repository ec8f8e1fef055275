"""Kit, Port plan and Loom over HTTP. Everything is worked out from the newest draft."""

from __future__ import annotations

import uuid
from typing import Any, get_args

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema, extend_schema_view
from pydantic import BaseModel
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.chain import still_findings
from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.kit.exchange import add_device, exchange, remove_device, rename_device
from linkcore.hops.loom.drawing import svg, wire_csv
from linkcore.hops.loom.layout import lay_out
from linkcore.parts.models import Job, Peripheral
from linkcore.reads import Whole
from linkcore.wiring.netlist import move_wire, wire_list
from server.crafts.api import read_edits
from server.crafts.models import Craft
from server.hops.base import REFUSED, ExchangeView, HopView, answer, as_file, draft_of, exchanged, view_of
from server.planning.views import Doing, KitView, LoomView, PlanView, WorkedOut, kit_view, loom_view, plan_view, soldered, worked_out
from server.proofs.services import rung_wires
from server.schema import CoreField

_EXCHANGE = view_of(ExchangeView)


class TrialSerializer(serializers.Serializer[Any]):
    """Edits to try first, not saved; may be empty."""

    edits = CoreField(Edit, many=True)


class DoingSerializer(serializers.Serializer[Any]):
    """What to exchange: a role and a part id (empty: none), `add device` and a part id, `remove device` or `rename device` and its name; `to` is the new name."""

    doing = serializers.ChoiceField(get_args(Doing))
    part = serializers.CharField(allow_blank=True, max_length=60)
    to = serializers.CharField(allow_blank=True, max_length=60, required=False)


class SolderSerializer(serializers.Serializer[Any]):
    """A device's job and the pads that its wires go to, RX before TX."""

    device = serializers.CharField(max_length=40)
    job = serializers.ChoiceField(get_args(Job))
    pads = serializers.ListField(child=serializers.CharField(max_length=40), min_length=1, max_length=20)


@extend_schema_view(
    get=extend_schema(responses={200: view_of(KitView), **REFUSED}, description="What the set can do, what else would fit, the starting point.")
)
class KitHopView(HopView):
    """The Kit hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return kit_view(document, parts)


@extend_schema_view(get=extend_schema(responses={200: view_of(PlanView), **REFUSED}, description="The picture, every pad and every device."))
class PlanHopView(HopView):
    """The Port plan hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return plan_view(document, parts)


@extend_schema_view(get=extend_schema(responses={200: view_of(LoomView), **REFUSED}, description="The drawing, the wire list, the currents."))
class LoomHopView(HopView):
    """The Loom hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return loom_view(document, parts, rung_wires(craft.pk))


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


class SolderView(APIView):
    """A device on other pads."""

    @extend_schema(request=SolderSerializer, responses={200: _EXCHANGE, **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The edits that wire it there and give the port its job; nothing is saved."""
        craft, document, parts = draft_of(request, craft_id)
        form = SolderSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        wanted = form.validated_data
        return answer(craft, exchanged(document, parts, [], soldered(document, parts, wanted["device"], wanted["job"], wanted["pads"])))


class WireMoveSerializer(serializers.Serializer[Any]):
    """A device's pin, and the pad that its wire goes to; null: the wire comes off."""

    device = serializers.CharField(max_length=40)
    pin = serializers.CharField(max_length=40)
    pad = serializers.CharField(max_length=40, allow_null=True)


class WireMoveView(APIView):
    """One wire on another pad."""

    @extend_schema(request=WireMoveSerializer, responses={200: _EXCHANGE, **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The edits that solder it there by hand, and the findings that this would bring; nothing is saved."""
        craft, document, parts = draft_of(request, craft_id)
        form = WireMoveSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        wanted = form.validated_data
        return answer(craft, exchanged(document, parts, [], move_wire(document, parts, wanted["device"], wanted["pin"], wanted["pad"])))


class WorkOutView(APIView):
    """Work it out."""

    @extend_schema(request=TrialSerializer, responses={200: view_of(WorkedOut), **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Ranked plans as differences from the draft, or why there is none; nothing is saved."""
        craft, document, parts = draft_of(request, craft_id)
        form = TrialSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return answer(craft, worked_out(document, parts, read_edits(form.validated_data["edits"])))


class LoomFileView(APIView):
    """The loom on paper."""

    @extend_schema(responses={(200, "image/svg+xml"): OpenApiTypes.BINARY, **REFUSED})
    def get(self, request: Request, craft_id: uuid.UUID, kind: str) -> HttpResponse:
        """The drawing as SVG, drawing and list as PDF, or the list as CSV."""
        craft, document, parts = draft_of(request, craft_id)
        wires, rung = wire_list(document, parts), rung_wires(craft.pk)
        if kind == "csv":
            file = HttpResponse(wire_csv(wires, rung), content_type="text/csv; charset=utf-8")
        elif kind == "svg":
            file = HttpResponse(svg(lay_out(document, parts), f"Wiring of {document.name}"), content_type="image/svg+xml")
        elif kind == "pdf":
            from linkcore.hops.loom.printed import pdf  # the drawing library is loaded only where somebody prints

            findings = [each for each in still_findings(Whole(document, document.settings, parts)) if each.hop in ("kit", "port plan", "loom")]
            file = HttpResponse(pdf(lay_out(document, parts), document, wires, findings, rung), content_type="application/pdf")
        else:
            raise NotFound("the loom is to be had as svg, pdf or csv")
        return as_file(file, document, f"loom.{kind}")
