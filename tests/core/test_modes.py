"""Switchboard: suggested bands, the truth table, what excludes what, arming, and the walk of fewest flips."""

from __future__ import annotations

import random
from dataclasses import replace
from itertools import combinations, permutations, product

from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import Band, BoardSettings, ChannelSetup, CraftError, ModeBand, StickArming, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices.arming import SETTLED_S, Arming, ArmView, blockers
from linkcore.devices.modes import MODES, exclude_each_other, holds, lacking
from linkcore.findings import Edit
from linkcore.hops.registry import HOPS
from linkcore.hops.switchboard.detents import Detent, SwitchMeasure, expected_detents
from linkcore.hops.switchboard.rules import check_switches
from linkcore.hops.switchboard.suggest import suggest_all, suggest_bands
from linkcore.hops.switchboard.truth import truth_table
from linkcore.hops.switchboard.walk import flips_of, shortest_walk
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Receiver, Switch, Transmitter
from tests.bands import SCALE, best_by_trying_all, case
from tests.crafts import sbus_craft

HARROW = shipped().of(Transmitter, "harrow-16")


def codes(findings):
    return [finding.code for finding in findings]


def with_modes(*bands, **settings):
    craft = sbus_craft()
    craft.settings = craft.settings.model_copy(
        update={"modes": [ModeBand(mode=mode, channel=channel, low=low, high=high) for mode, channel, low, high in bands], **settings}
    )
    return craft


def measured(**detents):
    found = SwitchMeasure()
    for channel, values in detents.items():
        found.detents[int(channel.removeprefix("ch"))] = [Detent(low=us - 1, high=us + 1) for us in values]
    return found


class SuggestTest(SimpleTestCase):
    def test_as_clear_as_the_best_of_all_bands_on_the_grid(self):
        for seed in range(24):
            detents, wanted = case(seed)
            with self.subTest(seed=seed):
                found = suggest_bands(detents, wanted, SCALE)
                self.assertEqual({(band.low % 10, band.high % 10) for band in found}, {(0, 0)})
                self.assertAlmostEqual(min(band.clear for band in found), best_by_trying_all(detents, wanted), delta=0.051)
                for one, other in combinations(found, 2):
                    if exclude_each_other(one.name, other.name):
                        self.assertTrue(one.high <= other.low or other.high <= one.low, "exclusive modes lie apart")

    def test_bands_that_touch_share_nothing(self):
        craft = with_modes(("angle", 6, 850, 1250), ("horizon", 6, 1250, 1750))
        self.assertEqual([each for each in check_switches(craft, KitParts.of(craft), SwitchMeasure()) if each.severity == "stop"], [])
        self.assertEqual([holds(craft.settings, {6: us}).text for us in (1249.9, 1250, 1749.9, 1750)], ["angle", "horizon", "horizon", "acro"])

    def test_neighbours_become_one_band_and_islands_two(self):
        detents = [Detent(low=us, high=us) for us in (1000, 1500, 2000)]
        self.assertEqual([(band.low, band.high) for band in suggest_bands(detents, {"angle": {0, 1}})], [(850, 1750)])
        self.assertEqual([(band.low, band.high) for band in suggest_bands(detents, {"angle": {0, 2}})], [(850, 1250), (1750, 2150)])

    def test_what_cannot_be_is_refused(self):
        detents = [Detent(low=us - 8, high=us + 8) for us in (1500, 1512)]
        with self.assertRaisesRegex(ValueError, "run into each other.*more travel"):
            suggest_bands(detents, {"angle": {0}, "horizon": {1}})
        with self.assertRaisesRegex(ValueError, "exclude each other"):
            suggest_bands([Detent(low=1000, high=1000)], {"angle": {0}, "horizon": {0}})

    def test_every_band_of_a_craft_stays_at_its_detents(self):
        craft = with_modes(("angle", 6, 980, 1030), ("horizon", 6, 1530, 1780))
        suggestion = suggest_all(craft, craft.settings, HARROW, measured(ch5=(1000, 2000), ch6=(1000, 1500, 2000)))
        mended = apply_edits(craft, suggestion.edits)
        self.assertEqual([(band.low, band.high) for band in mended.settings.modes], [(850, 1250), (1250, 1750)])
        self.assertEqual((mended.settings.arming.low, mended.settings.arming.high), (1500, 2150))
        self.assertEqual(suggestion.clear_now, 19)
        self.assertEqual(suggestion.clear, 149)
        self.assertEqual(suggest_all(mended, mended.settings, HARROW, measured(ch5=(1000, 2000), ch6=(1000, 1500, 2000))).edits, [])


