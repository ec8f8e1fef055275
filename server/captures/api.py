"""Reading a capture file that the browser hands in.

The file is decoded by the headless command in a process of its own: with limits on time and memory, it cannot hurt the
benches, and what the screen shows is what `./bell decode` prints.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.problems import ProblemSerializer, Unprocessable

SHOWN_FRAMES = 400
TIME_LIMIT_S = 60
MEMORY_LIMIT = 2 << 30


class CaptureFormSerializer(serializers.Serializer[Any]):
    """A capture: VCD, CSV or raw bytes, as its ending says."""

    file = serializers.FileField()
    line = serializers.CharField(required=False, allow_blank=True, max_length=200)


class CaptureFrameSerializer(serializers.Serializer[Any]):
    """One frame: `kind` channels, telemetry or bad."""

    t = serializers.FloatField(allow_null=True)
    kind = serializers.ChoiceField(choices=["channels", "telemetry", "bad"])
    channels = serializers.ListField(child=serializers.FloatField(), required=False)
    failsafe = serializers.BooleanField(required=False)
    frame_lost = serializers.BooleanField(required=False)
    sensor = serializers.CharField(required=False)
    values = serializers.DictField(required=False)
    why = serializers.CharField(required=False)


class CaptureLineSerializer(serializers.Serializer[Any]):
    """How the line is read."""

    protocol = serializers.CharField(allow_null=True)
    baud = serializers.IntegerField(allow_null=True)
    data_bits = serializers.IntegerField(allow_null=True)
    parity = serializers.CharField(allow_null=True)
    stop_bits = serializers.IntegerField(allow_null=True)
    inverted = serializers.BooleanField(allow_null=True)


class CaptureSummarySerializer(serializers.Serializer[Any]):
    """Counts over the whole file."""

    frames = serializers.IntegerField()
    bad_frames = serializers.IntegerField()
    bytes = serializers.IntegerField()
    framing_errors = serializers.IntegerField()
    parity_errors = serializers.IntegerField()
    duration_s = serializers.FloatField(allow_null=True)


class CaptureSerializer(serializers.Serializer[Any]):
    """What is in a capture; `frames` are the first ones, `marks` one letter for every frame up to a limit."""

    name = serializers.CharField()
    lines = serializers.ListField(child=serializers.CharField())
    chosen_line = serializers.CharField()
    line = CaptureLineSerializer()
    why = serializers.ListField(child=serializers.CharField())
    frames = CaptureFrameSerializer(many=True)
    marks = serializers.CharField(allow_blank=True)
    summary = CaptureSummarySerializer()


def _limit() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_LIMIT, MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_CPU, (TIME_LIMIT_S, TIME_LIMIT_S))


def _command(*arguments: str) -> subprocess.CompletedProcess[str]:
    try:
        return subprocess.run(
            [sys.executable, "-m", "commands.decode", *arguments],
            cwd=settings.ROOT,
            capture_output=True,
            text=True,
            timeout=TIME_LIMIT_S,
            preexec_fn=_limit,
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise Unprocessable(f"the capture took longer than {TIME_LIMIT_S} s to read; cut it to the stretch you need") from error


def read_capture(path: Path, name: str, line: str) -> dict[str, Any]:
    """Everything the Line hop shows of a capture. Raise Unprocessable with the reader's own sentence."""
    chosen = ["--line", line] if line else []
    identified = _command("identify", *chosen, str(path))
    if identified.returncode != 0:
        raise Unprocessable(_reason(identified, path, name))
    found = json.loads(identified.stdout)
    decoded = _command("decode", "--bad", *chosen, str(path))
    if decoded.returncode not in (0, 3):
        raise Unprocessable(_reason(decoded, path, name))
    first, *frames, last = decoded.stdout.splitlines()
    shown = [json.loads(each) for each in frames[:SHOWN_FRAMES]]
    lines = json.loads(_command("lines", str(path)).stdout)
    picked = line or (found.get("line") or "")
    return {
        "name": name,
        "lines": lines,
        "chosen_line": picked,
        "line": json.loads(first)["line"],
        "why": found["why"],
        "frames": shown,
        "marks": "".join(_mark(each) for each in frames[:4000]),
        "summary": json.loads(last)["summary"],
    }


def _mark(text: str) -> str:
    if '"kind": "bad"' in text:
        return "b"
    if '"failsafe": true' in text:
        return "f"
    return "l" if '"frame_lost": true' in text else "g"


def _reason(done: subprocess.CompletedProcess[str], path: Path, name: str) -> str:
    lines = [each for each in done.stderr.splitlines() if each.startswith("bell: ")]
    if not lines:
        return f"{name} could not be read: it asks for more memory or time than a capture should"
    return lines[-1].removeprefix("bell: ").replace(path.name, name)


class CapturesView(APIView):
    """Captures are read and not kept."""

    parser_classes = [MultiPartParser]

    @extend_schema(
        request={"multipart/form-data": CaptureFormSerializer},
        responses={200: CaptureSerializer, 400: ProblemSerializer, 413: ProblemSerializer, 422: ProblemSerializer},
    )
    def post(self, request: Request) -> Response:
        """Say what is on the captured line and show its frames."""
        form = CaptureFormSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        upload = form.validated_data["file"]
        name = Path(upload.name).name
        with tempfile.TemporaryDirectory(prefix="capture-") as folder:
            path = Path(folder) / ("capture" + Path(name).suffix.lower())
            with path.open("wb") as target:
                for piece in upload.chunks():
                    target.write(piece)
            return Response(read_capture(path, name, form.validated_data.get("line", "")))
