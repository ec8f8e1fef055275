"""Sixteen channels of 11 bits, as SBUS, CRSF and F.Port carry them, and relation A between counts and microseconds."""

from __future__ import annotations

import functools
from collections.abc import Sequence
from operator import lshift

from linkcore.protocols.base import Field

KEPT = 2048  # frames, either way, that need not be worked out again: sticks at rest flicker between a few


def us_from_raw(raw: int) -> float:
    """Relation A of the wire facts: us = 1500 + (raw - 992) * 5 / 8."""
    return 1500 + (raw - 992) * 0.625


@functools.lru_cache(maxsize=8192)
def raw_from_us(us: float) -> int:
    """The nearest count of 11 bits; beyond 0..2047 the nearest end."""
    return min(2047, max(0, round(992 + (us - 1500) * 1.6)))


_SHIFTS = tuple(range(0, 176, 11))
_US = tuple(us_from_raw(raw) for raw in range(2048))


@functools.lru_cache(maxsize=KEPT)
def unpack_channels(payload: bytes) -> tuple[tuple[int, ...], tuple[float, ...]]:
    """16 x 11 bits, least significant first, from 22 bytes: (raw, us)."""
    bits = int.from_bytes(payload, "little")
    raw = tuple([(bits >> shift) & 0x7FF for shift in _SHIFTS])
    return raw, tuple([_US[value] for value in raw])


def pack_channels(raw: Sequence[int]) -> bytes:
    """22 bytes from 16 counts of 11 bits, least significant first."""
    if len(raw) != 16:
        raise ValueError(f"16 channels are needed, not {len(raw)}")
    if min(raw) < 0 or max(raw) > 2047:
        index = next(index for index, value in enumerate(raw) if not 0 <= value <= 2047)
        raise ValueError(f"CH{index + 1}: {raw[index]} does not fit 11 bits")
    bits: int = sum(map(lshift, raw, _SHIFTS))
    return bits.to_bytes(22, "little")


def pack_us(us: Sequence[float]) -> bytes:
    """22 bytes from up to 16 values in us (relation A); channels that are not given rest at 1500."""
    return _packed(tuple(us))


@functools.lru_cache(maxsize=KEPT)
def _packed(us: tuple[float, ...]) -> bytes:
    return pack_channels([raw_from_us(value) for value in [*us, *[1500.0] * 16][:16]])


def channel_fields(payload_at: int, payload: bytes) -> list[Field]:
    """The 16 channels of 11 bits that begin at byte `payload_at` of a frame."""
    raw, us = unpack_channels(payload)
    return [Field(f"CH{index + 1}", 8 * payload_at + 11 * index, 11, value, f"{us[index]:g} us") for index, value in enumerate(raw)]
