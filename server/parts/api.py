"""Parts over HTTP."""

from __future__ import annotations

from typing import Any, get_args

from django.http import HttpResponse, JsonResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.craft.document import Airframe, Mode, ServoRole
from linkcore.parts.catalogue import PartError, part_schemas
from linkcore.parts.files import own_part
from linkcore.parts.models import Board, Job, Module, Pack, Peripheral, Receiver, Region, Sensor, Transmitter
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from server.parts.models import OwnPart, catalogue_of
from server.parts.services import PartInUse, StalePart, delete, exported, import_parts, save
from server.problems import ProblemSerializer
from server.schema import CoreField
from server.workshops.access import find_workshop


class OwnSerializer(serializers.Serializer[Any]):
    """Which of the parts are the workshop's own."""

    id = serializers.CharField()
    version = serializers.IntegerField()
    updated_by = serializers.CharField(allow_null=True)
    trouble = serializers.CharField()


class ReadableSerializer(serializers.Serializer[Any]):
    """A receiver protocol that boards read, and whether a port needs the receiver's job for it; pulses come in on inputs."""

    name = serializers.CharField()
    needs_job = serializers.BooleanField()


class PartsSerializer(serializers.Serializer[Any]):
    """What a workshop can choose from, and what can be chosen from elsewhere in a craft document."""

    airframes = serializers.ListField(child=serializers.CharField())
    jobs = serializers.ListField(child=serializers.CharField())
    modes = serializers.ListField(child=serializers.CharField())
    protocols = ReadableSerializer(many=True)
    regions = serializers.ListField(child=serializers.CharField())
    sensors = serializers.ListField(child=serializers.CharField())
    servo_roles = serializers.ListField(child=serializers.ChoiceField(choices=get_args(ServoRole)))
    servos = serializers.ListField(child=serializers.CharField())
    boards = CoreField(Board, many=True)
    receivers = CoreField(Receiver, many=True)
    transmitters = CoreField(Transmitter, many=True)
    modules = CoreField(Module, many=True)
    peripherals = CoreField(Peripheral, many=True)
    packs = CoreField(Pack, many=True)
    own = OwnSerializer(many=True)


class PartSchemasSerializer(serializers.Serializer[Any]):
    """A JSON Schema for each kind of part."""

    schemas = serializers.DictField(child=serializers.JSONField())


class SavePartSerializer(serializers.Serializer[Any]):
    """A part's facts. `version`: the one that the change was made from; none for a new part."""

    version = serializers.IntegerField(min_value=1, allow_null=True, required=False)
    facts = serializers.JSONField()


class PartProblemSerializer(serializers.Serializer[Any]):
    """One fault: where, and what."""

    place = serializers.CharField(allow_blank=True)
    text = serializers.CharField()


class CheckedSerializer(serializers.Serializer[Any]):
    """What the check says of a part's facts; no problems where it could be saved."""

    problems = PartProblemSerializer(many=True)


class SavedPartSerializer(serializers.Serializer[Any]):
    """A saved part."""

    id = serializers.CharField()
    version = serializers.IntegerField()


class ImportedSerializer(serializers.Serializer[Any]):
    """What came of an import."""

    added = serializers.ListField(child=serializers.CharField())
    replaced = serializers.ListField(child=serializers.CharField())


def _refused(error: PartError) -> Response:
    return Response({"detail": str(error), "problems": [{"place": place, "text": text} for place, text in error.problems]}, status=422)


