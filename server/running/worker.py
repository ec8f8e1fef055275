"""The owner's end of the process that benches run in: asks, and ends it where one request takes too long.

Requests are answered in their order, so the oldest that waits is the one that is being worked on; how much computing it has taken so far the system knows.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import pickle
import signal
import time
from collections import deque
from dataclasses import dataclass
from typing import Any, cast

from django.conf import settings

from server.apart.keeper import fork
from server.apart.process import BENCHES, LENGTH, Packed

LOOK_EVERY_S = 0.1
LOAD_OVER_S = 1.0
STUCK_S = 20.0  # without an answer, though it does not compute: it hangs, and nobody's bench is to blame
BLAMED_AFTER = 2  # ends without a word (out of memory, say) while the same bench was worked on
FORGIVEN_S = 120.0
_TICKS = os.sysconf("SC_CLK_TCK")
log = logging.getLogger(__name__)

__all__ = ["Ended", "Overran", "Packed", "Worker", "the_worker"]


class Ended(Exception):
    """The process was ended, or ended by itself, before it answered: benches have to be set up anew from what was kept of them."""


class Overran(Ended):
    """This very request took too much computing (or memory); the text says how much."""


@dataclass
class _Asked:
    key: str
    done: asyncio.Future[Any]
    at: float


_worker: Worker | None = None
_start = asyncio.Lock()


async def the_worker() -> Worker:
    """The worker of this process, started where there is none (any more)."""
    global _worker
    async with _start:
        if _worker is None or _worker.ended:
            _worker = await Worker.start()
        return _worker


class Load:
    """What share of its time a worker has been at work, of late."""

    def __init__(self) -> None:
        now = time.monotonic()
        self._since = self._free_at = now
        self._busy = self._share = 0.0

    def worked(self, asked_at: float, now: float) -> None:
        """A request that came at `asked_at` has just been answered; before the one before it was answered it only waited."""
        self._busy += now - max(asked_at, self._free_at)
        self._free_at = now

    def share(self) -> float:
        """0 to 1, over the last second or two."""
        now = time.monotonic()
        if now - self._since >= LOAD_OVER_S:
            self._share = min(1.0, self._busy / (now - self._since))
            self._since, self._busy = now, 0.0
        return self._share


class Worker(asyncio.Protocol):
    """One worker process. `ask` from any task of one event loop. It has no tasks of its own: whoever stops can still ask it what is to be kept."""

    def __init__(self, number: int) -> None:
        self.number = number
        self.ended = False
        self.load = Load()
        self._waiting: deque[_Asked] = deque()
        self._came = bytearray()
        self._at: _Asked | None = None
        self._since = self._before = 0.0

    @classmethod
    async def start(cls) -> Worker:
        """Fork one."""
        line, number = await asyncio.to_thread(fork, BENCHES)
        line.setblocking(False)
        loop = asyncio.get_running_loop()
        _, worker = await loop.create_connection(lambda: cls(number), sock=line)
        loop.call_later(LOOK_EVERY_S, worker.look)
        return worker

    async def ask(self, key: str, method: str, *arguments: object) -> Any:
        """What a method of the station answers; raise what it raises, Ended where the process went away, Overran where this very request ended it."""
        if self.ended:
            raise Ended
        asked = _Asked(key, asyncio.get_running_loop().create_future(), time.monotonic())
        data = pickle.dumps((method, (key, *arguments)), pickle.HIGHEST_PROTOCOL)
        self._waiting.append(asked)
        self._transport.write(LENGTH.pack(len(data)) + data)
        return await asked.done

    def end(self, reason: str, *, blame: bool) -> None:
        """End the process. With `blame`, whoever asked what it was at is told that it overran."""
        if self.ended:
            return
        self.ended = True
        with contextlib.suppress(ProcessLookupError):
            os.kill(self.number, signal.SIGKILL)
        self._transport.abort()
        waiting, self._waiting = self._waiting, deque()
        for place, asked in enumerate(waiting):
            if not asked.done.done():
                asked.done.set_exception(Overran(reason) if blame and place == 0 else Ended(reason))

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        """See Protocol."""
        self._transport = cast(asyncio.Transport, transport)

    def data_received(self, data: bytes) -> None:
        """See Protocol: answers, each behind its length."""
        self._came += data
        while len(self._came) >= LENGTH.size and len(self._came) >= (end := LENGTH.size + LENGTH.unpack_from(self._came)[0]):
            well, answer = pickle.loads(memoryview(self._came)[LENGTH.size : end])
            del self._came[:end]
            asked = self._waiting.popleft()
            self.load.worked(asked.at, time.monotonic())
            if not asked.done.done():  # who asked may have gone
                asked.done.set_result(answer) if well else asked.done.set_exception(answer)

    def connection_lost(self, error: Exception | None) -> None:
        """See Protocol."""
        if not self.ended:
            key = self._waiting[0].key if self._waiting else ""
            log.error("the process that benches run in ended by itself%s", f", at the bench of craft {key}" if key else "")
            self.end("it ended the process that benches run in, twice; it may have asked for too much memory", blame=_blamed(key))

    def look(self) -> None:
        """End the process where one request takes more computing than any should; looks again by itself."""
        if self.ended:
            return
        asyncio.get_running_loop().call_later(LOOK_EVERY_S, self.look)
        first = self._waiting[0] if self._waiting else None
        if first is None or first is not self._at:
            self._at, self._since, self._before = first, time.monotonic(), _cpu_s(self.number) if first else 0.0
            return
        took, waited = _cpu_s(self.number) - self._before, time.monotonic() - self._since
        if took > settings.BENCH_BUDGET_S:
            log.error("the bench of craft %s took %.1f s of computing at once: ended, and set aside", first.key, took)
            self.end(f"it took more than {settings.BENCH_BUDGET_S:g} s of computing at once", blame=True)
        elif waited > STUCK_S:
            log.error("the process that benches run in has not answered for %.0f s: ended", waited)
            self.end("it did not answer", blame=False)


_ends: dict[str, list[float]] = {}


def _blamed(key: str) -> bool:
    """Whether a bench was being worked on at several ends without a word of late."""
    if not key:
        return False
    now = time.monotonic()
    _ends[key] = [*(each for each in _ends.get(key, []) if now - each < FORGIVEN_S), now]
    return len(_ends[key]) >= BLAMED_AFTER


def _cpu_s(number: int) -> float:
    """Computing that a process has taken so far, s (Linux, proc(5): fields 14 and 15 of stat)."""
    try:
        with open(f"/proc/{number}/stat", "rb") as file:
            fields = file.read().rpartition(b")")[2].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / _TICKS
