"""Whoever asked over HTTP may go away before there is an answer; what is computed for them alone ends then."""

from __future__ import annotations

import threading
from collections.abc import Awaitable, Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any


class Asker:
    """Somebody who waits for an answer."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._gone = False
        self._ends: list[Callable[[], None]] = []

    def leave(self) -> None:
        """They have gone: end what goes on for them."""
        with self._lock:
            self._gone, ends = True, list(self._ends)
        for end in ends:
            end()

    def add(self, end: Callable[[], None]) -> None:
        """Call this when they go; now, where they have gone already."""
        with self._lock:
            self._ends.append(end)
            gone = self._gone
        if gone:
            end()

    def remove(self, end: Callable[[], None]) -> None:
        """It has ended by itself."""
        with self._lock:
            self._ends.remove(end)


_asker: ContextVar[Asker | None] = ContextVar("asker", default=None)


@contextmanager
def ended_with_asker(end: Callable[[], None]) -> Iterator[None]:
    """Meanwhile `end` is called, from any thread, where whoever asked goes away; nobody, where nobody asked over HTTP."""
    asker = _asker.get()
    if asker is None:
        yield
        return
    asker.add(end)
    try:
        yield
    finally:
        asker.remove(end)


@contextmanager
def asked_by(asker: Asker) -> Iterator[None]:
    """What is done meanwhile is done for them."""
    token = _asker.set(asker)
    try:
        yield
    finally:
        _asker.reset(token)


class WatchAsker:
    """ASGI middleware: sees that whoever asked has gone."""

    def __init__(self, app: Callable[..., Awaitable[None]]) -> None:
        self._app = app

    async def __call__(self, scope: dict[str, Any], receive: Callable[[], Awaitable[dict[str, Any]]], send: Any) -> None:
        """See ASGI."""
        asker = Asker()

        async def watched() -> dict[str, Any]:
            message = await receive()
            if message["type"] == "http.disconnect":
                asker.leave()
            return message

        with asked_by(asker):
            await self._app(scope, watched, send)
