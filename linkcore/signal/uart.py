"""UART framing both ways: bytes to timed edges, and edges to the bytes that a port with given settings reads.

The receiving side follows the wire facts' model of a UART: it arms on a high-to-low transition, checks the middle of
the start bit, samples each bit in its middle, checks only the first stop bit, and arms again at that sample. A port
that is set wrongly therefore reads the garbage a real one would read.
"""

from __future__ import annotations

from array import array
from dataclasses import dataclass, replace
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from linkcore.signal.edges import NO_TIMES, Edges, Times

Parity = Literal["none", "even", "odd"]

FRAMING_ERROR = 1
PARITY_ERROR = 2
Wrong = Literal["", "no stop bit", "parity", "parity, no stop bit"]
WRONG: dict[int, Wrong] = {0: "", FRAMING_ERROR: "no stop bit", PARITY_ERROR: "parity", FRAMING_ERROR | PARITY_ERROR: "parity, no stop bit"}


@dataclass(frozen=True)
class UartSettings:
    """How a port sends and samples. `inverted` means idle low, start bit high, data complemented."""

    baud: int
    data_bits: int = 8
    parity: Parity = "none"
    stop_bits: int = 1
    inverted: bool = False

    @property
    def bit_s(self) -> float:
        """Seconds a bit."""
        return 1.0 / self.baud

    @property
    def byte_s(self) -> float:
        """Seconds that one byte occupies on the wire, start and all stop bits included."""
        return (1 + self.data_bits + (self.parity != "none") + self.stop_bits) / self.baud

    @property
    def idle_level(self) -> int:
        """The level of a resting line, 0 or 1."""
        return 0 if self.inverted else 1

    @property
    def framing(self) -> str:
        """The trade's short form, such as 8E2."""
        return f"{self.data_bits}{self.parity[0].upper()}{self.stop_bits}"

    def with_inversion(self, inverted: bool) -> UartSettings:
        """The same settings with this inversion."""
        return replace(self, inverted=inverted)


@dataclass(frozen=True)
class ReceivedBytes:
    """Bytes a port read: `data` uint8, `times` of their start edges in seconds, `errors` as FRAMING_ERROR | PARITY_ERROR."""

    data: NDArray[np.uint8]
    times: Times
    errors: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.data)


NOTHING_RECEIVED = ReceivedBytes(np.empty(0, np.uint8), NO_TIMES, np.empty(0, np.uint8))


def _parity_bits(bits: NDArray[np.uint8], parity: Parity) -> NDArray[np.uint8]:
    """The parity bit for each row of data bits (rows x data bits)."""
    odd_ones: NDArray[np.uint8] = bits.sum(axis=1, dtype=np.uint8) & np.uint8(1)
    return odd_ones if parity == "even" else odd_ones ^ np.uint8(1)


@cache
def _toggles_of(data_bits: int, parity: Parity, stop_bits: int) -> NDArray[np.bool_]:
    """For every byte (rows): whether the line toggles at the beginning of each bit of its frame. It rests high before and after, so each byte stands for itself."""
    values = np.arange(256, dtype=np.uint8)
    bits = ((values[:, None] >> np.arange(data_bits, dtype=np.uint8)) & 1).astype(np.uint8)
    columns = [np.zeros((256, 1), np.uint8), bits]
    if parity != "none":
        columns.append(_parity_bits(bits, parity)[:, None])
    columns.append(np.ones((256, stop_bits), np.uint8))
    levels = np.concatenate(columns, axis=1)
    before = np.concatenate((np.ones((256, 1), np.uint8), levels[:, :-1]), axis=1)
    found: NDArray[np.bool_] = levels != before
    return found


def send(data: bytes, starts: Times | float, settings: UartSettings) -> Edges:
    """The edges that a UART makes for `data`.

    `starts` is the time of the first start bit (bytes then follow back to back) or one time a byte, in seconds,
    at least one byte time apart.
    """
    values = np.frombuffer(data, dtype=np.uint8)
    if len(values) == 0:
        return Edges(settings.idle_level, NO_TIMES)
    begins: Times = starts if isinstance(starts, np.ndarray) else np.asarray(starts + np.arange(len(values)) * settings.byte_s, dtype=np.float64)
    toggles = _toggles_of(settings.data_bits, settings.parity, settings.stop_bits)
    places = begins[:, None] + np.arange(toggles.shape[1]) * settings.bit_s
    return Edges(settings.idle_level, places[toggles[values]])


Pieces = list[tuple[float, bytes]]  # when the first start bit goes out, s, and the bytes


def toggles_of(pieces: Pieces, settings: UartSettings) -> Times:
    """The toggles of bytes that begin at these times (s), those of each piece back to back."""
    if not pieces:
        return NO_TIMES
    sizes = [len(data) for _, data in pieces]
    offsets = np.arange(max(sizes)) * settings.byte_s
    starts = np.concatenate([start + offsets[:size] for (start, _), size in zip(pieces, sizes, strict=True)])
    return send(b"".join([data for _, data in pieces]), starts, settings).times


