"""Where the craft goes after the link has died: what is dangerous on the way is found and mended, what is flown is what was predicted, and each proof asks for what it says."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

import scenario
from linkcore.chain import still_findings
from linkcore.craft.document import Band, CraftDocument, CraftError, Fitted, ModeBand, apply_edits, load
from linkcore.craft.parts import KitParts
from linkcore.craft.places import USUAL
from linkcore.devices.body import Body, G
from linkcore.devices.modes import lacking, switch_channels
from linkcore.devices.responses import in_words
from linkcore.findings import Edit, Finding
from linkcore.hops.kit.ability import ability
from linkcore.hops.lost_link.path import covered_m, fall_s, fallen_m, stretch_s
from linkcore.hops.lost_link.place_rules import clear_line_m
from linkcore.hops.lost_link.proofs import expected_losses
from linkcore.hops.lost_link.rules import check_lost_link
from linkcore.hops.lost_link.timeline import predict
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.sticks.rules import check_sticks
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Receiver
from linkcore.reads import Whole
from linkcore.standins.radio import aspect_db
from linkcore.wiring.netlist import wires_for
from tests.crafts import crsf_craft, sbus_craft, with_gps
from tests.hand import Hand, fly, prove_the_rest, walk_round
from tests.kits import planned_craft

UP, LOW = {"x": 0, "y": 0.2}, {"x": 0, "y": -1}


def craft_with(airframe: str = "quad X", *, compass: bool = True, pack: bool = True, place: dict[str, Any] | None = None, **lost: Any) -> CraftDocument:
    """A craft that flies home if it is told to: GPS and compass, a barometer on its board."""
    craft = sbus_craft()
    craft.airframe = airframe
    if compass:
        craft = with_gps(craft)
    if pack:
        craft.kit.pack = "tussock-4-1500"
    craft.place = USUAL[airframe].model_copy(update=place or {})
    craft.settings.lost_link = craft.settings.lost_link.model_copy(update=lost)
    return CraftDocument.model_validate(craft.model_dump())


def without_barometer(craft: CraftDocument) -> CraftDocument:
    """On a board that has none."""
    craft.kit.board = "plover-f1"
    return craft


def found(craft: CraftDocument) -> dict[str, Finding]:
    findings = still_findings(Whole(craft, craft.settings, KitParts.of(craft)))
    return {finding.code.removeprefix("lostlink."): finding for finding in findings if finding.hop == "lost link"}


HOME = {"response": "return home", "return_height_m": 60}
DANGERS = {  # code: (severity, a craft in which it stands)
    "cannot": ("stop", lambda: craft_with("boat", response="land")),
    "no-sensor": ("stop", lambda: craft_with(compass=False, **HOME)),
    "no-landing": ("stop", lambda: without_barometer(craft_with(compass=False, response="land"))),
    "climbs": ("stop", lambda: without_barometer(craft_with(compass=False, response="land", hover_percent=60))),
    "hard-landing": ("warn", lambda: without_barometer(craft_with(compass=False, response="land", hover_percent=40))),
    "fast-landing": ("warn", lambda: craft_with(response="land", place={"wind_mps": 6})),
    "water": ("warn", lambda: craft_with(response="land", place={"water": True, "wind_mps": 0})),
    "low-return": ("stop", lambda: craft_with(response="return home", return_height_m=40, place={"obstacle_height_m": 31})),
    "low-path": ("warn", lambda: craft_with(climb_first=False, place={"obstacle_height_m": 31}, **HOME)),
    "over-ceiling": ("warn", lambda: craft_with(response="return home", return_height_m=150)),
    "never-home": ("stop", lambda: craft_with(return_mps=8, place={"wind_mps": 9}, **HOME)),
    "slow-home": ("warn", lambda: craft_with(return_mps=8, place={"wind_mps": 7}, **HOME)),
    "charge": ("warn", lambda: craft_with(place={"home_m": 4000}, **HOME)),
    "nobody-home": ("warn", lambda: craft_with("plane", place={"somebody_home": False}, **HOME)),
    "no-home": ("warn", lambda: craft_with(without_home="motors off", **HOME)),
    "at-once": ("warn", lambda: craft_with(ends="at once", **HOME)),
    "throttle-low": ("warn", lambda: craft_with(throttle_low_s=3, **HOME)),
    "people": ("warn", lambda: craft_with(place={"people_m": 10})),
    "energy": ("warn", lambda: craft_with(place={"energy_limit_j": 20})),
    "late": ("warn", lambda: craft_with(place={"obstacle_m": 5})),
    "drift": ("warn", lambda: craft_with("boat", place={"obstacle_m": 40, "wind_mps": 1})),
    "short-grace": ("warn", lambda: apply_edits(crsf_craft(), [Edit(path="/settings/lost_link/grace_ms", value=40), Edit(path="/air/rate_hz", value=50)])),
    "preset-channels": ("warn", lambda: apply_edits(scenario.coot(), [Edit(path="/receiver/preset_us", value=[1500.0] * 12)])),
    "rssi-channel": ("warn", lambda: rssi_craft(rssi_channel=None)),
    "rssi-band": ("stop", lambda: rssi_craft(modes=[ModeBand(mode="beeper", channel=8, low=1700, high=2100)])),
    "rssi-holds": ("warn", lambda: rssi_craft(rssi_falls=False)),
    "fallback-runs": ("stop", lambda: craft_with(throttle_fallback="value")),
    "preset-runs": (
        "stop",
        lambda: apply_edits(craft_with(), [Edit(path="/receiver/on_loss", value="preset"), Edit(path="/settings/channel_map", value="TAER")]),
    ),
    "drives": ("stop", lambda: apply_edits(scenario.coot(), [Edit(path="/settings/reversing_drives", value=False)])),
}


class DangerTest(unittest.TestCase):
    def test_every_danger_is_found_and_every_mend_of_it_mends(self):
        for code, (severity, made) in DANGERS.items():
            craft = made()
            before = found(craft)
            with self.subTest(code):
                self.assertIn(code, before)
                self.assertEqual(before[code].severity, severity)
                self.assertTrue(before[code].mends, "a finding says what to do")
            for mend in before[code].mends if code in before else ():
                if not mend.edits:
                    continue
                with self.subTest(code, mend=mend.text):
                    after = found(apply_edits(craft, list(mend.edits)))
                    self.assertNotIn(code, after)
                    worse = {each for each, finding in after.items() if each not in before and finding.severity in ("stop", "warn")}
                    self.assertEqual(worse, set())

    def test_what_is_well_set_up_has_no_finding(self):
        self.assertEqual(found(craft_with(**HOME)), {})
        self.assertEqual(found(craft_with()), {})
        self.assertEqual({each.severity for each in found(scenario.curlew()).values()}, set())
        self.assertEqual(list(found(scenario.coot())), ["hidden", "drift"][:1], "with the board deceived nothing is said of a drift that does not begin")

    def test_a_wing_knows_its_heading_by_its_course_and_a_multirotor_does_not(self):
        for airframe, missing in (("quad X", True), ("plane", False)):
            craft = craft_with(airframe, compass=False, **HOME)
            craft.kit.devices = [Fitted(name="GPS", part="tern-5")]
            self.assertEqual("no-sensor" in found(craft), missing, airframe)
            self.assertEqual("return home" in lacking(craft, KitParts.of(craft)), missing, "the same rule for the mode")

    def test_the_line_to_clear_adds_up(self):
        sandpiper = scenario.sandpiper()
        self.assertAlmostEqual(clear_line_m(sandpiper), 31 + 10 + 4 + 13**2 / 2 / 9.81, delta=0.1)
        sandpiper.place.vented = True
        self.assertAlmostEqual(clear_line_m(sandpiper), 45)

    def test_a_hidden_loss_is_told_how_far_it_goes(self):
        craft = apply_edits(craft_with(), [Edit(path="/receiver/on_loss", value="hold")])
        self.assertRegex(found(craft)["hidden"].why, r"for \d+ min and \d+\.\d km, as far as its pack goes")

    def test_a_place_that_cannot_be_is_refused_in_one_line(self):
        data = craft_with().model_dump(mode="json")
        data["place"]["height_m"] = -3
        with self.assertRaisesRegex(CraftError, "^place/height_m: Input should be greater than or equal to 0$"):
            load(data)


class FormulaTest(unittest.TestCase):
    def test_a_fall_with_drag_against_its_own_differential_equation(self):
        """Integrated step by step, which shares nothing with the closed formula."""
        rng = random.Random(4)
        for _ in range(40):
            height, terminal = rng.uniform(1, 200), rng.uniform(8, 40)
            fallen = speed = t = 0.0
            while fallen < height:
                speed += (G - G * speed**2 / terminal**2) * 1e-4
                fallen += speed * 1e-4
                t += 1e-4
            self.assertAlmostEqual(fall_s(height, terminal), t, delta=0.003 * t + 0.002)
            self.assertAlmostEqual(fallen_m(terminal, G, fall_s(height, terminal)), height, places=6)
        self.assertAlmostEqual(fall_s(20, 1e6), math.sqrt(2 * 20 / G), places=3, msg="without drag: sqrt(2 h / g)")
        self.assertTrue(math.isfinite(fall_s(3000, 2)))

    def test_a_stretch_from_rest_to_rest_is_whole_at_its_end(self):
        rng = random.Random(5)
        for _ in range(200):
            way, speed, quicker = rng.uniform(0.1, 500), rng.uniform(0.5, 20), rng.uniform(0.5, 4)
            takes = stretch_s(way, speed, quicker)
            self.assertAlmostEqual(covered_m(way, speed, quicker, takes), way, places=6)
            earlier = [covered_m(way, speed, quicker, takes * share / 50) for share in range(51)]
            self.assertEqual(earlier, sorted(earlier))
            near = rng.uniform(0, min(way / 3, speed**2 / quicker / 3))
            self.assertAlmostEqual(covered_m(way, speed, quicker, stretch_s(way, speed, quicker, near)), way - near, places=6)

    def test_a_glide_reaches_as_far_as_its_ratio_and_the_wind(self):
        craft = craft_with("plane", place={"height_m": 80, "wind_mps": 5, "speed_mps": 15})
        predicted = predict(craft, KitParts.of(craft))
        reached = predicted.path[-1].distance_m - craft.place.home_m - predicted.reacts_s * 20
        self.assertAlmostEqual(
            reached, 80 * 8 * (15 + 5) / 15, delta=20.1, msg="h L/D, and the wind for as long as it glides; the first second is not yet a glide"
        )

    def test_a_light_quad_at_a_fixed_throttle_would_climb(self):
        """What a landing at 35 % comes to on a craft that hovers at 30."""
        self.assertGreater(Body("quad X", 0.3, 11).thrust_by_weight(35), 1.3)


class ProvenTest(unittest.TestCase):
    def run_out(self, craft: CraftDocument, seconds: float, *, left: dict[str, float] | None = None) -> Hand:
        hand = Hand(craft)
        fly(hand)
        hand.do(0.5, left=left or UP)
        hand.do(seconds, transmitter_on=False)
        return hand

    def test_the_whole_set_of_a_craft_that_stops(self):
        hand = self.run_out(sbus_craft(), 2.0)
        self.assertEqual(hand.proven("lost link"), ["armed, throttle up"])
        hand.do(2.5, transmitter_on=True)
        self.assertEqual(hand.proven("lost link"), ["armed, throttle up", "link back, arm switch on"])
        prove_the_rest(hand)
        self.assertEqual(hand.coins()["lost link"], "rings true")

    def test_throttle_low_does_not_prove_the_loss_with_throttle_up(self):
        hand = self.run_out(sbus_craft(), 2.0, left=LOW)
        self.assertEqual(hand.proven("lost link"), [])

    def test_the_switch_that_comes_back_off_does_not_prove_the_return(self):
        hand = self.run_out(sbus_craft(), 2.0)
        hand.do(2.5, switches={"S1": 0}, transmitter_on=True)
        self.assertNotIn("link back, arm switch on", hand.proven("lost link"))

    def test_home_and_down_above_the_trees(self):
        place = {"obstacle_height_m": 20, "home_m": 60, "height_m": 15}
        craft = craft_with(place=place, response="return home", return_height_m=45, descent_mps=3)
        hand = self.run_out(craft, 70.0)
        run, predicted = hand.bench.loss, hand.report().told.lost_link.prediction
        self.assertAlmostEqual(run.since(run.home_t), predicted.home_s, delta=0.2)
        self.assertAlmostEqual(run.since(run.motors_stopped_t), predicted.motors_stop_s, delta=0.2)
        self.assertIn("home, or down", hand.proven("lost link"))

    def test_a_way_home_below_the_line_proves_nothing_of_it(self):
        place = {"obstacle_height_m": 31, "home_m": 60, "height_m": 15}
        hand = self.run_out(craft_with(place=place, response="return home", return_height_m=40, descent_mps=3), 70.0)
        self.assertIsNotNone(hand.bench.loss.home_t)
        self.assertNotIn("home, or down", hand.proven("lost link"))

    def test_nearer_than_its_least_distance_it_lands_where_it_is(self):
        hand = self.run_out(craft_with(place={"home_m": 2, "height_m": 10, "speed_mps": 3, "wind_mps": 0}, **HOME), 12.0)
        self.assertIn("home is nearer than 20 m: it lands where it is", [event.text for event in hand.bench.board.events.last(20)])
        self.assertFalse(hand.board.armed)
        self.assertIn("home, or down", hand.proven("lost link"))

    def test_after_the_link_is_back_it_goes_on_until_a_stick_moves(self):
        hand = self.run_out(craft_with(**HOME), 4.0)
        hand.do(2.0, transmitter_on=True)
        self.assertEqual((hand.board.armed, hand.bench.board.responding), (True, True))
        self.assertIn("move a stick", hand.report().told.lost_link.verdict)
        hand.do(0.3, right={"x": 0.05, "y": 0})
        self.assertTrue(hand.bench.board.responding, "25 us are no movement")
        hand.do(2.0, right={"x": 0.4, "y": 0})
        self.assertEqual((hand.board.armed, hand.bench.board.responding), (True, False))
        self.assertIn("link back, arm switch on", hand.proven("lost link"))

    def test_a_switch_that_comes_back_off_stops_the_motors_in_the_air(self):
        hand = self.run_out(craft_with(**HOME), 4.0)
        hand.do(1.0, switches={"S1": 0}, transmitter_on=True)
        self.assertEqual((hand.board.armed, hand.board.motors_percent), (False, 0))
        self.assertNotIn("link back, arm switch on", hand.proven("lost link"))

    def test_no_arming_without_a_home_unless_that_was_said(self):
        for instead in ("no arming", "motors off"):
            hand = Hand(craft_with(without_home=instead, **HOME))
            hand.do(2.5, gps_fix=False)
            hand.do(0.5, switches={"S1": 1}, left=LOW)
            self.assertEqual(hand.board.armed, instead == "motors off")
            if instead == "no arming":
                self.assertIn("no home yet: the fix is not good enough", [each.what for each in hand.board.blockers])
            else:
                hand.do(0.5, left=UP)
                hand.do(2.0, transmitter_on=False)
                self.assertFalse(hand.board.armed)
                self.assertIn("Had it a fix, and a home?", hand.report().told.lost_link.verdict)
                self.assertIn("response: motors off instead of return home", [event.text for event in hand.bench.board.events.last(20)])
                self.assertNotIn("armed, throttle up", hand.proven("lost link"))

    def test_a_fix_that_is_missing_is_a_stop_as_long_as_it_is(self):
        hand = Hand(craft_with(**HOME))
        hand.passes(2.0)
        self.assertNotIn("lostlink.no-fix", hand.codes())
        hand.do(2.5, gps_fix=False)
        missing = next(each for each in hand.report().findings if each.code == "lostlink.no-fix")
        self.assertEqual((missing.severity, hand.coins()["lost link"]), ("stop", "cracked"))
        hand.do(2.5, **missing.mends[0].hands)
        self.assertNotIn("lostlink.no-fix", hand.codes())

    def test_a_home_that_is_taken_away_is_none_any_more(self):
        hand = Hand(craft_with(**HOME))
        fly(hand)
        hand.do(0.5, left=UP)
        hand.do(1.5, home=False)
        self.assertEqual((hand.bench.live().gps_fix, hand.bench.live().home), (True, False))
        missing = next(each for each in hand.report().findings if each.code == "lostlink.no-fix")
        self.assertIn("no fix that is good enough for a home", missing.what)
        hand.do(2.0, transmitter_on=False)
        self.assertFalse(hand.board.armed, "nobody knows where home is: the motors stop")
        self.assertEqual(hand.proven("lost link"), [])

    def test_surfaces_go_to_the_middle_with_the_fallback_and_are_traced(self):
        craft = craft_with("plane", response="motors off")
        craft.kit.devices = [*craft.kit.devices, Fitted(name="elevator", part="strand-9", role="elevator")]
        craft.wiring = wires_for(craft, KitParts.of(craft), None)
        craft.servos_turned = {"elevator": False}
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        fly(hand)
        hand.do(0.5, left=UP, right={"x": 0, "y": 0.6})
        hand.do(3.0, transmitter_on=False)
        trace = [(t, surface) for t, _, _, _, surface in hand.bench.loss.path]
        self.assertGreater(max(abs(surface) for t, surface in trace if t < 0.5), 40)
        self.assertEqual({surface for t, surface in trace if t > 1.5}, {0.0})

    def test_how_a_receiver_takes_its_preset_is_told_in_steps(self):
        steps = Hand(apply_edits(crsf_craft(), [Edit(path="/receiver/on_loss", value="preset")])).report().told.lost_link.preset_steps
        self.assertIn("throttle (CH3) at 1000 us, arm (CH5) at 1500 us", steps[0])
        self.assertIn("menu", steps[1])
        self.assertEqual(Hand(crsf_craft()).report().told.lost_link.preset_steps, [])

    def test_low_throttle_counts_as_landed_after_so_long_and_a_dive_does_not(self):
        craft = craft_with(throttle_low_s=3, place={"height_m": 10}, **HOME)
        for low_s, landed in ((1.0, False), (4.0, True)):
            hand = Hand(craft)
            fly(hand)
            hand.do(0.5, left=UP)
            hand.do(low_s, left=LOW)
            hand.do(2.0, transmitter_on=False)
            self.assertEqual(hand.board.armed, not landed)
            self.assertEqual("dive with throttle low" in hand.proven("lost link"), not landed)

    def test_a_gap_that_is_too_long_or_comes_while_disarmed_proves_nothing(self):
        hand = Hand(sbus_craft())
        hand.do(2.0, silence_s=0.4)
        self.assertNotIn("shorter than the grace", hand.proven("lost link"))
        fly(hand)
        hand.do(0.5, left=UP)
        hand.do(3.0, silence_s=1.5)
        self.assertFalse(hand.board.armed)
        self.assertNotIn("shorter than the grace", hand.proven("lost link"))

    def test_bad_air_that_breaks_a_short_grace_proves_nothing(self):
        craft = apply_edits(
            crsf_craft(),
            [Edit(path="/settings/lost_link/grace_ms", value=40), Edit(path="/air/rate_hz", value=50), Edit(path="/settings/lost_link/ends", value="at once")],
        )
        hand = Hand(apply_edits(craft, [Edit(path="/settings/lost_link/response", value="land")]))
        fly(hand)
        hand.do(32.0, loss_percent=20, left=UP)
        air = hand.bench.measuring.losses.bad_air
        expected = expected_losses(hand.bench.whole.craft, hand.bench.parts, 0.2, air.lasted_s)
        self.assertLess(abs(air.losses - expected), 4 * math.sqrt(expected), "as often as reckoned, within chance")
        self.assertGreater(air.losses, 5)
        self.assertNotIn("one frame in five lost", hand.proven("lost link"), "though it was reckoned, nobody can fly so")

    def test_the_switch_of_the_lost_link_test(self):
        craft = sbus_craft()
        craft.settings.modes = [
            *craft.settings.modes,
            craft.settings.modes[0].model_copy(update={"mode": "lost-link test", "channel": 8, "low": 1700, "high": 2100}),
        ]
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        fly(hand)
        hand.do(1.5, switches={"S4": 2})
        self.assertFalse(hand.board.armed)
        hand.do(1.5, switches={"S4": 0})
        self.assertIn("lost-link test switch", hand.proven("lost link"))

    def test_a_switch_channel_takes_its_value_on_loss(self):
        craft = sbus_craft()
        craft.settings.modes = [*craft.settings.modes, craft.settings.modes[0].model_copy(update={"mode": "beeper", "channel": 7, "low": 1700, "high": 2100})]
        craft.settings.lost_link.switches_us = {7: 1900}
        hand = self.run_out(CraftDocument.model_validate(craft.model_dump()), 2.0)
        self.assertIn("beeper", hand.board.mode)
        hand.do(2.0, transmitter_on=True)
        self.assertNotIn("beeper", hand.board.mode)


def returning_by_preset(**place: Any) -> CraftDocument:
    """A receiver whose preset no flag tells, on a board that waits longer than the receiver: its values turn return home on."""
    craft = crsf_craft()
    craft = with_gps(craft)
    craft.kit.pack = "tussock-4-1500"
    craft.place = USUAL["quad X"].model_copy(update={"home_m": 80, "height_m": 20} | place)
    craft.settings.modes = [ModeBand(mode="return home", channel=7, low=1700, high=2100)]
    craft.settings.lost_link.grace_ms = 1000
    craft.settings.lost_link.return_height_m = 60
    craft.receiver.on_loss = "preset"
    craft.receiver.preset_us = [1500, 1500, 1300, 1500, 1950, 1500, 1900]
    return CraftDocument.model_validate(craft.model_dump())


class PresetHomeTest(unittest.TestCase):
    def test_a_preset_that_turns_return_home_on_is_a_way_and_is_proven_by_the_way_home(self):
        craft = returning_by_preset()
        self.assertEqual({code: each.severity for code, each in found(craft).items()}, {"preset-responds": "note"})
        predicted = predict(craft, KitParts.of(craft))
        hand = Hand(craft)
        fly(hand)
        hand.do(0.5, left=UP)
        hand.do(predicted.motors_stop_s + 2, transmitter_on=False)
        run = hand.bench.loss
        self.assertAlmostEqual(run.since(run.responded_t), predicted.responds_s, delta=0.03)
        self.assertAlmostEqual(run.since(run.home_t), predicted.home_s, delta=0.3)
        self.assertEqual(
            [name for name in hand.proven("lost link") if name in ("armed, throttle up", "home, or down")], ["armed, throttle up", "home, or down"]
        )

    def test_the_pilot_has_it_again_once_the_mode_is_off(self):
        hand = Hand(returning_by_preset())
        fly(hand)
        hand.do(0.5, left=UP)
        hand.do(5.0, transmitter_on=False)
        self.assertTrue(hand.bench.board.responding)
        hand.do(3.0, transmitter_on=True)
        self.assertEqual((hand.board.armed, hand.bench.board.responding), (True, False))
        self.assertIn("link back, arm switch on", hand.proven("lost link"))

    def test_what_is_dangerous_on_that_way_is_found_too(self):
        self.assertIn("low-return", found(returning_by_preset(obstacle_height_m=60)))

    def test_it_is_offered_to_who_hides_the_loss(self):
        craft = apply_edits(returning_by_preset(), [Edit(path="/receiver/on_loss", value="hold"), Edit(path="/kit/receiver", value="wisp-900")])
        hidden = shipped().of(Receiver, "wisp-900").model_copy(update={"on_loss": ("hold", "preset"), "id": "own-wisp"})
        craft.kit.receiver = "own-wisp"
        parts = KitParts.of(craft, shipped().with_own([hidden]))
        mends = next(each for each in check_lost_link(craft, parts) if each.code == "lostlink.hidden").mends
        self.assertEqual([mend.text.split(" us, ")[1] for mend in mends], ["which disarms", "which turns return home on"])
        after = apply_edits(craft, list(mends[1].edits))
        self.assertEqual({each.code for each in check_lost_link(after, parts)}, {"lostlink.preset-responds"})

    def test_a_switch_flies_it_home_too_and_ends_that(self):
        craft = returning_by_preset()
        hand = Hand(craft)
        fly(hand)
        hand.do(0.5, left=UP)
        hand.do(3.0, switches={"S3": 2})
        self.assertTrue(hand.bench.board.responding)
        hand.do(1.0, switches={"S3": 0})
        self.assertFalse(hand.bench.board.responding)
        self.assertTrue(hand.board.armed)


def rssi_craft(**settings: Any) -> CraftDocument:
    """A receiver that fills CH8 with RSSI."""
    receiver = shipped().of(Receiver, "sluice-h8")
    craft = planned_craft(receiver)
    craft.settings.arming = Band(channel=5, low=1750, high=2150)
    craft.settings.modes = []
    craft.settings.lost_link.grace_ms = 200
    craft.receiver.on_loss = "no pulses"
    craft.settings.rssi_channel = 8
    for name, value in settings.items():
        setattr(craft.settings, name, value)
    return CraftDocument.model_validate(craft.model_dump())


class RssiTest(unittest.TestCase):
    def test_rssi_on_a_channel_falls_and_that_is_proven(self):
        for falls in (True, False):
            hand = Hand(rssi_craft(rssi_falls=falls))
            hand.passes(1.0)
            self.assertGreater(hand.board.rssi_percent, 60)
            hand.do(3.0, transmitter_on=False)
            self.assertEqual(hand.board.rssi_percent == 0, falls)
            self.assertEqual("RSSI falls to its lowest" in hand.proven("lost link"), falls)

    def test_what_was_at_its_lowest_all_the_time_proves_nothing(self):
        """The board was told of another channel, on which a switch rests at its low end."""
        craft = rssi_craft(rssi_channel=7)
        hand = Hand(craft)
        hand.passes(1.0)
        self.assertLess(hand.board.rssi_percent, 10)
        hand.do(3.0, transmitter_on=False)
        self.assertNotIn("RSSI falls to its lowest", hand.proven("lost link"))

    def test_it_follows_the_distance_and_is_no_switch(self):
        craft = rssi_craft()
        hand = Hand(craft)
        hand.passes(1.0)
        near = hand.board.rssi_percent
        hand.do(3.0, distance_m=hand.bench.link.budget.range_m / 3)
        self.assertLess(hand.board.rssi_percent, near - 20)
        self.assertEqual(hand.bench.live().moving, [], "what moves by itself moves no stick")
        band = ModeBand(mode="beeper", channel=8, low=1700, high=2100)
        craft.settings.modes = [band]
        self.assertNotIn(8, switch_channels(craft, craft.settings))
        self.assertEqual(ability(craft, KitParts.of(craft)).channels, 7)
        self.assertIn("CH8 carries RSSI", ability(craft, KitParts.of(craft)).channels_limit)


class WalkTest(unittest.TestCase):
    def walked(self, *, armed: bool = True, **more: Any) -> Hand:
        hand = Hand(sbus_craft())
        if armed:
            fly(hand)
            hand.do(0.5, left=UP)
        walk_round(hand, **more)
        return hand

    def test_a_range_walk_keeps_the_range_it_stands_for(self):
        hand = self.walked()
        walk = hand.bench.measuring.losses.walk
        self.assertEqual((walk.whole, walk.stands_for_m), (True, round(30 * 10**1.5)))
        self.assertIn("range walk", hand.proven("lost link"))

    def test_nulls_and_body_are_heard_at_their_headings(self):
        hand = Hand(sbus_craft())
        hand.do(0.5, distance_m=30)
        cut = hand.bench.link.margin_db - 17  # so that a null takes it close to what is still understood
        walk = self.walked(power_cut_db=cut).bench.measuring.losses.walk
        self.assertEqual(min(walk.lq[0], walk.lq[1], walk.lq[7]), 100)
        self.assertLess(min(walk.lq[2], walk.lq[6]), 98)
        self.assertEqual([round(aspect_db(heading, 30)) for heading in (0, 90, 180, 270)], [0, 15, 10, 15])
        self.assertEqual(aspect_db(90, 2), 0, "on the bench nothing stands between")

    def test_a_link_that_dies_at_a_heading_is_written_there(self):
        hand = Hand(sbus_craft())
        hand.do(0.5, distance_m=30)
        cut = hand.bench.link.margin_db - 8
        hand.do(0.5, distance_m=2)
        fly(hand)
        hand.do(0.5, left=UP)
        hand.do(3.0, distance_m=30, power_cut_db=cut)
        hand.do(20.0, heading_deg=90)
        walk = hand.bench.measuring.losses.walk
        self.assertEqual((hand.board.armed, walk.lq[2], walk.whole), (False, 0.0, False))

    def test_what_is_weak_disarmed_or_too_near_proves_nothing(self):
        hand = Hand(sbus_craft())
        hand.do(0.5, distance_m=30)
        weak = hand.bench.link.margin_db - 12
        for case in (self.walked(power_cut_db=min(60.0, weak)), self.walked(armed=False), self.walked(distance_m=15), self.walked(power_cut_db=5)):
            self.assertNotIn("range walk", case.proven("lost link"))


class DrivesTest(unittest.TestCase):
    def test_drives_that_turn_both_ways_stand_still_in_the_middle(self):
        coot = apply_edits(
            scenario.coot(),
            [
                Edit(path="/settings/arming", value={"channel": 4, "low": 1750, "high": 2150}),
                Edit(path="/receiver/on_loss", value="preset"),
                Edit(path="/receiver/preset_us", value=[1500, 1500, 1500, 1000]),
            ],
        )
        coot = CraftDocument.model_validate(coot.model_dump())
        coot.wiring = wires_for(coot, KitParts.of(coot), None) or coot.wiring
        hand = Hand(coot)
        hand.do(0.5, left={"x": -1, "y": 0})
        hand.do(0.5, left={"x": 1, "y": 0})
        self.assertEqual((hand.board.armed, hand.board.motors_percent), (True, 0.0))
        hand.do(0.5, left={"x": 1, "y": -0.5})
        self.assertLess(hand.board.motors_percent, -20)
        hand.do(3.0, transmitter_on=False)
        self.assertEqual((hand.board.armed, hand.board.motors_percent), (False, 0.0))

    def test_a_throttle_that_is_never_low_is_no_fault_of_such_a_craft(self):
        """It arms in the middle; for a one-way drive the same stick is a stop."""
        measured = SticksMeasure()
        for t, us in enumerate((1300, 1500, 1700)):
            measured.add(float(t), "throttle", us)
        coot = scenario.coot()
        codes = {}
        for both_ways in (True, False):
            coot.settings.reversing_drives = both_ways
            codes[both_ways] = {each.code for each in check_sticks(coot, KitParts.of(coot), measured)}
        self.assertEqual(codes[False] - codes[True], {"sticks.throttle-not-low"})

    def test_low_throttle_keeps_such_a_craft_from_arming(self):
        coot = apply_edits(scenario.coot(), [Edit(path="/settings/arming", value={"channel": 4, "low": 1750, "high": 2150})])
        hand = Hand(coot)
        hand.do(0.5, left={"x": -1, "y": -1})
        hand.do(0.5, left={"x": 1, "y": -1})
        self.assertFalse(hand.board.armed)
        self.assertTrue(any("the drives stand still at 1500" in each.what for each in hand.board.blockers))


class BoatTest(unittest.TestCase):
    def boat(self, **place: Any) -> CraftDocument:
        return craft_with(
            "boat", response="return home", return_mps=2, at_home="circle", place={"thrust_ratio": 1.2, "speed_mps": 1.5, "height_m": 0, "home_m": 60, **place}
        )

    def test_a_boat_comes_home_by_place_and_heading_or_stays_where_it_is(self):
        craft = self.boat()
        parts = KitParts.of(craft)
        self.assertFalse({"return home", "position hold"} & set(lacking(craft, parts)))
        predicted = predict(craft, parts)
        self.assertEqual(predicted.does, "return home")
        self.assertGreater(predicted.home_s, 60 / 2)
        craft.settings.lost_link.response = "loiter"
        stays = predict(craft, parts)
        self.assertLess(abs(stays.path[-1].distance_m - 60), 5)
        self.assertEqual(in_words("loiter", "boat"), "stays where it is")
        no_compass = craft_with("rover", compass=False, response="return home")
        self.assertIn("lostlink.no-sensor", {each.code for each in check_lost_link(no_compass, KitParts.of(no_compass))})

    def test_what_it_cannot_do_through_the_water_is_said(self):
        craft = self.boat()
        craft.settings.lost_link.return_mps = 10
        found = {each.code: each for each in check_lost_link(craft, KitParts.of(craft))}
        mended = apply_edits(craft, found["lostlink.too-fast"].mends[0].edits)
        self.assertNotIn("lostlink.too-fast", {each.code for each in check_lost_link(mended, KitParts.of(mended))})
        swept = self.boat(wind_mps=5)
        swept.settings.lost_link.return_mps = 10
        self.assertIn("lostlink.never-home", {each.code for each in check_lost_link(swept, KitParts.of(swept))})
