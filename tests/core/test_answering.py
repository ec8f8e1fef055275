"""How a craft answers its sticks: both ends composed, on the bench and as reckoned, and what is odd about it."""

from __future__ import annotations

import random
import unittest

import scenario
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import AnswerSetup, AxisAnswer, CraftDocument, Rate, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices.answers import STEERS, asked_dps, curve, gives_dps, softened, turns_back
from linkcore.findings import Edit
from linkcore.hops.airframe.answering import check_answers
from linkcore.hops.airframe.view import READS
from linkcore.parts.axes import STICK_OF
from linkcore.standins.drives import DrivesTruth, ServoTruth
from tests.crafts import crsf_craft, sbus_craft, whole_of
from tests.hand import Hand
from tests.in_hands import told
from tests.planes import plane


def found(craft: CraftDocument) -> dict:
    return {each.code: each for each in check_answers(READS.view(whole_of(craft)))}


def craft_with(**answer) -> CraftDocument:
    craft = scenario.curlew()
    craft.settings.answer = AnswerSetup(**{axis: AxisAnswer(**each) for axis, each in answer.items()})
    return craft


class CurveTest(unittest.TestCase):
    def test_what_is_reckoned_is_what_the_board_makes_of_the_stick_on_the_bench(self):
        """Rates, expo and curve of the model memory, counts, the protocol's steps, the deadband: whatever is set."""
        rng = random.Random(5)
        for make in (sbus_craft, crsf_craft):
            for _ in range(3):
                craft = make()
                craft.transmitter.rates = [Rate(axis="aileron", percent=rng.randint(50, 100), expo_percent=rng.randint(0, 80))]
                craft.transmitter.channels[0].travel_high_percent = rng.randint(80, 110)
                craft.settings.deadband.sticks_us = rng.choice((0, 8, 20))
                craft.settings.answer = AnswerSetup(roll=AxisAnswer(most_dps=rng.randint(200, 900), soft_percent=rng.randint(0, 60)))
                craft = CraftDocument.model_validate(craft.model_dump())
                hand = Hand(craft)
                hand.passes(1)
                reckoned = dict(curve(craft, KitParts.of(craft), "roll", {}))
                for place in (-1.0, -0.5, 0.1, 0.35, 0.8, 1.0):
                    hand.do(0.4, right={"x": place, "y": 0})
                    seen = asked_dps(craft, "roll", hand.board.commands["roll"])
                    nearest = min(reckoned, key=lambda each, place=place: abs(each - place))
                    self.assertAlmostEqual(nearest, place)
                    self.assertAlmostEqual(seen, reckoned[nearest], delta=12)  # what a stick's noise makes of it

    def test_both_ends_stay_and_the_middle_is_softer(self):
        for soft in (0, 30, 100):
            self.assertEqual((softened(1, soft), softened(-1, soft), softened(0, soft)), (1, -1, 0))
            self.assertAlmostEqual(softened(0.5, soft), 0.5 - 0.375 * soft / 100)
            points = [(place / 50, softened(place / 50, soft)) for place in range(-50, 51)]
            self.assertIsNone(turns_back(points))

    def test_it_is_told_beside_what_the_airframe_gives(self):
        craft = craft_with(roll={"most_dps": 400, "soft_percent": 40})
        hand = Hand(craft)
        roll, pitch, yaw = told(hand).answers
        self.assertEqual((roll.axis, roll.most_dps, roll.soft_percent, roll.gives_dps), ("roll", 400, 40, round(gives_dps(craft, "roll"))))
        self.assertAlmostEqual(roll.full_dps, 400, delta=4)
        self.assertLess(roll.half_dps, 0.4 * roll.full_dps)
        self.assertEqual(pitch.full_dps, pitch.gives_dps)
        self.assertLess(yaw.gives_dps, roll.gives_dps)
        boat = told(Hand(scenario.coot())).answers
        self.assertEqual([each.axis for each in boat], ["yaw"])

    def test_what_the_board_runs_decides_and_not_the_draft(self):
        craft = craft_with()
        hand = Hand(craft)
        before = told(hand).answers[0].full_dps
        other = apply_edits(craft, [Edit(path="/settings/answer/roll/most_dps", value=120)])
        hand.bench.take_document(other)
        self.assertEqual(told(hand).answers[0].full_dps, before)
        hand.bench.write(other.settings)
        self.assertEqual(told(hand).answers[0].full_dps, 120)

    def test_a_rate_on_a_switch_counts_while_it_is_there(self):
        craft = sbus_craft()
        craft.transmitter.rates = [Rate(axis="aileron", percent=50, switch="S2", position=1)]
        craft.settings.answer = AnswerSetup(roll=AxisAnswer(most_dps=400))
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        full = told(hand).answers[0].full_dps
        hand.bench.hands(Hands(switches={"S2": 1}))
        self.assertAlmostEqual(told(hand).answers[0].full_dps, full / 2, delta=4)


