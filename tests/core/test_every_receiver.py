"""Every receiver of the catalogue on the bench, and the ways in which its port can be set wrongly."""

from __future__ import annotations

import numpy as np
from django.test import SimpleTestCase

import scenario
from linkcore.bench.messages import Hands
from linkcore.craft.document import CraftDocument, Patch, ReceiverInput, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.line.compare import what_would_read
from linkcore.hops.line.identify import identify_edges
from linkcore.hops.port_plan.receiver import moves_for_receiver, worked_out
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.wiring.netlist import plan_edits
from linkcore.wiring.planner import work_out
from tests.hand import Hand
from tests.kits import every_receiver


def finding(hand: Hand, code: str):
    return next(each for each in hand.report().findings if each.code == code)


class EveryReceiverTest(SimpleTestCase):
    def test_each_reads_true_and_telemetry_comes_home_where_it_has_a_way(self):
        crafts = every_receiver()
        self.assertEqual({craft.settings.receiver_input.protocol for _, craft in crafts}, set(RECEIVER_PROTOCOLS) - {"GHST"})
        for name, craft in crafts:
            with self.subTest(name):
                hand = Hand(craft)
                hand.passes(3.0)
                bench, report = hand.bench, hand.report()
                self.assertEqual((bench.board.link, report.told.line.protocol, report.told.line.good_share), ("good", bench.spec.name, 1.0))
                self.assertEqual([each.code for each in report.findings if each.hop in ("line", "port plan")], [])
                self.assertEqual(hand.coins()["line"], "rings true")
                throttle = bench.board.axis_us("throttle")
                self.assertAlmostEqual(throttle, 1000, delta=4)
                telemetry = bench.receiver_part.telemetry
                wired = telemetry and (telemetry.serial is None or craft.pad_of(str(telemetry.serial.listens)))
                self.assertEqual(bool(bench.downlink), bool(wired))
                if wired:
                    voltage = next(each.values["voltage_v"] for each in bench.downlink.values() if "voltage_v" in each.values)
                    self.assertAlmostEqual(voltage, 16.8, delta=0.1)

    def test_a_lost_link_is_seen_over_pulses_and_over_satellites(self):
        for name, craft in every_receiver():
            if craft.settings.receiver_input.protocol not in ("PPM", "PWM", "DSMX"):
                continue
            on_loss = craft.receiver.on_loss
            with self.subTest(name):
                hand = Hand(craft)
                hand.passes(2.0)
                hand.do(2.0, transmitter_on=False)
                self.assertEqual(hand.bench.board.link, "good" if on_loss == "hold" else "lost")


class TurnTakingTest(SimpleTestCase):
    def sandpiper(self) -> CraftDocument:
        craft = scenario.sandpiper()
        parts = KitParts.of(craft)
        return apply_edits(craft, plan_edits(craft, parts, work_out(craft, parts).plans[0]))

    def test_both_ends_share_one_wire_without_talking_over_each_other(self):
        hand = Hand(self.sandpiper())
        hand.passes(2.0)
        edges, length = hand.bench.wire_edges(seconds=1.0)
        found = identify_edges(edges, length)
        self.assertEqual((found.protocol, found.good_share), ("F.Port", 1.0))
        frames = RECEIVER_PROTOCOLS["F.Port"].reader(True, edges.level).feed(edges.times, length)[1]
        kinds = [type(frame).__name__ for frame in frames]
        for kind in ("ChannelFrame", "PollFrame", "TelemetryFrame"):
            self.assertAlmostEqual(kinds.count(kind), 111, delta=3)
        self.assertTrue((np.diff(edges.times) > 0).all())

    def test_a_board_that_cannot_read_never_answers(self):
        hand = Hand(scenario.sandpiper())
        hand.passes(2.0)
        self.assertEqual((hand.bench.board.link, hand.bench.downlink), ("no signal", {}))
        self.assertEqual(hand.report().told.line.protocol, "F.Port")

    def test_telemetry_needs_the_job_and_power(self):
        craft = scenario.curlew()
        hand = Hand(craft)
        hand.passes(2.0)
        self.assertIn("voltage", hand.bench.downlink)
        mute = Hand(
            apply_edits(craft, [Edit(path=f"/settings/ports/{port}", value="free") for port, job in craft.settings.ports.items() if job == "telemetry"])
        )
        mute.passes(2.0)
        self.assertEqual(mute.bench.downlink, {})

    def test_the_tap_can_be_moved_to_the_telemetry_wire(self):
        hand = Hand(scenario.curlew())
        hand.do(2.0, tap="S.Port")
        line = hand.report().told.line
        self.assertEqual((line.protocol, line.wire_pad, [wire.carries for wire in line.wires]), ("S.Port", "T4", ["channels", "telemetry", *["device"] * 2]))
        with self.assertRaisesMessage(ValueError, "has a wire on a pin nowhere"):
            hand.bench.hands(Hands(tap="nowhere"))


