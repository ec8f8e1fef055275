"""One browser that listens to a serial line of the server's machine."""

from __future__ import annotations

import asyncio
import contextlib
import threading
import time
from collections.abc import Callable
from typing import Annotated, Any

import serial
from pydantic import Field, TypeAdapter, ValidationError

from linkcore.hops.line.adapter import AdapterLine, usual_ways
from server.captures.models import Recording
from server.gate import GatedConsumer, later, lines_kept
from server.outage import in_database
from server.room import RoomFull
from server.tap.lines import READ_FOR_S, CannotOpen, NotAllowed, checked, open_line, what_is_there
from server.tap.messages import OpenTap, TapAct, TapPlace, TapState, TapTrial

TELL_EVERY_S = 0.2
AGAIN_EVERY_S = 0.5
TRY_S = 0.7
TRIES = 3  # of one setting, where it was heard late
SHOWN_BYTES = 48
_incoming: TypeAdapter[OpenTap | TapAct] = TypeAdapter(Annotated[OpenTap | TapAct, Field(discriminator="type")])
_listening: dict[str, tuple[int, str]] = {}  # devices that a tap of this process holds: of which workshop, and who listens
_PARITIES = {"N": "none", "E": "even", "O": "odd"}


class _Listener(threading.Thread):
    """Reads a line until it is told to stop; takes it up again when it went away and came back. It never writes."""

    def __init__(self, wanted: OpenTap, address: str, now: Callable[[], float] = time.monotonic) -> None:
        super().__init__(daemon=True, name="tap")
        self._now = now
        self._heard_at = now()
        self.wanted, self.address = wanted, address
        self.heard = AdapterLine()
        self.lock = threading.Lock()
        self.state, self.text = "listening", ""
        self._stop_asked = threading.Event()
        self._line: serial.SerialBase | None = None
        self._was_there = False

    def open(self) -> None:
        """Open it for the first time. Raise CannotOpen."""
        self._line = open_line(self.address, self.wanted.baud, self.wanted.parity, self.wanted.stop_bits)
        self._heard_at = self._now()

    def run(self) -> None:
        """See Thread."""
        while not self._stop_asked.is_set():
            if self._line is None and not self._take_up():
                continue
            self._read()
        self.let_go()

    def let_go(self) -> None:
        """Close the line, where it is open."""
        if self._line is not None:
            self._line.close()
            self._line = None

    def _take_up(self) -> bool:
        try:
            self.open()
        except CannotOpen as error:
            self.state, self.text = "gone", f"{error} Waiting for it to come back."
            self._stop_asked.wait(AGAIN_EVERY_S)
            return False
        self.state, self.text = "listening", "It is back."
        return True

    def _read(self) -> None:
        assert self._line is not None
        try:
            data = self._line.read(max(1, min(4096, self._line.in_waiting)))
        except (OSError, serial.SerialException, TypeError):  # pyserial lets a TypeError through when the line is closed under it
            self._line.close()
            self._line = None
            self.state, self.text = "gone", f"{self.address} went away. Waiting for it to come back."
            return
        now = self._now()
        late_s, self._heard_at = now - self._heard_at - READ_FOR_S, now
        if data:
            with self.lock:
                self.heard.take(bytes(data), now, late_s)

    def stop(self) -> None:
        """Let the line go."""
        self._stop_asked.set()
        self.join(2.0)


