"""Sticks: the model memory, the channel finder, travel, rest, latency, and on which side a wrong way is mended."""

from __future__ import annotations

import json
import random

import numpy as np
from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import ChannelSetup, CraftError, Mix, Rate, TransmitterSetup, apply_edits, load
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import factory_setup, transmitter_setup
from linkcore.devices.model_memory import Memory, in_counts, order_of, output_us
from linkcore.findings import Edit
from linkcore.hops.kit.exchange import exchange
from linkcore.hops.sticks.finder import ChannelFinder, Found, FoundAxis, _gains
from linkcore.hops.sticks.latency import latency
from linkcore.hops.sticks.lines import Noise, RestWatch, propose_deadband
from linkcore.hops.sticks.measure import Reached, SticksMeasure
from linkcore.hops.sticks.memory_file import read_memory, take_memory, write_memory
from linkcore.hops.sticks.memory_rules import check_memory
from linkcore.hops.sticks.mending import check_found
from linkcore.hops.sticks.rules import check_sticks
from linkcore.hops.sticks.travel import NOISE_US, Places, beside_predicted, near_us, plan_travel, predict_dialled, tolerance_us
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import EndsLaw, Transmitter
from linkcore.protocols.registry import receiver_protocol
from tests.crafts import crsf_craft, sbus_craft
from tests.hand import Hand
from tests.kits import every_receiver
from tests.thumbs import advice_repeats, better_dials, dialling_case, session

HARROW, FIELD, HEDGE = (shipped().of(Transmitter, name) for name in ("harrow-16", "field-9", "hedge-8"))


def codes(findings):
    return [finding.code for finding in findings]


def with_memory(**changes):
    craft = crsf_craft()
    return craft.model_copy(update={"transmitter": TransmitterSetup.model_validate(craft.transmitter.model_dump() | changes)})