class HoldsTest(SimpleTestCase):
    def test_of_two_that_exclude_each_other_one_holds_and_the_other_is_named(self):
        craft = with_modes(("angle", 6, 900, 2100), ("horizon", 7, 900, 1200), ("beeper", 7, 900, 1200))
        held = holds(craft.settings, {6: 1500, 7: 1000})
        self.assertEqual((held.text, held.beaten, held.main), ("angle, beeper", (("horizon", "angle"),), "angle"))

    def test_a_mode_that_the_craft_cannot_do_does_not_hold(self):
        craft = with_modes(("altitude hold", 6, 900, 2100))
        held = holds(craft.settings, {6: 1500}, {"altitude hold": "it needs barometer"})
        self.assertEqual((held.text, held.lacking), ("acro", ("altitude hold",)))

    def test_return_home_wins_over_manual_and_every_other_keeps_its_place(self):
        craft = with_modes(("manual", 6, 900, 2100), ("return home", 7, 1700, 2100), ("angle", 8, 1700, 2100))
        asked = {6: 1500, 7: 2000, 8: 1000}
        held = holds(craft.settings, asked)
        self.assertEqual((held.modes, held.beaten, held.main), (("return home",), (("manual", "return home"),), "return home"))
        self.assertEqual(holds(craft.settings, asked | {7: 1000}).main, "manual")
        both = holds(craft.settings, asked | {6: 800, 8: 2000})
        self.assertEqual((both.modes, both.main), (("angle", "return home"), "angle"))
        self.assertEqual(holds(craft.settings, asked, {"return home": "it waits for a GPS fix"}).main, "manual", "what cannot be done wins over nothing")

    def test_return_home_asks_for_a_height(self):
        plane = scenario.sandpiper()
        self.assertNotIn("return home", lacking(plane, KitParts.of(plane)))
        parts = KitParts.of(plane)
        flat = replace(parts, maybe_board=parts.board.model_copy(update={"sensors": ("gyro", "accelerometer")}))
        self.assertEqual(lacking(plane, flat)["return home"], "it needs a barometer, which this craft does not have")

    def test_the_catalogue_says_what_each_needs(self):
        curlew, sandpiper, coot = scenario.curlew(), scenario.sandpiper(), scenario.coot()
        quad, plane, boat = (lacking(craft, KitParts.of(craft)) for craft in (curlew, sandpiper, coot))
        self.assertIn("manual", quad)
        self.assertNotIn("manual", plane)
        self.assertIn("position hold", plane)
        self.assertIn("it is not for a boat", boat["angle"])
        self.assertEqual({facts.name for facts in MODES if facts.needs_fix}, {"return home", "position hold", "loiter"})
        self.assertTrue(exclude_each_other("manual", "loiter") and exclude_each_other("loiter", "manual"))
        self.assertFalse(exclude_each_other("angle", "altitude hold"))


class TableTest(SimpleTestCase):
    def table(self, craft, found, **more):
        return truth_table(craft, craft.settings, HARROW, found, **more)

    def test_rows_that_surprise_say_why(self):
        craft = with_modes(("angle", 6, 850, 1250), ("guard", 7, 1700, 2100))
        found = measured(ch5=(1000, 2000), ch6=(1000, 1500, 2000), ch7=(1000, 1500, 2000))
        rows = {tuple(row.places): row for row in self.table(craft, found).rows}
        self.assertEqual(len(rows), 18)
        self.assertIn("flies acro and does not level itself", rows["high", "mid", "high"].surprise)
        self.assertIn("the guard is off", rows["high", "low", "low"].surprise)
        self.assertEqual((rows["high", "low", "low"].arm, rows["high", "low", "high"].arm), (False, True))
        self.assertEqual(rows["high", "low", "high"].surprise, "")
        wanted = craft.model_copy(update={"acro_wanted": True})
        self.assertEqual({tuple(row.places): row for row in self.table(wanted, found).rows}["high", "mid", "high"].surprise, "")

    def test_six_switches_of_three_positions_make_729_rows(self):
        part = HARROW.model_copy(update={"switches": tuple(Switch(name=f"S{index}", positions=3) for index in range(1, 7))})
        craft = with_modes(*((mode, 6 + index, 1700, 2100) for index, mode in enumerate(("angle", "horizon", "beeper", "onboard log", "guard"))))
        found = measured(**{f"ch{channel}": (1000, 1500, 2000) for channel in range(5, 11)})
        table = truth_table(craft, craft.settings, part, found)
        self.assertEqual((len(table.rows), len(table.next_rows), table.flips_left), (729, 729, 728))
        craft.transmitter.channels.append(ChannelSetup(source="S6"))
        craft.settings.modes.append(ModeBand(mode="lost-link test", channel=11, low=1700, high=2100))
        self.assertEqual(truth_table(craft, craft.settings, part, found).too_many, 7)

    def test_one_mode_in_all_three_positions_is_no_fault(self):
        craft = with_modes(("angle", 6, 850, 2150))
        found = measured(ch5=(1000, 2000), ch6=(1000, 1500, 2000))
        self.assertEqual({row.mode for row in self.table(craft, found).rows}, {"angle"})
        self.assertEqual([each for each in check_switches(craft, KitParts.of(craft), found) if each.severity != "note"], [])