class FindingTest(unittest.TestCase):
    def test_both_ends_that_bend_more_than_it_gives_yaw_apart_and_a_curve_that_turns_back(self):
        bent = craft_with(pitch={"soft_percent": 30})
        bent.transmitter.rates = [Rate(axis="elevator", expo_percent=40)]
        back = craft_with()
        back.transmitter.channels[0].curve = [-100, 20, -20, 100]
        for craft, code in (
            (bent, "airframe.both-bend"),
            (craft_with(roll={"most_dps": 1900}), "airframe.asks-too-much"),
            (craft_with(roll={"most_dps": 500}, pitch={"most_dps": 500}, yaw={"most_dps": 90}), "airframe.yaw-apart"),
            (back, "airframe.stick-turns-back"),
        ):
            craft = CraftDocument.model_validate(craft.model_dump())
            self.assertEqual(list(found(craft)), [code])
            mended = apply_edits(craft, found(craft)[code].mends[0].edits)
            self.assertEqual(found(mended), {}, code)
        self.assertIn("turns back at", found(CraftDocument.model_validate(back.model_dump()))["airframe.stick-turns-back"].what)

    def test_nothing_is_said_of_what_nobody_set(self):
        for make in scenario.CRAFTS:
            self.assertEqual(found(make()), {}, make)
        for kind in ("quad X", "quad plus", "tri", "hexa", "plane", "wing"):
            craft = scenario.curlew()
            craft.airframe = kind
            for axis in STEERS:
                self.assertGreater(gives_dps(craft, axis), 0, (kind, axis))
                self.assertTrue(curve(craft, KitParts.of(craft), axis, {}), STICK_OF[axis])


class TurningTest(unittest.TestCase):
    """The stand-in craft turns by its motors and surfaces as they are."""

    def flown(self, craft: CraftDocument, drives=None) -> Hand:
        state = BenchState(stored=craft.settings, running=craft.settings, read_back=craft.settings, drives=drives)
        hand = Hand(craft, state)
        hand.do(1.5, left={"x": 0, "y": -1}, right={"x": 0, "y": 0}, usb=False)
        hand.do(0.5, switches={"S1": 1})
        hand.do(0.4, left={"x": 0, "y": 0})
        self.assertTrue(hand.board.armed, hand.board.blockers)
        return hand

    def turns(self, hand: Hand, **sticks) -> dict:
        hand.do(1.0, **sticks)
        return {each.axis: (each.asked_dps, each.dps) for each in told(hand).turns_now}

    def test_a_quad_as_it_should_be_turns_as_it_is_asked_and_no_faster_than_it_can(self):
        craft = craft_with(roll={"most_dps": 300}, pitch={"most_dps": 2000}, yaw={"most_dps": 150})
        hand = self.flown(craft)
        roll = self.turns(hand, right={"x": 1, "y": 0})
        self.assertAlmostEqual(roll["roll"][1], 300, delta=9)
        self.assertEqual([round(roll[axis][1] / 10) for axis in ("pitch", "yaw")], [0, 0])
        pitch = self.turns(hand, right={"x": 0, "y": 1})
        self.assertAlmostEqual(pitch["pitch"][1], gives_dps(craft, "pitch"), delta=9)
        hand.do(0.5, switches={"S1": 0})
        self.assertEqual(told(hand).turns_now, [])

    def test_exchanged_and_reversed_motors_turn_it_otherwise(self):
        craft = craft_with(roll={"most_dps": 300}, pitch={"most_dps": 300}, yaw={"most_dps": 150})
        right = DrivesTruth.usual(1, craft, KitParts.of(craft))
        across = DrivesTruth(motors=right.motors | {"M1": right.motors["M4"], "M4": right.motors["M1"]})
        roll = self.turns(self.flown(craft, across), right={"x": 1, "y": 0})["roll"]
        self.assertAlmostEqual(roll[1], 0, delta=9, msg="two motors roll it right, and two left")
        back_to_front = DrivesTruth(motors={"M1": right.motors["M3"], "M2": right.motors["M4"], "M3": right.motors["M1"], "M4": right.motors["M2"]})
        pitch = self.turns(self.flown(craft, back_to_front), right={"x": 0, "y": 1})["pitch"]
        self.assertAlmostEqual(pitch[1], -pitch[0], delta=9)
        every = right
        for pad in right.motors:
            every = every.swapped(pad)
        yaw = self.turns(self.flown(craft, every), left={"x": 1, "y": 0})["yaw"]
        self.assertAlmostEqual(yaw[1], -yaw[0], delta=9)

    def test_an_elevator_that_sits_turned_pitches_it_the_other_way(self):
        craft = plane()
        parts = KitParts.of(craft)
        usual = DrivesTruth.usual(1, craft, parts)
        turned = usual.model_copy(update={"servos": usual.servos | {"elevator": ServoTruth(turned=True)}})
        for drives, way in ((usual, 1), (turned, -1)):
            asked, dps = self.turns(self.flown(craft, drives), right={"x": 0, "y": 0.5})["pitch"]
            self.assertGreater(asked, 10)
            self.assertAlmostEqual(dps, way * asked, delta=6)
