"""How far a bench shall run. `settings.BENCH_CLOCK` names the class; each bench has one of its own, which counts in bench seconds."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from typing import Protocol, cast

from django.conf import settings
from django.utils.module_loading import import_string

MOST_BEHIND_S = 0.6  # a machine that slept does not make the bench race
CAUGHT_UP_S = 0.04  # what of that time it runs all the same
PACE_OVER_S = 2.0
KEEPS_UP = 0.9


class Clock(Protocol):
    """A bench's clock. Every `t` is where the bench is, in bench seconds."""

    def begin(self, t: float) -> None:
        """Its time goes on from here: it is another bench, or nobody looked and it stood still."""
        ...

    def until(self, t: float) -> float:
        """Where it shall be now."""
        ...

    def came(self, t: float) -> None:
        """It has run so far, and that was told."""
        ...

    @property
    def pace(self) -> float:
        """How fast its time passes beside real time, over the last moments: 1 while it keeps up; in hundredths."""
        ...


class Pace:
    """How fast a bench's time passes beside real time, over the last moments."""

    def __init__(self) -> None:
        self._seen: deque[tuple[float, float]] = deque()

    def begin(self) -> None:
        """It stood still, or is another one: what was before says nothing."""
        self._seen.clear()

    def see(self, t: float, now: float) -> None:
        """Where the bench is (bench seconds) at this time."""
        self._seen.append((now, t))
        while now - self._seen[0][0] > PACE_OVER_S:
            self._seen.popleft()

    @property
    def shown(self) -> float:
        """As a share, 1 while it keeps up; in hundredths."""
        if len(self._seen) < 2 or (passed := self._seen[-1][0] - self._seen[0][0]) < PACE_OVER_S / 2:
            return 1.0
        share = (self._seen[-1][1] - self._seen[0][1]) / passed
        return 1.0 if share > KEEPS_UP else round(share, 2)


class RealClock:
    """A bench's time passes as the pilot's does. See Clock."""

    def __init__(self, goes_on: Callable[[], None], now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._asked_at = self._since = now()
        self._pace = Pace()

    def begin(self, t: float) -> None:
        """See Clock."""
        self._asked_at = self._now()
        self._since = self._asked_at - t
        self._pace.begin()

    def until(self, t: float) -> float:
        """See Clock. After a pause in which nobody asked it goes on from where it was."""
        now = self._now()
        if now - self._asked_at > MOST_BEHIND_S:
            self._since = now - t - CAUGHT_UP_S
        self._asked_at = now
        return now - self._since

    def came(self, t: float) -> None:
        """See Clock."""
        self._pace.see(t, self._now())

    @property
    def pace(self) -> float:
        """See Clock."""
        return self._pace.shown


def bench_clock(goes_on: Callable[[], None]) -> Clock:
    """A clock for one bench; it calls `goes_on` where time has gone on though the bench's beat does not look yet."""
    return cast(Clock, import_string(settings.BENCH_CLOCK)(goes_on))