class TapConsumer(GatedConsumer):
    """Commands come in, the state of the tap goes out five times a second."""

    duty = "check"

    async def begin(self) -> None:
        """Say which lines are there, and go on telling."""
        self._listener: _Listener | None = None
        self._refused = ""
        self._trials: list[TapTrial] = []
        self._trying: asyncio.Task[None] | None = None
        self._places: list[TapPlace] = []
        self._recording: str | None = None
        await self._list()
        self._telling = asyncio.create_task(self._tell_on())

    async def end(self) -> None:
        """The browser went away: the line is let go."""
        for task in (self._telling, self._trying):
            if task:
                task.cancel()
        await self._shut()

    async def take(self, text: str) -> None:
        """A command."""
        try:
            message = _incoming.validate_json(text)
        except ValidationError as error:
            self._refused = f"not understood: {error.errors()[0]['msg']}"
            await self._tell()
            return
        if not await self.still_allowed():
            return
        if self._trying and message.type != "list":
            self._trying.cancel()
            self._trying = None
        if isinstance(message, OpenTap):
            self._trials, self._recording = [], None
            await self._open(message)
        elif message.type == "close":
            self._refused = ""
            await self._shut()
        elif message.type == "list":
            await self._list()
        elif message.type == "keep":
            await self._keep()
        elif self._listener:
            self._trying = asyncio.create_task(self._try_settings(self._listener.wanted))
        await self._tell()

    async def _open(self, wanted: OpenTap) -> None:
        await self._shut()
        self._refused = ""
        try:
            address = checked(wanted.address)
            if address in _listening:
                workshop_id, who = _listening[address]
                holder = f"{who} listens to {address} in another window" if workshop_id == self.workshop_id else f"{address} is in use"
                raise CannotOpen(f"{holder}; one program has a serial port at a time.")
            listener = _Listener(wanted, address)
            if address.startswith("/"):
                _listening[address] = (self.workshop_id, self.scope["user"].get_username())  # before it is open: two that come at once must not both have it
            try:
                await asyncio.to_thread(listener.open)
            except BaseException:
                _listening.pop(address, None)
                raise
        except (NotAllowed, CannotOpen) as error:
            self._refused = str(error)
            return
        if not self.known:  # they went away while it was being opened
            await asyncio.to_thread(listener.let_go)
            _listening.pop(address, None)
            return
        listener.start()
        self._listener = listener

    async def tell(self, text: str) -> None:
        """See GatedConsumer."""
        self._refused = text
        await self._tell()

    async def _shut(self) -> None:
        listener, self._listener = self._listener, None
        if listener:
            await asyncio.to_thread(listener.stop)
            _listening.pop(listener.address, None)

    async def _list(self) -> None:
        self._places = [TapPlace(address=each.address, about=each.about) for each in await asyncio.to_thread(what_is_there)]

    async def _try_settings(self, wanted: OpenTap) -> None:
        """Listen with each of the usual settings for a moment, then stay with the one that gave the most whole frames."""
        self._trials = []
        best: tuple[float, OpenTap] = (0.0, wanted)
        for baud, framing in usual_ways():
            way = wanted.model_copy(update={"baud": baud, "parity": _PARITIES[framing[1]], "stop_bits": int(framing[2])})
            for _ in range(TRIES):
                await self._open(way)
                await asyncio.sleep(TRY_S)
                if self._listener is None:
                    return
                with self._listener.lock:
                    found, late = self._listener.heard.found, self._listener.heard.late
                if late is None:
                    break
            self._trials.append(TapTrial(baud=baud, framing=framing, what=found.what, good_share=found.good_share))
            best = max(best, (found.confidence, way), key=lambda pair: pair[0])
        await self._open(best[1])
        self._trying = None

    async def _keep(self) -> None:
        if self._listener is None:
            return
        with self._listener.lock:
            pieces = self._listener.heard.everything()
        if not pieces:
            self._refused = "nothing was heard on this line yet"
            return
        if wait := lines_kept(self.scope["user"].pk, self.craft_id):
            self._refused = later(wait)
            return
        try:
            self._recording = str(await in_database(self._store)(pieces, self._listener.wanted))
        except RoomFull as error:
            self._refused = str(error)

    def _store(self, pieces: list[bytes], wanted: OpenTap) -> Any:
        where = wanted.address.removeprefix("/dev/").replace("://", " ").replace("/", "-")
        name = f"{where} at {wanted.baud} baud.bin"
        return Recording.store(pieces, craft_id=self.craft_id, name=name, kind="bin", source=Recording.Source.SERIAL, made_by=self.scope["user"]).pk

    async def _tell_on(self) -> None:
        with contextlib.suppress(asyncio.CancelledError, OSError):
            while True:
                await self._tell()
                await asyncio.sleep(TELL_EVERY_S)

    async def _tell(self) -> None:
        listener = self._listener
        heard = listener.heard if listener else AdapterLine()
        now = time.monotonic()
        wanted = listener.wanted if listener else None
        state = "refused" if self._refused else "closed"
        if listener:
            state = "trying settings" if self._trying else listener.state
        with listener.lock if listener else contextlib.nullcontext():
            told = TapState(
                state=state,
                text=self._refused or (listener.text if listener else ""),
                address=wanted.address if wanted else "",
                baud=wanted.baud if wanted else 0,
                framing=f"8{wanted.parity[0].upper()}{wanted.stop_bits}" if wanted else "",
                places=self._places,
                bytes=heard.total,
                bytes_per_s=heard.bytes_per_s(now),
                protocol=heard.found.protocol,
                what=heard.found.what,
                good_share=heard.found.good_share,
                why=heard.found.why,
                marks=heard.marks(now),
                late=heard.said_of_lateness(now),
                channels=heard.channels,
                sensors={name: frame.values for name, frame in heard.sensors.items()},
                last_bytes=list(heard.tail(SHOWN_BYTES)),
                trials=self._trials,
                recording=self._recording,
            )
        if self.known:
            await self.send(told.model_dump_json())
