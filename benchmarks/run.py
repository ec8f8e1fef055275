"""Measure what is claimed, and print it as ratios. Exit status 1 where a claim does not hold."""

from __future__ import annotations

import argparse
import gzip
import os
import re
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from benchmarks.alarm import alarm
from benchmarks.hands import bands, dialling, finder, live_rails, table
from benchmarks.line import Row, every_decoder, naming, strip
from benchmarks.load import mishaps, progress, reading
from benchmarks.peak import peak_memory_mb
from benchmarks.seeds import begin_at
from benchmarks.storm import STORM
from benchmarks.truth import truth
from linkcore.craft.document import Fitted, Kit, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.hops.loom.rules import check_loom
from linkcore.hops.port_plan.rules import check_ports
from linkcore.protocols import crsf
from linkcore.signal.uart import send
from linkcore.wiring.netlist import plan_edits
from linkcore.wiring.planner import work_out

ROOT = Path(__file__).resolve().parent.parent
CAPTURE_S = 60
RATE_HZ = 250
NAME_WIDTH = 84


def main(wanted: list[str]) -> int:
    """Every measure, or those whose names begin with one of those wanted; `--seed N`: other seeds for what is seeded."""
    parser = argparse.ArgumentParser(prog="bell bench")
    parser.add_argument("names", nargs="*")
    parser.add_argument("--seed", type=int, default=0)
    options = parser.parse_args(wanted)
    begin_at(options.seed)
    chosen = options.names
    measures = [each for each in (*MEASURES, *STORM) if any(each.__name__.startswith(name) for name in chosen)] if chosen else list(MEASURES)
    if not measures:
        print(f"there is no such measure; there are {', '.join(each.__name__ for each in MEASURES)}", file=sys.stderr)
        return 2
    failed = 0
    for measure in measures:
        for name, value, wanted, holds in measure():
            failed += not holds
            print(f"{'ok  ' if holds else 'MISS'}  {name:<{NAME_WIDTH}}  {value:<40} wanted: {wanted}", flush=True)
    return 1 if failed else 0


_memory: list[Row] = []


def write_capture(path: Path) -> None:
    """60 s of CRSF at 250 frames a second with moving sticks, as a value change dump."""
    frames, starts = [], []
    for index in range(CAPTURE_S * RATE_HZ):
        t = index / RATE_HZ
        raw = [round(992 + 800 * np.sin(t * (channel + 1) / 3)) for channel in range(16)]
        frames.append(crsf.encode_channels(raw))
        starts.append(t + 0.001 + np.arange(26) * crsf.SPEC.uart.byte_s)
    edges = send(b"".join(frames), np.concatenate(starts), crsf.SPEC.uart)
    level = edges.level
    with path.open("w") as out:
        out.write(f"$timescale 1 ns $end\n$var wire 1 ! line $end\n$enddefinitions $end\n#0\n{level}!\n")
        for stamp in np.rint(edges.times * 1e9).astype(np.int64).tolist():
            level ^= 1
            out.write(f"#{stamp}\n{level}!\n")


def decode_speed() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.vcd"
        write_capture(path)
        size = path.stat().st_size / 1e6
        best = 1e9
        for _ in range(3):
            began = time.perf_counter()
            with (Path(folder) / "out.jsonl").open("wb") as out:
                subprocess.run([sys.executable, "-m", "commands.decode", "decode", str(path)], cwd=ROOT, stdout=out, check=True)
            best = min(best, time.perf_counter() - began)
        lines = sum(1 for _ in (Path(folder) / "out.jsonl").open())
        assert lines == CAPTURE_S * RATE_HZ + 2, lines
        peak = peak_memory_mb("commands.decode", "decode", str(path))
        _memory.append(("memory of that decode, at its peak", f"{peak:.0f} MB", "under 500 MB", peak < 500))
        ratio = CAPTURE_S / best
        return [
            (
                f"decode of {CAPTURE_S} s CRSF at {RATE_HZ}/s, {size:.0f} MB of VCD, process start included",
                f"{ratio:.0f} x real time ({best:.2f} s)",
                "30 x",
                ratio >= 30,
            )
        ]


def decode_memory_note() -> list[Row]:
    return _memory


TOLD_TIMES = 1.4  # what snapshots and reports may add to a bench that nobody is told of, as they did where the bar was set (1.38, on one machine): a machine twice as slow is so for both