class PartsView(APIView):
    """A workshop's parts."""

    @extend_schema(responses={200: PartsSerializer, 404: ProblemSerializer})
    def get(self, request: Request, workshop_id: int) -> Response:
        """Every part with its facts."""
        workshop = find_workshop(request, workshop_id)
        known = sorted(catalogue_of(workshop.pk).values(), key=lambda each: each.name)
        parts = [each.model_dump(mode="json") for each in known]
        choices: dict[str, Any] = {
            "airframes": get_args(Airframe),
            "jobs": get_args(Job),
            "modes": get_args(Mode),
            "protocols": [{"name": name, "needs_job": spec.wire == "serial"} for name, spec in RECEIVER_PROTOCOLS.items()],
            "regions": get_args(Region),
            "sensors": get_args(Sensor),
            "servo_roles": get_args(ServoRole),
            "servos": [each["id"] for each, part in zip(parts, known, strict=True) if isinstance(part, Peripheral) and part.servo],
            "own": [_own(each) for each in workshop.own_parts.select_related("updated_by")],
        }
        kinds = ("board", "receiver", "transmitter", "module", "peripheral", "pack")
        return Response(choices | {f"{kind}s": [each for each in parts if each["kind"] == kind] for kind in kinds})

    @extend_schema(
        request=SavePartSerializer,
        responses={200: SavedPartSerializer, 400: ProblemSerializer, 404: ProblemSerializer, 409: ProblemSerializer, 422: ProblemSerializer},
    )
    def post(self, request: Request, workshop_id: int) -> Response:
        """Add a part, or save a newer state of one."""
        workshop = find_workshop(request, workshop_id, "build")
        form = SavePartSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        try:
            saved = save(workshop, form.validated_data["facts"], form.validated_data.get("version"), request.user)
        except PartError as error:
            return _refused(error)
        except StalePart as stale:
            who = stale.part.updated_by.get_username() if stale.part.updated_by else "somebody"
            return Response(
                {"detail": f"{who} has saved this part meanwhile (version {stale.part.version}); look at that one, then make your change again"}, status=409
            )
        return Response({"id": saved.part_id, "version": saved.version})


def _own(part: OwnPart) -> dict[str, Any]:
    trouble = ""
    try:
        own_part(part.facts)
    except PartError as error:
        trouble = str(error)
    return {"id": part.part_id, "version": part.version, "updated_by": part.updated_by.get_username() if part.updated_by else None, "trouble": trouble}


class PartSchemasView(APIView):
    """What a part of each kind is made of."""

    @extend_schema(responses={200: PartSchemasSerializer})
    def get(self, request: Request) -> Response:
        """The form's outline."""
        return Response({"schemas": part_schemas()})


class PartView(APIView):
    """One own part."""

    @extend_schema(responses={204: None, 404: ProblemSerializer, 422: ProblemSerializer})
    def delete(self, request: Request, workshop_id: int, part_id: str) -> Response:
        """Take it out; refused while a craft has it."""
        workshop = find_workshop(request, workshop_id, "build")
        if not workshop.own_parts.filter(part_id=part_id).exists():
            raise NotFound("this workshop has no such part of its own")
        try:
            delete(workshop, part_id)
        except PartInUse as error:
            return Response({"detail": str(error)}, status=422)
        return Response(status=204)


class CheckPartView(APIView):
    """The live check of the form."""

    @extend_schema(request=SavePartSerializer, responses={200: CheckedSerializer, 400: ProblemSerializer, 404: ProblemSerializer})
    def post(self, request: Request, workshop_id: int) -> Response:
        """What is wrong with these facts, place by place."""
        find_workshop(request, workshop_id)
        form = SavePartSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        try:
            own_part(form.validated_data["facts"])
        except PartError as error:
            return Response({"problems": [{"place": place, "text": text} for place, text in error.problems]})
        return Response({"problems": []})


class PartsFileView(APIView):
    """Own parts as a file."""

    @extend_schema(responses={200: OpenApiTypes.OBJECT, 404: ProblemSerializer})
    def get(self, request: Request, workshop_id: int) -> HttpResponse:
        """All own parts as JSON."""
        answer = JsonResponse(exported(find_workshop(request, workshop_id)), json_dumps_params={"indent": 1, "ensure_ascii": False})
        answer["Content-Disposition"] = 'attachment; filename="parts.json"'
        return answer

    @extend_schema(request=OpenApiTypes.OBJECT, responses={200: ImportedSerializer, 404: ProblemSerializer, 422: ProblemSerializer})
    def post(self, request: Request, workshop_id: int) -> Response:
        """Take the parts of such a file: all of them, or none."""
        workshop = find_workshop(request, workshop_id, "build")
        try:
            added, replaced = import_parts(workshop, request.data, request.user)
        except PartError as error:
            return _refused(error)
        return Response({"added": added, "replaced": replaced})
