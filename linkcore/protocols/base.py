"""What every protocol module offers: its spec, an encoder and a streaming decoder, and the frames that come out."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from array import array
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from linkcore.signal.edges import Times
from linkcore.signal.uart import NOTHING_RECEIVED, ReceivedBytes, UartReceiver, UartSettings

Values = dict[str, float | int | str]
Wire = Literal["serial", "PPM", "PWM"]


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


class Sent(NamedTuple):
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
        return received, self._decoder.feed(received.data.tobytes(), array("d", received.times.tobytes()), received.errors.tobytes())


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
    role: Literal["receiver", "telemetry", "device"] = "receiver"
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
    def wire(self) -> Wire:
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

    `stuffing`: its flag, its escape and what an escaped byte is XORed with; `flagged_poll`: a poll is a flag and one byte. `frame_channels`: how many go in one frame, where that is less than all.
    """

    uart: UartSettings
    decoder: Callable[[], Decoder]
    encoder: Callable[[], Encoder] | None = None
    explain: Explain | None = None
    stuffing: tuple[int, int, int] | None = None
    flagged_poll: bool = False
    frame_channels: int | None = None

    def frames_for(self, channels: int) -> int:
        """In how many frames by turns so many channels go."""
        return 1 if self.frame_channels is None else max(1, math.ceil(channels / self.frame_channels))

    @property
    def wire(self) -> Wire:
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
    def wire(self) -> Wire:
        """See ProtocolSpec."""
        return self.pulses

    @property
    def framing(self) -> str:
        """See ProtocolSpec."""
        return "one pulse a channel" if self.pulses == "PWM" else "pulses one after another"

    def reader(self, inverted: bool, level: int, since: float = 0.0) -> PulseReader:
        """See ProtocolSpec."""
        return PulseReader(self.decoder(level ^ int(inverted), since))


def named_values(values: Mapping[str, float | int | str]) -> str:
    """Telemetry values in words: each name ends in its unit."""
    return ", ".join(f"{name} {value}" for name, value in values.items())
