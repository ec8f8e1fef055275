"""Kit, Port plan and Loom over HTTP. Everything is worked out from the newest draft."""

from __future__ import annotations

import re
import uuid
from typing import Any, get_args

from django.http import HttpResponse, JsonResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema, extend_schema_view
from pydantic import BaseModel
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.chain import still_findings
from linkcore.craft.document import CraftDocument, CraftError, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.kit.exchange import add_device, exchange, remove_device, rename_device
from linkcore.loom.drawing import pdf, svg, wire_csv
from linkcore.loom.layout import lay_out
from linkcore.loom.netlist import wire_list
from linkcore.parts.models import Job, Peripheral
from linkcore.sticks.memory_file import take_memory, write_memory
from server.bench.news import tell_bench
from server.crafts.api import find_craft, read_edits
from server.crafts.models import Craft
from server.parts.models import catalogue_of
from server.planning.views import ExchangeView, kit_view, loom_view, plan_view, soldered, worked_out
from server.problems import ProblemSerializer
from server.proofs.models import WireRing
from server.proofs.services import ring, rung_wires, take_back
from server.schema import CoreField

_REFUSED: dict[int, Any] = {400: ProblemSerializer, 404: ProblemSerializer, 422: ProblemSerializer}


class _Answer(serializers.Serializer[Any]):
    """A view of a draft, and which draft it is."""

    version = serializers.IntegerField()


class KitAnswer(_Answer):
    """The Kit hop."""

    view = CoreField("KitView")


class PlanAnswer(_Answer):
    """The Port plan hop."""

    view = CoreField("PlanView")


class LoomAnswer(_Answer):
    """The Loom hop."""

    view = CoreField("LoomView")


class WorkedAnswer(_Answer):
    """Plans."""

    view = CoreField("WorkedOut")


class ExchangeAnswer(_Answer):
    """An exchange of parts."""

    view = CoreField("ExchangeView")


class TrialSerializer(serializers.Serializer[Any]):
    """Edits to try first, not saved; may be empty."""

    edits = CoreField("Edit", many=True)


class DoingSerializer(serializers.Serializer[Any]):
    """What to exchange: a role and a part id (empty: none), `add device` and a part id, `remove device` or `rename device` and its name; `to` is the new name."""

    doing = serializers.ChoiceField(["board", "receiver", "transmitter", "module", "add device", "remove device", "rename device"])
    part = serializers.CharField(allow_blank=True, max_length=60)
    to = serializers.CharField(allow_blank=True, max_length=60, required=False)


class SolderSerializer(serializers.Serializer[Any]):
    """A device's job and the pads that its wires go to, RX before TX."""

    device = serializers.CharField(max_length=40)
    job = serializers.ChoiceField(get_args(Job))
    pads = serializers.ListField(child=serializers.CharField(max_length=40), min_length=1, max_length=20)


class RingSerializer(serializers.Serializer[Any]):
    """A wire's key, and who rang it out."""

    wire = serializers.CharField(max_length=120)
    initials = serializers.CharField(max_length=6, allow_blank=True, required=False)


class RungSerializer(serializers.Serializer[Any]):
    """Wires rung out: key to who and when."""

    rung = serializers.DictField(child=serializers.CharField())


def _draft(request: Request, craft_id: uuid.UUID) -> tuple[Craft, CraftDocument, KitParts]:
    craft = find_craft(request, craft_id)
    document = craft.read()
    return craft, document, KitParts.of(document, catalogue_of(craft.workshop_id))


def _answer(craft: Craft, view: BaseModel) -> Response:
    return Response({"version": craft.version, "view": view.model_dump(mode="json")})


class _HopView(APIView):
    """A hop's view of the newest draft; its children say what is worked out."""

    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Work it out from the draft."""
        craft, document, parts = _draft(request, craft_id)
        return _answer(craft, self.work_out(craft, document, parts))

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """The view."""
        raise NotImplementedError


@extend_schema_view(get=extend_schema(responses={200: KitAnswer, **_REFUSED}, description="What the set can do, what else would fit, the starting point."))
class KitHopView(_HopView):
    """The Kit hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return kit_view(document, parts)


@extend_schema_view(get=extend_schema(responses={200: PlanAnswer, **_REFUSED}, description="The picture, every pad and every device."))
class PlanHopView(_HopView):
    """The Port plan hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return plan_view(document, parts)


@extend_schema_view(get=extend_schema(responses={200: LoomAnswer, **_REFUSED}, description="The drawing, the wire list, the currents."))
class LoomHopView(_HopView):
    """The Loom hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return loom_view(document, parts, rung_wires(craft.pk))


