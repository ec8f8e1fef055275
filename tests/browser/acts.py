"""What a pilot does in the browser, and how one waits for what comes of it: by the page, or by the bench, whose time passes only where a test says so."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Locator, Page, expect

from tests import live

RINGS, CRACKED, BLANK, TARNISHED = (re.compile(f"^{state}") for state in ("rings true", "cracked", "blank", "tarnished"))
FIRST_MS, THEN_MS = 200, 40  # how long the page has for what needs no bench time: at first, and after each step of it
PAGE_WITHIN_MS = 10_000
HOLD_EVERY_S = 0.05  # how often a page says that a key is held
STARTED_S = 2.0  # a board that is restarted, or was lying there, has its link by then
SEEN_S = 0.1  # a stick that is moved is seen there by the board
COMES_S = 0.6  # a hand takes a moment to come there; what a draft or another hand has changed has been at rest by then
STEP_S, LONGEST_STEP_S = 0.2, 5.0  # of bench time
NOW, LOW, CENTRE, HIGH = 1, 2, 3, 4  # columns of an axis

SAID = "() => Object.fromEntries(Object.entries(window.ends ?? {}).map(([end, counts]) => [end, counts.said]))"
WAITS = """(known) => new Promise((done) => {
  const ends = () => Object.entries(window.ends ?? {}), last = performance.now() + PAGE_WITHIN_MS;
  const look = () => (SO) ? done(true) : performance.now() > last ? done(false) : setTimeout(look, 2);
  look();
})""".replace("PAGE_WITHIN_MS", str(PAGE_WITHIN_MS))  # to whether it was so within the time that a page is given
HEARD = WAITS.replace("SO", "ends().every(([end, counts]) => !(end in known) || counts.heard >= known[end])")
SAYS_MORE = WAITS.replace(
    "SO", "ends().reduce((sum, [, counts]) => sum + counts.said, 0) > known || !document.querySelector('button[aria-label^=Hold][aria-pressed=true]')"
)
SAID_SO_MUCH = WAITS.replace("SO", "ends().reduce((sum, [, counts]) => sum + counts.said, 0) > known")
IS_TOLD = WAITS.replace("SO", "ends().some(([, counts]) => counts.heard > 0)")


class Now:
    """The pages that are open in the test that runs."""

    pages: list[Page] = []


# --- time -------------------------------------------------------------------------------------------------------------


def passes(seconds: float | None, *, held: Page | None = None) -> None:
    """Let so much bench time pass, after all that the pages have said so far (None: only wait until that was done); what is told by then is drawn.

    `held`: the page on which a key is held, which says so 20 times a second: between two steps of that length it has said so again.
    """
    steps = max(1, round((seconds or 0) / HOLD_EVERY_S)) if held else 1
    for _ in range(steps):
        if held:
            _is_so(held, SAYS_MORE, sum(held.evaluate(SAID).values()), "says no more that a key is held")
        said: dict[str, int] = {}
        for page in Now.pages:
            said |= page.evaluate(SAID)
        told = live.server().passes(None if seconds is None else seconds / steps, said)
        for page in Now.pages:
            _is_so(page, HEARD, told, "was not told what the bench has said")


def follows(page: Page, act: Callable[[], None], times: int, seconds: float) -> None:
    """Do something of which the page makes several hands by its own clock: after each of them so much bench time passes."""
    known = sum(page.evaluate(SAID).values())
    act()
    for time_ in range(times):
        _is_so(page, SAID_SO_MUCH, known + time_, f"said no more than {time_} of {times} things")
        passes(seconds)


def _is_so(page: Page, what: str, known: object, else_: str) -> None:
    if not page.evaluate(what, known):
        raise AssertionError(f"within {PAGE_WITHIN_MS / 1000:g} s the page {else_}: {page.url}, {page.evaluate('window.ends')}")


class Until:
    """What Playwright expects of a page, with bench time passing until it is so."""

    def __init__(self, what: Locator | Page, held: Page | None = None) -> None:
        self._what, self._held = what, held

    def __getattr__(self, name: str):
        def holds(*arguments: object, **more: object) -> None:
            end, step, passed, wait = time.monotonic() + live.GIVE_UP_S, STEP_S, 0.0, FIRST_MS
            while True:
                try:
                    getattr(expect(self._what), name)(*arguments, timeout=wait, **more)
                except AssertionError as error:
                    if time.monotonic() > end:
                        raise AssertionError(f"not in {passed:.0f} s of the bench: {error}") from None
                else:
                    return
                passes(step, held=self._held)
                passed, wait = passed + step, THEN_MS
                if not self._held:
                    step = min(LONGEST_STEP_S, step * 1.25)

        return holds


def until(what: Locator | Page, *, held: Page | None = None) -> Any:
    """Wait for something that the bench moves: assertions as `expect` has them, with bench time passing until they hold. Fails after 30 s with what it waited for."""
    return Until(what, held)


# --- places on the screen ---------------------------------------------------------------------------------------------


def bench_of(page):
    return page.get_by_role("complementary", name="Bench")


def findings_of(page):
    return page.get_by_role("region", name="Findings")


def region(page, name):
    return page.get_by_role("region", name=name, exact=True)


def axis(page, name, column):
    return page.get_by_role("row", name=re.compile(f"^{name}")).get_by_role("cell").nth(column)


def band_of(page, mode):
    """The row of a mode band, with its exact figures laid open."""
    row = page.get_by_role("group", name=f"Mode band of {mode}")
    row.get_by_role("button", name=re.compile("^Type exactly")).click()
    return row


def wait_coin(page, hop, state):
    """Until the coin of a hop is so."""
    until(page.get_by_role("navigation", name="Chain").get_by_role("link", name=hop).get_by_label(state)).to_be_visible()


# --- acts -------------------------------------------------------------------------------------------------------------


def settled(page):
    """Nothing is on its way any more that could push what is there from under the pointer: a press that lands elsewhere than its release is no click."""
    page.evaluate("document.fonts.ready.then(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done()))))")
    page.wait_for_selector("[data-settled]", state="attached")


def go(page, hop):
    page.get_by_role("navigation", name="Chain").get_by_role("link", name=hop).click()
    page.get_by_role("heading", level=1, name=hop).wait_for()
    settled(page)


def choose(page, label, option):
    """Take the option whose name begins so."""
    page.get_by_role("combobox", name=label, exact=True).click()
    page.get_by_role("option", name=re.compile(f"^{option}")).click()
    expect(page.locator(".MuiPopover-root")).to_have_count(0)  # while it goes it still lies over the bench


def mend(page, name, role="button"):
    """Press what mends a finding: in the line at the foot, or where all findings lie open."""
    strip = findings_of(page)
    until(strip.locator("button, a").filter(has_text=name).first).to_be_attached()
    button = strip.get_by_role(role, name=name)
    laid_open = button.count() == 0
    if laid_open:
        strip.locator("[aria-controls=all-findings]").click()
    button.first.click()
    if laid_open:
        strip.press("Escape")


def write(page):
    until(page.get_by_role("button", name=re.compile("differs? from the board"))).to_be_visible()
    page.get_by_role("button", name="Write to board").click()
    passes(None)


def restart(page):
    until(page.get_by_text("restart due")).to_be_visible()
    page.get_by_role("button", name="Restart board").click()
    passes(STARTED_S)


def looked_at(page):
    """The bench is told of, and has run a moment under these eyes."""
    _is_so(page, IS_TOLD, None, "is told of no bench")
    passes(STARTED_S)


def solve(page):
    """Avocet's clash."""
    page.get_by_role("button", name="Work it out").click()
    page.get_by_role("listitem", name="Move ESC to R7").get_by_role("button", name="Take this plan").click()


