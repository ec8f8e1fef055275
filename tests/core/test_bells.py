"""Alarms as they ring, against a reckoning over whole stretches; beepers, the list of sensors, and devices that speak past their port."""

from __future__ import annotations

import unittest
from itertools import groupby

from hypothesis import given, settings
from hypothesis import strategies as st

import scenario
from linkcore.craft.document import Alarm, CraftDocument, Patch
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import METRES_A_DEGREE, TELLINGS
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board
from linkcore.protocols.base import TelemetryFrame
from linkcore.standins.bells import Bells
from linkcore.standins.board import StandInBoard
from linkcore.standins.discovery import MOST_FOUND, SensorKept, SensorList
from linkcore.standins.peripherals import FORGETS_S, Around, DeviceWires
from linkcore.wiring.beeper import beepers, wired_beeper
from tests.downlinks import KITS, downlink_craft
from tests.hand import Hand

STEP_S = 0.1
ABOUT = Around(59.0, 10.5, 12.0, 4.0, 90.0, 12, 30.0, 15.2, 8.0, 100.0)


def beyond(values: list[float | None], alarm: Alarm) -> list[bool]:
    """Of each value whether the alarm's cause stands then: it begins beyond the limit and ends on the near side of limit and hysteresis; without a value it stays."""
    side = 1 if alarm.above else -1
    out, stands = [], False
    for value in values:
        if value is not None:
            past = side * (value - alarm.limit)
            stands = past > -alarm.hysteresis if stands else past > 0
        out.append(stands)
    return out


def should_ring(values: list[float | None], alarm: Alarm) -> list[int]:
    """At which steps, reckoned stretch by stretch: after the delay, and again after each repeat as long as it stands."""
    delay, repeat = round(alarm.delay_s / STEP_S), round(alarm.repeat_s / STEP_S)
    out: list[int] = []
    at = 0
    for stands, stretch in groupby(beyond(values, alarm)):
        long = len(list(stretch))
        if stands and long > delay:
            out += range(at + delay, at + long, repeat) if repeat else [at + delay]
        at += long
    return out


ALARMS = st.builds(
    Alarm,
    notice=st.just("pack low"),
    sensor=st.just("voltage"),
    limit=st.integers(8, 12).map(float),
    above=st.booleans(),
    hysteresis=st.integers(0, 3).map(float),
    delay_s=st.integers(0, 12).map(lambda tenths: tenths / 10),
    repeat_s=st.integers(0, 15).map(lambda tenths: tenths / 10),
    told=st.just(["spoken"]),
)
VALUES = st.lists(st.tuples(st.one_of(st.none(), st.integers(5, 15).map(float)), st.integers(1, 15)), min_size=1, max_size=12).map(
    lambda runs: [value for value, long in runs for _ in range(long)]
)


class BellTest(unittest.TestCase):
    def ring(self, bells: Bells, step: int, told: float | None, truth: float | None = None, **on: bool) -> list:
        def known(value: float | None) -> dict:
            return {} if value is None else {"voltage": value}

        return bells.run(step * STEP_S, known(told), known(truth), step * STEP_S, **({"transmitter_on": True, "board_on": True} | on))

    @settings(max_examples=300, deadline=None)
    @given(ALARMS, VALUES)
    def test_it_rings_when_it_should_and_never_else(self, alarm, values):
        bells = Bells()
        shifted = alarm.model_copy(update={"delay_s": max(0.0, alarm.delay_s - 1e-6), "repeat_s": max(0.0, alarm.repeat_s - 1e-6)})
        bells.follow([shifted])  # tenths of a second are no whole numbers
        rang = [step for step, value in enumerate(values) if self.ring(bells, step, value, value)]
        self.assertEqual(rang, should_ring(values, alarm))

    @settings(max_examples=100, deadline=None)
    @given(ALARMS, VALUES)
    def test_what_is_set_again_as_it_was_goes_on(self, alarm, values):
        once, often = Bells(), Bells()
        once.follow([alarm])
        for step, value in enumerate(values):
            often.follow([alarm])
            self.assertEqual(self.ring(once, step, value, value), self.ring(often, step, value, value))

    def test_how_late_it_was_counts_from_what_was_so_not_from_what_was_told(self):
        bells = Bells()
        bells.follow([Alarm(notice="pack low", sensor="voltage", limit=10, delay_s=1, told=["spoken"])])
        rang = [one for step in range(60) for one in self.ring(bells, step, 12.0 if step < 30 else 9.0, 12.0 if step < 10 else 9.0)]
        self.assertEqual([round(one.after_s, 1) for one in rang], [3.0])

    def test_what_nobody_saw_happen_has_rung_and_proves_nothing(self):
        bells = Bells()
        bells.follow([Alarm(notice="pack low", sensor="voltage", limit=10, told=["spoken"])])
        [rang] = self.ring(bells, 1, 9.0, 12.0)  # told low while it was not
        self.assertEqual((rang.after_s, bells.rang), (None, []))

    def test_two_ways_of_one_alarm_ring_for_themselves(self):
        bells = Bells()
        bells.follow([Alarm(notice="pack low", sensor="voltage", limit=10, told=["spoken", "beeper", "buzz"])])
        self.assertEqual([one.told for one in self.ring(bells, 1, None, 9.0)], [("beeper",)])
        self.assertEqual([one.told for one in self.ring(bells, 2, 9.0, 9.0)], [("spoken", "buzz")])
        self.assertEqual(self.ring(bells, 200, 9.0, 9.0, transmitter_on=False, board_on=False), [])
        self.assertEqual([one.told for one in self.ring(bells, 201, 9.0, 9.0, board_on=False)], [("spoken", "buzz")])

    def test_one_that_is_silent_or_taken_out_never_rings(self):
        bells = Bells()
        bells.follow([Alarm(notice="pack low", sensor="voltage", limit=10, told=[])])
        self.assertEqual((self.ring(bells, 1, 9.0, 9.0), bool(bells)), ([], False))
        bells.follow([Alarm(notice="pack low", sensor="voltage", limit=10, told=["buzz"])])
        self.assertTrue(self.ring(bells, 2, 9.0, 9.0))
        bells.follow([])
        self.assertEqual((self.ring(bells, 3, 9.0, 9.0), bells.rang), ([], []))