class WalkTest(SimpleTestCase):
    def test_up_to_eight_rows_the_walk_is_the_shortest_there_is(self):
        for seed in range(12):
            rng = random.Random(seed)
            rows = list(product(range(2), range(3), range(2)))
            missing, at = rng.sample(rows, rng.randint(1, 6)), rng.choice(rows)
            walk = shortest_walk(missing, at)
            self.assertEqual(sorted(walk), sorted(missing))
            self.assertEqual(flips_of(walk, at), min(flips_of(order, at) for order in permutations(missing)), f"seed {seed}")

    def test_a_whole_table_takes_one_flip_a_row(self):
        rows = list(product(range(2), range(3), range(3), range(2)))
        self.assertEqual(flips_of(shortest_walk(rows, rows[0]), rows[0]), len(rows) - 1)


class RulesTest(SimpleTestCase):
    def check(self, craft, found=None):
        return check_switches(craft, KitParts.of(craft), found or SwitchMeasure())

    def test_a_band_beside_its_detent_is_caught_before_and_after_it_was_measured(self):
        craft = with_modes(("horizon", 6, 1530, 1780))
        (before,) = [each for each in self.check(craft) if each.code == "switchboard.band-misses"]
        self.assertIn("by 30 us, by what the model memory lets expect", before.what)
        (after,) = [each for each in self.check(craft, measured(ch5=(1000, 2000), ch6=(1001, 1498, 2000))) if each.code == "switchboard.band-misses"]
        self.assertIn("by 32 us.", after.what)
        mended = apply_edits(craft, after.mends[0].edits)
        self.assertNotIn("switchboard.band-misses", codes(self.check(mended)))

    def test_a_switch_with_little_travel_is_a_finding_on_sticks(self):
        craft = with_modes(("angle", 6, 850, 1250))
        for name in ("travel_low_percent", "travel_high_percent"):
            setattr(craft.transmitter.channels[5], name, 50)
        (finding,) = [each for each in self.check(craft) if each.hop == "sticks"]
        self.assertIn("S2 will move CH6 only from 1300 to 1700 us", finding.what)
        self.assertEqual([each for each in self.check(apply_edits(craft, finding.mends[0].edits)) if each.hop == "sticks"], [])

    def test_acro_by_default_is_said_until_it_is_wanted(self):
        craft = with_modes(("angle", 6, 850, 1250))
        found = measured(ch5=(1000, 2000), ch6=(1000, 1500, 2000))
        (note,) = [each for each in self.check(craft, found) if each.code == "switchboard.acro"]
        self.assertIn("2 of 3 armed combinations", note.what)
        self.assertEqual(codes(self.check(apply_edits(craft, note.mends[0].edits), found)), [])

    def test_other_faults(self):
        for craft, code in (
            (with_modes(("position hold", 6, 850, 1250)), "switchboard.cannot"),
            (with_modes(("guard", 5, 1700, 2100)), "switchboard.guard-on-arm"),
            (with_modes(arm_by="stick", stick_arming=StickArming(timeout_s=0)), "switchboard.no-timeout"),
            (with_modes(("angle", 11, 1700, 2100)), "switchboard.no-source"),
        ):
            craft.transmitter.channels[9].source = ""
            if code == "switchboard.no-source":
                craft.settings.modes[0].channel = 10
            self.assertIn(code, codes(self.check(craft)))

    def test_a_band_that_ends_before_it_starts_or_lies_off_the_scale_is_refused(self):
        craft = with_modes(("angle", 6, 850, 1250))
        for path, value, said in (("low", 1400, "is empty"), ("high", 2600, "less than or equal to 2200")):
            with self.assertRaisesRegex(CraftError, said):
                apply_edits(craft, [Edit(path=f"/settings/modes/0/{path}", value=value)])

    def test_expected_detents_are_where_the_switch_will_rest(self):
        craft = with_modes(("angle", 6, 850, 1250))
        craft.transmitter.channels[5].travel_high_percent = 100
        self.assertEqual([detent.value for detent in expected_detents(craft, HARROW, 6)], [1000, 1500, 1900])
        craft.transmitter.channels[5].reverse = True
        self.assertEqual([detent.value for detent in expected_detents(craft, HARROW, 6)], [1000, 1500, 1900], "lowest first, whichever way round")


