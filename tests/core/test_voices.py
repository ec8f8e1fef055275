"""What a receiver's pins do, what the board's pads make of it, and how telemetry takes its turn."""

from __future__ import annotations

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

import scenario
from linkcore.craft.document import ReceiverInput
from linkcore.devices.port import PULSE_INPUTS
from linkcore.devices.sensors import Values
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board, Output, Receiver, ReceiverTelemetry
from linkcore.protocols import sport
from linkcore.protocols.base import BadFrame, ChannelFrame, PollFrame, Sent, TelemetryFrame
from linkcore.protocols.registry import PROTOCOLS, SERIAL_PROTOCOLS
from linkcore.signal.edges import NO_TIMES, Edges
from linkcore.signal.uart import read_all, send, toggles_of
from linkcore.standins.board import StandInBoard
from linkcore.standins.path import TapLine
from linkcore.standins.radio import StandInReceiver
from linkcore.standins.telemetry import IBUS_POLL_S, SPORT_POLL_S, Asker, Teller
from linkcore.standins.voice import voice_of
from tests.crafts import bound, sbus_craft

SAYS: Values = {"voltage": 15.2, "current": 3.4, "used": 120.0, "charge left": 81.0, "flight mode": "angle"}
SIX = [1100.0, 1200.0, 1300.0, 1400.0, 1500.0, 1600.0]


def output_of(part: str, protocol: str) -> Output:
    return next(each for each in shipped().of(Receiver, part).outputs if each.protocol == protocol)


class VoiceTest(SimpleTestCase):
    def test_pwm_has_a_pulse_on_every_pin_at_once(self):
        voice = voice_of(PROTOCOLS["PWM"], output_of("six-pack", "PWM"))
        leads = voice.say([(0.02 * slot, Sent(SIX)) for slot in range(5)])
        self.assertEqual((len(leads), voice.idle), (6, 0))
        for lead, us in zip(leads, SIX, strict=True):
            frames = PROTOCOLS["PWM"].reader(False, 0).feed(lead, 1.0)[1]
            self.assertEqual([frame.channels for frame in frames], [(us,)] * 5)
            self.assertAlmostEqual(frames[1].t, 0.02, places=9)

    @given(us=st.lists(st.floats(900, 2100), min_size=8, max_size=8), slots=st.integers(3, 60))
    def test_ppm_keeps_its_own_period_and_never_lags_behind_the_radio(self, us, slots):
        voice = voice_of(PROTOCOLS["PPM"], output_of("six-pack", "PPM"))
        pieces = [voice.say([(0.02 * slot, Sent(us))])[0] for slot in range(slots)]
        for slot, piece in enumerate(pieces):
            if len(piece):
                self.assertLess(piece[0] - 0.02 * slot, 0.0225)
        toggles = np.concatenate(pieces)
        frames = PROTOCOLS["PPM"].reader(False, 0, since=-1.0).feed(toggles, 99.0)[1]
        self.assertFalse([frame for frame in frames if isinstance(frame, BadFrame)])
        self.assertGreaterEqual(len(frames), int(slots * 0.02 / 0.0225))
        for frame in frames:
            for heard, meant in zip(frame.channels, us, strict=True):
                self.assertAlmostEqual(heard, meant, delta=0.11)

    def test_words_that_come_too_early_wait_for_the_wire(self):
        voice = voice_of(PROTOCOLS["SBUS"], output_of("pip-s8", "SBUS"))
        (toggles,) = voice.say([(0.01, Sent(SIX)), (0.0101, Sent(SIX)), (0.0102, b"\x55\x55")])
        self.assertTrue((np.diff(toggles) > 0).all())

        received = read_all(Edges(voice.idle, toggles), voice.uart, 0.1)
        self.assertEqual((len(received), int(received.errors.sum())), (52, 0))

    def test_an_output_carries_no_more_channels_than_it_has(self):
        sluice = output_of("sluice-h8", "SBUS")
        (toggles,) = voice_of(PROTOCOLS["SBUS"], sluice).say([(0.01, Sent([2000.0] * 16))])
        (frame,) = PROTOCOLS["SBUS"].reader(True, 0).feed(toggles, 0.1)[1]
        self.assertEqual([round(us) for us in frame.channels], [2000] * sluice.channels + [1500] * (16 - sluice.channels))

    def test_pulses_go_on_through_single_lost_radio_frames(self):
        craft = scenario.coot()
        receiver = bound(StandInReceiver(shipped().of(Receiver, "six-pack"), craft, PROTOCOLS["PWM"]))
        heard = [receiver.slot(0.02 * slot, SIX if slot % 3 else None, 90) for slot in range(1, 31)]
        self.assertTrue(all(len(words) == 1 for words in heard))


