"""Who in this process listens to which bench. A bench that runs here tells them directly; of one that runs elsewhere one stream comes here, however many listen."""

from __future__ import annotations

import asyncio
import contextlib
import uuid

from channels.layers import get_channel_layer

from server.layer import unless_down

KEPT_BEHIND = 64  # messages for a browser that is slow; what comes beyond is lost to it
ANEW_EVERY_S = 5.0  # a layer that was started anew has forgotten who listens
PAUSE_S = 0.5

Messages = asyncio.Queue[str]
_listeners: dict[uuid.UUID, set[Messages]] = {}
_relays: dict[uuid.UUID, asyncio.Task[None]] = {}


def group_of(craft_id: uuid.UUID) -> str:
    """The group that a craft's messages go to, for other processes."""
    return f"bench.{craft_id.hex}"


def join(craft_id: uuid.UUID) -> Messages:
    """Listen; what is told comes in the queue."""
    messages: Messages = asyncio.Queue(KEPT_BEHIND)
    _listeners.setdefault(craft_id, set()).add(messages)
    return messages


def leave(craft_id: uuid.UUID, messages: Messages) -> None:
    """Listen no longer."""
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


async def _relay(craft_id: uuid.UUID) -> None:
    layer = get_channel_layer()
    channel = await layer.new_channel()
    try:
        while True:
            with unless_down():
                await layer.group_add(group_of(craft_id), channel)
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(ANEW_EVERY_S):
                        while True:
                            tell(craft_id, (await layer.receive(channel))["text"])
                continue
            await asyncio.sleep(PAUSE_S)
    finally:
        with unless_down():
            await layer.group_discard(group_of(craft_id), channel)
