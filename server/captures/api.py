"""Recordings over HTTP: handed in, kept with a craft, read, looked at part by part, and handed out again in open formats."""

from __future__ import annotations

import uuid
from collections.abc import AsyncIterator, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from asgiref.sync import sync_to_async
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.craft.document import CraftError
from linkcore.craft.parts import KitParts
from linkcore.protocols.base import SerialSpec
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.signal import writing
from linkcore.signal.edges import Edges
from server.captures import views
from server.captures.handed_in import FileSerializer, hand_in
from server.captures.models import Recording
from server.captures.services import Unreadable, put_on_disk, read_line, read_now, reading_folder
from server.captures.views import Reading, ReadingNews, ReadingView
from server.crafts.access import find_craft
from server.parsing import StrictJSONParser
from server.parts.models import catalogue_of
from server.problems import REFUSED, ProblemSerializer, Unprocessable
from server.schema import CoreField
from server.workshops.access import demand

KINDS = ("vcd", "csv", "bin")
_LINE = OpenApiParameter("line", str, description="Which line of a file that holds several")


class RecordingSerializer(serializers.Serializer[Any]):
    """A recording of a line."""

    id = serializers.UUIDField()
    name = serializers.CharField()
    kind = serializers.ChoiceField(choices=KINDS)
    heard_from = serializers.ChoiceField(choices=Recording.Source.values)
    what = serializers.CharField()
    size = serializers.IntegerField()
    kept = serializers.BooleanField()
    made_at = serializers.DateTimeField()
    made_by = serializers.CharField(allow_null=True)


class RecordingChangeSerializer(serializers.Serializer[Any]):
    """What can be changed of a recording: whether it stays with the craft, and its name."""

    kept = serializers.BooleanField(required=False)
    name = serializers.CharField(required=False, min_length=1, max_length=120)


class FrameAnswer(serializers.Serializer[Any]):
    """A frame laid open."""

    frame = CoreField(views.FrameView)


class WindowAnswer(serializers.Serializer[Any]):
    """A stretch of the line."""

    window = CoreField(views.WindowView)


class PortAnswer(serializers.Serializer[Any]):
    """What the port would read, and of which draft that is said."""

    version = serializers.IntegerField()
    port = CoreField(views.PortComparison)


class WindowQuery(serializers.Serializer[Any]):
    """Which stretch, s; `port`: beside it what the craft's port would read of it."""

    line = serializers.CharField(required=False, allow_blank=True, default="")
    start = serializers.FloatField()
    end = serializers.FloatField()
    port = serializers.BooleanField(required=False, default=False)


def _row(recording: Recording) -> dict[str, Any]:
    names = ("id", "name", "kind", "what", "size", "kept", "made_at")
    by = recording.made_by.get_username() if recording.made_by else None
    return {name: getattr(recording, name) for name in names} | {"heard_from": recording.source, "made_by": by}


def _find(user: Any, recording_id: uuid.UUID) -> Recording:
    found = Recording.objects.seen_by(user).select_related("made_by", "craft").filter(pk=recording_id).first()
    if found is None:
        raise NotFound("there is no such recording (any more)")
    return found


def _reading(recording: Recording, line: str) -> Reading:
    try:
        if not (reading_folder(recording, line) / "meta.json").exists():
            read_now(recording, line)  # another machine has read it, or its files were cleared away
        return Reading(reading_folder(recording, line))
    except Unreadable as error:
        raise Unprocessable(str(error)) from error


