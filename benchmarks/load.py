"""How fast images are read, how often a flash job's progress is seen, and that no mishap leaves a device behind."""

from __future__ import annotations

import random
import re
import time
from typing import Any

from benchmarks.seeds import seeds
from linkcore.devices.hexfile import Content, read_hex, write_hex
from tests.crafts import crsf_craft, sbus_craft
from tests.hazards import bind_mishap, mishap, right
from tests.kits import every_receiver

Row = tuple[str, str, str, bool]
RUNS = 200


def reading() -> list[Row]:
    """1 MB of data as Intel HEX: read, checked, hashed."""
    content = Content(0x08000000, random.Random(1).randbytes(1 << 20))
    text = write_hex(content)
    best = 1e9
    for _ in range(3):
        began = time.perf_counter()
        found = read_hex(text)
        assert (found.sha256, found.crc32) == (content.sha256, content.crc32)
        best = min(best, time.perf_counter() - began)
    return [(f"1 MB of data as Intel HEX ({len(text) / 1e6:.1f} MB of text), read and checked", f"{best * 1000:.0f} ms", "under 1000 ms", best < 1)]


def mishaps() -> list[Row]:
    """Random faults at random moments, over load and bind; then only what the tool says is done."""
    binds = [craft for _, craft in every_receiver()]
    loads = [crsf_craft(), sbus_craft()]
    wrong = []
    for seed in seeds(RUNS // 2):
        for one, craft in ((mishap, loads[seed % 2]), (bind_mishap, binds[seed % len(binds)])):
            try:
                outcome = one(craft, seed)
                if not right(outcome):
                    wrong.append(outcome["what"])
            except AssertionError as stuck:
                wrong.append(f"seed {seed}: {stuck}")
    share = RUNS - len(wrong)
    return [(f"{RUNS} seeded mishaps over load and bind, all recovered by what is said", f"{share} of {RUNS} {wrong[:3] or ''}", "all", not wrong)]


_PROGRESS = """async () => {
  const shown = document.querySelector('[data-testid=flash-percent]').closest('[aria-live]');
  let changes = 0;
  const seen = new MutationObserver(() => { changes += 1; });
  seen.observe(shown, { subtree: true, characterData: true, childList: true });
  const began = performance.now();
  await new Promise((done) => setTimeout(done, 1500));
  seen.disconnect();
  return (1000 * changes) / (performance.now() - began);
}"""


def progress(page: Any) -> list[Row]:
    """How often the screen shows another figure while a board is flashed."""
    page.get_by_role("navigation", name="Chain").get_by_role("link", name="Load").click()
    page.get_by_role("radio", name=re.compile("^Board")).click()
    page.get_by_role("radio", name=re.compile("merle-f7-4.3.1")).click()
    page.get_by_role("button", name="Plug USB in").click()
    page.get_by_text("The Merle F7 answers.").wait_for()
    page.get_by_role("button", name="Flash 4.3.1").click()
    page.get_by_text("Writing").wait_for()
    rate = page.evaluate(_PROGRESS)
    return [("a flash job's progress on the screen", f"{rate:.0f} changes a second", "at least 5", rate >= 5)]
