"""Frames laid open: which bytes of what was read make up a frame, what each of their bits means, and a stretch of the line to draw."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from linkcore.protocols.base import BadFrame, ChannelFrame, Field, Frame, PollFrame, ProtocolSpec, SerialSpec
from linkcore.signal.edges import Times
from linkcore.signal.uart import ReceivedBytes

MOST_BYTES = 80
PAUSE_BYTES = 12  # a rest of so many byte times ends a frame, whatever its length byte says
MOST_TOGGLES = 4000
COLUMNS = 1200
KINDS = {"g": "good", "l": "frame lost", "f": "failsafe", "b": "damaged", "t": "telemetry", "p": "poll"}


def letter(frame: Frame) -> str:
    """A frame's kind in one letter, as in KINDS."""
    if isinstance(frame, BadFrame):
        return "b"
    if isinstance(frame, PollFrame):
        return "p"
    if isinstance(frame, ChannelFrame):
        return "f" if frame.failsafe else "l" if frame.frame_lost else "g"
    return "t"


@dataclass(frozen=True)
class LaidOpen:
    """One frame. `data` as it stood on the wire; `inner` what the fields count in: the same, or without flags and stuffing."""

    data: bytes
    times: list[float]
    errors: list[int]
    inner: bytes
    fields: list[Field]


def extent(times: NDArray[np.float64], t: float, next_t: float | None, byte_s: float) -> slice:
    """Which of the bytes that began at `times` (s) belong to the frame that began at `t`, the next one beginning at `next_t`."""
    start = int(np.searchsorted(times, t - byte_s / 2))
    end = len(times) if next_t is None else int(np.searchsorted(times, next_t - byte_s / 2))
    end = max(start + 1, min(end, start + MOST_BYTES, len(times)))
    rests = np.flatnonzero(np.diff(times[start:end]) > PAUSE_BYTES * byte_s)
    return slice(start, start + int(rests[0]) + 1 if len(rests) else end)


def lay_open(spec: ProtocolSpec, received: ReceivedBytes) -> LaidOpen:
    """The bytes of one frame, and what each of their bits means."""
    data = received.data.tobytes()
    if not isinstance(spec, SerialSpec) or not data:
        return LaidOpen(data, received.times.tolist(), received.errors.tolist(), data, [])
    inner = unwrapped(spec, data)
    fields = spec.explain(inner) if spec.explain and inner else []
    return LaidOpen(data, received.times.tolist(), received.errors.tolist(), inner, fields)


def unwrapped(spec: SerialSpec, data: bytes) -> bytes:
    """What stands between the flags, stuffing taken out; a poll of two bytes keeps its flag. Protocols without flags: the bytes themselves."""
    if spec.stuffing is None:
        return data[: spec.frame_bytes] if spec.frame_bytes and not spec.checksum else data
    flag, escape, flip = spec.stuffing
    begin = 0
    while begin + 1 < len(data) and data[begin] == flag and data[begin + 1] == flag:
        begin += 1
    body = data[begin:]
    if spec.flagged_poll and body[:1] == bytes((flag,)) and (len(body) <= 2 or body[2] != flag):
        return body[:2]
    body = body[1:] if body[:1] == bytes((flag,)) else body
    body = body.split(bytes((flag,)))[0]
    out, escaped = bytearray(), False
    for byte in body:
        if escaped:
            out.append(byte ^ flip)
        elif byte != escape:
            out.append(byte)
        escaped = byte == escape and not escaped
    return bytes(out)


@dataclass(frozen=True)
class Stretch:
    """The levels from `start` to `end` (s): every toggle, or, where there are too many to draw, the columns in which the line moved."""

    start: float
    end: float
    level: int
    toggles: list[float]
    busy: list[int] | None


def stretch(times: Times, first_level: int, start: float, end: float) -> Stretch:
    """What to draw of a line between two times; `times` are all its toggles, `first_level` its level before them."""
    first = int(np.searchsorted(times, start))
    last = int(np.searchsorted(times, end))
    level = first_level ^ (first & 1)
    if last - first <= MOST_TOGGLES:
        return Stretch(start, end, level, times[first:last].tolist(), None)
    edges = np.searchsorted(times[first:last], np.linspace(start, end, COLUMNS + 1))
    return Stretch(start, end, level, [], np.minimum(np.diff(edges), 9).tolist())
