"""What every protocol module offers: its spec, an encoder and a streaming decoder, and the frames that come out."""

from __future__ import annotations

import functools
import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from linkcore.signal.edges import Times
from linkcore.signal.uart import NOTHING_RECEIVED, ReceivedBytes, UartReceiver, UartSettings

Values = dict[str, float | int | str]


@dataclass(frozen=True, slots=True)
class ChannelFrame:
    """Channel values. `t` seconds (None where bytes came without times), `channels` us, `raw` the protocol's counts.

    `numbers`: which channels these are, counted from 1; None for 1, 2, 3 and so on.
    """

    t: float | None
    channels: tuple[float, ...]
    raw: tuple[int, ...]
    failsafe: bool = False
    frame_lost: bool = False
    numbers: tuple[int, ...] | None = None

    def channel(self, number: int) -> float | None:
        """One channel in us, counted from 1; None where this frame does not carry it."""
        if self.numbers is not None:
            return self.numbered().get(number)
        return self.channels[number - 1] if number <= len(self.channels) else None

    def numbered(self) -> dict[int, float]:
        """Channel number (from 1) to us."""
        return dict(zip(self.numbers or range(1, len(self.channels) + 1), self.channels, strict=True))


@dataclass(frozen=True, slots=True)
class TelemetryFrame:
    """One sensor's values; each name ends in its unit."""

    t: float | None
    sensor: str
    values: dict[str, float | int | str]


@dataclass(frozen=True, slots=True)
class PollFrame:
    """A master's question on a shared wire: whole, but it carries no value. `asks`: whom, as text."""

    t: float | None
    asks: str
    end: float | None = None


@dataclass(frozen=True, slots=True)
class BadFrame:
    """Bytes that should have been a frame and were not."""

    t: float | None
    why: str


Frame = ChannelFrame | TelemetryFrame | PollFrame | BadFrame


class Decoder(ABC):
    """A streaming decoder of bytes. Any split of the bytes gives the same frames."""

    gap_s: float = math.inf

    def count_places(self) -> None:
        """Before the first byte: from now on `times` are places (0, 1, 2 ...) in bytes whose times are not known, and a frame's `t` is its place."""
        self.gap_s = math.inf

    @abstractmethod
    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """Take bytes with the times of their start bits (s) and their UART errors; return the frames now complete."""

    def finish(self) -> list[Frame]:
        """Nothing more comes: return what was held back."""
        return []


class PulseDecoder(ABC):
    """A streaming decoder of pulses. Any split of the toggles gives the same frames."""

    @abstractmethod
    def feed(self, toggles: Times, until: float) -> list[Frame]:
        """Take toggles (s, ascending); the line is known up to `until`. Return the frames now complete."""

    def finish(self, until: float) -> list[Frame]:
        """The line stays as it is after `until`: return what was held back."""
        return []


@dataclass(frozen=True)
class Sent:
    """What a sender has to say in one radio frame. `us`: all its channels, from CH1."""

    us: Sequence[float]
    frame_lost: bool = False
    failsafe: bool = False
    rssi_percent: int = 100
    fades: int = 0


class Encoder(ABC):
    """Makes a receiver's bytes for one radio frame after the other; some protocols take turns, so it may keep a state."""

    @abstractmethod
    def frame(self, sent: Sent) -> bytes:
        """The bytes for this radio frame."""


class LineReader(ABC):
    """Toggles of a line in, what a port with certain settings makes of them out."""

    @abstractmethod
    def feed(self, toggles: Times, until: float) -> tuple[ReceivedBytes, list[Frame]]:
        """Take toggles (s); the line is known up to `until`."""

    @abstractmethod
    def finish(self, until: float) -> tuple[ReceivedBytes, list[Frame]]:
        """The line stays as it is after `until`."""


class SerialReader(LineReader):
    """A UART and a decoder behind it."""

    def __init__(self, settings: UartSettings, decoder: Decoder, level: int) -> None:
        """`level` is the line's level (0 or 1) before the first toggle."""
        self.settings = settings
        self._port = UartReceiver(settings, level)
        self._decoder = decoder

    def feed(self, toggles: Times, until: float) -> tuple[ReceivedBytes, list[Frame]]:
        """See LineReader."""
        return self._decode(self._port.feed(toggles, until))

    def finish(self, until: float) -> tuple[ReceivedBytes, list[Frame]]:
        """See LineReader."""
        received, frames = self._decode(self._port.finish(until))
        return received, frames + self._decoder.finish()

    def _decode(self, received: ReceivedBytes) -> tuple[ReceivedBytes, list[Frame]]:
        if not len(received):
            return received, []
        return received, self._decoder.feed(received.data.tobytes(), received.times.tolist(), received.errors.tolist())


