"""How far a bench shall run: by the pilot's time, and by a test's."""

from __future__ import annotations

import asyncio

from asgiref.sync import async_to_sync
from django.test import SimpleTestCase, override_settings

from server.running.clock import CAUGHT_UP_S, MOST_BEHIND_S, Pace, RealClock, bench_clock
from tests import clock
from tests.clock import StandingClock


class RealClockTest(SimpleTestCase):
    """A bench keeps the pilot's time, never races, and says how late it is."""

    def setUp(self):
        self.now = 100.0
        self.clock = RealClock(lambda: None, lambda: self.now)

    @override_settings(BENCH_CLOCK="server.running.clock.RealClock")
    def test_it_is_the_one_that_is_served_with(self):
        self.assertIsInstance(bench_clock(lambda: None), RealClock)

    def test_bench_seconds_are_seconds_from_where_it_began(self):
        self.clock.begin(7.0)
        self.now += 0.25
        self.assertAlmostEqual(self.clock.until(7.0), 7.25)
        self.now += 0.5
        self.assertAlmostEqual(self.clock.until(7.2), 7.75, msg="it may be a little behind, and catches up")

    def test_who_was_asked_too_late_does_not_race(self):
        self.clock.begin(7.0)
        self.now += MOST_BEHIND_S + 0.1
        self.assertAlmostEqual(self.clock.until(7.0), 7.0 + CAUGHT_UP_S)
        self.now += 0.1
        self.assertAlmostEqual(self.clock.until(7.04), 7.0 + CAUGHT_UP_S + 0.1)

    def test_a_bench_that_comes_behind_says_so(self):
        self.clock.begin(0.0)
        for step in range(30):
            self.clock.came(step * 0.06)
            self.now += 0.1
        self.assertEqual(self.clock.pace, 0.6)

    def test_a_pace_is_told_once_it_has_been_seen_for_a_while(self):
        pace = Pace()
        for step in range(20):
            pace.see(step * 0.06, step * 0.1)
            self.assertEqual(pace.shown, 1.0 if step < 10 else 0.6, step)
        pace.begin()
        self.assertEqual(pace.shown, 1.0)
        for step in range(20):
            pace.see(step * 0.095, step * 0.1)
        self.assertEqual(pace.shown, 1.0, "a little late is not late")


class StandingClockTest(SimpleTestCase):
    """A test's bench time stands still until the test lets it pass."""

    def test_it_passes_where_somebody_looks_and_is_waited_for(self):
        async_to_sync(self.driven)()

    async def driven(self):
        looked, t = asyncio.Event(), 3.0
        watched, left = StandingClock(looked.set), StandingClock(lambda: self.fail("nobody looks at it"))
        left.begin(9.0)
        watched.begin(t)
        self.assertEqual([watched.until(t), watched.until(t)], [3.0, 3.0])

        async def bench():
            nonlocal t
            while t < 5.4:
                await looked.wait()
                looked.clear()
                self.assertLessEqual(watched.until(t) - t, clock.MOST_AT_ONCE_S)
                t = watched.until(t)
                watched.came(t)

        running = asyncio.create_task(bench())
        await clock.passes(2.5)
        self.assertAlmostEqual(t, 5.5)
        self.assertEqual(watched.pace, 1.0)
        running.cancel()