class BeeperTest(unittest.TestCase):
    def test_only_a_pad_that_drives_it_counts(self):
        craft = scenario.curlew()
        self.assertEqual((beepers(KitParts.of(craft)), wired_beeper(craft, KitParts.of(craft))), (["beeper"], "beeper"))
        wire = next(each for each in craft.wiring if (each.device, each.pin) == ("beeper", "B"))
        for pad in (pad.name for pad in KitParts.of(craft).board.pads if pad.kind != "buzzer"):
            wire.pad = pad
            self.assertIsNone(wired_beeper(craft, KitParts.of(craft)), pad)
        craft.kit.board = ""
        self.assertIsNone(wired_beeper(craft, KitParts.of(craft)))


class ListTest(unittest.TestCase):
    def take(self, listed: SensorList, protocol: str, t: float = 1.0, value: float = 40.0, sender: str = "board") -> None:
        for carried in TELLINGS[protocol].carries:
            for name, field in carried.at:
                listed.take(protocol, TelemetryFrame(t, name, {field: value}), t, sender)

    @settings(max_examples=60, deadline=None)
    @given(st.sampled_from(sorted(TELLINGS)), st.data())
    def test_what_was_taken_out_is_found_again_only_while_it_is_looked_for(self, protocol, data):
        listed = SensorList()
        self.take(listed, protocol)
        self.assertEqual(listed.found, {}, "nothing is taken in unasked")
        listed.looking = True
        self.take(listed, protocol, 2.0)
        whole = set(listed.found)
        self.assertTrue(whole)
        key = data.draw(st.sampled_from(sorted(whole)))
        listed.looking = data.draw(st.booleans())
        listed.forget(key)
        self.assertEqual(set(listed.found), whole - {key})
        self.take(listed, protocol, 3.0)
        self.assertEqual(set(listed.found), whole if listed.looking else whole - {key})
        listed.forget("")
        self.assertEqual(listed.found, {})
        listed.forget("no such")

    def test_it_is_kept_bounded_and_what_it_does_not_know_is_left_out(self):
        listed = SensorList()
        listed.resume([SensorKept(protocol="S.Port", id="no id"), SensorKept(protocol="smoke signals", id="1")] * 60)
        self.assertEqual(listed.found, {})
        listed.looking = True
        for protocol in TELLINGS:
            self.take(listed, protocol)
        self.assertLessEqual(len(listed.found), MOST_FOUND)
        again = SensorList()
        again.resume(listed.kept())
        self.assertEqual(set(again.found), set(listed.found))
        self.assertTrue(all(not each.times and not each.says for each in again.found.values()), "it has come once it comes, not because it came before")

    def test_what_counts_anew_has_to_come_twice_before_its_pace_is_known(self):
        listed = SensorList()
        listed.looking = True
        for t in (1.0, 2.0, 3.0):
            self.take(listed, "CRSF", t)
        self.assertTrue(all(each.every_s == 1.0 for each in listed.found.values()))
        listed.count_anew()
        self.assertTrue(all(each.every_s is None for each in listed.found.values()))
        self.take(listed, "CRSF", 9.0)
        self.assertTrue(all(each.every_s is None and list(each.times) == [9.0] for each in listed.found.values()))

    def test_two_senders_clash_until_one_has_been_silent_for_a_while(self):
        listed = SensorList()
        listed.looking = True
        self.take(listed, "CRSF", 1.0)
        self.take(listed, "CRSF", 2.0, sender="GPS")
        self.assertTrue(all(each.clashes() == ["GPS", "board"] for each in listed.found.values()))
        self.take(listed, "CRSF", 40.0, sender="GPS")
        self.assertTrue(all(each.clashes() == [] for each in listed.found.values()))

    def test_a_distance_begins_anew_with_a_position_that_was_taken_out(self):
        listed = SensorList()
        listed.looking = True
        place = next(each for each in TELLINGS["CRSF"].carries if each.sensor == "position")

        def there(latitude: float) -> float:
            listed.take("CRSF", TelemetryFrame(1.0, place.at[0][0], {place.at[0][1]: latitude, place.at[1][1]: 10.0}), 1.0)
            return float(listed.numbers()["position"])

        self.assertEqual((there(59.0), round(there(59.001), 3)), (0.0, round(0.001 * METRES_A_DEGREE, 3)))
        listed.forget(f"CRSF {place.id}")
        self.assertEqual(there(59.001), 0.0)


