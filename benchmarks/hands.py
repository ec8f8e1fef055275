"""Sticks and Switchboard: how surely the finder finds, how near dialling comes, how fast the table is made, and what the live rails cost a browser."""

from __future__ import annotations

import threading
import time
from typing import Any

from benchmarks.seeds import seeds
from linkcore.craft.document import ModeBand
from linkcore.devices.model_memory import law_us, output_us
from linkcore.hops.sticks.finder import ChannelFinder, Found
from linkcore.hops.sticks.travel import HIGH_US, LOW_US, Places, plan_travel
from linkcore.hops.switchboard.detents import Detent, SwitchMeasure
from linkcore.hops.switchboard.suggest import suggest_bands
from linkcore.hops.switchboard.truth import truth_table
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Switch, Transmitter
from tests.bands import SCALE, best_by_trying_all, case
from tests.crafts import sbus_craft
from tests.thumbs import Session, dialling_case, session

Row = tuple[str, str, str, bool]
SESSIONS = 2000
DIALLED = 2000
SMALL_CASES = 500
LIVE_S = 6.0


def finder() -> list[Row]:
    """Jitter up to 4 us, one bumped stick in five, every order, stick mode and reversal; with the thumbs seen, and by the signal alone."""
    rows: list[Row] = []
    for seen, how in ((True, "thumbs seen"), (False, "by the signal alone")):
        wrong: list[int] = []
        samples, began = 0, time.perf_counter()
        for seed in seeds(SESSIONS):
            made = session(seed)
            samples += len(made.samples)
            if not right(made, found_in(made, seen)):
                wrong.append(seed)
        each = (time.perf_counter() - began) / samples * 1e6
        share = 1 - len(wrong) / SESSIONS
        rows.append(
            (
                f"channel finder, {SESSIONS} sessions, {how}",
                f"{100 * share:.2f} % right, {each:.0f} us a sample {wrong[:4] or ''}",
                "at least 99 %",
                share >= 0.99,
            )
        )
    return rows


def found_in(made: Session, seen: bool) -> Found:
    """What the finder makes of a session."""
    watching = ChannelFinder(made.mode)
    for t, channels, thumbs in made.samples:
        watching.take(t, channels, thumbs if seen else None)
    return watching.found


def right(made: Session, found: Found) -> bool:
    """Whether order and every reversal are as they were made."""
    return found.order == made.order and {axis for axis, each in found.axes.items() if each.direction < 0} == made.reversed


def dialling() -> list[Row]:
    """Random laws of ends, steps and gimbals; what leaves after dialling against 1000, 1500 and 2000 us, before it is rounded to raw counts."""
    worst, reachable = 0.0, 0
    for seed in seeds(DIALLED):
        part, channel, stick = dialling_case(seed)
        part = part.model_copy(update={"count_us": 0.001})
        low, centre, high = (output_us(channel, value, part) for value in stick)
        plan = plan_travel(1, channel, part, Places(low=low, centre=centre, high=high))
        if plan.unreachable:
            continue
        reachable += 1
        ends, middle = max(1.0, part.ends.travel_step_percent * part.us_at_100 / 200), max(1.0, part.ends.sub_trim_step_us / 2)
        for value, wanted, allowed in zip(stick, (LOW_US, 1500.0, HIGH_US), (ends, middle, ends), strict=True):
            worst = max(worst, abs(law_us(value, plan.dial.figures, part) - wanted) / allowed)
    return [
        (
            f"travel dialled, {reachable} of {DIALLED} cases reachable: the farthest from its target",
            f"{worst:.2f} of what is allowed",
            "within 1 us or half a step",
            worst <= 1.001,
        )
    ]


def bands() -> list[Row]:
    """Suggested bands beside the best of all bands on the grid."""
    same = 0
    for seed in seeds(SMALL_CASES):
        detents, wanted = case(seed)
        best = best_by_trying_all(detents, wanted)
        same += best is not None and abs(min(band.clear for band in suggest_bands(detents, wanted, SCALE)) - best) <= 0.051
    return [("suggested bands as clear as brute force finds", f"{same} of {SMALL_CASES}", "all", same == SMALL_CASES)]


