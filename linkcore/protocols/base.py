"""What every protocol module offers, and what its decoder returns."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from linkcore.signal.uart import UartSettings


@dataclass(frozen=True, slots=True)
class ChannelFrame:
    """Channel values. `t` seconds (None where bytes came without times), `channels` us, `raw` the protocol's counts."""

    t: float | None
    channels: tuple[float, ...]
    raw: tuple[int, ...]
    failsafe: bool = False
    frame_lost: bool = False


@dataclass(frozen=True, slots=True)
class TelemetryFrame:
    """One sensor's values; each name ends in its unit."""

    t: float | None
    sensor: str
    values: dict[str, float | int | str]


@dataclass(frozen=True, slots=True)
class BadFrame:
    """Bytes that should have been a frame and were not."""

    t: float | None
    why: str


Frame = ChannelFrame | TelemetryFrame | BadFrame


class Decoder(ABC):
    """A streaming decoder. Any split of the bytes gives the same frames."""

    @abstractmethod
    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """Take bytes with the times of their start bits (s) and their UART errors; return the frames now complete."""

    def finish(self) -> list[Frame]:
        """Nothing more comes: return what was held back."""
        return []


@dataclass(frozen=True)
class ProtocolSpec:
    """What a protocol looks like on the wire."""

    name: str
    uart: UartSettings
    channels: int
    frame_bytes: int
    periods_s: tuple[float, ...]
    carries_failsafe: bool
    step_us: float
    decoder: Callable[[], Decoder]


def us_from_raw(raw: int) -> float:
    """Relation A of the wire facts: us = 1500 + (raw - 992) * 5 / 8."""
    return 1500 + (raw - 992) * 0.625


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
