from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.test import SimpleTestCase

import scenario
from linkcore.bench.bench import Bench, CannotRun, cannot_run
from linkcore.bench.messages import BenchState
from linkcore.craft.document import CraftDocument, Patch, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices.board_api import Refused
from linkcore.findings import Edit
from linkcore.parts.catalogue import Catalogue, shipped
from linkcore.parts.models import Receiver
from linkcore.wiring.netlist import plan_edits, wire_key
from linkcore.wiring.planner import work_out
from scenario.bench import walk_proofs
from tests.crafts import crsf_craft, sbus_craft
from tests.hand import Hand
from tests.hazards import Pilot
from tests.wired import moved, other


def silent_because(hand: Hand) -> str:
    """What the Line hop says of a line without edges."""
    return next((finding.why for finding in hand.report().findings if finding.code in ("line.silent", "line.no-channels", "line.two-outputs")), "")


class WrongWiringTest(SimpleTestCase):
    """Wrong wiring is real on the bench: it does what it would do."""

    def fails(self, craft: CraftDocument, **hands: Any) -> Hand:
        hand = Hand(craft)
        hand.do(2.5, **hands)
        self.assertNotEqual(hand.board.link, "good")
        return hand

    def test_without_common_ground_nothing_is_heard(self):
        hand = self.fails(moved(crsf_craft(), "receiver", "GND", None))
        self.assertEqual((hand.report().told.line.protocol, hand.bench.live().light.pattern), (None, "off"))
        self.assertIn("loom.no-ground", hand.codes())
        self.assertIn("ground", silent_because(hand))

    def test_swapped_rx_and_tx_leave_the_wire_alive_but_the_pad_silent(self):
        craft = crsf_craft()
        hand = self.fails(moved(moved(craft, "receiver", "TX", "T6"), "receiver", "RX", "R6"))
        self.assertTrue(hand.bench.traffic.edges_sent > 0)
        self.assertTrue({"line.nothing-at-pad", "loom.not-crossed"} <= set(hand.codes()))

    def test_the_neighbour_pad_is_another_port(self):
        hand = self.fails(crsf_craft(pad="R5", port="U6"))
        self.assertIn("line.nothing-at-pad", hand.codes())
        hand.bench.take_document(crsf_craft())
        hand.passes(1.5)
        self.assertEqual(hand.board.link, "good")

    def weak_receiver(self, most_volts: float) -> Catalogue:
        return other(shipped().of(Receiver, "wisp-900"), supply={"min_volts": 3.0, "max_volts": most_volts, "ma": 20, "peak_ma": 25})

    def test_too_much_voltage_destroys_a_part_until_it_is_replaced(self):
        craft = crsf_craft()
        parts = KitParts.of(craft, self.weak_receiver(3.6))
        bench = Bench(craft, parts=parts)
        bench.run_until(2.0)
        self.assertEqual((bench.live().failed, bench.board.link), (["receiver"], "no signal"))
        three = moved(craft, "receiver", "5V", None)
        bench.take_document(three, KitParts.of(three, parts.catalogue))
        bench.run_until(4.0)
        self.assertEqual(bench.live().failed, ["receiver"], "mending the wire does not mend the part")
        kept = Bench(craft, BenchState.model_validate(bench.state().keep()), parts=KitParts.of(craft, self.weak_receiver(5.5)))
        kept.run_until(6.0)
        self.assertEqual((kept.live().failed, kept.board.link), (["receiver"], "no signal"))
        hand = Hand(craft)
        hand.bench = kept
        hand.to = kept.t
        hand.do(2.0, replaced="receiver")
        self.assertEqual((kept.live().failed, kept.board.link, kept.link.identity), ([], "no signal", ""), "the new one knows nobody")
        Pilot(kept).bind()
        self.assertEqual(kept.board.link, "good")

    def test_the_line_hop_says_that_the_receiver_has_failed(self):
        craft = crsf_craft()
        hand = Hand(craft)
        hand.bench.take_document(craft, KitParts.of(craft, self.weak_receiver(3.6)))
        hand.passes(2.5)
        self.assertIn("has failed", silent_because(hand))
        self.assertIn("loom.failed", hand.codes())

    def solved(self) -> CraftDocument:
        craft = scenario.avocet()
        parts = KitParts.of(craft)
        return apply_edits(craft, plan_edits(craft, parts, work_out(craft, parts).plans[0]))

    def test_a_rail_over_its_limit_on_usb_browns_the_board_out_until_the_pack_comes(self):
        hand = Hand(self.solved())
        hand.passes(1.0)
        self.assertEqual(hand.board.link, "good")
        hand.do(6.0, pack=False, usb=True)
        restarts = [event.text for event in hand.bench.board.events.last(200) if event.kind == "brown-out"]
        self.assertGreaterEqual(len(restarts), 2)
        self.assertTrue({"loom.brown-out", "line.silent"} & set(hand.codes()))
        hand.do(3.0, pack=True)
        self.assertEqual(hand.board.link, "good")
        self.assertNotIn("loom.brown-out", hand.codes())

    def test_within_its_limit_usb_alone_will_do(self):
        hand = Hand(sbus_craft())
        hand.do(3.0, pack=False, usb=True)
        self.assertEqual((hand.board.link, [event.text for event in hand.bench.board.events.last(200) if event.kind == "brown-out"]), ("good", []))

    def test_two_outputs_on_one_wire_hold_each_other_until_one_is_gone(self):
        craft = scenario.avocet()
        hand = self.fails(craft)
        self.assertIn("ESC drives the same wire", silent_because(hand))
        hand.bench.take_document(moved(craft, "ESC", "TLM", "R7"))
        hand.passes(1.5)
        self.assertEqual(hand.board.link, "good")

    def test_an_inverter_in_the_wire_turns_the_levels_over(self):
        craft = sbus_craft(inverted=False)
        craft.wiring = [patch.model_copy(update={"inverter": patch.pin == "SBUS"}) for patch in craft.wiring]
        hand = Hand(craft)
        hand.passes(1.0)
        self.assertEqual(hand.board.link, "good")
        self.fails(sbus_craft(inverted=False))

    def test_ends_that_do_not_understand_each_other_never_link(self):
        craft = crsf_craft()
        craft.kit.module = ""
        hand = self.fails(craft)
        self.assertIn("kit.no-shared-radio", hand.codes())
        self.assertIn("do not understand each other", silent_because(hand))


