"""SUMD: header A8, status, a count, that many channels of 16 bits (us * 8), CRC-16/XMODEM over all before it; all big endian.

Status 03, which a later version of the protocol sends with another meaning of what follows, is fairly sure only and is not read.
"""

from __future__ import annotations

from collections.abc import Sequence

from fastcrc import crc16

from linkcore.protocols.base import ChannelFrame, Encoder, Field, Frame, Sent, SerialSpec, byte_field, checksum_field
from linkcore.protocols.finding import ScanDecoder
from linkcore.signal.uart import UartSettings

HEADER, LIVE, FAILSAFE = 0xA8, 0x01, 0x81
GAP_S = 0.001
CHANNELS = 12


def encode(raw: Sequence[int], failsafe: bool = False) -> bytes:
    """A frame of 2 to 32 counts (us * 8, 0 to 65535)."""
    if not 2 <= len(raw) <= 32:
        raise ValueError(f"2 to 32 channels go, not {len(raw)}")
    body = bytes((HEADER, FAILSAFE if failsafe else LIVE, len(raw))) + b"".join(value.to_bytes(2, "big") for value in raw)
    return body + crc16.xmodem(body).to_bytes(2, "big")


class SumdDecoder(ScanDecoder):
    """See ScanDecoder."""

    starts = frozenset((HEADER,))
    gap_s = GAP_S

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if at + 2 >= size:
            return None
        if held[at + 1] not in (LIVE, FAILSAFE) or not 2 <= held[at + 2] <= 32:
            return 0
        return 5 + 2 * held[at + 2]

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        if crc16.xmodem(frame[:-2]) != int.from_bytes(frame[-2:], "big"):
            return None
        raw = tuple(int.from_bytes(frame[at : at + 2], "big") for at in range(3, len(frame) - 2, 2))
        return ChannelFrame(t, tuple(value / 8 for value in raw), raw, failsafe=frame[1] == FAILSAFE)


class SumdEncoder(Encoder):
    """See Encoder."""

    def frame(self, sent: Sent) -> bytes:
        """See Encoder."""
        return encode([min(0xFFFF, max(0, round(8 * value))) for value in [*sent.us, *[1500.0] * CHANNELS][:CHANNELS]], sent.failsafe)


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    if len(frame) < 5 or len(frame) != 5 + 2 * frame[2]:
        return [byte_field("header", frame, 0, ok=frame[0] == HEADER)]
    status = {LIVE: "live", FAILSAFE: "failsafe"}.get(frame[1], "not known")
    fields = [
        byte_field("header", frame, 0, means="as it must be" if frame[0] == HEADER else "must be A8", ok=frame[0] == HEADER),
        byte_field("status", frame, 1, means=status, ok=frame[1] in (LIVE, FAILSAFE)),
        byte_field("count", frame, 2, means="channels"),
    ]
    for index in range(frame[2]):
        at = 3 + 2 * index
        fields.append(byte_field(f"CH{index + 1}", frame, at, 2, order="big", means=f"{int.from_bytes(frame[at : at + 2], 'big') / 8:g} us"))
    return [*fields, checksum_field(frame, len(frame) - 2, crc16.xmodem(frame[:-2]), 2, order="big")]


SPEC = SerialSpec(
    name="SUMD",
    uart=UartSettings(115_200),
    channels=16,
    frame_bytes=5 + 2 * CHANNELS,
    periods_s=(0.010,),
    carries_failsafe=True,
    step_us=0.125,
    checksum=True,
    decoder=SumdDecoder,
    encoder=SumdEncoder,
    explain=explain,
)
