"""The way home: what each protocol carries arrives as it was told, as often as was reckoned, and what is missing has its cause."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import scenario
from linkcore.chain import still_findings
from linkcore.craft.document import RECEIVER, Alarm, CraftDocument, ModeBand, Patch, TelemetrySetup, apply_edits, load
from linkcore.craft.parts import KitParts
from linkcore.devices.body import Body
from linkcore.devices.outlook import Outlook
from linkcore.devices.pack import ohm, open_volts, volts
from linkcore.devices.sensors import FACTS, TELLINGS, Values
from linkcore.findings import Edit
from linkcore.hops.downlink.ages import ages
from linkcore.hops.downlink.causes import causes, known_to_board
from linkcore.hops.downlink.limits import Limit, limits
from linkcore.hops.downlink.noticing import noticed
from linkcore.hops.downlink.rules import check_downlink, check_firmware
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import CELL_VOLTS, Pack, ReceiverTelemetry
from linkcore.parts.sensor_names import SensorName
from linkcore.protocols import esc, fport, nmea, ubx
from linkcore.protocols.base import BadFrame, TelemetryFrame
from linkcore.protocols.registry import DEVICE_PROTOCOLS, SERIAL_PROTOCOLS
from linkcore.signal.uart import toggles_of
from linkcore.standins.discovery import SensorList
from linkcore.standins.downlink import AirHome, link_frame
from linkcore.standins.telemetry import Asker, Teller
from linkcore.wiring.way_home import way_home
from tests.crafts import whole_of
from tests.downlinks import KITS, downlink_craft, findings, warned, with_line, wrong
from tests.hand import Hand

SAID: dict[SensorName, st.SearchStrategy[Any]] = {
    "cell voltage": st.floats(2.6, 4.35),
    "charge left": st.integers(0, 100).map(float),
    "used": st.integers(0, 60_000).map(float),
    "current": st.floats(0, 200),
    "position": st.tuples(st.floats(-89, 89), st.floats(-179, 179)).filter(lambda place: all(abs(each) > 0.001 for each in place)),
    "satellites": st.integers(0, 40).map(float),
    "height": st.floats(-300, 2000),
    "climb rate": st.floats(-30, 30),
    "speed": st.floats(0, 60),
    "heading": st.floats(0, 359.4),
    "attitude": st.tuples(*[st.floats(-179, 179)] * 3),
    "flight mode": st.sampled_from(["acro", "angle", "return home"]),
    "motor speed": st.integers(0, 40_000).map(float),
    "ESC temperature": st.integers(0, 120).map(float),
}


def discovered(protocol: str, says: Values, seconds: float = 12.0) -> SensorList:
    """What a transmitter has in its list after a while, over a wire of its own or, for F.Port, between its channels."""
    spec = SERIAL_PROTOCOLS[protocol]
    teller, found = Teller(spec), SensorList()
    found.looking = True
    asker = Asker(ReceiverTelemetry(protocol=protocol, asks="found first"))
    uart, now = spec.uart, 0.0
    ear, home = spec.reader(uart.inverted, uart.idle_level), spec.reader(uart.inverted, uart.idle_level)
    while now < seconds:
        asks = asker.asks(now, now + 0.04) if protocol != "F.Port" else [(now, fport.encode_poll()), (now + 0.02, fport.encode_poll())]
        asked = toggles_of(asks, uart)
        answers = toggles_of(teller.answers(ear.feed(asked, now + 0.04)[1], says) + teller.unasked(now, now + 0.04, says), uart)
        frames = home.feed(np.sort(np.concatenate((asked, answers))), now + 0.04)[1]
        for frame in asker.heard(frames):
            found.take(protocol, frame, now)
        now += 0.04
    return found


class CarriedTest(unittest.TestCase):
    @settings(max_examples=12, deadline=None)
    @given(st.fixed_dictionaries(SAID), st.integers(1, 13), st.sampled_from(sorted(TELLINGS)))
    def test_every_sensor_of_every_protocol_arrives_within_its_resolution(self, says, cells, protocol):
        says["voltage"] = says["cell voltage"] * cells
        seconds = 2.2 if protocol not in ("S.Port", "IBUS telemetry") else 6.0
        found = {each.sensor: each for each in discovered(protocol, says, seconds).found.values()}
        telling = TELLINGS[protocol]
        wanted = {each.sensor for each in telling.carries if FACTS[each.sensor].provider != "receiver"}
        self.assertEqual(wanted - set(found), set(), protocol)
        for sensor in wanted:
            carried, told = found[sensor].carried, says[sensor]
            values = [found[sensor].values[name] for _, name in carried.at]
            if isinstance(told, str):
                self.assertEqual(values, [told[:15]])
                continue
            for value, sent in zip(values, told if isinstance(told, tuple) else (told,), strict=True):
                off = abs(value - sent * carried.factor)
                if protocol == "hub telemetry" and sensor == "height" and -1 < sent < 0:
                    continue  # its format has no minus before a nought
                self.assertLessEqual(off, 0.51 * carried.step + 1e-6 * abs(sent) + 1e-6, (protocol, sensor, sent, value))

    def test_what_the_receiver_tells_of_the_link(self):
        for protocol, said in (("CRSF", {"LQ": 93, "RSSI": -87, "SNR": 12, "transmitter power": 100}), ("S.Port", {"RSSI": 38}), ("MAVLink", {"RSSI": 97})):
            found = SensorList()
            found.looking = True
            found.take(protocol, link_frame(protocol, -87.0, 12.0, 93, 98.0), 1.0)
            self.assertEqual({each.sensor: next(iter(each.values.values())) for each in found.found.values()}, said)

    def test_a_sensor_appears_goes_stale_stays_and_comes_back_when_it_was_taken_out(self):
        found = SensorList()
        frame = TelemetryFrame(0.0, "voltage", {"voltage_v": 15.1})
        found.take("S.Port", frame, 0.0)
        self.assertEqual(found.found, {}, "nobody looks")
        found.looking = True
        found.take("S.Port", frame, 1.0)
        found.looking = False
        found.take("S.Port", frame, 2.0)
        [(key, seen)] = found.found.items()
        self.assertEqual((seen.says, seen.every_s, seen.clashes()), ("15.10", 1.0, []))
        found.take("S.Port", frame, 3.0, sender="vario")
        self.assertEqual(seen.clashes(), ["board", "vario"])
        again = SensorList()
        again.resume(found.kept())
        self.assertEqual((list(again.found), again.found[key].says, again.found[key].every_s), ([key], "", None))
        found.forget(key)
        found.take("S.Port", frame, 4.0)
        self.assertEqual(found.found, {})
        found.looking = True
        found.take("S.Port", frame, 5.0)
        self.assertEqual(list(found.found), [key])
        found.forget("")
        self.assertEqual(found.found, {})

    def test_nought_by_nought_is_no_position(self):
        found = SensorList()
        found.looking = True
        found.take("CRSF", TelemetryFrame(0.0, "gps", {"latitude_deg": 0.0, "longitude_deg": 0.0, "satellites": 3}), 0.0)
        self.assertEqual([each.sensor for each in found.found.values()], ["satellites"])

    def test_the_air_takes_as_many_slots_as_a_message_is_long_and_loses_none_of_it(self):
        air = AirHome("CRSF", 4, 1)
        air.take([TelemetryFrame(0.0, "battery", {"voltage_v": 15.0})])
        link = (-60.0, 20.0, 100, 100.0)
        out = [air.slot(0.01 * slot, heard=slot % 2 == 1, link=link) for slot in range(20)]
        came = [(slot, frame.sensor) for slot, frame in enumerate(out) if frame is not None]
        self.assertEqual(came[0], (5, "battery"))  # three slots of four bytes, every other one lost
        self.assertEqual(came[1], (11, "link_statistics"))


class DeviceProtocolTest(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.floats(-80, 80), st.floats(-170, 170), st.integers(0, 30), st.booleans(), st.floats(0, 50), st.floats(0, 359))
    def test_what_a_gps_says_is_read(self, latitude, longitude, satellites, fix, speed, course):
        where = {"latitude_deg": latitude, "longitude_deg": longitude, "fix": fix}
        pvt = ubx.encode_pvt(100.0, **where, satellites=satellites, altitude_m=12.5, speed_mps=speed, course_deg=course)
        text = nmea.encode_gga(100.0, **where, satellites=satellites, hdop=1.0, altitude_m=12.5)
        [frame], [line] = ubx.UbxDecoder().feed(b"\x00\xb5" + pvt), nmea.NmeaDecoder().feed(b"*7" + text)
        for read, near in ((frame, 1e-7), (line, 1e-5)):
            self.assertEqual((read.values["satellites"], bool(read.values["fix"])), (satellites, fix))
            if fix:
                self.assertLess(math.hypot(read.values["latitude_deg"] - latitude, read.values["longitude_deg"] - longitude), near)
        [moves] = nmea.NmeaDecoder().feed(nmea.encode_rmc(100.0, **where, speed_mps=speed, course_deg=course))
        if fix:
            self.assertAlmostEqual(moves.values["speed_mps"], speed, delta=0.004)
            self.assertAlmostEqual(frame.values["course_deg"], course, delta=1e-4)

    def test_known_bytes(self):
        """Not from the same thought: a sentence of the standard's own example, a CRC-8 check value, and a Fletcher sum worked out by hand."""
        [line] = nmea.NmeaDecoder().feed(b"$GPGGA,123519,4807.038,N,01131.000,E,1,08,0.9,545.4,M,46.9,M,,*47\r\n")
        self.assertEqual((round(line.values["latitude_deg"], 4), round(line.values["longitude_deg"], 4), line.values["altitude_m"]), (48.1173, 11.5167, 545.4))
        self.assertEqual(esc.checksum(b"123456789"), 0xF4)
        self.assertEqual(ubx.checksum(bytes((0x06, 0x08, 0x00, 0x00))), bytes((0x0E, 0x30)))

    def test_damage_is_told(self):
        text = nmea.encode_gga(0.0, latitude_deg=1, longitude_deg=1, fix=True, satellites=7, hdop=1, altitude_m=1)
        pvt = ubx.encode_pvt(0.0, latitude_deg=1, longitude_deg=1, fix=True, satellites=7, altitude_m=1, speed_mps=1, course_deg=1)
        one = esc.encode(temperature_c=30, voltage_v=15, current_a=3, used_mah=9, speed_rpm=9000)
        for spec, whole in ((nmea.SPEC, text), (ubx.SPEC, pvt), (esc.SPEC, one)):
            bent = bytearray(whole)
            bent[4] ^= 1
            times = [1.0 + spec.uart.byte_s * at for at in range(len(whole))]
            good = spec.decoder().feed(whole, times)
            self.assertEqual([type(frame) for frame in good], [TelemetryFrame], spec.name)
            decoder = spec.decoder()
            self.assertFalse(any(isinstance(frame, TelemetryFrame) for frame in [*decoder.feed(bytes(bent), times), *decoder.finish()]), spec.name)
            self.assertTrue(spec.explain and spec.explain(whole) and spec.explain(whole[:3]))
        for bad in (b"$GPGGA,x,y*00\r\n", b"$GPGGA" + b"0" * 90, b"$GPGGA,,,,,z*4F\r\n$"):
            self.assertTrue(all(isinstance(frame, BadFrame) or not frame.values for frame in nmea.NmeaDecoder().feed(bad)), bad)

    def test_an_esc_says_its_motors_own_speed(self):
        [frame] = [
            *esc.EscDecoder().feed(
                esc.encode(temperature_c=41, voltage_v=15.5, current_a=12.5, used_mah=340, speed_rpm=14_000), [0.1 + 1e-4 * at for at in range(10)]
            )
        ]
        self.assertEqual(frame.values, {"temperature_c": 41, "voltage_v": 15.5, "current_a": 12.5, "used_mah": 340, "speed_rpm": 14_000})
        self.assertEqual(set(DEVICE_PROTOCOLS) >= {"NMEA", "UBX", "ESC telemetry"}, True)


