"""What is on this wire? Worked out from edges, or from bytes that a UART has already read."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from linkcore.hops.line.foreign import foreign
from linkcore.protocols.base import BadFrame, Frame, LineReader, ProtocolSpec, SerialReader, SerialSpec
from linkcore.protocols.registry import PROTOCOLS, SERIAL_PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import Parity, ReceivedBytes, UartSettings, read_all

BAUD_TOLERANCE = 0.03  # a sender may be this far off its nominal baud and is still called by it
USUAL_BAUDS = (9600, 19_200, 38_400, 57_600, 100_000, 115_200, 200_000, 230_400, 400_000, 420_000, 460_800, 921_600, 1_870_000)
SHORTEST_PULSE_S = 0.00018  # the separators of PPM last longer, a bit of the slowest serial line less
_FULL_TRUST_FRAMES = 8
_LEAST_CONFIDENCE = 0.1
_SURE = 0.5


@dataclass(frozen=True)
class Identified:
    """The outcome: `protocol` None where nothing fits; `why` are sentences; `confidence` 0 to 1.

    `what`: in one word also where it is no protocol of ours: a protocol's name, NMEA, UBX, text, nothing or unknown.
    """

    protocol: str | None
    confidence: float
    baud: int | None = None
    inverted: bool | None = None
    good_share: float = 0.0
    frames_per_s: float | None = None
    measured_baud: float | None = None
    idle: str | None = None
    framing: str | None = None
    what: str = "unknown"
    why: list[str] = field(default_factory=list)


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


def tally_of(frames: list[Frame], received: ReceivedBytes | None = None) -> Tally:
    """Count good and bad frames."""
    bad = sum(isinstance(frame, BadFrame) for frame in frames)
    size = 0 if received is None else len(received)
    errors = 0 if received is None else int(np.count_nonzero(received.errors))
    return Tally(len(frames) - bad, bad, size, errors, frames)


def reader_of(spec: ProtocolSpec, inverted: bool, level: int, baud: int | None = None) -> LineReader:
    """A port that is set to this protocol, perhaps at a baud that is not the usual one; `level`: the line's before the first toggle."""
    if baud is not None and isinstance(spec, SerialSpec):
        return SerialReader(replace(spec.uart.with_inversion(inverted), baud=baud), spec.decoder(), level)
    return spec.reader(inverted, level)


def read_with(edges: Edges, end_s: float, spec: ProtocolSpec, inverted: bool, baud: int | None = None) -> Tally:
    """Sample a recorded line as a port that is set to this protocol does, and run its decoder over what comes out."""
    reader = reader_of(spec, inverted, edges.level, baud)
    received, frames = reader.feed(edges.times, end_s)
    rest, more = reader.finish(end_s)
    tally = tally_of(frames + more, received)
    return replace(tally, bytes_read=tally.bytes_read + len(rest))


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


@dataclass(frozen=True)
class _Reading:
    spec: ProtocolSpec
    inverted: bool
    tally: Tally
    confidence: float
    baud: int | None


def identify_edges(edges: Edges, end_s: float) -> Identified:
    """Name what is on a line, from about a second of it that ends at `end_s` seconds."""
    if len(edges.times) == 0:
        rest = "high" if edges.level else "low"
        dead = f"No edges in {end_s * 1000:.0f} ms: the line rests {rest}. Check power, ground, the pad and whether the receiver is bound."
        return Identified(None, 0.0, idle=rest, what="nothing", why=[dead])
    idle = "high" if idle_level(edges, end_s) else "low"
    inverted = idle == "low"
    if len(edges.times) >= 4 and float(np.quantile(np.diff(edges.times), 0.1)) > SHORTEST_PULSE_S:
        return _identify_pulses(edges, end_s, idle)
    baud = measure_baud(edges)
    why = [f"Between bursts the line rests {idle}, so it is {'inverted' if inverted else 'not inverted'}."]
    if baud is None:
        return Identified(None, 0.0, idle=idle, why=[*why, "Too few edges to measure a baud."])
    why.append(f"The shortest pulses and their multiples fit {_spaced(baud)} baud.")
    readings = _serial_readings(edges, end_s, baud, inverted)
    if readings and readings[0].confidence >= _LEAST_CONFIDENCE:
        return _named(readings, baud, idle, why)
    return _unnamed(edges, end_s, baud, idle, inverted, why)


