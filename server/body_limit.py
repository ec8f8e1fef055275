"""Refuse a request body over the limit before it fills the disk."""

from __future__ import annotations

import json
from collections.abc import Awaitable, Callable
from typing import Any

Scope = dict[str, Any]
Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]


class _TooLarge(Exception):
    pass


class BodyLimit:
    """ASGI middleware: 413 as soon as the announced or the received size passes `limit` bytes."""

    def __init__(self, app: Callable[..., Awaitable[None]], limit: int) -> None:
        self._app, self._limit = app, limit

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """See ASGI."""
        announced = next((value for name, value in scope["headers"] if name == b"content-length"), b"0")
        if announced.isdigit() and int(announced) > self._limit:
            await self._refuse(send)
            return
        taken = 0
        begun = False

        async def counted() -> dict[str, Any]:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > self._limit:
                raise _TooLarge
            return message

        async def watched(message: dict[str, Any]) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            await self._app(scope, counted, watched)
        except _TooLarge:
            if not begun:
                await self._refuse(send)

    async def _refuse(self, send: Send) -> None:
        text = f"the file is larger than {self._limit >> 20} MB, the most that is taken; cut the capture to the stretch you need"
        body = json.dumps({"detail": text}).encode()
        headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode()), (b"connection", b"close")]
        await send({"type": "http.response.start", "status": 413, "headers": headers})
        await send({"type": "http.response.body", "body": body})
