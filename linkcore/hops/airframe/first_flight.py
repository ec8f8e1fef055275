"""What only the first flight can confirm of what the bench has shown: that no motor stops at the idle, and that the heading stays with the motors' current."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import MOST_IDLE_PERCENT

IDLE_ABOVE = (1.0, 2.0)  # percent above the command from which the worst motor turns
MORE_PERCENT = 1.0  # what the idle is raised by where a motor has stopped in flight
NEAR_PERCENT = 0.25  # idles are set in halves

FlownSaid = Literal["no motor stopped", "a motor stopped", "the heading stayed", "the heading swung"]


class IdleFlown(BaseModel):
    """`held_percent`: the idle with which no motor stopped in a fast descent; `stopped_percent`: the greatest with which one did; None: not flown so."""

    held_percent: float | None = None
    stopped_percent: float | None = None

    def with_said(self, idle_percent: float, *, stopped: bool) -> IdleFlown:
        """With what the pilot saw at this idle. A motor that has stopped is not taken back by a descent in which none did."""
        if stopped:
            return IdleFlown(stopped_percent=max(idle_percent, self.stopped_percent or 0.0))
        held = idle_percent if self.stopped_percent is None or idle_percent > self.stopped_percent else None
        return IdleFlown(held_percent=held, stopped_percent=self.stopped_percent)

    def wanted(self, worst_percent: float) -> float:
        """What armed motors are to be asked at the least, by the one that starts last on the bench and by what was flown; in halves."""
        by_bench = round(2 * (worst_percent + sum(IDLE_ABOVE) / 2)) / 2
        return min(MOST_IDLE_PERCENT, by_bench if self.stopped_percent is None else max(by_bench, self.stopped_percent + MORE_PERCENT))

    def bounds(self, worst_percent: float) -> tuple[float, float]:
        """(the lowest idle that will do, the highest)."""
        least, most = worst_percent + IDLE_ABOVE[0] - NEAR_PERCENT, worst_percent + IDLE_ABOVE[1] + NEAR_PERCENT
        if self.stopped_percent is None:
            return least, most
        return max(least, self.stopped_percent + NEAR_PERCENT), max(most, self.wanted(worst_percent) + NEAR_PERCENT)
