"""The lost link, proven in the browser by hand."""

from __future__ import annotations

import re

from playwright.sync_api import Page

from tests.browser.acts import SEEN_S, bench_of, passes, until

ON_LEFT = re.compile(r" (0\.[1-9]\d|1\.00)$")


def proof(page: Page, name: str):
    """A proof's row on the hop."""
    return page.get_by_role("region", name="Proofs").get_by_role("listitem").filter(has_text=name)


def is_proven(page: Page, name: str) -> None:
    """Wait until a proof holds: some take half a minute of the bench's time."""
    until(proof(page, name).get_by_role("img", name="proven", exact=True)).to_be_visible()


def throttle_up(page: Page) -> None:
    """By its key, until it stands well above low; it stays there."""
    page.keyboard.down("w")
    until(page.locator("[data-gimbal=left]")).to_have_attribute("data-at", ON_LEFT)
    page.keyboard.up("w")
    passes(SEEN_S)


def throttle_down(page: Page) -> None:
    """All the way."""
    page.keyboard.down("s")
    until(page.locator("[data-gimbal=left]")).to_have_attribute("data-at", re.compile(r" -1\.00$"))
    page.keyboard.up("s")
    passes(SEEN_S)


def arm(page: Page, on: str = "armed") -> None:
    """Flip the arm switch, and see what the board makes of it."""
    until(bench_of(page).get_by_text("link lost just before")).to_have_count(0)
    page.keyboard.press("1")
    until(bench_of(page).get_by_text(on, exact=True)).to_be_visible()


def lose_while_armed(page: Page) -> None:
    """Throttle up, transmitter off."""
    throttle_up(page)
    page.keyboard.press("x")  # by its key: the button moves while the headline above it changes
    until(bench_of(page).get_by_text("link lost: fallback")).to_be_visible()


def prove_the_rest(page: Page) -> None:
    """With the arm switch still on after a loss that stopped the motors: while disarmed, a gap shorter than the grace, half a minute of bad air."""
    throttle_down(page)
    page.keyboard.press("1")
    page.get_by_role("button", name="Transmitter off").click()
    until(bench_of(page).get_by_text("link lost: fallback")).to_be_visible()
    page.get_by_role("button", name="Transmitter on").click()
    is_proven(page, "disarmed")
    arm(page)
    throttle_up(page)
    page.get_by_role("button", name=re.compile("^Silence the air")).click()
    is_proven(page, "shorter than the grace")
    page.get_by_role("button", name="Lose one frame in five").click()
    is_proven(page, "one frame in five lost")
    page.get_by_role("button", name="0 %", exact=True).click()
    page.get_by_role("button", name=re.compile("^Walk 30 m away")).click()
    headings = page.get_by_role("group", name="Headings").get_by_role("button")
    until(headings.first).to_be_visible()
    for index in range(8):
        headings.nth(index).click()
        if index < 7:
            until(headings.nth(index)).to_contain_text(re.compile(r"\d %"))
    is_proven(page, "range walk")
