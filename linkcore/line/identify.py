"""What is on this wire? Worked out from edges, or from bytes that a UART has already read."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from linkcore.protocols.base import BadFrame, Frame, ProtocolSpec
from linkcore.protocols.registry import PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import ReceivedBytes, UartSettings, read_all

BAUD_TOLERANCE = 0.03  # a sender may be this far off its nominal baud and is still called by it
_FULL_TRUST_FRAMES = 8


@dataclass(frozen=True)
class Alternative:
    """Another reading of the same signal."""

    protocol: str
    inverted: bool | None
    good_share: float
    good_frames: int


@dataclass(frozen=True)
class Identified:
    """The outcome: `protocol` None where nothing fits; `why` are sentences; `confidence` 0 to 1."""

    protocol: str | None
    confidence: float
    baud: int | None = None
    inverted: bool | None = None
    good_share: float = 0.0
    frames_per_s: float | None = None
    measured_baud: float | None = None
    idle: str | None = None
    why: list[str] = field(default_factory=list)
    alternatives: list[Alternative] = field(default_factory=list)


@dataclass(frozen=True)
class Tally:
    """How well some settings read a line."""

    good: int
    bad: int
    bytes_read: int
    errors: int
    frames: list[Frame]

    @property
    def good_share(self) -> float:
        """Good frames among all frames, 0 to 1."""
        return self.good / (self.good + self.bad) if self.good else 0.0

    @property
    def frames_per_s(self) -> float | None:
        """Frames a second, good and bad, from the first to the last; None where that cannot be told."""
        times = [frame.t for frame in self.frames if frame.t is not None]
        return (len(times) - 1) / (times[-1] - times[0]) if len(times) > 1 and times[-1] > times[0] else None


def decode_bytes(received: ReceivedBytes, spec: ProtocolSpec) -> Tally:
    """Run a protocol's decoder over bytes that a port has read."""
    decoder = spec.decoder()
    frames = decoder.feed(received.data.tobytes(), received.times.tolist(), received.errors.tolist())
    frames += decoder.finish()
    bad = sum(isinstance(frame, BadFrame) for frame in frames)
    return Tally(len(frames) - bad, bad, len(received), int(np.count_nonzero(received.errors)), frames)


def read_with(edges: Edges, end_s: float, spec: ProtocolSpec, settings: UartSettings) -> Tally:
    """Sample a recorded line with `settings` and run a protocol's decoder over what comes out."""
    return decode_bytes(read_all(edges, settings, end_s), spec)


def idle_level(edges: Edges, end_s: float) -> int:
    """The level of the longest rest (0 or 1), before the first edge and behind the last one included."""
    rests = np.diff(edges.times, prepend=0.0, append=max(end_s, edges.times[-1] if len(edges.times) else 0.0))
    return edges.level ^ (int(rests.argmax()) & 1)


def measure_baud(edges: Edges) -> float | None:
    """Bits a second, from the shortest pulses and their multiples; None where there are too few edges."""
    if len(edges.times) < 16:
        return None
    lengths = np.diff(edges.times)
    lengths = lengths[lengths > 0]
    shortest = float(np.quantile(lengths, 0.02))
    bit = float(np.median(lengths[lengths < 1.4 * shortest]))
    for _ in range(3):
        near = lengths[lengths < 9.5 * bit]
        multiples = np.round(near / bit)
        fits = (multiples > 0) & (np.abs(near / bit - multiples) < 0.25)
        if not fits.any():
            return None
        bit = float(near[fits].sum() / multiples[fits].sum())
    return 1 / bit


