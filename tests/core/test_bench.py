from __future__ import annotations

from django.test import SimpleTestCase

from linkcore.bench.bench import REST_SLICE_S, SLICE_S, Bench
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.devices.board_api import Refused
from linkcore.findings import Edit
from tests.crafts import crsf_craft, sbus_craft, with_escs
from tests.hand import Hand, fly, prove_the_rest
from tests.kits import every_receiver


class SignalTest(SimpleTestCase):
    def test_a_stick_movement_arrives_through_encoding_wire_and_decoder(self):
        for craft in (sbus_craft(), crsf_craft()):
            hand = Hand(craft)
            self.assertEqual(hand.board.link, "good")
            hand.do(left={"x": 0, "y": 1}, right={"x": -1, "y": 0.5})
            axes = hand.board.axes
            for axis, us in (("throttle", 2000), ("roll", 1000), ("pitch", 1750), ("yaw", 1500)):
                self.assertAlmostEqual(axes[axis], us, delta=2.5)

    def test_two_runs_with_one_seed_are_alike_and_so_are_other_steps_of_the_clock(self):
        def run(step: float) -> list[float]:
            bench = Bench(crsf_craft(), seed=5)
            bench.hands(Hands(loss_percent=30))
            for index in range(round(1.2 / step)):
                bench.run_until((index + 1) * step)
            return [*bench.board.channels, bench.air.lq_percent]

        self.assertEqual(run(0.04), run(0.04))
        self.assertEqual(run(0.04), run(0.02))

    def test_longer_slices_at_rest_come_to_the_same(self):
        for name, craft in every_receiver():
            with self.subTest(name):
                seen = []
                for slice_s in (SLICE_S, REST_SLICE_S):
                    bench = Bench(craft, seed=3)
                    read = []
                    for step in range(1, 9):
                        bench.run_until(step * REST_SLICE_S, slice_s)
                        reading = bench.observed.port_reading()
                        read.append((reading.good, reading.bad))
                    seen.append((read, bench.board.link, bench.board.channels, sorted(bench.downlink)))
                self.assertEqual(seen[0], seen[1])

    def test_reverse_sub_trim_travel_and_order_are_the_transmitters(self):
        craft = crsf_craft()
        craft.transmitter.channels[0].reverse = True
        craft.transmitter.channels[1].sub_trim_us = 40
        craft.transmitter.channels[3].travel_high_percent = 100
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        hand.do(left={"x": 1, "y": -1}, right={"x": 1, "y": 0})
        axes = hand.board.axes
        for axis, us in (("roll", 1000), ("pitch", 1540), ("yaw", 1900)):
            self.assertAlmostEqual(axes[axis], us, delta=2.5)

    def test_lost_frames_show_in_lq_and_as_marks(self):
        hand = Hand(sbus_craft())
        hand.do(2.0, loss_percent=40)
        live = hand.bench.live()
        self.assertTrue(40 < live.lq_percent < 80)
        self.assertTrue(20 < live.marks.count("l") < 70)
        self.assertEqual(live.board.link, "good")