class EarTest(SimpleTestCase):
    def board(self, protocol: str, *, half_duplex: bool = False, inverted: bool = False, board: str = "dabble-f3", port: str | None = None) -> StandInBoard:
        settings = sbus_craft().settings.model_copy(deep=True)
        settings.ports = {port: "receiver input"} if port else {}
        settings.receiver_input = ReceiverInput(protocol=protocol, inverted=inverted, half_duplex=half_duplex)
        return StandInBoard(shipped().of(Board, board), settings)

    def test_what_it_listens_on_and_how_it_says_so(self):
        for board, pads, says in (
            (self.board("PWM"), ["IN1", "IN2", "IN3", "IN4", "IN5", "IN6"], "PWM, one pulse a channel"),
            (self.board("PPM"), ["IN1"], "PPM, pulses one after another"),
            (self.board("SBUS", inverted=True, port="U3"), ["R3"], "SBUS, inverted, 100000 baud, 8E2"),
            (self.board("F.Port", inverted=True, half_duplex=True, port="U2"), ["T2"], "F.Port, inverted, 115200 baud, 8N1, half duplex"),
            (self.board("F.Port", inverted=True, half_duplex=True, board="merle-f4", port="U3"), ["T3"], "F.Port, not inverted, 115200 baud, 8N1, half duplex"),
            (self.board("SBUS"), [], "no running port has the receiver job"),
            (self.board("SBUS", port="U9"), [], "U9 has no RX pad"),
        ):
            self.assertEqual(([ear.pad.name for ear in board.ears], board.describes), (pads, says))
        self.assertEqual(self.board("PPM").port, PULSE_INPUTS)

    def test_channels_of_their_own_wires_come_together_and_what_is_not_wired_rests(self):
        board = self.board("PWM")
        pads = {name: (PROTOCOLS["PWM"].edges([us], 0.5), 0) for name, us in (("IN1", 1700.0), ("IN2", 1300.0), ("IN4", 1600.0))}
        _, frames = board.listen(pads, 0.6)
        self.assertEqual({frame.numbers for frame in frames}, {(1,), (2,), (4,)})
        board.take(frames, 0.6)
        self.assertEqual(board.channels, (1700.0, 1300.0, 1000.0, 1600.0))  # the throttle, on CH3, is low

    def test_frames_with_some_of_the_channels_leave_the_others_as_they_were(self):
        board = self.board("DSMX", port="U2")
        board.take([ChannelFrame(0.1, (1500.0,) * 7, (0,) * 7), ChannelFrame(0.111, (1900.0, 1800.0), (0, 0), numbers=(8, 9))], 0.12)
        board.take([ChannelFrame(0.122, (1100.0,) * 7, (0,) * 7)], 0.13)
        self.assertEqual(board.channels, (*(1100.0,) * 7, 1900.0, 1800.0))

    def test_it_takes_pulses_without_a_port_but_no_serial_protocol(self):
        board = self.board("PWM")
        settings = board.stored.model_copy(deep=True)
        settings.receiver_input = ReceiverInput(protocol="PPM")
        board.write(settings, 5.0)
        self.assertEqual(board.stored.receiver_input.protocol, "PPM")