class PulseReader(LineReader):
    """A timer that measures pulses; there are no bytes."""

    def __init__(self, decoder: PulseDecoder) -> None:
        self._decoder = decoder

    def feed(self, toggles: Times, until: float) -> tuple[ReceivedBytes, list[Frame]]:
        """See LineReader."""
        return NOTHING_RECEIVED, self._decoder.feed(toggles, until)

    def finish(self, until: float) -> tuple[ReceivedBytes, list[Frame]]:
        """See LineReader."""
        return NOTHING_RECEIVED, self._decoder.finish(until)


@dataclass(frozen=True)
class Field:
    """A stretch of a frame laid open: `bit` and `bits` count from the frame's first bit, bytes in order, low bits first.

    `value` as counted, `means` in words with its unit; `ok` False where it is not what it should be.
    """

    name: str
    bit: int
    bits: int
    value: int
    means: str = ""
    ok: bool = True


def byte_field(name: str, frame: bytes, at: int, size: int = 1, *, order: Literal["little", "big"] = "little", means: str = "", ok: bool = True) -> Field:
    """A field of whole bytes."""
    return Field(name, 8 * at, 8 * size, int.from_bytes(frame[at : at + size], order), means, ok)


def checksum_field(frame: bytes, at: int, reckoned: int, size: int = 1, *, order: Literal["little", "big"] = "little", name: str = "CRC") -> Field:
    """A checksum as sent, beside the one reckoned over the bytes that are there."""
    sent = int.from_bytes(frame[at : at + size], order)
    digits = 2 * size
    says = f"as reckoned, {reckoned:0{digits}X}" if sent == reckoned else f"sent {sent:0{digits}X}, reckoned {reckoned:0{digits}X}: the frame is damaged"
    return Field(name, 8 * at, 8 * size, sent, says, sent == reckoned)


Explain = Callable[[bytes], list[Field]]


@dataclass(frozen=True, kw_only=True)
class ProtocolSpec(ABC):
    """What a protocol looks like on the wire, and what planning needs to know of it.

    `frame_bytes`: of the usual channel frame, 0 for pulses; `periods_s`: usual times between frames; `step_us`: the finest difference of a
    channel; `one_way`: nothing comes back on it; `half_duplex`: both ways on one wire; `late`: dear to try, so only where nothing else fits.
    """

    name: str
    role: Literal["receiver", "telemetry"] = "receiver"
    channels: int
    periods_s: tuple[float, ...]
    carries_failsafe: bool = False
    step_us: float = 0.0
    one_way: bool = True
    half_duplex: bool = False
    frame_bytes: int = 0
    checksum: bool = False
    late: bool = False

    @property
    @abstractmethod
    def wire(self) -> Literal["serial", "PPM", "PWM"]:
        """How it travels."""

    @property
    @abstractmethod
    def framing(self) -> str:
        """8N1 and the like, or what the pulses are."""

    @property
    def baud(self) -> int | None:
        """Bits a second; None for pulses."""
        return None

    @property
    def inverted(self) -> bool:
        """Whether its usual output idles low with start bits high."""
        return False

    @property
    def period_s(self) -> tuple[float, float]:
        """The shortest and the longest usual time between frames."""
        return min(self.periods_s), max(self.periods_s)

    @abstractmethod
    def reader(self, inverted: bool, level: int, since: float = 0.0) -> LineReader:
        """A port that is set to this protocol, on a line that is at `level` (0 or 1); it listens from `since` (s) on."""

    def describe(self, inverted: bool) -> str:
        """The settings of a port that reads it, in words."""
        return f"{self.name}, {self.framing}"


@dataclass(frozen=True, kw_only=True)
class SerialSpec(ProtocolSpec):
    """A protocol of bytes. `explain` lays one frame open; `encoder` is there where a receiver speaks it.

    `stuffing`: its flag, its escape and what an escaped byte is XORed with; `flagged_poll`: a poll is a flag and one byte.
    """

    uart: UartSettings
    decoder: Callable[[], Decoder]
    encoder: Callable[[], Encoder] | None = None
    explain: Explain | None = None
    stuffing: tuple[int, int, int] | None = None
    flagged_poll: bool = False

    @property
    def wire(self) -> Literal["serial", "PPM", "PWM"]:
        """See ProtocolSpec."""
        return "serial"

    @property
    def framing(self) -> str:
        """See ProtocolSpec."""
        return self.uart.framing

    @property
    def baud(self) -> int | None:
        """See ProtocolSpec."""
        return self.uart.baud

    @property
    def inverted(self) -> bool:
        """See ProtocolSpec."""
        return self.uart.inverted

    def reader(self, inverted: bool, level: int, since: float = 0.0) -> SerialReader:
        """See ProtocolSpec."""
        return SerialReader(self.uart.with_inversion(inverted), self.decoder(), level)

    def describe(self, inverted: bool) -> str:
        """See ProtocolSpec."""
        return f"{self.name}, {'inverted' if inverted else 'not inverted'}, {self.uart.baud} baud, {self.framing}"


