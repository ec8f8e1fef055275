"""The alarm line: logs whose truth is known, and a long one against time and memory."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks.line import Row
from benchmarks.peak import peak_memory_mb
from benchmarks.seeds import seeds
from linkcore.hops.lost_link.alarm import alarm_line
from tests.flights import flight

LOGS = 200
ENOUGH = 200  # losses
LONG_ROWS = 1_000_000


def alarm() -> list[Row]:
    """Onsets of seeded flights, and what a million rows take."""
    return [*map(_onsets, (1.0, 4.0, 10.0)), *_long()]


def _onsets(burst: float) -> Row:
    near = held = tried = 0
    for seed in seeds(10 * LOGS):
        if tried == LOGS:
            break
        log, truth = flight(seed, burst=burst, middle=-106.0 - 2.0 * (seed % 2))
        if log.lost.sum() < ENOUGH:
            continue
        found = alarm_line(log, seed=seed)
        tried += 1
        near += found.begins_at is not None and abs(found.begins_at - truth) <= 1
        held += found.interval is not None and found.interval[0] <= truth <= found.interval[1]
    return (
        f"where loss begins, {tried} logs with bursts of {burst:g} in the mean: within 1 dB; the 95 % interval holds the truth",
        f"{near / tried:.1%}; {held / tried:.1%}",
        "95 %; 90 to 98 %",
        near >= 0.95 * tried and 0.9 * tried <= held <= 0.98 * tried,
    )


def _long() -> list[Row]:
    rng = np.random.default_rng(seeds(1)[0])
    t = np.arange(LONG_ROWS) / 100
    signal = np.round(-60 - 25 * np.sin(t / 300) ** 2 - 20 * np.sin(t / 77) ** 2 + rng.normal(0, 2, LONG_ROWS))
    gone = rng.random(LONG_ROWS) < 1 / (1 + np.exp(0.9 * (signal + 100)))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "flight.csv"
        rows = np.column_stack((t, signal, gone))
        np.savetxt(path, rows, fmt=("%.2f", "%.0f", "%.0f"), delimiter=",", header="time_s,rssi_dbm,lost", comments="")
        began = time.perf_counter()
        memory = peak_memory_mb("commands.calc", "calc", "alarm", str(path))
        took = time.perf_counter() - began
    return [
        ("a log of a million rows, read and fitted", f"{took:.2f} s", "< 5 s", took < 5),
        ("and its peak of memory", f"{memory:.0f} MB", "< 300 MB", memory < 300),
    ]
