"""UART framing both ways: bytes to timed edges, and edges to the bytes that a port with given settings reads.

The receiving side follows the wire facts' model of a UART: it arms on a high-to-low transition, checks the middle of
the start bit, samples each bit in its middle, checks only the first stop bit, and arms again at that sample. A port
that is set wrongly therefore reads the garbage a real one would read.
"""

from __future__ import annotations

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
    rows, positions = np.nonzero(_toggles_of(settings.data_bits, settings.parity, settings.stop_bits)[values])
    return Edges(settings.idle_level, begins[rows] + positions * settings.bit_s)


_FEW = 4000  # bytes at once


class UartReceiver:
    """A port that samples a line. Feed it toggles as they come; it returns the bytes it has finished reading."""

    def __init__(self, settings: UartSettings, level: int | None = None) -> None:
        """`level` is the line's level before the first toggle; by default the idle level of the settings."""
        self.settings = settings
        self._level = (settings.idle_level if level is None else level) ^ int(settings.inverted)
        self._pending = NO_TIMES
        self._not_before = -np.inf
        samples = self.settings.data_bits + (self.settings.parity != "none") + 1
        self._middles = (np.arange(samples) + 1.5) * self.settings.bit_s
        self._weights = (1 << np.arange(self.settings.data_bits)).astype(np.uint16)

    def feed(self, toggles: Times, until: float) -> ReceivedBytes:
        """Take further toggles; `until` (seconds) is the time up to which the line is known."""
        times = np.concatenate((self._pending, toggles)) if len(self._pending) else toggles
        if len(times) == 0:
            return NOTHING_RECEIVED
        bit = self.settings.bit_s
        parity = self.settings.parity
        samples = 1 + self.settings.data_bits + (parity != "none") + 1
        stop_sample = (samples - 0.5) * bit

        first_fall = 0 if self._level == 1 else 1
        falls = times[first_fall::2]
        rises = times[first_fall + 1 :: 2]
        if len(rises) and (rises - falls[: len(rises)]).min() <= 0.5 * bit:  # a spike among them, which hardly ever is
            toggles_before_middle = np.searchsorted(times, falls + 0.5 * bit, side="right") - (first_fall + 1 + 2 * np.arange(len(falls)))
            falls = falls[toggles_before_middle % 2 == 0]
        candidates = falls[np.searchsorted(falls, self._not_before) :]

        # Every candidate knows which one the port would arm on next, so the walk itself is a chase through a list.
        following = np.searchsorted(candidates, candidates + stop_sample, side="left").tolist()
        known = int(np.searchsorted(candidates, until - stop_sample, side="right"))
        taken = []
        at = 0
        while at < known:
            taken.append(at)
            at = following[at]

        starts = candidates[taken]
        result = self._sample(times, starts, bit, samples) if taken else NOTHING_RECEIVED

        if at < len(candidates):
            self._not_before = float(candidates[at])
            keep = int(np.searchsorted(times, self._not_before, side="left"))
        else:
            keep = len(times)
            if len(starts):
                self._not_before = float(starts[-1]) + stop_sample
        self._level ^= keep & 1
        self._pending = times[keep:].copy()
        return result

    def finish(self, until: float) -> ReceivedBytes:
        """The line stays as it is after `until`: read a byte whose last edge has already come."""
        return self.feed(NO_TIMES, until + 2 * self.settings.byte_s)

    def _sample(self, times: Times, starts: Times, bit: float, samples: int) -> ReceivedBytes:
        # Walk all bytes at once, sample by sample: hardly ever does more than one toggle lie between two samples.
        if len(starts) < _FEW:  # one look-up for all is the quicker way where numpy's calls are what costs
            places = starts[:, None] + self._middles[None, :]
            bits = ((np.searchsorted(times, places.ravel(), side="right").reshape(places.shape) + self._level) & 1).astype(np.uint8)
            return self._read_bits(starts, bits)
        fence = np.append(times, np.inf)
        passed = np.searchsorted(times, starts, side="right")
        bits = np.empty((len(starts), samples - 1), dtype=np.uint8)
        for place in range(samples - 1):
            when = starts + (place + 1.5) * bit
            while (behind := fence[passed] <= when).any():
                passed += behind
            bits[:, place] = (passed + self._level) & 1
        return self._read_bits(starts, bits)

    def _read_bits(self, starts: Times, bits: NDArray[np.uint8]) -> ReceivedBytes:
        data_bits = bits[:, : self.settings.data_bits]
        data = (data_bits @ self._weights).astype(np.uint8)
        errors = np.where(bits[:, -1] == 0, FRAMING_ERROR, 0).astype(np.uint8)
        if self.settings.parity != "none":
            wrong = _parity_bits(data_bits, self.settings.parity) != bits[:, self.settings.data_bits]
            errors |= np.where(wrong, PARITY_ERROR, 0).astype(np.uint8)
        return ReceivedBytes(data, starts, errors)


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
