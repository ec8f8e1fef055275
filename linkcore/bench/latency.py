"""How long movements take on a bench, from the hand to the frame in which the board sees them."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

from linkcore.hops.sticks.latency import MeasuredLatency
from linkcore.protocols.base import ChannelFrame, Frame

LEAST_US = 20.0  # a step that can be told from a gimbal's restlessness in any frame
STILL_S = 0.3  # the stick has rested for so long before a stroke begins: nothing of an earlier one is under way
LONGEST_S = 0.5
KEPT = 40


@dataclass(frozen=True)
class _Step:
    """One step of a hand: when, and what was sent before it and what should come after it, us."""

    t: float
    before: list[float]
    after: list[float]

    def moved_us(self, index: int) -> float:
        """How far it moved channel `index`, from 0; less than `LEAST_US` counts as nothing."""
        by = self.after[index] - self.before[index] if index < min(len(self.before), len(self.after)) else 0.0
        return by if abs(by) >= LEAST_US else 0.0

    def half_of_it(self, index: int, us: float) -> bool:
        """Whether a frame that has channel `index` at `us` has half of the step, or more."""
        return abs(us - self.after[index]) < abs(us - self.before[index])


class LatencyWatch:
    """Steps of sticks, one at a time, each timed from the hand to the first frame that has half of it.

    A stroke may come in many steps, by a mouse or by keys: one that goes on the same way leaves the step under way as it is, one that
    turns back drops it, for what comes then could be of either.
    """

    def __init__(self) -> None:
        self._taken: deque[float] = deque(maxlen=KEPT)
        self._timed: _Step | None = None
        self._rest: list[float] = []  # where the stroke began
        self._moved_t = -STILL_S

    def moved(self, t: float, before: Sequence[float], after: Sequence[float]) -> None:
        """A hand has moved something at `t`, s; what goes out before and after it, us."""
        if t - self._moved_t >= STILL_S:
            self._rest = list(before)
        self._moved_t = t
        step = _Step(t, list(before), list(after))
        channels = [index for index in range(min(len(before), len(self._rest))) if step.moved_us(index)]
        if self._timed and any(step.moved_us(index) * self._timed.moved_us(index) < 0 for index in channels):
            self._timed = None
        onward = all(step.moved_us(index) * (before[index] - self._rest[index]) >= 0 for index in channels)
        if channels and onward and self._timed is None:
            self._timed = step
        elif not onward:
            self._rest = []  # nothing more is timed until the stick has rested

    def take(self, frames: Sequence[Frame]) -> None:
        """Frames as the board has decoded them."""
        for frame in frames:
            step = self._timed
            if step is None or not isinstance(frame, ChannelFrame) or frame.t is None or frame.failsafe:
                continue
            if frame.t - step.t > LONGEST_S:
                self._timed = None
            elif any(step.moved_us(number - 1) and step.half_of_it(number - 1, us) for number, us in frame.numbered().items()):
                self._taken.append(frame.t - step.t)
                self._timed = None

    @property
    def seen(self) -> MeasuredLatency | None:
        """What came of it so far."""
        if not self._taken:
            return None
        ordered = sorted(self._taken)
        return MeasuredLatency(count=len(ordered), typical_ms=round(1e3 * ordered[len(ordered) // 2], 1), worst_ms=round(1e3 * ordered[-1], 1))