class RecordingsView(APIView):
    """The recordings of a craft."""

    parser_classes = [MultiPartParser]

    @extend_schema(responses={200: RecordingSerializer(many=True), 404: ProblemSerializer})
    def get(self, request: Request, craft_id: uuid.UUID) -> Response:
        """The newest first, those that are only lent among them."""
        craft = find_craft(request, craft_id)
        lines = craft.recordings.filter(kind__in=KINDS).select_related("made_by")
        return Response(RecordingSerializer([_row(each) for each in lines], many=True).data)

    @extend_schema(request={"multipart/form-data": FileSerializer}, responses={201: RecordingSerializer, 413: ProblemSerializer, **REFUSED})
    def post(self, request: Request, craft_id: uuid.UUID) -> Response:
        """Hand in a capture. It is lent until it is kept."""
        endings = {f".{kind}": kind for kind in KINDS}
        made = hand_in(request, craft_id, endings, "the ending says neither .vcd, .csv nor .bin; rename it to what it is")
        return Response(RecordingSerializer(_row(made)).data, status=201)


class RecordingView(APIView):
    """One recording."""

    parser_classes = [StrictJSONParser]

    @extend_schema(responses={200: RecordingSerializer, 404: ProblemSerializer})
    def get(self, request: Request, recording_id: uuid.UUID) -> Response:
        """What it is, not what is in it."""
        return Response(RecordingSerializer(_row(_find(request.user, recording_id))).data)

    @extend_schema(request=RecordingChangeSerializer, responses={200: RecordingSerializer, **REFUSED})
    def patch(self, request: Request, recording_id: uuid.UUID) -> Response:
        """Keep it with the craft, or let it go again; name it."""
        recording = _find(request.user, recording_id)
        demand(request.user, recording.craft.workshop_id, "check")
        change = RecordingChangeSerializer(data=request.data)
        change.is_valid(raise_exception=True)
        for name, value in change.validated_data.items():
            setattr(recording, name, value)
        recording.save(update_fields=["kept", "name"])
        return Response(RecordingSerializer(_row(recording)).data)

    @extend_schema(responses={204: None, 404: ProblemSerializer})
    def delete(self, request: Request, recording_id: uuid.UUID) -> Response:
        """Throw it away."""
        recording = _find(request.user, recording_id)
        demand(request.user, recording.craft.workshop_id, "build")
        recording.delete()
        return Response(status=204)


class FrameView(APIView):
    """A frame of a recording that has been read."""

    @extend_schema(parameters=[_LINE], responses={200: FrameAnswer, 404: ProblemSerializer, 422: ProblemSerializer})
    def get(self, request: Request, recording_id: uuid.UUID, index: int) -> Response:
        """Lay it open."""
        reading = _reading(_find(request.user, recording_id), request.query_params.get("line", ""))
        frame = reading.frame(index)
        if frame is None:
            raise NotFound(f"there is no frame {index}")
        return Response({"frame": frame.model_dump(mode="json")})


class WindowView(APIView):
    """A stretch of the line of a recording that has been read."""

    @extend_schema(parameters=[WindowQuery], responses={200: WindowAnswer, 400: ProblemSerializer, 404: ProblemSerializer, 422: ProblemSerializer})
    def get(self, request: Request, recording_id: uuid.UUID) -> Response:
        """Levels and bytes from `start` to `end`."""
        asked = WindowQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        recording = _find(request.user, recording_id)
        reading = _reading(recording, asked.validated_data["line"])
        start, end = asked.validated_data["start"], asked.validated_data["end"]
        if not start < end:
            raise serializers.ValidationError({"end": ["must lie after start"]})
        port = None
        if asked.validated_data["port"]:
            chosen = recording.craft.read().settings.receiver_input
            spec = RECEIVER_PROTOCOLS.get(chosen.protocol or "")
            port = spec.uart.with_inversion(chosen.inverted) if isinstance(spec, SerialSpec) else None
        return Response({"window": reading.window(start, end, port).model_dump(mode="json")})


