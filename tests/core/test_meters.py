"""Voltage and current set right by a meter and a charger."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from linkcore.hops.airframe.meters import CurrentLine, MeterError, current_line, slope_by_charge, voltage_scale
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Pack

FOUR = shipped().of(Pack, "tussock-4-1500")


class VoltageTest(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(divider=st.floats(9, 13), scale=st.floats(9, 13), true=st.floats(14, 16.8))
    def test_with_the_new_scale_the_board_shows_what_the_meter_shows(self, divider, scale, true):
        at_the_pin = true / divider
        if abs(divider / scale - 1) > 0.25:
            return
        self.assertAlmostEqual(at_the_pin * voltage_scale(scale, at_the_pin * scale, true, FOUR), true)

    def test_readings_that_cannot_be_are_refused(self):
        for shown, true, says in (
            (16.0, 0.0, "the meter reads 0 V: plug the pack in"),
            (0.0, 16.0, "the board reads 0 V"),
            (16.0, 25.0, "25 V is no voltage of a Tussock 4-1500"),
            (16.0, 8.4, "is another pack plugged in"),
            (5.0, 16.0, "it measures something else"),
        ):
            with self.assertRaisesRegex(MeterError, says):
                voltage_scale(11.0, shown, true, FOUR)


class CurrentTest(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(slope=st.floats(0.5, 2), offset=st.floats(-2, 2), low=st.floats(0, 2), high=st.floats(10, 60), between=st.floats(0, 80))
    def test_two_points_give_the_line_that_they_lie_on(self, slope, offset, low, high, between):
        true = CurrentLine(slope=slope, offset_a=offset)
        found = current_line((low, high), (true.true_a(low), true.true_a(high)))
        self.assertAlmostEqual(found.true_a(between), true.true_a(between), places=6)

    def test_points_that_give_no_line_are_refused(self):
        for shown, true, says in (((0.4, 1.0), (0.4, 12.0), "less than 2 A apart"), ((0.4, 20.0), (12.0, 0.5), "mixed up")):
            with self.assertRaisesRegex(MeterError, says):
                current_line(shown, true)

    def test_what_the_charger_put_back_sets_the_slope(self):
        self.assertEqual(slope_by_charge(CurrentLine(slope=1.0, offset_a=0.2), 1000, 1100), CurrentLine(slope=1.1, offset_a=0.22000000000000003))
        for counted, back, says in ((0, 900, "nothing was counted"), (1000, 300, "was the pack as full before")):
            with self.assertRaisesRegex(MeterError, says):
                slope_by_charge(CurrentLine(slope=1, offset_a=0), counted, back)
