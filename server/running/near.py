"""Who in this process listens to which bench. A bench that runs here tells them directly, and is told directly; of one that runs elsewhere one stream comes here, however many listen.

What one process says to a bench or a browser of another waits in that process' own list in Redis, which one reader empties for as long as the process lives:
the channel layer's end waits for all of a process, changes with every browser that comes or goes, and loses what came just then.
"""

from __future__ import annotations

import asyncio
import contextlib
import functools
import json
import uuid
from typing import Any

from channels.exceptions import ChannelFull
from channels.layers import get_channel_layer
from django.conf import settings
from redis.asyncio import Redis
from redis.asyncio.retry import Retry
from redis.backoff import NoBackoff

from server.layer import unless_down

KEPT_BEHIND = 64  # messages for a browser that is slow; what comes beyond is lost to it
LISTEN_S = 5.0
PAUSE_S = 0.5

ASKED_AT_MOST = 500  # messages for a bench that it has not come to, or for a process
FORGOTTEN_S = 30  # what is said to a process that has gone

Event = dict[str, Any]
Messages = asyncio.Queue[str | Event]
Inbox = asyncio.Queue[Event]
_inboxes: dict[str, Inbox] = {}
_ends: dict[str, Messages] = {}
_listeners: dict[uuid.UUID, set[Messages]] = {}
_relays: dict[uuid.UUID, asyncio.Task[None]] = {}
_hearing: set[asyncio.Task[None]] = set()


def _name_of(craft_id: uuid.UUID) -> str:
    """Under which name a craft's messages go to other processes."""
    return f"coin-bell.bench.{craft_id.hex}"


def open_inbox(channel: str) -> Inbox:
    """Where what is said to a bench that runs here comes in, under its channel's name."""
    inbox = _inboxes[channel] = asyncio.Queue(ASKED_AT_MOST)
    return inbox


def inboxes() -> list[Inbox]:
    """Of every bench that runs here."""
    return list(_inboxes.values())


def close_inbox(channel: str) -> None:
    """It runs here no longer."""
    _inboxes.pop(channel, None)


def hand_over(channel: str, message: Event) -> bool:
    """Say something to the bench of this channel; False where it does not run here. Raise ChannelFull where it is too far behind."""
    inbox = _inboxes.get(channel)
    if inbox is None:
        return False
    try:
        inbox.put_nowait(message)
    except asyncio.QueueFull:
        raise ChannelFull from None
    return True


async def send_elsewhere(channel: str, message: Event) -> None:
    """Say something to a bench, or to one browser's end, of another process. Raise ChannelFull where that is too far behind, RedisError where Redis does not answer."""
    if not settings.REDIS_URL:
        await get_channel_layer().send(channel, message)
        return
    waiting = _list_of(channel)
    async with _redis().pipeline(transaction=False) as line:
        line.rpush(waiting, json.dumps([channel, message]))
        line.ltrim(waiting, 0, ASKED_AT_MOST - 1)
        line.expire(waiting, FORGOTTEN_S)
        length, *_ = await line.execute()
    if length > ASKED_AT_MOST:
        raise ChannelFull


def _list_of(channel: str) -> str:
    """Where what is said to a channel waits: one list for all channels of its process, by the part of their names that they have in common."""
    return f"coin-bell.said.{channel.partition('!')[0]}"


def hear_the_others() -> None:
    """Begin to hand out here what other processes say, where there are some; in the running loop."""
    if settings.REDIS_URL:
        hearing = asyncio.create_task(_hand_out())
        _hearing.add(hearing)
        hearing.add_done_callback(_hearing.discard)


async def _hand_out() -> None:
    waiting = _list_of(await get_channel_layer().new_channel())
    while True:
        with unless_down():
            while True:
                found = await _redis().blpop([waiting], timeout=LISTEN_S)
                if found is None:
                    continue
                channel, message = json.loads(found[1])
                with contextlib.suppress(ChannelFull):  # who is so far behind does not hear
                    if not hand_over(channel, message):
                        answer(channel, message)
        await asyncio.sleep(PAUSE_S)


def answer(end: str, event: Event) -> bool:
    """Say something to one browser alone, by the name of its end; False where that is not here, or far behind."""
    messages = _ends.get(end)
    if messages is None or messages.full():
        return False
    messages.put_nowait(event)
    return True


def join(craft_id: uuid.UUID, end: str) -> Messages:
    """Listen; what is told comes in the queue, and what is meant for this `end` alone."""
    messages = _ends[end] = asyncio.Queue(KEPT_BEHIND)
    _listeners.setdefault(craft_id, set()).add(messages)
    return messages


def leave(craft_id: uuid.UUID, end: str) -> None:
    """Listen no longer."""
    messages = _ends.pop(end, None)
    if messages is None:
        return
    here = _listeners.get(craft_id, set())
    here.discard(messages)
    if not here:
        _listeners.pop(craft_id, None)
        follow(craft_id, elsewhere=False)


def tell(craft_id: uuid.UUID, text: str) -> None:
    """Tell everybody here."""
    for messages in _listeners.get(craft_id, ()):
        with contextlib.suppress(asyncio.QueueFull):
            messages.put_nowait(text)


def follow(craft_id: uuid.UUID, *, elsewhere: bool) -> None:
    """Have a bench's messages come here where it runs `elsewhere`, and no longer where it does not."""
    relay = _relays.get(craft_id)
    if elsewhere and (relay is None or relay.done()):
        _relays[craft_id] = asyncio.create_task(_relay(craft_id))
    elif not elsewhere and relay is not None:
        del _relays[craft_id]
        relay.cancel()


@functools.cache
def _redis() -> Redis:
    """A line of our own: what a bench tells, 25 times a second, needs none of the channel layer's waiting and keeping, which take ten times as long."""
    return Redis.from_url(settings.REDIS_URL, retry=Retry(NoBackoff(), 0), socket_connect_timeout=2)


async def tell_elsewhere(craft_id: uuid.UUID, text: str) -> None:
    """Tell everybody in other processes. Raise RedisError where Redis does not answer."""
    await _redis().publish(_name_of(craft_id), text)


async def _relay(craft_id: uuid.UUID) -> None:
    while settings.REDIS_URL:
        with unless_down():
            async with _redis().pubsub(ignore_subscribe_messages=True) as heard:
                await heard.subscribe(_name_of(craft_id))
                while True:
                    message = await heard.get_message(timeout=LISTEN_S)
                    if message is not None:
                        tell(craft_id, message["data"].decode())
        await asyncio.sleep(PAUSE_S)