FEED = ["pack leads/GND/G2", "pack leads/V+/BAT"]


class RingOutTest(SimpleTestCase):
    def test_the_signal_rings_out_the_wires_it_can_only_have_come_through(self):
        silent = crsf_craft()
        silent.settings.telemetry.on = False
        hand = Hand(silent)
        hand.passes(1.5)
        self.assertEqual(sorted(hand.bench.new_rings), [*FEED, "receiver/5V/5V", "receiver/GND/G", "receiver/TX/R6"])
        self.assertNotIn("receiver/RX/T6", hand.bench.rung, "nothing has come back through it")
        hand = Hand(crsf_craft())
        hand.passes(1.5)
        self.assertIn("receiver/RX/T6", hand.bench.rung, "telemetry has")

    def test_what_a_device_says_rings_its_wires_where_the_board_reads_it(self):
        hand = Hand(scenario.curlew())
        hand.passes(3.0)
        rung = set(hand.bench.rung)
        self.assertLessEqual({"GPS/TX/R1", "ESC/TLM/R5", "receiver/S.Port/T4"}, rung)
        self.assertFalse([key for key in rung if key.startswith("GPS/RX")], "nobody speaks there")
        deaf = scenario.curlew()
        deaf.settings.port_baud = {"U1": 9600}
        hand = Hand(CraftDocument.model_validate(deaf.model_dump()))
        hand.passes(3.0)
        self.assertFalse([key for key in hand.bench.rung if key.startswith("GPS/")])

    def test_a_pin_with_two_wires_rings_neither(self):
        craft = crsf_craft()
        craft.wiring.append(Patch(device="receiver", pin="GND", pad="G2"))
        hand = Hand(craft)
        hand.passes(1.5)
        self.assertEqual(sorted(hand.bench.new_rings), [*FEED, "receiver/5V/5V", "receiver/RX/T6", "receiver/TX/R6"])

    def test_a_silent_line_rings_nothing(self):
        hand = Hand(crsf_craft(pad="R5", port="U6"))
        hand.passes(1.5)
        self.assertEqual(hand.bench.new_rings, [])
        self.assertEqual(len({wire_key(patch) for patch in crsf_craft().wiring}), 4)


