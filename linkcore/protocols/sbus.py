"""SBUS: 25 bytes, 16 channels of 11 bits, no checksum; protected by header, footer, length, parity and framing.

A frame begins after an idle gap. Where bytes come without times, 25 bytes count as a frame when header and footer fit
and another header (or the end) follows. The telemetry version's footers (low nibble 4) are accepted; that they count in
bits 4 and 5 is only fairly sure, so their order is not checked.
"""

from __future__ import annotations

from collections.abc import Sequence

from linkcore.protocols.base import ChannelFrame, Encoder, Field, Frame, Sent, SerialSpec, byte_field
from linkcore.protocols.counts import channel_fields, pack_channels, pack_us, unpack_channels
from linkcore.protocols.finding import GapDecoder
from linkcore.signal.uart import UartSettings

HEADER = 0x0F
LENGTH = 25
FOOTERS = frozenset((0x00, 0x04, 0x14, 0x24, 0x34))
FRAME_LOST = 0x04
FAILSAFE = 0x08
GAP_S = 0.002


def encode(raw: Sequence[int], *, frame_lost: bool = False, failsafe: bool = False) -> bytes:
    """The 25 bytes of a frame from 16 counts (0..2047)."""
    return bytes((HEADER,)) + pack_channels(raw) + bytes((flags_byte(frame_lost, failsafe), 0x00))


class SbusDecoder(GapDecoder):
    """See GapDecoder."""

    length = LENGTH
    gap_s = GAP_S

    def _whole(self, frame: bytes | bytearray) -> bool:
        return frame[0] == HEADER and frame[24] in FOOTERS and frame[23] & 0xF0 == 0

    def _followed(self, held: bytearray, end: int) -> bool:
        return held[end] == HEADER

    def _read(self, frame: bytes | bytearray, t: float | None) -> Frame:
        raw, us = unpack_channels(bytes(frame[1:23]))
        flags = frame[23]
        return ChannelFrame(t, us, raw, failsafe=bool(flags & FAILSAFE), frame_lost=bool(flags & FRAME_LOST))


class SbusEncoder(Encoder):
    """See Encoder."""

    def frame(self, sent: Sent) -> bytes:
        """See Encoder."""
        return bytes((HEADER,)) + pack_us(sent.us) + bytes((flags_byte(sent.frame_lost, sent.failsafe), 0x00))


def flags_byte(frame_lost: bool, failsafe: bool) -> int:
    """The flags as SBUS and F.Port carry them."""
    return FRAME_LOST * frame_lost | FAILSAFE * failsafe


def flag_fields(at: int, frame: bytes) -> list[Field]:
    """The flags at byte `at`, bit by bit."""
    names = ("digital CH17", "digital CH18", "frame lost", "failsafe")
    flags = frame[at]
    fields = [Field(name, 8 * at + bit, 1, flags >> bit & 1, "set" if flags >> bit & 1 else "not set") for bit, name in enumerate(names)]
    return [*fields, Field("unused", 8 * at + 4, 4, flags >> 4, "" if flags < 16 else "must be 0", flags < 16)]


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    if len(frame) < LENGTH:
        return [byte_field("header", frame, 0, means="", ok=frame[0] == HEADER)]
    header = byte_field("header", frame, 0, means="as it must be" if frame[0] == HEADER else "must be 0F", ok=frame[0] == HEADER)
    fits = frame[24] in FOOTERS
    footer = byte_field("footer", frame, 24, means="as it must be" if fits else "must be 00, or 04, 14, 24, 34 of the telemetry version", ok=fits)
    return [header, *channel_fields(1, frame[1:23]), *flag_fields(23, frame), footer]


SPEC = SerialSpec(
    name="SBUS",
    uart=UartSettings(100_000, 8, "even", 2, inverted=True),
    channels=16,
    frame_bytes=LENGTH,
    periods_s=(0.014, 0.009, 0.007),
    carries_failsafe=True,
    step_us=0.625,
    decoder=SbusDecoder,
    encoder=SbusEncoder,
    explain=explain,
)
