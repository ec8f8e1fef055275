"""Transmitter, air, receiver and board, each by itself."""

from __future__ import annotations

import itertools
import random

from django.test import SimpleTestCase

from linkcore.bench.bench import Bench
from linkcore.bench.messages import Hands
from linkcore.craft.document import BoardSettings, CraftDocument, apply_edits
from linkcore.craft.starting import transmitter_setup
from linkcore.devices.board_api import Refused
from linkcore.findings import Edit
from linkcore.parts.axes import LETTER_OF
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board, Receiver, Transmitter
from linkcore.protocols.base import ChannelFrame, TelemetryFrame
from linkcore.protocols.counts import raw_from_us
from linkcore.protocols.registry import PROTOCOLS
from linkcore.signal.edges import NO_TIMES
from linkcore.signal.uart import send
from linkcore.standins.board import StandInBoard
from linkcore.standins.radio import NOISE_US, STICKS, Air, StandInReceiver, StandInTransmitter
from tests.crafts import bound, crsf_craft, sbus_craft

HARROW = shipped().of(Transmitter, "harrow-16")
SILENT = [1500.0] * 16


def with_order(order: str, stick_mode: int) -> CraftDocument:
    craft = crsf_craft()
    craft.transmitter = transmitter_setup(HARROW, order, stick_mode)
    craft.settings.channel_map = order
    return CraftDocument.model_validate(craft.model_dump())


class TransmitterTest(SimpleTestCase):
    def test_all_24_orders_and_4_stick_modes_put_each_axis_on_its_channel(self):
        for order, mode in itertools.product(map("".join, itertools.permutations("AETR")), (1, 2, 3, 4)):
            transmitter = StandInTransmitter(HARROW, with_order(order, mode), random.Random(1))
            for axis, (stick, direction) in STICKS[mode].items():
                transmitter.gimbals = {"left": {"x": 0.0, "y": 0.0}, "right": {"x": 0.0, "y": 0.0}}
                transmitter.gimbals[stick][direction] = 1.0
                transmitter.settle()
                letter = LETTER_OF[axis]
                expected = [1500.0] * 4
                expected[order.index(letter)] = 2000.0
                self.assertEqual(transmitter.outputs_us()[:4], expected, (order, mode, axis))

    def test_the_throttle_starts_low_in_every_stick_mode(self):
        for mode in (1, 2, 3, 4):
            transmitter = StandInTransmitter(HARROW, with_order("AETR", mode), random.Random(1))
            self.assertEqual(transmitter.outputs_us()[:4], [1500, 1500, 1000, 1500])

    def test_switches_have_their_positions(self):
        transmitter = StandInTransmitter(HARROW, crsf_craft(), random.Random(1))
        for name, position, us in (("S1", 0, 1000), ("S1", 1, 2000), ("S2", 0, 1000), ("S2", 1, 1500), ("S2", 2, 2000)):
            transmitter.switches[name] = position
            transmitter.settle()
            self.assertEqual(transmitter.outputs_us()[4 if name == "S1" else 5], us)

    def test_travel_stops_at_the_transmitters_limit(self):
        craft = crsf_craft()
        craft.transmitter.channels[0].travel_high_percent = 150
        field = shipped().of(Transmitter, "field-9")  # its limit is 125 %
        transmitter = StandInTransmitter(field, craft, random.Random(1))
        transmitter.gimbals["right"]["x"] = 1.0
        transmitter.settle()
        self.assertEqual(transmitter.outputs_us()[0], 1500 + 1.25 * 400)

    def test_gimbals_are_restless_and_switches_are_not(self):
        transmitter = StandInTransmitter(HARROW, crsf_craft(), random.Random(4))
        frames = [transmitter.frame(0.0) for _ in range(400)]
        self.assertTrue(1 < len({raw_from_us(frame[0]) for frame in frames}) <= 5)
        self.assertEqual({frame[4] for frame in frames}, {1000})
        mean = sum(frame[0] for frame in frames) / len(frames)
        self.assertAlmostEqual(mean, 1500, delta=NOISE_US)


class AirTest(SimpleTestCase):
    def test_lq_is_the_share_of_the_last_hundred(self):
        air = Air(random.Random(2))
        self.assertEqual(air.lq_percent, 0)
        for _ in range(250):
            air.carries(True, 0, 0.0)
        self.assertEqual(air.lq_percent, 100)
        for _ in range(30):
            air.carries(False, 0, 0.0)
        self.assertEqual(air.lq_percent, 70)
        heard = sum(air.carries(True, 25, 0.0) for _ in range(4000))
        self.assertAlmostEqual(heard / 4000, 0.75, delta=0.03)