class MemoryTest(SimpleTestCase):
    def out(self, setup, channel, part=HARROW, switches=None, **sticks):
        return Memory(setup, part).output(channel, lambda source: sticks.get(source, 0.0), switches or {})

    def test_mixes_rates_trims_and_curves_reach_the_output(self):
        plain = with_memory().transmitter
        self.assertEqual(self.out(plain, 1, aileron=1), 2000)
        mixed = with_memory(mixes=[Mix(to=2, source="aileron", percent=20).model_dump()]).transmitter
        self.assertEqual((self.out(mixed, 2, aileron=1), self.out(mixed, 2, aileron=-1)), (1600, 1400))
        rated = with_memory(rates=[Rate(axis="aileron", percent=50, switch="S1", position=1).model_dump()]).transmitter
        self.assertEqual((self.out(rated, 1, aileron=1), self.out(rated, 1, aileron=1, switches={"S1": 1})), (2000, 1750))
        soft = with_memory(rates=[Rate(axis="aileron", expo_percent=50).model_dump()]).transmitter
        self.assertEqual((self.out(soft, 1, aileron=0.5), self.out(soft, 1, aileron=1)), (1500 + 500 * (0.25 + 0.0625), 2000))
        self.assertEqual(self.out(with_memory(trims_us={"aileron": 20}).transmitter, 1), 1525, "20 us at 100 % are 25 us at 125 %")
        craft = with_memory()
        craft.transmitter.channels[0].curve = [-100, -20, 100]
        self.assertEqual((self.out(craft.transmitter, 1), self.out(craft.transmitter, 1, aileron=0.5)), (1400, 1700))

    def test_longer_curves_and_more_mixes_from_before_stay_and_are_noted(self):
        for points, mixes, noted in (
            (17, 30, ["CH1's curve has 17 points; a model memory takes 13.", "There are 30 mixes; a model memory takes 24."]),
            (13, 24, []),
        ):
            craft = with_memory(mixes=[Mix(to=9, source="S1", percent=0.5).model_dump()] * mixes)
            craft.transmitter.channels[0].curve = [-100 + 200 * index / (points - 1) for index in range(points)]
            again = load(craft.model_dump(mode="json"))
            self.assertEqual((len(again.transmitter.channels[0].curve), len(again.transmitter.mixes)), (points, mixes))
            found = [each.what for each in check_memory(again, shipped()["harrow-16"]) if each.code == "sticks.beyond-the-memory"]
            self.assertEqual(found, noted)

    def test_a_layout_mixes_by_itself(self):
        elevons = with_memory(layout="elevons").transmitter
        self.assertEqual((self.out(elevons, 1, elevator=1), self.out(elevons, 2, aileron=1)), (1750, 1250))
        self.assertEqual(self.out(with_memory(layout="helicopter").transmitter, 6, throttle=1), 2000)

    def test_laws_of_ends(self):
        channel = ChannelSetup(source="aileron", sub_trim_us=20, travel_low_percent=80, travel_high_percent=120)
        own = HARROW
        self.assertEqual([output_us(channel, value, own) for value in (-1, 0, 1)], [1200, 1520, 2000])
        fixed = own.model_copy(update={"ends": EndsLaw(sub_trim_moves_ends=False)})
        self.assertEqual([output_us(channel, value, fixed) for value in (-1, 0, 1)], [1180, 1520, 1980])
        straight = own.model_copy(update={"ends": EndsLaw(straight=1)})
        self.assertEqual([output_us(channel, value, straight) for value in (-1, 0, 1)], [1200, 1600, 2000], "the ends shift the centre")
        self.assertEqual(output_us(channel.model_copy(update={"sub_trim_us": 190}), 0, own), 1650, "its sub-trim ends at 150 us")
        self.assertEqual(in_counts(1500.3, own), 1500.5)

    def test_the_clean_memory_check_names_what_spoils_the_link(self):
        clean = crsf_craft()
        self.assertEqual(codes(check_memory(clean, HARROW)), [])
        for changes, code in (
            ({"made_for": "field-9"}, "sticks.other-transmitter"),
            ({"module": "module bay"}, "sticks.no-module"),
            ({"layout": "flaps"}, "sticks.layout"),
            ({"mixes": [{"to": 2, "source": "aileron", "percent": 10}]}, "sticks.mix"),
            ({"trims_us": {"elevator": -12}}, "sticks.trim"),
            ({"rates": [{"axis": "rudder", "percent": 70}]}, "sticks.rate"),
        ):
            craft = apply_edits(with_memory(**changes), [Edit(path="/kit/module", value="")])
            (finding,) = [each for each in check_memory(craft, HARROW) if each.code == code]
            mended = apply_edits(craft, finding.mends[0].edits)
            self.assertNotIn(code, codes(check_memory(mended, HARROW)))
        for path, value, code in (
            ("reverse", True, "sticks.throttle-reversed"),
            ("source", "", "sticks.no-axis"),
            ("source", "S77", "sticks.unknown-source"),
            ("curve", [-100, 10, 100], "sticks.curve"),
            ("sub_trim_us", 2.5, "sticks.cannot-dial"),
            ("travel_low_percent", 101.5, "sticks.cannot-dial"),
        ):
            craft = apply_edits(clean, [Edit(path=f"/transmitter/channels/2/{path}", value=value)])
            self.assertIn(code, codes(check_memory(craft, HARROW)))
        self.assertIn("sticks.too-many-channels", codes(check_memory(clean, FIELD)))

    def test_a_field_9_comes_with_its_throttle_reversed(self):
        craft = with_memory(**factory_setup(FIELD).model_dump())
        self.assertEqual(self.out(craft.transmitter, 3, FIELD, throttle=-1), 1900)
        finding = next(each for each in check_memory(craft, FIELD) if each.code == "sticks.throttle-reversed")
        mended = apply_edits(craft, finding.mends[0].edits)
        self.assertEqual(self.out(mended.transmitter, 3, FIELD, throttle=-1), 1100)
        self.assertEqual(codes(check_memory(mended, FIELD)), [])
        self.assertEqual(self.out(transmitter_setup(FIELD), 3, FIELD, throttle=-1), 1000)

    def test_a_transmitter_that_is_chosen_first_comes_as_out_of_its_box(self):
        dunlin = scenario.dunlin()
        chosen = apply_edits(dunlin, exchange(dunlin, "transmitter", "hedge-8", shipped()).edits)
        self.assertEqual((order_of(chosen.transmitter), chosen.transmitter.made_for), ("TAER", "hedge-8"))
        self.assertEqual({channel.travel_low_percent for channel in chosen.transmitter.channels}, {100})

    def test_a_damaged_memory_is_refused_with_its_place(self):
        data = crsf_craft().model_dump(mode="json")
        for path, value, where in (
            ("curve", [5], "transmitter/channels/0"),
            ("sub_trim_us", 900, "transmitter/channels/0/sub_trim_us"),
        ):
            broken = {
                **data,
                "transmitter": {**data["transmitter"], "channels": [data["transmitter"]["channels"][0] | {path: value}, *data["transmitter"]["channels"][1:]]},
            }
            with self.assertRaisesRegex(CraftError, f"^{where}"):
                load(broken)


