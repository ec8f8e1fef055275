"""Flights' logs over HTTP: handed in, kept with a craft, and read for its alarm line."""

from __future__ import annotations

import json
import sys
import uuid
from collections.abc import AsyncIterator
from typing import Annotated, Any

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel, Field, TypeAdapter, ValidationError
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.craft.parts import KitParts
from linkcore.devices.budget import ONE_IN_A_HUNDRED_DB, chosen_rate, frame_period_s
from linkcore.hops.lost_link.alarm import AlarmLine, lq_by_grace
from linkcore.hops.lost_link.timeline import react
from linkcore.signal.flight_log import Role
from server.captures.handed_in import FileSerializer, hand_in
from server.captures.models import Recording
from server.captures.services import Unreadable, put_on_disk, run_reading
from server.crafts.access import find_craft
from server.parts.models import catalogue_of
from server.problems import REFUSED, ProblemSerializer

CSV, MAVLINK = "log", "mav"  # how a log's file is called on this machine
ENDINGS = {".csv": CSV, ".txt": CSV, ".tlog": MAVLINK}
_Columns = Annotated[dict[Role, Annotated[int, Field(ge=0, le=999)]], Field(max_length=9)]
_ROLES: TypeAdapter[dict[Role, int]] = TypeAdapter(_Columns)
_MARGIN: TypeAdapter[float] = TypeAdapter(Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)])


class AlarmFound(BaseModel):
    """What a log has come to. `lq_by_grace`: the link quality at which gaps that outlast this craft's grace come once in 1,000 minutes; None where the board never learns of a loss.

    `noise_db`: how far above what the receiver understands in quiet air (`sensitivity_dbm`) loss begins; None where the log is not in dBm, or tells only a bound.
    """

    found: AlarmLine
    lq_by_grace: float | None
    sensitivity_dbm: float | None
    noise_db: float | None


class FlightNews(BaseModel):
    """A line of the stream while a log is read: how far it is; its headings, and which column was taken for what; at the end what was found or what went wrong."""

    progress: float | None = None
    says: str = ""
    heads: list[str] | None = None
    roles: dict[Role, int] | None = None
    done: AlarmFound | None = None
    error: str | None = None


class FlightSerializer(serializers.Serializer[Any]):
    """A flight's log."""

    id = serializers.UUIDField()
    name = serializers.CharField()
    heard_from = serializers.ChoiceField(choices=Recording.Source.values)
    size = serializers.IntegerField()
    kept = serializers.BooleanField()
    made_at = serializers.DateTimeField()
    made_by = serializers.CharField(allow_null=True)


def _row(log: Recording) -> dict[str, Any]:
    by = log.made_by.get_username() if log.made_by else None
    return {name: getattr(log, name) for name in ("id", "name", "size", "kept", "made_at")} | {"heard_from": log.source, "made_by": by}


class FlightsView(APIView):
    """The flights' logs of a craft."""

    parser_classes = [MultiPartParser]

    @extend_schema(responses={200: FlightSerializer(many=True), 404: ProblemSerializer})
    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The newest first."""
        craft = find_craft(request, craft_id)
        logs = craft.recordings.filter(kind__in=(CSV, MAVLINK)).select_related("made_by")
        return Response(FlightSerializer([_row(each) for each in logs], many=True).data)

    @extend_schema(request={"multipart/form-data": FileSerializer}, responses={201: FlightSerializer, 413: ProblemSerializer, **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Hand in a log. It is lent for a day until it is kept."""
        made = hand_in(request, craft_id, ENDINGS, "a flight's log ends in .csv (rows with headings) or .tlog (MAVLink telemetry); export it as one of these")
        return Response(FlightSerializer(_row(made)).data, status=201)


async def alarm_stream(request: HttpRequest, recording_id: uuid.UUID) -> HttpResponse | StreamingHttpResponse:
    """Read a log, and tell how far it is: a FlightNews a line. Leaving off stops it."""
    user = await request.auser()
    if not user.is_authenticated:
        return JsonResponse({"detail": "sign in first"}, status=403)
    if request.method != "GET":
        return JsonResponse({"detail": "only GET reads"}, status=405)
    log = await Recording.objects.seen_by(user).select_related("craft").filter(pk=recording_id, kind__in=(CSV, MAVLINK)).afirst()
    if log is None:
        return JsonResponse({"detail": "there is no such log (any more)"}, status=404)
    try:
        margin = _MARGIN.validate_python(request.GET["margin"]) if "margin" in request.GET else None
        roles = _ROLES.validate_json(request.GET["roles"]) if "roles" in request.GET else None
    except ValidationError:
        return JsonResponse({"detail": "the margin is 0 to 60, and columns are named by role and number"}, status=400)
    return StreamingHttpResponse(_news(log, margin, roles), content_type="application/x-ndjson", headers={"X-Accel-Buffering": "no"})


async def _news(log: Recording, margin: float | None, roles: dict[Role, int] | None) -> AsyncIterator[bytes]:
    yield _told(FlightNews(progress=0.0, says="fetching the log"))
    try:
        path = await sync_to_async(put_on_disk)(log)
        command = [sys.executable, "-m", "commands.flight", str(path)]
        command += [] if margin is None else ["--margin", str(margin)]
        command += [] if roles is None else ["--roles", json.dumps(roles)]
        async for told in run_reading(command, path, log.name):
            if "done" in told:
                found = await sync_to_async(_beside_the_craft)(AlarmLine.model_validate(told["done"]), log)
                yield _told(FlightNews(progress=1.0, done=found))
            else:
                yield _told(FlightNews.model_validate(told))
    except Unreadable as error:
        yield _told(FlightNews(error=str(error)))


def _beside_the_craft(found: AlarmLine, log: Recording) -> AlarmFound:
    """What the log says, beside what this craft's receiver understands and what its grace bears."""
    document = log.craft.read()
    parts = KitParts.of(document, catalogue_of(log.craft.workshop_id))
    if not parts.whole:
        return AlarmFound(found=found, lq_by_grace=None, sensitivity_dbm=None, noise_db=None)
    reacts_s, receiver = react(document, parts).reacts_s, parts.receiver
    by_grace = None if reacts_s is None else lq_by_grace(reacts_s, frame_period_s(document.air, receiver))
    quiet = chosen_rate(document.air, receiver.radio, receiver.link_period_s).sensitivity_dbm
    told = found.begins_at is not None and found.signal == "rssi_dbm" and not found.only_a_bound
    noise = round(found.begins_at - quiet - ONE_IN_A_HUNDRED_DB, 1) if told and found.begins_at is not None else None
    return AlarmFound(found=found, lq_by_grace=by_grace, sensitivity_dbm=quiet, noise_db=noise)


def _told(news: FlightNews) -> bytes:
    return news.model_dump_json().encode() + b"\n"