class AgesTest(unittest.TestCase):
    def test_eleven_values_on_one_id_of_a_strict_round_come_every_3_7_seconds(self):
        craft = downlink_craft(*KITS[0])
        craft.settings.telemetry.off = ["ESC temperature"]
        found = ages(craft, KitParts.of(craft), "S.Port", known_to_board(KitParts.of(craft)))
        self.assertEqual((found.ids, round(found.asked_s, 3), round(found.every_s["cell voltage"], 1)), (11, 0.336, 3.7))

    def test_reckoned_and_measured_are_alike_over_every_kit(self):
        for kit in KITS:
            with self.subTest(kit[1]):
                hand = Hand(downlink_craft(*kit))
                hand.do(0.0, looking=True)
                hand.passes(30.0 if kit[1] == "pip-s8" else 16.0)
                told = hand.report().told.downlink
                expected = [row for row in told.sensors if row.expected]
                self.assertGreater(len(expected), 9)
                for row in expected:
                    self.assertIsNone(row.cause, row.sensor)
                    self.assertLess(abs(row.every_s / row.reckoned_s - 1), 0.2, (row.sensor, row.every_s, row.reckoned_s))
                self.assertEqual(told.come, told.of)
                self.assertIn("every sensor comes", hand.proven("downlink"))

    def test_a_full_air_is_shared_and_what_comes_seldom_passes(self):
        craft = downlink_craft(*KITS[2])
        parts = KitParts.of(craft)
        found = ages(craft, parts, "hub telemetry", known_to_board(parts))
        self.assertGreater(found.capacity.taken, 1)
        self.assertEqual(found.every_s["position"], 1.0)
        self.assertGreater(found.every_s["voltage"], 0.2)


