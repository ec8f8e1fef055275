"""Bench time at the pace that a test has set: stories run faster than life, and one keeps real time."""

from __future__ import annotations

import mmap
import os
import struct
import time
from pathlib import Path

_PACE = struct.Struct("d")
NAME = "COINBELL_TEST_PACE"


class Pace:
    """A pace that one process sets and another reads, in a small file that both map."""

    def __init__(self, path: Path):
        if not path.exists():
            path.write_bytes(_PACE.pack(1.0))
        with path.open("r+b") as file:
            self._shared = mmap.mmap(file.fileno(), _PACE.size)

    def set(self, times: float) -> None:
        """`times` bench seconds pass in a second from now on."""
        self._shared[:] = _PACE.pack(times)

    def read(self) -> float:
        return _PACE.unpack(self._shared)[0]


class PacedClock:
    """A bench clock whose pace may change while it runs; it never jumps. At real time where nobody sets a pace."""

    def __init__(self) -> None:
        path = os.environ.get(NAME)
        self._pace = Pace(Path(path)) if path else None
        self._real, self._now, self._times = time.monotonic(), 0.0, 1.0

    def now(self) -> float:
        """Bench seconds since the clock was made."""
        real = time.monotonic()
        self._now += (real - self._real) * self._times
        self._real = real
        self._times = self._pace.read() if self._pace else 1.0
        return self._now
