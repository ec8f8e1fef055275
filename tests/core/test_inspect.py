"""Frames laid open, stretches of a line, what is written of it, and what an adapter hears."""

from __future__ import annotations

import io
import random

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from linkcore.hops.line.adapter import KEPT_BYTES, AdapterLine, usual_ways
from linkcore.hops.line.inspect import COLUMNS, MOST_TOGGLES, extent, lay_open, letter, stretch
from linkcore.protocols import crsf, sbus
from linkcore.protocols.base import BadFrame, ChannelFrame, PollFrame, TelemetryFrame
from linkcore.protocols.registry import PROTOCOLS, SERIAL_PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.table import CsvReader
from linkcore.signal.uart import ReceivedBytes, read_all
from linkcore.signal.vcd import VcdReader
from linkcore.signal.writing import table, vcd
from tests.signals import SERIAL, line, timed


class LaidOpenTest(SimpleTestCase):
    def test_every_good_frame_of_a_line_is_found_among_its_bytes(self):
        for name in SERIAL:
            spec = SERIAL_PROTOCOLS[name]
            edges, end = line(name, inverted=spec.inverted, seconds=0.4, seed=3)
            received = read_all(edges, spec.uart, end)
            reader = spec.reader(spec.inverted, edges.level)
            frames = reader.feed(edges.times, end)[1]
            for index, frame in enumerate(frames[:40]):
                self.assertNotIsInstance(frame, BadFrame, name)
                after = frames[index + 1].t if index + 1 < len(frames) else None
                part = extent(received.times, frame.t, after, spec.uart.byte_s)
                opened = lay_open(spec, ReceivedBytes(received.data[part], received.times[part], received.errors[part]))
                self.assertTrue(opened.fields, name)
                self.assertTrue(all(field.ok for field in opened.fields), (name, frame, opened.fields))
                self.assertAlmostEqual(opened.times[0], frame.t, delta=spec.uart.byte_s)
                if isinstance(frame, ChannelFrame):
                    named = {field.name: field for field in opened.fields}
                    number = (frame.numbers or (1,))[0]
                    self.assertIn(f"{frame.channels[0]:g} us", named[f"CH{number}"].means, name)

    def test_bytes_without_times_are_found_again_by_their_place(self):
        for name in SERIAL:
            spec = SERIAL_PROTOCOLS[name]
            _, data, _ = timed(name, 9, 12)
            places = list(map(float, range(len(data))))
            decoder = spec.decoder()
            decoder.count_places()
            frames = [frame for cut in range(0, len(data), 7) for frame in decoder.feed(data[cut : cut + 7], places[cut : cut + 7])] + decoder.finish()
            plain = spec.decoder()
            self.assertEqual(len(frames), len(plain.feed(data) + plain.finish()), name)
            for frame, after in zip(frames, [*frames[1:], None], strict=True):
                part = extent(np.array(places), frame.t, after.t if after else None, 1.0)
                values = np.frombuffer(data, np.uint8)[part]
                opened = lay_open(spec, ReceivedBytes(values, np.array(places)[part], np.zeros(len(values), np.uint8)))
                self.assertTrue(opened.fields and all(field.ok for field in opened.fields), (name, frame, opened))

    def test_a_frame_of_pulses_has_no_bytes(self):
        opened = lay_open(PROTOCOLS["PPM"], ReceivedBytes(np.empty(0, np.uint8), np.empty(0), np.empty(0, np.uint8)))
        self.assertEqual((opened.data, opened.fields), (b"", []))

    def test_letters(self):
        frames = [
            ChannelFrame(0, (), ()),
            ChannelFrame(0, (), (), frame_lost=True),
            ChannelFrame(0, (), (), True, True),
            BadFrame(0, ""),
            TelemetryFrame(0, "", {}),
            PollFrame(0, ""),
        ]
        self.assertEqual("".join(letter(frame) for frame in frames), "glfbtp")