class MissingTest(unittest.TestCase):
    def test_the_cause_of_single_faults_is_found(self):
        for seed in range(1000, 1016):
            self.assertEqual(wrong(seed), [])

    def test_without_a_link_that_is_said_and_what_else_is_wrong_as_well(self):
        hand = Hand(scenario.avocet())
        hand.do(3.0, looking=True, transmitter_on=False)
        told = hand.report().told.downlink
        self.assertEqual(told.stopped.code, "no link")
        self.assertEqual([place.place for place in told.places if place.why], ["devices", "air"])
        rows = {row.sensor: row.cause.code for row in told.sensors if row.cause}
        self.assertEqual((rows["position"], rows["motor speed"], "voltage" in rows), ("device baud", "device wire", False))

    def test_a_protocol_that_the_receiver_does_not_listen_for_is_garbage_on_its_wire(self):
        craft = downlink_craft(*KITS[0])
        craft.settings.telemetry = TelemetrySetup(protocol="hub telemetry", inverted=True)
        hand = Hand(craft)
        hand.do(0.0, looking=True)
        hand.passes(6.0)
        told = hand.report().told.downlink
        self.assertEqual((told.stopped.code, told.come, told.asked.protocol), ("protocol", 1, "S.Port"))
        hand.do(3.0, tap="S.Port")
        home = hand.report().told.line.home
        self.assertEqual((home.reads, home.pad), (False, told.pad))
        self.assertIn("the board speaks hub telemetry, inverted, 9600 baud, 8N1, and none of it is read. Set to S.Port, inverted", home.says)

    def test_a_gps_on_the_wrong_pad_is_found_by_its_signal(self):
        craft = scenario.curlew()
        for patch in craft.wiring:
            if (patch.device, patch.pin) == ("GPS", "TX"):
                patch.pad = "R3"
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        hand.do(4.0, tap="GPS: TX", looking=True)
        line, told = hand.report().told.line, hand.report().told.downlink
        self.assertEqual((line.what, line.wire_pad), ("UBX", "R3"))
        position = next(row for row in told.sensors if row.sensor == "position")
        self.assertEqual(position.cause.code, "device wire")
        self.assertIn("GPS's TX wire is on R3, while U1 has its job", position.cause.says)