class TurnsTest(SimpleTestCase):
    def talk(self, telemetry: ReceiverTelemetry, seconds: float = 4.0, says: Values = SAYS) -> tuple[list[TelemetryFrame], int]:
        """Receiver and board on one wire: (what the receiver was told, how many frames were bad)."""
        asker, teller = Asker(telemetry), Teller(SERIAL_PROTOCOLS[telemetry.protocol])
        uart = asker.spec.uart
        ear, home = asker.spec.reader(uart.inverted, uart.idle_level), asker.spec.reader(uart.inverted, uart.idle_level)
        heard, bad, now = [], 0, 0.0
        while now < seconds:
            asked = toggles_of(asker.asks(now, now + 0.04), uart)
            answers = toggles_of(teller.answers(ear.feed(asked, now + 0.04)[1], says) + teller.unasked(now, now + 0.04, says), uart)
            line = np.sort(np.concatenate((asked, answers)))
            self.assertTrue((np.diff(line) > 0.2 * uart.bit_s).all(), "two talk at once")
            frames = home.feed(line, now + 0.04)[1]
            heard += asker.heard(frames)
            bad += sum(isinstance(frame, BadFrame) for frame in frames)
            now += 0.04
        return heard, bad

    def test_each_way_home_tells_the_voltage_and_nobody_talks_over_the_other(self):
        for protocol in ("S.Port", "IBUS telemetry", "hub telemetry", "CRSF", "MAVLink"):
            for asks in ("strict round", "found first"):
                with self.subTest(protocol, asks=asks):
                    heard, bad = self.talk(ReceiverTelemetry(protocol=protocol, asks=asks))
                    volts = [frame.values["voltage_v"] for frame in heard if "voltage_v" in frame.values]
                    self.assertEqual((set(volts), bad), ({15.2}, 0))

    def test_only_who_is_asked_answers(self):
        asked = [PollFrame(0.1 * number, f"sensor {number}") for number in range(28)]
        answers = Teller(SERIAL_PROTOCOLS["S.Port"]).answers(asked, SAYS)
        self.assertEqual([round(t, 1) for t, _ in answers], [round(0.1 * sport.BOARD_ID, 1)])
        self.assertEqual(Teller(SERIAL_PROTOCOLS["CRSF"]).answers(asked, SAYS), [])
        with self.assertRaisesMessage(ValueError, "SUMD carries no telemetry"):
            Teller(SERIAL_PROTOCOLS["SUMD"])

    def test_a_receiver_that_prefers_ids_it_has_found_asks_them_every_other_time(self):
        often = {asks: len(self.talk(ReceiverTelemetry(protocol="S.Port", asks=asks), 10.0)[0]) for asks in ("strict round", "found first")}
        self.assertAlmostEqual(often["strict round"], 10 / (28 * SPORT_POLL_S), delta=2)
        self.assertAlmostEqual(often["found first"], 10 / (2 * SPORT_POLL_S), delta=20)

    def test_an_address_that_has_gone_silent_is_looked_for_again(self):
        asker, teller = Asker(ReceiverTelemetry(protocol="IBUS telemetry")), Teller(SERIAL_PROTOCOLS["IBUS telemetry"])
        uart, told = asker.spec.uart, []
        ear, home = asker.spec.reader(False, 1), asker.spec.reader(False, 1)
        for turn in range(300):
            now = turn * 0.04
            asked = toggles_of(asker.asks(now, now + 0.04), uart)
            questions = ear.feed(asked, now + 0.04)[1]
            away = 3.0 < now < 7.0  # the board's supply was off
            answers = NO_TIMES if away else toggles_of(teller.answers(questions, SAYS), uart)
            told += [now for _ in asker.heard(home.feed(np.sort(np.concatenate((asked, answers))), now + 0.04)[1])]
        self.assertTrue(any(t < 3 for t in told) and any(t > 8 for t in told))
        self.assertFalse(any(3.1 < t < 7 for t in told))

    def test_the_masters_keep_their_beat_over_any_slices(self):
        for protocol, period in (("S.Port", SPORT_POLL_S), ("IBUS telemetry", IBUS_POLL_S)):
            whole = Asker(ReceiverTelemetry(protocol=protocol)).asks(0.0, 1.0)
            sliced = Asker(ReceiverTelemetry(protocol=protocol))
            pieces = [word for slot in range(25) for word in sliced.asks(slot / 25, (slot + 1) / 25)]
            self.assertEqual([data for _, data in whole], [data for _, data in pieces])
            self.assertAlmostEqual(len(whole), 1 / period, delta=1)


class TapLineTest(SimpleTestCase):
    def test_it_remembers_the_last_stretch_with_the_right_level(self):
        uart = SERIAL_PROTOCOLS["SBUS"].uart
        tap, whole = TapLine(0), []
        for slot in range(60):
            toggles = send(bytes(range(slot, slot + 5)), slot * 0.01, uart).times
            whole.append(toggles)
            tap.put(toggles, (slot + 1) * 0.01)
        times = np.concatenate(whole)
        for seconds in (0.05, 0.2, 0.6):
            edges, length = tap.last(0.6, seconds)
            recent = times[times >= 0.6 - length]
            self.assertTrue(np.allclose(edges.times + 0.6 - length, recent))
            self.assertEqual(edges.final_level, tap.level)
        empty, length = TapLine(1).last(5.0, 0.4)
        self.assertEqual((empty.level, len(empty.times), length), (1, 0, 0.4))
