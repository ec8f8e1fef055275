from __future__ import annotations

import itertools

import numpy as np
from django.test import SimpleTestCase
from hypothesis import assume, given
from hypothesis import strategies as st

from linkcore.bench.bench import Bench
from linkcore.bench.messages import Hands
from linkcore.chain import draft_against_board, still_findings
from linkcore.craft.document import Band, BoardSettings, ModeBand, apply_edits
from linkcore.craft.parts import KitParts, understand
from linkcore.devices.modes import holds
from linkcore.devices.on_loss import starting_grace_ms
from linkcore.findings import Edit, Finding, Mend
from linkcore.hops.lost_link.runs import LossRun, judge
from linkcore.hops.lost_link.timeline import predict
from linkcore.hops.registry import HOPS
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.switchboard.clearance import band_clearance
from linkcore.hops.switchboard.detents import Detent, SwitchMeasure
from linkcore.hops.switchboard.rules import around
from linkcore.hops.switchboard.truth import truth_table
from linkcore.parts.catalogue import UnknownPart, shipped
from linkcore.parts.models import Board, Module, Receiver, Transmitter
from linkcore.protocols.registry import PROTOCOLS, RECEIVER_PROTOCOLS, protocol
from linkcore.reads import Whole
from tests.crafts import crsf_craft, sbus_craft, with_escs
from tests.kits import every_receiver


class CatalogueTest(SimpleTestCase):
    def test_every_part_makes_sense(self):
        self.assertEqual(len({each.id for each in shipped().values()}), len(shipped()))
        for each in shipped().values():
            with self.subTest(each.id):
                if isinstance(each, Board):
                    names = [pad.name for pad in each.pads]
                    self.assertEqual(len(set(names)), len(names))
                    self.assertTrue({"supply", "ground"} <= {pad.kind for pad in each.pads})
                    self.assertTrue(all(pad.port in each.ports for pad in each.pads if pad.kind in ("rx", "tx")))
                    self.assertTrue(all(each.pad_of(port, "rx") or each.pad_of(port, "tx") for port in each.ports))
                    places = {(pad.side, pad.place) for pad in each.pads}
                    self.assertEqual(len(places), len(each.pads), "two pads in one place")
                elif isinstance(each, Receiver):
                    for output in each.outputs:
                        self.assertIn(output.protocol, RECEIVER_PROTOCOLS)
                        if output.protocol in PROTOCOLS:
                            self.assertEqual(PROTOCOLS[output.protocol].carries_failsafe, each.flags_loss)
                    self.assertTrue(each.pin("supply") and each.pin("ground"))
                    radios = [radio for other in shipped().values() if isinstance(other, Transmitter | Module) for radio in other.radios]
                    self.assertTrue(any(understand(each.radio, radio) for radio in radios))
                elif isinstance(each, Transmitter):
                    self.assertGreaterEqual(each.channels, 4)

    def test_only_pads_that_can_invert_are_listed(self):
        self.assertEqual(shipped().of(Board, "merle-f4").inverting_pads, ["R2"])
        self.assertIn("R5", shipped().of(Board, "merle-f7").inverting_pads)

    def test_unknown_names_are_told(self):
        with self.assertRaisesMessage(UnknownPart, "no board 'wisp-900'"):
            shipped().of(Board, "wisp-900")
        with self.assertRaisesMessage(ValueError, "there are PWM, PPM, SBUS"):
            protocol("morse")


