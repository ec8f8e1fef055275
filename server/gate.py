"""Who may speak over a WebSocket: known before it is accepted, asked again while it is open, until they sign out."""

from __future__ import annotations

import asyncio
import contextlib
import math
from typing import Any, ClassVar

from channels.generic.websocket import AsyncWebsocketConsumer
from django.conf import settings
from django.db import InterfaceError, OperationalError
from redis.exceptions import RedisError

from server.accounts.sessions import group_of_session
from server.crafts.models import Craft
from server.outage import SAYS, OutOfReach, in_database, is_outage
from server.problems import NO_SUCH_CRAFT, NOT_SIGNED_IN, TOO_MUCH, TRY_AGAIN
from server.rates import Rate
from server.workshops.access import refusal, role_of
from server.workshops.models import Duty

CHECK_EVERY_S = 4.0
MOST_A_SECOND = 200  # a hand that moves without pause says sixty things a second
FLOOD_COSTS = 20  # sockets: whoever floods is kept away for a while
REFUSED_AFTER_S, MOST_REFUSED = 1.0, 500
LONG_TEXT = 1000  # letters: a longer message counts as several


_said = Rate(5 * MOST_A_SECOND // 4, 60 * MOST_A_SECOND)  # by all sockets of a session
_sockets = Rate(*settings.SOCKETS_BY_SESSION)
_touches = Rate(*settings.TOUCHES_BY_PERSON), Rate(*settings.TOUCHES_BY_CRAFT)
_acts = Rate(*settings.ACTS_BY_PERSON), Rate(*settings.ACTS_BY_CRAFT)
_lines = Rate(*settings.LINES_KEPT_BY_PERSON), Rate(*settings.LINES_KEPT_BY_CRAFT)


def touches(user_id: object, craft_id: object) -> float:
    """How long a switch, a plug or a look at another hop has to wait, s: so many a person, and so many a craft, may be asked for. 0: it may be done, and counts."""
    return _touches[0].take(user_id) or _touches[1].take(craft_id)


def acts(user_id: object, craft_id: object) -> float:
    """The same for what is asked of a board."""
    return _acts[0].take(user_id) or _acts[1].take(craft_id)


def lines_kept(user_id: object, craft_id: object) -> float:
    """The same for what makes a recording."""
    return _lines[0].take(user_id) or _lines[1].take(craft_id)


def later(wait_s: float) -> str:
    """What is said of something that is asked for too often."""
    return f"that is asked for too often; it may be done again in {max(1, math.ceil(wait_s))} s. Nothing was done"


def _cookie_of(session_key: str) -> bytes:
    return f"{settings.SESSION_COOKIE_NAME}={session_key}".encode()


class GatedConsumer(AsyncWebsocketConsumer):
    """One browser at one craft. Nothing that it says counts until its person and craft are known, nor after they have been refused."""

    duty: ClassVar[Duty] = "read"

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """See AsyncConsumer; where the channel layer goes away under it the browser is told to come again."""
        try:
            await super().__call__(scope, receive, send)
        except RedisError:
            with contextlib.suppress(Exception):  # it may have gone as well
                await send({"type": "websocket.close", "code": TRY_AGAIN})

    async def dispatch(self, message: dict[str, Any]) -> None:
        """See AsyncConsumer, which looks after the database's connections in a thread at every message: in_database does where it is asked, and most are of a bench and its hands."""
        if message["type"] == "bench.text":
            await self.bench_text(message)
        elif message["type"] == "websocket.receive":
            await self.websocket_receive(message)
        else:
            await super().dispatch(message)

    async def bench_text(self, event: dict[str, Any]) -> None:
        """Something from a bench."""

    async def connect(self) -> None:
        """Let in whoever may see the craft; everybody else is refused before there is a connection."""
        self.known = False
        self.role = ""
        self.workshop_id = 0
        self.craft_id = self.scope["url_route"]["kwargs"]["craft_id"]
        self._said = Rate(MOST_A_SECOND, 60 * MOST_A_SECOND)
        self._checking: asyncio.Task[None] | None = None
        try:
            allowed = await self.allowed()
        except OutOfReach:
            allowed = False  # the browser tries again by itself
        if not allowed:
            await self.close()
            return
        self._group = group_of_session(self.scope["session"].session_key)
        await self.channel_layer.group_add(self._group, self.channel_name)
        self.known = True
        await self.accept()
        self._checking = asyncio.create_task(self._check_on())
        await self.begin()

    async def disconnect(self, code: int) -> None:
        """The browser went away, or was sent away."""
        self.known = False
        if self._checking:
            self._checking.cancel()
            await self.channel_layer.group_discard(self._group, self.channel_name)
            await self.end()

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        """A message from the browser."""
        if not self.known:
            return
        text = text_data or ""
        weight = 1 + len(text) / LONG_TEXT
        if self._said.take(None, weight) or _said.take(self.scope["session"].session_key, weight):
            _sockets.charge(_cookie_of(self.scope["session"].session_key), FLOOD_COSTS)
            await self.close(TOO_MUCH)
            return
        try:
            await self.take(text)
        except OutOfReach:
            if self.known:
                await self.tell(SAYS)

    async def close(self, code: int | bool | None = None, reason: str | None = None) -> None:
        """Shut this end; nothing more is taken."""
        self.known = False
        await super().close(code, reason)

    async def still_allowed(self) -> bool:
        """Ask once more, before an act; whoever may not stay is sent away."""
        if self.known and not await self.allowed():
            await self.close(NO_SUCH_CRAFT)
        return self.known

    async def session_ended(self, event: dict[str, Any]) -> None:
        """They have signed out, here or in another window."""
        await self.close(NOT_SIGNED_IN)

    async def _check_on(self) -> None:
        with contextlib.suppress(asyncio.CancelledError, OSError):  # OSError: the browser went away meanwhile
            while self.known:
                await asyncio.sleep(CHECK_EVERY_S)
                with contextlib.suppress(OutOfReach):  # nobody is sent away because the database is
                    await self.still_allowed()

    async def allowed(self) -> bool:
        """Whether session, person, craft and role still are what it takes."""
        return await in_database(self._allowed)()

    def _allowed(self) -> bool:
        user, session = self.scope["user"], self.scope["session"]
        if not user.is_authenticated or not session.session_key or not session.exists(session.session_key):
            return False
        craft = Craft.objects.seen_by(user).filter(pk=self.craft_id).only("workshop_id").first()
        if craft is None:
            return False
        self.workshop_id, self.role = craft.workshop_id, role_of(user, craft.workshop_id)
        return not refusal(self.role, self.duty)

    async def begin(self) -> None:
        """They are in."""

    async def end(self) -> None:
        """They have gone."""

    async def tell(self, text: str) -> None:
        """Tell them that something went wrong, in words."""

    async def take(self, text: str) -> None:
        """Somebody who is known says something."""


class ConnectRate:
    """ASGI middleware: so many sockets a session and an address may ask for; further ones are refused before anything is looked up."""

    def __init__(self, app: Any, by_session: Rate | None = None, by_address: Rate | None = None) -> None:
        self._app = app
        self._by_session, self._by_address = by_session or _sockets, by_address or Rate(*settings.SOCKETS_BY_ADDRESS)
        self._refused = 0

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """See ASGI."""
        cookies = dict(scope["headers"]).get(b"cookie", b"").split(b"; ")
        session = next((each for each in cookies if each.startswith(_cookie_of(""))), b"")
        address = (scope.get("client") or ("",))[0]
        if self._by_address.take(address) or self._by_session.take(session or address):  # made-up sessions share their address
            await self._refuse(send)
            return
        try:
            await self._app(scope, receive, send)
        except (OperationalError, InterfaceError) as error:
            if not is_outage(error):
                raise
            await send({"type": "websocket.close", "code": TRY_AGAIN})  # who it is cannot be looked up now; the browser tries again by itself

    async def _refuse(self, send: Any) -> None:
        """Not at once: whoever asks again and again asks less often then. Those for whom there is no place to wait in are refused where they stand."""
        if self._refused < MOST_REFUSED:
            self._refused += 1
            try:
                await asyncio.sleep(REFUSED_AFTER_S)
            finally:
                self._refused -= 1
        await send({"type": "websocket.close"})


class NothingHere(AsyncWebsocketConsumer):
    """An address at which there is nothing."""

    async def connect(self) -> None:
        """Refuse it."""
        await self.close()
