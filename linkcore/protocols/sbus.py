"""SBUS: 25 bytes, 16 channels of 11 bits, no checksum; protected by header, footer, length, parity and framing.

A frame begins after an idle gap. Where bytes come without times, 25 bytes count as a frame when header and footer fit
and another header (or the end) follows. The telemetry version's footers (low nibble 4) are accepted; that they count in
bits 4 and 5 is only fairly sure, so their order is not checked.
"""

from __future__ import annotations

from collections.abc import Sequence

from linkcore.protocols.base import BadFrame, ChannelFrame, Decoder, Frame, ProtocolSpec, pack_channels, unpack_channels
from linkcore.signal.uart import UartSettings

HEADER = 0x0F
LENGTH = 25
FOOTERS = frozenset((0x00, 0x04, 0x14, 0x24, 0x34))
FRAME_LOST = 0x04
FAILSAFE = 0x08
GAP_S = 0.002


def encode(raw: Sequence[int], *, frame_lost: bool = False, failsafe: bool = False) -> bytes:
    """The 25 bytes of a frame from 16 counts (0..2047)."""
    flags = FRAME_LOST * frame_lost | FAILSAFE * failsafe
    return bytes((HEADER,)) + pack_channels(raw) + bytes((flags, 0x00))


def _looks_whole(frame: bytes | bytearray) -> bool:
    return frame[0] == HEADER and frame[24] in FOOTERS and frame[23] & 0xF0 == 0


def _read(frame: bytes | bytearray, t: float | None) -> ChannelFrame:
    raw, us = unpack_channels(frame[1:23])
    flags = frame[23]
    return ChannelFrame(t, us, raw, failsafe=bool(flags & FAILSAFE), frame_lost=bool(flags & FRAME_LOST))


class SbusDecoder(Decoder):
    """See Decoder."""

    def __init__(self) -> None:
        self._bytes = bytearray()
        self._errors: list[int] = []
        self._start: float | None = None
        self._last: float | None = None
        self._begun_at_gap = False
        self._joined = True  # still in the burst that was going on when listening began: it may lack its head
        self._seen_good = False
        self._skipping = False

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        if times is None:
            return self._feed_untimed(data, errors)
        frames: list[Frame] = []
        if errors is None:
            errors = bytes(len(data))
        held = self._bytes
        for byte, t, error in zip(data, times, errors, strict=True):
            if self._last is None:
                self._begun_at_gap = t >= GAP_S  # the capture itself began with silence
            elif t - self._last >= GAP_S:
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
            if self._begun_at_gap and len(held) == LENGTH:
                frames.append(self._judge())
                held.clear()
                self._begun_at_gap = False
            elif len(held) > 40 * LENGTH:
                del held[: -2 * LENGTH]
                self._errors = [LENGTH]  # no gap for a second: whatever this is, it will not pass as whole
        return frames

    def finish(self) -> list[Frame]:
        """See Decoder."""
        if self._last is None:
            return self._scan(at_end=True)
        return self._close_at_gap(at_end=True)

    def _judge(self) -> Frame:
        held, t = self._bytes, self._start
        if self._errors:
            return BadFrame(t, f"byte {self._errors[0] + 1} of 25 has a parity or framing error")
        if not _looks_whole(held):
            return BadFrame(t, "header, flags or footer do not fit")
        self._seen_good = True
        return _read(held, t)

    def _close_at_gap(self, at_end: bool = False) -> list[Frame]:
        """The line fell silent. What is held is a cut frame, or, before any gap was seen, perhaps a whole one."""
        held = self._bytes
        if not held:
            return []
        frames: list[Frame] = []
        if not self._begun_at_gap and len(held) == LENGTH and not self._errors and _looks_whole(held):
            frames.append(_read(held, self._start))
            self._seen_good = True
        elif self._begun_at_gap and not at_end and not self._joined:
            frames.append(BadFrame(self._start, f"{len(held)} bytes before the gap instead of 25"))
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
        while len(held) - at >= LENGTH + (0 if at_end else 1):
            window = held[at : at + LENGTH]
            followed = at + LENGTH == len(held) or held[at + LENGTH] == HEADER
            if _looks_whole(window) and followed:
                frames.append(_read(window, None))
                self._seen_good = True
                self._skipping = False
                at += LENGTH
            else:
                if self._seen_good and not self._skipping:
                    frames.append(BadFrame(None, "no header and footer 25 bytes apart"))
                self._skipping = True
                at += 1
        del held[:at]
        return frames


SPEC = ProtocolSpec(
    name="SBUS",
    uart=UartSettings(100_000, 8, "even", 2, inverted=True),
    channels=16,
    frame_bytes=LENGTH,
    periods_s=(0.014, 0.009, 0.007),
    carries_failsafe=True,
    step_us=0.625,
    decoder=SbusDecoder,
)