class SticksMeasureTest(SimpleTestCase):
    def settings(self) -> BoardSettings:
        return sbus_craft().settings

    def test_resting_is_time_without_movement(self):
        measure = SticksMeasure()
        for step in range(100):
            measure.add(step * 0.01, "roll", 1503 + (step % 3 - 1) * 0.6)
        self.assertAlmostEqual(measure.reached["roll"].centre, 1503, delta=0.7)
        self.assertAlmostEqual(measure.reached["roll"].jitter, 0.6, delta=0.1)

    def test_a_stick_that_only_passes_the_middle_has_no_centre(self):
        measure = SticksMeasure()
        for step in range(300):
            measure.add(step * 0.01, "roll", 1000 + step * 3.3)
        self.assertIsNone(measure.reached["roll"].centre)
        self.assertEqual(measure.verdict("roll", self.settings().stick_lines), (False, "let it rest in the middle"))

    def test_verdicts_name_what_is_missing(self):
        def after(*values: float) -> str:
            measure = SticksMeasure()
            t = 0.0
            for value in values:
                for _ in range(60):
                    measure.add(t, "pitch", value)
                    t += 0.01
            return measure.verdict("pitch", self.settings().stick_lines)[1]

        self.assertEqual(after(), "not seen yet")
        self.assertEqual(after(1500), "move it to both ends")
        self.assertEqual(after(1500, 1900), "not below the floor line, 1080, yet")
        self.assertEqual(after(1000, 1900), "not above the ceiling line, 1920, yet")
        self.assertEqual(after(1000, 2000), "let it rest in the middle")
        self.assertEqual(after(1000, 2000, 1540), "rests +40 us off the centre")
        self.assertEqual(after(1000, 2000, 1510), "reaches both lines, rests in the middle")

    def test_throttle_needs_no_middle(self):
        measure = SticksMeasure()
        for value in (1000, 2000):
            measure.add(0, "throttle", value)
        proven, said = measure.verdict("throttle", self.settings().stick_lines)
        self.assertTrue(proven and said.startswith("reaches both lines; stick down, the armed motors turn at"), said)


class SwitchTest(SimpleTestCase):
    @given(st.lists(st.integers(900, 2100), min_size=2, max_size=3, unique=True))
    def test_suggested_bands_hold_one_detent_each_and_never_two(self, values):
        values.sort()
        assume(all(after - before >= 120 for before, after in itertools.pairwise(values)))
        detents = [Detent(low=value - 2, high=value + 2) for value in values]
        bands = [around(detent, detents) for detent in detents]
        for (low, high), own in zip(bands, detents, strict=True):
            self.assertEqual([other for other in detents if low <= other.high and other.low <= high], [own])
            self.assertGreater(band_clearance(low, high, [own]), 40)
        for (_, high), (low, _) in itertools.pairwise(bands):
            self.assertLessEqual(high, low)

    def test_a_switch_on_its_way_is_no_detent(self):
        measure = SwitchMeasure()
        for step in range(60):
            measure.add(step * 0.01, 5, 1000 if step < 30 else min(2000, 1000 + (step - 30) * 200))
        self.assertEqual([round(detent.value) for detent in measure.detents[5]], [1000, 2000])
        self.assertEqual((measure.place(5, 1004), measure.place(5, 1990), measure.place(5, 1500), measure.place(6, 1000)), (0, 1, None, None))

    def test_a_detent_found_late_renumbers_and_forgets_the_rows(self):
        measure = SwitchMeasure(detents={5: [Detent(low=1500, high=1500)]}, seen={(0,)})
        for step in range(40):
            measure.add(step * 0.01, 5, 1000)
        self.assertEqual((len(measure.detents[5]), measure.seen), (2, set()))

    def test_a_band_holds_its_lower_edge_and_not_its_upper_one(self):
        settings = sbus_craft().settings.model_copy(
            update={"arming": Band(channel=5, low=1700, high=2000), "modes": [ModeBand(mode="angle", channel=6, low=1000, high=1200)]}
        )
        for arm, mode, expected in (
            (1700, 1000, (True, "angle")),
            (1999.4, 1199.4, (True, "angle")),
            (1699.4, 1200, (False, "acro")),
            (2000, 900, (False, "acro")),
        ):
            held = holds(settings, {5: arm, 6: mode})
            self.assertEqual((held.arm, held.text), expected)

    def test_the_table_says_what_is_not_known_yet(self):
        craft = sbus_craft()
        table = truth_table(craft, craft.settings, shipped().of(Transmitter, "harrow-16"), SwitchMeasure())
        self.assertEqual((len(table.rows), {row.mode for row in table.rows}, table.proven), (6, {"?"}, False))
        bare = apply_edits(craft, [Edit(path="/settings/arming", value=None)])
        bare.settings.modes = []
        self.assertEqual(truth_table(bare, bare.settings, shipped().of(Transmitter, "harrow-16"), SwitchMeasure()).rows, [])


