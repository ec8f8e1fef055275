"""The Airframe hop on the bench: how the board sits, what it takes for level, and whether the pack is what it says, all of it on crafts of which it may be wrong."""

from __future__ import annotations

import unittest

import numpy as np

import scenario
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.craft.facing import Facing, angle_deg
from linkcore.craft.parts import KitParts
from linkcore.hops.airframe.measure import AmpsRead, ChargeRead
from linkcore.hops.airframe.six_positions import DIRECTIONS
from linkcore.hops.kit.starting import starting_point
from linkcore.standins.held import BodyTruth
from linkcore.wiring.outputs import outputs_for
from tests.crafts import sbus_craft
from tests.hand import Hand
from tests.in_hands import HELD_S, LEVEL, NOSE, RIGHT, curlew, findings, mend, take_poses, told

SIX = [{"tilt_deg": 0}, {"tilt_deg": 180, "towards_deg": 90}, *({"tilt_deg": 90, "towards_deg": towards} for towards in (0, 90, 180, -90))]


class FacingTest(unittest.TestCase):
    def test_a_board_that_sits_any_way_is_found_set_and_proven(self):
        for seed in range(12):
            with self.subTest(seed=seed):
                truth = BodyTruth.any(seed)
                hand = curlew(truth)
                take_poses(hand)
                found = hand.bench.measuring.airframe.seen.found
                self.assertIsNotNone(found, told(hand).said)
                self.assertLess(angle_deg(found.facing.matrix, truth.sits.matrix), 5)
                if angle_deg(truth.sits.matrix, np.eye(3)) > 10:
                    self.assertEqual(findings(hand)["airframe.facing"].severity, "stop")
                    before = set(hand.codes())
                    mend(hand, "airframe.facing")
                    self.assertLessEqual(set(hand.codes()), before - {"airframe.facing"})
                self.assertNotIn("facing", hand.proven("airframe"))  # nobody has looked at the socket
                hand.do(0.4, usb_so=True)
                self.assertIn("facing", hand.proven("airframe"))
                hand.do(0.2, **NOSE)
                idea = told(hand).idea
                self.assertLess(abs(idea.tilt - 62), 12)  # an accelerometer that is off by up to 0.06 g is not calibrated yet
                self.assertLess(abs((idea.towards - 3 + 180) % 360 - 180), 15)

    def test_curlews_board_is_turned_and_said_so_in_words(self):
        hand = curlew(BodyTruth.usual(3).model_copy(update={"sits": Facing(yaw_deg=90)}))
        hand.do(0.2, **NOSE)
        self.assertEqual((round(told(hand).idea.towards / 10), round(told(hand).hands.towards)), (-9, 3))
        take_poses(hand)
        self.assertEqual(told(hand).facing.found, "USB points left")
        self.assertEqual(findings(hand)["airframe.facing"].what, "USB points left; the board believes that USB points back.")
        mend(hand, "airframe.facing")
        self.assertEqual(hand.bench.board.running.facing, Facing(yaw_deg=90))
        self.assertEqual({state.hop: state.value for state in hand.report().chain}["airframe"], "USB left")

    def test_nothing_is_taken_of_hands_that_shake_or_of_poses_that_contradict_each_other(self):
        hand = curlew()
        hand.do(6, asking="facing", unsteady=True)
        self.assertEqual((told(hand).asking, [mark.taken for mark in told(hand).marks]), ("facing", [False] * 3))
        hand.do(HELD_S, unsteady=False)
        self.assertEqual([mark.taken for mark in told(hand).marks], [True, False, False])
        hand.passes(6)  # the same pose again is no other one
        self.assertEqual([mark.taken for mark in told(hand).marks], [True, False, False])
        hand.do(HELD_S, **NOSE)
        hand.do(HELD_S, tilt_deg=60, towards_deg=-90)
        self.assertIn("as if one of them was left side down; take both again. Nothing was taken.", told(hand).said)
        self.assertEqual((told(hand).asking, told(hand).facing.found, [mark.taken for mark in told(hand).marks]), (None, "", [False] * 3))
        self.assertNotIn("airframe.facing", findings(hand))

    def test_both_poses_the_other_way_read_like_a_board_turned_half_round_and_eyes_see_that(self):
        hand = curlew(BodyTruth())
        take_poses(hand, LEVEL, {"tilt_deg": 60, "towards_deg": 180}, {"tilt_deg": 60, "towards_deg": -90})
        self.assertEqual(told(hand).facing.found, "USB points forward")
        hand.do(0.3, usb_so=False)
        self.assertEqual(findings(hand)["airframe.eyes"].severity, "stop")
        self.assertNotIn("airframe.facing", findings(hand))  # what eyes deny is not offered to be set
        mend(hand, "airframe.eyes")
        self.assertNotIn("airframe.eyes", findings(hand))
        for pose in (LEVEL, NOSE, RIGHT):
            hand.do(HELD_S, **pose)
        hand.do(0.4, usb_so=True)
        self.assertIn("facing", hand.proven("airframe"))

    def test_the_draft_proves_nothing_and_another_facing_on_the_board_tarnishes_it(self):
        hand = curlew(BodyTruth(sits=Facing(yaw_deg=-90)))
        take_poses(hand)
        hand.do(0.2, usb_so=True)
        edits = findings(hand)["airframe.facing"].mends[0].edits
        hand.bench.take_document(apply_edits(hand.bench.document, edits))
        hand.passes(0.5)
        self.assertNotIn("facing", hand.proven("airframe"))
        hand.bench.write(hand.bench.document.settings)
        hand.passes(0.5)
        self.assertIn("facing", hand.proven("airframe"))
        hand.bench.write(hand.bench.document.settings.model_copy(update={"facing": Facing()}))
        hand.passes(0.5)
        self.assertNotIn("facing", hand.proven("airframe"))
        self.assertIn("airframe.facing", findings(hand))

    def test_a_board_that_believes_itself_on_its_back_does_not_arm(self):
        hand = curlew(BodyTruth(sits=Facing(roll_deg=180)))
        self.assertIn("tilt (180 degrees", " ".join(each.what for each in hand.board.blockers))
        take_poses(hand)
        self.assertEqual(told(hand).facing.found, "USB points back, upside down")
        mend(hand, "airframe.facing")
        self.assertNotIn("tilt", " ".join(each.what for each in hand.board.blockers))

    def test_without_an_accelerometer_or_a_facing_nothing_can_be_said(self):
        hand = curlew()
        with self.assertRaisesRegex(ValueError, "not been found yet"):
            hand.do(usb_so=True)
        self.assertEqual(told(Hand(scenario.coot())).why_none, "nothing steadies this craft")


