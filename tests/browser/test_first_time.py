"""The first time: an empty workshop, a craft that is begun, and one to look at."""

from __future__ import annotations

import re

from tests.browser.acts import BLANK, CRACKED, RINGS, go, until, wait_coin
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious


class FirstTimeTest(BrowserTest):
    @in_browser
    def test_a_craft_is_begun_step_by_step(self, people):
        page = people.sign_in("dipper")
        nothing_serious(self, page, "an empty workshop")
        page.get_by_role("button", name="Make a craft").click()
        coming = page.get_by_role("region", name="What comes next")
        until(coming).to_contain_text("you choose the board, the receiver and the transmitter in the Kit")
        page.get_by_label(re.compile("^Name")).fill("Knot")
        page.get_by_role("combobox", name="Board").click()
        page.get_by_role("option", name=re.compile("^Merle F7")).click()
        until(coming).to_contain_text("you choose the receiver and the transmitter in the Kit")
        page.get_by_role("button", name="Make the craft").click()

        first = page.get_by_role("region", name="First step")
        until(first).to_contain_text("Choose the receiver and the transmitter.")
        nothing_serious(self, page, "a craft that is not begun")
        for label, part in (("Receiver", "Pip S8"), ("Transmitter", "Harrow 16")):
            page.get_by_role("combobox", name=label, exact=True).click()
            page.get_by_role("option", name=re.compile(f"^{part}")).click()
        until(first).to_contain_text("Put ESCs into the kit.")
        for hop in ("Kit", "Port plan", "Loom", "Load", "Bind", "Line", "Sticks", "Switchboard", "Lost link"):
            wait_coin(page, hop, BLANK)
        page.get_by_role("combobox", name="Add a device").click()
        page.get_by_role("option", name=re.compile("^Tiller 4")).click()
        until(first).to_have_count(0)

        go(page, "Port plan")
        until(first).to_contain_text("Pick the RX pad for the receiver's SBUS pin.")
        first.get_by_role("link", name="Work it out").click()
        page.get_by_role("list", name="Plans").get_by_role("button", name="Take this plan").first.click()
        until(first).to_have_count(0)
        go(page, "Switchboard")
        until(first).to_contain_text("Give arming a switch channel and a mode band.")
        page.get_by_role("button", name="Give arming a mode band").click()
        first.get_by_role("button", name="Mended in the draft: write it to the board").click()
        until(first).to_have_count(0)

    @in_browser
    def test_a_sample_is_made_on_demand_and_can_be_played_with(self, people):
        page = people.sign_in("dipper")
        page.get_by_role("button", name="Make the sample craft").click()
        page.get_by_role("heading", level=1, name="Kit").wait_for()
        until(page.get_by_role("banner")).to_contain_text("Sample quad")
        for hop in ("Kit", "Port plan", "Load", "Bind", "Line", "Sticks", "Switchboard"):
            wait_coin(page, hop, RINGS)
        go(page, "Loom")
        until(page.get_by_text(re.compile(r"^\d+ of 29 rung out$"))).to_be_visible()
        wait_coin(page, "Loom", BLANK)
        page.get_by_role("button", name="Remove the wire of receiver SBUS").click()
        wait_coin(page, "Port plan", CRACKED)  # what was proven and is undone is wrong, not to be begun
        page.goto(people.address)
        until(page.get_by_role("link", name="Sample quad")).to_be_visible()
        until(page.get_by_role("button", name="Make the sample craft")).to_have_count(0)


class JumpTest(BrowserTest):
    @in_browser
    def test_what_lies_below_the_screen_is_jumped_to(self, people):
        page = people.open("Curlew", "Sticks")
        marks = page.get_by_role("navigation", name="Further down")
        below = page.get_by_role("region", name="From thumb to loop")
        until(below).not_to_be_in_viewport()
        marks.get_by_role("button", name="From thumb to loop").click()
        until(below).to_be_in_viewport()
        until(below).to_be_focused()
        go(page, "Lost link")
        page.get_by_role("button", name="Alarm line from a log").click()
        page.get_by_role("heading", level=1, name="Alarm line").wait_for()
        until(marks).to_have_count(0)