class FaultTest(SimpleTestCase):
    def test_the_wire_at_another_port_is_cracked_at_the_port_plan_only(self):
        hand = Hand(with_escs(crsf_craft(pad="R3")))
        hand.passes(2)
        blank = dict.fromkeys(("loom", "bind", "line", "sticks", "switchboard", "lost link", "downlink", "airframe"), "blank")
        self.assertEqual(hand.coins(), {"kit": "rings true", "load": "rings true", "port plan": "cracked", **blank})
        self.assertEqual(hand.board.bytes_per_s, 0)
        line = hand.report().told.line
        self.assertEqual((line.protocol, line.wire_pad, line.port_pad), ("CRSF", "R3", "R6"))

    def test_the_wrong_polarity_reads_garbage_and_the_line_says_what_would_read_it(self):
        hand = Hand(sbus_craft(inverted=False))
        hand.passes(2)
        self.assertEqual((hand.board.link, hand.board.good_per_s), ("no signal", 0))
        self.assertGreater(hand.board.errors_per_s, 500)
        line = hand.report().told.line
        self.assertEqual([(way.settings.inverted, way.changes, way.good_share) for way in line.would_read], [(True, ["inverted"], 1.0)])
        self.assertIn("line.no-frames", hand.codes())
        self.assertEqual((line.wave.as_sent[0].value, line.wave.as_read[0].value), (0x0F, 0xF8))

    def test_missing_ground_supply_power_or_bind_silence_the_line(self):
        bare = sbus_craft()
        bare.wiring = [patch for patch in bare.wiring if patch.pin != "GND"]
        self.assertEqual(Hand(bare).board.bytes_per_s, 0)
        unpowered = sbus_craft()
        unpowered.wiring = [patch for patch in unpowered.wiring if patch.pin != "5V"]
        self.assertEqual(Hand(unpowered).bench.live().light.pattern, "off")
        hand = Hand(sbus_craft())
        hand.do(2.0, forget_bind=True)
        self.assertEqual((hand.bench.live().light, hand.board.link), (hand.bench.receiver_part.binding.lights["unbound"], "lost"))
        self.assertIn("not bound", next(finding.why for finding in hand.report().findings if finding.code == "line.silent"))
        hand.do(2.0, pack=False)
        self.assertEqual((hand.bench.live().light.pattern, hand.board.link), ("off", "off"))

    def test_another_channel_order_is_found_and_mended(self):
        craft = apply_edits(crsf_craft(), [Edit(path="/settings/channel_map", value="TAER")])
        hand = Hand(craft)
        finding = next(finding for finding in hand.report().findings if finding.code == "sticks.order")
        self.assertNotIn("sticks.order", Hand(apply_edits(craft, finding.mends[0].edits)).codes())


class BoardTest(SimpleTestCase):
    def test_write_read_back_and_restart_are_three_acts(self):
        hand = Hand(crsf_craft(pad="R3"))
        draft = apply_edits(hand.bench.document, [Edit(path="/settings/ports/U6", value="free"), Edit(path="/settings/ports/U3", value="receiver input")])
        hand.bench.take_document(draft)
        self.assertEqual(len(hand.report().differences), 2)
        hand.bench.write(draft.settings)
        self.assertEqual(len(hand.report().differences), 2, "what was written is not known to be there before it is read back")
        hand.bench.read_back()
        hand.passes(1)
        report = hand.report()
        self.assertEqual((report.differences, report.restart_due, hand.board.link), ([], True, "no signal"))
        hand.bench.restart()
        with self.assertRaisesMessage(Refused, "still starting"):
            hand.bench.read_back()
        hand.passes(3)
        self.assertEqual((hand.report().restart_due, hand.board.link), (False, "good"))
        self.assertEqual(hand.coins()["line"], "rings true")

    def test_the_board_rounds_and_the_read_back_shows_it(self):
        hand = Hand(sbus_craft())
        draft = apply_edits(hand.bench.document, [Edit(path="/settings/arming/low", value=1703), Edit(path="/settings/lost_link/grace_ms", value=411)])
        hand.bench.take_document(draft)
        hand.bench.write(draft.settings)
        hand.bench.read_back()
        self.assertEqual(
            {each.path: (each.draft, each.on_board) for each in hand.report().differences}, {"/arming/low": (1703, 1705), "/lost_link/grace_ms": (411, 420)}
        )

    def test_arming_needs_a_low_throttle_and_a_switch_that_was_off(self):
        hand = Hand(sbus_craft())
        hand.do(left={"x": 0, "y": 0})
        self.assertIn("throttle not low", hand.board.blockers[0].what)
        hand.do(switches={"S1": 1})
        self.assertFalse(hand.board.armed)
        hand.do(left={"x": 0, "y": -1})
        self.assertIn("arm switch already on", hand.board.blockers[0].what)
        hand.do(switches={"S1": 0})
        hand.do(switches={"S1": 1})
        self.assertTrue(hand.board.armed)
        with self.assertRaisesMessage(Refused, "armed"):
            hand.bench.write(hand.bench.document.settings)
        hand.do(switches={"S2": 1})
        self.assertEqual(hand.board.mode, "angle")

    def test_the_arm_switch_on_at_power_up_does_not_arm(self):
        hand = Hand(sbus_craft())
        hand.do(0.2, pack=False, switches={"S1": 1})
        hand.do(4.0, pack=True)
        self.assertEqual((hand.board.link, hand.board.armed), ("good", False))

    def test_a_hand_on_a_switch_that_is_not_there_is_refused(self):
        hand = Hand(sbus_craft())
        for switches in ({"S9": 0}, {"S1": 2}):
            with self.assertRaisesMessage(ValueError, "has no switch"):
                hand.do(switches=switches)


