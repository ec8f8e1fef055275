"""The alarm line: from flights whose truth is known, and from logs of any shape."""

from __future__ import annotations

import contextlib
import io
import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np

from commands.calc import main
from linkcore.hops.lost_link.alarm import alarm_line, lq_by_grace, most_losses
from linkcore.signal.flight_log import FlightLog, read_flight_log
from linkcore.signal.mavlink_log import read_mavlink_log
from linkcore.signal.recordings import RecordingError
from tests.crafts import crsf_craft
from tests.flights import HZ, csv, flight, rows, telemetry_log
from tests.hand import Hand


def read(text: str | bytes) -> FlightLog:
    return read_flight_log(io.BytesIO(text if isinstance(text, bytes) else text.encode()))


class OnsetTest(unittest.TestCase):
    def test_the_begin_of_loss_is_found_however_losses_come(self):
        held = 0
        for burst in (1.0, 4.0, 10.0):
            for seed in range(4):
                with self.subTest(burst=burst, seed=seed):
                    log, truth = flight(seed, burst=burst, minutes=6)
                    found = alarm_line(log, seed=seed)
                    self.assertLess(abs(found.begins_at - truth), 1.0)
                    self.assertEqual(found.alarm_line, round(found.begins_at + 6, 2))
                    held += found.interval[0] <= truth <= found.interval[1]
        self.assertGreaterEqual(held, 9)

    def test_it_is_where_one_frame_of_a_hundred_is_lost(self):
        """Counted, not fitted: a long log without bursts, the frames within half a dB of what was found."""
        log, _ = flight(5, minutes=60)
        found = alarm_line(log)
        near = np.abs(log.value - found.begins_at) <= 0.5
        self.assertGreater(near.sum(), 1000)
        self.assertAlmostEqual(float(log.lost[near].mean()), 0.01, delta=0.004)
        self.assertEqual(sum(point.lost for point in found.points), found.losses)

    def test_counts_a_row_come_to_the_same(self):
        log, truth = flight(3, minutes=20)
        by = int(HZ)
        groups = len(log.value) // by
        counted = FlightLog(
            "rssi_dbm",
            log.value[: groups * by].reshape(groups, by).mean(1),
            np.full(groups, float(by)),
            log.lost[: groups * by].reshape(groups, by).sum(1),
            log.time_s[: groups * by : by],
        )
        self.assertLess(abs(alarm_line(counted).begins_at - truth), 1.5)

    def test_few_losses_are_only_a_bound(self):
        self.assertEqual([round(most_losses(seen), 2) for seen in (0, 1, 2, 10)], [3.0, 4.74, 6.3, 16.96])  # Poisson, one-sided 95 %
        signal = np.repeat(np.arange(-90.0, -50.0), 50)
        nothing = FlightLog("rssi_dbm", signal, np.ones(2000), np.zeros(2000), np.arange(2000) / 50)
        found = alarm_line(nothing)
        self.assertEqual(
            (found.only_a_bound, found.interval, found.begins_at), (True, None, -85.0), "300 frames at -85 dBm and below, none lost: 3/300 at most"
        )
        short = alarm_line(FlightLog("rssi_dbm", signal[:200], np.ones(200), np.zeros(200), np.arange(200) / 50))
        self.assertEqual((short.begins_at, short.alarm_line), (None, None))
        self.assertIn("too few to say", short.says[-1])

    def test_the_range_is_the_smaller_one_unless_distances_were_logged(self):
        log, _ = flight(1)
        self.assertAlmostEqual(alarm_line(log).exponent, 2.0, delta=0.15)
        log.distance_m = None
        found = alarm_line(log, margin=12)
        self.assertEqual((found.exponent, found.range_factor), (2.0, 0.251))
        self.assertIn("the smaller is promised", found.says[-1])

    def test_what_is_odd_is_said(self):
        log, _ = flight(2)
        cut = np.concatenate((np.arange(5000), np.arange(9000, len(log.value))))
        jumps = FlightLog("rssi_dbm", log.value[cut], log.expected[cut], log.lost[cut], log.time_s[cut])
        self.assertIn("time jumps 1 times, first by 80.0 s", " ".join(alarm_line(jumps).says))
        stuck = FlightLog("rssi_dbm", log.value.copy(), log.expected, log.lost.copy(), log.time_s)
        stuck.value[10000:11000], stuck.lost[10000:11000] = -70.0, 1.0
        self.assertIn("it is held, and says nothing there", " ".join(alarm_line(stuck).says))
        rng = np.random.default_rng(1)
        noise = FlightLog("rssi_dbm", log.value, log.expected, (rng.random(len(log.value)) < 0.02 * (log.value > -80)).astype(float), log.time_s)
        found = alarm_line(noise)
        self.assertEqual(found.begins_at, None)
        self.assertIn("something else than distance loses them", found.says[-1])