class RulesTest(unittest.TestCase):
    def sound(self, kit: int = 0, **devices: str) -> CraftDocument:
        return downlink_craft(*KITS[kit], **devices)

    def mended(self, craft: CraftDocument, code: str, which: int = 0) -> CraftDocument:
        finding = findings(craft)[code]
        return apply_edits(craft, finding.mends[which].edits)

    def test_a_sound_way_home_has_nothing_but_its_slowness(self):
        for kit in range(len(KITS)):
            self.assertEqual(set(findings(self.sound(kit))), {"downlink.unnoticed", *(["downlink.slow"] if kit == 0 else [])}, KITS[kit])

    def test_what_matters_comes_in_time_once_less_is_told(self):
        craft = self.mended(self.sound(), "downlink.slow")
        self.assertEqual(set(findings(craft)), {"downlink.unnoticed"})
        every = ages(craft, KitParts.of(craft), "S.Port", known_to_board(KitParts.of(craft))).every_s
        self.assertLessEqual(every["cell voltage"], 3.0)

    def test_each_thing_that_is_set_wrong_is_named_and_mended(self):
        changes: list[tuple[str, list[tuple[str, Any]], int]] = [
            ("downlink.job", [("/settings/ports/U4", "free")], 0),
            ("downlink.protocol", [("/settings/telemetry/protocol", None)], 0),
            ("downlink.protocol", [("/settings/telemetry/protocol", "MAVLink")], 0),
            ("downlink.inversion", [("/settings/telemetry/inverted", False)], 0),
            ("downlink.not-asked", [("/settings/telemetry/half_duplex", False)], 0),
            ("downlink.off", [("/settings/telemetry/on", False)], 0),
        ]
        sound = self.sound()
        port = next(port for port, job in sound.settings.ports.items() if job == "telemetry")
        for code, edits, which in changes:
            broken = apply_edits(sound, [Edit(path=path.replace("U4", port), value=value) for path, value in edits])
            self.assertIn(code, findings(broken))
            self.assertEqual(findings(broken)[code].severity, "stop")
            self.assertEqual(set(findings(self.mended(broken, code, which))), {"downlink.slow", "downlink.unnoticed"}, code)

    def test_devices_that_the_board_does_not_hear(self):
        sound = self.sound(5)
        port = next(port for port, job in sound.settings.ports.items() if job == "GPS")
        jobless = apply_edits(sound, [Edit(path=f"/settings/ports/{port}", value="free")])
        self.assertEqual(set(findings(jobless)), {"downlink.device-job", "downlink.unnoticed"})
        self.assertEqual(set(findings(self.mended(jobless, "downlink.device-job"))), {"downlink.unnoticed"})
        slow = apply_edits(sound, [Edit(path="/settings/port_baud", value={port: 9600})])
        self.assertEqual(findings(slow)["downlink.device-baud"].what, f"{port} listens at 9600 baud; GPS speaks at 57600.")
        self.assertEqual(self.mended(slow, "downlink.device-baud").settings.port_baud, {})
        loose = sound.model_copy(update={"wiring": [each for each in sound.wiring if (each.device, each.pin) != ("GPS", "TX")]})
        self.assertEqual(set(findings(loose)), {"downlink.device-wire", "downlink.unnoticed"})

    def test_wires_of_the_way_home(self):
        sound = self.sound()
        loose = sound.model_copy(update={"wiring": [each for each in sound.wiring if each.pin != "S.Port"]})
        self.assertIn("downlink.wire", findings(loose))
        full = loose.model_copy(deep=True)
        board = KitParts.of(full).board
        taken = {patch.pad for patch in full.wiring}
        full.wiring += [Patch(device="GPS", pin="RX", pad=pad.name) for pad in board.pads if pad.kind == "tx" and pad.name not in taken]
        self.assertIn("downlink.no-port", findings(full))
        deaf = sound.model_copy(deep=True)
        next(each for each in deaf.wiring if each.pin == "S.Port").pad = next(pad.name for pad in board.pads if pad.kind == "rx" and pad.name not in taken)
        self.assertIn("which does not send", findings(deaf)["downlink.wire"].what)
        shared = sound.model_copy(deep=True)
        pad = next(each.pad for each in shared.wiring if each.pin == "S.Port")
        next(each for each in shared.wiring if (each.device, each.pin) == ("GPS", "TX")).pad = pad
        self.assertIn("downlink.two-senders", findings(shared))

    def test_a_lead_on_the_wrong_output_of_the_receiver_is_named(self):
        sound = self.sound()
        pads = {each.pin: each.pad for each in sound.wiring if each.device == RECEIVER}
        turned = {"SBUS": pads["S.Port"], "S.Port": pads["SBUS"]}
        swapped = sound.model_copy(deep=True)
        for each in swapped.wiring:
            each.pad = turned.get(each.pin, each.pad) if each.device == RECEIVER else each.pad
        found = findings(swapped)["downlink.wire"]
        self.assertEqual(found.what, f"The lead to {pads['S.Port']} sits on the receiver's SBUS, and telemetry is on S.Port.")
        self.assertEqual(found.mends[0].text, "Swap the leads at SBUS and S.Port")
        mended = apply_edits(swapped, found.mends[0].edits)
        self.assertEqual(mended.wiring, sound.wiring)
        self.assertNotIn("downlink.wire", findings(mended))
        only = swapped.model_copy(update={"wiring": [each for each in swapped.wiring if each.pin != "S.Port"]})
        self.assertIn("sits on the receiver's SBUS", findings(only)["downlink.wire"].what)

    def test_the_bench_links_port_is_not_given_away(self):
        craft = self.sound()
        linked = next(board for board in shipped().values() if getattr(board, "link_port", None) and board.pad_of(board.link_port, "tx"))
        craft.kit.board = linked.id
        next(each for each in craft.wiring if each.pin == "S.Port").pad = linked.pad_of(linked.link_port, "tx").name
        craft.settings.ports = dict.fromkeys(linked.ports, "free") | {linked.link_port: "bench link"}
        self.assertIn("downlink.bench-link", findings(craft))

    def test_without_any_and_with_too_little(self):
        none = downlink_craft(*KITS[0])
        none.kit.receiver = "pip-s4"
        finding = findings(none)["downlink.none"]
        self.assertEqual((finding.severity, finding.what), ("stop", "Telemetry is wanted, and none can come back: the Pip S4 sends none back."))
        self.assertEqual(findings(self.mended(none, "downlink.none")), {})
        waits = scenario.sandpiper()
        self.assertEqual(findings(waits)["downlink.waits"].severity, "note")
        dumb = downlink_craft(*KITS[0])
        dumb.settings.telemetry.off = ["voltage", "cell voltage"]
        self.assertIn("downlink.sensor-off", findings(dumb))
        self.assertNotIn("downlink.sensor-off", findings(self.mended(dumb, "downlink.sensor-off")))

    def test_firmware_that_leaves_it_out(self):
        craft = downlink_craft(*KITS[5])
        link = Outlook(verdict="talks with less", because=["both speak", "no telemetry, though the receiver has it"], channels=16)
        [found] = check_firmware(craft, link)
        self.assertEqual((found.code, found.severity), ("downlink.firmware", "stop"))
        self.assertIn("though the receiver has it", found.what)
        self.assertEqual(check_firmware(craft, link.model_copy(update={"telemetry": True})), [])

    def test_a_receiver_that_asks_few_addresses(self):
        craft = downlink_craft(*KITS[3])
        few = shipped()["brook-10t"].model_copy(
            update={"telemetry": ReceiverTelemetry(protocol="IBUS telemetry", serial=shipped()["brook-10t"].telemetry.serial, ids=6)}
        )
        parts = KitParts.of(craft)
        parts = replace(parts, maybe_receiver=few)
        [found] = check_downlink(craft, parts)
        self.assertEqual(found.code, "downlink.asked-too-few")
        self.assertIn("motor speed", found.what)
        self.assertEqual(check_downlink(apply_edits(craft, found.mends[0].edits), parts), [])
        self.assertEqual(causes(craft, parts)["motor speed"].code, "not asked")

    def test_two_that_tell_one_sensor_clash(self):
        hand = Hand(downlink_craft(*KITS[0]))
        hand.do(0.0, looking=True)
        hand.passes(6.0)
        frame = TelemetryFrame(0.0, "voltage", {"voltage_v": 3.0})
        for sender in ("board", "vario"):
            hand.bench.link.sensors.take("S.Port", frame, hand.bench.t, sender)
        self.assertIn("downlink.clash", hand.codes())

    def test_settings_that_nobody_knows(self):
        data = scenario.curlew().model_dump(mode="json")
        data["settings"]["telemetry"]["off"] = ["smell"]
        with self.assertRaisesRegex(ValueError, "settings/telemetry/off/0"):
            load(data)
        del data["settings"]["telemetry"], data["settings"]["port_baud"]
        self.assertEqual(load(data).settings.telemetry, TelemetrySetup())


