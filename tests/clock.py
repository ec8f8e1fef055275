"""Bench time that stands still until a test lets it pass. `passes` and `until` are the same words for a bench in hand, over its socket and in the browser."""

from __future__ import annotations

import asyncio
import math
import weakref
from collections.abc import Callable

PLACE = "/-/passes"  # at which the tests' server lets time pass
NAMED = "end"  # under which a socket's address says which end of it this is
MOST_AT_ONCE_S = 1.0  # of bench time that is asked for at once: a fraction of what a bench may compute for one request
ANSWERS_WITHIN_S = 30.0


class StandingClock:
    """A bench's clock that a test drives. See server.running.clock.Clock."""

    all: weakref.WeakSet[StandingClock] = weakref.WeakSet()

    def __init__(self, goes_on: Callable[[], None]) -> None:
        self._goes_on = goes_on
        self._to = self._asked = 0.0
        self._there = asyncio.Event()
        self.runs = False
        StandingClock.all.add(self)

    def begin(self, t: float) -> None:
        """Nobody looks, or it is another bench: what was still to pass does not."""
        self._to, self.runs = t, False
        self._there.set()

    def until(self, t: float) -> float:
        """Where the test has let it come to."""
        if not self.runs:
            self.runs, self._to = True, t
        self._asked = self._to
        return self._to

    def came(self, t: float) -> None:
        """It did, and told of it."""
        if self._asked == self._to:
            self._there.set()

    @property
    def pace(self) -> float:
        """As fast as it should."""
        return 1.0

    async def passes(self, seconds: float) -> None:
        """Let so much pass, and wait until it has and was told. Raise TimeoutError where the bench hangs."""
        if self.runs:
            self._to += seconds
            self._there.clear()
            self._goes_on()
            await asyncio.wait_for(self._there.wait(), ANSWERS_WITHIN_S)


async def passes(seconds: float) -> None:
    """Let bench time pass on every bench of this process that somebody looks at."""
    pieces = max(1, math.ceil(seconds / MOST_AT_ONCE_S - 1e-9))
    for _ in range(pieces):
        await asyncio.gather(*(clock.passes(seconds / pieces) for clock in StandingClock.all))