def table() -> list[Row]:
    """Six switches of three positions, nothing seen yet: rows, surprises, and the walk of fewest flips."""
    part = shipped().of(Transmitter, "harrow-16").model_copy(update={"switches": tuple(Switch(name=f"S{index}", positions=3) for index in range(1, 7))})
    craft = sbus_craft()
    used = zip(range(6, 11), ("angle", "horizon", "beeper", "onboard log", "guard"), strict=True)
    craft.settings.modes = [ModeBand.model_validate({"mode": mode, "channel": channel, "low": 1700, "high": 2100}) for channel, mode in used]
    flipped = SwitchMeasure(detents={channel: [Detent(low=us - 1, high=us + 1) for us in (1000.0, 1500.0, 2000.0)] for channel in range(5, 11)})
    taken = []
    for _ in range(15):
        began = time.perf_counter()
        made = truth_table(craft, craft.settings, part, flipped)
        taken.append((time.perf_counter() - began) * 1000)
    assert len(made.rows) == len(made.next_rows) == 729
    middle = sorted(taken)[len(taken) // 2]
    return [("truth table of 729 rows, with the walk", f"{middle:.0f} ms (median of {len(taken)}, first {taken[0]:.0f})", "under 50 ms", middle < 50)]


_COUNT = """async (seconds) => {
  const rail = document.querySelector('[data-live=rail]');
  const before = Number(rail.dataset.drawn);
  const began = performance.now();
  await new Promise((done) => setTimeout(done, seconds * 1000));
  return 1000 * (Number(rail.dataset.drawn) - before) / (performance.now() - began);
}"""


def live_rails(page: Any, port: int) -> list[Row]:
    """Repaints of a rail, and the CPU that the page's own process takes, while somebody else's hands move the sticks without a pause."""
    craft = page.url.split("/crafts/")[1].split("/")[0]
    cookie = "; ".join(f"{each['name']}={each['value']}" for each in page.context.cookies())
    page.locator("[data-live=rail]").first.wait_for()
    stop = threading.Event()
    mover = threading.Thread(target=_move, args=(port, craft, cookie, stop))
    mover.start()
    try:
        page.wait_for_timeout(1500)
        talk = page.context.new_cdp_session(page)
        before = _cpu_s(talk)
        began = time.perf_counter()
        rate = float(page.evaluate(_COUNT, LIVE_S))
        share = (_cpu_s(talk) - before) / (time.perf_counter() - began)
    finally:
        stop.set()
        mover.join()
    return [
        ("live rails, all four sticks moving", f"{rate:.1f} repaints a second", "25 a second (at least 23)", rate >= 23),
        ("the page's own process meanwhile", f"{100 * share:.0f} % of one core", "under 25 %", share < 0.25),
    ]


def _cpu_s(talk: Any) -> float:
    """CPU time of the page's process so far, s, all its threads (script, layout, paint, raster)."""
    return float(next(metric["value"] for metric in _metrics(talk) if metric["name"] == "ProcessTime"))


def _metrics(talk: Any) -> list[dict[str, Any]]:
    talk.send("Performance.enable", {"timeDomain": "timeTicks"})
    return list(talk.send("Performance.getMetrics")["metrics"])


def _move(port: int, craft: str, cookie: str, stop: threading.Event) -> None:
    """Another pair of hands at the same bench."""
    import json
    import math

    from websockets.sync.client import connect

    address, origin = f"ws://127.0.0.1:{port}/ws/crafts/{craft}/bench", f"http://127.0.0.1:{port}"
    with connect(address, additional_headers={"Cookie": cookie}, origin=origin) as socket:  # type: ignore[arg-type]
        began = time.perf_counter()
        while not stop.is_set():
            if json.loads(socket.recv())["type"] != "live":
                continue
            t = time.perf_counter() - began
            sticks = {side: {"x": 0.9 * math.sin(t * (2.1 + at)), "y": 0.9 * math.cos(t * (1.7 + at))} for at, side in enumerate(("left", "right"))}
            socket.send(json.dumps({"type": "hands", **sticks}))
