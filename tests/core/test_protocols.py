from __future__ import annotations

import random

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from linkcore.protocols import crsf, dsm, fport, ghst, hub, ibus, mavlink, ppm, pwm, sbus, sport, sumd
from linkcore.protocols.base import BadFrame, ChannelFrame, Frame, PollFrame, Sent, SerialSpec, TelemetryFrame
from linkcore.protocols.counts import raw_from_us, us_from_raw
from linkcore.protocols.registry import PROTOCOLS, RECEIVER_PROTOCOLS, SERIAL_PROTOCOLS
from tests.signals import SERIAL, timed

channels = st.lists(st.integers(0, 2047), min_size=16, max_size=16)
CHECKED = sorted(name for name in SERIAL if PROTOCOLS[name].checksum)


def good(frames):
    return [frame for frame in frames if not isinstance(frame, BadFrame)]


def said(name: str, frames: list[Frame]) -> list[tuple[int, ...]]:
    """What frames carry, in the form of tests.signals: raw counts, or the count of the telemetry value that is looked at."""
    out: list[tuple[int, ...]] = []
    for frame in frames:
        if isinstance(frame, ChannelFrame):
            out.append(frame.raw)
        elif isinstance(frame, TelemetryFrame) and frame.sensor == "voltage":
            out.append((round(frame.values["voltage_v"] * (10 if name == "hub telemetry" else 100)),))
    return out


def fed(name: str, data: bytes, times, cuts=()):
    decoder = SERIAL_PROTOCOLS[name].decoder()
    out = []
    for start, end in zip([0, *cuts], [*cuts, len(data)], strict=True):
        out += decoder.feed(data[start:end], times[start:end] if times else None)
    return out + decoder.finish()