def identify_edges(edges: Edges, end_s: float) -> Identified:
    """Name what is on a line, from about a second of it that ends at `end_s` seconds."""
    if len(edges.times) == 0:
        rest = "high" if edges.level else "low"
        return Identified(
            None,
            0.0,
            idle=rest,
            why=[f"No edges in {end_s * 1000:.0f} ms: the line rests {rest}. Check power, ground, the pad and whether the receiver is bound."],
        )
    idle = idle_level(edges, end_s)
    inverted = idle == 0
    baud = measure_baud(edges)
    why = [f"Between bursts the line rests {'high' if idle else 'low'}, so it is {'inverted' if inverted else 'not inverted'}."]
    if baud is None:
        return Identified(None, 0.0, idle="high" if idle else "low", why=[*why, "Too few edges to measure a baud."])
    why.append(f"The shortest pulses and their multiples fit {baud:,.0f} baud.".replace(",", " "))

    readings: list[tuple[float, ProtocolSpec, UartSettings, Tally]] = []
    for spec in PROTOCOLS.values():
        settings = spec.uart.with_inversion(inverted)
        if abs(baud / spec.uart.baud - 1) <= 2 * BAUD_TOLERANCE:
            tally = read_with(edges, end_s, spec, settings)
            if tally.good:
                readings.append((_confidence(tally), spec, settings, tally))
    readings.sort(key=lambda reading: -reading[0])
    if not readings:
        return Identified(
            None, 0.0, measured_baud=baud, idle="high" if idle else "low", inverted=inverted, why=[*why, _what_else(edges, end_s, baud, inverted)]
        )
    confidence, spec, settings, tally = readings[0]
    why.append(f"{tally.good} of {tally.good + tally.bad} frames are whole {spec.name} frames of {spec.frame_bytes} bytes, read as {settings.framing}.")
    if inverted != spec.uart.inverted:
        why.append(f"{spec.name} is usually {'inverted' if spec.uart.inverted else 'not inverted'}; this output is the other way round.")
    return Identified(
        spec.name,
        confidence,
        baud=settings.baud,
        inverted=inverted,
        good_share=tally.good_share,
        frames_per_s=tally.frames_per_s,
        measured_baud=baud,
        idle="high" if idle else "low",
        why=why,
        alternatives=[Alternative(s.name, u.inverted, t.good_share, t.good) for _, s, u, t in readings[1:]],
    )


def identify_bytes(data: bytes) -> Identified:
    """Name what bytes without times are."""
    if not data:
        return Identified(None, 0.0, why=["The file holds no bytes."])
    readings = []
    for spec in PROTOCOLS.values():
        decoder = spec.decoder()
        frames = decoder.feed(data) + decoder.finish()
        bad = sum(isinstance(frame, BadFrame) for frame in frames)
        covered = (len(frames) - bad) * spec.frame_bytes / len(data)
        tally = Tally(len(frames) - bad, bad, len(data), 0, frames)
        if tally.good:
            readings.append((_confidence(tally) * min(1.0, 0.5 + covered), spec, tally))
    readings.sort(key=lambda reading: -reading[0])
    if not readings:
        return Identified(None, 0.0, why=[f"None of {', '.join(PROTOCOLS)} has a whole frame in these {len(data)} bytes.", *_text_hint(data)])
    confidence, spec, tally = readings[0]
    return Identified(
        spec.name,
        min(1.0, confidence),
        good_share=tally.good_share,
        why=[
            f"{tally.good} of {tally.good + tally.bad} frames are whole {spec.name} frames of {spec.frame_bytes} bytes.",
            "Bytes without times say nothing about baud or inversion.",
        ],
        alternatives=[Alternative(s.name, None, t.good_share, t.good) for _, s, t in readings[1:]],
    )


def _confidence(tally: Tally) -> float:
    """Few frames prove little: the share counts in full from eight good frames on."""
    return round(tally.good_share * min(1.0, tally.good / _FULL_TRUST_FRAMES), 4)


def _what_else(edges: Edges, end_s: float, baud: float, inverted: bool) -> str:
    nominal = min((9600, 19200, 38400, 57600, 115200, 230400, 460800), key=lambda known: abs(known / baud - 1))
    settings = UartSettings(nominal if abs(nominal / baud - 1) <= 2 * BAUD_TOLERANCE else round(baud), inverted=inverted)
    received = read_all(edges, settings, end_s)
    hint = _text_hint(received.data.tobytes())
    return hint[0] if hint else f"None of {', '.join(PROTOCOLS)} has a whole frame in it."


def _text_hint(data: bytes) -> list[str]:
    printable = sum(32 <= byte < 127 or byte in b"\r\n\t" for byte in data)
    if len(data) < 20 or printable < 0.95 * len(data):
        return []
    if data.count(b"$G") and data.count(b"*"):
        return ["Not a receiver: these are NMEA sentences, as a GPS sends them."]
    return ["Not a receiver: this is plain text."]