class MemoryFileTest(SimpleTestCase):
    def test_a_model_memory_travels_whole(self):
        craft = with_memory(mixes=[Mix(to=2, source="aileron", percent=20).model_dump()], trims_us={"rudder": 4}, slot=3)
        craft.transmitter.channels[1].curve = [-100, 0, 80]
        file = json.loads(json.dumps(write_memory(craft.transmitter, HARROW)))
        self.assertEqual(read_memory(file), craft.transmitter.model_copy(update={"made_for": "harrow-16"}))

    def test_what_a_file_would_change_is_told_before_it_is_taken(self):
        craft = crsf_craft()
        self.assertEqual(take_memory(craft, write_memory(craft.transmitter, HARROW)).edits, [])
        other = write_memory(factory_setup(HEDGE), HEDGE)
        change = take_memory(craft, other)
        self.assertIn("Order TAER instead of AETR.", change.says)
        self.assertIn("CH1: another source, low travel, high travel.", change.says)
        taken = apply_edits(craft, change.edits)
        self.assertIn("sticks.other-transmitter", codes(check_memory(taken, HARROW)))

    def test_a_file_that_is_none_is_refused_with_its_place(self):
        good = write_memory(crsf_craft().transmitter, HARROW)
        for data, said in (
            ([], "this is no model memory"),
            (good | {"format": "coin-bell/craft"}, "this is no model memory"),
            (good | {"version": 2}, "version: this Coin Bell reads version 1"),
            (good | {"memory": good["memory"] | {"stick_mode": 7}}, "memory/stick_mode"),
            (good | {"memory": good["memory"] | {"channels": good["memory"]["channels"][:2]}}, "memory/channels"),
            (good | {"memory": good["memory"] | {"colour": "red"}}, "memory/colour"),
        ):
            with self.assertRaisesRegex(CraftError, f"^{said}"):
                read_memory(data)


