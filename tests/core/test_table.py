"""The table reader against a plain one, and both ends of a file's way: written as VCD and CSV, the same signal is read."""

from __future__ import annotations

import io

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from linkcore.hops.line.identify import read_with, tally_of
from linkcore.protocols import crsf
from linkcore.signal.edges import Edges
from linkcore.signal.table import CsvReader
from linkcore.signal.uart import send
from linkcore.signal.vcd import VcdReader


def plain_csv(rows: list[tuple[int, int]]) -> list[int]:
    toggles, level = [], rows[0][1]
    for time, value in rows:
        if value != level:
            toggles.append(time)
            level = value
    return toggles


class TableTest(SimpleTestCase):
    @given(
        steps=st.lists(st.tuples(st.integers(0, 5000), st.integers(0, 1)), min_size=1, max_size=80),
        header=st.booleans(),
        ending=st.sampled_from(["\n", "\r\n"]),
        chunk=st.integers(1, 60),
        last=st.booleans(),
    )
    def test_any_table_in_any_pieces(self, steps, header, ending, chunk, last):
        now, rows = 0, []
        for step, level in steps:
            now += step
            rows.append((now, level))
        text = ("time_s,level" + ending if header else "") + ending.join(f"{time / 1e6:.6f},{level}" for time, level in rows) + (ending if last else "")
        reader = CsvReader(io.BytesIO(text.encode()), chunk)
        times = [round(float(t) * 1e6) for block in reader.edges() for t in block]
        self.assertEqual((reader.recording.level, times), (rows[0][1], plain_csv(rows)))

    def test_one_signal_in_two_formats_decodes_alike(self):
        raw = [[(172 + 31 * frame + 97 * channel) % 1640 + 172 for channel in range(16)] for frame in range(20)]
        starts = np.concatenate([0.002 + frame * 0.004 + np.arange(26) * crsf.SPEC.uart.byte_s for frame in range(20)])
        edges = send(b"".join(crsf.encode_channels(each) for each in raw), starts, crsf.SPEC.uart)
        stamps = np.rint(edges.times * 1e9).astype(np.int64).tolist()
        level, dump, table = edges.level, ["$timescale 1 ns $end", "$var wire 1 ! rx $end", "$enddefinitions $end", f"#0 {edges.level}!"], [f"0,{edges.level}"]
        for stamp in stamps:
            level ^= 1
            dump.append(f"#{stamp} {level}!")
            table.append(f"{stamp / 1e9:.9f},{level}")
        vcd = VcdReader(io.BytesIO("\n".join([*dump, ""]).encode()))
        from_vcd = np.concatenate(list(vcd.edges(vcd.lines[0])))
        csv = CsvReader(io.BytesIO("\n".join(table).encode()))
        from_csv = np.concatenate(list(csv.edges()))
        for times in (from_vcd, from_csv):
            tally = read_with(Edges(edges.level, times), 0.09, crsf.SPEC, False)
            self.assertEqual(([list(frame.raw) for frame in tally.frames], tally.good_share, tally.errors), (raw, 1.0, 0))
            self.assertAlmostEqual(tally.frames_per_s, 250, delta=0.01)
        self.assertEqual(tally_of([]).frames_per_s, None)
