"""Wires rung out, over HTTP."""

from __future__ import annotations

import uuid
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.craft.document import CraftError
from server.bench.news import tell_bench
from server.crafts.access import find_craft
from server.problems import REFUSED
from server.proofs.models import WireRing
from server.proofs.services import ring, take_back


class RingSerializer(serializers.Serializer[Any]):
    """A wire's key, and who rang it out."""

    wire = serializers.CharField(max_length=120)
    initials = serializers.CharField(max_length=6, allow_blank=True, required=False)


class RungSerializer(serializers.Serializer[Any]):
    """Wires rung out: key to who and when."""

    rung = serializers.DictField(child=serializers.CharField())


class RingsView(APIView):
    """Wires rung out."""

    @extend_schema(request=RingSerializer, responses={200: RungSerializer, **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Tick a wire, with initials."""
        craft = find_craft(request, craft_id, "check")
        form = RingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        initials = form.validated_data.get("initials", "").strip()
        if not initials:
            raise CraftError("initials: a wire is rung out by somebody; put your initials in first")
        rung = ring(craft.pk, [form.validated_data["wire"]], WireRing.How.HAND, initials=initials, by=request.user)
        tell_bench(craft.pk, "rings")
        return Response({"rung": rung})

    @extend_schema(request=RingSerializer, responses={200: RungSerializer, **REFUSED})
    def put(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Take a wire's tick back; the record stays, ended."""
        craft = find_craft(request, craft_id, "check")
        form = RingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        rung = take_back(craft.pk, form.validated_data["wire"])
        tell_bench(craft.pk, "rings")
        return Response({"rung": rung})
