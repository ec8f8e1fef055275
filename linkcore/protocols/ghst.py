"""GHST: address, length, type, payload, CRC-8/DVB-S2 over type and payload; four channels of 12 bits and four of 8 in each frame.

All of its facts are fairly sure only. A channel frame has 14 bytes: 10 of payload, counted with type and CRC as 12 in its length.
Channels 1 to 4 come in every frame, the other twelve four at a time in types 10, 11 and 12.
"""

from __future__ import annotations

from collections.abc import Sequence

from fastcrc import crc8

from linkcore.protocols.base import ChannelFrame, Encoder, Field, Frame, Sent, SerialSpec, byte_field, checksum_field
from linkcore.protocols.finding import ScanDecoder
from linkcore.signal.uart import UartSettings

ADDRESSES = frozenset((0x80, 0x82))
FLIGHT_CONTROLLER = 0x82
LENGTH = 12
TYPES = (0x10, 0x11, 0x12)
GAP_S = 0.0003


def encode(kind: int, high: Sequence[int], low: Sequence[int]) -> bytes:
    """A frame of type 10, 11 or 12: four counts of 12 bits and four of 8."""
    if kind not in TYPES or len(high) != 4 or len(low) != 4 or any(not 0 <= value < 4096 for value in high):
        raise ValueError("a frame of type 10, 11 or 12 takes four counts of 12 bits and four of 8")
    packed = sum(value << 12 * place for place, value in enumerate(high)).to_bytes(6, "little")
    body = bytes((kind,)) + packed + bytes(low)
    return bytes((FLIGHT_CONTROLLER, LENGTH)) + body + bytes((crc8.dvb_s2(body),))


def _counts(payload: bytes) -> tuple[int, ...]:
    bits = int.from_bytes(payload[:6], "little")
    return (*(bits >> 12 * place & 0xFFF for place in range(4)), *payload[6:10])


def _numbers(kind: int) -> tuple[int, ...]:
    first = 5 + 4 * (kind - TYPES[0])
    return (1, 2, 3, 4, first, first + 1, first + 2, first + 3)


def _us(counts: Sequence[int]) -> tuple[float, ...]:
    return (*(880 + value * 5 / 16 for value in counts[:4]), *(880.0 + value * 5 for value in counts[4:]))


class GhstDecoder(ScanDecoder):
    """See ScanDecoder."""

    starts = ADDRESSES
    gap_s = GAP_S

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if at + 2 >= size:
            return None
        return LENGTH + 2 if held[at + 1] == LENGTH and held[at + 2] in TYPES else 0

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        if crc8.dvb_s2(frame[2:-1]) != frame[-1]:
            return None
        counts, numbers = _counts(frame[3:-1]), _numbers(frame[2])
        return ChannelFrame(t, _us(counts), counts, numbers=None if numbers[4] == 5 else numbers)


class GhstEncoder(Encoder):
    """See Encoder. Types 10, 11 and 12 take turns."""

    def __init__(self) -> None:
        self._turn = 0

    def frame(self, sent: Sent) -> bytes:
        """See Encoder."""
        us = [*sent.us, *[1500.0] * 16]
        kind = TYPES[self._turn]
        self._turn = (self._turn + 1) % len(TYPES)
        high = [min(4095, max(0, round((value - 880) * 16 / 5))) for value in us[:4]]
        low = [min(255, max(0, round((us[number - 1] - 880) / 5))) for number in _numbers(kind)[4:]]
        return encode(kind, high, low)


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    if len(frame) != LENGTH + 2:
        return [byte_field("address", frame, 0)]
    counts, numbers = _counts(frame[3:-1]), _numbers(frame[2])
    us = _us(counts)
    fields = [
        byte_field("address", frame, 0, means="flight controller" if frame[0] == FLIGHT_CONTROLLER else "radio"),
        byte_field("length", frame, 1, means=f"{frame[1]} bytes follow"),
        byte_field("type", frame, 2, means=f"channels 1 to 4 and {numbers[4]} to {numbers[7]}", ok=frame[2] in TYPES),
    ]
    fields += [Field(f"CH{numbers[place]}", 24 + 12 * place, 12, counts[place], f"{us[place]:g} us") for place in range(4)]
    fields += [Field(f"CH{numbers[place]}", 72 + 8 * (place - 4), 8, counts[place], f"{us[place]:g} us") for place in range(4, 8)]
    return [*fields, checksum_field(frame, len(frame) - 1, crc8.dvb_s2(frame[2:-1]))]


SPEC = SerialSpec(
    name="GHST",
    uart=UartSettings(420_000),
    channels=16,
    frame_bytes=LENGTH + 2,
    periods_s=(0.004, 0.020),
    step_us=0.3125,
    one_way=False,
    checksum=True,
    decoder=GhstDecoder,
    encoder=GhstEncoder,
    explain=explain,
)