def _serial_readings(edges: Edges, end_s: float, baud: float, inverted: bool) -> list[_Reading]:
    """Best first. Protocols near their own baud; where none fits, each at the measured baud; then upside down."""
    near = [(spec, None) for spec in SERIAL_PROTOCOLS.values() if abs(baud / spec.uart.baud - 1) <= 2 * BAUD_TOLERANCE]
    elsewhere = [(spec, nearest_baud(baud)) for spec in SERIAL_PROTOCOLS.values()]
    for candidates, polarity in ((near, inverted), (elsewhere, inverted), (near, not inverted)):
        found: list[_Reading] = []
        for spec, at in sorted(candidates, key=lambda candidate: candidate[0].late):
            if spec.late and any(reading.confidence >= _SURE for reading in found):
                continue
            tally = read_with(edges, end_s, spec, polarity, at)
            if tally.good:
                found.append(_Reading(spec, polarity, tally, _confidence(spec, tally), at or spec.uart.baud))
        found.sort(key=lambda reading: -reading.confidence)
        if found and found[0].confidence >= _LEAST_CONFIDENCE:
            return found
    return []


def nearest_baud(baud: float) -> int:
    """The usual rate that a measured one stands for, or the measured one itself, rounded."""
    usual = min(USUAL_BAUDS, key=lambda known: abs(known / baud - 1))
    return usual if abs(usual / baud - 1) <= BAUD_TOLERANCE else round(baud)


def _named(readings: list[_Reading], baud: float | None, idle: str, why: list[str]) -> Identified:
    best = readings[0]
    spec, tally = best.spec, best.tally
    size = f" of {spec.frame_bytes} bytes" if spec.frame_bytes and spec.role == "receiver" else ""
    why.append(f"{tally.good} of {tally.good + tally.bad} frames are whole {spec.name} frames{size}, read as {spec.framing}.")
    if best.inverted != spec.inverted and isinstance(spec, SerialSpec):
        why.append(f"{spec.name} is usually {'inverted' if spec.inverted else 'not inverted'}; this output is the other way round.")
    if best.baud is not None and spec.baud is not None and abs(best.baud / spec.baud - 1) > BAUD_TOLERANCE:
        why.append(f"{spec.name} usually runs at {_spaced(spec.baud)} baud; this one does not.")
    rivals = [reading for reading in readings[1:] if reading.confidence >= 0.9 * best.confidence and reading.tally.good >= 0.9 * tally.good]
    if rivals:
        why.append(f"{' or '.join(reading.spec.name for reading in rivals)} fits as well; the bytes do not tell them apart.")
    return Identified(
        spec.name,
        best.confidence,
        baud=best.baud,
        inverted=best.inverted if isinstance(spec, SerialSpec) else idle == "high",
        good_share=tally.good_share,
        frames_per_s=tally.frames_per_s,
        measured_baud=baud,
        idle=idle,
        framing=spec.framing,
        what=spec.name,
        why=why,
    )


def _identify_pulses(edges: Edges, end_s: float, idle: str) -> Identified:
    """Pulses too long for any serial line: PPM on one wire, or one channel of PWM."""
    inverted = idle == "high"
    why = [f"The shortest pulses last {float(np.quantile(np.diff(edges.times), 0.1)) * 1e6:.0f} us: too long for a serial line, so these are pulses."]
    for name in ("PPM", "PWM"):
        spec = PROTOCOLS[name]
        tally = read_with(edges, end_s, spec, inverted)
        confidence = _confidence(spec, tally)
        if tally.good and confidence >= _LEAST_CONFIDENCE:
            if name == "PPM":
                why.append(f"Separators are {'low on a high' if inverted else 'high on a low'} line: {'negative' if inverted else 'positive'} polarity.")
            return _named([_Reading(spec, inverted, tally, confidence, None)], None, idle, why)
    return Identified(None, 0.0, idle=idle, why=[*why, "Their widths fit neither PPM nor PWM (750 to 2250 us a channel)."])


