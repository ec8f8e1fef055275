"""The radio link on the bench: what the hands may do to both ends, what an exchange of a part does to a bind, and states kept by earlier versions."""

from __future__ import annotations

import random

from django.test import SimpleTestCase

import scenario
from linkcore.bench.bench import Bench
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import apply_edits
from linkcore.devices.board_api import Refused
from linkcore.devices.flash_job import FlashOrder
from linkcore.findings import Edit
from tests.crafts import crsf_craft, sbus_craft
from tests.hand import Hand
from tests.hazards import IMAGES, Pilot, bind_told
from tests.kits import every_receiver


class HandsTest(SimpleTestCase):
    def test_what_an_end_does_not_have_is_refused_before_anything_is_done(self):
        hand = Hand(sbus_craft())
        before = hand.bench.state().keep()
        refused = (
            {"switches": {"S9": 1}, "distance_m": 9},
            {"switches": {"S1": 2}, "model": 4},
            {"way": "phrase", "model": 4},
            {"receiver_phrase": "low water at noon", "model": 4},
            {"transmitter_phrase": "short", "model": 4},
        )
        for hands in refused:
            with self.assertRaises(ValueError):
                hand.bench.hands(Hands.model_validate(hands))
            self.assertEqual(hand.bench.state().keep(), before, hands)

    def test_a_receiver_without_supply_takes_no_phrase_and_a_transmitter_that_is_off_offers_nothing(self):
        hand = Hand(crsf_craft())
        hand.do(0.2, receiver_plugged=False)
        with self.assertRaisesRegex(ValueError, "no power"):
            hand.do(receiver_phrase="low water at noon")
        hand.do(0.2, transmitter_on=False)
        with self.assertRaisesRegex(ValueError, "switch it on first"):
            hand.do(transmitter_mode="bind")

    def test_a_transmitter_in_bind_sends_no_channels_and_the_line_says_so(self):
        hand = Hand(sbus_craft())
        hand.do(2.5, transmitter_mode="bind")
        self.assertEqual((hand.board.link, hand.bench.live().linked), ("lost", False))
        self.assertIn("it is in bind", next(finding.why for finding in hand.report().findings if finding.code == "line.silent"))
        hand.do(31)
        self.assertEqual((hand.bench.live().transmitter_mode, hand.board.link), ("normal", "good"), "it leaves bind by itself")

    def test_a_button_that_is_let_go_as_supply_comes_was_held_until_then(self):
        hand = Hand(sbus_craft())
        hand.do(0.3, bind_button=True, receiver_plugged=False)
        hand.do(0.3, bind_button=False, receiver_plugged=True)
        self.assertEqual((hand.bench.receiver.state, hand.bench.live().bind_button), ("bind", False))
        hand.do(0.3, boot_button=True, pack=False)
        hand.do(0.3, boot_button=False, usb=True)
        self.assertEqual((hand.report().told.load.devices[0].in_bootloader, hand.report().told.load.boot_button), (True, False))

    def test_the_steps_always_have_one_next_until_it_is_proven(self):
        rng = random.Random(7)
        for _, craft in every_receiver()[::3]:
            bench = Bench(craft, BenchState(stored=craft.settings, running=craft.settings, read_back=craft.settings, bound=False))
            for _ in range(60):
                moves = (
                    {"transmitter_on": rng.random() < 0.7},
                    {"receiver_plugged": rng.random() < 0.7},
                    {"bind_button": rng.random() < 0.5},
                    {"model": rng.randint(1, 3)},
                    {"pack": rng.random() < 0.8},
                    {"distance_m": rng.choice((0.1, 2.0, 40.0))},
                    {"forget_bind": True},
                )
                bench.hands(Hands.model_validate(rng.choice(moves)))
                if bench.transmitter.on and rng.random() < 0.4:
                    bench.hands(Hands(transmitter_mode=rng.choice(("normal", "bind", "register"))))
                bench.run_until(bench.t + rng.uniform(0.05, 1.2))
                report = bind_told(bench)
                following = [step for step in report.steps if step.next]
                self.assertEqual(len(following), 0 if all(step.done for step in report.steps) else 1)
                self.assertTrue(report.proven or report.verdict)
                if report.proven:
                    self.assertTrue(report.knows and all(step.done for step in report.steps[-3:]))