def bench_speed() -> list[Row]:
    from linkcore.bench.bench import Bench
    from linkcore.bench.report import Reporter
    from linkcore.hops.registry import HOPS
    from server.apart.process import settle_collector
    from tests.crafts import crsf_craft

    settle_collector()  # as in the process that benches run in
    kept: dict[str, int] = {}

    def second_of(hop: str | None) -> Iterator[float]:
        """CPU of one bench-second after the other, ms, with 25 snapshots and 5 reports for somebody who looks at `hop`; None: nobody is told anything."""
        craft = crsf_craft()
        craft.kit.receiver, craft.kit.module = "wisp-24", "wisp-nest-24"  # the fastest that ships
        bench = Bench(craft)
        reporter = Reporter(bench)
        while True:
            began = time.process_time()
            for tick in range(1, 26):
                bench.run_until(bench.t + 0.04)
                if hop is None:
                    continue
                bench.live().model_dump_json()
                if tick % 5 == 0:
                    kept[hop] = len(reporter.report(1, {hop}, whole=False).model_dump_json())
            yield 1000 * (time.process_time() - began)

    # second by second side by side, for the machine's pace is another every moment; the best quarter of them, which nobody else has slowed
    looked_at = (None, *(hop.key for hop in HOPS))
    running = {hop: second_of(hop) for hop in looked_at}
    took: dict[str | None, list[float]] = {hop: [] for hop in looked_at}
    for _ in range(60):
        for hop in looked_at:
            took[hop].append(next(running[hop]))
    told = {hop: statistics.quantiles(each[2:], n=4)[0] for hop, each in took.items()}  # the first two also set things up
    times = {hop: statistics.median(one / other for one, other in zip(each[2:], took[None][2:], strict=True)) for hop, each in took.items()}
    plain = told.pop(None)
    sticks = told.pop("sticks")
    dearest, worst = max(told, key=lambda key: told[key]), max(told, key=lambda key: times[key])
    return [
        ("one CRSF bench at 240/s, nobody told anything", f"{plain:.0f} ms of CPU a bench-second, {1000 / plain:.0f} x real time", "20 x", plain <= 50),
        ("the same, 25 snapshots and 5 reports a second, Sticks in sight", f"{sticks:.0f} ms, report {kept['sticks']} bytes", "50 ms", sticks <= 50),
        (f"the same, any other hop in sight; the dearest is {dearest}", f"{told[dearest]:.0f} ms, report {kept[dearest]} bytes", "35 ms", told[dearest] <= 35),
        (
            f"the same beside nobody told, in the same moments; the dearest is {worst}",
            f"{times[worst]:.2f} x",
            f"{TOLD_TIMES:g} x",
            times[worst] <= TOLD_TIMES,
        ),
    ]


