from __future__ import annotations

import io
from bisect import bisect_right
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from linkcore.signal.edges import NO_TIMES, Edges
from linkcore.signal.recordings import RecordingError
from linkcore.signal.table import CsvReader
from linkcore.signal.uart import FRAMING_ERROR, PARITY_ERROR, UartReceiver, UartSettings, read_all, send
from linkcore.signal.vcd import MOST_LINES, VcdReader

uarts = st.builds(
    UartSettings,
    baud=st.sampled_from([9600, 100_000, 115_200, 420_000]),
    parity=st.sampled_from(["none", "even", "odd"]),
    stop_bits=st.sampled_from([1, 2]),
    inverted=st.booleans(),
)


def wrong_polarity(byte: int, settings: UartSettings) -> tuple[int, int]:
    """An isolated byte read by a port of the other polarity: (value, errors)."""
    edges = send(bytes([byte]), 0.001, settings)
    got = read_all(edges, settings.with_inversion(not settings.inverted), 0.01)
    assert len(got) == 1
    return int(got.data[0]), int(got.errors[0])


def read_one_after_the_other(edges: Edges, uart: UartSettings) -> list[tuple[int, int]]:
    """The wire facts' port, written down as it is told, a level at a time: (byte, errors) of each byte."""
    times = edges.times.tolist()

    def level(t: float) -> int:
        return edges.level ^ int(uart.inverted) ^ (bisect_right(times, t) & 1)

    found, armed = [], -1.0
    for index, t in enumerate(times):
        falls = (edges.level ^ int(uart.inverted) ^ (index & 1)) == 1
        if not falls or t < armed or level(t + 0.5 * uart.bit_s) == 1:
            continue
        bits = [level(t + (place + 1.5) * uart.bit_s) for place in range(uart.data_bits + (uart.parity != "none") + 1)]
        errors = FRAMING_ERROR if bits[-1] == 0 else 0
        if uart.parity != "none" and (sum(bits[: uart.data_bits + 1]) & 1) != (uart.parity == "odd"):
            errors |= PARITY_ERROR
        found.append((sum(bit << place for place, bit in enumerate(bits[: uart.data_bits])), errors))
        armed = t + (len(bits) + 0.5) * uart.bit_s
    return found


