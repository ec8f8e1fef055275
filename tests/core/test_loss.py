"""The lost link: what is predicted is what the bench does, and a loss that is hidden from the board proves nothing."""

from __future__ import annotations

import unittest

import scenario
from linkcore.bench.bench import Bench
from linkcore.bench.messages import Hands
from linkcore.chain import still_findings
from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices.on_loss import course, delay_to_decoder_s
from linkcore.findings import Edit, Finding
from linkcore.hops.lost_link.timeline import predict
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board, Receiver
from linkcore.protocols.registry import receiver_protocol
from linkcore.reads import Whole
from linkcore.standins.hands import Stick
from tests.crafts import crsf_craft, sbus_craft
from tests.hand import Hand
from tests.losses import lost

ARMS, DISARMS = [1500.0, 1500.0, 1000.0, 1500.0, 2000.0], [1500.0, 1500.0, 1000.0, 1500.0, 1000.0]


def findings(craft: CraftDocument) -> dict[str, Finding]:
    found = still_findings(Whole(craft, craft.settings, KitParts.of(craft)))
    return {finding.code: finding for finding in found if finding.hop == "lost link"}


def on_loss(craft: CraftDocument, value: str, preset: list[float] | None = None) -> CraftDocument:
    return apply_edits(craft, [Edit(path="/receiver/on_loss", value=value), Edit(path="/receiver/preset_us", value=preset or [])])


def armed(craft: CraftDocument) -> Hand:
    hand = Hand(craft)
    hand.passes(1.5)
    hand.do(0.6, switches={"S1": 1})
    return hand


class PredictionTest(unittest.TestCase):
    def test_random_losses_happen_as_predicted(self):
        runs = [run for run in map(lost, range(20)) if run is not None]
        self.assertEqual([(str(run), run.faults) for run in runs if run.faults], [])
        self.assertTrue(all(run.armed for run in runs))
        self.assertGreaterEqual(sum(run.hidden for run in runs), 5)
        self.assertGreaterEqual(sum(not run.hidden for run in runs), 5)

    def test_the_rule_by_itself(self):
        """From the start of the last radio frame: d + g; t_r + d + g, less than a frame period early; never."""
        catalogue = shipped()
        for part, behaviour, wire, protocol, silent, again in (
            ("wisp-900", "no pulses", "serial", "CRSF", 0.0, None),
            ("wisp-900", "preset", "serial", "CRSF", 0.0, 0.5),
            ("wisp-900", "hold", "serial", "CRSF", None, None),
            ("pip-s8", "no pulses", "serial", "SBUS", 0.6, None),
            ("pip-s8", "preset", "serial", "SBUS", 0.6, None),
            ("six-pack", "preset", "PWM", "PWM", None, None),
            ("single-leaf", "no pulses", "serial", "DSM2", 0.0, None),
        ):
            with self.subTest(part, on_loss=behaviour):
                receiver = catalogue.of(Receiver, part)
                delay = delay_to_decoder_s(receiver_protocol(protocol))
                goes = course(receiver, behaviour, wire, receiver.link_period_s, delay)
                for was, should in ((goes.silent_from, silent), (goes.again_from, again)):
                    self.assertEqual(was is None, should is None)
                    if was is not None and should is not None:
                        self.assertLess(abs(was - should - delay), receiver.link_period_s)
                self.assertEqual(goes.hidden, silent is None or again is not None)
                self.assertEqual(goes.flagged_from is not None, receiver.flags_loss and behaviour == "preset")


class FlagTest(unittest.TestCase):
    def test_a_flag_acts_at_once_or_after_the_grace_as_the_board_has_it(self):
        for at_once in (False, True):
            with self.subTest(at_once=at_once):
                craft = on_loss(apply_edits(sbus_craft(), [Edit(path="/settings/lost_link/grace_ms", value=800)]), "preset")
                craft.kit.board = "own-merle"
                board = shipped().of(Board, "merle-f7").model_copy(update={"id": "own-merle", "failsafe_at_once": at_once})
                parts = KitParts.of(craft, shipped().with_own([board]))
                bench = Bench(craft, parts=parts)
                bench.run_until(1.5)
                bench.hands(Hands(switches={"S1": 1}))
                bench.run_until(2.0)
                bench.hands(Hands(transmitter_on=False))
                bench.run_until(5.0)
                predicted = predict(bench.whole.craft, bench.parts)
                self.assertAlmostEqual(bench.loss.reaction_s, predicted.reacts_s, delta=0.02)
                self.assertAlmostEqual(predicted.reacts_s, 0.6 if at_once else 1.4, delta=0.02)
                lost = next(event.text for event in bench.board.events.since(0) if event.kind == "link lost")
                self.assertIn("the receiver gave the link up" if at_once else "grace is over", lost)