def planning() -> list[Row]:
    """The largest board with twelve devices: plans, an explanation why there is none, and the rule check; each the median of many, warm."""
    craft = new_craft("Largest", "quad X", Kit(board="shelduck-h7", receiver="wisp-24", transmitter="harrow-16", module="wisp-nest-24"))
    fitted = ("tern-8", "skein-v", "lapwing-t", "tiller-4", "plumb-f", "plumb-r", "tide-link", "tern-5", "whimbrel", "strand-9", "strand-9", "oar-30l")
    craft.kit.devices = [Fitted(name=f"device {index}", part=part) for index, part in enumerate(fitted)]
    parts = KitParts.of(craft)
    plan = work_out(craft, parts).plans[0]
    wired = apply_edits(craft, plan_edits(craft, parts, plan))
    crowded = craft.model_copy(deep=True)
    crowded.kit.devices += [Fitted(name=f"more {index}", part="reedline") for index in range(3)]
    crowded_parts, wired_parts = KitParts.of(crowded), KitParts.of(wired)
    assert work_out(crowded, crowded_parts).clash

    def median_ms(do: Callable[[], object], times: int) -> float:
        taken = []
        for _ in range(times + 2):
            begin = time.perf_counter()
            do()
            taken.append(time.perf_counter() - begin)
        return sorted(taken[2:])[times // 2] * 1000

    worked = median_ms(lambda: work_out(craft, parts), 20)
    explained = median_ms(lambda: work_out(crowded, crowded_parts), 10)
    checked = median_ms(lambda: (check_loom(wired, wired_parts), check_ports(wired, wired_parts)), 50)
    return [
        ("largest board, 12 devices: plans", f"{worked:.0f} ms (median of 20)", "under 150 ms warm", worked < 150),
        ("the same, crowded: why there is none", f"{explained:.0f} ms (median of 10)", "under 1000 ms", explained < 1000),
        (f"rule check of {len(wired.wiring)} wires", f"{checked:.1f} ms (median of 50)", "under 20 ms", checked < 20),
    ]


def first_page() -> list[Row]:
    page = (ROOT / "web" / "dist" / "index.html").read_text()
    total = 0
    for script in sorted((ROOT / "web" / "dist" / "assets").glob("*.js")):
        if script.name in page:
            total += len(gzip.compress(script.read_bytes(), 9))
    return [("first page, JavaScript, compressed", f"{total / 1000:.0f} kB", "under 300 kB", 0 < total < 300_000)]


def in_the_browser() -> list[Row]:
    """Stick to screen: from a pointer event in the page to the changed number on its screen, in a real browser on loopback; and the long strip."""
    subprocess.run([sys.executable, "-m", "django", "migrate", "--noinput", "-v0"], cwd=ROOT, check=True)
    subprocess.run([sys.executable, "-m", "django", "load_demo"], cwd=ROOT, check=True, stdout=subprocess.DEVNULL)
    from launcher.mariadb import die_with_parent, free_port
    from launcher.server_command import server_command

    port = free_port()
    os.makedirs(os.environ["COINBELL_VAR"] + "/static", exist_ok=True)
    server = subprocess.Popen(
        server_command("--port", str(port)),
        cwd=ROOT,
        preexec_fn=die_with_parent,
    )
    try:
        latencies, rows = _measure_page(port)
        samples = sorted(latencies)
    finally:
        server.terminate()
        server.wait(10)
    p50, p95 = samples[len(samples) // 2], samples[int(len(samples) * 0.95)]
    return [(f"stick to screen, {len(samples)} movements", f"median {p50:.0f} ms, 95 % under {p95:.0f} ms", "95 % under 80 ms", p95 < 80), *rows]


_WATCH = """async () => {
  const gimbal = document.querySelector('[data-gimbal=right]');
  const box = gimbal.getBoundingClientRect();
  const cell = [...document.querySelectorAll('main tr')].find((row) => row.innerText.startsWith('roll')).children[1];
  const send = (type, x) => gimbal.dispatchEvent(new PointerEvent(type, { bubbles: true, pointerId: 1, clientX: x, clientY: box.top + box.height / 2 }));
  gimbal.setPointerCapture = () => {};
  gimbal.hasPointerCapture = () => true;
  const out = [];
  for (let index = 0; index < 150; index++) {
    await new Promise((done) => setTimeout(done, 120 + (index * 37) % 61));
    const high = index % 2 === 0;
    const began = performance.now();
    send('pointermove', box.left + (high ? box.width : 0));
    await new Promise((done) => {
      const look = () => {
        const now = Number(cell.innerText);
        if (high ? now > 1900 : now < 1100) requestAnimationFrame(() => done());
        else requestAnimationFrame(look);
      };
      look();
    });
    out.push(performance.now() - began);
  }
  return out;
}"""


def _measure_page(port: int) -> tuple[list[float], list[Row]]:
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-dev-shm-usage"])
        page = chromium.new_page(viewport={"width": 1280, "height": 800})
        until = time.monotonic() + 30
        while True:
            try:
                page.goto(f"http://127.0.0.1:{port}/")
                break
            except Exception:
                if time.monotonic() > until:
                    raise
        page.get_by_label("Name").fill("wren")
        page.get_by_label("Password").fill("low-tide-42")
        page.get_by_label("Password").press("Enter")
        page.get_by_role("link", name="Curlew", exact=True).click()
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        page.locator('a[href$="/sticks"]').first.click()
        page.get_by_role("row", name=re.compile("^roll CH")).wait_for()
        page.wait_for_timeout(2000)
        samples = page.evaluate(_WATCH)
        rows = live_rails(page, port)
        with tempfile.TemporaryDirectory() as folder:
            capture = Path(folder) / "minute.vcd"
            write_capture(capture)
            rows += strip(page, capture) + progress(page)
        chromium.close()
        return [float(sample) for sample in samples], rows


MEASURES: tuple[Callable[[], list[Row]], ...] = (
    decode_speed,
    decode_memory_note,
    every_decoder,
    naming,
    reading,
    mishaps,
    bench_speed,
    planning,
    dialling,
    bands,
    table,
    finder,
    truth,
    alarm,
    first_page,
    in_the_browser,
)  # and the storm, which takes its time and is asked for by name

if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
