"""The application as the tests serve it: with a place at which they let bench time pass, in step with what every page has said and is told."""

from __future__ import annotations

import asyncio
import json
from collections import defaultdict
from typing import Any
from urllib.parse import parse_qs

from server.asgi import application as served
from server.running import near
from server.running.consumer import MOVE_EVERY_S
from tests import clock

HEARD_WITHIN_S = 10.0


class _Ends:
    """How many messages were taken from each end of a socket, and sent to it."""

    def __init__(self) -> None:
        self.open: set[str] = set()
        self.taken: dict[str, int] = defaultdict(int)
        self.sent: dict[str, int] = defaultdict(int)
        self.taken_at = 0.0
        self.changed = asyncio.Condition()

    async def note(self, counts: dict[str, int], end: str) -> None:
        counts[end] += 1
        await self.tell()

    async def tell(self) -> None:
        async with self.changed:
            self.changed.notify_all()

    async def taken_all(self, said: dict[str, int]) -> None:
        """Wait until what each has said was taken; whose connection has ended says nothing more."""
        async with asyncio.timeout(HEARD_WITHIN_S), self.changed:
            await self.changed.wait_for(lambda: all(end not in self.open or self.taken[end] >= count for end, count in said.items()))

    async def done_all(self) -> None:
        """Wait until all that was taken was done at its bench; movements may be gathered for a moment first."""
        async with asyncio.timeout(HEARD_WITHIN_S):
            await asyncio.sleep(max(0.0, self.taken_at + 1.5 * MOVE_EVERY_S - asyncio.get_running_loop().time()))
            await asyncio.gather(*(inbox.join() for inbox in near.inboxes()))


_ends: _Ends | None = None


def _every_end() -> _Ends:
    global _ends
    _ends = _ends or _Ends()
    return _ends


async def _socket(scope: Any, receive: Any, send: Any) -> None:
    """Count: a message counts as taken once the next one is asked for, since by then all has been done that it asks for."""
    ends, end = _every_end(), parse_qs(scope["query_string"].decode()).get(clock.NAMED, [""])[0]
    given = False

    async def receive_counted() -> Any:
        nonlocal given
        if given:
            given = False
            ends.taken_at = asyncio.get_running_loop().time()
            await ends.note(ends.taken, end)
        message = await receive()
        given = message["type"] == "websocket.receive"
        return message

    async def send_counted(message: Any) -> None:
        await send(message)
        if message["type"] == "websocket.send":
            await ends.note(ends.sent, end)

    ends.open.add(end)
    try:
        await served(scope, receive_counted, send_counted)
    finally:
        ends.open.discard(end)
        await ends.tell()


async def _passes(receive: Any, send: Any) -> None:
    """Answer what {"said": by end, "seconds"} asks for with how much each open end was sent."""
    body, more = b"", True
    while more:
        message = await receive()
        body, more = body + message.get("body", b""), message.get("more_body", False)
    asked, ends = json.loads(body), _every_end()
    status, answer = 200, {}
    try:
        await ends.taken_all(asked["said"])
        await ends.done_all()
        if asked["seconds"] is not None:
            await clock.passes(asked["seconds"])
        answer = {end: ends.sent[end] for end in ends.open}
    except TimeoutError:
        status, answer = 504, {"said": asked["said"], "taken": dict(ends.taken), "open": sorted(ends.open)}
    await send({"type": "http.response.start", "status": status, "headers": [(b"content-type", b"application/json")]})
    await send({"type": "http.response.body", "body": json.dumps(answer).encode()})


async def application(scope: Any, receive: Any, send: Any) -> None:
    """See ASGI."""
    if scope["type"] == "websocket":
        await _socket(scope, receive, send)
    elif scope["type"] == "http" and scope["path"] == clock.PLACE:
        await _passes(receive, send)
    else:
        await served(scope, receive, send)