class ReceiverTest(SimpleTestCase):
    def frames(self, receiver: StandInReceiver, heard: list[bool], start: float = 0.0):
        spec = receiver.spec
        decoder, encoder = spec.decoder(), spec.encoder()
        out = []
        for index, hears in enumerate(heard):
            t = start + index * receiver.part.link_period_s
            for at, said in receiver.slot(t, SILENT if hears else None, 100):
                data = said if isinstance(said, bytes) else encoder.frame(said)
                out += decoder.feed(data, [at + place * spec.uart.byte_s for place in range(len(data))])
        return out + decoder.finish()

    def make(self, part_id: str, on_loss: str) -> StandInReceiver:
        craft = apply_edits(sbus_craft() if part_id == "pip-s8" else crsf_craft(), [Edit(path="/receiver/on_loss", value=on_loss)])
        return bound(StandInReceiver(shipped().of(Receiver, part_id), craft, PROTOCOLS["SBUS" if part_id == "pip-s8" else "CRSF"]))

    def test_it_is_silent_until_it_has_had_a_link(self):
        for part_id in ("pip-s8", "wisp-900"):
            receiver = self.make(part_id, "preset")
            frames = self.frames(receiver, [False] * 300)
            self.assertEqual([frame for frame in frames if isinstance(frame, ChannelFrame)], [], part_id)
            self.assertEqual(receiver.light, receiver.part.binding.lights["no link"])

    def test_sbus_marks_lost_frames_and_then_gives_up(self):
        slots = [True] * 20 + [False] * 100
        for on_loss, after in (("no pulses", []), ("hold", [(False, False)]), ("preset", [(True, True)])):
            frames = self.frames(self.make("pip-s8", on_loss), slots)
            flags = [(frame.frame_lost, frame.failsafe) for frame in frames]
            self.assertEqual(flags[:20], [(False, False)] * 20)
            gives_up = next((index for index, (lost, failsafe) in enumerate(flags[20:]) if not (lost and not failsafe)), len(flags) - 20)
            self.assertAlmostEqual(gives_up * 0.009, 0.6, delta=0.02)
            self.assertEqual(sorted(set(flags[20 + gives_up :])), after, on_loss)

    def test_crsf_skips_what_it_did_not_hear_and_reports_the_link(self):
        frames = self.frames(self.make("wisp-900", "no pulses"), [True, False] * 250)
        self.assertEqual(sum(isinstance(frame, ChannelFrame) for frame in frames), 250)
        reports = [frame for frame in frames if isinstance(frame, TelemetryFrame)]
        self.assertTrue(39 <= len(reports) <= 43, "ten a second, for 500 slots at 120 Hz")
        self.assertEqual({report.sensor for report in reports}, {"link_statistics"})
        self.assertEqual(reports[-1].values["uplink_lq_percent"], 100)

    def test_lights(self):
        receiver = self.make("pip-s8", "no pulses")
        lights = receiver.part.binding.lights
        self.frames(receiver, [True])
        receiver.tick(0.1)
        self.assertEqual(receiver.light, lights["linked"])
        receiver.end.forget()
        receiver.tick(0.2)
        self.assertEqual((receiver.light, self.frames(receiver, [True])), (lights["unbound"], []))
        receiver.power(False, 1.0)
        self.assertEqual((receiver.light.pattern, self.frames(receiver, [True])), ("off", []))


