"""The sample craft over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.demo.services import make_sample
from server.drafts.api import CraftSerializer, told
from server.problems import REFUSED
from server.workshops.access import find_workshop


class SampleView(APIView):
    """A craft to look at, for a workshop that has none yet."""

    @extend_schema(request=None, responses={201: CraftSerializer} | REFUSED)
    def post(self, request: Request, workshop_id: int) -> Response:
        """Make it; 422 where the workshop has it already, 400 where there is a body."""
        if request.data:
            raise serializers.ValidationError({"body": ["a sample is made without one"]})
        workshop = find_workshop(request, workshop_id, "build")
        return Response(told(make_sample(workshop, request.user), request.user), status=201)