class PortView(APIView):
    """A recording beside the craft's receiver port."""

    @extend_schema(parameters=[_LINE], responses={200: PortAnswer, 404: ProblemSerializer, 422: ProblemSerializer})
    def get(self, request: Request, recording_id: uuid.UUID) -> Response:
        """What the port would read of it as the newest draft sets it, and which settings would."""
        recording = _find(request.user, recording_id)
        document = recording.craft.read()
        parts = KitParts.of(document, catalogue_of(recording.craft.workshop_id))
        reading = _reading(recording, request.query_params.get("line", ""))
        return Response({"version": recording.craft.version, "port": reading.port(document.settings.receiver_input, parts).model_dump(mode="json")})


class RecordingFileView(APIView):
    """A recording as a file."""

    @extend_schema(parameters=[_LINE], responses={(200, "application/octet-stream"): OpenApiTypes.BINARY, 404: ProblemSerializer, 422: ProblemSerializer})
    def get(self, request: Request, recording_id: uuid.UUID, kind: str) -> HttpResponse | StreamingHttpResponse:
        """As it came, or one line of it in another of the open formats."""
        recording = _find(request.user, recording_id)
        line = request.query_params.get("line", "")
        name = f"{Path(recording.name).stem}{'-' + line if line and kind != recording.kind else ''}.{kind}"
        if kind == recording.kind:
            return FileResponse(put_on_disk(recording).open("rb"), as_attachment=True, filename=name)
        reading = _reading(recording, line)
        if kind == "bin":
            pieces: Iterator[bytes] = iter([reading.data.tobytes()])
            if not len(reading.data):
                raise Unprocessable("no bytes were read on this line; pulses are saved as .vcd or .csv")
        elif not reading.meta["timed"]:
            raise Unprocessable("bytes without times have no levels; save them as .bin")
        else:
            edges = Edges(reading.meta["level"], np.asarray(reading.edges))
            write = writing.vcd if kind == "vcd" else writing.table
            pieces = write(edges, reading.meta["summary"]["duration_s"] or 0.0)
        return FileResponse(_Pieces(pieces), as_attachment=True, filename=name)


class _Pieces:
    """An iterator of bytes with the `read` that a file response asks for."""

    def __init__(self, pieces: Iterator[bytes]) -> None:
        self._pieces = pieces

    def read(self, _: int = -1) -> bytes:
        """The next piece."""
        return next(self._pieces, b"")

    def close(self) -> None:
        """Nothing to let go of."""


async def reading_stream(request: HttpRequest, recording_id: uuid.UUID) -> HttpResponse | StreamingHttpResponse:
    """Read a recording, and tell how far it is: a ReadingNews a line. Leaving off stops it."""
    user = await request.auser()
    if not user.is_authenticated:
        return JsonResponse({"detail": "sign in first"}, status=403)
    if request.method != "GET":
        return JsonResponse({"detail": "only GET reads"}, status=405)
    recording = await Recording.objects.seen_by(user).select_related("craft").filter(pk=recording_id).afirst()
    if recording is None:
        return JsonResponse({"detail": "there is no such recording (any more)"}, status=404)
    return StreamingHttpResponse(_news(recording, request.GET.get("line", "")), content_type="application/x-ndjson", headers={"X-Accel-Buffering": "no"})


async def _news(recording: Recording, line: str) -> AsyncIterator[bytes]:
    yield _told(ReadingNews(progress=0.0, says="fetching the recording"))
    try:
        path = await sync_to_async(put_on_disk)(recording)
        into = reading_folder(recording, line)
        async for told in read_line(path, recording.name, line, into):
            yield _told(ReadingNews(progress=told["progress"], says=told["says"]))
        yield _told(ReadingNews(progress=1.0, done=await sync_to_async(_finished)(recording, line)))
    except (Unreadable, CraftError) as error:
        yield _told(ReadingNews(error=str(error)))


def _finished(recording: Recording, line: str) -> ReadingView:
    view = Reading(reading_folder(recording, line)).view()
    if recording.what != view.what:
        Recording.objects.filter(pk=recording.pk).update(what=view.what)
    return view


def _told(news: ReadingNews) -> bytes:
    return news.model_dump_json().encode() + b"\n"
