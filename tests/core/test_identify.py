from __future__ import annotations

import random
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase

from linkcore.craft.document import ReceiverInput
from linkcore.devices.port import PortReading
from linkcore.hops.line.compare import what_would_read
from linkcore.hops.line.identify import identify_bytes, identify_edges, idle_level, measure_baud
from linkcore.hops.line.rules import check_line
from linkcore.protocols import crsf
from linkcore.protocols.registry import PROTOCOLS, SERIAL_PROTOCOLS
from linkcore.signal.edges import NO_TIMES, Edges
from linkcore.signal.uart import UartSettings, send
from tests.signals import SERIAL, line, nmea, ubx


class IdentifyTest(SimpleTestCase):
    def test_real_life(self):
        """One cell of the grid for each protocol; the whole grid, 504 cells, is in the benchmark."""
        for index, name in enumerate(("PWM", "PPM", *SERIAL)):
            inverted, error = bool(index % 2), (-0.02, 0.0, 0.02)[index % 3]
            with self.subTest(name, inverted=inverted, error=error):
                found = identify_edges(*line(name, inverted=inverted, error=error, damage=0.1, cut=0.35, seed=index))
                self.assertEqual((found.protocol, found.inverted, found.what), (name, inverted, name))
                spec = PROTOCOLS[name]
                self.assertEqual((found.baud, found.framing), (spec.baud, spec.framing))
                if spec.baud:
                    self.assertAlmostEqual(found.measured_baud / (spec.baud * (1 + error)), 1, delta=0.003)

    def test_a_baud_that_no_list_has(self):
        uart = replace(SERIAL_PROTOCOLS["CRSF"].uart, baud=777_000)
        edges = send(crsf.encode_channels([992, 200] * 8) * 12, 0.01, uart)
        found = identify_edges(edges, 0.1)
        self.assertEqual(found.protocol, "CRSF")
        self.assertAlmostEqual(found.baud / 777_000, 1, delta=0.005)
        self.assertIn("usually runs at 420 000 baud", " ".join(found.why))

    def test_few_frames_are_believed_less(self):
        whole, end = line("CRSF", inverted=False)
        short, short_end = line("CRSF", inverted=False, seconds=0.042)
        self.assertEqual(identify_edges(whole, end).confidence, 1.0)
        self.assertTrue(0 < identify_edges(short, short_end).confidence < 0.5)

    def test_text_and_noise_are_no_receiver(self):
        text = b"Coin Bell says hello to the marsh, line after line.\r\n" * 10
        edges = send(text, 0.01, UartSettings(57_600))
        self.assertIn("plain text", " ".join(identify_edges(edges, 1.0).why))
        rng = np.random.default_rng(3)
        noise = Edges(0, np.cumsum(rng.uniform(1e-6, 9e-5, 4000)))
        self.assertIsNone(identify_edges(noise, 1.0).protocol)
        self.assertIsNone(identify_bytes(random.Random(2).randbytes(4000)).protocol)
        self.assertEqual(identify_bytes(b"").what, "nothing")

    def test_a_gps_is_named(self):
        sentences = b"".join(nmea(f"GPGGA,1200{second:02d},5230.000,N,00012.000,E,1,08,0.9,12.0,M,,,,") for second in range(8))
        packets = b"".join(ubx(7, bytes(range(92))) for _ in range(8))
        for name, data in (("NMEA", sentences), ("UBX", packets)):
            for baud, inverted in ((9600, False), (38_400, False), (115_200, True)):
                found = identify_edges(send(data, 0.01, UartSettings(baud, inverted=inverted)), 2.0)
                self.assertEqual((found.protocol, found.what, found.inverted), (None, name, inverted), baud)
                self.assertIn("as a GPS sends them", found.why[-1])
            self.assertEqual(identify_bytes(data).what, name)

    def test_the_framing_of_unknown_traffic_is_told(self):
        data = random.Random(6).randbytes(400)
        for parity, framing in (("none", "8N1"), ("even", "8E1"), ("odd", "8O1")):
            found = identify_edges(send(data, 0.01, UartSettings(38_400, 8, parity)), 1.0)
            self.assertEqual((found.what, found.framing), ("unknown", framing))

    def test_a_line_with_hardly_an_edge(self):
        for level in (0, 1):
            found = identify_edges(Edges(level, NO_TIMES), 0.5)
            self.assertIn(f"rests {'high' if level else 'low'}", found.why[0])
        found = identify_edges(Edges(1, np.array([0.1, 0.1001])), 0.5)
        self.assertEqual((found.protocol, found.why[-1]), (None, "Too few edges to measure a baud."))
        self.assertIsNone(measure_baud(Edges(1, np.array([0.1]))))

    def test_the_idle_level_is_that_of_the_longest_rest(self):
        for inverted in (False, True):
            edges, end = line("SBUS", inverted=inverted, cut=0.3, seed=4)
            self.assertEqual(idle_level(edges, end), 0 if inverted else 1)


class WhatWouldReadTest(SimpleTestCase):
    def test_the_fewest_changes_come_first(self):
        edges, end = line("SBUS", inverted=True, error=0.01, cut=0.2, seed=9)
        (way,) = what_would_read(edges, end, ReceiverInput(protocol="SBUS"))
        self.assertEqual((way.changes, way.good_share), (("inverted",), 1.0))
        (way,) = what_would_read(edges, end, ReceiverInput(protocol="CRSF"))
        self.assertEqual(way.changes, ("protocol SBUS", "inverted"))
        (way,) = what_would_read(edges, end, ReceiverInput(protocol="SBUS", inverted=True))
        self.assertEqual(way.changes, ())
        self.assertEqual(what_would_read(Edges(1, NO_TIMES), 1.0, ReceiverInput(protocol="SBUS")), [])


class LineRulesTest(SimpleTestCase):
    @staticmethod
    def reading(**more) -> PortReading:
        return PortReading(**({"port": "U2", "pad": "R2", "edges_at_pad": 900, "bytes": 2500, "good": 100, "bad": 0, "errors": 0} | more))

    def codes(self, reading: PortReading, *, alive: bool = True, because: str | None = None) -> list[tuple[str, str]]:
        return [(finding.code, finding.severity) for finding in check_line(reading, [], alive, because)]

    def test_each_way_of_not_hearing_is_told_apart(self):
        self.assertEqual(self.codes(self.reading()), [])
        self.assertEqual(self.codes(self.reading(port=None, pad=None)), [("line.no-port", "stop")])
        self.assertEqual(self.codes(self.reading(edges_at_pad=0, good=0), because="The transmitter is off."), [("line.silent", "warn")])
        self.assertEqual(self.codes(self.reading(edges_at_pad=0, good=0)), [("line.nothing-at-pad", "warn")])
        self.assertEqual(self.codes(self.reading(edges_at_pad=0, good=0), alive=False), [("line.dead", "stop")])
        self.assertEqual(self.codes(self.reading(good=0, bad=100)), [("line.no-frames", "stop")])
        self.assertEqual(self.codes(self.reading(good=90, bad=10)), [("line.damaged", "warn")])
        self.assertEqual(self.codes(self.reading(good=95, bad=5)), [])