class LostLinkTest(SimpleTestCase):
    def test_what_is_predicted_is_what_the_bench_does(self):
        """Every receiver, behaviour on loss, grace and response of this version: reckoned beside run."""
        for make, on_loss, grace, response in itertools.product((sbus_craft, crsf_craft), ("no pulses", "hold", "preset"), (200, 800), ("motors off", "land")):
            with self.subTest(make.__name__, on_loss=on_loss, grace=grace, response=response):
                craft = apply_edits(
                    make(),
                    [
                        Edit(path="/receiver/on_loss", value=on_loss),
                        Edit(path="/settings/lost_link/grace_ms", value=grace),
                        Edit(path="/settings/lost_link/response", value=response),
                    ],
                )
                bench = Bench(craft)
                bench.run_until(1.0)
                bench.hands(Hands(switches={"S1": 1}))
                bench.run_until(1.5)
                self.assertTrue(bench.board.armed)
                bench.hands(Hands(transmitter_on=False))
                bench.run_until(25.0)  # 30 m at 1.5 m/s, where it lands
                predicted = predict(bench.whole.craft, bench.parts)
                run = bench.loss
                if predicted.reacts_s is None:
                    self.assertTrue(run is None or run.reacted_t is None, "it was predicted that the board never learns of it")
                    self.assertEqual(bench.board.armed, on_loss == "hold", "a preset takes the arm switch's channel to its own value")
                else:
                    self.assertAlmostEqual(run.reacted_t - run.radio_silent_t, predicted.reacts_s, delta=0.03)
                    self.assertAlmostEqual(run.motors_stopped_t - run.radio_silent_t, predicted.motors_stop_s, delta=0.05)
                    self.assertFalse(bench.board.armed)

    def test_a_grace_to_begin_with_is_exceeded_less_than_once_in_ten_minutes_of_bad_air(self):
        silent = shipped().of(Receiver, "wisp-900")
        self.assertEqual([starting_grace_ms(silent, "serial", 1 / hz) for hz in (120, 50, 30)], [180, 380, 600])
        self.assertEqual(starting_grace_ms(shipped().of(Receiver, "pip-s8"), "serial", 0.009), 200, "it marks what is lost")
        self.assertEqual(starting_grace_ms(shipped().of(Receiver, "six-pack"), "PWM", 0.02), 200, "it repeats its pulses")
        rng = np.random.default_rng(5)
        for hz in (120, 50, 30):
            grace_s = starting_grace_ms(silent, "serial", 1 / hz) / 1000
            heard = np.flatnonzero(rng.random(int(hz * 600 * 200)) > 0.6) / hz  # two hundred flights of ten minutes
            too_long = float(np.count_nonzero(np.diff(heard) > grace_s)) / 200
            self.assertLess(too_long, 1.1, hz)
            self.assertGreater(float(np.count_nonzero(np.diff(heard) > grace_s - 4 / hz)) / 200, 1.1, "and not much longer than that needs")

    def test_every_receiver_loses_its_link_as_predicted(self):
        for name, planned in every_receiver():
            receiver = shipped().of(Receiver, planned.kit.receiver)
            for on_loss, grace in itertools.product(receiver.on_loss, (200, 1000)):
                with self.subTest(name, on_loss=on_loss, grace=grace):
                    edits = [Edit(path="/receiver/on_loss", value=on_loss), Edit(path="/settings/lost_link/grace_ms", value=grace)]
                    bench = Bench(apply_edits(planned, edits))
                    bench.run_until(0.5)
                    bench.hands(Hands(transmitter_on=False))
                    bench.run_until(2.5)
                    predicted = predict(bench.whole.craft, bench.parts).reacts_s
                    if predicted is None:
                        self.assertEqual(bench.board.link, "good", "the board never learns of it")
                    else:
                        self.assertAlmostEqual(bench.loss.reaction_s, predicted, delta=0.03)

    def test_a_run_is_judged_step_by_step(self):
        craft = crsf_craft()
        predicted = predict(craft, KitParts.of(craft))
        run = LossRun(armed=True, radio_silent_t=10.0, last_frame_t=10.0)
        said = [judge(run, predicted)[1]]
        for name, value in (("reacted_t", 10.4), ("motors_stopped_t", 10.4), ("back_t", 12.0)):
            run = run.model_copy(update={name: value})
            said.append(judge(run, predicted)[1])
        self.assertEqual(
            [text.split(".")[0].split(":")[0] for text in said[:3]],
            ["The board has not reacted yet", "The motors have not stopped yet", "Now switch the transmitter back on"],
        )
        self.assertEqual(judge(run, predicted), (False, "The link is back: a moment yet, whether the motors stay as they are."))
        run = run.model_copy(update={"state": "done"})
        self.assertTrue(judge(run, predicted)[0])
        for change, word in (
            ({"rearmed_by_itself": True}, "by themselves"),
            ({"reacted_t": 10.9}, "0.40 s were predicted"),
            ({"armed": False, "state": "running", "back_t": None}, "not armed"),
            ({"armed": False, "turned": True}, "The motors turned"),
            ({"state": "broken off"}, "broken off"),
        ):
            good, text = judge(run.model_copy(update=change), predicted)
            self.assertFalse(good)
            self.assertIn(word, text)