class ExchangeTest(SimpleTestCase):
    def kept(self, hand: Hand) -> BenchState:
        return BenchState.model_validate(hand.bench.state().keep())

    def test_another_receiver_knows_nobody_and_the_same_one_goes_on(self):
        hand = Hand(sbus_craft())
        same = Bench(sbus_craft(), self.kept(hand))
        self.assertEqual((same.link.knows, same.link.identity), (True, hand.bench.link.identity))
        other = sbus_craft()
        other.kit.receiver = "pip-s4"
        exchanged = Bench(other, self.kept(hand))
        exchanged.run_until(exchanged.t + 1)
        self.assertEqual((exchanged.link.identity, exchanged.live().linked), ("", False))

    def test_another_transmitter_has_neither_the_model_nor_the_phrase_of_the_old_one(self):
        hand = Hand(crsf_craft())
        hand.do(0.5, model=3, transmitter_phrase="low water at noon", receiver_phrase="low water at noon")
        other = apply_edits(crsf_craft(), [Edit(path="/kit/transmitter", value="stile-t12")])
        exchanged = Bench(other, self.kept(hand))
        sender = exchanged.transmitter.end
        self.assertEqual((sender.slot, sender.phrase, exchanged.link.knows), (1, "", False))
        self.assertEqual(exchanged.link.identity, hand.bench.link.identity, "the receiver still listens for what it knew")

    def test_a_satellite_is_at_home_where_the_new_board_has_no_bind_pad(self):
        twin = next(craft for name, craft in every_receiver() if name == "twin-leaf")
        state = BenchState(stored=twin.settings, running=twin.settings, read_back=twin.settings, satellite_away=True)
        hand = Hand(twin, state)
        self.assertEqual((hand.bench.bind_pad, hand.bench.satellite_away), (None, False))
        hand.passes(1)
        self.assertEqual(hand.board.link, "good")

    def test_a_state_that_was_kept_before_there_was_firmware_still_opens(self):
        craft = sbus_craft()
        settings = craft.settings.model_dump(mode="json")
        del settings["bind_count"]
        for bound in (True, False):
            old = {"stored": settings, "running": settings, "read_back": settings, "usb": False, "pack": True, "bound": bound, "t": 12.5}
            hand = Hand(craft, BenchState.model_validate(old))
            hand.passes(1)
            self.assertEqual((hand.bench.link.knows, hand.board.link), (bound, "good" if bound else "no signal"))
            self.assertEqual(hand.report().told.load.link.verdict, "talks")


class PowerTest(SimpleTestCase):
    def test_more_than_the_region_allows_is_warned_of(self):
        def said(dbm: float) -> list[str]:
            hand = Hand(apply_edits(crsf_craft(), [Edit(path="/wants/region", value="868"), Edit(path="/air/power_dbm", value=dbm)]))
            return [finding.what for finding in hand.report().findings if finding.code == "bind.over-limit"]

        (loud,) = said(40)
        self.assertRegex(loud, r"would send \d+\.\d dBm EIRP; 868 allows \d+\.\d\.")
        self.assertEqual(said(0), [])


class ArmedTest(SimpleTestCase):
    def test_nothing_is_flashed_while_the_board_is_armed(self):
        hand = Hand(scenario.curlew())
        hand.passes(1.0)
        hand.do(1.0, switches={"S1": 1})
        self.assertTrue(hand.board.armed)
        hand.do(0.5, usb=True)
        for role, name, way in (("board", "merle-f7-4.3.1.hex", "request"), ("receiver", "pip-s8-2.1.0-lbt.hex", "over the air")):
            facts, content = IMAGES[name]
            with self.assertRaisesRegex(Refused, "disarm first"):
                hand.bench.loading.start(FlashOrder(role=role, image=name, way=way), content, facts, hand.bench.t)
        hand.do(1.0, switches={"S1": 0})
        facts, content = IMAGES["merle-f7-4.3.1.hex"]
        self.assertEqual(hand.bench.loading.start(FlashOrder(role="board", image="x", way="request"), content, facts, hand.bench.t).state, "asking")


class OverTheAirTest(SimpleTestCase):
    def flash(self, hand: Hand):
        facts, content = IMAGES["wisp-900-6.1.0-868.hex"]
        return hand.bench.loading.start(FlashOrder(role="receiver", image="x", way="over the air"), content, facts, hand.bench.t)

    def test_it_needs_a_link_that_carries_and_ends_when_the_transmitter_goes_off(self):
        hand = Hand(crsf_craft())
        hand.do(2.0, loss_percent=60)
        seen = hand.bench.loading.look("receiver", "over the air")
        self.assertIn("70 % are needed", seen.says)
        hand.do(2.0, loss_percent=0)
        job = self.flash(hand)
        hand.passes(2.0)
        self.assertEqual(job.state, "writing")
        hand.do(1.0, transmitter_on=False)
        self.assertEqual(job.state, "failed")
        self.assertTrue(any("through the board" in line for line in job.recover))
        hand.do(2.0, transmitter_on=True)
        again = self.flash(hand)
        hand.passes(1.0)
        self.assertEqual((again.state, "runs no firmware" in again.says), ("failed", True))
        Pilot(hand.bench).recover("receiver")
        hand.passes(2.0)
        self.assertEqual(hand.board.link, "good")

    def test_through_the_air_takes_longer_than_through_the_board(self):
        def seconds(way: str) -> float:
            hand = Hand(crsf_craft())
            hand.do(2.0, usb=True)
            facts, content = IMAGES["wisp-900-6.1.0-868.hex"]
            job = hand.bench.loading.start(FlashOrder(role="receiver", image="x", way=way), content, facts, hand.bench.t)
            while not job.over:
                hand.passes(0.2)
            self.assertEqual(job.state, "done")
            return job.ended_t - job.began_t

        self.assertGreater(seconds("over the air"), 1.3 * seconds("bridge"))
