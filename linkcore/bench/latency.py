"""How long movements take on a bench, from the hand to the frame in which the board sees them."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

from linkcore.hops.sticks.latency import MeasuredLatency
from linkcore.protocols.base import ChannelFrame, Frame

LEAST_US = 60.0  # a movement that can be told from noise
STILL_S = 0.3  # the stick has rested for so long before
LONGEST_S = 0.5
KEPT = 40


class LatencyWatch:
    """Movements of one channel at a time, each timed from the hand to the first frame that has half of it."""

    def __init__(self) -> None:
        self._taken: deque[float] = deque(maxlen=KEPT)
        self._from: tuple[float, list[float], list[float]] | None = None  # when the hand moved, what was sent before, what should come
        self._moved_t = -STILL_S

    def moved(self, t: float, before: Sequence[float], after: Sequence[float]) -> None:
        """A hand has moved something at `t`, s; what goes out before and after it, us."""
        rested = t - self._moved_t >= STILL_S
        self._moved_t = t
        pairs = list(zip(before, after, strict=False))
        far = any(abs(one - other) >= LEAST_US for one, other in pairs)
        self._from = (t, list(before), list(after)) if rested and far else None

    def take(self, frames: Sequence[Frame]) -> None:
        """Frames as the board has decoded them."""
        for frame in frames:
            if self._from is None or not isinstance(frame, ChannelFrame) or frame.t is None or frame.failsafe:
                continue
            began, before, after = self._from
            if frame.t - began > LONGEST_S:
                self._from = None
                continue
            for number, us in frame.numbered().items():
                if number > min(len(before), len(after)) or abs(after[number - 1] - before[number - 1]) < LEAST_US:
                    continue
                if abs(us - after[number - 1]) < abs(us - before[number - 1]):
                    self._taken.append(frame.t - began)
                    self._from = None
                    break

    @property
    def seen(self) -> MeasuredLatency | None:
        """What came of it so far."""
        if not self._taken:
            return None
        ordered = sorted(self._taken)
        return MeasuredLatency(count=len(ordered), typical_ms=round(1e3 * ordered[len(ordered) // 2], 1), worst_ms=round(1e3 * ordered[-1], 1))
