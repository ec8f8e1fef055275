"""What tells a bench how late it is."""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest.mock import patch

from django.test import SimpleTestCase, override_settings

from server.running.clock import RealClock, bench_clock
from tests.clock import NAME, Pace, PacedClock


class ClockTest(SimpleTestCase):
    @override_settings(BENCH_CLOCK="server.running.clock.RealClock")
    def test_the_real_clock_runs_forward(self):
        clock = bench_clock()
        self.assertIsInstance(clock, RealClock)
        first = clock.now()
        self.assertGreaterEqual(clock.now(), first)

    def test_a_pace_that_changes_never_makes_the_clock_jump(self):
        with tempfile.TemporaryDirectory() as folder, patch.dict("os.environ", {NAME: f"{folder}/pace"}), patch("tests.clock.time.monotonic") as real:
            real.return_value = 100.0
            mine = Pace(Path(folder) / "pace")
            clock = PacedClock()
            seen = []
            for second, pace in enumerate((1.0, 5.0, 5.0, 1.0, 1.0)):
                real.return_value = 100.0 + second
                mine.set(pace)
                seen.append(clock.now())
        self.assertEqual(seen, [0.0, 1.0, 6.0, 11.0, 12.0])
