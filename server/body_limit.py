"""Refuse a request body over its limit before it fills memory or disk."""

from __future__ import annotations

import json
import re
from collections.abc import Awaitable, Callable, Sequence
from http.cookies import CookieError, SimpleCookie
from importlib import import_module
from typing import Any

from django.conf import settings

from server.outage import RETRY_AFTER_S, SAYS, OutOfReach, in_database

Scope = dict[str, Any]
Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]

STRANGER_BYTES = 4 << 10  # a name and a password
DRAFT_BYTES = 256 << 10  # a hundred times what a usual draft takes
PARTS_BYTES = 4 << 20  # a workshop's five hundred parts of its own
_PARTS_FILE = re.compile(r"^/api/workshops/\d+/parts/file$")


class _TooLarge(Exception):
    pass


class BodyLimit:
    """ASGI middleware: 413 as soon as the announced or the received size passes the limit: of uploads `uploads` bytes, of a draft or any other JSON, of somebody who is not signed in."""

    def __init__(self, app: Callable[..., Awaitable[None]], uploads: int) -> None:
        self._app, self._uploads = app, uploads

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """See ASGI."""
        if "\0" in scope["path"]:
            await _answer(send, 404, "there is nothing at this address")
            return
        headers = dict(scope["headers"])
        announced = headers.get(b"content-length", b"0")
        size = int(announced) if announced.isdigit() and len(announced) < 20 else 0
        limit, says = self._limit(scope["path"], headers)
        if size > limit:
            await _refuse(send, says)
            return
        known = size <= STRANGER_BYTES  # whoever sends more is asked who they are, once
        if not known:
            try:
                known = await _signed_in(headers)
            except OutOfReach:
                await _out(send)
                return
            if not known:
                await _refuse(send, _STRANGER)
                return
        taken = 0
        begun = False
        reason = says

        async def counted() -> dict[str, Any]:
            nonlocal taken, known, reason
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > limit:
                raise _TooLarge
            if taken > STRANGER_BYTES and size <= STRANGER_BYTES and known:  # it came in pieces of which nothing was announced
                known = await _signed_in(headers)
            if not known:
                reason = _STRANGER
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
                await _refuse(send, reason)
        except OutOfReach:
            if not begun:
                await _out(send)

    def _limit(self, path: str, headers: dict[bytes, bytes]) -> tuple[int, str]:
        """(the most bytes, what is said of more)."""
        if path == "/api/session":
            return STRANGER_BYTES, _STRANGER
        if headers.get(b"content-type", b"").startswith(b"multipart/"):
            return self._uploads, f"the file is larger than {self._uploads >> 20} MB, the most that is taken; cut the capture to the stretch you need"
        if _PARTS_FILE.match(path):
            return PARTS_BYTES, f"the file is larger than {PARTS_BYTES >> 20} MB, the most that is taken; import the parts in several files"
        return DRAFT_BYTES, f"that is more than {DRAFT_BYTES >> 10} kB, the most that a draft or a form may have; nothing was changed"


_STRANGER = f"sign in first; until then at most {STRANGER_BYTES >> 10} kB are taken"


async def _signed_in(headers: dict[bytes, bytes]) -> bool:
    """Whether the request comes with a session that is there."""
    try:
        cookies = SimpleCookie(headers.get(b"cookie", b"").decode("latin-1"))
    except CookieError:
        return False
    kept = cookies.get(settings.SESSION_COOKIE_NAME)
    if kept is None or not kept.value.isalnum():
        return False
    store = import_module(settings.SESSION_ENGINE).SessionStore()
    there: bool = await in_database(store.exists)(kept.value)
    return there


async def _out(send: Send) -> None:
    await _answer(send, 503, SAYS, [(b"retry-after", str(RETRY_AFTER_S).encode())])


async def _refuse(send: Send, text: str) -> None:
    await _answer(send, 413, text)


async def _answer(send: Send, status: int, text: str, more: Sequence[tuple[bytes, bytes]] = ()) -> None:
    body = json.dumps({"detail": text}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode()), (b"connection", b"close"), *more]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
