"""The Port plan over HTTP: who could go where, worked out or by hand."""

from __future__ import annotations

import uuid
from typing import Any, get_args

from drf_spectacular.utils import extend_schema, extend_schema_view
from pydantic import BaseModel
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.loom.layout import Picture, lay_out
from linkcore.hops.port_plan.pads import DeviceSpots, PadFacts, device_spots, pad_facts, solder
from linkcore.parts.models import Job
from linkcore.wiring.netlist import WireChange, every_wire, move_wire, plan_edits, wire_changes, wires_for
from linkcore.wiring.planner import Clashing, Plan, work_out
from server.crafts.access import read_edits
from server.crafts.models import Craft
from server.hops.base import ExchangeView, HopView, answer, draft_of, exchanged, view_of
from server.problems import REFUSED
from server.schema import CoreField

_EXCHANGE = view_of(ExchangeView)


class JobChange(BaseModel):
    """A port whose job would change."""

    port: str
    before: str
    after: str


class Offer(BaseModel):
    """A plan as a difference from the present one, with the edits that take it."""

    plan: Plan
    wires: list[WireChange]
    jobs: list[JobChange]
    reading: str
    edits: list[Edit]


class WorkedOut(BaseModel):
    """Plans, best first, or the smallest set of demands that clash. `says` where there is nothing to plan."""

    offers: list[Offer]
    clash: list[Clashing]
    says: str = ""


class PlanView(BaseModel):
    """The Port plan: the picture of the signal wires, every pad, every device."""

    picture: Picture
    pads: list[PadFacts]
    devices: list[DeviceSpots]


def plan_view(document: CraftDocument, parts: KitParts) -> PlanView:
    """The Port plan hop; raises UnknownPart before there is a board."""
    return PlanView(picture=lay_out(document, parts, signals_only=True), pads=pad_facts(document, parts), devices=device_spots(document, parts))


def worked_out(document: CraftDocument, parts: KitParts, trial: list[Edit]) -> WorkedOut:
    """Plans for the draft with the trial's edits made; taking an offer makes those as well."""
    tried = apply_edits(document, trial)
    tried_parts = KitParts.of(tried, parts.catalogue)
    _ = tried_parts.board  # without one there is nothing to say
    worked = work_out(tried, tried_parts)
    offers = []
    for plan in worked.plans:
        edits = [*trial, *plan_edits(tried, tried_parts, plan)]
        after = apply_edits(document, edits)
        before = document.settings
        ports = dict.fromkeys([*before.ports, *after.settings.ports])
        jobs = [
            JobChange(port=port, before=before.ports.get(port, "free"), after=after.settings.ports.get(port, "free"))
            for port in ports
            if before.ports.get(port, "free") != after.settings.ports.get(port, "free")
        ]
        reads, was = after.settings.receiver_input, before.receiver_input
        reading = "" if reads == was else f"the receiver is read as {reads.protocol}, {'inverted' if reads.inverted else 'not inverted'}"
        offers.append(
            Offer(plan=plan, wires=wire_changes(every_wire(document, parts), every_wire(after, tried_parts)), jobs=jobs, reading=reading, edits=edits)
        )
    says = "" if worked.plans or worked.clash else "No device of this kit asks for a port or an input yet. Choose a receiver and devices in the Kit."
    return WorkedOut(offers=offers, clash=worked.clash, says=says)


def soldered(document: CraftDocument, parts: KitParts, device: str, job: Job, pads: list[str]) -> list[Edit]:
    """A device on certain pads, its supply and ground completed."""
    edits = solder(document, parts, device, job, pads)
    after = apply_edits(document, edits)
    mine = [patch for patch in wires_for(after, parts, None) if patch.device == device]
    rest = [patch for patch in after.wiring if patch.device != device]
    return [*edits[1:], Edit(path="/wiring", value=[patch.model_dump(mode="json") for patch in (*rest, *mine)])]


class TrialSerializer(serializers.Serializer[Any]):
    """Edits to try first, not saved; may be empty."""

    edits = CoreField(Edit, many=True)


class SolderSerializer(serializers.Serializer[Any]):
    """A device's job and the pads that its wires go to, RX before TX."""

    device = serializers.CharField(max_length=40)
    job = serializers.ChoiceField(get_args(Job))
    pads = serializers.ListField(child=serializers.CharField(max_length=40), min_length=1, max_length=20)


@extend_schema_view(get=extend_schema(responses={200: view_of(PlanView), **REFUSED}, description="The picture, every pad and every device."))
class PlanHopView(HopView):
    """The Port plan hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return plan_view(document, parts)


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
