"""A WebSocket that reads no further than the app has got, and hangs up on whoever goes on after the end."""

from __future__ import annotations

from typing import Any

from uvicorn.protocols.websockets.websockets_sansio_impl import WebSocketsSansIOProtocol
from websockets.frames import Frame

from server.rates import Rate

PIECE = 1024  # bytes taken apart in one go; what is left waits until the app has had the messages in it
AFTER_THE_END = 16 * 1024  # bytes in which the other end's goodbye has to come
SAYING_NOTHING = (200, 60 * 200)  # pings, pongs and parts of messages: at once, a minute


class PatientSocket(WebSocketsSansIOProtocol):
    """uvicorn's own, for its `--ws`. That one takes all apart that has arrived, up to 256 kB of messages, before the app sees the first, and for ten seconds after it has closed."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._unread = bytearray()
        self._resting = False  # the transport, so that `_unread` stays as long as one reading
        self._after_the_end = 0
        self._idle = Rate(*SAYING_NOTHING)

    def data_received(self, data: bytes) -> None:
        """Bytes have come."""
        self._unread += data
        if not self.read_paused:
            self._read_on()

    def _read_on(self) -> None:
        if self.transport.is_closing():
            self._unread.clear()
        if not self._unread or self.read_paused:
            return
        piece = bytes(self._unread[:PIECE])
        del self._unread[:PIECE]
        if self.close_sent:
            self._after_the_end += len(piece)
            if self._after_the_end > AFTER_THE_END:
                self._hang_up()
                return
        super().data_received(piece)
        if self.transport.is_closing():
            return
        if self._unread and not self._resting:
            self._resting = True
            self.transport.pause_reading()
        if not self.read_paused:
            self._go_on()

    def _go_on(self) -> None:
        """What is left first, others in between; then what comes."""
        if self._unread:
            self.loop.call_soon(self._read_on)
        elif self._resting:
            self._resting = False
            self.transport.resume_reading()

    async def receive(self) -> Any:
        """The next message for the app; once it has had them all, more is read."""
        message = await self.queue.get()
        if self.read_paused and self.queue.empty():
            self.read_paused, self._resting = False, True
            if not self.transport.is_closing():
                self._go_on()
        return message

    async def send(self, message: Any) -> None:
        """Something from the app; after its last word only a goodbye is waited for."""
        await super().send(message)
        if self.close_sent and not self.transport.is_closing():
            self._resting = bool(self._unread)
            self._go_on()

    def handle_ping(self) -> None:
        """See the class above."""
        if self._may_say_nothing():
            super().handle_ping()

    def handle_pong(self, event: Frame) -> None:
        """See the class above."""
        if self._may_say_nothing():
            super().handle_pong(event)

    def handle_cont(self, event: Frame) -> None:
        """See the class above."""
        if self._may_say_nothing():
            super().handle_cont(event)

    def _may_say_nothing(self) -> bool:
        if self._idle.take(None):
            self._hang_up()
        return not self.transport.is_closing()

    def _hang_up(self) -> None:
        self._unread.clear()
        self.frames.clear()
        self.transport.abort()

    def connection_lost(self, exc: Exception | None) -> None:
        """The other end has gone."""
        self._unread.clear()
        super().connection_lost(exc)
