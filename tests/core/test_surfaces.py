"""Control surfaces on the bench: with the stick and when the board steadies, on planes of which any servo may sit the other way round; and on which side a wrong one is mended."""

from __future__ import annotations

import itertools
import unittest

import scenario
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import CraftDocument, Fitted, ModeBand, ServoSetup, apply_edits
from linkcore.craft.facing import Facing
from linkcore.craft.parts import KitParts
from linkcore.devices.mixers import CRAFT_MOVES, MIXES, steadied
from linkcore.findings import Edit
from linkcore.hops.airframe.surfaces import SurfacesSeen, surfaces_of, undecided
from linkcore.standins.drives import DrivesTruth, ServoTruth
from linkcore.standins.held import BodyTruth
from linkcore.wiring.netlist import wires_for
from tests.hand import Hand
from tests.in_hands import findings, mend, told
from tests.planes import plane

STICKS = (({"right": {"x": 0.7, "y": 0}}), ({"right": {"x": 0, "y": 0.7}}), ({"left": {"x": 0.7, "y": -1}}))


def with_plane(craft: CraftDocument | None = None, body: BodyTruth | None = None, **servos) -> Hand:
    """A pilot with Sandpiper on a port that reads it; `servos`: what is so of some of them."""
    craft = craft or plane()
    parts = KitParts.of(craft)
    usual = DrivesTruth.usual(1, craft, parts)
    truth = usual.model_copy(update={"servos": usual.servos | {name.replace("_", " "): ServoTruth(**change) for name, change in servos.items()}})
    return Hand(craft, BenchState(stored=craft.settings, running=craft.settings, read_back=craft.settings, drives=truth, body=body))


def move_sticks(hand: Hand) -> None:
    """One after the other, the rest let go."""
    for out in STICKS:
        hand.do(0.6, **out)
        hand.do(0.6, left={"x": 0, "y": -1}, right={"x": 0, "y": 0})


def tip_craft(hand: Hand) -> None:
    """Right wing down, level, nose down, level, nose to the left, and back: each as a movement."""
    for towards in (90, 0):
        for tilt in (10, 20, 30, 40):
            hand.do(0.08, tilt_deg=tilt, towards_deg=towards)
        hand.do(1.5)
        hand.do(2.0, tilt_deg=0)
    for turn in (-15, -30, -45, -60):
        hand.do(0.08, turn_deg=turn)
    hand.do(2.0)
    hand.do(2.0, turn_deg=0)


def went(hand: Hand) -> dict:
    return {(row.name, row.axis): (row.with_stick, row.with_steadying) for row in told(hand).surfaces}


