"""Clocks for a bench: the real one, and one that tests drive."""

from __future__ import annotations

import time
from typing import Protocol


class Clock(Protocol):
    """Seconds, never running backwards."""

    def now(self) -> float:
        """The time in seconds."""
        ...


class RealClock:
    """Time as it passes."""

    def now(self) -> float:
        """See Clock."""
        return time.monotonic()


class DrivenClock:
    """Time as the test says."""

    def __init__(self) -> None:
        self._now = 0.0

    def now(self) -> float:
        """See Clock."""
        return self._now

    def advance(self, seconds: float) -> None:
        """Let time pass."""
        self._now += seconds
