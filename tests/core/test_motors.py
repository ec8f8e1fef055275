"""Motors: their order and direction worked out and mended, and a drive that is locked whenever a hand may be on the craft."""

from __future__ import annotations

import random
import unittest
from unittest.mock import PropertyMock, patch

import scenario
from linkcore.bench.bench import Bench
from linkcore.bench.messages import BenchState, Hands
from linkcore.bench.report import Reporter
from linkcore.craft.document import DriveSetup, apply_edits
from linkcore.craft.facing import Facing
from linkcore.craft.layouts import LAYOUTS, OPPOSITE, layout_of
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.airframe.drive_rules import common_kinds
from linkcore.hops.airframe.motors import MotorAnswer, MotorsSeen
from linkcore.hops.airframe.order import OrderError, SeenMotor, motor_mends
from linkcore.hops.airframe.rules import check_set
from linkcore.hops.airframe.view import READS
from linkcore.standins.drive import HOLD_S, MOST_S, Drive
from linkcore.standins.drives import DrivesTruth, MotorTruth
from linkcore.standins.held import BodyTruth
from tests.crafts import whole_of
from tests.in_hands import curlew, findings, mend, take_poses, told
from tests.motors import Turner, any_ways, cheapest, learn_ends, proven_by_answers, ready, usual_but

QUAD = layout_of("quad X")
ROLES = {f"M{number}": place.role for number, place in enumerate(QUAD, 1)}


def seen_of(truth: DrivesTruth) -> list[SeenMotor]:
    return [SeenMotor(output=output, corner=each.corner, turns=each.turns) for output, each in truth.motors.items()]


def applied(truth: DrivesTruth, roles, props, mends):
    """What is so once every mend was done: (the truth, what the board takes its outputs for, the props)."""
    roles = dict(roles)
    for each in mends:
        if each.kind == "remap":
            roles[each.of] = next(place.role for place in QUAD if place.corner == each.to)
        elif each.kind == "reverse":
            truth = truth.swapped(each.of)
        else:
            props = each.to
    return truth, roles, props


class OrderTest(unittest.TestCase):
    def test_every_way_a_quad_can_be_wired_is_set_right_as_cheaply_as_trying_everything_would(self):
        count = 0
        for truth in any_ways(QUAD):
            for props in ("in", "out"):
                found = motor_mends(QUAD, props, ROLES, seen_of(truth))
                self.assertEqual((found.cost, len(found.mends)), cheapest(QUAD, props, truth), truth)
                after, roles, hand = applied(truth, ROLES, props, found.mends)
                self.assertEqual(motor_mends(QUAD, hand, roles, seen_of(after)).mends, [])
                for output, motor in after.motors.items():
                    place = next(each for each in QUAD if each.role == roles[output])
                    self.assertEqual((motor.corner, motor.turns), (place.corner, place.wanted(hand)))
                count += 1
        self.assertEqual(count, 2 * 384)

    def test_three_reversed_are_three_handgrips_and_four_are_a_set_of_props(self):
        turned = [SeenMotor(output=output, corner=place.corner, turns=OPPOSITE[place.turns]) for output, place in zip(ROLES, QUAD, strict=True)]
        all_four = motor_mends(QUAD, "in", ROLES, turned)
        self.assertEqual(([(each.kind, each.of, each.to) for each in all_four.mends], all_four.cost), ([("mirror", "props", "out")], 4))
        right = SeenMotor(output="M1", corner="front left", turns="clockwise")
        three = motor_mends(QUAD, "in", ROLES, [right, *turned[1:]])
        self.assertEqual(([each.kind for each in three.mends], three.cost), (["reverse"] * 3, 3))

    def test_a_tri_asks_for_no_direction_and_a_boat_for_ahead(self):
        for kind, count in (("tri", 3), ("boat", 2), ("plane", 2), ("wing", 1), ("hexa", 6)):
            layout = layout_of(kind, count)
            roles = {f"M{number}": place.role for number, place in enumerate(layout, 1)}
            along = layout[0].turns == "ahead"
            other = "astern" if along else "clockwise"
            seen = [SeenMotor(output=output, corner=place.corner, turns=other) for output, place in zip(roles, layout, strict=True)]
            found = motor_mends(layout, "in", roles, seen)
            wanted = sum(place.turns not in (None, other) for place in layout)
            self.assertEqual((found.cost, [each.kind for each in found.mends]), (wanted, ["reverse"] * wanted), kind)

    def test_what_contradicts_itself_or_is_missing_is_asked_for_and_nothing_is_worked_out(self):
        both = [SeenMotor(output=output, corner="front left", turns="clockwise") for output in ("M1", "M3")]
        found = motor_mends(QUAD, "in", ROLES, both)
        self.assertEqual(found.mends, [])
        self.assertEqual(
            found.says, ["M1 and M3 were both seen at the front left: answer both again", "M2 has not been answered yet", "M4 has not been answered yet"]
        )

    def test_what_cannot_be_of_the_layout_is_refused_with_its_place(self):
        seen = SeenMotor(output="M1", corner="front left", turns="clockwise")
        for roles, given, said in (
            (ROLES | {"M2": "front left motor"}, [seen], "M1 and M2 both drive the front left motor"),
            ({"M1": "front left motor"}, [seen], "no output drives the front right motor"),
            (ROLES, [seen, seen], "output M1 is answered twice"),
            (ROLES, [SeenMotor(output="M9", corner="front left", turns="clockwise")], "seen/0: output M9 drives no motor"),
            (ROLES, [seen, SeenMotor(output="M2", corner="middle", turns="ahead")], "seen/1: this layout has no motor at the middle"),
            (ROLES, [SeenMotor(output="M1", corner="front left", turns="ahead")], "turns clockwise or counterclockwise, not ahead"),
        ):
            with self.assertRaisesRegex(OrderError, said):
                motor_mends(QUAD, "in", roles, given)

    def test_every_layout_balances(self):
        """Propellers that turn against each other take up each other's turning, and those that mirror each other turn against each other."""
        for kind, layouts in LAYOUTS.items():
            for layout in layouts:
                self.assertEqual(len({place.role for place in layout}), len(layout), kind)
                turns = [place.turns for place in layout]
                if "clockwise" not in turns:
                    continue
                self.assertEqual(turns.count("clockwise"), turns.count("counterclockwise"), kind)
                for axis in ("forward", "right"):
                    balance = sum(getattr(place, axis) * (1 if place.turns == "clockwise" else -1) for place in layout)
                    self.assertAlmostEqual(balance, 0, places=6, msg=f"{kind}: yaw would tip it")