class MendingTest(SimpleTestCase):
    def test_sandpipers_fault_is_named_and_its_mend_makes_the_line_read(self):
        hand = Hand(scenario.sandpiper())
        hand.passes(2.5)
        found = finding(hand, "line.no-frames")
        self.assertIn("T3 cannot invert", found.why)
        (mend,) = found.mends
        self.assertIn("T5", mend.text)
        mended = Hand(apply_edits(scenario.sandpiper(), mend.edits))
        mended.passes(2.5)
        self.assertEqual((mended.bench.board.link, mended.coins()["line"]), ("good", "rings true"))
        self.assertTrue(mended.bench.downlink)

    def test_each_wrong_setting_is_mended_by_what_the_line_offers(self):
        for name, craft in every_receiver():
            right = craft.settings.receiver_input
            if RECEIVER_PROTOCOLS[str(right.protocol)].wire != "serial":
                continue
            wrongs = (
                right.model_copy(update={"inverted": not right.inverted}),
                right.model_copy(update={"protocol": "SUMD" if right.protocol != "SUMD" else "IBUS"}),
            )
            for wrong in wrongs:
                with self.subTest(name, wrong=wrong):
                    broken = apply_edits(craft, [Edit(path="/settings/receiver_input", value=wrong.model_dump())])
                    hand = Hand(broken)
                    hand.passes(2.5)
                    mend = finding(hand, "line.no-frames").mends[0]
                    self.assertEqual(apply_edits(broken, mend.edits).settings.receiver_input, right)

    def test_where_the_pad_cannot_the_other_output_or_another_pad_is_offered(self):
        craft = scenario.sandpiper()
        craft.kit.receiver = "pip-s4"
        craft.wiring = [patch for patch in craft.wiring if patch.device != "receiver"] + [Patch(device="receiver", pin="SBUS", pad="R3")]
        craft.settings.receiver_input = ReceiverInput(protocol="SBUS", inverted=True)
        craft = CraftDocument.model_validate(craft.model_dump())
        texts = [mend.text for mend in moves_for_receiver(craft, KitParts.of(craft))]
        self.assertTrue(any("SBUS-N" in text and "needs no inversion" in text for text in texts), texts)
        self.assertTrue(any("R2" in text and "has an inverter" in text for text in texts), texts)
        for mend in moves_for_receiver(craft, KitParts.of(craft)):
            hand = Hand(apply_edits(craft, plan_edits(after := apply_edits(craft, mend.edits), KitParts.of(after), None) + list(mend.edits)[1:]))
            hand.passes(2.5)
            self.assertEqual(hand.bench.board.link, "good", mend.text)

    def test_what_the_board_can_do_on_a_pad_is_told(self):
        craft = scenario.sandpiper()
        board = KitParts.of(craft).board
        hand = Hand(craft)
        hand.passes(2.0)
        edges, length = hand.bench.wire_edges()
        for pad, possible, said in (("T3", False, "no inverter sits"), ("T5", True, ""), ("T2", False, "no inverter sits")):
            way = what_would_read(edges, length, craft.settings.receiver_input, board, board.pad(pad))[0]
            self.assertEqual((way.possible, said in way.why_not), (possible, True), pad)

    def test_the_reasons_for_a_ports_setting(self):
        for craft, words in (
            (scenario.curlew(), ["rests low: inverted", "full duplex", "the UART inverts by itself"]),
            (scenario.sandpiper(), ["rests low: inverted", "half duplex", "neither the UART nor the pad"]),
            (scenario.coot(), ["pulses"]),
        ):
            asked = worked_out(craft, KitParts.of(craft))
            self.assertEqual(asked.settings, craft.settings.receiver_input)
            for word in words:
                self.assertIn(word, " ".join(asked.because))
        craft = scenario.curlew()
        craft.wiring = [patch.model_copy(update={"inverter": patch.pin == "SBUS"}) for patch in craft.wiring]
        asked = worked_out(craft, KitParts.of(craft))
        self.assertFalse(asked.settings.inverted)
        self.assertIn("An inverter stands in its wire", " ".join(asked.because))