class SeenTest(unittest.TestCase):
    def test_a_plane_that_is_right_is_seen_to_be_and_both_are_proven(self):
        hand = with_plane()
        move_sticks(hand)
        self.assertEqual(set(went(hand).values()), {("right", None)})
        self.assertEqual([name for name in hand.proven("airframe") if name in ("surfaces", "steadying")], ["surfaces"])
        tip_craft(hand)
        self.assertEqual(set(went(hand).values()), {("right", "right")})
        self.assertLess({"surfaces", "steadying"}, set(hand.proven("airframe")) | {"more"})

    def test_on_which_side_a_wrong_elevator_is_mended_and_every_mend_mends(self):
        for turned, reversed_, code in (
            (True, False, "airframe.surface"),
            (False, True, "airframe.channel-reversed"),
            (True, True, "airframe.reversed-in-the-wrong-place"),
        ):
            with self.subTest(turned=turned, reversed=reversed_):
                craft = apply_edits(plane(), [Edit(path="/transmitter/channels/1/reverse", value=reversed_)])
                hand = with_plane(craft, elevator={"turned": turned})
                move_sticks(hand)
                if turned != reversed_:
                    self.assertIn("airframe.surface-with-stick", findings(hand))
                tip_craft(hand)
                self.assertEqual([each for each in findings(hand) if "surface" in each or "revers" in each], [code])
                self.assertNotIn("steadying" if turned else "surfaces", hand.proven("airframe"))
                mend(hand, code)
                self.assertEqual(set(went(hand).values()), {(None, None)}, "what was seen was seen of other settings")
                move_sticks(hand)
                tip_craft(hand)
                self.assertEqual(
                    (hand.bench.board.running.servo_reverse, hand.bench.document.transmitter.channels[1].reverse), (["elevator"] if turned else [], False)
                )
                self.assertEqual(set(went(hand).values()), {("right", "right")})
                self.assertLessEqual({"surfaces", "steadying"}, set(hand.proven("airframe")))

    def test_a_board_that_sits_otherwise_than_it_believes_steadies_wrongly(self):
        hand = with_plane(body=BodyTruth(sits=Facing(yaw_deg=180)))
        move_sticks(hand)
        tip_craft(hand)
        self.assertEqual({stick for stick, _ in went(hand).values()}, {"right"})
        wrong = findings(hand)["airframe.steadies-wrong"]
        self.assertIn("steadies the wrong way", wrong.what)
        self.assertNotIn("steadying", hand.proven("airframe"))
        mend(hand, "airframe.steadies-wrong")
        self.assertEqual(told(hand).asking, "facing")

    def test_only_what_the_board_runs_turns_a_servo(self):
        hand = with_plane(elevator={"turned": True})
        move_sticks(hand)
        tip_craft(hand)
        wrong = findings(hand)["airframe.surface"]
        hand.bench.take_document(apply_edits(hand.bench.document, wrong.mends[0].edits))
        hand.passes(0.4)
        self.assertIn("airframe.surface", findings(hand))
        self.assertNotIn("surfaces", hand.proven("airframe"))

    def test_manual_steadies_nothing_and_is_not_taken_for_it(self):
        craft = plane()
        craft.settings.modes = [ModeBand(mode="manual", channel=6, low=850, high=2150)]
        hand = with_plane(CraftDocument.model_validate(craft.model_dump()))
        move_sticks(hand)
        tip_craft(hand)
        self.assertEqual({steadying for _, steadying in went(hand).values()}, {None})

    def test_a_rail_without_supply_moves_nothing(self):
        craft = plane()
        craft.wiring = [patch for patch in craft.wiring if not (patch.device == "elevator" and patch.pin != "signal")]
        parts = KitParts.of(craft)
        pins = {pin.name for pin in parts.devices["elevator"].pins if pin.goes_to == "output"}
        craft.wiring = [patch for patch in plane().wiring if patch.device != "elevator" or patch.pin in pins]
        hand = with_plane(CraftDocument.model_validate(craft.model_dump()))
        move_sticks(hand)
        self.assertEqual(went(hand)["elevator", "pitch"][0], "still")
        self.assertEqual(findings(hand)["airframe.surface-still"].severity, "stop")

    def test_the_pilot_may_say_it_of_a_real_craft_and_only_of_what_there_is(self):
        hand = with_plane()
        for row in told(hand).surfaces:
            for when in ("stick", "steadying"):
                hand.do(0, surface_seen={"name": row.name, "axis": row.axis, "when": when, "went": "right"})
        hand.passes(0.4)
        self.assertLessEqual({"surfaces", "steadying"}, set(hand.proven("airframe")))
        for name, axis in (("elevator", "yaw"), ("motor", "roll"), ("nobody", "pitch")):
            with self.assertRaisesRegex(ValueError, f"{name} moves no surface about {axis}"):
                hand.bench.hands(Hands(transmitter_on=False, surface_seen={"name": name, "axis": axis, "when": "stick", "went": "right"}))
            self.assertTrue(hand.bench.transmitter.on)