class UartTest(SimpleTestCase):
    @given(seed=st.integers(0, 2**32), sent=uarts, read=uarts, noise=st.sampled_from([0, 0, 3, 40, 3000]))
    @settings(deadline=None, max_examples=200)
    def test_it_reads_what_a_port_reads_that_looks_at_one_level_after_the_other(self, seed, sent, read, noise):
        rng = np.random.default_rng(seed)
        data = rng.integers(0, 256, int(rng.integers(1, 40)), dtype=np.uint8).tobytes()
        pauses = np.cumsum(np.where(rng.random(len(data)) < 0.3, rng.random(len(data)) * 20 * sent.byte_s, 0))
        line = send(data, 0.001 + np.arange(len(data)) * sent.byte_s + pauses, sent)
        end = float(line.times[-1])
        where = rng.random(noise) * (sent.byte_s if noise > 100 else end)  # hundreds of falls within one byte, or a few anywhere
        line = Edges(line.level, np.sort(np.concatenate((line.times, 0.001 + where))))
        apart = [1.013, 0.987, 0.731, 1.371]  # no whole share of the other's, where an edge would come just when a level is looked at
        port = replace(read, baud=round(read.baud * float(rng.choice(apart if read.baud != sent.baud else [1, *apart]))))
        got = read_all(line, port, 1.0)
        self.assertEqual(list(zip(got.data.tolist(), got.errors.tolist(), strict=True)), read_one_after_the_other(line, port))

    @given(data=st.binary(max_size=60), uart=uarts, cuts=st.lists(st.integers(0, 200), max_size=4))
    @settings(deadline=None)
    def test_what_is_sent_is_read_however_the_line_is_split(self, data, uart, cuts):
        edges = send(data, 0.001, uart)
        end = 0.001 + len(data) * uart.byte_s
        port = UartReceiver(uart)
        pieces = np.split(edges.times, sorted(min(cut, len(edges.times)) for cut in cuts))
        read = []
        errors = 0
        for index, piece in enumerate(pieces):
            known = float(pieces[index + 1][0]) if index + 1 < len(pieces) and len(pieces[index + 1]) else (float(piece[-1]) if len(piece) else 0.0)
            got = port.feed(piece, known if index + 1 < len(pieces) else end)
            read += got.data.tolist()
            errors += int(got.errors.sum())
        last = port.finish(end)
        self.assertEqual(bytes(read + last.data.tolist()), data)
        self.assertEqual(errors + int(last.errors.sum()), 0)

    @given(one=st.binary(min_size=2, max_size=40), other=st.binary(min_size=1, max_size=40), share=st.floats(0.05, 0.95), uart=uarts)
    @settings(deadline=None)
    def test_two_that_speak_at_once_are_read_as_the_wire_has_both(self, one, other, share, uart):
        first = send(one, 0.001, uart).times
        second = send(other, 0.001 + share * len(one) * uart.byte_s, replace(uart, baud=9_600)).times
        port = UartReceiver(uart)
        pieces = [port.feed(first, float(second[0])), port.feed(second, 1.0), port.finish(1.0)]
        both = read_all(Edges(uart.idle_level, np.sort(np.concatenate((first, second)))), uart, 1.0)
        self.assertEqual(np.concatenate([piece.times for piece in pieces]).tolist(), both.times.tolist())
        self.assertEqual(b"".join(piece.data.tobytes() for piece in pieces), both.data.tobytes())

    @given(data=st.binary(min_size=1, max_size=40), error=st.floats(-0.02, 0.02))
    @settings(deadline=None)
    def test_two_percent_baud_error_is_read(self, data, error):
        uart = UartSettings(100_000, 8, "even", 2, inverted=True)
        edges = send(data, 0.001, UartSettings(round(100_000 * (1 + error)), 8, "even", 2, inverted=True))
        got = read_all(edges, uart, 1.0)
        self.assertEqual(got.data.tobytes(), data)
        self.assertFalse(got.errors.any())

    def test_an_isolated_byte_of_the_wrong_polarity_is_the_known_garbage(self):
        for sent, seen in {0x00: 0x00, 0xFF: 0x00, 0x7E: 0x20, 0x0F: 0x78, 0xC8: 0x03, 0x20: 0x03, 0xA8: 0x05, 0x55: 0x55}.items():
            self.assertEqual(wrong_polarity(sent, UartSettings(115_200)), (seen, FRAMING_ERROR), f"{sent:02X}")
        self.assertEqual(wrong_polarity(0x0F, UartSettings(100_000, 8, "even", 2)), (0xF8, FRAMING_ERROR | PARITY_ERROR))

    def test_8e2_read_as_8n1_keeps_the_data_and_marks_even_bytes(self):
        data = bytes(range(256))
        got = read_all(send(data, 0.001, UartSettings(100_000, 8, "even", 2)), UartSettings(100_000), 1.0)
        self.assertEqual(got.data.tobytes(), data)
        self.assertEqual([bool(error) for error in got.errors], [bin(byte).count("1") % 2 == 0 for byte in data])

    def test_8e2_read_as_8e1_has_no_error(self):
        got = read_all(send(b"\x0f\x00\xff", 0.001, UartSettings(100_000, 8, "even", 2)), UartSettings(100_000, 8, "even", 1), 1.0)
        self.assertEqual((got.data.tobytes(), got.errors.any()), (b"\x0f\x00\xff", False))

    def test_a_line_that_rests_low_yields_nothing(self):
        self.assertEqual(len(read_all(Edges(0, NO_TIMES), UartSettings(115_200), 1.0)), 0)

    def test_a_spike_shorter_than_half_a_bit_is_no_start_bit(self):
        spike = Edges(1, np.array([0.001, 0.001 + 0.3 / 115_200]))
        self.assertEqual(len(read_all(spike, UartSettings(115_200), 1.0)), 0)


HEADER = "$timescale 1 us $end\n$var wire 1 ! rx $end\n$var wire 1 ab tx $end\n$var wire 8 # bus $end\n$enddefinitions $end\n"


def read_vcd(body: str, line: str = "rx", header: str = HEADER, chunk: int = 1 << 22):
    reader = VcdReader(io.BytesIO((header + body).encode()), chunk)
    times = [round(t * 1e6) for block in reader.edges(reader.line(line)) for t in block]
    return reader.recording, times