class ExchangePartView(APIView):
    """Another part for the kit."""

    @extend_schema(request=DoingSerializer, responses={200: ExchangeAnswer, **_REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """What it would change; nothing is saved. The edits are taken with a save of the draft."""
        craft, document, parts = _draft(request, craft_id)
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
        return _answer(craft, _exchanged(document, parts, change.says, change.edits))


def _exchanged(document: CraftDocument, parts: KitParts, says: list[str], edits: list[Edit]) -> ExchangeView:
    """Those edits, with the findings that they would bring."""
    after = apply_edits(document, edits)
    before = {(each.code, each.where) for each in still_findings(document, document.settings, parts)}
    found = still_findings(after, after.settings, KitParts.of(after, parts.catalogue))
    return ExchangeView(says=says, edits=edits, findings=[each for each in found if (each.code, each.where) not in before])


class SolderView(APIView):
    """A device on other pads."""

    @extend_schema(request=SolderSerializer, responses={200: ExchangeAnswer, **_REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The edits that wire it there and give the port its job; nothing is saved."""
        craft, document, parts = _draft(request, craft_id)
        form = SolderSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        wanted = form.validated_data
        return _answer(craft, _exchanged(document, parts, [], soldered(document, parts, wanted["device"], wanted["job"], wanted["pads"])))


class WorkOutView(APIView):
    """Work it out."""

    @extend_schema(request=TrialSerializer, responses={200: WorkedAnswer, **_REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Ranked plans as differences from the draft, or why there is none; nothing is saved."""
        craft, document, parts = _draft(request, craft_id)
        form = TrialSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return _answer(craft, worked_out(document, parts, read_edits(form.validated_data["edits"])))


class LoomFileView(APIView):
    """The loom on paper."""

    @extend_schema(responses={(200, "image/svg+xml"): OpenApiTypes.BINARY, **_REFUSED})
    def get(self, request: Request, craft_id: uuid.UUID, kind: str) -> HttpResponse:
        """The drawing as SVG, drawing and list as PDF, or the list as CSV."""
        craft, document, parts = _draft(request, craft_id)
        wires, rung = wire_list(document, parts), rung_wires(craft.pk)
        if kind == "csv":
            answer = HttpResponse(wire_csv(wires, rung), content_type="text/csv; charset=utf-8")
        elif kind == "svg":
            answer = HttpResponse(svg(lay_out(document, parts), f"Wiring of {document.name}"), content_type="image/svg+xml")
        elif kind == "pdf":
            findings = [each for each in still_findings(document, document.settings, parts) if each.hop in ("kit", "port plan", "loom")]
            answer = HttpResponse(pdf(lay_out(document, parts), document, wires, findings, rung), content_type="application/pdf")
        else:
            raise NotFound("the loom is to be had as svg, pdf or csv")
        return _as_file(answer, document, f"loom.{kind}")


def _as_file(answer: HttpResponse, document: CraftDocument, what: str) -> HttpResponse:
    """To be saved, named after the craft."""
    name = re.sub(r"[^A-Za-z0-9-]+", "-", document.name).strip("-").lower() or "craft"
    answer["Content-Disposition"] = f'attachment; filename="{name}-{what}"'
    return answer


class ModelMemoryView(APIView):
    """The transmitter's model memory as a file of its own."""

    @extend_schema(responses={200: OpenApiTypes.OBJECT, **_REFUSED})
    def get(self, request: Request, craft_id: uuid.UUID) -> HttpResponse:
        """The draft's model memory, as JSON to keep (docs/sticks.md)."""
        _, document, parts = _draft(request, craft_id)
        answer = JsonResponse(write_memory(document.transmitter, parts.transmitter), json_dumps_params={"indent": 1})
        return _as_file(answer, document, "model-memory.json")

    @extend_schema(request=OpenApiTypes.OBJECT, responses={200: ExchangeAnswer, **_REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """What taking such a file would change, and the findings it would bring; nothing is saved."""
        craft, document, parts = _draft(request, craft_id)
        change = take_memory(document, request.data)
        return _answer(craft, _exchanged(document, parts, change.says, change.edits))


class RingsView(APIView):
    """Wires rung out."""

    @extend_schema(request=RingSerializer, responses={200: RungSerializer, **_REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Tick a wire, with initials."""
        craft = find_craft(request, craft_id)
        form = RingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        initials = form.validated_data.get("initials", "").strip()
        if not initials:
            raise CraftError("initials: a wire is rung out by somebody; put your initials in first")
        rung = ring(craft.pk, [form.validated_data["wire"]], WireRing.How.HAND, initials=initials, by=request.user)
        tell_bench(craft.pk, "rings")
        return Response({"rung": rung})

    @extend_schema(request=RingSerializer, responses={200: RungSerializer, **_REFUSED})
    def put(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Take a wire's tick back; the record stays, ended."""
        craft = find_craft(request, craft_id)
        form = RingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        rung = take_back(craft.pk, form.validated_data["wire"])
        tell_bench(craft.pk, "rings")
        return Response({"rung": rung})
