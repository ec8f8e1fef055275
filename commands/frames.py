"""Channel frames read again from the JSON Lines that `./bell decode` prints."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from typing import Annotated, Literal

from pydantic import BaseModel, Field, ValidationError

from linkcore.protocols.base import ChannelFrame

Us = Annotated[float, Field(ge=0, le=4000, allow_inf_nan=False)]


class FramesError(ValueError):
    """The lines are not what decode prints. The text names the line."""


class _Line(BaseModel):
    kind: Literal["channels"]
    t: Annotated[float, Field(allow_inf_nan=False)] | None
    channels: list[Us] = Field(min_length=1, max_length=32)
    raw: list[int] = Field(default_factory=list)
    failsafe: bool = False
    frame_lost: bool = False
    numbers: list[Annotated[int, Field(ge=1, le=32)]] | None = None


def read_frames(lines: Iterable[str]) -> Iterator[ChannelFrame]:
    """Every channel frame, in order; other lines of decode's are passed over. Raise FramesError with the line where one cannot be read."""
    last = float("-inf")
    for number, text in enumerate(lines, 1):
        if not text.strip():
            continue
        try:
            data = json.loads(text)
        except json.JSONDecodeError as error:
            raise FramesError(f"line {number}: no JSON: {error.msg}; give what ./bell decode prints") from error
        if not isinstance(data, dict) or not data.keys() & {"kind", "line", "summary"}:
            raise FramesError(f"line {number}: no frame; give what ./bell decode prints")
        if data.get("kind") != "channels":
            continue
        try:
            found = _Line.model_validate(data)
        except ValidationError as error:
            first = error.errors()[0]
            raise FramesError(f"line {number}: {'/'.join(map(str, first['loc']))}: {first['msg']}") from error
        if found.t is None:
            raise FramesError(f"line {number}: this frame has no time; bytes alone (.bin) cannot tell how long a stick rested")
        if found.t < last:
            raise FramesError(f"line {number}: this frame is {last - found.t:.3f} s before the one above it; frames are to come in order")
        if found.numbers is not None and len(found.numbers) != len(found.channels):
            raise FramesError(f"line {number}: {len(found.numbers)} numbers for {len(found.channels)} channels")
        last = found.t
        yield ChannelFrame(found.t, tuple(found.channels), tuple(found.raw), found.failsafe, found.frame_lost, tuple(found.numbers) if found.numbers else None)