class PulseTest(unittest.TestCase):
    def test_a_surface_that_stands_off_is_straightened_by_its_neutral(self):
        for turned in (False, True):
            hand = with_plane(elevator={"neutral_us": 1560, "turned": turned})
            move_sticks(hand)
            self.assertIn("stands straight at 1560 us", findings(hand)["airframe.neutral"].what)
            mend(hand, "airframe.neutral")
            self.assertEqual(hand.bench.board.running.servos["elevator"].neutral_us, 1560)
            hand.do(0.6, right={"x": 0, "y": 0})
            self.assertAlmostEqual(hand.bench.live().board.surfaces["elevator"], 0, delta=0.01)
            move_sticks(hand)
            self.assertNotIn("airframe.neutral", findings(hand))

    def test_an_end_that_binds_is_drawn_in(self):
        hand = with_plane(left_aileron={"stop_high_us": 1850})
        for place in (1, -1):
            hand.do(0.6, right={"x": place, "y": 0})
        hand.do(0.6, right={"x": 0, "y": 0})
        self.assertIn("comes to its stop at 1850 us; the board drives it to 2000 us", findings(hand)["airframe.servo-binds"].what)
        mend(hand, "airframe.servo-binds")
        self.assertEqual(hand.bench.board.running.servos["left aileron"], ServoSetup(high_us=1840))
        for place in (1, -1):
            hand.do(0.6, right={"x": place, "y": 0})
        self.assertNotIn("airframe.servo-binds", findings(hand))

    def test_a_slow_servo_takes_its_time(self):
        hand = with_plane(elevator={"speed_deg_s": 45})
        hand.do(0.5, right={"x": 0, "y": -1})
        self.assertAlmostEqual(hand.bench.live().board.surfaces["elevator"], 0.5, delta=0.1)
        hand.passes(0.7)
        self.assertAlmostEqual(hand.bench.live().board.surfaces["elevator"], 1, delta=0.02)

    def test_a_middle_outside_its_ends_is_refused(self):
        with self.assertRaisesRegex(ValueError, "neutral lies between its ends"):
            ServoSetup(neutral_us=1500, low_us=1500)


class MixTest(unittest.TestCase):
    def test_every_mix_answers_its_stick_and_steadies_against_what_the_craft_does(self):
        """Right wing dropped: the right edge goes down. Nose dropped: edges up. Nose swung left: right."""
        for (role, mix), (axis, (_, sign)) in itertools.product(MIXES.items(), CRAFT_MOVES.items()):
            if axis not in mix.by:
                continue
            rates = dict.fromkeys(("roll", "pitch", "yaw"), 0.0) | {axis: {"roll": 60, "pitch": -60, "yaw": -60}[axis]}
            at = mix.moved(steadied(rates, 0, 0, "acro"))
            self.assertGreater(at * mix.by[axis] * sign, 0, (role, axis))
        self.assertGreater(MIXES["elevator"].moved(steadied(dict.fromkeys(("roll", "pitch", "yaw"), 0.0), 0, -20, "angle")), 0, "nose dropped: elevator up")
        self.assertLess(MIXES["right aileron"].moved(steadied(dict.fromkeys(("roll", "pitch", "yaw"), 0.0), 20, 0, "angle")), 0)
        self.assertEqual(steadied(dict.fromkeys(("roll", "pitch", "yaw"), 90.0), 20, 20, "manual"), {"roll": 0.0, "pitch": 0.0, "yaw": 0.0})

    def test_a_wing_and_a_v_tail_are_seen_axis_by_axis(self):
        for kind, roles in (("wing", ("left elevon", "right elevon")), ("plane", ("left V-tail", "right V-tail"))):
            craft = plane()
            craft.airframe = kind
            craft.kit.devices = [
                *[each for each in craft.kit.devices if "aileron" not in each.name and each.name != "elevator"],
                *(Fitted(name=role.replace("-", " "), part="strand-9", role=role) for role in roles),
            ]
            craft.wiring = [patch for patch in craft.wiring if "aileron" not in patch.device and patch.device != "elevator"]
            craft.wiring = wires_for(craft, KitParts.of(craft), None)
            hand = with_plane(CraftDocument.model_validate(craft.model_dump()))
            move_sticks(hand)
            tip_craft(hand)
            self.assertEqual(len(went(hand)), 4, kind)
            self.assertEqual(set(went(hand).values()), {("right", "right")}, kind)


