"""Files that lie: whatever stands in them, a reader ends with toggles or with a sentence, and never holds more than a piece."""

from __future__ import annotations

import io
import re

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from linkcore.signal.recordings import RecordingError
from linkcore.signal.table import CsvReader
from linkcore.signal.vcd import VcdReader

HEAD = b"$timescale 1 ns $end\n$var wire 1 ! a $end\n$var wire 8 # bus $end\n$enddefinitions $end\n"
WORDS = st.sampled_from(
    [
        b"#1",
        b"#7",
        b"#99999999999",
        b"#",
        b"#x",
        b"0!",
        b"1!",
        b"x!",
        b"Z!",
        b"b1010 #",
        b"r1.5 !",
        b"$dumpvars",
        b"$end",
        b"$comment",
        b"2!",
        b"1",
        b"!",
        b"\xff\x00",
        b"1!!",
    ]
)


def ends_well(test: SimpleTestCase, read) -> None:
    try:
        times = read()
    except RecordingError as error:
        test.assertRegex(str(error), r"line \d+|table has no rows|no signal|timescale|header|declares|dump")
        return
    test.assertTrue((np.diff(times) >= 0).all())
    test.assertTrue(np.isfinite(times).all())


class FuzzTest(SimpleTestCase):
    @staticmethod
    def vcd(data: bytes, chunk: int = 64):
        reader = VcdReader(io.BytesIO(data), chunk)
        return np.concatenate([np.empty(0), *reader.edges(reader.lines[0])])

    @given(data=st.binary(max_size=400))
    def test_any_bytes_as_a_dump(self, data):
        ends_well(self, lambda: self.vcd(data))

    @given(words=st.lists(WORDS, max_size=60), chunk=st.integers(1, 80))
    @settings(max_examples=300)
    def test_any_words_in_a_dumps_body(self, words, chunk):
        ends_well(self, lambda: self.vcd(HEAD + b"\n".join(words) + b"\n", chunk))

    @given(cut=st.integers(0, 300), flip=st.integers(0, 299), to=st.integers(0, 255))
    def test_a_dump_that_is_cut_or_has_a_wrong_byte(self, cut, flip, to):
        whole = bytearray(HEAD + b"".join(b"#%d\n%d!\n" % (100 * step, step & 1) for step in range(30)))
        whole[flip % len(whole)] = to
        ends_well(self, lambda: self.vcd(bytes(whole[: max(cut, 1)])))

    @given(text=st.text(alphabet="0123456789.,-+einfa \r\n\t;", max_size=200), chunk=st.integers(1, 50))
    @settings(max_examples=300)
    def test_any_text_as_a_table(self, text, chunk):
        ends_well(self, lambda: np.concatenate([np.empty(0), *CsvReader(io.BytesIO(text.encode()), chunk).edges()]))

    @given(data=st.binary(max_size=300))
    def test_any_bytes_as_a_table(self, data):
        ends_well(self, lambda: np.concatenate([np.empty(0), *CsvReader(io.BytesIO(data)).edges()]))

    def test_timescales_that_mean_nothing(self):
        for scale in (b"0 ns", b"1 parsec", b"-1 ns", b"1e9 s", b"1000 s", b"", b"ns"):
            with self.assertRaisesRegex(RecordingError, "timescale"):
                VcdReader(io.BytesIO(HEAD.replace(b"1 ns", scale)))

    def test_an_endless_line_is_given_up_before_it_fills_the_memory(self):
        class Endless:
            def __init__(self, head: bytes) -> None:
                self.head, self.given = head, 0

            def read(self, size: int) -> bytes:
                piece, self.head = self.head[:size], self.head[size:]
                piece = piece or b"1" * size
                self.given += len(piece)
                return piece

        for head, make in ((HEAD + b"#1\n", lambda stream: VcdReader(stream)), (b"", lambda stream: VcdReader(stream)), (b"time_s,level\n0,1\n", CsvReader)):
            stream = Endless(head)
            with self.assertRaises(RecordingError) as refused:
                reader = make(stream)
                list(reader.edges(reader.lines[0]) if isinstance(reader, VcdReader) else reader.edges())
            self.assertTrue(re.search("1 MB|dump", str(refused.exception)), refused.exception)
            self.assertLess(stream.given, 12 << 20)