class VcdTest(SimpleTestCase):
    BODY = "#0\n$dumpvars\n1!\n0ab\nb00000000 #\n$end\n#10\n0!\n#12 1ab\n$comment 0! #99 1! $end\n#15\nb101 #\n1!\n#15\n#20 0! 0!\n#30\n"

    def test_one_line_of_several_with_vectors_and_comments(self):
        recording, times = read_vcd(self.BODY)
        self.assertEqual((recording.level, times), (1, [10, 15, 20]))
        self.assertAlmostEqual(recording.end_s, 30e-6)
        self.assertEqual(read_vcd(self.BODY, "tx")[1], [12])

    def test_any_chunk_size_gives_the_same(self):
        for chunk in (1, 2, 3, 7, 64):
            self.assertEqual(read_vcd(self.BODY, chunk=chunk)[1], [10, 15, 20], chunk)

    def test_a_file_cut_in_mid_line_is_read_as_far_as_it_goes(self):
        recording, times = read_vcd(self.BODY + "#4")
        self.assertEqual(times, [10, 15, 20])
        self.assertIn("mid-line", recording.notes[0])

    def test_unknown_levels_are_no_change_and_are_told(self):
        recording, times = read_vcd("#0\nx!\n#1\n1!\n#2\nz!\n#3\n0!\n")
        self.assertEqual((recording.level, times), (1, [3]))
        self.assertIn("x and z", recording.notes[0])

    def test_bad_input_names_the_line(self):
        for body, said in (
            ("#0\n1!\n#5\n0!\n#3\n1!\n", "line 10: '#3' lies before"),
            ("#0\n1!\n#abc\n", "line 8: '#abc' is not a whole number"),
            ("#0\n1!\nhello\n", "line 8: 'hello' is neither"),
            ("#0\n#99999999999999999999\n", "line 7: '#99999999999999999999' is no time"),
        ):
            with self.assertRaisesMessage(RecordingError, said):
                read_vcd(body)
        for header, said in (
            ("hello world\n", "line 1: not a value change dump"),
            ("$timescale 1 us $end\n$var wire 1 ! rx $end\n", "ends inside its header"),
            ("$var wire 1 ! rx $end\n$enddefinitions $end\n", "no $timescale"),
            ("$timescale 3 us $end\n$enddefinitions $end\n", "timescale '3 us'"),
            ("$timescale 1 us $end\n$var wire 8 ! rx $end\n$enddefinitions $end\n", "no signal one bit wide"),
        ):
            with self.assertRaisesMessage(RecordingError, said):
                read_vcd("", header=header)

    def test_a_header_of_many_signals_is_refused_at_once(self):
        many = b"$timescale 1 ns $end\n" + b"".join(b"$var wire 1 c%d line%d $end\n" % (n, n) for n in range(100_000)) + b"$enddefinitions $end\n"
        with self.assertRaisesMessage(RecordingError, f"line {MOST_LINES + 2}: more than {MOST_LINES} signals"):
            VcdReader(io.BytesIO(many))
        wide = many.replace(b"wire 1 c", b"wire 8 c").replace(b"$enddef", b"$var wire 1 ! one $end\n$enddef")
        self.assertEqual([line.name for line in VcdReader(io.BytesIO(wide)).lines], ["one"])  # quadratic, this took minutes
        spaces = b"$comment" + b" " * 3_000_000 + b"x $end\n$timescale 1 ns $end\n$var wire 1 ! one $end\n$enddefinitions $end\n"
        self.assertEqual([line.name for line in VcdReader(io.BytesIO(spaces)).lines], ["one"])

    def test_an_endless_line_does_not_fill_the_memory(self):
        with self.assertRaisesMessage(RecordingError, "over 1 MB without white space"):
            read_vcd("1" * (9 << 20))

    @given(st.binary(max_size=300))
    @settings(deadline=None)
    def test_hostile_bytes_end_in_a_clear_error_or_edges(self, junk):
        try:
            reader = VcdReader(io.BytesIO(HEADER.encode() + junk))
            list(reader.edges(reader.lines[0]))
        except RecordingError as error:
            self.assertTrue(str(error))


class CsvTest(SimpleTestCase):
    @staticmethod
    def read(text: str):
        reader = CsvReader(io.BytesIO(text.encode()))
        return reader, [float(t) for block in reader.edges() for t in block]

    def test_with_and_without_header_and_as_samples(self):
        for text in ("time_s,level\n0,0\n0.5,1\n1,0\n", "0,0\r\n0.25,0\r\n0.5,1\r\n0.75,1\r\n1,0"):
            reader, times = self.read(text)
            self.assertEqual((reader.recording.level, times), (0, [0.5, 1.0]))

    def test_bad_input_names_the_line(self):
        for text, said in (
            ("time_s,level\n0,0\n1;1\n", "line 3: '1;1'"),
            ("0,0\n1,2\n", "line 2: the level is neither"),
            ("0,0\n2,1\n1,0\n", "line 3: times run backwards"),
            ("0,0\nnan,1\n", "line 2"),
            ("\x00\x01binary", "line 1: not a table"),
            ("time_s,level\n", "no rows"),
        ):
            with self.assertRaisesMessage(RecordingError, said):
                self.read(text)