class RoleTest(unittest.TestCase):
    def test_a_servo_has_the_role_that_was_chosen_whatever_it_is_called(self):
        craft = plane()
        craft.kit.devices = [each.model_copy(update={"role": None}) for each in craft.kit.devices]
        self.assertEqual([each.name for _, each in undecided(craft, KitParts.of(craft))], ["left aileron", "right aileron", "elevator"], "a name says nothing")
        hand = with_plane(CraftDocument.model_validate(craft.model_dump()))
        move_sticks(hand)
        self.assertEqual(told(hand).surfaces, [])
        for _ in range(3):
            question = next(each for each in hand.report().findings if each.code == "airframe.servo-role")
            wanted = question.about[0].name
            choice = next(each for each in question.mends if each.text == f"It moves the {wanted}")
            hand.bench.take_document(apply_edits(hand.bench.document, choice.edits))
        hand.passes(0.4)
        self.assertNotIn("airframe.servo-role", findings(hand))
        self.assertNotIn("surfaces", hand.proven("airframe"), "chosen is not seen")
        move_sticks(hand)
        self.assertIn("surfaces", hand.proven("airframe"))

    def test_a_quad_has_no_surfaces(self):
        craft = scenario.curlew()
        self.assertEqual(surfaces_of(craft, KitParts.of(craft), SurfacesSeen()), [])
        self.assertEqual(told(Hand(craft)).surfaces_none, "this craft steers with no surfaces")


class CentreTest(unittest.TestCase):
    def flown(self) -> Hand:
        craft = plane()
        craft.settings.modes = [ModeBand(mode="centre learning", channel=7, low=1750, high=2150)]
        hand = with_plane(CraftDocument.model_validate(craft.model_dump()))
        hand.do(1.5, left={"x": 0, "y": -1}, right={"x": 0, "y": 0}, usb=False)
        hand.do(0.5, switches={"S1": 1})
        hand.do(1.0, left={"x": 0, "y": 0.3}, right={"x": 0.06, "y": -0.08})
        self.assertTrue(hand.board.armed, hand.board.blockers)
        return hand

    def test_two_calm_seconds_of_level_flight_teach_it_and_nothing_is_kept_unseen(self):
        hand = self.flown()
        hand.passes(3)
        self.assertEqual(told(hand).centres, [], "its switch is off")
        for step in range(10):
            hand.do(0.4, switches={"S3": 2}, right={"x": 0.06 + 0.1 * (step % 2), "y": -0.08})
        self.assertEqual(told(hand).centres, [], "hands that are not calm teach nothing")
        hand.do(3, right={"x": 0.06, "y": -0.08})
        pulses = hand.bench.board.pulses_us()
        learnt = {each.name: each.learnt_us for each in told(hand).centres}
        for name, us in pulses.items():
            self.assertAlmostEqual(learnt[name], us, delta=4)
        self.assertNotEqual(learnt["elevator"], 1500)
        self.assertEqual(hand.bench.board.running.servos, {})
        hand.do(0.5, switches={"S3": 0, "S1": 0}, left={"x": 0, "y": -1}, right={"x": 0, "y": 0})
        self.assertTrue(told(hand).centres, "landed and disarmed, it is there to be looked at")
        kept = told(hand).keep_centres
        hand.bench.take_document(apply_edits(hand.bench.document, kept.edits))
        hand.bench.write(hand.bench.document.settings)
        hand.passes(0.4)
        self.assertEqual({name: each.neutral_us for name, each in hand.bench.board.running.servos.items()}, learnt)
        self.assertEqual(told(hand).centres, [])

    def test_it_may_be_thrown_away_and_what_is_too_far_off_cannot_be_kept(self):
        hand = self.flown()
        hand.do(3, switches={"S3": 2}, right={"x": 0.06, "y": -0.4})
        self.assertIsNone(told(hand).keep_centres)
        self.assertTrue(told(hand).centres)
        hand.do(0.2, switches={"S3": 0}, forget_centre=True)
        self.assertEqual(told(hand).centres, [])
