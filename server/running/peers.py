"""The other server processes: how many benches each runs, and asking one of them to take up another, so that it does not matter which of them a browser came to."""

from __future__ import annotations

import asyncio
import logging
import time
import uuid
from collections.abc import Awaitable, Callable

from channels.layers import get_channel_layer
from django.conf import settings

from server.layer import unless_down

GROUP = "server.processes"
TELL_EVERY_S = 1.0
FORGOTTEN_S = 3.5  # who has not been heard of for so long is gone
FEWER = 3  # benches that another process must have less, before one is set up there and told of from there
PAUSE_S = 0.5
log = logging.getLogger(__name__)


class Peers:
    """What is known of the others. Nothing is said or heard where there is one process only."""

    def __init__(self, benches: Callable[[], int], take_up: Callable[[uuid.UUID], Awaitable[object]]) -> None:
        self._benches, self._take_up = benches, take_up
        self._known: dict[str, tuple[int, float]] = {}
        self._channel = ""
        self._tasks: list[asyncio.Task[None]] = []
        self._taking: set[asyncio.Task[None]] = set()

    def start(self) -> None:
        """Begin to tell and to listen, in the running loop."""
        if settings.REDIS_URL:
            self._tasks = [asyncio.create_task(self._listen()), asyncio.create_task(self._tell())]

    def roomier(self, here: int, most: int) -> str:
        """The channel of the process that had better take another bench; empty where this one had, or nobody has room."""
        now = time.monotonic()
        self._known = {channel: known for channel, known in self._known.items() if now - known[1] < FORGOTTEN_S}
        if not self._known:
            return ""
        channel, (benches, _) = min(self._known.items(), key=lambda each: each[1][0])
        return channel if benches < most and (benches + FEWER <= here or here >= most) else ""

    async def ask(self, channel: str, craft_id: uuid.UUID) -> None:
        """Have a process take up a bench; until it says otherwise it counts as its."""
        if known := self._known.get(channel):  # it may have been forgotten meanwhile
            self._known[channel] = known[0] + 1, known[1]
        with unless_down():
            await get_channel_layer().send(channel, {"type": "take up", "craft": craft_id.hex})

    async def _tell(self) -> None:
        while True:
            with unless_down():
                if self._channel:
                    await get_channel_layer().group_send(GROUP, {"type": "here", "who": self._channel, "benches": self._benches()})
            await asyncio.sleep(TELL_EVERY_S)

    async def _listen(self) -> None:
        layer = get_channel_layer()
        while True:
            with unless_down():
                self._channel = self._channel or await layer.new_channel()
                await layer.group_add(GROUP, self._channel)  # a layer that was started anew has forgotten it
                try:
                    async with asyncio.timeout(TELL_EVERY_S):
                        while True:
                            self._hear(await layer.receive(self._channel))
                except TimeoutError:
                    continue
            await asyncio.sleep(PAUSE_S)

    def _hear(self, message: dict[str, object]) -> None:
        if message["type"] == "here" and message["who"] != self._channel:
            self._known[str(message["who"])] = int(str(message["benches"])), time.monotonic()
        elif message["type"] == "take up":
            taking = asyncio.create_task(self._take(uuid.UUID(str(message["craft"]))))
            self._taking.add(taking)
            taking.add_done_callback(self._taking.discard)

    async def _take(self, craft_id: uuid.UUID) -> None:
        try:
            await self._take_up(craft_id)
        except Exception as error:  # whoever asked sees that nobody took it, and says why
            log.info("the bench of craft %s was not taken up here: %s", craft_id, error)