class HiddenTest(unittest.TestCase):
    def test_a_link_that_counts_as_good_without_its_radio_fails_the_run(self):
        """A holding receiver over CRSF repeats from the first missed frame on; and a preset that comes after the reaction brings the link back by itself."""
        for craft in (on_loss(crsf_craft(), "hold"), on_loss(crsf_craft(), "preset", ARMS)):
            hand = armed(craft)
            hand.do(4.0, transmitter_on=False)
            self.assertEqual(hand.bench.board.link, "good")
            hand.do(3.0, transmitter_on=True)
            told = hand.report().told.lost_link
            self.assertFalse(told.proven)
            self.assertIn("the receiver hides the loss", told.verdict)

    def test_a_preset_that_disarms_is_a_way_and_is_proven_by_the_motors_that_stop(self):
        craft = on_loss(apply_edits(crsf_craft(), [Edit(path="/settings/lost_link/grace_ms", value=1000)]), "preset", DISARMS)
        self.assertEqual({code: finding.severity for code, finding in findings(craft).items()}, {"lostlink.preset-disarms": "note"})
        hand = armed(craft)
        hand.do(2.0, transmitter_on=False)
        self.assertFalse(hand.bench.board.armed)
        hand.do(3.0, switches={"S1": 0}, transmitter_on=True)
        told = hand.report().told.lost_link
        self.assertEqual((told.proven, told.verdict[:23]), (True, "The receiver's own valu"))

    def test_a_switch_that_is_still_on_arms_anew_after_a_preset_and_that_is_said_and_not_proven(self):
        craft = on_loss(apply_edits(crsf_craft(), [Edit(path="/settings/lost_link/grace_ms", value=1000)]), "preset", DISARMS)
        self.assertIn("looks like a flip of the switch, which arms", findings(craft)["lostlink.preset-disarms"].why)
        hand = armed(craft)
        hand.do(2.0, transmitter_on=False)
        hand.do(3.0, transmitter_on=True)
        told = hand.report().told.lost_link
        self.assertEqual((hand.bench.board.armed, told.proven, told.verdict), (True, False, "The motors started by themselves when the link came back."))

    def test_a_preset_that_keeps_the_craft_armed_is_a_stop_and_its_mend_disarms(self):
        craft = on_loss(crsf_craft(), "preset", ARMS)
        self.assertEqual(findings(craft)["lostlink.preset-arms"].severity, "stop")
        flagged = on_loss(sbus_craft(), "preset", ARMS)  # the board does not fly by frames that carry the failsafe flag
        self.assertEqual(findings(flagged), {})

    def test_every_hidden_loss_is_mended_by_what_is_offered(self):
        """The finding goes, nothing else gets worse, and the bench shows what the text promises."""
        coot = apply_edits(scenario.coot(), [Edit(path="/settings/arming", value={"channel": 4, "low": 1750, "high": 2150})])
        crafts = [on_loss(crsf_craft(), "hold"), on_loss(crsf_craft(), "preset", ARMS), on_loss(sbus_craft(), "hold"), on_loss(coot, "hold")]
        for craft in crafts:
            before = findings(craft)
            stop = next(finding for finding in before.values() if finding.severity == "stop")
            mends = [mend for mend in stop.mends if mend.edits]
            self.assertTrue(mends, stop.what)
            for mend in mends:
                with self.subTest(craft.name, mend=mend.text):
                    after = apply_edits(craft, list(mend.edits))
                    self.assertEqual([finding.code for finding in findings(after).values() if finding.severity == "stop"], [])
                    predicted = predict(after, KitParts.of(after))
                    self.assertIsNotNone(predicted.motors_stop_s)
                    if craft.name != "Coot":
                        hand = armed(after)
                        hand.do(4.0, transmitter_on=False)
                        self.assertFalse(hand.bench.board.armed)

    def test_who_arms_by_stick_is_offered_a_throttle_that_stays_low(self):
        coot = apply_edits(scenario.coot(), [Edit(path="/settings/arm_by", value="stick"), Edit(path="/settings/stick_arming/timeout_s", value=4)])
        mend = findings(coot)["lostlink.hidden"].mends[0]
        self.assertEqual(mend.text, "Set the receiver to preset, with throttle (CH3) at 1500 us, which disarms after 4 s")
        after = apply_edits(coot, list(mend.edits))
        self.assertEqual({code: finding.severity for code, finding in findings(after).items()}, {"lostlink.preset-disarms": "note"})
        self.assertAlmostEqual(predict(after, KitParts.of(after)).motors_stop_s, 0.8 + 4, delta=0.03)

    def test_where_draft_and_board_both_hide_the_loss_the_drafts_mend_is_offered(self):
        hand = Hand(scenario.coot())
        hand.passes(0.5)
        edits = [Edit(path="/settings/arm_by", value="stick"), Edit(path="/settings/stick_arming/timeout_s", value=4)]
        hand.bench.take_document(apply_edits(hand.bench.document, edits))
        hidden = next(finding for finding in hand.report().findings if finding.code == "lostlink.hidden")
        self.assertEqual([mend.text.split(",")[0] for mend in hidden.mends], ["Set the receiver to preset"])

    def test_who_can_only_hold_is_told_to_choose_another(self):
        craft = scenario.coot()
        craft.kit.receiver, craft.receiver.on_loss = "fen-4", "hold"
        self.assertEqual([(mend.go, bool(mend.edits)) for mend in findings(craft)["lostlink.hidden"].mends], [("kit", False)])

    def test_a_throttle_that_the_preset_keeps_low_disarms_who_arms_by_stick(self):
        edits = [
            Edit(path="/settings/arm_by", value="stick"),
            Edit(path="/settings/arming", value=None),
            Edit(path="/settings/stick_arming/timeout_s", value=3),
            Edit(path="/settings/lost_link/grace_ms", value=2000),
        ]
        hand = Hand(on_loss(apply_edits(crsf_craft(), edits), "preset", DISARMS))
        hand.passes(1.5)
        hand.do(2.0, left=Stick(x=1, y=-1))
        hand.do(0.5, left=Stick(x=0, y=0.2))
        self.assertTrue(hand.bench.board.armed)
        predicted = hand.report().told.lost_link.prediction
        hand.bench.hands(Hands(transmitter_on=False))
        hand.passes(6.0)
        run = hand.bench.loss
        self.assertAlmostEqual(run.motors_stopped_t - run.radio_silent_t, predicted.motors_stop_s, delta=0.04)
