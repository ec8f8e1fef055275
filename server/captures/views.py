"""What the browser sees of a recording that has been read: its frames over time, one frame laid open, a stretch of the line."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from linkcore.craft.document import ReceiverInput
from linkcore.craft.parts import KitParts
from linkcore.hops.line.compare import what_would_read
from linkcore.hops.line.inspect import extent, lay_open, stretch
from linkcore.hops.line.view import LineReading
from linkcore.protocols.base import ProtocolSpec, SerialSpec
from linkcore.protocols.registry import PROTOCOLS, RECEIVER_PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import WRONG, ReceivedBytes, UartSettings, Wrong, read_all

SHOWN_BYTES = 500
LOOK_S = 1.0
LEAD_S = 0.012
MOST_FRAMES = 400_000


class ReadingView(BaseModel):
    """A recording that has been read. `kinds` one letter a frame (g good, l frame lost, f failsafe, b damaged, t telemetry, p poll), `times` s."""

    line: str
    lines: list[str]
    timed: bool
    protocol: str | None
    what: str
    is_receiver: bool
    baud: int | None
    framing: str | None
    inverted: bool
    idle: str | None
    measured_baud: float | None
    frames_per_s: float | None
    why: list[str]
    duration_s: float | None
    frames: int
    bad_frames: int
    bytes: int
    framing_errors: int
    parity_errors: int
    counts: dict[str, int]
    kinds: str
    times: list[float] = Field(description="Of each frame, s; empty where bytes came without times")
    bit_s: float | None
    byte_s: float | None
    notes: list[str]


class PortComparison(BaseModel):
    """What a port with the draft's settings would read of the recording's first second. `says` the settings in words, `reads` the share of whole frames,
    `fits` whether it reads the line with these settings."""

    says: str
    reads: float
    fits: bool
    would_read: list[LineReading]


class ReadingNews(BaseModel):
    """A line of the stream while a recording is read: how far it is, and at the end what was found or what went wrong."""

    progress: float | None = None
    says: str = ""
    done: ReadingView | None = None
    error: str | None = None


class FieldView(BaseModel):
    """A stretch of bits of a frame laid open."""

    name: str
    bit: int
    bits: int
    value: int
    means: str
    ok: bool


class ByteView(BaseModel):
    """A byte as a port reads it: when its start bit came (s), its value, what is wrong with it."""

    t: float
    value: int
    wrong: Wrong


class FrameView(BaseModel):
    """One frame laid open. `wire` its bytes as they stood on the wire, `inner` those that the fields count in."""

    index: int
    t: float | None
    end: float | None
    kind: str
    why: str
    channels: list[float]
    numbers: list[int]
    values: dict[str, float | int | str]
    sensor: str
    wire: list[ByteView]
    inner: list[int]
    fields: list[FieldView]


class WindowView(BaseModel):
    """A stretch of the line. `toggles` s, or `busy` (how much moved in each of many columns) where there are too many; bytes where few enough."""

    start: float
    end: float
    level: int
    toggles: list[float]
    busy: list[int] | None
    bytes: list[ByteView]
    port_bytes: list[ByteView]


class Reading:
    """The flat files of a reading, opened without loading them. Raise FileNotFoundError where the recording was not read (here) yet."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.meta: dict[str, Any] = json.loads((folder / "meta.json").read_text())
        self.edges = self._flat("edges.f64", np.float64)
        self.data = self._flat("data.u8", np.uint8)
        self.times = self._flat("times.f64", np.float64)
        self.errors = self._flat("errors.u8", np.uint8)
        self.frame_times = self._flat("frame_times.f64", np.float64)
        self.frame_kinds = self._flat("frame_kinds.u8", np.uint8)
        self._places = self._flat("frame_places.i64", np.int64)
        self.spec: ProtocolSpec | None = PROTOCOLS.get(self.meta["protocol"] or "")

    def _flat(self, name: str, kind: Any) -> NDArray[Any]:
        path = self._folder / name
        return np.memmap(path, dtype=kind, mode="r") if path.stat().st_size else np.empty(0, dtype=kind)

    @property
    def uart(self) -> UartSettings | None:
        """How the line was sampled; None for pulses and for bytes without times."""
        if not isinstance(self.spec, SerialSpec) or not self.meta["timed"]:
            return None
        uart = self.spec.uart.with_inversion(self.meta["inverted"])
        return UartSettings(self.meta["baud"] or uart.baud, uart.data_bits, uart.parity, uart.stop_bits, uart.inverted)

    def view(self) -> ReadingView:
        """What is told once it is read."""
        meta, found, summary = self.meta, self.meta["found"], self.meta["summary"]
        shown = slice(0, MOST_FRAMES)
        uart = self.uart
        return ReadingView(
            line=meta["line"] or "",
            lines=meta["lines"],
            timed=meta["timed"],
            protocol=meta["protocol"],
            what=found["what"],
            is_receiver=meta["protocol"] in RECEIVER_PROTOCOLS or found["what"] == "unknown",
            baud=meta["baud"],
            framing=meta["framing"],
            inverted=meta["inverted"],
            idle=found["idle"],
            measured_baud=found["measured_baud"],
            frames_per_s=found["frames_per_s"],
            why=found["why"],
            duration_s=summary["duration_s"],
            frames=summary["frames"],
            bad_frames=summary["bad_frames"],
            bytes=summary["bytes"],
            framing_errors=summary["framing_errors"],
            parity_errors=summary["parity_errors"],
            counts=meta["kinds"],
            kinds=self.frame_kinds[shown].tobytes().decode(),
            times=np.round(self.frame_times[shown], 6).tolist() if meta["timed"] else [],
            bit_s=uart.bit_s if uart else None,
            byte_s=uart.byte_s if uart else None,
            notes=meta["notes"] + ([f"the strip shows the first {MOST_FRAMES} frames"] if len(self.frame_kinds) > MOST_FRAMES else []),
        )

    def port(self, set_to: ReceiverInput, parts: KitParts) -> PortComparison:
        """What a port with these settings would read, and which settings would."""
        spec = RECEIVER_PROTOCOLS.get(set_to.protocol or "")
        says = spec.describe(set_to.inverted) if spec else "no protocol is set"
        if not self.meta["timed"] or not len(self.edges):
            return PortComparison(says=says, reads=0.0, fits=False, would_read=[])
        end = float(self.edges[0]) + LOOK_S
        edges = Edges(self.meta["level"], np.asarray(self.edges[: int(np.searchsorted(self.edges, end))]))
        ways = what_would_read(edges, end, set_to, parts.maybe_board)
        as_set = next((way for way in ways if not way.changes), None)
        return PortComparison(says=says, reads=as_set.good_share if as_set else 0.0, fits=as_set is not None, would_read=[LineReading.of(way) for way in ways])

    def frame(self, index: int) -> FrameView | None:
        """One frame laid open; None where there is none with this number."""
        if not 0 <= index < len(self.frame_times):
            return None
        end = int(self._places[index + 1]) if index + 1 < len(self._places) else None
        with (self._folder / "frames.jsonl").open("rb") as file:
            file.seek(int(self._places[index]))
            told = json.loads(file.read(-1 if end is None else end - int(self._places[index])))
        place = told["t"]
        opened = lay_open(self.spec, self._bytes_of(index, place)) if self.spec and place is not None else None
        t = place if self.meta["timed"] else None
        channels = told.get("channels", [])
        wire = _byte_views(opened.times, list(opened.data), opened.errors) if opened else []
        uart = self.uart
        return FrameView(
            index=index,
            t=t,
            end=wire[-1].t + uart.byte_s if wire and uart else t + sum(channels) * 1e-6 if t is not None and channels else None,
            kind=chr(int(self.frame_kinds[index])),
            why=told.get("why", told.get("asks", "")),
            channels=channels,
            numbers=told.get("numbers", list(range(1, len(channels) + 1))),
            values=told.get("values", {}),
            sensor=told.get("sensor", ""),
            wire=wire,
            inner=list(opened.inner) if opened else [],
            fields=[FieldView(**vars(field)) for field in opened.fields] if opened else [],
        )

    def _bytes_of(self, index: int, t: float) -> ReceivedBytes:
        """A frame's bytes; without times `t` is the place of its first one, and a byte takes one place."""
        byte_s = self.uart.byte_s if self.uart else 1.0
        if not isinstance(self.spec, SerialSpec):
            return ReceivedBytes(np.empty(0, np.uint8), np.empty(0), np.empty(0, np.uint8))
        next_t = float(self.frame_times[index + 1]) if index + 1 < len(self.frame_times) else None
        part = extent(self.times, t, next_t, byte_s)
        return ReceivedBytes(np.asarray(self.data[part]), np.asarray(self.times[part]), np.asarray(self.errors[part]))

    def window(self, start: float, end: float, port: UartSettings | None) -> WindowView:
        """The line from `start` to `end` (s), its bytes, and what a port with other settings reads of the same levels."""
        shown = stretch(self.edges, self.meta["level"], start, end)
        first, last = np.searchsorted(self.times, [start, end]) if self.uart else (0, 0)
        read: list[ByteView] = []
        if last - first <= SHOWN_BYTES:
            read = _byte_views(self.times[first:last].tolist(), self.data[first:last].tolist(), self.errors[first:last].tolist())
        other: list[ByteView] = []
        if port is not None and shown.busy is None:
            before = int(np.searchsorted(self.edges, start - LEAD_S))
            until = int(np.searchsorted(self.edges, end + 2 * port.byte_s))
            edges = Edges(self.meta["level"] ^ (before & 1), np.asarray(self.edges[before:until]))
            heard = read_all(edges, port, end + 3 * port.byte_s)
            inside = (heard.times >= start) & (heard.times <= end)
            other = _byte_views(heard.times[inside].tolist(), heard.data[inside].tolist(), heard.errors[inside].tolist())[:SHOWN_BYTES]
        return WindowView(start=shown.start, end=shown.end, level=shown.level, toggles=shown.toggles, busy=shown.busy, bytes=read, port_bytes=other)


def _byte_views(times: list[float], values: list[int], errors: list[int]) -> list[ByteView]:
    return [ByteView(t=round(t, 9), value=value, wrong=WRONG[error]) for t, value, error in zip(times, values, errors, strict=True)]
