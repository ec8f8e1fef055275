"""What only the first flight confirms: the idle and the compass; and what eyes see of the motors of an armed craft."""

from __future__ import annotations

import random
import unittest

import scenario
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import apply_edits
from linkcore.findings import Edit
from linkcore.hops.airframe.first_flight import IdleFlown
from linkcore.standins.held import BodyTruth
from tests.hand import Hand
from tests.in_hands import curlew, findings, mend, told
from tests.motors import ready, usual_but


class IdleTest(unittest.TestCase):
    def hovering(self):
        """Curlew with its motors proven and its idle as the bench has it."""
        turner = ready(usual_but(lambda pad: {"starts_percent": 7.0 if pad == "M3" else 6.5}))
        turner.all_of_them()
        mend(turner.hand, "airframe.idle")
        return turner.hand

    def test_what_is_reckoned_waits_for_the_hover_and_the_pilots_word_counts_for_that_idle(self):
        hand = self.hovering()
        found = findings(hand)["airframe.idle-flown"]
        self.assertEqual(found.severity, "note")
        self.assertIn("The idle of 8.5 % is reckoned from the bench, where the last motor starts at 7", found.what)
        before = set(findings(hand))
        mend(hand, "airframe.idle-flown", 1)
        self.assertEqual(set(findings(hand)), before - {"airframe.idle-flown"})
        hand.bench.take_document(apply_edits(hand.bench.document, [Edit(path="/settings/drive/idle_percent", value=8.0)]))
        hand.bench.write(hand.bench.document.settings)
        self.assertIn("airframe.idle-flown", findings(hand), "another idle was not flown")

    def test_a_motor_that_stopped_in_flight_asks_for_more_until_none_does(self):
        hand = self.hovering()
        before = set(findings(hand)) - {"airframe.idle-flown"}
        for idle in (8.5, 9.5):
            mend(hand, "airframe.idle-flown", 2)
            found = findings(hand)["airframe.idle"]
            self.assertEqual((found.severity, found.what[:66]), ("warn", f"A motor has stopped in flight with an idle of {idle:g} %; armed motors are"[:66]))
            mend(hand, "airframe.idle")
            self.assertEqual(hand.bench.board.running.drive.idle_percent, idle + 1)
            self.assertEqual(set(findings(hand)), before | {"airframe.idle-flown"})
        mend(hand, "airframe.idle-flown", 1)
        self.assertEqual(set(findings(hand)), before)
        state = BenchState.model_validate(hand.bench.state().keep())
        self.assertEqual(state.airframe.idle_flown, IdleFlown(held_percent=10.5, stopped_percent=9.5))

    def test_any_course_of_words_ends_at_an_idle_that_will_do_and_a_stop_is_not_taken_back(self):
        rng = random.Random(5)
        for _ in range(300):
            worst, flown = rng.uniform(3, 16), IdleFlown()
            idle = flown.wanted(worst)
            needs = rng.uniform(worst, 19)
            for _ in range(40):
                least, most = flown.bounds(worst)
                self.assertTrue(least <= idle <= most or idle == 20, (worst, idle, flown))
                flown = flown.with_said(idle, stopped=idle < needs)
                if flown.held_percent == idle:
                    break
                idle = flown.wanted(worst)
            self.assertGreaterEqual(idle, needs)
            self.assertIsNone(flown.with_said(idle, stopped=True).held_percent)
            lower = (flown.stopped_percent or 1.0) - 0.5
            self.assertNotEqual(flown.with_said(lower, stopped=False).held_percent, lower if flown.stopped_percent else None)

    def test_who_has_no_idle_or_no_compass_is_told_so(self):
        plane = scenario.sandpiper()
        hand = Hand(plane, BenchState(stored=plane.settings, running=plane.settings, body=BodyTruth()))
        hand.passes(1)
        with self.assertRaisesRegex(ValueError, "the motors of a plane may stop in flight"):
            hand.bench.hands(Hands(flown="a motor stopped"))
        with self.assertRaisesRegex(ValueError, "the board sees no compass"):
            hand.bench.hands(Hands(flown="the heading stayed"))
        self.assertEqual(hand.bench.measuring.airframe.seen.idle_flown, IdleFlown())


class HeadingTest(unittest.TestCase):
    def test_what_the_motors_do_to_the_compass_is_confirmed_in_flight_or_not(self):
        hand = curlew(BodyTruth(compass_deg_a=0.2))
        hand.passes(2)
        for turn in (0, 45, 90, 135, 180, -135, -90, -45, 0):
            hand.do(0.3, turn_deg=turn)
        self.assertNotIn("airframe.compass-flown", findings(hand), "there is nothing yet that a flight could confirm")
        hand.do(0.5, switches={"S1": 1})
        hand.do(1.0, left={"x": 0, "y": 0.2})
        before = set(findings(hand))
        self.assertEqual(findings(hand)["airframe.compass-flown"].severity, "note")
        mend(hand, "airframe.compass-flown", 2)
        self.assertEqual(findings(hand)["airframe.compass-flown"].severity, "warn")
        self.assertEqual(told(hand).compass.says, "In flight the heading swung off.")
        mend(hand, "airframe.compass-flown", 1)
        self.assertEqual(set(findings(hand)), before - {"airframe.compass-flown"})
        self.assertEqual(told(hand).compass.says, "In flight the heading stayed with the craft.")
        hand.bench.measure_anew()
        self.assertIsNone(hand.bench.measuring.airframe.seen.heading_flown)
        hand.do(0.3, flown="the heading swung")
        hand.do(0.9, left={"x": 0, "y": -1}, switches={"S1": 0})
        for turn in (45, 90, 135, 180):
            hand.do(0.5, turn_deg=turn)
        hand.do(0.5, switches={"S1": 1})
        hand.do(1.0, left={"x": 0, "y": 0.2})
        mend(hand, "airframe.compass-flown", 0)
        self.assertNotIn("airframe.compass-flown", findings(hand))
        self.assertIn("Turn the craft round once", told(hand).compass.says)


class SightTest(unittest.TestCase):
    def test_a_motor_that_starts_above_the_idle_is_seen_to_stand_still_once_armed(self):
        for starts, sees in (({}, "every motor turns"), ({"M2": 7.5}, "the front right motor stands still, the others turn")):
            turner = ready(usual_but(lambda pad, starts=starts: {"starts_percent": starts.get(pad, 4.0)}))
            hand = turner.hand
            hand.do(0.5, props_off=False)
            self.assertEqual(hand.bench.turning.live().sight, "")
            hand.do(0.5, usb=False, left={"x": 0, "y": -1})
            hand.do(0.5, switches={"S1": 1})
            self.assertTrue(hand.bench.board.armed, hand.bench.board.blockers(hand.bench.t))
            self.assertEqual(hand.bench.turning.live().sight, sees)
            hand.do(0.5, left={"x": 0, "y": 0.0})
            self.assertEqual(hand.bench.turning.live().sight, "every motor turns")
