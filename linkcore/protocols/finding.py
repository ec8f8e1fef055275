"""Three ways of finding frames among bytes, which the protocols' decoders share: by length and checksum, by a rest before them, by flags around them."""

from __future__ import annotations

import math
from abc import abstractmethod
from array import array
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from linkcore.protocols.base import BadFrame, Decoder, Frame

_NONE: tuple[int, None] = (0, None)  # no frame begins there


class ScanDecoder(Decoder):
    """Finds frames that name their own length and have a checksum: each byte is tried as a beginning.

    A run of bytes that begin no frame counts as one bad frame, until a pause or a good frame ends the run.
    """

    starts: frozenset[int]
    gap_s: float
    what_fails = "header, length or checksum do not fit"

    def __init__(self) -> None:
        self._bytes = bytearray()
        self._times = array("d")
        self._errors = bytearray()
        self._timed = False
        self._in_step = False  # the byte before belonged to a good frame
        self._seen_good = False
        self._seen_gap = False
        self._skipping = False
        self._last: float | None = None
        self._pauses: list[int] = []  # places among the bytes held before which the line was silent for longer than a frame allows

    @abstractmethod
    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        """Bytes of the frame that begins at `at`, of the `size` bytes held: 0 where none can, None where more are needed to tell."""

    @abstractmethod
    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        """The frame of these bytes; None where its checksum does not fit."""

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        self._bytes += data
        self._errors += bytes(errors) if errors is not None else bytes(len(data))
        if times is not None:
            self._timed = True
            held = max(1, len(self._times))
            self._times.extend(times)
            since = np.asarray(self._times)[held - 1 :]
            self._pauses += ((since[1:] - since[:-1] > self.gap_s).nonzero()[0] + held).tolist()
            del since  # the array may not grow while it is looked at
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
            # silence ends a run of skipped bytes: what follows is a frame of its own
            if self._timed and self._last is not None and self._times[at] - self._last > self.gap_s:
                self._seen_gap, self._skipping = True, False
            outcome = self._frame_at(at, size, at_end) if held[at] in self.starts else _NONE
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
            self._pauses = [place - at for place in self._pauses if place > at]
        return frames

    def _frame_at(self, at: int, size: int, at_end: bool) -> tuple[int, Frame | None] | None:
        """(length, frame) of the frame that begins at `at`, with a byte that may begin one; no frame where none does; None where more bytes are needed."""
        held = self._bytes
        length = self._length(held, at, size)
        end = size if length is None else at + length
        if length == 0:
            return _NONE
        there = min(end, size)
        if self._pauses and there - at > 1 and self._has_pause(at, there):
            return _NONE
        if length is None or end > size:
            return _NONE if at_end else None
        if self._errors.count(0, at, end) < end - at:
            return _NONE
        return length, self._read(bytes(held[at:end]), self._times[at] if self._timed else None)

    def _has_pause(self, start: int, end: int) -> bool:
        at = bisect_right(self._pauses, start)
        return at < len(self._pauses) and self._pauses[at] < end


class GapDecoder(Decoder):
    """Finds frames of one fixed length that begin after a rest: for protocols without a checksum."""

    length: int
    gap_s: float
    looks_ahead = 1  # without times: bytes of the next frame that have to be there before this one is taken

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
        self._full = False  # a frame was taken, and the line has not rested since

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
                self._joined = self._full = False
            self._last = t
            if not held and self._full:
                frames.append(BadFrame(t, f"more than {self.length} bytes without a rest between"))
                self._full = False
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
                self._full = True
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
        while len(held) - at >= self.length + (0 if at_end else self.looks_ahead):
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
            if len(held.data) == 1 and not held.wrong and not self._escaped and self._opened:
                frames += self._first(held.data[0], held.flag_t, held.times)
        return frames

    def _first(self, byte: int, flag_t: float | None, times: list[float]) -> list[Frame]:
        """What the first byte behind a flag says already: somebody may have to answer before the next flag comes."""
        return []

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