@cache
def _meanings(data_bits: int, parity: Parity) -> tuple[NDArray[np.uint16], NDArray[np.uint8], NDArray[np.uint8]]:
    """How a port makes bytes of levels: (which samples a toggle turns over, by how many middles of bits have passed since the start edge, the start bit's among them; of every word of samples its byte; its errors)."""
    samples = data_bits + (parity != "none") + 1
    turned_over = np.array([(1 << samples) - (1 << max(0, passed - 1)) for passed in range(samples + 2)], np.uint16)
    words = np.arange(1 << samples, dtype=np.uint16)
    bits = ((words[:, None] >> np.arange(samples, dtype=np.uint16)) & 1).astype(np.uint8)
    errors = np.where(bits[:, -1], 0, FRAMING_ERROR).astype(np.uint8)
    if parity != "none":
        errors |= np.where(_parity_bits(bits[:, :data_bits], parity) == bits[:, data_bits], 0, PARITY_ERROR).astype(np.uint8)
    return turned_over, (words & ((1 << data_bits) - 1)).astype(np.uint8), errors


class UartReceiver:
    """A port that samples a line. Feed it toggles as they come; it returns the bytes it has finished reading."""

    def __init__(self, settings: UartSettings, level: int | None = None) -> None:
        """`level` is the line's level before the first toggle; by default the idle level of the settings."""
        self.settings = settings
        self._level = (settings.idle_level if level is None else level) ^ int(settings.inverted)
        self._pending = NO_TIMES
        self._not_before = -np.inf
        self._stop_sample = (settings.data_bits + (settings.parity != "none") + 1.5) * settings.bit_s
        self._turned_over, self._bytes, self._errors = _meanings(settings.data_bits, settings.parity)

    def feed(self, toggles: Times, until: float) -> ReceivedBytes:
        """Take further toggles; `until` (seconds) is the time up to which the line is known."""
        times = np.concatenate((self._pending, toggles)) if len(self._pending) else toggles
        if len(times) == 0:
            return NOTHING_RECEIVED
        if len(self._pending) and len(toggles) and toggles[0] < self._pending[-1]:
            times.sort()  # two that speak at once
        half_bit, stop_sample = 0.5 * self.settings.bit_s, self._stop_sample

        first_fall = 0 if self._level == 1 else 1
        falls = times[first_fall::2]
        rises = times[first_fall + 1 :: 2]
        if len(rises) and np.minimum.reduce(rises - falls[: len(rises)]) <= half_bit:  # a spike among them, which hardly ever is
            toggles_before_middle = np.searchsorted(times, falls + half_bit, side="right") - (first_fall + 1 + 2 * np.arange(len(falls)))
            falls = falls[toggles_before_middle % 2 == 0]
        candidates = falls if len(falls) and falls[0] >= self._not_before else falls[falls.searchsorted(self._not_before) :]

        # Every candidate knows which one the port would arm on next, so the walk itself is a chase through them.
        following = candidates.searchsorted(candidates + stop_sample).data
        known = int(candidates.searchsorted(until - stop_sample, side="right"))
        taken, at = array("q"), 0
        while at < known:
            taken.append(at)
            at = following[at]

        result = NOTHING_RECEIVED
        if taken:
            result = self._sample(times, candidates[np.frombuffer(taken, np.int64)])
            self._not_before = float(result.times[-1]) + stop_sample
        keep = int(times.searchsorted(candidates[at])) if at < len(candidates) else len(times)
        self._level ^= keep & 1
        self._pending = times[keep:].copy()
        return result

    def finish(self, until: float) -> ReceivedBytes:
        """The line stays as it is after `until`: read a byte whose last edge has already come."""
        return self.feed(NO_TIMES, until + 2 * self.settings.byte_s)

    def _sample(self, times: Times, starts: Times) -> ReceivedBytes:
        """The bytes that begin at `starts`. After its start edge the line is low; each further toggle turns over every sample from the next middle on."""
        begins = times.searchsorted(starts)
        times, begins = times[begins[0] :], begins - begins[0]
        since = times - starts.repeat(np.concatenate((begins[1:], (len(times),))) - begins)
        middles_passed = np.ceil(since * self.settings.baud - 0.5).astype(np.intp)
        turned_over = self._turned_over.take(middles_passed, mode="clip")
        turned_over[begins] = 0  # the start edges themselves
        words = np.bitwise_xor.reduceat(turned_over, begins)
        return ReceivedBytes(self._bytes[words], starts, self._errors[words])


def read_all(edges: Edges, settings: UartSettings, until: float) -> ReceivedBytes:
    """What a port with `settings` reads from a whole recorded line that ends at `until` seconds."""
    port = UartReceiver(settings, edges.level)
    body = port.feed(edges.times, until)
    tail = port.finish(until)
    if not len(tail):
        return body
    return ReceivedBytes(
        np.concatenate((body.data, tail.data)),
        np.concatenate((body.times, tail.times)),
        np.concatenate((body.errors, tail.errors)),
    )