class StretchTest(SimpleTestCase):
    @given(toggles=st.lists(st.floats(0, 1), max_size=80, unique=True), ends=st.tuples(st.floats(0, 1), st.floats(0, 1)), level=st.integers(0, 1))
    def test_it_is_the_line_between_two_times(self, toggles, ends, level):
        times = np.array(sorted(toggles))
        start, end = min(ends), max(ends) + 1e-6
        shown = stretch(times, level, start, end)
        self.assertEqual(shown.toggles, [t for t in sorted(toggles) if start <= t < end])
        self.assertEqual(shown.level, level ^ (sum(t < start for t in toggles) & 1))

    def test_too_much_to_draw_becomes_columns(self):
        times = np.concatenate([np.linspace(0, 0.5, MOST_TOGGLES * 3), [0.9]])
        shown = stretch(times, 0, 0.0, 1.0)
        self.assertEqual((len(shown.busy), shown.toggles), (COLUMNS, []))
        self.assertTrue(all(much > 0 for much in shown.busy[: COLUMNS // 2 - 1]))
        self.assertEqual(sum(shown.busy[COLUMNS // 2 + 2 :]), 1)


class WritingTest(SimpleTestCase):
    @given(steps=st.lists(st.integers(1, 10**9), max_size=60), level=st.integers(0, 1), rest=st.integers(0, 10**8))
    @settings(deadline=None)
    def test_what_is_written_is_read_back(self, steps, level, rest):
        times = np.cumsum(np.array(steps, dtype=np.int64)) * 1e-9
        end = (float(times[-1]) if len(times) else 0.0) + rest * 1e-9
        edges = Edges(level, times)
        dump = VcdReader(io.BytesIO(b"".join(vcd(edges, end, "CH 1"))))
        rows = CsvReader(io.BytesIO(b"".join(table(edges, end))))
        for reader, blocks in ((dump, dump.edges(dump.line("CH_1"))), (rows, rows.edges())):
            read = [t for block in blocks for t in block]
            self.assertEqual(len(read), len(times))
            self.assertTrue(np.allclose(read, times, atol=2e-9, rtol=0))
            self.assertEqual(reader.recording.level, level)
            self.assertAlmostEqual(reader.recording.end_s, end, delta=2e-9)


class HeardTest(SimpleTestCase):
    def test_a_line_in_heaps_is_named_and_decoded(self):
        rng = random.Random(8)
        heard = AdapterLine()
        frames = [crsf.encode_channels([rng.randrange(2048) for _ in range(16)]) for _ in range(400)]
        data, at, t = b"".join(frames), 0, 0.0
        while at < len(data):
            size = rng.randrange(1, 200)
            heard.take(data[at : at + size], t)
            at, t = at + size, t + size / 6500
        self.assertEqual((heard.found.protocol, len(heard.channels), heard.total), ("CRSF", 16, len(data)))
        self.assertEqual(set(heard.marks(t)), {"g"})
        self.assertAlmostEqual(heard.bytes_per_s(t), 6500, delta=400)
        self.assertEqual(b"".join(heard.everything()), data)
        self.assertEqual(heard.tail(7), data[-7:])

    def test_another_sender_on_the_line_is_named_anew_and_little_is_kept(self):
        heard = AdapterLine()
        for index in range(60):
            heard.take(sbus.encode([992] * 16) * 10, index * 0.1)
        self.assertEqual(heard.found.protocol, "SBUS")
        _, data, _ = timed("S.Port", 1, 900)
        for index in range(40):
            heard.take(data, 10 + index * 0.5)
        self.assertEqual((heard.found.protocol, heard.channels, "voltage" in heard.sensors), ("S.Port", {}, True))
        heard.take(bytes(KEPT_BYTES), 99.0)
        heard.take(b"more", 99.1)
        self.assertLessEqual(sum(len(piece) for piece in heard.everything()), KEPT_BYTES + 4)

    def test_what_was_heard_late_is_kept_and_not_judged(self):
        frame = crsf.encode_channels([992] * 16)
        for late_s, whole in ((0.0, False), (0.1, False), (0.6, True)):
            heard = AdapterLine()
            for index in range(100):
                if 60 <= index < 75:
                    continue  # lost, as the system's buffer was full; half a frame goes with them
                cut = 9 if index == 75 else 0
                heard.take(frame[cut:], index * 0.02, late_s if index == 75 else 0.0)
                if index == 80:
                    self.assertEqual(set(heard.marks(1.6)) == {"g"}, whole, late_s)
                    self.assertEqual(heard.said_of_lateness(1.6)[:46], "This machine had no time to listen for 0.6 s. " if whole else "")
                    self.assertEqual(heard.bytes_per_s(1.6) <= 5 * len(frame), whole)
            self.assertEqual(heard.found.protocol, "CRSF", late_s)
            self.assertEqual(heard.total, sum(len(piece) for piece in heard.everything()))
            self.assertEqual(heard.said_of_lateness(9.0), "")

    def test_the_usual_ways_are_those_of_the_protocols(self):
        ways = usual_ways()
        self.assertEqual(ways[0], (115_200, "8N1"))
        self.assertEqual(len(ways), len(set(ways)))
        self.assertIn((100_000, "8E2"), ways)