class ArmingTest(SimpleTestCase):
    SETTINGS = BoardSettings(ports={}, arming=Band(channel=5, low=1700, high=2100))

    def test_every_blocker_says_what_clears_it(self):
        clear = ArmView()
        self.assertEqual(blockers(clear, self.SETTINGS), [])
        for change, what in (
            ({"throttle_us": 1200.0}, "throttle not low"),
            ({"tilt_deg": -40.0}, "tilt (40 degrees"),
            ({"usb": True}, "bench link"),
            ({"missing_sensors": ("gyro",)}, "sensors: no gyro"),
            ({"up_s": 0.2}, "finding its zero"),
            ({"back_s": 0.3}, "link lost just before"),
            ({"guard_on": False}, "guard switch off"),
            ({"switch_stuck": True}, "arm switch already on"),
            ({"link_good": False}, "no signal"),
            ({"link_good": False, "lost": True}, "link lost"),
            ({"link_good": False, "lost": True, "testing_loss": True}, "lost-link test is on"),
            ({"powered": False}, "no power"),
        ):
            (blocker,) = blockers(clear._replace(**change), self.SETTINGS)
            self.assertIn(what, blocker.what)
            self.assertTrue(blocker.clears)
        self.assertEqual(blockers(clear, self.SETTINGS.model_copy(update={"arming": None}))[0].what, "no mode band for arming")

    def test_blockers_come_in_the_order_of_the_chain_and_lead_to_their_hop(self):
        all_of_it = ArmView(throttle_us=1200.0, tilt_deg=40.0, usb=True, missing_sensors=("gyro",), back_s=0.3, guard_on=False, switch_stuck=True)
        hops = [blocker.hop for blocker in blockers(all_of_it, self.SETTINGS)]
        self.assertEqual(hops, ["kit", "loom", "line", "sticks", "switchboard", "switchboard", None])
        order = [hop.key for hop in HOPS]
        self.assertEqual([hop for hop in hops if hop], sorted((hop for hop in hops if hop), key=order.index))

    def test_a_link_must_hold_twice_as_long_as_the_slowest_receiver_takes_to_notice_its_loss(self):
        self.assertGreaterEqual(SETTLED_S, 2 * max(receiver.lost_after_s for receiver in shipped().all_of(Receiver)))

    def test_how_level_a_craft_must_lie_is_the_boards(self):
        leaning = ArmView(tilt_deg=25.0)
        self.assertEqual([each.what for each in blockers(leaning, self.SETTINGS)], ["tilt (25 degrees, 18 at most)"])
        self.assertEqual(blockers(leaning._replace(level_within_deg=30.0), self.SETTINGS), [])

    def run_switch(self, arming, course, view=ArmView()):  # noqa: B008 - frozen
        said = [arming.step(0.1 * index, view._replace(switch_on=on), self.SETTINGS) for index, on in enumerate(course)]
        return [each and each[1] for each in said]

    def test_a_switch_arms_by_being_flipped_on_never_by_being_on(self):
        arming = Arming()
        self.assertEqual(self.run_switch(arming, [True, True, False, True, True, False]), [None, None, None, "armed", None, "disarmed by switch"])
        self.assertFalse(arming.armed)
        arming = Arming()
        self.run_switch(arming, [False, True], ArmView(throttle_us=1500))
        self.assertTrue(arming.stuck)

    def test_a_guard_must_be_on_first_and_may_go_off_later(self):
        arming = Arming()
        self.assertIn("guard switch off", self.run_switch(arming, [False, True], ArmView(guard_on=False))[1])
        self.assertEqual(self.run_switch(arming, [False, True], ArmView(guard_on=True)), [None, "armed"])
        self.run_switch(arming, [True], ArmView(guard_on=False))
        self.assertTrue(arming.armed)

    def stick(self, arming, settings, t, yaw, seconds, throttle=1000.0):
        said = []
        for _ in range(round(seconds / 0.05)):
            t += 0.05
            said.append(arming.step(t, ArmView(yaw_us=yaw, throttle_us=throttle), settings))
        return t, [each[1] for each in said if each]

    def test_by_stick_it_is_held_and_times_out(self):
        settings = BoardSettings(ports={}, arm_by="stick", stick_arming=StickArming(hold_ms=500, timeout_s=3))
        arming = Arming()
        t, said = self.stick(arming, settings, 0.0, 2000, 0.4)
        self.assertEqual(said, [])
        t, said = self.stick(arming, settings, t, 1500, 0.2)
        t, said = self.stick(arming, settings, t, 2000, 2.0)
        self.assertEqual(said, ["armed"])
        t, said = self.stick(arming, settings, t, 1500, 5.0, throttle=1300)
        self.assertEqual((said, arming.armed), ([], True), "with throttle up it flies on")
        t, said = self.stick(arming, settings, t, 1500, 3.2)
        self.assertEqual(said, ["disarmed: throttle low for 3 s"])
        t, said = self.stick(arming, settings, t, 2000, 1.0)
        t, said = self.stick(arming, settings, t, 1000, 1.0)
        self.assertEqual((said, arming.armed), (["disarmed by stick"], False))