class LogTest(unittest.TestCase):
    def test_columns_are_found_by_name_and_unit(self):
        log = read(rows("Elapsed (ms);Uplink quality (%);Frames received;Frames lost", "1000;97;49;1"))
        self.assertEqual((log.kind, log.value[0], log.expected[0], log.lost[0], log.time_s[0]), ("lq_percent", 97, 50, 1, 1.0))
        log = read(rows('"GPS time [s]","RSSI1 (dBm)","RSSI (dBm)",rssi %,"lost",distance_km', "1,-70,-71,55,0,1.2"))
        self.assertEqual((log.kind, log.value[0], log.distance_m[0]), ("rssi_dbm", -71, 1200))
        log = read(rows("t,rssi,lost,lat,lon", "0,60,0,54.0000,8.0000", "1,61,0,54.0010,8.0000", times=20).replace("1,61", "0,61"))
        self.assertEqual(log.kind, "rssi_percent")
        self.assertAlmostEqual(log.distance_m[1], 111.2, delta=0.2)  # a thousandth of a degree of latitude

    def test_rows_without_a_number_are_left_out_and_said(self):
        log = read(rows("time_s,rssi_dbm,lost", "1,-70,0", "1,,0", "1,nan,0"))
        self.assertEqual((len(log.value), log.says), (40, ["80 rows without a number were left out"]))

    def test_what_is_no_log_says_where_and_what_to_do(self):
        head = "time_s,rssi_dbm,lost"
        for text, said in (
            ("", "no column is RSSI"),
            ("a,b,c\n1,2,3\n", "the headings are a, b, c"),
            ("1,-70,0\n2,-70,0\n", "the log has no headings"),
            ("time_s,rssi_dbm\n1,-70\n", "no column counts lost frames"),
            (rows(head, "1,-70,0") + "2,strong,0\n", "row 42, column 2: 'strong' is no number"),
            (rows(head, "1,-70,0") + "2\n", "row 42: 1 columns where the headings name 3"),
            (rows(head, "1,-70,0", times=3), "the log has 3 rows with numbers; at least 20"),
            (rows(head, "1,-70,0") + "0.5,-70,0\n", "entry 41: time runs backwards, from 1 to 0.5 s"),
            (rows(head, "1,-70,7"), "7 frames lost of 1 expected"),
            (rows(head, "1,-700,0"), "which no receiver measures"),
            (rows("time_s,rssi,lost", "1,250,0"), "neither dBm nor percent"),
            (rows("time_s,lq,lost", "1,140,0"), "percent were expected"),
            (head + "\n" + "1" * (6 << 20), "over 1 MB without a line end"),
            (b"\x00\x01\x02\xff" * 50, "no column is RSSI"),
        ):
            with self.subTest(said), self.assertRaisesRegex(RecordingError, said):
                read(text)


class CommandTest(unittest.TestCase):
    def calc(self, text: bytes, *more: str) -> tuple[int, dict, str]:
        out, told = io.StringIO(), io.StringIO()
        with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stderr(told):
            path = Path(folder) / "flight.csv"
            path.write_bytes(text)
            status = main(["calc", "alarm", *more, str(path)], io.StringIO(""), out)
        return status, json.loads(out.getvalue() or "{}"), told.getvalue()

    def test_one_object_with_a_status(self):
        log, truth = flight(4, minutes=6)
        status, answer, _ = self.calc(csv(log), "--margin", "8")
        wanted = ["signal", "rows", "losses", "begins_at", "interval", "only_a_bound", "alarm_line", "range_factor", "exponent", "says"]
        self.assertEqual((status, sorted(answer), answer["rows"]), (0, sorted(wanted), len(log.value)))
        self.assertAlmostEqual(answer["alarm_line"], truth + 8, delta=1)
        status, answer, _ = self.calc(csv(FlightLog("rssi_dbm", log.value[:100], log.expected[:100], np.zeros(100), log.time_s[:100])))
        self.assertEqual((status, answer["alarm_line"]), (3, None))
        status, _, told = self.calc(b"time_s,rssi_dbm,lost\n1,2,three\n")
        self.assertEqual((status, told), (2, "bell: flight.csv: row 2, column 3: 'three' is no number\n"))

    def test_what_it_takes(self):
        for arguments in (["calc", "alarm"], ["calc", "ports", "x.csv"], ["calc", "ports", "--margin", "3"], ["calc", "alarm", "--margin", "99", "x.csv"]):
            with self.subTest(arguments), contextlib.redirect_stderr(io.StringIO()), self.assertRaises(SystemExit):
                main(arguments, io.StringIO("{}"), io.StringIO())


