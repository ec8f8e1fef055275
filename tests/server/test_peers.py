"""Which of several processes takes a bench: by what each has told of itself."""

from __future__ import annotations

import asyncio
import uuid
from unittest.mock import patch

from asgiref.sync import async_to_sync
from channels.layers import InMemoryChannelLayer
from django.test import SimpleTestCase, override_settings

from server.running import peers
from server.running.peers import FEWER, FORGOTTEN_S, Peers


async def until(true) -> None:
    """Let the others go on until something holds."""
    while not true():  # noqa: ASYNC110 - nobody says when it does
        await asyncio.sleep(0.01)


class RoomierTest(SimpleTestCase):
    MOST = 10

    def knowing(self, **benches) -> Peers:
        mine = Peers(lambda: 0, lambda _: asyncio.sleep(0))
        for who, count in benches.items():
            mine._hear({"type": "here", "who": who, "benches": count})
        return mine

    def test_who_has_much_less_or_room_where_here_is_none(self):
        for here, others, taken_by in (
            (0, {}, ""),
            (self.MOST, {}, ""),
            (2, {"a": 0}, ""),
            (FEWER, {"a": 0}, "a"),
            (5, {"a": 4, "b": 2}, "b"),
            (5, {"a": 4, "b": 3}, ""),
            (self.MOST, {"a": self.MOST - 1}, "a"),
            (self.MOST, {"a": self.MOST}, ""),
            (self.MOST, {"a": self.MOST, "b": self.MOST + 3}, ""),
        ):
            self.assertEqual(self.knowing(**others).roomier(here, self.MOST), taken_by, (here, others))

    def test_a_burst_is_shared_out_before_anybody_has_told_anything_new(self):
        mine, here, asked = self.knowing(a=0), 0, []

        async def come():
            nonlocal here
            for _ in range(2 * self.MOST):
                if channel := mine.roomier(here, self.MOST):
                    await mine.ask(channel, uuid.uuid4())
                    asked.append(channel)
                else:
                    here += 1

        with patch.object(peers, "get_channel_layer", InMemoryChannelLayer):
            async_to_sync(come)()
        self.assertEqual((here, len(asked)), (self.MOST, self.MOST))

    def test_who_was_not_heard_of_for_a_while_is_gone_and_may_be_asked_all_the_same(self):
        with patch.object(peers.time, "monotonic") as now:
            now.return_value = 100.0
            mine = self.knowing(a=0)
            now.return_value = 100.0 + FORGOTTEN_S - 0.1
            self.assertEqual(mine.roomier(5, self.MOST), "a")
            now.return_value = 100.0 + FORGOTTEN_S
            self.assertEqual(mine.roomier(5, self.MOST), "")
        with patch.object(peers, "get_channel_layer", InMemoryChannelLayer):
            async_to_sync(mine.ask)("a", uuid.uuid4())
        self.assertEqual(mine.roomier(5, self.MOST), "")


class TalkTest(SimpleTestCase):
    @override_settings(REDIS_URL="")
    def test_one_process_alone_says_and_hears_nothing(self):
        alone = Peers(lambda: 0, lambda _: asyncio.sleep(0))
        async_to_sync(self.started)(alone)
        self.assertEqual(alone._tasks, [])

    async def started(self, *several: Peers) -> None:
        for each in several:
            each.start()

    @override_settings(REDIS_URL="anything")
    def test_two_hear_of_each_other_and_one_takes_up_what_the_other_asks_it_to(self):
        layer, taken, craft = InMemoryChannelLayer(), [], uuid.uuid4()

        async def take_up(craft_id):
            taken.append(craft_id)
            raise RuntimeError("whatever goes wrong there is not the asker's")

        async def talk():
            one, other = Peers(lambda: 7, take_up), Peers(lambda: 2, take_up)
            await self.started(one, other)
            async with asyncio.timeout(10):
                await until(lambda: one._known and other._known)
                self.assertEqual((other.roomier(2, 10), one.roomier(7, 10)), ("", other._channel), "a process does not count itself")
                await one.ask(other._channel, craft)
                self.assertEqual(one._known[other._channel][0], 3)
                await until(lambda: taken)
            for task in (*one._tasks, *other._tasks):
                self.assertFalse(task.done())
                task.cancel()

        with (
            patch.object(peers, "get_channel_layer", lambda: layer),
            patch.object(peers, "TELL_EVERY_S", 0.02),
            self.assertLogs("server.running.peers", "INFO"),
        ):
            async_to_sync(talk)()
        self.assertEqual(taken, [craft])