class LevelTest(unittest.TestCase):
    def test_what_stands_level_is_taken_for_level_with_the_facing_as_it_is(self):
        for seed in range(6):
            with self.subTest(seed=seed):
                craft, truth = scenario.curlew(), BodyTruth.any(seed)
                craft.settings.facing = truth.sits
                hand = curlew(truth.model_copy(update={"scale": (1.0, 1.0, 1.0)}), craft=craft)
                hand.do(HELD_S, asking="level")
                self.assertIsNone(told(hand).asking)
                if "airframe.level" in findings(hand):
                    mend(hand, "airframe.level")
                self.assertNotIn("airframe.level", findings(hand))
                self.assertLess(told(hand).level.off_deg, 1)

    def test_a_plane_is_trimmed_as_it_flies_and_told_what_that_changes(self):
        craft = scenario.sandpiper()
        hand = Hand(craft, BenchState(stored=craft.settings, running=craft.settings, body=BodyTruth()))
        hand.do(HELD_S, asking="level", tilt_deg=3, towards_deg=180)
        level = told(hand).level
        self.assertAlmostEqual(level.take.edits[0].value["pitch_deg"], 3, delta=0.2)
        self.assertIn("3.0 degrees nose up to the board's own level. Without that, let go at 14 m/s it would sink by 0.7 m/s.", level.in_flight)
        mend(hand, "airframe.level")
        self.assertLess(abs(told(hand).idea.pitch), 0.3)
        self.assertIn("level", hand.proven("airframe"))

    def test_a_board_far_from_level_is_told_to_find_its_facing_not_trimmed(self):
        hand = curlew(BodyTruth(sits=Facing(roll_deg=90)))
        hand.do(HELD_S, asking="level")
        self.assertNotIn("airframe.level", findings(hand))
        self.assertIsNone(told(hand).level.take)
        self.assertNotIn("level", hand.proven("airframe"))

    def test_six_positions_in_any_order_give_offset_and_scale_to_5_mg(self):
        for seed in range(4):
            with self.subTest(seed=seed):
                truth = BodyTruth.any(seed).model_copy(update={"sits": Facing(yaw_deg=90 * seed - 90)})
                craft = scenario.curlew()
                craft.settings.facing = truth.sits
                hand = curlew(truth, craft=craft)
                hand.do(0, asking="six positions")
                order = np.random.default_rng(seed).permutation(6)
                for index, place in enumerate(order):
                    hand.do(HELD_S, **SIX[place])
                    self.assertEqual(told(hand).positions.taken, index + 1)
                found = told(hand).positions
                self.assertEqual((told(hand).asking, found.again), (None, ""))
                self.assertLess(found.residual_g, 0.02)
                np.testing.assert_allclose(found.offset_g, truth.offset_g, atol=0.005)
                np.testing.assert_allclose(found.scale, truth.scale, atol=0.005)
                hand.do(0.2, tilt_deg=0)
                hand.do(HELD_S, asking="level")
                if "airframe.gravity" in findings(hand):
                    mend(hand, "airframe.gravity")
                self.assertNotIn("airframe.gravity", findings(hand))

    def test_a_position_that_leans_is_named_and_taken_again(self):
        hand = curlew(BodyTruth())
        hand.do(0, asking="six positions")
        for pose in SIX[:5]:
            hand.do(HELD_S, **pose)
        hand.do(HELD_S, tilt_deg=45, towards_deg=0)
        self.assertIn("lies between two positions", told(hand).said)
        hand.do(HELD_S, tilt_deg=72, towards_deg=-90)
        again = told(hand).positions.again
        self.assertEqual((again, told(hand).asking), (told(hand).marks[DIRECTIONS.index("y up")].says, "six positions"))
        self.assertEqual([mark.says for mark in told(hand).marks if mark.next], [again])
        hand.do(HELD_S, **SIX[5])
        self.assertEqual((told(hand).positions.again, told(hand).asking), ("", None))

    def test_a_wrong_accelerometer_is_seen_at_level_and_asks_for_six_positions(self):
        hand = curlew(BodyTruth(scale=(1.0, 1.0, 0.94)))
        hand.do(HELD_S, asking="level")
        found = findings(hand)["airframe.gravity"]
        self.assertIn("reads 1.06", found.what)
        mend(hand, "airframe.gravity")
        self.assertEqual(told(hand).asking, "six positions")
        for pose in SIX:
            hand.do(HELD_S, **pose)
        mend(hand, "airframe.gravity")
        self.assertNotIn("airframe.gravity", findings(hand))


