"""Proven means proven: what once rang true, or counted as mended, and was not."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.test import SimpleTestCase

import scenario
from linkcore.bench.messages import BenchState
from linkcore.chain import still_findings
from linkcore.craft.document import CraftDocument, Fitted, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices.flash_job import Fault, FlashOrder
from linkcore.devices.motors import motor_percent
from linkcore.findings import Edit, Finding
from linkcore.hops.bind.rules import check_bind
from linkcore.hops.kit.ability import ability
from linkcore.hops.kit.exchange import remove_device, rename_device
from linkcore.hops.kit.rules import check_kit
from linkcore.hops.loom.rules import check_loom
from linkcore.hops.port_plan.pads import pad_facts
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.hops.switchboard.rules import check_switches
from linkcore.protocols import crsf
from linkcore.protocols.base import BadFrame, ChannelFrame
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import UartSettings, read_all, send
from linkcore.wiring.netlist import plan_edits
from scenario.bench import walk_proofs
from tests.crafts import crsf_craft, sbus_craft, whole_of, with_escs
from tests.hand import Hand, fly
from tests.hazards import IMAGES
from tests.kits import every_receiver
from tests.mends import miswired, wrong_mends
from tests.planes import plane


def edited(craft: CraftDocument, **changes: Any) -> CraftDocument:
    """A craft with other values at paths whose slashes are written as double underscores."""
    return apply_edits(craft, [Edit(path=f"/{path.replace('__', '/')}", value=value) for path, value in changes.items()])


def of_code(findings: list[Finding], code: str) -> Finding:
    return next(each for each in findings if each.code == code)


def move_all_sticks(hand: Hand) -> None:
    for x, y in ((-1, -1), (1, 1)):
        hand.do(0.3, left={"x": x, "y": y}, right={"x": x, "y": y})
    hand.do(1.0, left={"x": 0, "y": -1}, right={"x": 0, "y": 0})


class ServoTest(SimpleTestCase):
    def test_a_servo_that_is_taken_out_leaves_nothing_behind(self):
        craft = edited(plane(), settings__servo_reverse=["elevator"], servos_turned={"elevator": True, "left aileron": False, "right aileron": False})
        gone = apply_edits(craft, remove_device(craft, "elevator").edits)
        self.assertEqual((gone.servos_turned, gone.settings.servo_reverse), ({"left aileron": False, "right aileron": False}, []))

    def test_the_fix_is_the_bench_s_where_a_gps_is_fitted_whatever_it_is_called(self):
        craft = scenario.curlew()
        self.assertTrue(Hand(apply_edits(craft, rename_device(craft, "GPS", "finder").edits)).bench.live().gps_fix)
        self.assertIsNone(Hand(apply_edits(craft, remove_device(craft, "GPS").edits)).bench.live().gps_fix)


class ThrottleTest(SimpleTestCase):
    def test_low_just_below_its_line_is_warned_of_and_what_the_motors_do_is_said(self):
        craft = edited(sbus_craft(), transmitter__channels__2__sub_trim_us=75)
        hand = Hand(craft)
        move_all_sticks(hand)
        low = hand.bench.sticks.reached["throttle"].places("throttle").low
        self.assertTrue(1070 < low <= 1080)
        warned = of_code(hand.report().findings, "sticks.throttle-margin")
        self.assertIn(f"the armed motors turn at {motor_percent(low, 6):.0f} %", warned.why)
        self.assertIn("stick down, the armed motors turn at 13 %", hand.report().told.sticks.verdicts["throttle"])
        fly(hand)
        self.assertAlmostEqual(hand.board.motors_percent, motor_percent(low, 6), delta=0.2, msg="what is said is what the board does")
        hand.do(0.5, switches={"S1": 0})
        mended = Hand(apply_edits(craft, warned.mends[0].edits))
        move_all_sticks(mended)
        self.assertNotIn("sticks.throttle-margin", mended.codes())


class WireTest(SimpleTestCase):
    def test_a_wire_that_is_moved_on_a_running_bench_reads_as_in_life(self):
        craft = plane()
        place = next(index for index, patch in enumerate(craft.wiring) if patch.pin == "F.Port")
        hand = Hand(edited(craft, **{f"wiring__{place}__pad": "T3"}))
        hand.bench.restart()
        hand.passes(6.0)
        self.assertEqual(hand.bench.observed.port_reading().good, 0)
        hand.bench.take_document(craft)
        hand.passes(2.0)
        self.assertTrue(hand.bench.observed.port_reading().reads, hand.bench.observed.port_reading())
        hand.bench.take_document(edited(craft, **{f"wiring__{place}__pad": "T3"}))
        hand.passes(1.5)
        self.assertEqual(hand.bench.observed.port_reading().good, 0)
        hand.bench.take_document(craft)
        hand.passes(2.0)
        self.assertEqual((hand.board.link, hand.bench.observed.port_reading().reads), ("good", True))


class LandingTest(SimpleTestCase):
    def test_a_bench_that_was_kept_while_landing_goes_on(self):
        hand = Hand(edited(crsf_craft(), settings__lost_link__response="land"))
        fly(hand)
        hand.do(1.5, transmitter_on=False)
        self.assertEqual((hand.board.link, hand.board.armed), ("lost", True))
        again = Hand(hand.bench.document, BenchState.model_validate(hand.bench.state().keep()))
        again.passes(8.0)
        again.do(2.0, transmitter_on=True)
        self.assertEqual(again.board.link, "good")

    def test_the_pack_may_come_out_while_it_lands(self):
        hand = Hand(edited(crsf_craft(), settings__lost_link__response="land"))
        fly(hand)
        hand.do(1.5, transmitter_on=False)
        hand.do(0.2, usb=True)
        hand.do(25.0, pack=False)
        self.assertEqual((hand.board.armed, hand.report().told.lost_link.proven), (False, False))


class MendTest(SimpleTestCase):
    def test_every_mend_mends_and_makes_nothing_worse(self):
        tried = 0
        for seed in range(80):
            count, wrong = wrong_mends(miswired(seed))
            self.assertEqual(wrong, [], f"seed {seed}")
            tried += count
        for craft in (scenario.curlew(), scenario.avocet(), scenario.sandpiper(), scenario.coot(), plane()):
            count, wrong = wrong_mends(craft)
            self.assertEqual(wrong, [], craft.name)
            tried += count
        self.assertGreater(tried, 150)

    def test_the_red_lead_that_feeds_a_fed_rail_is_the_one_that_is_lifted(self):
        craft = scenario.curlew()
        craft.kit.devices = [*craft.kit.devices, craft.kit.devices[0].model_copy(update={"name": "drive", "part": "oar-25"})]
        craft.wiring = [craft.wiring[0].model_copy(update={"device": "drive", "pin": "BEC", "pad": "5V"}), *craft.wiring]
        craft = CraftDocument.model_validate(craft.model_dump())
        finding = of_code(check_loom(craft, KitParts.of(craft)), "loom.two-sources")
        (mend,) = finding.mends
        self.assertEqual(mend.text, "Lift the red lead of drive")
        mended = apply_edits(craft, mend.edits)
        lost = {(patch.device, patch.pin) for patch in craft.wiring} - {(patch.device, patch.pin) for patch in mended.wiring}
        self.assertEqual(lost, {("drive", "BEC")})
        self.assertNotIn("loom.two-sources", [each.code for each in still_findings(whole_of(mended))])


class AxisTest(SimpleTestCase):
    def test_turning_one_dial_leaves_the_other_axes_as_they_were_measured(self):
        hand = Hand(sbus_craft())
        move_all_sticks(hand)
        self.assertEqual(hand.coins()["sticks"], "rings true")
        for path, value in (("transmitter__channels__0__sub_trim_us", 4), ("transmitter__channels__0__reverse", True)):
            before = {axis: each.model_copy() for axis, each in hand.bench.sticks.reached.items()}
            hand.bench.take_document(edited(hand.bench.document, **{path: value}))
            reached = hand.bench.sticks.reached
            self.assertIsNone(reached["roll"].low)
            self.assertEqual({axis: reached[axis] for axis in ("pitch", "throttle", "yaw")}, {axis: before[axis] for axis in ("pitch", "throttle", "yaw")})
            self.assertEqual(hand.coins()["sticks"], "tarnished")
            hand.do(0.3, right={"x": -1, "y": 0})
            hand.do(0.3, right={"x": 1, "y": 0})
            hand.do(1.0, right={"x": 0, "y": 0})
            self.assertEqual(hand.coins()["sticks"], "rings true", "the one axis is all that had to be seen again")
        hand.bench.take_document(edited(hand.bench.document, transmitter__channels__0__source="rudder", transmitter__channels__3__source="aileron"))
        self.assertEqual({each.low for each in hand.bench.sticks.reached.values()}, {None}, "what is no turn of a dial drops them all")


class FirmwareTest(SimpleTestCase):
    def test_a_board_without_firmware_proves_nothing_and_is_not_known(self):
        hand = Hand(crsf_craft())
        move_all_sticks(hand)
        before = hand.coins()
        self.assertEqual((before["line"], before["sticks"]), ("rings true", "rings true"))
        hand.do(2.0, usb=True)
        facts, content = IMAGES["ouzel-h7-4.2.0.hex"]
        hand.bench.loading.start(FlashOrder(role="board", image="x", way="request", full_erase=True), content, facts, hand.bench.t)
        hand.bench.loading.fault = Fault(kind="cable pulled", at_percent=40)
        hand.passes(20.0)
        self.assertFalse(hand.bench.loading.runs("board"))
        after = hand.coins()
        self.assertEqual({hop: after[hop] for hop in ("port plan", "line", "sticks")}, dict.fromkeys(("port plan", "line", "sticks"), "tarnished"))
        self.assertIn("which devices have whole firmware", next(state.why for state in hand.report().chain if state.hop == "sticks"))
        self.assertIsNone(hand.report().on_board, "nobody knows what it holds")


class RoundingTest(SimpleTestCase):
    def test_each_difference_says_why_and_can_be_settled_from_either_side(self):
        hand = Hand(edited(crsf_craft(), settings__lost_link__grace_ms=437))
        hand.bench.write(hand.bench.document.settings)
        hand.bench.read_back()
        (rounded,) = [each for each in hand.report().differences if each.path == "/lost_link/grace_ms"]
        self.assertEqual((rounded.because, rounded.on_board), ("rounded", 440))
        hand.bench.take_document(apply_edits(hand.bench.document, [rounded.take]))
        self.assertEqual(hand.report().differences, [])
        hand.bench.take_document(edited(hand.bench.document, settings__lost_link__response="land", settings__modes=[]))
        found = {each.path: each for each in hand.report().differences}
        self.assertEqual({each.because for each in found.values()}, {"not written"})
        for each in found.values():
            hand.bench.take_document(apply_edits(hand.bench.document, [each.take]))
        self.assertEqual(hand.report().differences, [])


def dsm_frames(second_bytes: list[int], bits: int = 11) -> bytes:
    """Frames of an external satellite, whose first two bytes count fades."""
    return b"".join(
        bytes((0, fades)) + b"".join(((channel << bits) | (1 << (bits - 1)) + 3 * channel).to_bytes(2, "big") for channel in (1, 5, 2, 3, 0, 6, 4))
        for fades in second_bytes
    )


def timed(data: bytes, length: int, period_s: float = 0.011) -> list[float]:
    return [1.0 + (at // length) * period_s + (at % length) * 87e-6 for at in range(len(data))]


class DecoderTest(SimpleTestCase):
    def good(self, name: str, data: bytes, times: list[float] | None) -> int:
        decoder = RECEIVER_PROTOCOLS[name].decoder()
        return sum(isinstance(frame, ChannelFrame) for frame in decoder.feed(data, times) + decoder.finish())

    def test_a_count_of_fades_that_looks_like_the_other_system_is_none(self):
        for name, bits, fades in (("DSMX", 11, (0x01, 0x12)), ("DSM2", 10, (0xA2, 0xB2))):
            for count in fades:
                data = dsm_frames([0] + [count] * 19, bits)
                self.assertEqual(self.good(name, data, timed(data, 16)), 20, (name, count))
        decoder = RECEIVER_PROTOCOLS["DSMX"].decoder()
        told = decoder.feed(dsm_frames([0x01] * 5), timed(dsm_frames([0x01] * 5), 16)) + decoder.finish()
        self.assertTrue(all(isinstance(frame, ChannelFrame) for frame in told), "one frame's ids tell already")
        self.assertEqual(len({tuple(frame.channels) for frame in told}), 1)

    def test_more_bytes_than_a_frame_between_two_rests_are_no_good_frames(self):
        data = b"".join(dsm_frames([0xB2]) + b"\x00" for _ in range(20))
        decoder = RECEIVER_PROTOCOLS["DSMX"].decoder()
        frames = decoder.feed(data, timed(data, 17)) + decoder.finish()
        bad = sum(isinstance(frame, BadFrame) for frame in frames)
        self.assertGreaterEqual(bad, 19, "each burst of seventeen says that it is one too many")

    def test_without_times_a_frame_waits_for_the_next_ones_system_byte(self):
        frames = dsm_frames([0xB2] * 4)
        for data in (frames, frames[:16] + b"\x55" + frames[16:]):
            whole, bytewise = RECEIVER_PROTOCOLS["DSMX"].decoder(), RECEIVER_PROTOCOLS["DSMX"].decoder()
            at_once = whole.feed(data) + whole.finish()
            one_by_one = [frame for byte in data for frame in bytewise.feed(bytes((byte,)))] + bytewise.finish()
            self.assertEqual(at_once, one_by_one)

    def test_a_pause_inside_a_frame_is_seen_however_its_bytes_come(self):
        frame = crsf.encode_channels([992] * 16)
        data = frame * 6
        times = [
            1.0 + (at // len(frame)) * 0.004 + (at % len(frame)) * 24e-6 + (0.00035 if at // len(frame) == 2 and at % len(frame) > 12 else 0.0)
            for at in range(len(data))
        ]
        found = []
        for size in (1, 2, 5, 13, len(data)):
            decoder = crsf.SPEC.decoder()
            frames = [each for cut in range(0, len(data), size) for each in decoder.feed(data[cut : cut + size], times[cut : cut + size])] + decoder.finish()
            found.append([isinstance(each, ChannelFrame) for each in frames])
        self.assertEqual(found, [found[0]] * 5)
        self.assertEqual(found[0].count(True), 5)

    def test_the_middle_of_the_start_bit_decides(self):
        bit = 1 / 115200
        clean = send(b"\x5b", 0.001, UartSettings(115200))
        early = clean.times - np.array([0.08 * bit * (at == 1) for at in range(len(clean.times))])  # the start bit ends a little early
        glitched = Edges(clean.level, np.sort(np.concatenate((early, [clean.times[0] + 0.3 * bit, clean.times[0] + 0.45 * bit]))))
        spike = Edges(1, np.array([0.0005, 0.0005 + 0.2 * bit]))
        self.assertEqual(read_all(glitched, UartSettings(115200), 0.01).data.tolist(), [0x5B], "what happens before its middle does not count")
        self.assertEqual(read_all(spike, UartSettings(115200), 0.01).data.tolist(), [], "a spike is no start bit")


class CoinTest(SimpleTestCase):
    def test_a_coin_that_rings_true_counts_what_was_proven_and_not_what_is_measured_anew(self):
        hand = Hand(scenario.curlew())
        walk_proofs(hand.bench)
        hand.to = hand.bench.t
        for hop, value in (("sticks", "4 of 4 axes"), ("switchboard", "6 of 6 rows")):
            hand.bench.measure_anew()
            state = next(each for each in hand.report().chain if each.hop == hop)
            self.assertEqual((state.coin, state.value), ("rings true", value))

    def test_kit_and_load_say_alike_how_many_channels_arrive(self):
        craft = scenario.coot()
        craft.kit.transmitter, craft.wants.channels = "field-9", 6
        can = ability(craft, KitParts.of(craft))
        told = Hand(craft).report().told.load
        self.assertEqual((told.arrives.channels, told.arrives.limit), (can.channels, can.channels_limit))
        self.assertLess(told.arrives.channels, told.link.channels, "the air carries more than the leads")


class FeedTest(SimpleTestCase):
    def test_a_board_that_nothing_feeds_is_dark_without_its_cable(self):
        craft = edited(crsf_craft(), feed="nothing")
        hand = Hand(craft)
        hand.passes(1.5)
        self.assertTrue(hand.bench.pack)
        self.assertFalse(hand.bench.powered)
        hand.do(1.5, usb=True)
        self.assertTrue(hand.bench.powered)
        hand.do(0.2, usb=False)
        finding = of_code(hand.report().findings, "loom.no-feed")
        hand.bench.take_document(apply_edits(craft, finding.mends[0].edits))
        hand.passes(2.0)
        self.assertEqual((hand.bench.powered, hand.board.link), (True, "good"))
        hand.bench.take_document(craft)
        hand.passes(0.2)
        self.assertFalse(hand.bench.powered)

    def test_a_quad_needs_an_esc_for_each_motor(self):
        def lacking(craft: CraftDocument) -> list[str]:
            return [each.what for each in check_kit(craft, KitParts.of(craft)) if each.code == "kit.no-drive"]

        curlew = scenario.curlew()
        self.assertEqual(lacking(curlew), [])
        bare = apply_edits(curlew, remove_device(curlew, "ESC").edits)
        self.assertEqual(lacking(bare), ["A quad X has 4 motors, each with an ESC; there is none in the kit."])
        self.assertEqual(lacking(edited(bare, airframe="rover")), [])
        self.assertEqual(
            lacking(edited(with_escs(crsf_craft()), kit__devices=[{"name": f"ESC {n}", "part": "oar-25"} for n in range(3)], wiring=[])),
            ["A quad X has 4 motors, each with an ESC; the kit's drive 3."],
        )
        self.assertEqual(
            lacking(edited(bare, kit__devices=[{"name": f"servo {n}", "part": "strand-9"} for n in range(4)], wiring=[])),
            ["A quad X has 4 motors, each with an ESC; there is none in the kit."],
        )


class BindTest(SimpleTestCase):
    def test_power_cycles_before_the_bind_prove_nothing_and_tick_no_step(self):
        hand = Hand(crsf_craft())
        hand.do(0.5, transmitter_phrase="the old phrase", receiver_phrase="another phrase")
        hand.do(1.0, receiver_plugged=False)
        hand.do(1.0, receiver_plugged=True)
        hand.do(1.0, transmitter_on=False)
        hand.do(1.0, transmitter_on=True)
        told = hand.report().told.bind
        self.assertEqual([step.text for step in told.steps if step.done and "off and on again" in step.text], [])
        hand.do(2.0, receiver_phrase="the old phrase")
        told = hand.report().told.bind
        self.assertTrue(told.knows)
        self.assertFalse(told.proven)
        self.assertEqual([step.text for step in told.steps if step.done and "off and on again" in step.text], [])

    def test_after_register_the_next_step_leads_on(self):
        hand = Hand(plane())
        hand.do(0.5, forget_bind=True, way="register")
        hand.do(0.5, receiver_plugged=False)
        hand.do(0.5, bind_button=True)
        hand.do(0.5, receiver_plugged=True)
        hand.do(2.0, transmitter_mode="register")
        told = hand.report().told.bind
        self.assertEqual(told.receiver.state, "registered, not bound yet")
        self.assertEqual(next(step.text for step in told.steps if step.next), "Take the transmitter out of register")


class MendedTest(SimpleTestCase):
    """What a finding of the board says of the draft."""

    def mends(self, hand: Hand, code: str) -> list[tuple[str, str]]:
        return [(mend.text.split(":")[0], mend.act) for mend in of_code(hand.report().findings, code).mends]

    def test_mended_in_the_draft_then_written_then_gone(self):
        hand = Hand(sbus_craft(inverted=False))
        hand.passes(1.0)
        hand.bench.take_document(edited(hand.bench.document, settings__receiver_input__inverted=True))
        self.assertEqual(self.mends(hand, "ports.inversion"), [("Mended in the draft", "write")])
        hand.bench.write(hand.bench.document.settings)
        self.assertEqual(self.mends(hand, "ports.inversion"), [("Written to the board, which takes it when it starts", "restart")])
        hand.bench.restart()
        hand.passes(2.0)
        self.assertNotIn("ports.inversion", hand.codes())

    def test_a_band_that_holds_nothing_any_more_has_not_mended_its_clearance(self):
        hand = Hand(edited(crsf_craft(), settings__arming={"channel": 5, "low": 1990, "high": 2150}))
        fly(hand)
        self.assertIn("switchboard.clearance", hand.codes())
        hand.bench.take_document(edited(hand.bench.document, settings__arming={"channel": 5, "low": 2100, "high": 2150}))
        self.assertEqual(self.mends(hand, "switchboard.clearance"), [("Otherwise in the draft, with a finding of its own there", "")])

    def test_what_a_button_does_on_the_bench_mends_the_finding(self):
        hand = Hand(crsf_craft())
        hand.do(0.5, distance_m=0.1)
        heavy = crsf_craft()
        heavy.kit.devices = [Fitted(name="modem", part="reedline"), Fitted(name="GPS", part="tern-8"), Fitted(name="flow", part="plumb-f")]
        browned = Hand(apply_edits(heavy, plan_edits(heavy, KitParts.of(heavy), None)))
        browned.do(0.5, pack=False, usb=True)
        for each, code in ((hand, "bind.too-close"), (browned, "loom.brown-out")):
            with self.subTest(code):
                (mend,) = of_code(each.report().findings, code).mends
                each.do(1.0, **mend.hands)
                self.assertNotIn(code, each.codes())


class CountTest(SimpleTestCase):
    """A satellite speaks as the bind count asked, odd and even, DSM2 and DSMX."""

    def bound_by(self, name: str, count: int) -> Hand:
        craft = next(craft for each, craft in every_receiver() if each == name)
        hand = Hand(craft)
        hand.do(0.2, forget_bind=True)
        for count_now in (count, 0):
            hand.bench.take_document(edited(hand.bench.document, settings__bind_count=count_now))
            hand.bench.write(hand.bench.document.settings)
            hand.do(0.5, pack=False)
            hand.do(2.0, pack=True)
            if count_now:
                self.assertEqual(hand.bench.receiver.state, "bind" if count >= 3 else "unbound")
                hand.do(2.0, transmitter_mode="bind")
                hand.do(0.2, transmitter_mode="normal")
        hand.passes(1.5)
        return hand

    def test_every_count_makes_a_satellite_speak_what_it_asks_for(self):
        systems = {3: "01", 5: "12", 7: "A2", 9: "B2"}
        for count in range(1, 11):
            with self.subTest(count):
                hand = self.bound_by("twin-leaf", count)
                said = hand.report().told.line
                codes = hand.codes()
                self.assertEqual(hand.bench.link.knows, count >= 3)
                self.assertEqual("line.no-frames" in codes, count in (3, 5))
                self.assertEqual("bind.speaks-other" in codes, count in (3, 5))
                if count in systems and said.wave and said.wave.as_sent:
                    self.assertEqual(f"{hand.bench.receiver.speech.system:02X}", systems[count])
                if count >= 7:
                    self.assertEqual(hand.board.link, "good")
                    rate = hand.board.good_per_s
                    self.assertAlmostEqual(rate, 45 if count < 9 else 91, delta=3)

    def test_a_satellite_that_knows_no_dsmx_comes_down_to_dsm2(self):
        for count in (5, 9):
            hand = self.bound_by("single-leaf", count)
            self.assertEqual((hand.board.link, "bind.speaks-other" in hand.codes()), ("good", False))

    def test_what_each_count_asks_for_is_said_before_it_is_written(self):
        craft = next(craft for each, craft in every_receiver() if each == "twin-leaf")
        expected = {
            1: "bind.count-kind",
            2: "bind.count-kind",
            3: "bind.count-kind",
            6: "bind.count-external",
            8: "bind.count-external",
            10: "bind.count-external",
            9: None,
            7: None,
        }
        for count, code in expected.items():
            found = [each.code for each in check_bind(edited(craft, settings__bind_count=count), KitParts.of(craft))]
            self.assertEqual(found, ["bind.count-left", *([code] if code else [])], count)
        kept = self.bound_by("twin-leaf", 5).bench.state().keep()
        self.assertIn("bind.speaks-other", Hand(craft, BenchState.model_validate(kept)).codes())


class ModesTest(SimpleTestCase):
    def test_two_modes_on_one_position_are_found_across_channels(self):
        def found(second_source: str, low: float, high: float) -> list[tuple[str, str]]:
            craft = scenario.curlew()
            craft.transmitter.channels[6].source = second_source
            craft = CraftDocument.model_validate(craft.model_dump())
            bands = [{"mode": "angle", "channel": 6, "low": 850, "high": 1250}, {"mode": "horizon", "channel": 7, "low": low, "high": high}]
            craft = edited(craft, settings__modes=bands)
            check = check_switches(craft, KitParts.of(craft), SwitchMeasure())
            return [(each.code, each.severity) for each in check if each.code in ("switchboard.overlap", "switchboard.gives-way")]

        source = scenario.curlew().transmitter.source(6)
        other = scenario.curlew().transmitter.source(7)
        self.assertEqual(found(source, 850, 1250), [("switchboard.overlap", "stop")])
        self.assertEqual(found(source, 1750, 2150), [])
        self.assertEqual(found(other, 1750, 2150), [("switchboard.gives-way", "note")])
        self.assertEqual(found(other, 1100, 1200), [], "it holds nowhere, so nothing clashes")

    def test_a_pad_with_the_receivers_name_says_which_port_it_belongs_to(self):
        craft = edited(scenario.curlew(), kit__board="sanderling-f4", wiring=[])
        pad = next(each for each in pad_facts(craft, KitParts.of(craft)) if each.pad == "PIP")
        self.assertEqual((pad.port, pad.abilities[0]), ("U2", "U2 listens here"))