class FinderTest(SimpleTestCase):
    def find(self, made, *, seen):
        finder = ChannelFinder(made.mode)
        for t, channels, thumbs in made.samples:
            finder.take(t, channels, thumbs if seen else None)
        return finder.found

    def test_seeded_sessions_with_thumbs_seen_and_by_the_signal_alone(self):
        for seed in range(30):
            made = session(seed)
            for seen in (True, False):
                found = self.find(made, seen=seen)
                with self.subTest(seed=seed, seen=seen):
                    self.assertEqual(found.order, made.order)
                    self.assertEqual({axis for axis, each in found.axes.items() if each.direction < 0}, made.reversed)
                    if seen:
                        mixed = {axis: [other.channel for other in each.coupled] for axis, each in found.axes.items() if each.coupled}
                        self.assertEqual(mixed, {made.mix[0]: [made.channel(made.mix[1])]} if made.mix else {})

    def play(self, moves, *, gap_at=None):
        """Samples of four channels at rest, then each (channel, values) in turn; without thumbs."""
        finder, t = ChannelFinder(), 0.0
        values = [1500.0, 1500.0, 1000.0, 1500.0]

        def hold(seconds):
            nonlocal t
            for _ in range(round(seconds / 0.02)):
                t += 0.02
                finder.take(t, values)

        hold(1.5)
        for channel, course in moves:
            for us in course:
                values[channel - 1] = us
                hold(0.2)
                if gap_at == us:
                    t += 0.5
            hold(3)
        return finder.found

    def test_lost_frames_in_a_move_are_told_and_the_move_does_not_count(self):
        found = self.play([(1, (1900, 1500))], gap_at=1900)
        self.assertEqual((found.axes, found.trouble), ({}, True))
        self.assertIn("Frames were lost while you moved", found.says)

    def test_a_wrong_count_is_told(self):
        found = self.play([(1, (1900, 1500) * 4)])
        self.assertIn("CH1 was pushed 4 times", found.says)

    def test_the_way_back_of_the_throttle_does_not_turn_it_round(self):
        found = self.play([(3, (1500, 2000)), (3, (1500, 1000))])
        self.assertEqual((found.axes["throttle"].channel, found.axes["throttle"].direction), (3, 1))

    def test_two_axes_never_share_a_channel(self):
        found = self.play([(1, (1900, 1500)), (1, (1900, 1500, 1900, 1500))])
        self.assertEqual(list(found.axes), ["elevator"])
        self.assertIn("That was taken for roll before", found.says)

    def test_a_touch_counts_for_nothing(self):
        self.assertEqual(self.play([(1, (1600, 1500))]), Found())

    def test_mendings_stand_on_their_right_side(self):
        craft = crsf_craft()
        found = Found(
            axes={
                axis: FoundAxis(channel=channel, direction=1, span_us=1000)
                for axis, channel in (("throttle", 1), ("aileron", 2), ("elevator", 3), ("rudder", 4))
            }
        )
        settings = craft.settings.model_copy(update={"channel_map": "AETR"})
        self.assertEqual(found.order, "TAER")
        found.axes["aileron"].direction = -1
        (finding,) = check_found(craft, settings, found)
        self.assertEqual((finding.code, finding.mends[0].edits[0].path), ("sticks.reversed", "/transmitter/channels/1/reverse"))
        far = Found(axes={"rudder": FoundAxis(channel=7, direction=1, span_us=1000)})
        self.assertEqual(codes(check_found(craft, settings, far)), ["sticks.not-on-a-stick-channel"])