@dataclass(frozen=True, kw_only=True)
class PulseSpec(ProtocolSpec):
    """A protocol of pulses. `decoder` takes the line's level before the first toggle and when listening began (s); `edges` makes one frame's toggles."""

    pulses: Literal["PPM", "PWM"]
    decoder: Callable[[int, float], PulseDecoder]
    edges: Callable[[Sequence[float], float], Times]

    @property
    def wire(self) -> Literal["serial", "PPM", "PWM"]:
        """See ProtocolSpec."""
        return self.pulses

    @property
    def framing(self) -> str:
        """See ProtocolSpec."""
        return "one pulse a channel" if self.pulses == "PWM" else "pulses one after another"

    def reader(self, inverted: bool, level: int, since: float = 0.0) -> PulseReader:
        """See ProtocolSpec."""
        return PulseReader(self.decoder(level ^ int(inverted), since))


# --- decoders that share their way of finding frames ---------------------------------------------------------------


class ScanDecoder(Decoder):
    """Finds frames that name their own length and have a checksum: each byte is tried as a beginning.

    A run of bytes that begin no frame counts as one bad frame, until a pause or a good frame ends the run.
    """

    starts: frozenset[int]
    gap_s: float
    what_fails = "header, length or checksum do not fit"

    def __init__(self) -> None:
        self._bytes = bytearray()
        self._times: list[float] = []
        self._errors: list[int] = []
        self._timed = False
        self._in_step = False  # the byte before belonged to a good frame
        self._seen_good = False
        self._seen_gap = False
        self._skipping = False
        self._last: float | None = None

    @abstractmethod
    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        """Bytes of the frame that begins at `at`, of the `size` bytes held: 0 where none can, None where more are needed to tell."""

    @abstractmethod
    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        """The frame of these bytes; None where its checksum does not fit."""

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        self._bytes += data
        self._errors.extend(errors if errors is not None else bytes(len(data)))
        if times is not None:
            self._timed = True
            self._times.extend(times)
        return self._scan()

    def finish(self) -> list[Frame]:
        """See Decoder."""
        return self._scan(at_end=True)

    def _scan(self, at_end: bool = False) -> list[Frame]:
        held = self._bytes
        frames: list[Frame] = []
        at = 0
        size = len(held)
        while at < size:
            self._notice_gap(at)
            outcome = self._frame_at(at, size, at_end)
            if outcome is None:
                break
            length, frame = outcome
            if frame is not None:
                frames.append(frame)
                self._in_step, self._seen_good, self._skipping = True, True, False
                at += length
            else:
                cut_by_the_end = at_end and held[at] in self.starts
                if not self._skipping and not cut_by_the_end and (self._seen_good or self._seen_gap):
                    frames.append(BadFrame(self._times[at] if self._timed else None, self.what_fails))
                self._skipping, self._in_step = True, False
                at += 1
            if self._timed:
                self._last = self._times[at - 1]
        del held[:at], self._errors[:at]
        if self._timed:
            del self._times[:at]
        return frames

    def _notice_gap(self, at: int) -> None:
        """Silence ends a run of skipped bytes: what follows is a frame of its own."""
        if self._timed and self._last is not None and self._times[at] - self._last > self.gap_s:
            self._seen_gap = True
            self._skipping = False

    def _frame_at(self, at: int, size: int, at_end: bool) -> tuple[int, Frame | None] | None:
        """(length, frame) of the frame that begins at `at`; no frame where none does; None where more bytes are needed."""
        held = self._bytes
        if held[at] not in self.starts:
            return 0, None
        length = self._length(held, at, size)
        end = size if length is None else at + length
        if length == 0:
            return 0, None
        there = min(end, size)
        if self._timed and there - at > 1 and self._has_pause(at, there):
            return 0, None
        if length is None or end > size:
            return (0, None) if at_end else None
        if any(self._errors[at:end]):
            return 0, None
        return length, self._read(bytes(held[at:end]), self._times[at] if self._timed else None)

    def _has_pause(self, start: int, end: int) -> bool:
        times = self._times
        if times[end - 1] - times[start] <= (end - start) * 0.2 * self.gap_s:  # the common case, settled at one glance
            return False
        return any(times[i + 1] - times[i] > self.gap_s for i in range(start, end - 1))


