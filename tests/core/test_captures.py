from __future__ import annotations

import contextlib
import io
import json
import subprocess
import sys
import tempfile
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase

from commands.decode import main

HERE = Path(__file__).resolve().parent.parent / "captures"
SHARED = Path(settings.ROOT).parent / "shared" / "captures"


def bell(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "commands.decode", *arguments], cwd=settings.ROOT, capture_output=True, text=True, check=False)


def decode(path: Path, *more: str) -> tuple[int, dict, list[dict], dict]:
    """What the command prints, without a process of its own."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
        status = main(["decode", *more, str(path)])
    assert status in (0, 3), status
    first, *frames, last = [json.loads(line) for line in out.getvalue().splitlines()]
    return status, first["line"], frames, last["summary"]


class DecodeTest(SimpleTestCase):
    maxDiff = 2000

    def check(self, folder: Path, name: str, expected: dict) -> None:
        file, _, line = name.partition("#")
        status, settings_, frames, summary = decode(folder / file, *(["--line", line] if line else []))
        self.assertEqual(status, 0)
        timed = expected.get("timed", True) and "polarity" not in expected
        known = expected.get("settings", {"polarity": expected.get("polarity"), **dict.fromkeys(("baud", "data_bits", "parity", "stop_bits", "inverted"))})
        wanted = known if expected.get("timed", True) else dict.fromkeys(known)
        self.assertEqual(settings_, {"protocol": expected["protocol"], **wanted})
        if expected["damaged_frames"] is not None:
            self.assertEqual((summary["frames"], summary["bad_frames"]), (expected["good_frames"], expected["damaged_frames"]))
        times = expected["times"] if "times" in expected else [frame.get("t") for frame in expected["frames"]]
        if timed:
            self.assertEqual(len([frame for frame in frames if frame["t"] < times[-1] + 0.001]), len(times))
            for frame, t in zip(frames, times, strict=False):
                self.assertAlmostEqual(frame["t"], t, delta=2e-6)
        for frame, known in zip(frames, expected["frames"], strict=False):
            self.assertEqual({key: frame[key] for key in known if key != "t"}, {key: value for key, value in known.items() if key != "t"})
        if "failsafe_count" in expected:
            self.assertEqual(sum(frame["failsafe"] for frame in frames), expected["failsafe_count"])
            self.assertEqual(sum(frame["frame_lost"] for frame in frames), expected["lost_count"])

    def check_leads(self, folder: Path, name: str, leads: dict) -> None:
        for line, us in leads.items():
            _, settings_, frames, summary = decode(folder / name, "--line", line)
            self.assertEqual((settings_["protocol"], summary["bad_frames"]), ("PWM", 0))
            self.assertEqual({tuple(frame["channels"]) for frame in frames}, {(us,)})

    def check_folder(self, folder: Path) -> None:
        known = json.loads((folder / "expected.json").read_text())
        for name, expected in known.items():
            with self.subTest(name):
                if "lines" in expected:
                    self.check_leads(folder, name, expected["lines"])
                elif expected["protocol"]:
                    self.check(folder, name, expected)
                else:
                    self.assertEqual(json.loads(bell("identify", str(folder / name)).stdout)["what"], {"dead": "nothing"}.get(expected["is"], expected["is"]))

    def test_captures_hold_what_they_are_known_to_hold(self):
        self.check_folder(HERE)

    def test_the_whole_set_of_captures_where_it_is_at_hand(self):
        if not SHARED.is_dir():
            self.skipTest("no shared captures beside the project")
        self.check_folder(SHARED)

    def test_nothing_good_is_status_3_with_a_summary(self):
        for name in ("gps.vcd", "dead-low.vcd"):
            status, line, frames, summary = decode(HERE / name)
            self.assertEqual((status, line["protocol"], frames, summary["frames"]), (3, None, [], 0), name)

    def test_a_protocol_can_be_forced(self):
        status, line, _, summary = decode(HERE / "sbus-sticks.bin", "--protocol", "crsf")
        self.assertEqual((status, line["protocol"], summary["frames"]), (3, "CRSF", 0))

    def test_files_that_are_not_what_they_say_are_status_2_with_one_line(self):
        with tempfile.TemporaryDirectory() as folder:
            lying = Path(folder) / "lying.vcd"
            lying.write_bytes(b"\x00\x01\x02 no dump at all")
            cut = Path(folder) / "cut.vcd"
            cut.write_bytes((HERE / "gps.vcd").read_bytes()[:60])
            ending = Path(folder) / "capture.txt"
            ending.write_text("hello")
            for path, said in ((lying, "line 1"), (cut, "header"), (ending, "ending"), (Path(folder) / "missing.vcd", "No such file")):
                done = bell("decode", str(path))
                self.assertEqual((done.returncode, done.stdout, len(done.stderr.splitlines())), (2, "", 1), done.stderr)
                self.assertIn(said, done.stderr)
            done = bell("decode", "--line", "nothing", str(HERE / "gps.vcd"))
            self.assertEqual(done.returncode, 2)
            self.assertIn("it has line", done.stderr)

    def test_lines_are_listed_and_damaged_frames_are_shown_on_demand(self):
        self.assertEqual(json.loads(bell("lines", str(HERE / "crsf-both-ways.vcd")).stdout), ["to_board", "to_receiver"])
        self.assertEqual(json.loads(bell("lines", str(HERE / "sbus-sticks.csv")).stdout), [""])
        _, _, plain, summary = decode(HERE / "sbus-damaged.vcd")
        _, _, shown, _ = decode(HERE / "sbus-damaged.vcd", "--bad")
        bad = [frame for frame in shown if frame["kind"] == "bad"]
        self.assertEqual((len(bad), len(shown) - len(bad)), (summary["bad_frames"], len(plain)))
        self.assertIn("parity or framing error", bad[0]["why"])
        self.assertEqual(sorted(frame["t"] for frame in shown), [frame["t"] for frame in shown])

    def test_a_capture_cut_in_its_body_is_read_as_far_as_it_goes(self):
        with tempfile.TemporaryDirectory() as folder:
            cut = Path(folder) / "cut.vcd"
            cut.write_bytes((HERE / "sbus-uninverted.vcd").read_bytes()[:60_003])
            done = bell("decode", str(cut))
            self.assertEqual(done.returncode, 0)
            self.assertIn("ends in mid-line", done.stderr)
            self.assertGreater(json.loads(done.stdout.splitlines()[-1])["summary"]["frames"], 20)

    def test_every_line_printed_is_json_of_the_promised_shape(self):
        for name, keys in (
            ("sbus-lost-link.vcd", {"t", "kind", "channels", "raw", "failsafe", "frame_lost"}),
            ("crsf-sticks.bin", {"t", "kind", "channels", "raw", "failsafe", "frame_lost"}),
        ):
            _, line, frames, summary = decode(HERE / name)
            self.assertEqual(set(line), {"protocol", "baud", "data_bits", "parity", "stop_bits", "inverted"})
            self.assertEqual({frozenset(frame) for frame in frames}, {frozenset(keys)})
            self.assertEqual(set(summary), {"frames", "bad_frames", "bytes", "framing_errors", "parity_errors", "duration_s"})
            self.assertTrue(all(len(frame["channels"]) == len(frame["raw"]) == 16 for frame in frames))


class IdentifyTest(SimpleTestCase):
    def test_what_is_on_the_line_and_why(self):
        for name, protocol, inverted, word in (
            ("sbus-uninverted.vcd", "SBUS", False, "other way round"),
            ("sbus-damaged.vcd", "SBUS", True, "101 500 baud"),
            ("crsf-damaged.vcd", "CRSF", False, "whole CRSF frames"),
            ("crsf-sticks.bin", "CRSF", None, "without their levels"),
            ("gps.vcd", None, None, "NMEA"),
            ("dead-high.vcd", None, None, "rests high"),
            ("ppm-positive.vcd", "PPM", False, "positive polarity"),
        ):
            with self.subTest(name):
                found = json.loads(bell("identify", str(HERE / name)).stdout)
                self.assertEqual(found["protocol"], protocol)
                self.assertTrue(0 <= found["confidence"] <= 1)
                if protocol:
                    self.assertEqual(found["inverted"], inverted)
                    self.assertGreater(found["confidence"], 0.75)
                self.assertIn(word, " ".join(found["why"]))