class BoardTest(SimpleTestCase):
    def board(self, craft: CraftDocument | None = None) -> StandInBoard:
        craft = craft or sbus_craft()
        return StandInBoard(shipped().of(Board, craft.kit.board), craft.settings)

    def fly(self, board: StandInBoard, start: float, seconds: float, **us: float) -> float:
        """Frames every 10 ms with these channels; returns the end."""
        values = [us.get(f"ch{number}", 1000.0 if number in (3, 5) else 1500.0) for number in range(1, 17)]
        t = start
        while t < start + seconds:
            board.take([ChannelFrame(t, tuple(values), tuple(SILENT))], t)
            t += 0.01
        return t

    def test_grace_keeps_the_last_values_and_a_short_gap_is_forgiven(self):
        board = self.board()
        t = self.fly(board, 0.0, 1.0, ch1=1700)
        board.take([], t + 0.2)
        self.assertEqual((board.link, board.axes()["roll"]), ("grace", 1700))
        t = self.fly(board, t + 0.2, 0.1, ch1=1700)
        self.assertEqual(board.link, "good")
        board.take([], t + 0.5)
        self.assertEqual((board.link, board.axes()["roll"], board.axes()["throttle"]), ("lost", 1500, 1000))

    def test_throttle_can_hold_instead(self):
        craft = apply_edits(sbus_craft(), [Edit(path="/settings/lost_link/throttle_fallback", value="hold")])
        board = self.board(craft)
        t = self.fly(board, 0.0, 1.0, ch3=1640)
        board.take([], t + 1.0)
        self.assertEqual((board.link, board.axes()["throttle"]), ("lost", 1640))

    def test_a_link_that_returns_must_be_steady(self):
        board = self.board()
        t = self.fly(board, 0.0, 1.0)
        board.take([], t + 1.0)
        t = self.fly(board, t + 1.0, 0.1)
        self.assertEqual(board.link, "lost")
        t = self.fly(board, t, 0.2)
        self.assertEqual(board.link, "good")

    def test_blockers_one_after_the_other(self):
        board = self.board(apply_edits(sbus_craft(), [Edit(path="/settings/arming", value=None)]))
        self.assertEqual([each.what for each in board.blockers(5.0)], ["no signal", "no mode band for arming"])
        board = self.board()
        t = self.fly(board, 0.0, 0.5, ch3=1400, ch5=2000)
        self.assertEqual([each.what.split(" (")[0] for each in board.blockers(t + 1)], ["throttle not low", "arm switch already on"])
        t = self.fly(board, t, 0.5, ch5=1000)
        self.assertEqual(board.blockers(t), [])
        t = self.fly(board, t, 0.5, ch5=2000)
        self.assertTrue(board.armed)
        self.assertEqual(board.motors_percent, 6)
        t = self.fly(board, t, 0.5, ch5=2000, ch3=2000)
        self.assertEqual(board.motors_percent, 100)
        self.fly(board, t, 0.1, ch5=1000, ch3=2000)
        self.assertEqual((board.armed, board.motors_percent), (False, 0))

    def test_without_power_it_answers_nothing(self):
        board = self.board()
        board.power(False, 1.0)
        for act in (lambda: board.write(board.stored, 1.0), lambda: board.read_back(1.0), lambda: board.restart(1.0)):
            with self.assertRaises(Refused):
                act()
        self.assertEqual((board.link, [each.what for each in board.blockers(1.0)]), ("off", ["no power"]))
        board.power(True, 2.0)
        with self.assertRaises(Refused):
            board.read_back(2.5)
        self.assertEqual(board.read_back(4.0), board.stored)

    def test_a_pad_without_an_inverter_samples_upright_whatever_is_asked(self):
        settings = BoardSettings.model_validate(sbus_craft().settings.model_dump() | {"ports": {"U3": "receiver input", "U2": "free"}})
        for port, inverted in (("U3", False), ("U2", True)):
            settings.ports = {port: "receiver input"}
            board = StandInBoard(shipped().of(Board, "merle-f4"), settings)
            self.assertEqual(board.uart.inverted, inverted, port)

    def test_while_it_starts_it_hears_nothing(self):
        board = self.board()
        board.restart(0.0)
        edges = send(bytes(25), 0.1, board.uart)
        received, frames = board.listen({"R2": (edges.times, edges.level)}, 0.2)
        self.assertEqual((len(received), frames), (0, []))
        self.assertEqual(len(board.listen({"R2": (NO_TIMES, 0)}, 2.0)[0]), 0)


class BenchEdgesTest(SimpleTestCase):
    def test_two_frames_never_talk_over_each_other(self):
        bench = Bench(crsf_craft())
        bench.run_until(3.0)
        edges, length = bench.wire_edges()
        self.assertTrue((edges.times[1:] >= edges.times[:-1]).all())
        self.assertTrue(0 < length <= 0.5)

    def test_the_wire_shown_is_the_wire_sampled(self):
        for craft in (sbus_craft(), crsf_craft()):
            bench = Bench(craft)
            bench.run_until(2.0)
            edges, length = bench.wire_edges()
            spec = bench.spec
            self.assertEqual(int(edges.level_at([0.0])[0]), spec.uart.idle_level)
            self.assertEqual(edges.final_level, bench.path.lines[bench.tap].level)
            self.assertLess(float(edges.times[-1]), length + 0.002)

    def test_hands_arrive_in_any_order_and_only_what_they_name_moves(self):
        bench = Bench(sbus_craft())
        bench.hands(Hands(left={"x": 0.5, "y": 0.5}))
        bench.hands(Hands(switches={"S3": 2}, loss_percent=10))
        live = bench.live()
        self.assertEqual((live.left.x, live.switches["S3"], live.switches["S1"], live.loss_percent, live.transmitter_on), (0.5, 2, 0, 10, True))

    def test_hands_that_are_refused_have_done_nothing(self):
        refused = (
            {"tap": "nope"},
            {"switches": {"S9": 1}},
            {"switches": {"S1": 2}},
            {"way": "phrase"},
            {"receiver_phrase": "low water at noon"},
            {"transmitter_phrase": "short"},
            {"transmitter_mode": "bind"},
        )
        for wrong in refused:
            with self.subTest(**wrong):
                bench = Bench(sbus_craft())
                bench.run_until(0.5)
                before = bench.state().keep()
                others = {"transmitter_on": False, "usb": True, "left": {"x": 1, "y": 1}, "distance_m": 7.0, "tilt_deg": 20.0, "boot_button": True}
                with self.assertRaises(ValueError):
                    bench.hands(Hands.model_validate(others | wrong))
                self.assertEqual(bench.state().keep(), before)
                self.assertFalse(bench.loading.boot_button)