class GapDecoder(Decoder):
    """Finds frames of one fixed length that begin after a rest: for protocols without a checksum."""

    length: int
    gap_s: float

    def __init__(self) -> None:
        self._bytes = bytearray()
        self._errors: list[int] = []
        self._start: float | None = None
        self._last: float | None = None
        self._begun_at_gap = False
        self._taken, self._placed = 0, False
        self._joined = True  # still in the burst that was going on when listening began: it may lack its head
        self._seen_good = False
        self._skipping = False

    @abstractmethod
    def _whole(self, frame: bytes | bytearray) -> bool:
        """Whether these bytes can be a frame."""

    @abstractmethod
    def _read(self, frame: bytes | bytearray, t: float | None) -> Frame:
        """The frame of bytes that look whole."""

    def _followed(self, held: bytearray, end: int) -> bool:
        """Without times: whether what comes at `end` fits the beginning of another frame."""
        return True

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        if times is None or self.gap_s == math.inf:
            self._placed = times is not None
            return self._feed_untimed(data, errors)
        frames: list[Frame] = []
        if errors is None:
            errors = bytes(len(data))
        held = self._bytes
        for byte, t, error in zip(data, times, errors, strict=True):
            if self._last is None:
                self._begun_at_gap = t >= self.gap_s  # the capture itself began with silence
            elif t - self._last >= self.gap_s:
                frames += self._close_at_gap()
                self._begun_at_gap = True
                self._joined = False
            self._last = t
            if not held:
                self._start = t
                self._errors.clear()
            held.append(byte)
            if error:
                self._errors.append(len(held) - 1)
            if self._begun_at_gap and len(held) == self.length:
                frames.append(self._judge())
                held.clear()
                self._begun_at_gap = False
            elif len(held) > 40 * self.length:
                del held[: -2 * self.length]
                self._errors = [self.length]  # no gap for a second: whatever this is, it will not pass as whole
        return frames

    def finish(self) -> list[Frame]:
        """See Decoder."""
        if self._last is None:
            return self._scan(at_end=True)
        return self._close_at_gap(at_end=True)

    def _judge(self) -> Frame:
        held, t = self._bytes, self._start
        if self._errors:
            return BadFrame(t, f"byte {self._errors[0] + 1} of {self.length} has a parity or framing error")
        if not self._whole(held):
            return BadFrame(t, self._why_not(held))
        self._seen_good = True
        return self._read(held, t)

    def _why_not(self, frame: bytearray) -> str:
        """In words, what keeps these bytes from being a frame."""
        return "header, flags or footer do not fit"

    def _close_at_gap(self, at_end: bool = False) -> list[Frame]:
        """The line fell silent. What is held is a cut frame, or, before any gap was seen, perhaps a whole one."""
        held = self._bytes
        if not held:
            return []
        frames: list[Frame] = []
        if not self._begun_at_gap and len(held) == self.length and not self._errors and self._whole(held):
            frames.append(self._read(held, self._start))
            self._seen_good = True
        elif self._begun_at_gap and not at_end and not self._joined:
            frames.append(BadFrame(self._start, f"{len(held)} bytes before the gap instead of {self.length}"))
        held.clear()
        return frames

    def _feed_untimed(self, data: bytes, errors: Sequence[int] | None) -> list[Frame]:
        # Without times an error cannot be placed between frames, so the byte is made one that fits no header or footer.
        if errors is not None and any(errors):
            data = bytes(0xFF if error else byte for byte, error in zip(data, errors, strict=True))
        self._bytes += data
        return self._scan()

    def _scan(self, at_end: bool = False) -> list[Frame]:
        held = self._bytes
        frames: list[Frame] = []
        at = 0
        while len(held) - at >= self.length + (0 if at_end else 1):
            window = held[at : at + self.length]
            if self._whole(window) and (at + self.length == len(held) or self._followed(held, at + self.length)):
                frames.append(self._read(window, float(self._taken + at) if self._placed else None))
                self._seen_good = True
                self._skipping = False
                at += self.length
            else:
                if self._seen_good and not self._skipping:
                    frames.append(BadFrame(float(self._taken + at) if self._placed else None, f"no frame {self.length} bytes apart"))
                self._skipping = True
                at += 1
        del held[:at]
        self._taken += at
        return frames


@dataclass
class _Segment:
    """What stands between two flags."""

    flag_t: float | None = None
    data: bytearray = field(default_factory=bytearray)
    times: list[float] = field(default_factory=list)
    wrong: bool = False


