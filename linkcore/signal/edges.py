"""A logic line as the times at which it changes level."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Times = NDArray[np.float64]

NO_TIMES: Times = np.empty(0, dtype=np.float64)


@dataclass(frozen=True)
class Edges:
    """`level` (0 or 1) holds until `times[0]`; every time in `times` (seconds, ascending) toggles it."""

    level: int
    times: Times

    @property
    def final_level(self) -> int:
        """The level after the last toggle."""
        return self.level ^ (len(self.times) & 1)

    def level_at(self, when: Times) -> NDArray[np.int64]:
        """The level (0 or 1) at each of the times `when`, in seconds."""
        return (np.searchsorted(self.times, when, side="right") + self.level) & 1

    def between(self, start: float, end: float) -> Edges:
        """The same line, seen only from `start` to `end` seconds."""
        first = int(np.searchsorted(self.times, start, side="left"))
        last = int(np.searchsorted(self.times, end, side="left"))
        return Edges(self.level ^ (first & 1), self.times[first:last])
