"""PPM: short separators of one width; a channel is the time from one separator's beginning to the next, and a long gap ends the frame.

Either polarity gives the same values when timed between edges of one direction. The gap of 2.7 ms and more that ends a frame, and what makes a
frame bad (an interval below 750 us or between 2250 us and the gap, or another number of channels), are fairly sure facts.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from linkcore.protocols.base import BadFrame, ChannelFrame, Frame, PulseDecoder, PulseSpec
from linkcore.signal.edges import NO_TIMES, Times

SEPARATOR_S = 0.0003
GAP_S = 0.0027
SHORTEST_US, LONGEST_US = 750.0, 2250.0
FEWEST, MOST = 4, 16
CHANNELS = 8
PERIOD_S = 0.0225


class PpmDecoder(PulseDecoder):
    """`level`: the line's level before the first toggle, separators being high; `since`: when listening began (s). A separator counts from its rise."""

    def __init__(self, level: int, since: float = 0.0) -> None:
        self._level = level
        self._since = since
        self._rest = NO_TIMES
        self._count: int | None = None
        self._synced = False

    def feed(self, toggles: Times, until: float) -> list[Frame]:
        """See PulseDecoder."""
        rises = toggles[self._level :: 2]
        self._level ^= len(toggles) & 1
        if not self._synced and not len(self._rest) and len(rises):
            self._synced = float(rises[0]) - self._since >= GAP_S  # listening itself began with a rest
            self._since = float(rises[0])
        starts = np.concatenate((self._rest, rises))
        frames: list[Frame] = []
        gaps = np.flatnonzero(np.diff(starts) >= GAP_S).tolist()
        begin = 0
        for end in gaps:
            frames += self._judge(starts[begin : end + 1])
            begin = end + 1
            self._synced = True
        self._rest = starts[begin:].copy()
        if len(self._rest) > 64:  # no gap where one must come: not PPM; keep the memory small
            frames.append(BadFrame(float(self._rest[0]), "no gap behind 64 separators"))
            self._rest = self._rest[-1:]
            self._synced = False
        if len(self._rest) and until - float(self._rest[-1]) >= GAP_S:
            frames += self._judge(self._rest)
            self._rest = NO_TIMES
            self._synced = True
        return frames

    def finish(self, until: float) -> list[Frame]:
        """See PulseDecoder. A frame whose gap the end has cut may lack channels, so it does not count."""
        return []

    def _judge(self, starts: Times) -> list[Frame]:
        if not self._synced:  # listening may have begun in the middle of it
            return []
        widths = np.round(np.diff(starts) * 1e6, 1)
        t = float(starts[0])
        if len(widths) == 0:
            return []
        wrong = (widths < SHORTEST_US) | (widths > LONGEST_US)
        if wrong.any():
            return [BadFrame(t, f"an interval of {widths[int(wrong.argmax())]:g} us; {SHORTEST_US:g} to {LONGEST_US:g} are taken")]
        if not FEWEST <= len(widths) <= MOST:
            return [BadFrame(t, f"{len(widths)} channels; {FEWEST} to {MOST} are taken")]
        before, self._count = self._count, len(widths)
        if before is not None and before != len(widths):
            return [BadFrame(t, f"{len(widths)} channels, {before} in the frame before")]
        return [ChannelFrame(t, tuple(widths.tolist()), tuple(round(width) for width in widths.tolist()))]


def edges(us: Sequence[float], t: float) -> Times:
    """The toggles of a frame whose first separator begins at `t` (s)."""
    starts = t + np.concatenate(([0.0], np.cumsum(np.asarray(us, dtype=np.float64)))) * 1e-6
    return np.column_stack((starts, starts + SEPARATOR_S)).ravel()


SPEC = PulseSpec(name="PPM", pulses="PPM", channels=CHANNELS, periods_s=(0.020, PERIOD_S), step_us=1.0, decoder=PpmDecoder, edges=edges)