class FindingsTest(SimpleTestCase):
    BROKEN = (
        [("/settings/channel_map", "TAER")],
        [("/transmitter/channels/2/reverse", True)],
        [("/receiver/on_loss", "hold")],
        [("/settings/lost_link/grace_ms", 3000)],
        [("/settings/lost_link/throttle_fallback", "hold")],
        [("/settings/ports/U2", "free")],
        [("/settings/ports/U4", "receiver input")],
        [("/settings/receiver_input/inverted", False)],
        [("/settings/receiver_input/protocol", "CRSF")],
        [("/settings/receiver_input/protocol", None)],
        [("/wiring/0/pad", "R3")],
        [("/wiring/0/pad", "T3")],
        [("/settings/arming", None)],
        [("/settings/modes/0/channel", 3)],
    )

    def test_a_sound_craft_has_none(self):
        for craft in (with_escs(sbus_craft()), with_escs(crsf_craft())):
            self.assertEqual(still_findings(Whole(craft, craft.settings, KitParts.of(craft))), [])

    def test_each_says_what_why_and_what_mends_it_and_the_edits_do(self):
        for changes in self.BROKEN:
            craft = apply_edits(sbus_craft(), [Edit(path=path, value=value) for path, value in changes])
            found = still_findings(Whole(craft, craft.settings, KitParts.of(craft)))
            self.assertTrue(found, changes)
            for finding in found:
                with self.subTest(finding.code):
                    self.assertIn(finding.hop, [hop.key for hop in HOPS])
                    self.assertTrue(finding.what.endswith(".") and finding.why.endswith("."), finding)
                    for mend in finding.mends:
                        self.assertFalse(mend.text.endswith("."))
                        if mend.edits:
                            mended = apply_edits(craft, mend.edits)
                            self.assertNotIn(
                                (finding.code, finding.where),
                                [(each.code, each.where) for each in still_findings(Whole(mended, mended.settings, KitParts.of(mended)))],
                            )

    def test_what_the_draft_mends_and_what_it_adds_are_told_apart(self):
        def finding(code: str, what: str = "It is so.") -> Finding:
            return Finding(code=code, severity="stop", hop="line", where="here", what=what, why="Because.", mends=(Mend(text="Do it"),))

        merged = draft_against_board([finding("both"), finding("new")], [finding("both"), finding("old")])
        self.assertEqual([(each.code, each.what) for each in merged], [("both", "It is so."), ("old", "It is so."), ("new", "In the draft: It is so.")])
        self.assertIn("Mended in the draft", merged[1].mends[0].text)

    def test_what_hands_do_or_eyes_have_seen_is_of_what_the_board_runs(self):
        mends = (
            Mend(text="Look at it"),
            Mend(text="It held", hands={"flown": "no motor stopped"}),
            Mend(text="It did not", hands={"flown": "a motor stopped"}),
        )
        finding = Finding(code="new", severity="note", hop="airframe", where="here", what="It is so.", why="Because.", mends=mends)
        self.assertEqual(draft_against_board([], [finding])[0].mends[0].text, "Mended in the draft: write it to the board")
        added = draft_against_board([finding], [])[0]
        self.assertEqual([(mend.text, mend.act, mend.hands) for mend in added.mends], [("Look at it", "", {}), ("Write it to the board first", "write", {})])