class TravelTest(SimpleTestCase):
    def test_what_was_worked_out_comes_out_after_dialling(self):
        for seed in range(400):
            part, channel, stick = dialling_case(seed)
            low, centre, high = (in_counts(output_us(channel, value, part), part) for value in stick)
            plan = plan_travel(1, channel, part, Places(low=low, centre=centre, high=high))
            dialled = channel.model_copy(update=plan.dial.model_dump())
            for us, wanted in zip((in_counts(output_us(dialled, value, part), part) for value in stick), (1000, 1500, 2000), strict=True):
                if not plan.unreachable:
                    self.assertLessEqual(abs(us - wanted), tolerance_us(part) + part.count_us, f"seed {seed}")
            for name in ("travel_low_percent", "travel_high_percent"):
                steps = getattr(plan.dial, name) / part.ends.travel_step_percent
                self.assertAlmostEqual(steps, round(steps), msg=f"seed {seed}: {name} is on the dial")
                self.assertLessEqual(getattr(plan.dial, name), part.max_travel_percent)

    def test_what_cannot_be_reached_is_said_with_the_best_that_can(self):
        channel = ChannelSetup(source="throttle", travel_low_percent=100, travel_high_percent=100)
        plan = plan_travel(3, channel, HEDGE, Places(low=1500 - 0.7 * 400, centre=None, high=1900))
        self.assertEqual((plan.dial.travel_low_percent, plan.dial.travel_high_percent), (150, 125))
        self.assertEqual(plan.unreachable, ["the low end comes to 1080 us and not to 1000: low travel is at its limit of 150 %"])
        self.assertIsNone(plan.predicted.centre)

    def test_an_end_out_of_reach_does_not_drag_the_centre_off(self):
        part = HARROW.model_copy(update={"ends": EndsLaw(sub_trim_moves_ends=True)})
        channel = ChannelSetup(source="aileron", travel_low_percent=150, travel_high_percent=150)
        plan = plan_travel(1, channel, part, Places(low=1080, centre=1490, high=2020))
        self.assertLessEqual(abs(plan.predicted.centre - 1500), 1)
        self.assertLessEqual(abs(plan.predicted.high - 2000), 2)
        self.assertEqual(len(plan.unreachable), 1)
        self.assertIn("low travel is at its limit", plan.unreachable[0])

    def test_where_one_straight_line_joins_the_ends_the_centre_is_paid_for_with_the_ends(self):
        part = HARROW.model_copy(update={"ends": EndsLaw(straight=1)})
        channel = ChannelSetup(source="aileron")
        low, centre, high = (in_counts(output_us(channel, value, part), part) for value in (-1, 0.03, 1))
        plan = plan_travel(1, channel, part, Places(low=low, centre=centre, high=high))
        self.assertEqual(centre, 1515)
        self.assertLessEqual(abs(plan.predicted.centre - 1500), 1)
        self.assertEqual([text.split(" comes")[0] for text in plan.unreachable], ["the low end", "the high end"])
        self.assertAlmostEqual(abs(plan.predicted.low - 1000), abs(plan.predicted.high - 2000), delta=3, msg="shared between both")

    def test_no_dial_nearby_would_do_better_at_a_limit_or_anywhere(self):
        for seed in range(40):
            self.assertEqual(better_dials(seed), None, f"seed {seed}")

    def test_advice_that_was_followed_is_not_given_again(self):
        self.assertEqual([seed for seed in range(400) if advice_repeats(seed)], [])

    def test_whatever_is_dialled_is_predicted_by_the_law(self):
        for seed in range(100):
            part, before, stick = dialling_case(seed)
            after = before.model_copy(update={"sub_trim_us": 12, "travel_low_percent": 104, "travel_high_percent": 99})
            low, centre, high = (in_counts(output_us(before, value, part), part) for value in stick)
            predicted = predict_dialled(before, after, part, Places(low=low, centre=centre, high=high))
            came = Places(**dict(zip(("low", "centre", "high"), (in_counts(output_us(after, value, part), part) for value in stick), strict=True)))
            self.assertEqual(beside_predicted(predicted, came, part), "as predicted", f"seed {seed}")
            self.assertIsNone(predict_dialled(before, after.model_copy(update={"reverse": True}), part, came))

    def test_what_came_is_set_beside_what_was_predicted(self):
        predicted = Places(low=1000, centre=1500, high=2000)
        self.assertEqual(beside_predicted(predicted, Places(low=1002, centre=1499, high=2001), HARROW), "as predicted")
        self.assertEqual(beside_predicted(predicted, Places(low=1000, centre=1493, high=2000), HARROW), "7 us off what was predicted")
        self.assertEqual(
            beside_predicted(Places(low=1000, centre=None, high=2000), Places(low=1000, centre=None, high=1960), HARROW), "40 us off what was predicted"
        )

    def test_a_reading_that_flickers_about_its_target_asks_for_nothing(self):
        channel = ChannelSetup(source="aileron")
        near = near_us(HARROW) + NOISE_US
        for off in (near, -near):
            self.assertEqual(plan_travel(1, channel, HARROW, Places(low=1000 + off, centre=1500 - off, high=2000 + off)).edits, [])
        self.assertNotEqual(plan_travel(1, channel, HARROW, Places(low=1000 + 2 * near, centre=1500, high=2000)).edits, [])

    def test_a_move_of_a_few_samples_is_no_error(self):
        thumbs, values = np.array([[0.0, 0.0, 0.0, 0.0], [0.0, 0.0, 1.0, 0.0]]), np.array([[0.0, 0.0], [500.0, 0.0]])
        self.assertAlmostEqual(_gains(thumbs, values)[2][0], 500.0)

    def test_what_is_right_is_left_alone(self):
        channel = ChannelSetup(source="aileron")
        plan = plan_travel(1, channel, HARROW, Places(low=1000.3, centre=1499.8, high=2000.4))
        self.assertEqual(plan.edits, [])


