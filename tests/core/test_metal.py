"""The wires as metal: who hears whom, who is fed, and what two outputs make of one line."""

from __future__ import annotations

import random

import numpy as np
from django.test import SimpleTestCase

import scenario
from linkcore.craft.parts import KitParts, spoken_output
from linkcore.hops.loom.layout import _crossed, _Net, _order
from linkcore.standins.wires import CHATTER_BYTES, CHATTER_S, Chatter, WireTruth, both_drive
from tests.crafts import sbus_craft
from tests.wired import moved


def truth(craft) -> WireTruth:
    parts = KitParts.of(craft)
    return WireTruth.of(craft, parts, spoken_output(craft, parts.receiver))


class SupplyTest(SimpleTestCase):
    def test_what_reaches_a_pin_follows_pack_usb_and_ground(self):
        wires = truth(sbus_craft())
        self.assertEqual(
            [wires.volts("receiver", usb=usb, pack=pack) for usb, pack in ((False, False), (True, False), (False, True), (True, True))], [0, 4.6, 5.0, 5.0]
        )
        self.assertEqual(truth(moved(sbus_craft(), "receiver", "GND", None)).volts("receiver", usb=True, pack=True), 0)
        self.assertEqual(truth(moved(sbus_craft(), "receiver", "GND", "R5")).volts("receiver", usb=True, pack=True), 0)

    def test_who_runs_on_what(self):
        avocet = truth(scenario.avocet())
        self.assertEqual([avocet.runs(device, usb=True, pack=False) for device in ("receiver", "GPS", "video link", "ESC")], [True, True, False, False])
        self.assertTrue(all(avocet.runs(device, usb=False, pack=True) for device in ("receiver", "GPS", "video link", "ESC")))

    def test_a_servo_rail_lives_on_a_bec_alone(self):
        plane = scenario.sandpiper()
        self.assertTrue(truth(plane).runs("elevator", usb=False, pack=True))
        self.assertFalse(truth(plane).runs("elevator", usb=True, pack=False))
        self.assertFalse(truth(moved(plane, "motor", "BEC", None)).runs("elevator", usb=False, pack=True))

    def test_what_is_destroyed_only_once_the_power_is_on(self):
        wires = truth(moved(scenario.avocet(), "GPS", "5V", "9V"))
        self.assertEqual(
            (wires.destroyed(usb=False, pack=False), wires.destroyed(usb=True, pack=False), wires.destroyed(usb=False, pack=True)), (set(), set(), {"GPS"})
        )

    def test_what_is_overloaded(self):
        avocet = truth(scenario.avocet())
        self.assertIsNone(avocet.overloaded(usb=False, pack=True))
        self.assertEqual(avocet.overloaded(usb=True, pack=False), "the 5V rail on USB alone")
        self.assertIsNone(avocet.overloaded(usb=True, pack=True), "the pack carries it")

    def test_who_else_drives_the_receivers_line(self):
        self.assertEqual([device for device, _ in truth(scenario.avocet()).rivals], ["ESC"])
        self.assertEqual(truth(moved(scenario.avocet(), "ESC", "TLM", "R7")).rivals, ())


class TwoOutputsTest(SimpleTestCase):
    def test_the_line_moves_only_where_both_agree(self):
        rng = random.Random(7)
        for _ in range(200):
            mine, theirs = (np.array(sorted(rng.sample(range(1000), rng.randint(0, 30))), dtype=float) for _ in range(2))
            if set(mine) & set(theirs):
                continue  # at one and the same instant either may come first
            levels = [rng.randint(0, 1), rng.randint(0, 1)]
            line = rng.randint(0, 1)
            toggles, after = both_drive(mine, levels[0], theirs, levels[1], line)
            expected = []
            for time in range(1000):
                levels[0] ^= time in mine
                levels[1] ^= time in theirs
                if levels[0] == levels[1] != line and (time in mine or time in theirs):
                    line = levels[0]
                    expected.append(float(time))
            self.assertEqual((list(toggles), after), (expected, line))

    def test_a_resting_output_holds_the_line(self):
        busy = np.arange(0, 1, 0.01)
        toggles, after = both_drive(busy, 1, np.array([]), 1, 1)
        self.assertEqual((len(toggles), after), (0, 1))

    def test_chatter_comes_in_bursts_and_never_twice(self):
        avocet = truth(scenario.avocet())
        chatter = Chatter(avocet.rivals[0][1], random.Random(1))
        whole = np.concatenate([chatter.toggles(start / 25, (start + 1) / 25) for start in range(25)])
        self.assertTrue((np.diff(whole) > 0).all())
        bursts = np.flatnonzero(np.diff(whole) > CHATTER_S / 2)
        self.assertAlmostEqual(len(bursts) + 1, 1 / CHATTER_S, delta=2)
        self.assertTrue(len(whole) <= (len(bursts) + 1) * CHATTER_BYTES * 10)


class LanesTest(SimpleTestCase):
    def test_the_order_of_lanes_is_close_to_the_best(self):
        import itertools

        rng = random.Random(3)
        worse = 0
        for _ in range(60):
            nets = [
                _Net(str(index), pins=[rng.randrange(0, 400) + 0.5 for _ in range(rng.randint(1, 3))], end=float(rng.randrange(0, 400))) for index in range(5)
            ]
            best = min(sum(_crossed(one, other) for at, one in enumerate(order) for other in order[at + 1 :]) for order in itertools.permutations(nets))
            ordered, crossings = _order(nets)
            self.assertEqual(sorted(net.pad for net in ordered), sorted(net.pad for net in nets))
            self.assertEqual(crossings, sum(_crossed(one, other) for at, one in enumerate(ordered) for other in ordered[at + 1 :]))
            worse += crossings - best
        self.assertLessEqual(worse, 12, "over sixty drawings")