class EveryProtocolTest(SimpleTestCase):
    def test_there_is_one_of_each(self):
        self.assertEqual(set(SERIAL), set(SERIAL_PROTOCOLS))
        self.assertEqual(set(RECEIVER_PROTOCOLS), {"PWM", "PPM", "SBUS", "DSM2", "DSMX", "IBUS", "SUMD", "CRSF", "F.Port", "GHST"})
        for spec in RECEIVER_PROTOCOLS.values():
            self.assertTrue(not isinstance(spec, SerialSpec) or spec.encoder)

    @given(data=st.data(), name=st.sampled_from(SERIAL), seed=st.integers(0, 10_000), turns=st.integers(1, 9), with_times=st.booleans())
    @settings(deadline=None, max_examples=250)
    def test_any_split_of_the_bytes_gives_the_frames_that_were_encoded(self, data, name, seed, turns, with_times):
        bursts, sent, times = timed(name, seed, turns)
        cuts = sorted(data.draw(st.lists(st.integers(0, len(sent)), max_size=5)))
        out = fed(name, sent, times if with_times else None, cuts)
        self.assertEqual(said(name, out), [burst.carries for burst in bursts if burst.carries])
        self.assertEqual([frame for frame in out if isinstance(frame, BadFrame)], [])

    @given(name=st.sampled_from(CHECKED), seed=st.integers(0, 10_000), place=st.floats(0, 0.9999), with_times=st.booleans())
    @settings(deadline=None, max_examples=600)
    def test_one_flipped_bit_never_yields_a_wrong_frame(self, name, seed, place, with_times):
        bursts, sent, times = timed(name, seed, 9)
        bit = int(place * 8 * len(sent))
        broken = bytearray(sent)
        broken[bit // 8] ^= 1 << bit % 8
        carried = [burst.carries for burst in bursts if burst.carries]
        out = said(name, fed(name, bytes(broken), times if with_times else None))
        left = iter(carried)
        self.assertTrue(all(each in left for each in out), "a frame that was never sent, or out of order")
        self.assertGreaterEqual(len(out), len(carried) - 4)  # a sensor's lost type takes its values with it until it is told again

    def test_noise_never_raises_and_seldom_passes(self):
        noise = random.Random(7).randbytes(1 << 20)
        # measured: at most one a megabyte on average (docs/protocols.md)
        for name in SERIAL:
            out = [frame for frame in good(fed(name, noise, None)) if not isinstance(frame, PollFrame)]
            self.assertLessEqual(len(out), 3, name)

    def test_noise_on_pulse_wires_never_raises(self):
        toggles = np.cumsum(np.random.default_rng(3).uniform(1e-6, 4e-3, 20_000))
        for name in ("PPM", "PWM"):
            frames = PROTOCOLS[name].reader(False, 0).feed(toggles, float(toggles[-1]))[1]
            self.assertGreater(len(frames), 10)

    def test_joins_in_mid_frame_without_calling_it_bad(self):
        for name in SERIAL:
            _, sent, times = timed(name, 5, 12)
            out = fed(name, sent[5:], times[5:])
            self.assertEqual([frame for frame in out if isinstance(frame, BadFrame)], [], name)
            self.assertGreater(len(out), 3, name)

    def test_encoders_say_what_decoders_hear_at_the_protocols_resolution(self):
        us = [1000 + 37.3 * index for index in range(16)]
        for name, spec in RECEIVER_PROTOCOLS.items():
            if not isinstance(spec, SerialSpec):
                continue
            encoder = spec.encoder()
            frames = [encoder.frame(Sent(us, frame_lost=True, failsafe=True, rssi_percent=80)) for _ in range(6)]
            times = [0.02 * index + at * spec.uart.byte_s for index, frame in enumerate(frames) for at in range(len(frame))]
            heard: dict[int, float] = {}
            for frame in fed(name, b"".join(frames), times):
                heard |= frame.numbered()
                self.assertEqual(frame.failsafe, spec.carries_failsafe, name)
            self.assertGreaterEqual(len(heard), 7, name)
            for number, value in heard.items():
                fine = 5.0 if name == "GHST" and number > 4 else spec.step_us
                self.assertAlmostEqual(value, us[number - 1], delta=fine / 2 + 0.01, msg=f"{name} CH{number}")

    def test_a_frame_laid_open_covers_every_bit_once_and_agrees_with_the_decoder(self):
        for name in SERIAL:
            spec = SERIAL_PROTOCOLS[name]
            bursts, _, _ = timed(name, 11, 8)
            for burst in bursts:
                frame = burst.data
                if name in ("F.Port", "S.Port", "hub telemetry"):
                    continue  # laid open below: flags and stuffing are taken out first
                fields = spec.explain(frame)
                bits = sorted(bit for each in fields for bit in range(each.bit, each.bit + each.bits))
                self.assertEqual(bits, list(range(8 * len(frame))), name)
                self.assertTrue(all(each.ok for each in fields), (name, fields))
                if spec.checksum or name == "SBUS":
                    self.assertFalse(all(each.ok for each in spec.explain(bytes((*frame[:-1], frame[-1] ^ 0x41)))), name)

    def test_stuffed_frames_laid_open(self):
        control = fport.encode([0x7E * 8] * 16, failsafe=True, rssi_percent=77)
        inside = bytes(control[1:-1]).replace(b"\x7d\x5e", b"\x7e").replace(b"\x7d\x5d", b"\x7d")
        fields = {each.name: each for each in fport.explain(inside)}
        self.assertEqual((fields["RSSI"].means, fields["failsafe"].value, fields["checksum"].ok), ("77 %", 1, True))
        fields = {each.name: each for each in sport.explain(sport.encode_data(0x0210, 1260) + bytes((sport.checksum(sport.encode_data(0x0210, 1260)),)))}
        self.assertEqual((fields["value"].means, fields["checksum"].ok), ("voltage_v 12.6", True))
        self.assertIn("asks sensor 27", sport.explain(sport.encode_poll(27))[1].means)
        self.assertEqual([each.value for each in hub.explain(bytes((hub.FUEL, 44, 0)))], [4, 44])

    def test_short_and_foreign_bytes_laid_open_never_raise(self):
        rng = random.Random(4)
        for name in SERIAL:
            for size in range(1, 40):
                self.assertTrue(SERIAL_PROTOCOLS[name].explain(rng.randbytes(size)), name)


class FactsTest(SimpleTestCase):
    """Known bytes and scales, one protocol after the other."""

    def test_sbus(self):
        expected = "0F E0 03 1F F8 C0 07 3E F0 81 0F 7C E0 03 1F F8 C0 07 3E F0 81 0F 7C 00 00"
        self.assertEqual(sbus.encode([992] * 16), bytes.fromhex(expected))
        for raw, us in ((172, 987.5), (192, 1000), (992, 1500), (1792, 2000), (1811, 2011.875)):
            self.assertEqual(us_from_raw(raw), us)
            self.assertEqual(raw_from_us(us), raw)

    def test_crsf(self):
        self.assertEqual(crsf.encode(0x28, b"\x00\xea", 0xEE), bytes.fromhex("EE04 2800EA54"))
        battery, attitude, mode = fed(
            "CRSF",
            crsf.encode_battery(voltage_v=16.2, current_a=3.4, used_mah=812, remaining_percent=61)
            + crsf.encode_attitude(pitch_rad=0.1, roll_rad=-0.2, yaw_rad=3.0)
            + crsf.encode_flight_mode("angle"),
            None,
        )
        self.assertEqual(battery.values, {"voltage_v": 16.2, "current_a": 3.4, "used_mah": 812, "remaining_percent": 61})
        self.assertEqual((attitude.values["roll_rad"], mode.values), (-0.2, {"mode": "angle"}))

    def test_dsm(self):
        for raw, bits, us in ((1024, 11, 1499.992), (342, 11, 1102.386), (512, 10, 1499.992)):
            self.assertEqual(dsm.us_from_raw(raw, bits), us)
        external = bytes((0, 7)) + dsm.encode({0: 100, 1: 200, 2: 300, 3: 400})[2:]
        (frame,) = fed("DSMX", external, [0.02 + at * 87e-6 for at in range(16)])
        self.assertEqual(frame.raw, (100, 200, 300, 400))
        (frame,) = fed("DSMX", dsm.encode({0: 100, 1: 200}, 0x01), [0.02 + at * 87e-6 for at in range(16)])
        self.assertIn("system byte says DSM2", frame.why)

    def test_ibus(self):
        self.assertEqual(ibus.checksum(b"123456789"), 0xFE22)
        words = [1500 + index for index in range(14)]
        old = bytes((0x55,)) + b"".join(word.to_bytes(2, "little") for word in words)
        (frame,) = fed("IBUS", old + (sum(words) & 0xFFFF).to_bytes(2, "little"), None)
        self.assertEqual(list(frame.raw), words)
        (frame,) = fed("IBUS", ibus.encode([*words, 1111, 2222, 1333, 1444]), None)
        self.assertEqual(list(frame.raw), [*words, 1111, 2222, 1333, 1444])
        sent = "04 81 7A FF 04 91 6A FF 06 91 03 02 63 FF 04 A1 5A FF 06 A1 EC 04 68 FE"
        self.assertEqual(ibus.encode_poll(ibus.DISCOVER, 1) + ibus.encode_poll(ibus.TYPE, 1) + ibus.encode_type(1, 3), bytes.fromhex(sent)[:14])
        self.assertEqual(fed("IBUS telemetry", bytes.fromhex(sent), None)[-1].values, {"voltage_v": 12.6})

    def test_sumd(self):
        self.assertEqual(sumd.encode([12000] * 8)[:5].hex(), "a801082ee0")
        (frame,) = fed("SUMD", sumd.encode([7200, 8800, 12000, 15200, 16800], failsafe=True), None)
        self.assertEqual((frame.channels, frame.failsafe), ((900, 1100, 1500, 1900, 2100), True))

    def test_ghst(self):
        (frame,) = fed("GHST", ghst.encode(0x11, [1984] * 4, [124] * 4), None)
        self.assertEqual((set(frame.channels), frame.numbers), ({1500.0}, (1, 2, 3, 4, 9, 10, 11, 12)))

    def test_fport_and_sport(self):
        self.assertEqual(sport.checksum(b"123456789"), 0x21)
        ids = "00 A1 22 83 E4 45 C6 67 48 E9 6A CB AC 0D 8E 2F D0 71 F2 53 34 95 16 B7 98 39 BA 1B"
        self.assertEqual(bytes(sport.poll_id(number) for number in range(28)), bytes.fromhex(ids))
        self.assertEqual(sport.checksum(bytes((0xFF, 0xFF, 0x01))), 0xFE)  # the carry is taken round at every byte
        where = round(52.5 * 600_000)
        _, north, _, west = fed(
            "S.Port", sport.encode_poll(27) + sport.encode_answer(0x0800, where) + sport.encode_poll(27) + sport.encode_answer(0x0800, 3 << 30 | where), None
        )
        self.assertEqual((north.values, west.values), ({"latitude_deg": 52.5}, {"longitude_deg": -52.5}))
        shared_flag = fport.encode([992] * 16)[:-1] + fport.encode([1000] * 16)
        self.assertEqual([frame.raw[0] for frame in fed("F.Port", shared_flag, None)], [992, 1000])

    def test_hub(self):
        sent = hub.encode({hub.VOLTAGE_BEFORE: 6, hub.VOLTAGE_AFTER: 6, 0x10: 0x5E, 0x21: 0x5D, 0x13: 5230, 0x1B: 4500, 0x23: ord("S"), hub.CELLS: 0x6C17})
        values = {frame.sensor: frame.values for frame in fed("hub telemetry", sent, None)}
        self.assertEqual((values["voltage"], values["altitude"]), ({"voltage_v": 12.6}, {"altitude_m": 94.93}))
        self.assertEqual(values["latitude"], {"latitude_deg": -52.5075})
        self.assertEqual(values["cells"], {"cell": 2, "cell_v": 3.8})

    def test_mavlink(self):
        frames = fed(
            "MAVLink",
            mavlink.encode("heartbeat", 1, type=2, autopilot=3, base_mode=81, custom_mode=0, system_status=4)
            + mavlink.encode("radio_status", 2, rssi=180, remrssi=170, txbuf=90, noise=40, remnoise=41, rxerrors=3, fixed=1)
            + mavlink.encode(
                "battery_status",
                3,
                id=0,
                battery_function=0,
                type=1,
                temperature=2150,
                voltages=[3900, 3910, 3920] + [65535] * 7,
                current_battery=1234,
                current_consumed=800,
                energy_consumed=-1,
                battery_remaining=66,
            )
            + bytes.fromhex("fd0000000001010000"),
            None,
        )
        values = {frame.sensor: frame.values for frame in good(frames)}
        self.assertEqual(values["heartbeat"]["vehicle_type"], 2)
        self.assertEqual((values["radio_status"]["rssi_count"], values["radio_status"]["buffer_free_percent"]), (180, 90))
        self.assertEqual(
            values["battery_status"], {"voltage_v": 11.73, "cells": 3, "current_a": 12.34, "used_mah": 800, "remaining_percent": 66, "temperature_c": 21.5}
        )

    def test_ppm_and_pwm(self):
        us = [1100.0, 1500.0, 1900.0, 1234.5]
        for split in (1, 3, 50):
            made = np.concatenate([ppm.edges(us, 0.01 + 0.0225 * index) for index in range(5)])
            reader = PROTOCOLS["PPM"].reader(False, 0)
            frames = [
                frame
                for begin in range(0, len(made), split)
                for frame in reader.feed(made[begin : begin + split], float(made[min(begin + split, len(made)) - 1]))[1]
            ]
            self.assertEqual([frame.channels for frame in frames], [tuple(us)] * 4)
            self.assertEqual([frame.channels for frame in reader.feed(np.empty(0), 1.0)[1]], [tuple(us)])
        eight, nine = ppm.edges([1500.0] * 8, 0.01), ppm.edges([1500.0] * 9, 0.05)
        kinds = [type(frame).__name__ for frame in PROTOCOLS["PPM"].reader(False, 0).feed(np.concatenate([eight, nine]), 0.2)[1]]
        self.assertEqual(kinds, ["ChannelFrame", "BadFrame"])
        (wide,) = PROTOCOLS["PPM"].reader(False, 0).feed(ppm.edges([1500.0, 2400.0, 1500.0, 1500.0], 0.01), 0.2)[1]
        self.assertIn("2400", wide.why)
        pulses = np.concatenate([pwm.edges([width], 0.02 * index) for index, width in enumerate((1500.0, 3000.0, 1600.0))])
        frames = PROTOCOLS["PWM"].reader(False, 0).feed(pulses, 0.1)[1]
        self.assertEqual([type(frame).__name__ for frame in frames], ["ChannelFrame", "BadFrame", "ChannelFrame"])
        self.assertEqual(len(good(PROTOCOLS["PWM"].reader(True, 1).feed(pulses, 0.1)[1])), 2)
        self.assertEqual(len(good(PROTOCOLS["PWM"].reader(False, 1).feed(pulses, 0.1)[1])), 0)  # an upside-down line: the rests are no pulses


def spaced(frames: list[bytes]) -> tuple[bytes, list[float]]:
    """SBUS frames 9 ms apart, with the times of their bytes."""
    step = sbus.SPEC.uart.byte_s
    return b"".join(frames), [0.01 + index * 0.009 + at * step for index, frame in enumerate(frames) for at in range(len(frame))]


class SbusTest(SimpleTestCase):
    def test_flags_are_told_apart(self):
        for lost, failsafe in ((True, False), (True, True), (False, True)):
            decoder = sbus.SbusDecoder()
            sent, times = spaced([sbus.encode([992] * 16, frame_lost=lost, failsafe=failsafe)])
            (frame,) = decoder.feed(sent, times)
            self.assertEqual((frame.frame_lost, frame.failsafe), (lost, failsafe))

    def test_a_byte_with_a_uart_error_spoils_just_its_frame(self):
        sent, times = spaced([sbus.encode([992] * 16)] * 3)
        errors = [0] * len(sent)
        errors[30] = 2
        out = sbus.SbusDecoder().feed(sent, times, errors)
        self.assertEqual([type(frame) for frame in out], [ChannelFrame, BadFrame, ChannelFrame])
        self.assertIn("byte 6 of 25", out[1].why)

    def test_a_frame_cut_short_is_bad_and_the_next_is_read(self):
        frame = sbus.encode([992] * 16)
        sent, times = spaced([frame, frame[:20], frame])
        out = sbus.SbusDecoder().feed(sent, times)
        self.assertEqual([type(frame) for frame in out], [ChannelFrame, BadFrame, ChannelFrame])


class CrsfTelemetryTest(SimpleTestCase):
    def test_link_statistics_come_back_as_they_were_said(self):
        frame = crsf.encode_link_statistics(rssi_dbm=-87, lq_percent=93, snr_db=-4, tx_power_mw=250)
        (read,) = crsf.CrsfDecoder().feed(frame)
        self.assertIsInstance(read, TelemetryFrame)
        wanted = {"uplink_rssi_1_dbm": -87, "uplink_lq_percent": 93, "uplink_snr_db": -4, "tx_power_mw": 250}
        self.assertEqual({name: read.values[name] for name in wanted}, wanted)

    def test_an_unknown_type_counts_only_behind_a_good_frame(self):
        unknown = crsf.encode(0x55, b"abc")
        self.assertEqual(good(crsf.CrsfDecoder().feed(unknown)), [])
        known = crsf.encode_channels([992] * 16)
        read = crsf.CrsfDecoder().feed(known + unknown)
        self.assertEqual([getattr(frame, "sensor", "channels") for frame in read], ["channels", "type_55"])

    def test_payloads_that_do_not_fit_are_refused(self):
        with self.assertRaises(ValueError):
            crsf.encode(0x55, bytes(61))
        with self.assertRaises(ValueError):
            sbus.encode([2048] + [0] * 15)
        with self.assertRaises(ValueError):
            sbus.encode([0] * 15)
