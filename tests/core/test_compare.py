"""What would read a line, what the board can do of it on which pad, and what the Line hop says of it."""

from __future__ import annotations

import numpy as np
from django.test import SimpleTestCase

from linkcore.craft.document import CraftDocument, ReceiverInput, apply_edits
from linkcore.devices.port import PortReading
from linkcore.hops.line.compare import READS_SHARE, set_so, what_would_read
from linkcore.hops.line.foreign import foreign, nmea_sentences, ubx_packets
from linkcore.hops.line.rules import check_line
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.signal.edges import Edges
from tests.crafts import sbus_craft
from tests.signals import line, nmea, ubx

SERIAL_RECEIVERS = sorted(name for name, spec in RECEIVER_PROTOCOLS.items() if spec.wire == "serial")


def ways(name: str, chosen: ReceiverInput, pad: str = "", board: str = "dabble-f3", **more):
    part = shipped().of(Board, board) if pad else None
    edges, end = line(name, **({"inverted": RECEIVER_PROTOCOLS[name].inverted, "seed": 3} | more))
    return what_would_read(edges, end, chosen, part, part.pad(pad) if part else None)


class WaysTest(SimpleTestCase):
    def test_every_receivers_line_is_read_by_its_own_settings_and_by_hardly_any_other(self):
        for name in SERIAL_RECEIVERS:
            for inverted in (False, True):
                with self.subTest(name, inverted=inverted):
                    found = ways(name, ReceiverInput(protocol=name, inverted=inverted), inverted=inverted)
                    self.assertEqual([(way.protocol, way.inverted, way.changes) for way in found], [(name, inverted, ())])

    def test_changes_are_named_and_become_edits(self):
        (way,) = ways("SUMD", ReceiverInput(protocol="IBUS", inverted=True, half_duplex=True), pad="R1")
        self.assertEqual(way.changes, ("protocol SUMD", "not inverted", "full duplex"))
        (mend,) = set_so(way)
        self.assertIn("protocol SUMD and not inverted and full duplex (tried: 100% whole)", mend.text)
        craft: CraftDocument = apply_edits(sbus_craft(), mend.edits)
        self.assertEqual(craft.settings.receiver_input, way.settings)
        (same,) = ways("SUMD", ReceiverInput(protocol="SUMD"), pad="R1")
        self.assertEqual((same.changes, set_so(same)), ((), ()))

    def test_half_duplex_follows_the_pad(self):
        for pad, half in (("R1", False), ("T1", True)):
            (way,) = ways("F.Port", ReceiverInput(protocol="F.Port", inverted=True), pad=pad)
            self.assertEqual((way.settings.half_duplex, way.possible), (half, True), pad)

    def test_a_line_of_ppm_is_not_taken_for_pwm_and_needs_a_timer(self):
        for inverted in (False, True):
            found = ways("PPM", ReceiverInput(protocol="SBUS"), pad="R2", inverted=inverted)
            self.assertEqual([(way.protocol, way.possible) for way in found], [("PPM", False)])
            self.assertIn("R2 has no timer to measure PPM with; IN1 can", found[0].why_not)
        self.assertTrue(ways("PPM", ReceiverInput(protocol="PPM"), pad="IN1")[0].possible)
        (pwm,) = ways("PWM", ReceiverInput(protocol="PPM"), pad="IN4")
        self.assertEqual((pwm.changes, pwm.possible), (("protocol PWM",), True))

    def test_bytes_on_an_input_for_pulses_need_a_port(self):
        (way,) = ways("IBUS", ReceiverInput(protocol="PPM"), pad="IN1")
        self.assertIn("bytes need a port", way.why_not)

    def test_a_line_with_more_than_half_of_its_frames_hurt_is_not_said_to_read(self):
        self.assertEqual(ways("CRSF", ReceiverInput(protocol="CRSF"), damage=0.9), [])
        (way,) = ways("CRSF", ReceiverInput(protocol="CRSF"), damage=0.3)
        self.assertTrue(READS_SHARE <= way.good_share < 0.8)


class SaidTest(SimpleTestCase):
    """The findings of a port that gets edges and reads nothing."""

    @staticmethod
    def said(name: str, chosen: ReceiverInput, pad: str, board: str = "dabble-f3"):
        found = ways(name, chosen, pad, board)
        reading = PortReading(port="U2", pad=pad, edges_at_pad=900, bytes=2500, good=0, bad=100, errors=300)
        (finding,) = check_line(reading, found, True, None)
        return finding

    def test_a_wrong_setting_is_mended_by_setting(self):
        finding = self.said("SUMD", ReceiverInput(protocol="IBUS"), "R2")
        self.assertEqual((finding.code, len(finding.mends)), ("line.no-frames", 1))
        self.assertIn("does not fit what is on it", finding.why)

    def test_a_right_setting_on_a_pad_that_cannot_is_told_so(self):
        finding = self.said("SBUS", ReceiverInput(protocol="SBUS", inverted=True), "R3", "merle-f4")
        self.assertIn("The port is set correctly, but R3 cannot invert", finding.why)

    def test_both_at_once(self):
        finding = self.said("SBUS", ReceiverInput(protocol="CRSF"), "R3", "merle-f4")
        self.assertIn("does not fit what is on it; R3 cannot invert", finding.why)

    def test_nothing_reads_it(self):
        reading = PortReading(port="U2", pad="R2", edges_at_pad=900, bytes=0, good=0, bad=20, errors=0)
        (finding,) = check_line(reading, [], True, None)
        self.assertEqual(finding.mends, ())
        self.assertIn("Pulses arrive", finding.what)
        self.assertIn("No protocol and no polarity", finding.why)


class ForeignTest(SimpleTestCase):
    GGA = nmea("GNGGA,120000,5230.000,N,00012.000,E,1,08,0.9,12.0,M,,,,")

    def test_sentences_count_by_their_checksum(self):
        self.assertEqual(nmea_sentences(self.GGA * 3), 3)
        self.assertEqual(nmea_sentences(self.GGA.replace(b"5230", b"5231")), 0)
        self.assertEqual(nmea_sentences(self.GGA[5:] + self.GGA), 1)
        self.assertEqual(nmea_sentences(b"$GPXXX*00\r\n$PLAIN text without a sum\r\n"), 0)

    def test_packets_count_by_their_sums_and_are_found_again(self):
        good = ubx(7, bytes(20))
        broken = good[:-1] + bytes((good[-1] ^ 1,))
        self.assertEqual(ubx_packets(good + broken + b"\xb5" + good), 2)
        self.assertEqual(ubx_packets(b"\xb5\x62\x01\x07\xff\xff" + good), 1)
        self.assertEqual(ubx_packets(good[:-3]), 0)

    def test_what_is_plainly_no_receivers(self):
        self.assertEqual(foreign(self.GGA).name, "NMEA")
        self.assertEqual(foreign(ubx(2, b"x")).name, "UBX")
        self.assertEqual(foreign(b"boot: ready, waiting for input\r\n").name, "text")
        for data in (b"", b"short", bytes(range(256))):
            self.assertIsNone(foreign(data))

    def test_a_line_that_hardly_moves_would_be_read_by_nothing(self):
        self.assertEqual(what_would_read(Edges(1, np.array([0.1, 0.2, 0.3])), 1.0, ReceiverInput(protocol="SBUS")), [])
