"""How often something may be done: so many at once, then so many a minute. Counted in this process, in memory."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable

KEYS_KEPT = 10_000


class Rate:
    """`burst` at once for each key, and `a_minute` of them come back in a minute. Keys that were long not used are forgotten."""

    def __init__(self, burst: int, a_minute: float, now: Callable[[], float] = time.monotonic) -> None:
        self._burst, self._a_second, self._now = burst, a_minute / 60, now
        self._left: OrderedDict[object, tuple[float, float]] = OrderedDict()
        self._lock = threading.Lock()

    def take(self, key: object, weight: float = 1.0) -> float:
        """0 where it may be done, which then counts by its weight; else how many seconds from now it may."""
        with self._lock:
            now = self._now()
            left, at = self._left.pop(key, (float(self._burst), now))
            left = min(float(self._burst), left + (now - at) * self._a_second)
            wait = 0.0 if left >= weight else (weight - left) / self._a_second
            self._left[key] = (left if wait else left - weight, now)
            if len(self._left) > KEYS_KEPT:
                self._left.popitem(last=False)
            return wait

    def charge(self, key: object, weight: float) -> None:
        """Count something that has happened already, whatever is left."""
        with self._lock:
            left, at = self._left.pop(key, (float(self._burst), self._now()))
            self._left[key] = (left - weight, at)