def _unnamed(edges: Edges, end_s: float, baud: float, idle: str, inverted: bool, why: list[str]) -> Identified:
    """Name other traffic, and how it is framed, where no protocol fits."""
    settings, received = _best_framing(edges, end_s, nearest_baud(baud), inverted)
    shown = f"Read as {settings.framing} at {_spaced(settings.baud)} baud, {_share(received)} of {len(received)} bytes have their stop bit and parity."
    known = foreign(received.data.tobytes())
    common = {"measured_baud": baud, "idle": idle, "inverted": inverted, "framing": settings.framing}
    if known:
        return Identified(None, 0.0, what=known.name, why=[*why, shown, known.says], **common)  # type: ignore[arg-type]
    return Identified(None, 0.0, why=[*why, shown, f"None of {', '.join(SERIAL_PROTOCOLS)} has a whole frame in it."], **common)  # type: ignore[arg-type]


def _best_framing(edges: Edges, end_s: float, baud: int, inverted: bool) -> tuple[UartSettings, ReceivedBytes]:
    """Of no, even and odd parity, the one with the fewest errors; parity is believed only where it mends them."""
    tries: list[tuple[float, int, UartSettings, ReceivedBytes]] = []
    parities: tuple[Parity, ...] = ("none", "even", "odd")
    for parity in parities:
        settings = UartSettings(baud, 8, parity, 1, inverted)
        received = read_all(edges, settings, end_s)
        tries.append((np.count_nonzero(received.errors) / max(1, len(received)) + 0.02 * (parity != "none"), len(tries), settings, received))
    _, _, settings, received = min(tries)
    return settings, received


def _share(received: ReceivedBytes) -> str:
    return f"{1 - np.count_nonzero(received.errors) / len(received):.0%}" if len(received) else "none"


def identify_bytes(data: bytes, times: list[float] | None = None) -> Identified:
    """Name what bytes are that a UART has read; without times nothing is known of gaps, and each protocol helps itself as it can."""
    if not data:
        return Identified(None, 0.0, what="nothing", why=["There are no bytes."])
    readings: list[_Reading] = []
    for spec in sorted(SERIAL_PROTOCOLS.values(), key=lambda each: each.late):
        if spec.late and any(reading.confidence >= _SURE for reading in readings):
            continue
        decoder = spec.decoder()
        tally = tally_of(decoder.feed(data, times) + decoder.finish())
        covered = tally.good * spec.frame_bytes / len(data)
        if tally.good:
            confidence = round(min(1.0, _confidence(spec, tally) * min(1.0, 0.5 + covered)), 4)
            readings.append(_Reading(spec, spec.inverted, tally, confidence, None))
    readings.sort(key=lambda reading: -reading.confidence)
    known = foreign(data)
    if known and (not readings or readings[0].confidence < 0.5):
        return Identified(None, 0.0, what=known.name, why=[known.says])
    if not readings or readings[0].confidence < _LEAST_CONFIDENCE:
        return Identified(None, 0.0, why=[f"None of {', '.join(SERIAL_PROTOCOLS)} has a whole frame in these {len(data)} bytes."])
    best = readings[0]
    tally = best.tally
    return Identified(
        best.spec.name,
        best.confidence,
        good_share=tally.good_share,
        what=best.spec.name,
        why=[
            f"{tally.good} of {tally.good + tally.bad} frames are whole {best.spec.name} frames of {best.spec.frame_bytes} bytes.",
            "Bytes without their levels say nothing about baud or inversion.",
        ],
    )


def _confidence(spec: ProtocolSpec, tally: Tally) -> float:
    """Few frames prove little: the share counts in full from eight good frames on. Without a checksum chance fits too, so half of them must be good."""
    if not spec.checksum and tally.good_share < 0.5:
        return 0.0
    return round(tally.good_share * min(1.0, tally.good / _FULL_TRUST_FRAMES), 4)


def _spaced(number: float) -> str:
    return f"{number:,.0f}".replace(",", " ")
