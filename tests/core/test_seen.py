"""Detected against expected: what the board sees of what is fitted, by what really reached it."""

from __future__ import annotations

import unittest

import scenario
from linkcore.bench.messages import BenchState
from linkcore.craft.document import CraftDocument
from tests.hand import Hand


def without_wire(craft: CraftDocument, device: str, pin: str) -> CraftDocument:
    return craft.model_copy(update={"wiring": [each for each in craft.wiring if (each.device, each.pin) != (device, pin)]})


class SeenTest(unittest.TestCase):
    def hand(self, craft: CraftDocument, seconds: float = 5.0) -> Hand:
        hand = Hand(craft, BenchState(stored=craft.settings, running=craft.settings, bound=True))
        hand.passes(seconds)
        return hand

    def said(self, hand: Hand) -> list[str]:
        return [each.what for each in hand.report().findings if each.code == "kit.not-seen"]

    def test_what_is_wired_right_is_seen_and_the_set_is_proven(self):
        hand = self.hand(scenario.curlew())
        self.assertEqual(hand.report().told.kit.seen, sorted(["gyro", "accelerometer", "barometer", "voltage", "current", "GPS", "magnetometer"]))
        self.assertEqual((self.said(hand), hand.proven("kit")), ([], ["the set answers"]))

    def test_a_gps_that_is_fitted_and_not_heard_is_not_seen_and_holds_the_proof_back(self):
        craft = scenario.curlew()
        deaf = craft.model_copy(deep=True)
        deaf.settings.ports["U1"] = "free"
        slow = craft.model_copy(deep=True)
        slow.settings.port_baud["U1"] = 9600
        for wrong in (without_wire(craft, "GPS", "TX"), without_wire(craft, "GPS", "5V"), without_wire(craft, "GPS", "GND"), deaf, slow):
            hand = self.hand(wrong)
            self.assertEqual(self.said(hand), ["The board does not see GPS, fitted in GPS."])
            self.assertEqual(hand.proven("kit"), [])
            hand.bench.take_document(craft)
            hand.bench.write(craft.settings)
            hand.bench.restart()
            hand.passes(6.0)
            self.assertEqual((self.said(hand), hand.proven("kit")), ([], ["the set answers"]))

    def test_a_board_that_sleeps_or_has_just_woken_says_nothing_yet(self):
        hand = self.hand(scenario.curlew())
        hand.do(1.0, pack=False)
        told = hand.report().told.kit
        self.assertEqual((told.awake, told.seen, self.said(hand)), (False, [], []))
        hand.do(1.5, pack=True)
        self.assertEqual((hand.report().told.kit.awake, self.said(hand)), (True, []))

    def test_what_nobody_asks_for_is_no_finding(self):
        craft = without_wire(scenario.curlew(), "GPS", "TX")
        craft.wants.sensors = ["gyro", "accelerometer"]
        hand = self.hand(craft)
        self.assertEqual((self.said(hand), hand.proven("kit")), ([], ["the set answers"]))

    def test_avocets_gps_speaks_faster_than_its_port_listens(self):
        self.assertEqual(self.said(self.hand(scenario.avocet())), ["The board does not see GPS and magnetometer, fitted in GPS."])