class ProofTest(SimpleTestCase):
    def test_switch_rows_are_seen_one_by_one(self):
        hand = Hand(sbus_craft())
        for _ in range(2):
            for mode in (0, 1, 2):
                hand.do(switches={"S1": 0, "S2": mode})
                hand.do(switches={"S1": 1})
        report = hand.report()
        table = report.told.switchboard.table
        self.assertEqual((len(table.rows), table.seen), (6, 6))
        bands = {band.name: band for view in report.told.switchboard.switches for band in view.bands}
        self.assertEqual({name: (band.misses, round(band.clear, -1)) for name, band in bands.items()}, {"arm": (False, 150), "angle": (False, 250)})
        draft = apply_edits(hand.bench.document, [Edit(path="/settings/modes/0/low", value=1560)])
        hand.bench.take_document(draft)
        angle = next(band for view in hand.report().told.switchboard.switches for band in view.bands if band.name == "angle")
        self.assertEqual((angle.misses, angle.clear), (True, None), "what is drawn is the draft")
        held = {(tuple(row.places), row.arm, row.mode) for row in table.rows}
        self.assertIn((("high", "mid"), True, "angle"), held)
        self.assertIn((("low", "high"), False, "acro"), held)
        self.assertEqual(hand.coins()["switchboard"], "rings true")

    def test_sticks_are_proven_by_reaching_not_by_saying(self):
        hand = Hand(crsf_craft())
        for x, y in ((-1, -1), (1, 0.4), (-1, 0.4), (1, -1)):
            hand.do(0.3, left={"x": x, "y": y}, right={"x": x, "y": x})
        hand.do(1.0, left={"x": 0, "y": -1}, right={"x": 0, "y": 0})
        report = hand.report()
        self.assertEqual([axis for axis, proven in report.told.sticks.proven.items() if not proven], ["throttle"])
        self.assertIn("ceiling line, 1920", report.told.sticks.verdicts["throttle"])
        hand.do(0.3, left={"x": 0, "y": 1})
        self.assertEqual(hand.coins()["sticks"], "rings true")

    def test_the_lost_link_happens_when_it_was_predicted(self):
        for craft in (sbus_craft(), crsf_craft()):
            hand = Hand(craft)
            fly(hand)
            hand.do(0.3, left={"x": 0, "y": 0.2})
            predicted = hand.report().told.lost_link.prediction.reacts_s
            hand.do(3.0, transmitter_on=False)
            run = hand.report().told.lost_link.loss
            self.assertAlmostEqual(run.reaction_s, predicted, delta=0.05)
            last_frame = run.last_frame_t
            self.assertEqual((hand.board.armed, hand.board.motors_percent, hand.board.axes["throttle"]), (False, 0, 1000))
            self.assertFalse(hand.report().told.lost_link.proven)
            hand.do(2.0, transmitter_on=True)
            self.assertEqual(
                hand.report().told.lost_link.loss.last_frame_t, last_frame, "the frames of the returning link are not the last ones before the loss"
            )
            self.assertFalse(hand.board.armed, "it must not start by itself when the link returns")
            self.assertTrue(hand.report().told.lost_link.proven, hand.report().told.lost_link.verdict)
            self.assertEqual(hand.proven("lost link"), ["armed, throttle up", "link back, arm switch on"])
            self.assertEqual(hand.coins()["lost link"], "blank")
            prove_the_rest(hand)
            self.assertEqual(hand.coins()["lost link"], "rings true")

    def test_landing_takes_its_time(self):
        hand = Hand(apply_edits(crsf_craft(), [Edit(path="/settings/lost_link/response", value="land")]))
        fly(hand)
        hand.do(1.0, transmitter_on=False)
        self.assertEqual((hand.board.link, hand.board.armed), ("lost", True))
        self.assertGreater(hand.board.motors_percent, 20)
        hand.passes(21)
        run = hand.report().told.lost_link.loss
        self.assertFalse(hand.board.armed)
        self.assertAlmostEqual(
            run.motors_stopped_t - run.reacted_t, 30 / 1.5 + 0.5, delta=0.04, msg="30 m at 1.5 m/s, and half a second until it comes down so fast"
        )

    def test_the_arm_switch_ends_a_landing_when_the_link_is_back(self):
        for switched_off_first in (False, True):
            hand = Hand(apply_edits(crsf_craft(), [Edit(path="/settings/lost_link/response", value="land")]))
            fly(hand)
            hand.do(1.0, transmitter_on=False)
            if switched_off_first:
                hand.do(switches={"S1": 0})
            hand.do(1.0, transmitter_on=True)
            if not switched_off_first:
                self.assertEqual((hand.board.link, hand.board.armed), ("good", True), "it goes on landing")
                self.assertGreater(hand.board.motors_percent, 20)
                hand.do(0.3, switches={"S1": 0})
            self.assertEqual((hand.board.armed, hand.board.motors_percent), (False, 0.0))

    def test_a_loss_without_arming_proves_nothing(self):
        hand = Hand(sbus_craft())
        hand.do(3.0, transmitter_on=False)
        self.assertIn("not armed", hand.report().told.lost_link.verdict)
        hand.do(2.0, transmitter_on=True)
        told = hand.report().told.lost_link
        self.assertEqual((told.proven, told.verdict[:14], told.verdict[-15:]), (False, "Disarmed, the ", "rs stood still."))

    def test_hold_at_the_receiver_hides_the_loss(self):
        hand = Hand(apply_edits(sbus_craft(), [Edit(path="/receiver/on_loss", value="hold")]))
        fly(hand)
        hand.do(4.0, transmitter_on=False)
        self.assertEqual((hand.board.link, hand.board.armed), ("good", True), "the board cannot know")
        self.assertEqual(hand.coins()["lost link"], "cracked")

    def test_preset_with_the_failsafe_flag_reaches_the_board(self):
        hand = Hand(apply_edits(sbus_craft(), [Edit(path="/receiver/on_loss", value="preset")]))
        fly(hand)
        hand.do(3.0, transmitter_on=False)
        self.assertEqual((hand.board.link, hand.board.armed), ("lost", False))
        self.assertIsNotNone(hand.report().told.lost_link.loss.flagged_t)
        self.assertIn("f", hand.bench.live().marks)

    def test_an_old_measurement_does_not_prove_new_settings(self):
        hand = Hand(crsf_craft())
        for x, y in ((-1, -1), (1, 1)):
            hand.do(0.3, left={"x": x, "y": y}, right={"x": x, "y": y})
        hand.do(1.0, left={"x": 0, "y": -1}, right={"x": 0, "y": 0})
        self.assertEqual(hand.coins()["sticks"], "rings true")
        draft = apply_edits(hand.bench.document, [Edit(path="/settings/receiver_input/inverted", value=True)])
        hand.bench.take_document(draft)
        self.assertEqual(hand.coins()["sticks"], "rings true", "a draft alone changes nothing on the craft")
        hand.bench.write(draft.settings)
        hand.bench.restart()
        hand.passes(3)
        self.assertEqual((hand.coins()["line"], hand.coins()["sticks"]), ("cracked", "tarnished"))

    def test_what_was_measured_survives_a_stop(self):
        hand = Hand(sbus_craft())
        hand.do(1.0, switches={"S2": 2}, right={"x": 1, "y": 1})
        kept = BenchState.model_validate(hand.bench.state().keep())
        other = Hand(sbus_craft(), kept)
        self.assertAlmostEqual(other.bench.sticks.reached["roll"].high, hand.bench.sticks.reached["roll"].high, delta=2)  # the gimbal is restless meanwhile
        self.assertEqual(other.bench.live().switches["S2"], 2)
        self.assertEqual(other.board.link, "good")
