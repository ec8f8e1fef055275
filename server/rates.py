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

    def take(self, key: object) -> float:
        """0 where it may be done, which then counts; else how many seconds from now it may."""
        with self._lock:
            now = self._now()
            left, at = self._left.pop(key, (float(self._burst), now))
            left = min(float(self._burst), left + (now - at) * self._a_second)
            wait = 0.0 if left >= 1 else (1 - left) / self._a_second
            self._left[key] = (left if wait else left - 1, now)
            if len(self._left) > KEYS_KEPT:
                self._left.popitem(last=False)
            return wait