class TelemetryTest(unittest.TestCase):
    def test_a_mavlink_log_tells_losses_by_its_sequence_numbers(self):
        log, truth = flight(3, minutes=4)
        found = read_mavlink_log(io.BytesIO(telemetry_log(log, wrong=b"\xfd\x00 no message \xff")))
        self.assertAlmostEqual(
            found.lost.sum(), log.lost.sum(), delta=0.03 * log.lost.sum() + 110, msg="what is lost in one piece for 100 messages or more counts as a restart"
        )
        line = alarm_line(found)
        self.assertEqual(line.signal, "rssi_percent")
        self.assertAlmostEqual(line.begins_at * 2.54 / 1.9 - 127, truth, delta=2.5, msg="an RSSI that comes with every fifth message lags behind")

    def test_what_is_no_mavlink_log_is_told(self):
        for data, said in (
            (b"time_s,rssi_dbm,lost\n" * 50, "no MAVLink message"),
            (b"", "no MAVLink message"),
            (telemetry_log(flight(1, minutes=0.1)[0], every=10**6)[:300], "too few"),
        ):
            with self.assertRaisesRegex(RecordingError, said):
                read_mavlink_log(io.BytesIO(data))

    def test_the_command_line_reads_either(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "flight.tlog"
            file.write_bytes(telemetry_log(flight(3, minutes=2)[0]))
            out = io.StringIO()
            self.assertEqual(main(["calc", "alarm", str(file)], io.StringIO(), out), 0)
            self.assertEqual(json.loads(out.getvalue())["signal"], "rssi_percent")


class ByTheGraceTest(unittest.TestCase):
    def test_the_quality_below_which_the_grace_is_broken_is_found_by_throwing_dice(self):
        """At the share that is found, gaps of so many frames come about as often as was asked for; counted over short gaps, scaled by the law alone in how long is waited."""
        rng = np.random.default_rng(3)
        for frames, period_s in ((3, 0.02), (5, 0.009)):
            line = lq_by_grace(frames * period_s, period_s)
            share = 1 - line / 100
            self.assertTrue(0 < share < 0.2)
            steeper = min(0.6, share * 10)  # so often that it can be counted
            lost = rng.random(4_000_000) < steeper
            ends = np.flatnonzero(~lost)
            counted = np.count_nonzero(np.diff(ends) > frames)
            self.assertAlmostEqual(counted / (4_000_000 * (1 - steeper) * steeper**frames), 1, delta=0.1)
            self.assertAlmostEqual((1 - share) * share**frames / period_s * 60_000, 1, delta=0.4)

    def test_a_longer_grace_bears_worse_air(self):
        lines = [lq_by_grace(grace, 0.01) for grace in (0.05, 0.1, 0.2, 0.4, 0.8)]
        self.assertEqual(lines, sorted(lines, reverse=True))


class OutingTest(unittest.TestCase):
    def test_a_flight_on_the_bench_gives_its_alarm_line(self):
        hand = Hand(crsf_craft())
        found = hand.bench.link.budget
        hand.do(125.0, fly_out={"to_m": 2.5 * found.range_m, "seconds": 120})
        outing = hand.bench.observed.outing
        self.assertTrue(outing.done and outing.frames > 3000 and outing.lost > 200)
        line = alarm_line(read_flight_log(io.BytesIO(hand.bench.link.outing.csv())))
        truth = found.sensitivity_dbm - 2 + math.log(99) / 1.5
        self.assertAlmostEqual(line.begins_at, truth, delta=1.5)
        self.assertAlmostEqual(line.exponent, 2, delta=0.4)

    def test_who_takes_the_craft_elsewhere_ends_its_flight(self):
        hand = Hand(crsf_craft())
        hand.do(2.0, fly_out={"to_m": 500, "seconds": 60})
        hand.do(1.0, distance_m=2)
        self.assertIsNone(hand.bench.observed.outing)