class KitOnTheBenchTest(SimpleTestCase):
    def test_the_kit_rings_true_once_both_ends_link_and_the_sensors_answer(self):
        hand = Hand(scenario.curlew())
        self.assertEqual(hand.coins()["kit"], "rings true")
        blind = scenario.curlew()
        blind.wants.sensors = ["gyro", "airspeed"]
        self.assertEqual(Hand(blind).coins()["kit"], "blank")

    def test_a_craft_whose_line_cannot_be_made_has_no_bench_and_says_why(self):
        both = scenario.coot()
        both.kit.receiver = "pip-s4"
        silent = KitParts.of(both)
        mute = replace(silent, maybe_receiver=silent.receiver.model_copy(update={"outputs": (silent.receiver.outputs[0].model_copy(update={"jumper": True}),)}))
        self.assertIn("No output of the receiver sends", cannot_run(both, mute))
        with self.assertRaisesMessage(CannotRun, "Still to choose: board, receiver, transmitter"):
            Bench(scenario.dunlin())

    def test_the_board_takes_a_protocol_only_with_the_job_and_nothing_is_lost(self):
        hand = Hand(crsf_craft())
        stored = hand.bench.board.stored
        settings = apply_edits(crsf_craft(), [Edit(path="/settings/ports/U6", value="free")]).settings
        with self.assertRaisesMessage(Refused, "give a port the job"):
            hand.bench.write(settings)
        self.assertEqual(hand.bench.board.stored, stored)

    def test_what_was_measured_with_another_kit_proves_nothing(self):
        hand = Hand(scenario.curlew())
        walk_proofs(hand.bench)
        self.assertTrue(hand.bench.sticks.proven(hand.bench.board.running.stick_lines) and hand.bench.measured.seen)
        state = BenchState.model_validate(hand.bench.state().keep())
        same = Bench(scenario.curlew(), state)
        self.assertTrue(same.sticks.proven(same.board.running.stick_lines) and same.measured.seen)
        other_kit = scenario.curlew()
        other_kit.kit.receiver = "pip-s4"
        changed = Bench(other_kit, state)
        self.assertFalse(changed.sticks.proven(changed.board.running.stick_lines))
        self.assertEqual((changed.measured.seen, changed.measured.detents), (set(), {}))

    def test_a_part_that_was_exchanged_is_whole(self):
        craft = crsf_craft()
        weak = other(shipped().of(Receiver, "wisp-900"), supply={"min_volts": 3.0, "max_volts": 3.6, "ma": 20, "peak_ma": 25})
        bench = Bench(craft, parts=KitParts.of(craft, weak))
        bench.run_until(1.0)
        self.assertEqual(bench.live().failed, ["receiver"])
        exchanged = crsf_craft()
        exchanged.kit.receiver, exchanged.kit.module = "wisp-24", "wisp-nest-24"
        again = Bench(exchanged, BenchState.model_validate(bench.state().keep()))
        again.run_until(4.0)
        self.assertEqual((again.live().failed, again.live().light_means), ([], "It knows no transmitter."))
        Pilot(again).bind()
        self.assertEqual(again.board.link, "good")


class WaitingTest(SimpleTestCase):
    def test_a_bench_goes_on_with_a_draft_of_the_same_parts_only(self):
        bench = Bench(scenario.curlew())
        cases = {"board": "merle-f4", "receiver": "pip-s4", "transmitter": "stile-t12"}
        for role, part in cases.items():
            craft = scenario.curlew()
            setattr(craft.kit, role, part)
            self.assertFalse(bench.has_parts_of(craft, KitParts.of(craft)), role)
        craft = scenario.curlew()
        craft.kit.devices = craft.kit.devices[:1]
        self.assertTrue(bench.has_parts_of(craft, KitParts.of(craft)))
        craft.kit.board = ""
        self.assertFalse(bench.has_parts_of(craft, KitParts.of(craft)))