class RestTest(SimpleTestCase):
    def test_noise_is_taken_over_five_seconds_of_rest(self):
        watch, rng = RestWatch(), random.Random(3)
        values = [1500 + rng.uniform(-2, 2) for _ in range(251)]
        for index, us in enumerate(values[:-1]):
            watch.take(index * 0.02, us)
        self.assertIsNone(watch.noise)
        watch.take(5.0, values[-1])
        self.assertAlmostEqual(watch.noise.peak_us, max(values) - min(values), places=2)
        mean = sum(values) / len(values)
        self.assertAlmostEqual(watch.noise.deviation_us, (sum((us - mean) ** 2 for us in values) / len(values)) ** 0.5, places=2)
        watch = RestWatch()
        for index in range(600):
            watch.take(index * 0.02, 1500 + (100 if index % 200 == 0 else 0))
        self.assertIsNone(watch.noise, "it was moved every four seconds")

    def test_stretches_come_to_the_same_as_one_value_after_the_other(self):
        rng = random.Random(11)
        values = [(index * 0.004, 1500 + rng.gauss(0, 1.5) + (200 if 700 < index < 760 else 0)) for index in range(3000)]
        one, many = RestWatch(), RestWatch()
        seen = {"one": [], "many": []}
        at = 0
        while at < len(values):
            stretch = values[at : at + rng.randint(1, 20)]
            at += len(stretch)
            for t, us in stretch:
                one.take(t, us)
            many.take_all(*zip(*stretch, strict=True))
            for name, watch in (("one", one), ("many", many)):
                if watch.noise is not None and (not seen[name] or seen[name][-1] is not watch.noise):
                    seen[name].append(watch.noise)
        self.assertEqual(len(seen["one"]), 1, "one move in the middle, and five seconds after it")
        self.assertEqual(seen["one"], seen["many"])

    def test_the_deadband_follows_and_never_falls_below_a_step_of_the_protocol(self):
        noise = {axis: Noise(peak_us=peak, deviation_us=1, samples=1) for axis, peak in (("roll", 2.5), ("pitch", 5.0), ("yaw", 9.0))}
        proposal = propose_deadband(noise, 0.625)
        self.assertEqual((proposal.deadband.sticks_us, proposal.deadband.yaw_us), (4, 6))
        still = propose_deadband({axis: Noise(peak_us=0, deviation_us=0, samples=1) for axis in noise}, 1.2)
        self.assertEqual(still.deadband.sticks_us, 2)
        self.assertIsNone(propose_deadband({"roll": noise["roll"]}, 1))


class ReachTest(SimpleTestCase):
    def test_a_throttle_that_is_never_low_stops_and_its_mend_dials_it(self):
        craft = crsf_craft()
        measured = SticksMeasure()
        for axis, low, high in (("throttle", 1161, 1990), ("roll", 1150, 1990), ("pitch", 1000, 2000)):
            measured.reached[axis] = Reached(low=low, high=high, centre=1500, held_low=low, held_high=high)
        found = {each.code: each for each in check_sticks(craft, KitParts.of(craft), measured)}
        self.assertEqual({code: each.where for code, each in found.items()}, {"sticks.throttle-not-low": "throttle", "sticks.short": "roll"})
        self.assertEqual(found["sticks.throttle-not-low"].severity, "stop")
        mended = apply_edits(craft, found["sticks.throttle-not-low"].mends[0].edits)
        self.assertEqual(mended.transmitter.channels[2].travel_low_percent, 150, "1161 us at 125 % ask for more than its limit")