class AnswersTest(unittest.TestCase):
    def test_nothing_wrong_is_proven_by_a_pilot_who_errs_once_in_twenty(self):
        ways = list(any_ways(QUAD))
        turned = []
        for index in range(0, len(ways), 3):
            proven, right, times = proven_by_answers(ways[index], index, wrong=0.05)
            self.assertTrue(proven, index)
            self.assertTrue(right, index)
            turned.append(times)
        self.assertLess(sum(turned) / len(turned), 16, "twice each, and what was reversed twice again")

    def test_two_answers_do_where_the_board_felt_it_and_three_where_it_did_not(self):
        seen = MotorsSeen()
        for count in range(1, 4):
            seen = seen.with_answer("M1", MotorAnswer(corner="front left", turns="clockwise", percent=5))
            self.assertEqual(seen.settled("M1"), count >= 3)
        felt = MotorsSeen()
        for count in range(1, 3):
            felt = felt.with_answer("M1", MotorAnswer(corner="front left", turns="clockwise", percent=5, kick="clockwise"))
            self.assertEqual(felt.settled("M1"), count >= 2)
        self.assertFalse(felt.with_answer("M1", MotorAnswer(corner="rear left", turns="clockwise", percent=5, kick="clockwise")).settled("M1"))


class TurningTest(unittest.TestCase):
    def test_curlews_motors_are_found_mended_and_proven_by_tipping_and_twisting(self):
        turner = ready()
        hand = turner.hand
        for output in ("M1", "M2", "M3", "M4"):
            self.assertEqual(told(hand).motors.next, output)
            turner.turn(output)
            turner.answer_truly(output)
        found = findings(hand)
        self.assertEqual(found["airframe.motor-order"].what, "M1 turns the rear left, M3 turns the front left; the board takes them for others.")
        self.assertIn("The front right motor, on M2, turns clockwise; there it should turn counterclockwise.", found["airframe.motor-direction"].what)
        self.assertNotIn("motors", hand.proven("airframe"))
        mend(hand, "airframe.motor-order")
        self.assertEqual(hand.bench.board.running.mixing.outputs["M1"], "rear left motor")
        mend(hand, "airframe.motor-direction")
        self.assertFalse({"airframe.motor-order", "airframe.motor-direction"} & set(findings(hand)))
        self.assertNotIn("motors", hand.proven("airframe"), "what was swapped has not turned since")
        turner.make_ready()  # hands were at the wires: said anew
        turner.all_of_them()
        self.assertIn("motors", hand.proven("airframe"))
        self.assertEqual({each.standing for each in told(hand).motors.corners}, {"right"})

    def test_what_is_wrong_is_said_before_all_are_answered_and_worked_out_once_they_are(self):
        turner = ready()
        hand = turner.hand
        turner.turn("M4")
        turner.answer_truly("M4")
        self.assertNotIn("airframe.half-answered", findings(hand), "this one turns what it should")
        for output, says in (("M1", "M1 did not turn what it should, or the other way."), ("M2", "M1, M2 did not turn what they should, or the other way.")):
            turner.turn(output)
            turner.answer_truly(output)
            self.assertEqual(findings(hand)["airframe.half-answered"].what, says)
        self.assertNotIn("airframe.motor-order", findings(hand))
        turner.turn("M3")
        turner.answer_truly("M3")
        self.assertNotIn("airframe.half-answered", findings(hand))
        self.assertIn("airframe.motor-order", findings(hand))

    def test_any_craft_is_set_right_by_what_the_findings_say(self):
        for seed in (2, 5):
            with self.subTest(seed=seed):
                turner = ready(lambda hand, seed=seed: DrivesTruth.any(seed, hand.bench.document, hand.bench.parts))
                hand = turner.hand
                for _ in range(12):
                    turner.make_ready()
                    turner.all_of_them(craft=seed % 2 == 0) if not set(findings(hand)) & {"airframe.motor-still"} else None
                    wrong = [code for code in findings(hand) if code.startswith("airframe.motor") or code == "airframe.idle"]
                    if not wrong:
                        break
                    before = set(hand.codes())
                    mend(hand, wrong[0])
                    worse = {code for code in set(hand.codes()) - before if code.startswith("airframe.")}
                    told_by_it = {"airframe.idle-flown"} if wrong[0] == "airframe.idle" else set()  # its text says that a hover has to confirm it
                    self.assertFalse(worse - {"airframe.motor-direction", "airframe.motor-props"} - told_by_it, (wrong[0], worse))
                self.assertIn("motors", hand.proven("airframe"), findings(hand))

    def test_the_board_s_settings_alone_prove_nothing_and_another_mapping_unproves(self):
        turner = ready(None)
        hand = turner.hand
        turner.all_of_them()
        self.assertIn("motors", hand.proven("airframe"))
        other = apply_edits(hand.bench.document, [])
        other.settings.mixing.outputs = {"M1": "front right motor", "M2": "front left motor", "M3": "rear left motor", "M4": "rear right motor"}
        hand.bench.take_document(other)
        self.assertIn("motors", hand.proven("airframe"), "a draft drives nothing")
        hand.bench.write(other.settings)
        hand.passes(0.4)
        self.assertEqual(findings(hand)["airframe.motor-order"].severity, "stop")
        state = next(each for each in hand.report().chain if each.hop == "airframe")
        self.assertEqual(next(each.standing for each in state.proofs if each.name == "motors"), "changed")


