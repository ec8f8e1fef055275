"""What tells a bench how late it is. `settings.BENCH_CLOCK` names the class; each bench has one of its own."""

from __future__ import annotations

import time
from typing import Protocol, cast

from django.conf import settings
from django.utils.module_loading import import_string


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


def bench_clock() -> Clock:
    """A clock for one bench."""
    return cast(Clock, import_string(settings.BENCH_CLOCK)())
