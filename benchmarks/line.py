"""How fast and how surely lines are read: every protocol's decoder, naming what is on a line, and the strip over a minute."""

from __future__ import annotations

import itertools
import time
from pathlib import Path
from typing import Any

from linkcore.hops.line.foreign import nmea_sentences
from linkcore.hops.line.identify import identify_edges
from linkcore.protocols.registry import PROTOCOLS, SERIAL_PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import UartSettings, send
from tests.signals import SERIAL, line, nmea

Row = tuple[str, str, str, bool]
ALL = ("PWM", "PPM", *SERIAL)
CELLS = tuple(itertools.product(ALL, (False, True), (-0.02, 0.0, 0.02), (0.0, 0.1), (0.0, 0.35, 0.7)))


def every_decoder() -> list[Row]:
    """Levels to frames, one second of dense traffic at a time, warm: seconds of signal for a second of work."""
    ratios: dict[str, float] = {}
    for name in ALL:
        spec = PROTOCOLS[name]
        edges, end = line(name, inverted=spec.inverted, seconds=1.0)
        best = 1e9
        for _ in range(4):
            began = time.perf_counter()
            reader = spec.reader(spec.inverted, edges.level)
            frames = reader.feed(edges.times, end)[1] + reader.finish(end)[1]
            best = min(best, time.perf_counter() - began)
            assert frames
        ratios[name] = end / best
    slowest = min(ratios, key=lambda name: ratios[name])
    told = ", ".join(f"{name} {ratio:.0f}" for name, ratio in sorted(ratios.items(), key=lambda pair: pair[1])[:5])
    return [
        (
            f"levels to frames, all {len(ALL)} protocols, the slowest: {slowest}",
            f"{ratios[slowest]:.0f} x real time ({told} ...)",
            "30 x",
            ratios[slowest] >= 30,
        )
    ]


def naming() -> list[Row]:
    """The grid: protocols x inversion x baud error x damage x cut starts, one second of signal each, seeded by its place."""
    right, taken = 0, []
    for seed, (name, inverted, error, damage, cut) in enumerate(CELLS):
        edges, end = line(name, inverted=inverted, error=error, damage=damage, cut=cut, seed=seed)
        began = time.perf_counter()
        found = identify_edges(edges, end)
        taken.append(time.perf_counter() - began)
        if (found.protocol, found.inverted) == (name, inverted):
            right += 1
        else:
            print(f"      not named: {name}, inverted {inverted}, error {error}, damage {damage}, cut {cut}: {found.protocol} {found.inverted}")
    text = b"".join(nmea(f"GPGGA,1200{second:02d},5230.000,N,00012.000,E,1,08,0.9,12.0,M,,,,") for second in range(12))
    assert nmea_sentences(text) == 12
    gps: Edges = send(text, 0.01, UartSettings(9600))
    assert identify_edges(gps, 1.0).what == "NMEA"
    late = sorted(taken)
    return [
        (f"lines named rightly, of {len(CELLS)} in the grid", f"{right}", f"all {len(CELLS)}", right == len(CELLS)),
        (
            "naming 1 s of signal, warm",
            f"median {1000 * late[len(late) // 2]:.0f} ms, 99 % under {1000 * late[int(0.99 * len(late))]:.0f} ms",
            "under 300 ms",
            late[int(0.99 * len(late))] < 0.3,
        ),
    ]


def false_frames(megabytes: int = 1) -> dict[str, float]:
    """Frames that a megabyte of noise yields, by protocol: what a checksum and a header keep out (docs/protocols.md)."""
    import random

    from linkcore.protocols.base import BadFrame, PollFrame

    found = {}
    for name, spec in SERIAL_PROTOCOLS.items():
        count = 0
        for seed in range(megabytes):
            decoder = spec.decoder()
            frames = decoder.feed(random.Random(seed).randbytes(1 << 20)) + decoder.finish()
            count += sum(not isinstance(frame, (BadFrame, PollFrame)) for frame in frames)
        found[name] = count / megabytes
    return found


_SCROLL = """async () => {
  const canvas = document.querySelector('canvas[aria-label^="Strip of"]');
  const box = canvas.getBoundingClientRect();
  const wheel = (more) => canvas.dispatchEvent(new WheelEvent('wheel', { bubbles: true, cancelable: true, clientX: box.left + box.width / 2, ...more }));
  for (let index = 0; index < 12; index++) { wheel({ deltaY: -120 }); await new Promise(requestAnimationFrame); }
  const began = performance.now();
  const frames = 240;
  for (let index = 0; index < frames; index++) {
    wheel({ deltaX: index < frames / 2 ? 24 : -24 });
    if (index % 20 === 0) wheel({ deltaY: index % 40 === 0 ? 200 : -200 });
    await new Promise(requestAnimationFrame);
  }
  return 1000 * frames / (performance.now() - began);
}"""


def strip(page: Any, capture: Path) -> list[Row]:
    """Frames a second while the strip of a minute of capture is scrolled and zoomed, in a page that shows Curlew."""
    page.locator('a[href$="/line"]').first.click()
    page.get_by_role("button", name="Recordings").click()
    began = time.perf_counter()
    page.get_by_test_id("capture-file").set_input_files(capture)
    page.get_by_role("region", name="Frame laid open").wait_for(timeout=120_000)
    opened = time.perf_counter() - began
    page.wait_for_timeout(500)
    rate = float(page.evaluate(_SCROLL))
    return [
        (f"a minute of capture, {capture.stat().st_size / 1e6:.0f} MB, handed in, stored and read", f"{opened:.1f} s", "for information", True),
        ("its strip, scrolled and zoomed", f"{rate:.0f} pictures a second", "50", rate >= 50),
    ]