class LatencyTest(SimpleTestCase):
    def test_hop_by_hop_for_sbus(self):
        craft = sbus_craft()
        parts = {part.name: part for part in latency(craft, KitParts.of(craft)).parts}
        self.assertEqual(list(parts), ["transmitter", "air", "receiver", "wire", "board"])
        self.assertEqual((parts["transmitter"].typical_ms, parts["transmitter"].worst_ms), (3.5, 7.0))
        self.assertEqual(parts["wire"].worst_ms, 3.0, "25 bytes of 12 bits at 100,000 baud")
        self.assertLess(parts["air"].typical_ms, parts["air"].worst_ms)

    def test_what_is_reckoned_is_what_the_bench_takes(self):
        """Every receiver that ships: the middle of twelve movements at any moment within a frame of what is typical, the longest within a frame of the worst."""
        for name, craft in every_receiver():
            with self.subTest(name):
                hand, rng = Hand(craft), random.Random(7)
                hand.passes(2.0)
                reckoned, period_ms = latency(craft, KitParts.of(craft)), 1e3 * hand.bench.link.period_s
                for turn in range(12):
                    hand.passes(0.4 + rng.random() * 0.1)
                    hand.bench.run_until(hand.bench.t + rng.random() * 0.03)
                    hand.to = hand.bench.t
                    hand.do(0.0, right={"x": (-1) ** turn * 0.8, "y": 0})
                hand.passes(0.5)
                seen = hand.bench.measuring.latency.seen
                self.assertGreater(seen.count, 9)
                self.assertLess(
                    abs(seen.typical_ms - reckoned.typical_ms),
                    max(period_ms, 1e3 * receiver_protocol(craft.settings.receiver_input.protocol).period_s[1]),
                    (seen, reckoned.typical_ms),
                )
                self.assertLess(seen.worst_ms, reckoned.worst_ms + 1, (seen, reckoned.worst_ms))

    def test_strokes_in_many_steps_are_timed_and_a_way_back_is_not(self):
        """A mouse or keys move a stick in small steps 25 ms apart: the same few milliseconds come of it as of one jump."""
        craft = scenario.curlew()
        hand, reckoned = Hand(craft), latency(craft, KitParts.of(craft))
        hand.passes(2.0)
        seen = lambda: hand.bench.measuring.latency.seen  # noqa: E731 - read anew each time
        for stroke in range(12):
            hand.passes(0.4)
            for step in range(1, 9):  # of 25 us each
                hand.do(0.025, right={"x": (-1) ** stroke * step * 0.05, "y": 0})
            hand.do(0.4, right={"x": 0, "y": 0})
        self.assertGreater(seen().count, 20)
        self.assertLess(abs(seen().typical_ms - reckoned.typical_ms), 1e3 * hand.bench.link.period_s, (seen(), reckoned.typical_ms))
        self.assertLess(seen().worst_ms, reckoned.worst_ms + 1, (seen(), reckoned.worst_ms))
        count = seen().count
        hand.do(0.0, right={"x": 0.5, "y": 0})
        hand.do(0.4, right={"x": 0, "y": 0})  # there and back within one moment
        self.assertEqual(seen().count, count)
        for _ in range(8):
            hand.do(0.025, right={"x": 0.01, "y": 0})
            hand.do(0.025, right={"x": 0, "y": 0})  # a thumb that trembles
        self.assertEqual(seen().count, count)

    def test_every_whole_kit_has_one(self):
        for make in (scenario.curlew, scenario.avocet, scenario.sandpiper, scenario.coot):
            craft = make()
            found = latency(craft, KitParts.of(craft))
            self.assertLess(found.typical_ms, found.worst_ms)
        dunlin = scenario.dunlin()
        self.assertIsNone(latency(dunlin, KitParts.of(dunlin)))