class PastTheirPortTest(unittest.TestCase):
    """What a device says is known only where somebody listens for it, at its pace."""

    def heard(self, craft: CraftDocument, seconds: float = 2.0, **runs: bool) -> DeviceWires:
        parts, wires = KitParts.of(craft), DeviceWires()
        board = StandInBoard(parts.board, craft.settings)
        wires.follow(craft, parts)
        now = 20.0
        for _ in range(round(seconds / 0.04)):
            wires.cross(now, now + 0.04, board, ABOUT, {name: runs.get(name, True) for name in parts.devices})
            now += 0.04
        self.now = now
        return wires

    def test_each_is_heard_on_its_port(self):
        wires = self.heard(downlink_craft(*KITS[0]))
        self.assertEqual(set(wires.heard.said), {"pvt", "esc"})
        self.assertIsNone(wires.heard.newest("pvt", self.now + FORGETS_S + 1), "what was not said for a while is not known")

    def test_one_without_supply_or_wire_says_nothing(self):
        craft = downlink_craft(*KITS[0])
        self.assertEqual(set(self.heard(craft, GPS=False).heard.said), {"esc"})
        craft.wiring = [each for each in craft.wiring if (each.device, each.pin) != ("ESC", "TLM")]
        self.assertEqual(set(self.heard(craft).heard.said), {"pvt"})

    def test_any_other_pad_job_or_pace_gives_nothing(self):
        whole = downlink_craft(*KITS[0])
        wire = next(each for each in whole.wiring if (each.device, each.pin) == ("GPS", "TX"))
        port = next(pad.port for pad in shipped().of(Board, whole.kit.board).pads if pad.name == wire.pad)
        for pace in (9_600, 19_200, 38_400, 115_200):
            craft = whole.model_copy(deep=True)
            craft.settings.port_baud[port] = pace
            self.assertNotIn("pvt", self.heard(craft).heard.said, pace)
        for job in ("free", "receiver", "telemetry", "ESC telemetry"):
            craft = whole.model_copy(deep=True)
            craft.settings.ports[port] = job
            self.assertNotIn("pvt", self.heard(craft).heard.said, job)
        taken = {each.pad for each in whole.wiring}
        for pad in shipped().of(Board, whole.kit.board).pads:
            if pad.name in taken or pad.kind == "rx":
                continue
            craft = whole.model_copy(deep=True)
            craft.wiring = [Patch(**(each.model_dump() | {"pad": pad.name})) if each == wire else each for each in craft.wiring]
            self.assertNotIn("pvt", self.heard(craft).heard.said, pad.name)

    def test_two_on_one_pad_spoil_each_other(self):
        craft = downlink_craft(*KITS[0])
        gps = next(each for each in craft.wiring if (each.device, each.pin) == ("GPS", "TX"))
        for each in craft.wiring:
            if (each.device, each.pin) == ("ESC", "TLM"):
                each.pad = gps.pad
        [alone], [spoilt] = ([ear.frames for ear in self.heard(each).ears.values() if ear.uart.baud == 57_600] for each in (downlink_craft(*KITS[0]), craft))
        self.assertLess(spoilt, alone / 2)

    def test_a_fix_that_is_lost_is_no_longer_told(self):
        hand = Hand(downlink_craft(*KITS[5]))
        hand.do(3.0, looking=True)
        self.assertIn("position", hand.bench._board_says())
        hand.do(6.0, gps_fix=False)
        self.assertNotIn("position", hand.bench._board_says())
        hand.do(6.0, gps_fix=True)
        self.assertIn("position", hand.bench._board_says())