class ProvenTest(unittest.TestCase):
    """What came, or rang, before something was changed proves nothing of what is now."""

    def came(self) -> Hand:
        hand = Hand(scenario.curlew())
        hand.do(0.0, looking=True)
        hand.passes(14.0)
        self.assertIn("every sensor comes", hand.proven("downlink"))
        return hand

    def test_values_from_before_a_wrong_setting_do_not_prove_it(self):
        for change in ({"inverted": False}, {"on": False}, {"protocol": "hub telemetry"}, {"off": ["voltage"]}):
            hand = self.came()
            draft = hand.bench.document.model_copy(deep=True)
            draft.settings.telemetry = draft.settings.telemetry.model_copy(update=change)
            hand.bench.take_document(draft)
            hand.bench.write(draft.settings)
            hand.bench.restart()
            for _ in range(14):
                hand.passes(0.5)
                standing = next(each for each in hand.report().chain if each.hop == "downlink").proofs[0].standing
                self.assertEqual(standing, "changed", change)

    def test_a_wire_that_was_moved_is_not_rung_by_what_came_over_it_before(self):
        hand = self.came()
        moved = hand.bench.document.model_copy(deep=True)
        for patch in moved.wiring:
            if patch.pin == "S.Port" or (patch.device, patch.pin) == ("GPS", "TX"):
                patch.pad = {"S.Port": "T3", "TX": "R3"}[patch.pin]
        hand.bench.take_document(CraftDocument.model_validate(moved.model_dump()))
        hand.passes(8.0)
        self.assertFalse({"receiver/S.Port/T3", "GPS/TX/R3"} & set(hand.bench.rung))

    def test_measure_anew_forgets_what_came_and_what_rang(self):
        hand = self.came()
        hand.bench.measure_anew()
        self.assertTrue(all(each.age_s is None for each in hand.bench.observed.sensors_found))
        self.assertEqual(hand.bench.bells.rang, [])


