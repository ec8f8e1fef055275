"""The socket that reads no further than the app has got, without a network: frames in any pieces, and an app that takes its time."""

from __future__ import annotations

import asyncio
import random

from asgiref.sync import async_to_sync
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from uvicorn.config import Config
from uvicorn.server import ServerState
from websockets.frames import Frame, Opcode

from server.patient_socket import AFTER_THE_END, PIECE, SAYING_NOTHING, PatientSocket

HANDSHAKE = (
    b"GET /ws HTTP/1.1\r\nHost: here\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n"
    b"Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n\r\n"
)


class Transport:
    """What a connection is to the socket: it tells whether it is read from, and what was done to it."""

    def __init__(self):
        self.written, self.reading, self.closing, self.aborted = bytearray(), True, False, False

    def get_extra_info(self, _name, default=None):
        return default

    def write(self, data):
        self.written += data

    def is_closing(self):
        return self.closing

    def pause_reading(self):
        self.reading = False

    def resume_reading(self):
        self.reading = True

    def close(self):
        self.closing = True

    def abort(self):
        self.closing = self.aborted = True


def sent(opcode: Opcode, data: bytes, *, fin: bool = True) -> bytes:
    """A frame as a client sends it."""
    return Frame(opcode, data, fin).serialize(mask=True)


async def settle() -> None:
    """Whatever was put off until the next turn is done."""
    for _ in range(600):
        await asyncio.sleep(0)


class Story:
    """One socket, what its app has had, and how much it may have."""

    def __init__(self, *, takes: int | None = None):
        self.had: list[str] = []
        self.most_waiting = 0
        self.takes, self.closes_after, self.closed = takes, None, False
        self.may_go_on = asyncio.Event()
        if takes is None:
            self.may_go_on.set()
        config = Config(self.app, ws_max_size=65536, log_config=None, lifespan="off")
        config.load()
        config.loaded_app = self.app
        self.transport = Transport()
        self.socket = PatientSocket(config=config, server_state=ServerState(), app_state={}, _loop=asyncio.get_running_loop())
        self.socket.connection_made(self.transport)
        self.socket.data_received(HANDSHAKE)

    async def __aenter__(self):
        await settle()
        return self

    async def __aexit__(self, *_):
        self.may_go_on.set()
        self.transport.closing = True
        self.socket.connection_lost(None)
        await settle()

    async def app(self, _scope, receive, send):
        await receive()
        await send({"type": "websocket.accept"})
        while (message := await receive())["type"] == "websocket.receive":
            if self.closed:
                continue  # it was on its way
            self.most_waiting = max(self.most_waiting, self.socket.queue.qsize())
            self.had.append(message["text"])
            if self.closes_after is not None and len(self.had) >= self.closes_after:
                self.closed = True
                await send({"type": "websocket.close", "code": 4429})
            if self.takes is not None and len(self.had) >= self.takes:
                await self.may_go_on.wait()


class PiecesTest(SimpleTestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.text(max_size=3 * PIECE // 2), max_size=30), st.randoms(use_true_random=False), st.booleans())
    def test_whatever_the_pieces_every_message_comes_whole_and_in_order(self, texts, rng, in_parts):
        data = bytearray()
        for text in texts:
            coded = text.encode()
            cut = rng.randrange(len(coded) + 1) if in_parts else 0
            data += sent(Opcode.TEXT, coded[:cut], fin=False) + sent(Opcode.CONT, coded[cut:]) if cut else sent(Opcode.TEXT, coded)
        had = async_to_sync(self.fed)(bytes(data), rng)
        self.assertEqual(had, texts)

    async def fed(self, data: bytes, rng: random.Random) -> list[str]:
        async with Story() as story:
            while data:
                size = rng.randrange(1, 5000)
                story.socket.data_received(data[:size])
                data = data[size:]
                if rng.random() < 0.5:
                    await settle()
            await settle()
            self.assertTrue(story.transport.reading, "and it is read on")
            self.assertFalse(story.transport.closing)
            return story.had


class BackPressureTest(SimpleTestCase):
    def test_an_app_that_takes_its_time_is_not_run_ahead_of(self):
        async def run():
            frame = sent(Opcode.TEXT, b"x" * 40)
            async with Story(takes=1) as story:
                story.socket.data_received(frame * 5000)
                await settle()
                self.assertEqual((len(story.had), story.transport.reading), (1, False))
                self.assertLessEqual(story.socket.queue.qsize(), PIECE // len(frame) + 1, "what waits for the app is no more than a piece")
                story.takes = None
                story.may_go_on.set()
                for _ in range(40):
                    await settle()
                self.assertEqual((len(story.had), story.transport.reading), (5000, True))
                self.assertLessEqual(story.most_waiting, PIECE // len(frame) + 1)

        async_to_sync(run)()

    def test_after_the_end_a_goodbye_is_heard_and_a_flood_is_not(self):
        async def run(more: bytes) -> tuple[bool, bool, int]:
            async with Story() as story:
                story.closes_after = 3
                story.socket.data_received(sent(Opcode.TEXT, b"x") * 3 + more)
                await settle()
                await settle()
                return story.transport.closing, story.transport.aborted, len(story.had)

        goodbye = sent(Opcode.CLOSE, (4429).to_bytes(2, "big"))
        self.assertEqual(async_to_sync(run)(goodbye), (True, False, 3))
        self.assertEqual(async_to_sync(run)(sent(Opcode.TEXT, b"y" * 20) * 20 + goodbye), (True, False, 3), "what was on its way may come before it")
        self.assertEqual(async_to_sync(run)(sent(Opcode.TEXT, b"y" * 500) * (AFTER_THE_END // 300)), (True, True, 3))
        self.assertEqual(async_to_sync(run)(b""), (False, False, 3), "the other end has a while to say goodbye")

    def test_so_many_frames_that_say_nothing_and_no_more(self):
        async def run(frame: bytes, count: int) -> bool:
            async with Story() as story:
                story.socket.data_received(frame * count)
                for _ in range(5):
                    await settle()
                return story.transport.aborted

        for name, frame in (("ping", sent(Opcode.PING, b"now")), ("pong", sent(Opcode.PONG, b"now"))):
            with self.subTest(name):
                self.assertFalse(async_to_sync(run)(frame, SAYING_NOTHING[0] // 2))
                self.assertTrue(async_to_sync(run)(frame, SAYING_NOTHING[0] * 2))
        begun = sent(Opcode.TEXT, b"", fin=False)

        async def never_ends() -> bool:
            async with Story() as story:
                story.socket.data_received(begun + sent(Opcode.CONT, b"", fin=False) * (2 * SAYING_NOTHING[0]))
                for _ in range(5):
                    await settle()
                return story.transport.aborted and not story.socket.frames

        self.assertTrue(async_to_sync(never_ends)())

    def test_a_ping_is_answered(self):
        async def run() -> bytes:
            async with Story() as story:
                before = len(story.transport.written)
                story.socket.data_received(sent(Opcode.PING, b"are you there"))
                await settle()
                return bytes(story.transport.written[before:])

        self.assertEqual(async_to_sync(run)(), Frame(Opcode.PONG, b"are you there").serialize(mask=False))
