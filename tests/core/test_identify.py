from __future__ import annotations

import random

import numpy as np
from django.test import SimpleTestCase

from linkcore.line.compare import what_would_read
from linkcore.line.identify import identify_bytes, identify_edges, idle_level, measure_baud
from linkcore.line.rules import PortReading, check_line
from linkcore.protocols import crsf, sbus
from linkcore.signal.edges import NO_TIMES, Edges
from linkcore.signal.uart import UartSettings, send


def signal(name: str, *, inverted: bool, error: float, damage: float, cut: float, seed: int, seconds: float = 1.0) -> tuple[Edges, float]:
    """A second of a receiver's line: baud off by `error`, a share of frames damaged, and begun `cut` of a frame late."""
    rng = random.Random(seed)
    spec = sbus.SPEC if name == "SBUS" else crsf.SPEC
    uart = UartSettings(round(spec.uart.baud * (1 + error)), 8, spec.uart.parity, spec.uart.stop_bits, inverted)
    period = 0.009 if name == "SBUS" else 0.004
    pieces, starts = [], []
    for index in range(int(seconds / period)):
        raw = [rng.randrange(172, 1812) for _ in range(16)]
        frame = bytearray(sbus.encode(raw) if name == "SBUS" else crsf.encode_channels(raw))
        if rng.random() < damage:
            frame[rng.randrange(3, len(frame) - 2)] ^= 1 << rng.randrange(8)
        if name == "SBUS" and frame[0] != 0x0F:
            frame[0] = 0x0F
        pieces.append(bytes(frame))
        starts.append(index * period + np.arange(len(frame)) * uart.byte_s)
    edges = send(b"".join(pieces), np.concatenate(starts), uart)
    begin = cut * len(pieces[0]) * uart.byte_s
    later = edges.between(begin, seconds)
    return Edges(later.level, later.times - begin), seconds - begin


class IdentifyTest(SimpleTestCase):
    def test_a_grid_of_real_life(self):
        for name in ("SBUS", "CRSF"):
            for inverted in (False, True):
                for error in (-0.02, 0.0, 0.02):
                    for damage in (0.0, 0.1):
                        for cut in (0.0, 0.4):
                            with self.subTest(name, inverted=inverted, error=error, damage=damage, cut=cut):
                                edges, end = signal(name, inverted=inverted, error=error, damage=damage, cut=cut, seed=11)
                                found = identify_edges(edges, end)
                                self.assertEqual((found.protocol, found.inverted), (name, inverted))
                                spec = sbus.SPEC if name == "SBUS" else crsf.SPEC
                                self.assertEqual(found.baud, spec.uart.baud)
                                self.assertAlmostEqual(found.measured_baud / (spec.uart.baud * (1 + error)), 1, delta=0.002)
                                self.assertAlmostEqual(found.frames_per_s, 111.1 if name == "SBUS" else 250, delta=3)

    def test_few_frames_are_believed_less(self):
        whole, end = signal("CRSF", inverted=False, error=0, damage=0, cut=0, seed=1)
        short, short_end = signal("CRSF", inverted=False, error=0, damage=0, cut=0, seed=1, seconds=0.012)
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
        self.assertEqual(identify_bytes(b"").why, ["The file holds no bytes."])

    def test_a_line_with_hardly_an_edge(self):
        for level in (0, 1):
            found = identify_edges(Edges(level, NO_TIMES), 0.5)
            self.assertIn(f"rests {'high' if level else 'low'}", found.why[0])
        found = identify_edges(Edges(1, np.array([0.1, 0.1001])), 0.5)
        self.assertEqual((found.protocol, found.why[-1]), (None, "Too few edges to measure a baud."))
        self.assertIsNone(measure_baud(Edges(1, np.array([0.1]))))

    def test_the_idle_level_is_that_of_the_longest_rest(self):
        for inverted in (False, True):
            edges, end = signal("SBUS", inverted=inverted, error=0, damage=0, cut=0.3, seed=4)
            self.assertEqual(idle_level(edges, end), 0 if inverted else 1)


class WhatWouldReadTest(SimpleTestCase):
    def test_the_fewest_changes_come_first(self):
        edges, end = signal("SBUS", inverted=True, error=0.01, damage=0, cut=0.2, seed=9)
        (way,) = what_would_read(edges, end, "SBUS", False)
        self.assertEqual((way.changes, way.good_share), (("inverted",), 1.0))
        (way,) = what_would_read(edges, end, "CRSF", False)
        self.assertEqual(way.changes, ("protocol SBUS", "inverted"))
        (way,) = what_would_read(edges, end, "SBUS", True)
        self.assertEqual(way.changes, ())
        self.assertEqual(what_would_read(Edges(1, NO_TIMES), 1.0, "SBUS", True), [])


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