class PackTest(unittest.TestCase):
    def test_it_sags_under_a_load_and_stands_at_what_its_chemistry_gives(self):
        for chemistry, (full, nominal, empty) in CELL_VOLTS.items():
            pack = Pack(id="p", name="p", cells=4, capacity_mah=1500, chemistry=chemistry)
            self.assertEqual([round(open_volts(pack, left), 6) for left in (1.0, 0.5, 0.0)], [round(4 * each, 6) for each in (full, nominal, empty)])
            self.assertAlmostEqual(open_volts(pack, 0.6) - volts(pack, 0.6, 20.0), 20 * ohm(pack))
        twice = Pack(id="p", name="p", cells=4, capacity_mah=3000, parallel=2)
        self.assertLess(ohm(twice), ohm(Pack(id="p", name="p", cells=4, capacity_mah=1500)))

    def test_the_hands_empty_it_and_the_motors_pull_it_down(self):
        hand = Hand(scenario.curlew())
        hand.do(1.0)
        full = hand.bench.volts()
        hand.do(0.5, pack_left_percent=10)
        self.assertLess(hand.bench.volts(), full - 1.5)
        self.assertAlmostEqual(hand.bench.left, 0.1, delta=0.01)


def limit_of(craft: CraftDocument, notice: str) -> Limit:
    parts = KitParts.of(craft)
    way = way_home(craft, parts)
    return next(each for each in limits(craft, parts, ages(craft, parts, way.protocol, known_to_board(parts))) if each.notice == notice)


class LimitTest(unittest.TestCase):
    def test_a_cell_is_judged_under_the_load_of_steady_flight(self):
        craft = scenario.curlew()
        found = limit_of(craft, "pack low")
        watts = Body.of(craft.airframe, craft.place).power_w(craft.place.speed_mps)
        by_hand = 3.5 + 0.2 / 0.5 * (3.7 - 3.5) - watts / 14.8 * 0.005  # a fifth left of a LiPo cell, less I R
        self.assertEqual(found.alarm.limit, round(by_hand, 2))
        self.assertIn("over in 3 s", found.because)
        self.assertEqual(limit_of(scenario.avocet(), "pack low").alarm.sensor, "voltage", "CRSF tells no cells")
        self.assertLess(limit_of(scenario.sandpiper(), "pack low").alarm.limit, 3.3, "Li-ion goes lower")

    def test_the_signal_has_no_number_from_nowhere(self):
        self.assertIsNone(limit_of(scenario.curlew(), "signal weak").alarm)
        bound = limit_of(with_line(scenario.curlew()), "signal weak")
        self.assertEqual((bound.alarm.sensor, bound.alarm.limit), ("RSSI", 81))
        self.assertIn("or lower, for the log gave only a bound", bound.because)
        other = limit_of(with_line(scenario.curlew(), signal="rssi_dbm", line=-90, begins_at=-96), "signal weak")
        self.assertIsNone(other.alarm)
        self.assertIn("S.Port tells RSSI in %", other.because)
        lq = limit_of(with_line(scenario.avocet(), signal="lq_percent", line=70, begins_at=60), "signal weak")
        self.assertEqual((lq.alarm.sensor, lq.alarm.limit), ("LQ", 70))


