"""The Loom over HTTP: the wire list, the drawing, and both on paper."""

from __future__ import annotations

import uuid

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema, extend_schema_view
from pydantic import BaseModel
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.views import APIView

from linkcore.chain import still_findings
from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.loom.drawing import svg, wire_csv
from linkcore.hops.loom.layout import lay_out
from linkcore.reads import Whole
from linkcore.wiring.netlist import RailLoad, UsbLoad, Wire, WireChange, every_wire, plan_edits, rail_loads, usb_load, wire_changes, wire_list
from server.crafts.models import Craft
from server.hops.base import HopView, as_file, draft_of, view_of
from server.problems import REFUSED
from server.proofs.services import rung_wires


class LoomView(BaseModel):
    """The Loom: the drawing, the wire list, currents, and the wires rung out."""

    drawing: str
    wires: list[Wire]
    rails: list[RailLoad]
    usb: UsbLoad
    rung: dict[str, str]
    completed: list[WireChange]
    completing: list[Edit]
    crossings: int


def loom_view(document: CraftDocument, parts: KitParts, rung: dict[str, str]) -> LoomView:
    """The Loom hop; raises UnknownPart before there is a board."""
    picture = lay_out(document, parts)
    completing = plan_edits(document, parts, None)
    changes = wire_changes(every_wire(document, parts), every_wire(apply_edits(document, completing), parts))
    return LoomView(
        drawing=svg(picture, f"Wiring of {document.name}"),
        wires=wire_list(document, parts),
        rails=rail_loads(document, parts),
        usb=usb_load(document, parts),
        rung=rung,
        completed=changes,
        completing=completing if changes else [],
        crossings=picture.crossings,
    )


@extend_schema_view(get=extend_schema(responses={200: view_of(LoomView), **REFUSED}, description="The drawing, the wire list, the currents."))
class LoomHopView(HopView):
    """The Loom hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return loom_view(document, parts, rung_wires(craft.pk))


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