class FlagDecoder(Decoder):
    """Finds what stands between flag bytes, and takes the stuffing out of it: an escape byte, then the byte XORed with `flip`."""

    flag: int
    escape: int
    flip: int
    longest: int

    def __init__(self) -> None:
        self._held = _Segment()
        self._opened = False
        self._escaped = False

    @abstractmethod
    def _segment(self, data: bytes, flag_t: float | None, times: list[float]) -> list[Frame]:
        """The frames of what stood between two flags, stuffing removed. `flag_t`: the flag before it; `times`: of each byte, none without times (s)."""

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        frames: list[Frame] = []
        for at, byte in enumerate(data):
            t = times[at] if times is not None else None
            held = self._held
            if byte == self.flag and not (errors is not None and errors[at]):
                frames += self._close()
                self._held, self._opened, self._escaped = _Segment(flag_t=t), True, False
                continue
            held.wrong = held.wrong or bool(errors is not None and errors[at])
            if len(held.data) > self.longest:
                held.wrong = True
                del held.data[self.longest // 2 :], held.times[self.longest // 2 :]
            if not self._escaped and t is not None:
                held.times.append(t)
            if self._escaped:
                held.data.append(byte ^ self.flip)
                self._escaped = False
            elif byte == self.escape:
                self._escaped = True
            else:
                held.data.append(byte)
        return frames

    def finish(self) -> list[Frame]:
        """See Decoder. What no flag has closed may be a whole frame, or one that was cut: only whole ones count."""
        return [frame for frame in self._close() if not isinstance(frame, BadFrame)]

    def _close(self) -> list[Frame]:
        held = self._held
        self._held = _Segment(flag_t=held.flag_t)
        if not held.data or not self._opened:
            return []
        if held.wrong or self._escaped:
            return [BadFrame(held.flag_t, "a byte has a framing error" if held.wrong else "the frame ends in the middle of an escaped byte")]
        return self._segment(bytes(held.data), held.flag_t, held.times)


def stuffed(data: bytes, flag: int, escape: int, flip: int) -> bytes:
    """`data` with flags and escapes replaced by an escape and the byte XORed with `flip`."""
    out = bytearray()
    for byte in data:
        out += bytes((escape, byte ^ flip)) if byte in (flag, escape) else bytes((byte,))
    return bytes(out)


# --- channel values -------------------------------------------------------------------------------------------------


def us_from_raw(raw: int) -> float:
    """Relation A of the wire facts: us = 1500 + (raw - 992) * 5 / 8."""
    return 1500 + (raw - 992) * 0.625


@functools.lru_cache(maxsize=8192)
def raw_from_us(us: float) -> int:
    """The nearest count of 11 bits; beyond 0..2047 the nearest end."""
    return min(2047, max(0, round(992 + (us - 1500) * 1.6)))


_US = tuple(us_from_raw(raw) for raw in range(2048))


def unpack_channels(payload: bytes | bytearray) -> tuple[tuple[int, ...], tuple[float, ...]]:
    """16 x 11 bits, least significant first, from 22 bytes: (raw, us)."""
    bits = int.from_bytes(payload, "little")
    raw = tuple([(bits >> shift) & 0x7FF for shift in range(0, 176, 11)])
    return raw, tuple([_US[value] for value in raw])


def pack_channels(raw: Sequence[int]) -> bytes:
    """22 bytes from 16 counts of 11 bits, least significant first."""
    if len(raw) != 16:
        raise ValueError(f"16 channels are needed, not {len(raw)}")
    bits = 0
    for index, value in enumerate(raw):
        if not 0 <= value <= 2047:
            raise ValueError(f"CH{index + 1}: {value} does not fit 11 bits")
        bits |= value << (11 * index)
    return bits.to_bytes(22, "little")


def pack_us(us: Sequence[float]) -> bytes:
    """22 bytes from up to 16 values in us (relation A); channels that are not given rest at 1500."""
    return pack_channels([raw_from_us(value) for value in [*us, *[1500.0] * 16][:16]])


def channel_fields(payload_at: int, payload: bytes) -> list[Field]:
    """The 16 channels of 11 bits that begin at byte `payload_at` of a frame."""
    raw, us = unpack_channels(payload)
    return [Field(f"CH{index + 1}", 8 * payload_at + 11 * index, 11, value, f"{us[index]:g} us") for index, value in enumerate(raw)]


def named_values(values: Mapping[str, float | int | str]) -> str:
    """Telemetry values in words: each name ends in its unit."""
    return ", ".join(f"{name} {value}" for name, value in values.items())