class NoticingTest(unittest.TestCase):
    def test_nothing_set_is_to_begin_and_one_alarm_missing_is_a_stop(self):
        craft = scenario.curlew()
        self.assertEqual(findings(craft)["downlink.unnoticed"].severity, "begin")
        craft = with_line(craft)
        craft.alarms = [Alarm(notice="telemetry gone", delay_s=2, told=["spoken"])]
        severities = {each.where: each.severity for each in still_findings(whole_of(craft)) if each.code == "downlink.unnoticed"}
        self.assertEqual(severities, {"pack low": "stop", "signal weak": "stop", "wrong mode": "warn"})

    def test_all_that_is_offered_is_taken_and_one_way_becomes_two(self):
        craft = warned(with_line(scenario.curlew()))
        self.assertEqual([alarm.notice for alarm in craft.alarms], ["pack low", "signal weak", "telemetry gone"])
        self.assertIn("Only your ears would tell you", findings(craft)["downlink.one-way"].what)
        for _ in range(2):
            craft = self.mended(craft, "downlink.one-way")
        self.assertNotIn("downlink.one-way", findings(craft))
        self.assertEqual(craft.alarms[0].told, ["spoken", "buzz"])

    def mended(self, craft: CraftDocument, code: str) -> CraftDocument:
        return apply_edits(craft, findings(craft)[code].mends[0].edits)

    def test_an_alarm_on_what_does_not_come_is_deaf(self):
        craft = warned(with_line(scenario.curlew()))
        craft.settings.telemetry.off = ["cell voltage"]
        missed = next(each for each in still_findings(whole_of(craft)) if each.code == "downlink.unnoticed")
        self.assertEqual((missed.severity, missed.where), ("stop", "pack low"))
        self.assertIn("Cell voltage does not come: it is switched off", missed.what)

    def test_a_beeper_counts_only_near_by(self):
        craft = with_line(scenario.curlew())
        beep = Alarm(notice="pack low", sensor="cell voltage", limit=3.5, told=["beeper"])
        craft.alarms = [beep]
        parts, why = KitParts.of(craft), causes(craft, KitParts.of(craft))
        far = next(each for each in noticed(craft, parts, why) if each.notice == "pack low")
        self.assertEqual((far.ways, far.deaf), ({}, ["nobody hears the beeper farther than 30 m away"]))
        craft.place.home_m = 20
        near = next(each for each in noticed(craft, parts, why) if each.notice == "pack low")
        self.assertEqual(near.ways, {"ears": "the craft beeps"})
        loose = craft.model_copy(deep=True)
        loose.wiring = [each for each in loose.wiring if (each.device, each.pin) != ("beeper", "B")]
        unwired = next(each for each in noticed(loose, parts, why) if each.notice == "pack low")
        self.assertEqual((unwired.ways, unwired.deaf), ({}, ["the beeper is not wired to a pad that drives it"]))
        craft.kit.devices = [each for each in craft.kit.devices if each.name != "beeper"]
        craft.wiring = [each for each in craft.wiring if each.device != "beeper"]
        none = next(each for each in noticed(craft, KitParts.of(craft), why) if each.notice == "pack low")
        self.assertEqual(none.deaf, ["no beeper is fitted"])

    def test_limits_that_cannot_be_and_alarms_that_do_not_wait(self):
        craft = warned(with_line(scenario.curlew()))
        for limit, above in ((1.0, False), (9.0, False), (9.0, True)):
            craft.alarms[0] = Alarm(notice="pack low", sensor="cell voltage", limit=limit, above=above, delay_s=3, told=["spoken", "buzz"])
            self.assertIn("downlink.limit", findings(craft), limit)
            self.assertNotIn("downlink.limit", findings(self.mended(craft, "downlink.limit")))
        craft.alarms[0] = Alarm(notice="pack low", sensor="cell voltage", limit=3.5, told=["spoken", "buzz"])
        self.assertIn("downlink.sag", findings(craft))
        self.assertNotIn("downlink.sag", findings(self.mended(craft, "downlink.sag")))
        for sensor, says in ((None, "looks at no sensor"), ("height", "looks at height; cell voltage or voltage")):
            craft.alarms[0] = Alarm(notice="pack low", sensor=sensor, limit=3, told=["spoken"])
            self.assertIn(says, findings(craft)["downlink.limit"].what)
            missed = next(each for each in still_findings(whole_of(craft)) if each.code == "downlink.unnoticed")
            self.assertEqual((missed.where, missed.severity), ("pack low", "stop"), "what cannot ring is no way")

    def test_an_alarm_for_the_signal_is_held_against_its_line_and_its_scale(self):
        craft = warned(with_line(scenario.curlew()))
        craft.alarms[1].limit = 60
        finding = findings(craft)["downlink.under-line"]
        self.assertEqual(finding.what, "The alarm rings at 60; the alarm line stands at 81.")
        self.assertNotIn("downlink.under-line", findings(apply_edits(craft, finding.mends[0].edits)))
        craft.alarms[1].limit = -90  # as it was with a receiver that tells dBm
        self.assertIn("RSSI goes from 0 to 100: it never gets below -90", findings(craft)["downlink.limit"].what)