class LockTest(unittest.TestCase):
    def turning(self, turner: Turner, output: str = "M1") -> str:
        """A key that is held, with the motor's command on its way."""
        press = turner.hold(output, 0.4)
        self.assertTrue(turner.drive.turning, turner.drive.locked())
        return press

    def stopped(self, turner: Turner, why: str) -> None:
        self.assertFalse(turner.drive.turning)
        self.assertEqual(turner.drive.ended.why, why)
        self.assertEqual(told(turner.hand).motors.stage, "answer")
        self.assertTrue(turner.drive.locked())

    def test_nothing_turns_before_it_is_said_that_the_props_are_off_and_it_lies_still(self):
        hand = curlew()
        turner = Turner(hand)
        turner.hold("M1", 0.5)
        self.assertFalse(turner.drive.turning)
        self.assertIn("props are off", told(hand).motors.locked)
        hand.do(0.3, props_off=True, by="1")
        turner.hold("M1", 0.5)
        self.assertFalse(turner.drive.turning)
        self.assertIn("lain still", told(hand).motors.locked)
        hand.do(4, unsteady=True)
        turner.hold("M1", 0.3)
        self.assertFalse(turner.drive.turning)
        hand.do(2.4, unsteady=False)
        self.turning(turner)

    def test_a_press_that_began_while_it_was_locked_stays_dead(self):
        hand = curlew()
        turner = Turner(hand)
        hand.do(0.3, props_off=True, by="1")
        press = turner.hold("M1", 3)
        self.assertFalse(turner.drive.turning)
        self.assertEqual(told(hand).motors.locked, "", "by now another press would do")
        turner.hold("M1", 0.5, press)
        self.assertFalse(turner.drive.turning)
        self.turning(turner)

    def test_it_stops_a_quarter_of_a_second_after_the_last_hold(self):
        turner = ready(None, facing=False)
        self.turning(turner)
        turner.hand.passes(HOLD_S - 0.1)
        self.assertTrue(turner.drive.turning)
        turner.hand.passes(0.12)
        self.stopped(turner, "no hold came for 250 ms")
        self.assertEqual(turner.hand.bench.motors_a, 0)

    def test_every_other_end(self):
        for why, do in (
            ("the key was let go", {"let_go": True}),
            ("a plug was pulled or put in", {"pack": False}),
            ("it was taken back", {"props_off": False}),
            ("hands were at its wires", {"swap_wires": "M2"}),
            ("the arm switch is on", {"switches": {"S1": 1}}),
            ("it was held by two keys", {"turn": "M1", "press": "another window", "by": "1"}),
            ("somebody else took the key", {"turn": "M1", "press": "another person", "by": "2"}),
        ):
            with self.subTest(why=why):
                turner = ready(None, facing=False)
                press = self.turning(turner)
                turner.hand.do(0.08, **do)
                self.stopped(turner, why)
                turner.hold("M1", 0.3, press)  # the key is still down, and does nothing any more
                self.assertFalse(turner.drive.turning)

    def test_three_seconds_end_it_and_so_does_a_hand_on_the_craft_or_a_restart(self):
        turner = ready(None, facing=False)
        turner.hand.do(0, drives=usual_but(lambda _: {"open_phase": True})(turner.hand).model_dump())
        turner.make_ready()
        turner.hold("M1", MOST_S + 0.2)
        self.stopped(turner, "three seconds are over")
        self.assertAlmostEqual(turner.drive.ended.percent, 15, delta=0.3)
        for end, why in ((lambda hand: hand.do(0.2, tilt_deg=8), "the craft was moved"), (lambda hand: hand.bench.restart(), "the board was restarted")):
            turner = ready(None, facing=False)
            self.turning(turner)
            end(turner.hand)
            self.stopped(turner, why)

    def test_it_is_locked_until_it_was_answered_and_has_lain_still_and_then_asks_for_a_new_press(self):
        turner = ready(None)
        press = self.turning(turner)
        turner.hand.do(5, let_go=True)
        self.assertIn("pick it up", told(turner.hand).motors.locked)
        turner.hold("M2", 0.5)
        self.assertFalse(turner.drive.turning, "lying still unlocks nothing that was not answered")
        turner.hand.do(0.5, moved="front left", moved_turns="clockwise")
        turner.hold("M2", 0.4)
        self.assertFalse(turner.drive.turning)
        turner.hand.passes(2.4)
        turner.hold("M1", 0.4, press)
        self.assertFalse(turner.drive.turning)
        self.turning(turner, "M2")

    def test_what_would_keep_it_from_turning_is_told_before_the_key_is_pressed(self):
        hand = ready(None).hand
        self.assertEqual(told(hand).motors.locked, "")
        hand.do(0.5, switches={"S1": 1}, left={"x": 0, "y": -1})
        self.assertEqual(hand.bench.live().turn.locked, "Nothing would turn: the arm switch is on.")
        self.assertEqual(told(hand).motors.locked, hand.bench.live().turn.locked)
        hand.do(0.5, switches={"S1": 0})
        self.assertEqual(told(hand).motors.locked, "")

    def test_hands_that_hold_it_quite_still_unlock_nothing(self):
        turner = ready(None)
        hand = turner.hand
        turner.turn("M1")
        hand.do(0.2, tilt_deg=40, towards_deg=-45)
        for turn in (15, 30, 45):
            hand.do(0.1, turn_deg=turn)
        hand.passes(5)
        self.assertEqual((told(hand).motors.tipped, told(hand).motors.twisted, told(hand).motors.stage), ("front left", "clockwise", "answer"))
        self.assertEqual(hand.bench.measuring.airframe.seen.motors.answers, {}, "it is not put down yet")
        turner.hold("M2", 0.4)
        self.assertFalse(turner.drive.turning)
        hand.do(2.6, tilt_deg=0)
        self.assertEqual(len(hand.bench.measuring.airframe.seen.motors.answers["M1"]), 1)
        turner.turn("M1")
        hand.do(0.2, moved="front left", moved_turns="clockwise")
        hand.do(5, tilt_deg=40)
        self.assertIn("lain still", told(hand).motors.locked)
        hand.do(2.6, tilt_deg=0)
        self.assertEqual(told(hand).motors.locked, "")

    def test_a_flash_makes_what_was_said_of_the_props_lapse(self):
        turner = ready(None, facing=False)
        with patch.object(type(turner.hand.bench.loading), "running", PropertyMock(return_value=True)):
            turner.hand.passes(0.1)
        self.assertIn("something is being flashed", told(turner.hand).motors.locked)

    def test_what_was_said_of_the_props_lapses_after_ten_minutes(self):
        drive = Drive()
        drive.say_props_off("1", 100)
        drive.lies_still()
        drive.run(699.9, "")
        self.assertEqual(drive.locked(), "")
        drive.run(700, "")
        self.assertIn("ten minutes have passed", drive.locked())

    def test_an_answer_that_the_board_felt_otherwise_is_asked_again(self):
        turner = ready(None)
        hand = turner.hand
        turner.turn("M1")
        self.assertEqual(turner.drive.ended.kick, "clockwise")
        turner.by_words("front left", "counterclockwise")
        self.assertIn("You say counterclockwise; the board felt", told(hand).motors.said)
        self.assertEqual(hand.bench.measuring.airframe.seen.motors.answers, {})
        turner.turn("M1")
        turner.by_craft("front left", "clockwise")
        self.assertEqual((told(hand).motors.said, len(hand.bench.measuring.airframe.seen.motors.answers["M1"])), ("", 1))

    def test_a_craft_whose_facing_nobody_has_proven_is_asked_in_words(self):
        turner = ready(None, facing=False)
        turner.turn("M1")
        self.assertEqual(told(turner.hand).motors.by_words, "its facing is not proven yet")
        turner.by_craft("front left", "clockwise")
        self.assertEqual(told(turner.hand).motors.stage, "answer")
        self.assertFalse(told(turner.hand).motors.answered)
        turner.by_words("front left", "clockwise")
        self.assertEqual(told(turner.hand).motors.stage, "turn")

    def test_a_motor_that_is_taken_off_while_it_turns_leaves_a_locked_drive(self):
        turner = ready(None, facing=False)
        self.turning(turner, "M4")
        craft = turner.hand.bench.document
        wires = [patch.model_dump() for patch in craft.wiring if patch.pad != "M4"]
        turner.hand.bench.take_document(apply_edits(craft, [Edit(path="/wiring", value=wires)]))
        turner.hand.passes(0.5)
        self.assertFalse(turner.drive.turning)
        self.assertIn("props are off", turner.hand.bench.live().turn.locked)
        self.assertIn("3 motors are wired, and a quad X has 4", told(turner.hand).motors.why_none)

    def test_hands_that_cannot_be_are_refused_whole(self):
        turner = ready(None, facing=False)
        for hands, said in (
            ({"turn": "M9", "press": "x"}, "no motor hangs on an output M9"),
            ({"turn": "M1"}, "says which press it is"),
            ({"swap_wires": "S1"}, "no motor hangs on an output S1"),
            ({"moved": "front left", "moved_turns": "clockwise"}, "no motor has turned"),
            ({"drives": {"motors": {"M1": {"corner": "front left", "turns": "clockwise"}}}}, "not those of this craft"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                turner.hand.bench.hands(Hands(transmitter_on=False, **hands))
            self.assertTrue(turner.hand.bench.transmitter.on)
        turner.turn("M1")
        for hands, said in (
            ({"moved": "middle", "moved_turns": "ahead"}, "no motor at the middle"),
            ({"moved": "front left"}, "which way"),
            ({"moved": "front left", "moved_turns": "ahead"}, "does not turn ahead"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                turner.hand.bench.hands(Hands(**hands))


def write(hand, path, value):
    """A setting is drafted and written."""
    other = apply_edits(hand.bench.document, [Edit(path=path, value=value)])
    hand.bench.take_document(other)
    hand.bench.write(other.settings)
    hand.passes(0.4)


class StartTest(unittest.TestCase):
    def test_an_esc_that_has_not_learnt_its_ends_needs_far_more_and_is_said_to(self):
        turner = ready(usual_but(lambda pad: {"low_us": 1060.0, "high_us": 1860.0} if pad == "M2" else {}))
        hand = turner.hand
        turner.all_of_them()
        found = findings(hand)["airframe.motor-start"]
        self.assertIn("M2 begins to turn at", found.what)
        learn_ends(turner, "M2")
        turner.make_ready()
        turner.all_of_them()
        self.assertNotIn("airframe.motor-start", findings(hand))
        self.assertIn("motors", hand.proven("airframe"))

    def test_the_idle_follows_from_the_motor_that_starts_last(self):
        turner = ready(usual_but(lambda pad: {"starts_percent": 7.0 if pad == "M3" else 6.5}))
        hand = turner.hand
        turner.all_of_them()
        self.assertIn("the one that starts last needs 7", findings(hand)["airframe.idle"].what)
        mend(hand, "airframe.idle")
        self.assertEqual(hand.bench.board.running.drive.idle_percent, 8.5)
        self.assertNotIn("airframe.idle", findings(hand))

    def test_an_open_phase_stands_still_and_is_soldered(self):
        turner = ready(usual_but(lambda pad: {"open_phase": pad == "M1"}))
        hand = turner.hand
        turner.turn("M1")
        turner.by_words("nothing")
        self.assertEqual(findings(hand)["airframe.motor-still"].severity, "stop")
        mend(hand, "airframe.motor-still")
        turner.make_ready()
        turner.all_of_them()
        self.assertIn("motors", hand.proven("airframe"))

    def test_one_that_was_asked_little_is_not_said_to_stand_still(self):
        turner = ready(usual_but(lambda pad: {"open_phase": pad == "M1"}))
        hand = turner.hand
        turner.hold("M1", 1.0)
        hand.do(0.1, let_go=True)
        turner.by_words("nothing")
        self.assertIn("M1 was asked 5.0 % at the most, and may need more.", hand.report().told.airframe.motors.said)
        self.assertNotIn("airframe.motor-still", findings(hand))
        self.assertEqual(hand.report().told.airframe.motors.next, "M1")


class HandledTest(unittest.TestCase):
    def proven(self):
        turner = ready(usual_but(lambda _: {"starts_percent": 4.5}))
        turner.all_of_them()
        self.assertEqual(turner.hand.proven("airframe"), ["facing", "motors"])
        return turner

    def why(self, hand, name):
        airframe = next(state for state in hand.report().chain if state.hop == "airframe")
        return next(proof.why for proof in airframe.proofs if proof.name == name)

    def test_wires_that_are_exchanged_after_the_proof_undo_it_until_the_motor_was_seen_again(self):
        for hands in ({"swap_wires": "M2"}, {"solder_phase": "M2"}):
            with self.subTest(hands=hands):
                turner = self.proven()
                hand = turner.hand
                hand.do(0.5, **hands)
                self.assertEqual(hand.proven("airframe"), ["facing"])
                self.assertEqual(self.why(hand, "motors"), "proven before; changed since: motors and their wires")
                if "swap_wires" in hands:
                    hand.do(0.5, swap_wires="M2")
                    self.assertEqual(hand.proven("airframe"), ["facing"], "back as it was, but nobody has seen that")
                turner.make_ready()
                turner.all_of_them()
                self.assertEqual(hand.proven("airframe"), ["facing", "motors"])

    def test_hands_that_were_at_something_undo_just_what_rested_on_it(self):
        for at, undone, left in (
            ("board", "facing", ["motors"]),
            ("motors", "motors", ["facing"]),
            ("ESCs", "motors", ["facing"]),
            ("servos", None, ["facing", "motors"]),
        ):
            with self.subTest(at=at):
                turner = self.proven()
                turner.hand.do(0.5, handled=at)
                self.assertEqual(turner.hand.proven("airframe"), left)
                if undone:
                    self.assertIn("changed since", self.why(turner.hand, undone))
                state = BenchState.model_validate(turner.hand.bench.state().keep())
                again = Bench(turner.hand.bench.document, state)
                again.proofs = dict(turner.hand.bench.proofs)
                again.run_until(again.t + 0.5)
                standing = {proof.name: proof.standing for each in Reporter(again).report(1).chain if each.hop == "airframe" for proof in each.proofs}
                self.assertEqual([name for name, each in standing.items() if each == "holds"], left, "the next bench knows of it")

    def test_a_new_esc_in_the_place_of_one_that_failed_is_another_one(self):
        turner = self.proven()
        hand = turner.hand
        esc = next(name for name, part in hand.bench.parts.devices.items() if part.drives)
        hand.do(0.5, replaced=esc)
        self.assertEqual(hand.proven("airframe"), ["facing", "motors"], "it has not failed, so nothing was replaced")
        hand.bench.failed[esc] = hand.bench.parts.devices[esc].id
        hand.do(0.5, replaced=esc)
        self.assertEqual(hand.proven("airframe"), ["facing"])
        self.assertEqual(told(hand).motors.next, "M1", "nothing of it was seen yet")

    def test_a_board_that_was_mounted_anew_has_to_be_found_anew(self):
        turner = self.proven()
        hand = turner.hand
        hand.do(1.0, body=BodyTruth(sits=Facing(yaw_deg=90)).model_dump())
        self.assertEqual(hand.proven("airframe"), ["motors"])
        take_poses(hand)
        mend(hand, "airframe.facing")
        hand.do(0.4, usb_so=True)
        self.assertEqual(hand.proven("airframe"), ["facing"], "the motors were answered with the facing as it was")


class TruthTest(unittest.TestCase):
    def test_what_is_so_is_kept_with_the_bench_and_in_no_document(self):
        turner = ready()
        hand = turner.hand
        kept = BenchState.model_validate(hand.bench.state().keep())
        self.assertEqual(kept.drives, hand.bench.turning.truth)
        self.assertNotIn("drives", hand.bench.document.model_dump())
        for seed in range(20):
            craft, rng = scenario.curlew(), random.Random(seed)
            truth = DrivesTruth.any(seed, craft, KitParts.of(craft))
            self.assertTrue(truth.fits(craft, KitParts.of(craft)))
            self.assertEqual(truth, DrivesTruth.any(seed, craft, KitParts.of(craft)))
            self.assertFalse(MotorTruth(corner="front left", turns="clockwise", open_phase=True).share(rng.uniform(1000, 2000)))


class PropsTest(unittest.TestCase):
    def test_four_that_turn_the_other_way_ask_for_the_other_props(self):
        turner = ready(
            lambda hand: DrivesTruth(
                motors={pad: each.model_copy(update={"turns": OPPOSITE[each.turns]}) for pad, each in usual_but(lambda _: {})(hand).motors.items()}
            )
        )
        hand = turner.hand
        turner.all_of_them()
        self.assertEqual([code for code in findings(hand) if code.startswith("airframe.motor")], ["airframe.motor-props"])
        self.assertNotIn("motors", hand.proven("airframe"))
        mend(hand, "airframe.motor-props")
        self.assertEqual(hand.bench.board.running.mixing.props, "out")
        self.assertIn("motors", hand.proven("airframe"))


class EndsTest(unittest.TestCase):
    def test_every_esc_learns_its_ends_one_at_a_time_and_digital_needs_none(self):
        turner = ready(usual_but(lambda _: {"low_us": 1060.0}), facing=False)
        hand = turner.hand
        self.assertEqual(told(hand).motors.ends.open, ["M1", "M2", "M3", "M4"])
        for output in ("M1", "M2", "M3", "M4"):
            self.assertNotIn("end points", hand.proven("airframe"))
            learn_ends(turner, output)
            self.assertEqual(hand.bench.turning.truth.motors[output].low_us, 1000)
        self.assertIn("end points", hand.proven("airframe"))
        write(hand, "/settings/drive/idle_percent", 7)  # what the first hover asks for is nothing to an ESC's ends
        self.assertIn("end points", hand.proven("airframe"))
        self.assertEqual(told(hand).motors.ends.open, [])
        write(hand, "/settings/drive/kind", "shortened pulses")
        self.assertNotIn("end points", hand.proven("airframe"))
        self.assertEqual(told(hand).motors.ends.open, ["M1", "M2", "M3", "M4"])
        write(hand, "/settings/drive/kind", "digital")
        self.assertEqual(told(hand).motors.ends.needless, "digital commands are numbers, and have no end points")

    def test_it_begins_only_with_props_off_the_pack_out_and_the_board_awake(self):
        hand = curlew()
        for before, said in (
            ({}, "props are off"),
            ({"props_off": True, "by": "1"}, "pull the pack first"),
            ({"pack": False, "usb": False, "props_off": True, "by": "1"}, "must run from USB"),
        ):
            hand.do(0.2, **before)
            if before.get("pack") is False:
                hand.do(0.2, props_off=True, by="1")
            with self.assertRaisesRegex(ValueError, said):
                hand.bench.hands(Hands(learn_ends="M1"))

    def test_without_a_tone_it_says_to_pull_the_pack_and_nothing_turns_meanwhile(self):
        turner = ready(usual_but(lambda pad: {"open_phase": pad == "M2"}), facing=False)
        hand = turner.hand
        hand.do(0.2, pack=False, usb=True)
        hand.passes(2)
        hand.do(0.1, props_off=True, by="1")
        hand.do(0.2, learn_ends="M2")
        with self.assertRaisesRegex(ValueError, "one ESC at a time"):
            hand.bench.hands(Hands(learn_ends="M1"))
        hand.do(2.5, pack=True)
        self.assertEqual(told(hand).motors.ends.step, "wait for its tone")
        hand.do(2.4, props_off=True, by="1")
        turner.hold("M1", 0.3)
        self.assertFalse(turner.drive.turning)
        self.assertEqual(told(hand).motors.ends.step, "no tone")
        hand.do(0.3, pack=False)
        self.assertEqual((told(hand).motors.ends.output, hand.bench.measuring.airframe.seen.ends), ("", []))


class BoatTest(unittest.TestCase):
    def test_drives_that_turn_both_ways_start_from_the_middle_and_never_where_the_board_takes_them_for_others(self):
        craft = scenario.coot()
        hand = curlew(craft=craft)
        turner = Turner(hand)
        turner.make_ready()
        turner.turn("M1")
        self.assertLess(turner.drive.ended.percent, 7)
        self.assertEqual(hand.bench.live().turn.sight, "the left motor turned ahead")
        turner.by_words("left", "ahead")
        write(hand, "/settings/reversing_drives", False)
        self.assertLess(hand.bench.turning.truth.motors["M1"].share(1000), -0.9, "it would be full astern")
        turner.hold("M1", 0.5)
        self.assertFalse(turner.drive.turning)


class DriveKindTest(unittest.TestCase):
    def drive(self, craft, **drive):
        craft.settings.drive = DriveSetup(**drive)
        return {each.code: each for each in check_set(READS.view(whole_of(craft))) if each.code.startswith(("airframe.drive", "airframe.loop"))}

    def test_esc_pin_mcu_and_rate_are_judged_and_every_mend_mends(self):
        for make, drive, code in (
            (scenario.sandpiper, {"kind": "digital"}, "airframe.drive-esc"),
            (scenario.coot, {"kind": "shortened pulses"}, "airframe.drive-esc"),
            (scenario.coot, {"kind": "digital"}, "airframe.drive-pin"),
            (scenario.curlew, {"kind": "analog pulses", "pulse_hz": 2000}, "airframe.drive-rate"),
            (scenario.curlew, {"kind": "digital", "loop_hz": 16_000}, "airframe.loop-load"),
            (scenario.coot, {"loop_hz": 4000}, "airframe.loop-load"),
        ):
            craft = make()
            found = self.drive(craft, **drive)
            self.assertIn(code, found)
            mended = apply_edits(craft, found[code].mends[0].edits)
            left = self.drive(mended, **mended.settings.drive.model_dump())
            self.assertNotIn(code, left)
            self.assertLessEqual(set(left), set(found))
        for make in scenario.CRAFTS:
            if make().kit.whole:
                self.assertEqual(self.drive(make()), {}, make)

    def test_what_all_do_is_told_the_better_one_first(self):
        self.assertEqual(told(curlew()).motors.drives, ["digital", "shortened pulses", "analog pulses"])
        coot = scenario.coot()
        self.assertEqual(common_kinds(READS.view(whole_of(coot))), ["analog pulses"])
