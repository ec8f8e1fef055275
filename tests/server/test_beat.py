"""When a bench is run and told of."""

from __future__ import annotations

from django.test import SimpleTestCase

from linkcore.bench.bench import Bench
from linkcore.bench.messages import Hands
from linkcore.devices.flash_job import FlashOrder
from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images
from server.running.beat import GONE_S, LINGER_S, LIVELY_S, REST_TICK_S, WHOLE_S, Beat, Rates, Watchers
from tests.crafts import sbus_craft


class WatchersTest(SimpleTestCase):
    def test_a_bench_is_put_away_some_time_after_the_last_has_gone(self):
        watchers = Watchers(0.0)
        self.assertEqual((watchers.any(0.0), watchers.may_return(LINGER_S - 1), watchers.may_return(LINGER_S)), (False, True, False))
        watchers.look("wren", 30.0)
        watchers.look("teal", 31.0)
        watchers.leave("wren", 32.0)
        self.assertTrue(watchers.any(32.0))
        watchers.leave("teal", 33.0)
        self.assertEqual((watchers.any(33.0), watchers.may_return(33.0 + LINGER_S - 1), watchers.may_return(33.0 + LINGER_S)), (False, True, False))

    def test_who_goes_without_a_word_is_missed(self):
        watchers = Watchers(0.0)
        watchers.look("wren", 0.0)
        self.assertEqual((watchers.any(GONE_S - 1), watchers.any(GONE_S)), (True, False))
        watchers.leave("wren", GONE_S + 1)
        self.assertTrue(watchers.may_return(GONE_S + 5))


class BeatTest(SimpleTestCase):
    def test_it_is_quick_while_something_moves_and_slow_at_rest(self):
        beat, bench = Beat(0.0, Rates()), Bench(sbus_craft())
        bench.run_until(1.0)
        beat.see(bench.live().gist(), 1.0)
        for tick in range(1, 6):  # noise alone is no movement
            bench.run_until(1.0 + tick * 0.2)
            beat.see(bench.live().gist(), 1.0 + tick * 0.2)
        self.assertEqual((beat.tick_s(1.0 + LIVELY_S - 0.1), beat.tick_s(1.0 + LIVELY_S)), (Rates().tick_s, REST_TICK_S))
        bench.hands(Hands(switches={"S3": 2}))
        beat.see(bench.live().gist(), 5.0)
        self.assertEqual(beat.tick_s(5.0), Rates().tick_s)

    def test_what_the_board_does_by_itself_is_told_quickly_too(self):
        beat, bench = Beat(0.0, Rates()), Bench(sbus_craft())
        bench.run_until(1.0)
        beat.see(bench.live().gist(), 1.0)
        bench.hands(Hands(transmitter_on=False))
        beat.see(bench.live().gist(), 1.0)
        bench.run_until(1.9)
        beat.see(bench.live().gist(), 4.0)
        self.assertFalse(beat.lively(4.0 + LIVELY_S))
        bench.run_until(2.1)  # the grace ends here
        beat.see(bench.live().gist(), 6.0)
        self.assertEqual((bench.board.link, beat.lively(6.0)), ("lost", True))

    def test_a_flash_job_that_gets_on_is_a_movement(self):
        beat, bench = Beat(0.0, Rates()), Bench(sbus_craft())
        bench.hands(Hands(usb=True))
        name, facts, content = next(image for image in scenario_images(shipped()) if image[0] == "merle-f7-5.0.0.hex")
        bench.loading.start(FlashOrder(role="board", image=name, way="request"), content, facts, bench.t)
        for now in (1.0, 2.0, 3.0):
            bench.run_until(now)
            beat.see(bench.live().gist(), now)
            self.assertTrue(beat.lively(now), f"{bench.live().jobs[0].percent} %")

    def test_snapshots_give_way_before_time_does(self):
        beat = Beat(0.0, Rates())
        beat.stir(10.0)
        self.assertEqual([round(1 / beat.tick_s(10.0, load)) for load in (0.0, 0.69, 0.7, 0.89, 0.9, 1.0)], [25, 25, 12, 12, 5, 5])
        self.assertEqual(beat.tick_s(10.0 + LIVELY_S, 1.0), REST_TICK_S)

    def test_how_often_is_a_setting(self):
        beat = Beat(0.0, Rates(ticks=10.0, reports=2.5))
        beat.stir(10.0)
        self.assertEqual([round(1 / beat.tick_s(10.0, load), 1) for load in (0.0, 0.8, 1.0)], [10, 5, 5])
        self.assertEqual([beat.due(now / 10) for now in range(100, 110)].count(True), 3)

    def test_a_report_is_made_when_it_is_due_or_asked_for_and_now_and_then_whole(self):
        beat = Beat(0.0, Rates())
        self.assertEqual((beat.due(0.0), beat.take_whole(0.0)), (True, True))
        self.assertEqual((beat.due(0.1), beat.due(0.2), beat.take_whole(0.2)), (False, True, False))
        beat.report_now = True
        self.assertEqual((beat.due(0.24), beat.due(0.28)), (True, False))
        self.assertTrue(beat.take_whole(WHOLE_S))