def drag(page, side, places, stay=0.0, *, lets_go=True):
    """Drag a gimbal through places given as -1 to 1, staying `stay` bench seconds at each, and let it go."""
    box = page.locator(f"[data-gimbal={side}]").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    passes(COMES_S)
    page.mouse.down()
    for to_x, to_y in places:
        page.mouse.move(x + to_x * 46, y - to_y * 46, steps=4)
        page.wait_for_function(
            "([side, x, y]) => { const at = document.querySelector(`[data-gimbal=${side}]`).dataset.at.split(' ');"
            " return Math.abs(at[0] - x) < 0.07 && Math.abs(at[1] - y) < 0.07 }",
            arg=[side, to_x, to_y],
        )
        passes(max(stay, SEEN_S))
    if lets_go:
        page.mouse.up()
        passes(SEEN_S)


def saved(page, kind):
    """What a download brings."""
    with page.expect_download() as download:
        page.get_by_role("link", name=kind).click()
    return Path(download.value.path()).read_bytes()


# --- the craft in hand ------------------------------------------------------------------------------------------------


def tip(page, key, times=11):
    """Level, then so many steps of 5 degrees by an arrow key."""
    ring = page.get_by_role("slider", name="Tip the craft")
    ring.focus()
    page.keyboard.press("Home")
    for _ in range(times):
        page.keyboard.press(key)


def asked(page, text):
    until(region(page, "Which way the board sits").get_by_role("status")).to_contain_text(text)


def take_poses(page):
    page.get_by_role("button", name=re.compile("Find it by hand|Take the poses anew")).first.click()
    asked(page, "Now nose down")
    tip(page, "ArrowUp")
    asked(page, "Now right side down")
    tip(page, "ArrowRight")
    until(region(page, "Which way the board sits").get_by_role("status")).to_have_count(0)
    page.get_by_role("button", name="Set it level").click()