class RingTest(unittest.TestCase):
    def rung(self, craft: CraftDocument, notices: tuple[str, ...] = ("pack low", "signal weak", "telemetry gone")) -> Hand:
        """Each made to ring by the hands that the hop offers, and put back."""
        hand = Hand(craft)
        hand.do(0.0, looking=True)
        hand.passes(14.0)
        for name in notices:
            row = next(each for each in hand.report().told.downlink.notices if each.notice == name)
            hand.do(14.0, **row.hands)
            hand.do(8.0, **row.back)
        return hand

    def test_each_rings_within_what_was_promised_and_that_is_proven(self):
        hand = self.rung(warned(with_line(scenario.curlew())))
        for row in hand.report().told.downlink.notices:
            for alarm in row.alarms:
                self.assertTrue(alarm.in_time, row.notice)
                self.assertGreaterEqual(alarm.rang_s, alarm.alarm.delay_s - 0.1)
        self.assertEqual(set(hand.proven("downlink")), {"every sensor comes", "each alarm rings", "the picture shows it"})
        texts = [event.text for event in hand.bench.board.events.last(40)]
        self.assertTrue(any(text.startswith("alarm: pack low, spoken, ") for text in texts), texts)

    def test_what_rang_counts_only_as_it_was_set(self):
        craft = warned(with_line(scenario.curlew()))
        hand = self.rung(craft, ("pack low",))
        row = hand.report().told.downlink.notices[0]
        self.assertTrue(row.alarms[0].in_time)
        later = craft.model_copy(deep=True)
        later.alarms[0].limit = 3.6
        hand.bench.take_document(later)
        self.assertFalse(hand.report().told.downlink.notices[0].alarms[0].in_time)
        self.assertNotIn("each alarm rings", hand.proven("downlink"))

    def test_a_beeper_without_its_wire_is_silent(self):
        craft = scenario.curlew()
        craft.alarms = [Alarm(notice="pack low", sensor="cell voltage", limit=3.55, told=["beeper"], repeat_s=2)]
        craft.wiring = [each for each in craft.wiring if (each.device, each.pin) != ("beeper", "B")]
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        hand.do(5.0, pack_left_percent=2)
        self.assertEqual(hand.bench.bells.rang, [])

    def test_a_beeper_rings_without_telemetry_and_again_after_a_while(self):
        craft = scenario.curlew()
        craft.alarms = [Alarm(notice="pack low", sensor="cell voltage", limit=3.55, told=["beeper"], repeat_s=2)]
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        hand.do(0.5, transmitter_on=False)
        hand.do(5.0, pack_left_percent=2)
        rang = [event.text for event in hand.bench.board.events.last(40) if event.text.startswith("alarm:")]
        self.assertEqual(rang, ["alarm: pack low, beeper, 0.0 s after it was so", *["alarm: pack low, beeper"] * 2])
        hand.do(1.0, pack_left_percent=100)
        hand.do(0.2, pack_left_percent=2)
        self.assertEqual(len([event for event in hand.bench.board.events.last(40) if "after it was so" in event.text]), 2)

    def test_a_change_of_mode_is_spoken_where_it_is_told(self):
        craft = downlink_craft(*KITS[5])
        craft.settings.modes = [ModeBand(mode="angle", channel=6, low=1250, high=1750)]
        craft.alarms = [Alarm(notice="wrong mode", sensor="flight mode", told=["spoken"], repeat_s=0)]
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        hand.do(4.0, looking=True)
        hand.do(3.0, switches={"S2": 1})
        [rang] = hand.bench.bells.rang
        self.assertLess(rang.after_s, 1.5)
        self.assertEqual(rang.alarm.notice, "wrong mode")

    def test_a_distance_is_told_from_where_it_was_first(self):
        craft = downlink_craft(*KITS[5])
        craft.alarms = [Alarm(notice="too far", sensor="position", limit=300, above=True, told=["spoken"])]
        hand = Hand(CraftDocument.model_validate(craft.model_dump()))
        hand.do(4.0, looking=True)
        hand.do(4.0, distance_m=400)
        [rang] = hand.bench.bells.rang
        self.assertLess(rang.after_s, 2.0)