class PackTest(unittest.TestCase):
    def meter(self, hand: Hand) -> None:
        hand.do(0.3, meter_v=told(hand).pack.meter_v)

    def test_another_pack_than_was_chosen_is_found_by_its_voltage_and_can_be_chosen(self):
        craft = sbus_craft()
        craft.kit.pack = "reedbed-3-3500"
        hand = curlew(BodyTruth(), "tussock-2-1000", CraftDocument.model_validate(craft.model_dump()))
        self.meter(hand)
        found = findings(hand)["airframe.pack"]
        self.assertIn("2 cells lie there, at 8.39 V; the Reedbed 3-3500 that was chosen has 3.", found.what)
        self.assertEqual(told(hand).pack.counts, [2])
        self.assertIsNone(told(hand).pack.voltage_off_percent)  # of another pack no scale is made
        self.assertNotIn("power", hand.proven("airframe"))
        other = curlew(BodyTruth(), "tussock-2-1000", hand.bench.document)
        self.meter(other)
        mend(other, "airframe.pack", len(findings(other)["airframe.pack"].mends) - 1)  # the chosen one is plugged in instead
        self.assertEqual((findings(other), told(other).pack.meter_v > 12), ({}, True))
        mend(hand, "airframe.pack")
        self.assertEqual(hand.bench.document.kit.pack, "tussock-2-1000")
        self.assertNotIn("airframe.pack", findings(hand))
        self.meter(hand)
        self.assertNotIn("airframe.pack", findings(hand))

    def test_the_board_sees_by_itself_that_another_pack_was_plugged_in(self):
        hand = curlew(BodyTruth())
        self.assertNotIn("airframe.pack-seen", findings(hand))
        hand.do(0.5, pack=False)
        hand.do(0.5, pack_here="tussock-2-1000")
        self.assertNotIn("airframe.pack-seen", findings(hand), "nothing is plugged in")
        hand.do(4.0, pack=True)
        found = findings(hand)["airframe.pack-seen"]
        self.assertEqual((found.severity, found.what), ("stop", "The board shows 8.4 V at rest; a Tussock 4-1500 has 14 to 16.8 V."))
        self.assertEqual(hand.coins()["airframe"], "cracked")
        before = set(findings(hand))
        mend(hand, "airframe.pack-seen", 1)
        self.assertEqual(set(findings(hand)), before - {"airframe.pack-seen"})

    def test_no_pack_of_the_chosen_kind_is_taken_for_another_however_far_the_divider_is_off(self):
        for seed in range(12):
            hand = curlew(BodyTruth.usual(seed))
            for left in (100, 60, 5):
                hand.do(0.5, pack_left_percent=left)
                self.assertNotIn("airframe.pack-seen", findings(hand), (seed, left))

    def test_where_two_counts_are_possible_the_pilot_counts(self):
        craft = scenario.curlew()
        craft.kit.pack = "tussock-6-4000"
        hand = curlew(BodyTruth(), "tussock-6-4000", craft)
        hand.do(0.2, pack_left_percent=0)
        self.meter(hand)
        self.assertEqual((told(hand).pack.counts, told(hand).pack.ask), ([5, 6], True))
        self.assertNotIn("power", hand.proven("airframe"))
        hand.do(0.2, cells_told=5)
        self.assertIn("airframe.pack", findings(hand))
        hand.do(0.2, cells_told=6)
        self.assertNotIn("airframe.pack", findings(hand))
        self.meter(hand)  # a new reading asks anew
        self.assertTrue(told(hand).pack.ask)

    def test_a_voltage_that_no_count_has_is_a_stop(self):
        hand = curlew(BodyTruth())
        hand.do(0.2, meter_v=9.6)
        self.assertIn("9.6 V is no count of LiPo cells", findings(hand)["airframe.no-count"].what)

    def test_voltage_and_current_are_set_right_by_a_meter_and_proven(self):
        for seed in range(6):
            with self.subTest(seed=seed):
                truth = BodyTruth.any(seed).model_copy(update={"sits": Facing(), "offset_g": (0, 0, 0), "scale": (1, 1, 1)})
                hand = curlew(truth)
                self.meter(hand)
                self.assertEqual("airframe.voltage" in findings(hand), abs(1 / truth.voltage_scale - 1) > 0.02)
                self.assertEqual(hand.proven("airframe"), [])
                self.twice(hand)
                for code in ("airframe.voltage", "airframe.current"):
                    if code in findings(hand):
                        before = set(findings(hand))
                        mend(hand, code)
                        self.assertLess(set(findings(hand)), before)
                pack = told(hand).pack
                self.assertAlmostEqual(pack.shows_v, pack.meter_v, delta=0.02 * pack.meter_v)
                self.assertAlmostEqual(pack.shows_a, pack.clamp_a, delta=0.3)
                hand.passes(0.4)
                self.assertIn("power", hand.proven("airframe"))

    def twice(self, hand: Hand) -> None:
        """The current at rest, and with the motors turning."""
        hand.do(0.2, clamp_a=told(hand).pack.clamp_a)
        hand.do(0.5, switches={"S1": 1})
        hand.do(0.6, left={"x": 0, "y": 0.2})
        self.assertTrue(hand.board.armed, hand.board.blockers)
        hand.do(0.1, clamp_a=told(hand).pack.clamp_a)
        hand.do(0.4, left={"x": 0, "y": -1}, switches={"S1": 0})

    def test_what_the_charger_put_back_counts_more_than_two_points(self):
        hand = curlew(BodyTruth(current_slope=1.2))
        hand.do(0.5, switches={"S1": 1})
        hand.do(20, left={"x": 0, "y": 0})
        hand.do(0.4, left={"x": 0, "y": -1}, switches={"S1": 0})
        pack = told(hand).pack
        self.assertAlmostEqual(pack.counted_mah, pack.charger_mah / 1.2, delta=2)
        hand.do(0.3, put_back_mah=pack.charger_mah)
        self.assertIn("where the charger put back", findings(hand)["airframe.current"].what)
        mend(hand, "airframe.current")
        self.assertAlmostEqual(hand.bench.board.running.power.current_slope, 1.2, delta=0.02)
        self.assertNotIn("airframe.current", findings(hand))

    def test_a_meter_and_a_charger_that_contradict_each_other_are_both_forgotten(self):
        hand = curlew(BodyTruth())
        seen = hand.bench.measuring.airframe.seen
        amps = [AmpsRead(read_a=each, true_a=0.75 * each) for each in (1.0, 20.0)]
        hand.bench.measuring.airframe.seen = seen.model_copy(update={"amps": amps, "charge": ChargeRead(read_mah=500, hours=0.1, put_back_mah=620)})
        self.assertIn("and a meter says otherwise", findings(hand)["airframe.current"].what)
        mend(hand, "airframe.current")
        self.assertEqual((findings(hand), told(hand).pack.points), ({}, 0))

    def test_what_cannot_be_is_refused_and_nothing_is_kept(self):
        hand = curlew(BodyTruth())
        before = hand.bench.measuring.airframe.seen
        for hands, said in (
            ({"meter_v": 0}, "the meter reads 0 V"),
            ({"put_back_mah": 5000}, "the charger put back 5000 mAh"),
            ({"pack_here": "no-such"}, "no pack no-such"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                hand.do(**hands)
            self.assertIs(hand.bench.measuring.airframe.seen, before)
        dabble = Hand(sbus_craft())
        if "current" not in dabble.bench.board_part.sensors:
            with self.assertRaisesRegex(ValueError, "no current sensor"):
                dabble.do(clamp_a=3)

    def test_what_the_board_is_set_to_is_judged_against_the_chosen_pack(self):
        craft = scenario.curlew()
        craft.settings.power.cells, craft.settings.power.capacity_mah = 3, 2200
        hand = curlew(BodyTruth(), craft=craft)
        self.assertEqual(findings(hand)["airframe.cells"].severity, "stop")
        for code in ("airframe.cells", "airframe.capacity"):
            mend(hand, code)
            self.assertNotIn(code, findings(hand))

    def test_an_esc_that_full_throttle_would_burn_is_warned_of(self):
        craft = scenario.curlew()
        self.assertNotIn("airframe.esc-current", findings(curlew(BodyTruth(), craft=craft)))
        craft.place = craft.place.model_copy(update={"mass_kg": 2.0})
        hand = curlew(BodyTruth(), craft=craft)
        self.assertIn("the ESC bears 45 A", findings(hand)["airframe.esc-current"].what)
        self.assertGreater(told(hand).pack.full_a, 45)

    def test_a_proof_of_the_pack_waits_for_parts_that_do_not_bear_it(self):
        craft = scenario.curlew()
        craft.kit.pack = "tussock-6-4000"
        craft.settings.power.capacity_mah = 4000
        for patch in craft.wiring:
            if (patch.device, patch.pin) == ("GPS", "5V"):
                patch.pad = "BAT"
        hand = curlew(BodyTruth(), craft=craft)
        self.assertEqual(told(hand).too_much, ["the GPS"])


class MixingTest(unittest.TestCase):
    def test_a_starting_point_says_layout_outputs_and_servo_rate_by_what_is_wired(self):
        for make, layout, outputs, rate in (
            (scenario.curlew, "quad X", ["front left motor", "front right motor", "rear left motor", "rear right motor"], None),
            (scenario.sandpiper, "plane", ["elevator", "left aileron", "motor", "right aileron"], 50),
            (scenario.coot, "boat", ["left motor", "right motor"], None),
        ):
            craft = make()
            craft.settings.mixing.layout = "tri"
            lines = {line.name: line.edit.value for line in starting_point(craft, KitParts.of(craft))}
            self.assertEqual((lines["Mixer"], sorted(lines["Outputs"].values()), lines.get("Servo rate")), (layout, sorted(outputs), rate))
            after = apply_edits(craft, [line.edit for line in starting_point(craft, KitParts.of(craft))])
            self.assertFalse({"airframe.mixing", "airframe.outputs", "airframe.servo-rate"} & set(Hand(after).codes()), make)
        bare = scenario.dunlin()
        bare.kit.board = "merle-f4"
        self.assertEqual(len(outputs_for(bare, KitParts.of(bare))), 4)

    def test_manual_is_at_the_first_position_of_a_plane(self):
        craft = scenario.sandpiper()
        modes = next(line.edit.value for line in starting_point(craft, KitParts.of(craft)) if line.name == "Flight modes")
        self.assertEqual([(each["mode"], each["low"]) for each in modes], [("manual", 850.0), ("angle", 1250.0)])

    def test_another_layout_moves_no_surface_and_wrong_outputs_and_rates_are_stops(self):
        craft = scenario.sandpiper()
        craft.settings.mixing.layout, craft.settings.mixing.servo_hz = "quad X", 333
        pads = outputs_for(craft, KitParts.of(craft))
        servo = next(pad for pad, role in pads.items() if role == "elevator")
        craft.settings.mixing.outputs = {**pads, servo: "motor"}
        hand = Hand(craft, BenchState(stored=craft.settings, running=craft.settings, body=BodyTruth()))
        self.assertEqual(set(hand.board.surfaces.values()), {0.0})
        for code in ("airframe.mixing", "airframe.outputs", "airframe.servo-rate"):
            before = set(findings(hand))
            self.assertEqual(findings(hand)[code].severity, "stop")
            mend(hand, code)
            self.assertEqual(set(findings(hand)), before - {code})


class CountedTest(unittest.TestCase):
    def test_a_board_that_is_told_nothing_counts_the_cells_of_each_pack_as_it_is_plugged_in(self):
        hand = curlew(BodyTruth())
        self.assertEqual(round(float(hand.bench._board_says()["cell voltage"]), 1), 4.2)
        hand.do(0.5, pack=False)
        hand.do(3, pack=True, pack_here="tussock-2-1000")
        self.assertEqual(round(float(hand.bench._board_says()["cell voltage"]), 1), 4.2)
        self.assertLess(hand.bench.volts(), 8.5)


class CompassTest(unittest.TestCase):
    def turned_round(self, hand: Hand) -> None:
        for turn in (0, 45, 90, 135, 180, -135, -90, -45, 0):
            hand.do(0.3, turn_deg=turn)

    def test_what_the_motors_do_to_it_is_told_by_the_ampere_and_reckoned_for_the_hover(self):
        for per_a, much in ((0.2, False), (1.6, True)):
            hand = curlew(BodyTruth(compass_deg_a=per_a))
            hand.passes(2)
            self.turned_round(hand)
            self.motors_run(hand)
            compass = told(hand).compass
            self.assertAlmostEqual(compass.deg_per_a, per_a, delta=0.02)
            self.assertAlmostEqual(compass.in_flight_deg, per_a * compass.in_flight_a, delta=0.2)
            self.assertIn("Mend that first" if much else "confirm it at the first hover", compass.says)
            self.assertEqual("airframe.motors-turn-compass" in findings(hand), much)
            if much:
                self.mended(hand, "airframe.motors-turn-compass")

    def test_iron_on_the_craft_parts_compass_and_gyro_as_it_is_turned(self):
        for iron, much in (((0.02, 0.02), False), ((0.3, 0.1), True)):
            hand = curlew(BodyTruth(iron=iron))
            hand.passes(2)
            self.turned_round(hand)
            self.assertEqual("airframe.craft-turns-compass" in findings(hand), much)
            if much:
                self.assertIn("Mend that first", told(hand).compass.says)
                self.mended(hand, "airframe.craft-turns-compass")

    def mended(self, hand: Hand, code: str) -> None:
        """Nothing is known of it then; measured anew, it is right."""
        hand.do(0.3, flown="the heading stayed")
        mend(hand, code)
        self.assertNotIn(code, findings(hand))
        compass = told(hand).compass
        self.assertEqual((compass.spread_deg, compass.deg_per_a), (None, None))
        self.assertIn("Turn the craft round once", compass.says)
        self.turned_round(hand)
        self.motors_run(hand)
        self.assertEqual(set(findings(hand)), {"airframe.compass-flown"})
        self.assertIn("confirm it at the first hover", told(hand).compass.says, "what was flown was flown with another")

    def motors_run(self, hand: Hand) -> None:
        hand.do(0.5, switches={"S1": 1})
        hand.do(1.0, left={"x": 0, "y": 0.2})
        hand.do(0.9, left={"x": 0, "y": -1}, switches={"S1": 0})

    def test_it_is_measured_anew_where_the_pilot_says_so_and_where_it_is_another(self):
        hand = curlew(BodyTruth(iron=(0.3, 0.1)))
        hand.passes(2)
        self.turned_round(hand)
        hand.do(0.2, compass="measured anew")
        self.assertIsNone(told(hand).compass.spread_deg)
        self.turned_round(hand)
        self.assertIn("airframe.craft-turns-compass", findings(hand), "it was measured, not mended")
        other = apply_edits(hand.bench.document, [])
        other.kit.devices.remove(next(each for each in other.kit.devices if "magnetometer" in hand.bench.parts.devices[each.name].sensors))
        hand.bench.take_document(other)
        hand.passes(0.4)
        self.assertNotIn("airframe.craft-turns-compass", findings(hand))
        for done in ("moved away", "calibrated", "measured anew"):
            with self.assertRaisesRegex(ValueError, "sees no compass"):
                hand.bench.hands(Hands(compass=done))


class KeptTest(unittest.TestCase):
    def test_what_was_measured_outlives_the_bench_and_goes_with_board_and_pack(self):
        hand = curlew(BodyTruth(sits=Facing(yaw_deg=90)))
        take_poses(hand)
        hand.do(0.2, meter_v=16.7)
        again = Hand(hand.bench.document, BenchState.model_validate(hand.bench.state().keep()))
        self.assertEqual(again.bench.measuring.airframe.seen, hand.bench.measuring.airframe.seen)
        self.assertEqual(again.bench.held.truth, hand.bench.held.truth)
        again.bench.take_document(again.bench.document.model_copy(update={"kit": again.bench.document.kit.model_copy(update={"pack": "tussock-6-4000"})}))
        seen = again.bench.measuring.airframe.seen
        self.assertEqual((seen.pack_v, seen.found is None), (None, False))
        again.do(0.2, body=BodyTruth().model_dump())
        self.assertIsNone(again.bench.measuring.airframe.seen.found)
