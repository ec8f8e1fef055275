"""The Sticks hop over HTTP: the transmitter's model memory as a file of its own."""

from __future__ import annotations

import uuid

from django.http import HttpResponse, JsonResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.hops.sticks.memory_file import take_memory, write_memory
from server.hops.base import ExchangeView, answer, as_file, draft_of, exchanged, view_of
from server.problems import REFUSED


class ModelMemoryView(APIView):
    """The transmitter's model memory."""

    @extend_schema(responses={200: OpenApiTypes.OBJECT, **REFUSED})
    def get(self, request: Request, craft_id: uuid.UUID) -> HttpResponse:
        """The draft's model memory, as JSON to keep (docs/sticks.md)."""
        _, document, parts = draft_of(request, craft_id)
        file = JsonResponse(write_memory(document.transmitter, parts.transmitter), json_dumps_params={"indent": 1})
        return as_file(file, document, "model-memory.json")

    @extend_schema(request=OpenApiTypes.OBJECT, responses={200: view_of(ExchangeView), **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """What taking such a file would change, and the findings it would bring; nothing is saved."""
        craft, document, parts = draft_of(request, craft_id)
        change = take_memory(document, request.data)
        return answer(craft, exchanged(document, parts, change.says, change.edits))
