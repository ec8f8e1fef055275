"""The lost link where the craft goes somewhere: home above the trees, the place as it is dragged, and the alarm line from a log."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from tests.browser.acts import BLANK, bench_of, findings_of, go, mend, restart, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.losing import arm, is_proven, lose_while_armed, proof
from tests.flights import csv, flight


class HomeTest(BrowserTest):
    @in_browser
    def test_sandpipers_return_home_is_proven_at_the_height_that_clears_its_trees(self, people):
        page = people.open("Sandpiper", "Line")
        mend(page, "Move the wire to T5, which has an inverter")
        write(page)
        restart(page)
        wait_coin(page, "Line", re.compile("^rings true"))
        go(page, "Lost link")
        until(findings_of(page)).to_contain_text("The return height is 40 m; 53.6 m clear what stands around")
        until(page.get_by_text("must clear 31 + 10 + 4 + 8.6 = 53.6 m")).to_be_visible()
        mend(page, "Set the return height to 54 m")
        write(page)
        until(page.get_by_text("draft is on the board")).to_be_visible()
        wait_coin(page, "Lost link", BLANK)
        arm(page)
        lose_while_armed(page)
        is_proven(page, "armed, throttle up")
        until(page.get_by_role("img", name=re.compile("Simulated: .* high and .* from home"))).to_be_visible()
        is_proven(page, "home, or down")
        until(page.get_by_label("Board's log")).to_contain_text("at home, circles")
        page.get_by_role("button", name="Transmitter on").click()
        until(page.get_by_text("the board goes on by itself: move a stick")).to_be_visible()
        until(bench_of(page).get_by_text("armed", exact=True)).to_be_visible()
        page.keyboard.down("ArrowUp")
        is_proven(page, "link back, arm switch on")
        page.keyboard.up("ArrowUp")

    @in_browser
    def test_the_place_is_dragged_in_the_picture_and_said_in_the_sentence(self, people):
        page = people.open("Curlew", "Lost link")
        handle = page.locator("[data-handle=craft]")
        handle.scroll_into_view_if_needed()
        box = handle.bounding_box()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] - 60, box["y"] + 30, steps=6)
        page.mouse.up()
        until(page.get_by_label("Distance from home")).not_to_have_value("120")
        until(page.get_by_label("Height", exact=True)).not_to_have_value("20")
        page.get_by_label("Distance to people").fill("5")
        page.get_by_label("Distance to people").press("Enter")
        until(findings_of(page)).to_contain_text("people are 5 m away")
        page.get_by_label("Distance to people").fill("")
        page.get_by_label("Distance to people").press("Enter")
        until(findings_of(page)).not_to_contain_text("people are")
        page.get_by_label("Height", exact=True).fill("-4")
        page.get_by_label("Height", exact=True).press("Enter")
        until(page.get_by_text("not taken: 0 to 3000 m")).to_be_visible()

    @in_browser
    def test_the_picture_is_moved_by_keys_and_usual_figures_are_confirmed(self, people):
        page = people.open("Curlew", "Lost link")
        craft = page.get_by_role("slider", name="Where the link dies")
        craft.focus()
        for key in ("ArrowRight", "ArrowUp", "Shift+ArrowLeft"):
            before = craft.get_attribute("aria-valuetext")
            page.keyboard.press(key)
            until(craft).not_to_have_attribute("aria-valuetext", before)
        until(craft).to_have_attribute("aria-valuetext", "111 m from home, 21 m high")
        until(page.locator("[data-gimbal=right]")).to_have_attribute("data-at", re.compile(r"^-?0\.00 -?0\.00$"))  # the sticks stay
        top = page.get_by_role("slider", name="Top of what stands around")
        top.focus()
        page.keyboard.press("Shift+ArrowUp")
        until(top).to_have_attribute("aria-valuetext", "10 m")
        until(page.get_by_role("button", name="These are right for where I fly")).to_have_count(0)

    @in_browser
    def test_throttle_low_and_a_fix_that_is_missing(self, people):
        page = people.open("Curlew", "Lost link")
        arm(page)
        page.get_by_role("button", name="Transmitter off").click()
        until(bench_of(page).get_by_text("link lost: fallback")).to_be_visible()
        page.get_by_role("button", name="Transmitter on").click()
        until(page.get_by_text("The board reacted as predicted and stayed disarmed")).to_be_visible()
        until(proof(page, "armed, throttle up").get_by_role("img", name="not proven yet")).to_be_visible()
        page.keyboard.press("1")
        page.get_by_role("combobox", name="Response", exact=True).click()
        page.get_by_role("option", name="returns home").click()
        write(page)
        until(page.get_by_text("draft is on the board")).to_be_visible()
        bench_of(page).get_by_role("switch", name="fix").click()
        until(findings_of(page)).to_contain_text("It returns home, and the GPS has no fix.")  # satellites are lost one after the other
        page.keyboard.press("1")
        until(bench_of(page).get_by_text("no home yet: the fix is not good enough")).to_be_visible()


class AlarmTest(BrowserTest):
    @in_browser
    def test_a_recorded_flight_gives_its_alarm_line(self, people):
        page = people.open("Curlew", "Lost link")
        page.get_by_role("button", name="Alarm line from a log").click()
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "creek.csv"
            file.write_bytes(csv(flight(4, burst=4, minutes=4)[0]))
            page.get_by_test_id("flight-file").set_input_files(file)
            plot = page.get_by_role("img", name=re.compile(r"^Loss begins at -97\.\d+ dBm, between .* alarm at -91\.\d+ dBm"))
            until(plot).to_be_visible()
        page.get_by_label("Margin").fill("8")
        page.get_by_label("Margin").press("Enter")
        until(page.get_by_role("img", name=re.compile(r"alarm at -89\.\d+ dBm"))).to_be_visible()
        page.get_by_role("button", name=re.compile(r"^Take -89\.\d+ dBm as the alarm line$")).click()
        until(page.get_by_text("This craft's alarm line: RSSI -89.")).to_be_visible()
        page.get_by_role("combobox", name="frames lost").click()
        page.get_by_role("option", name="none").click()
        until(page.get_by_role("alert")).to_contain_text("no column counts lost frames")
        go(page, "Bind")
        until(page.get_by_text(re.compile(r"alarm line -89\.\d+ dBm, from creek\.csv"))).to_be_visible()

    @in_browser
    def test_a_flight_is_flown_on_the_bench_and_read(self, people):
        page = people.open("Curlew", "Lost link")
        page.get_by_role("button", name="Alarm line from a log").click()
        for label, value in (("Out to", "400000"), ("in", "30")):
            page.get_by_label(label, exact=True).fill(value)
            page.get_by_label(label, exact=True).press("Enter")
        page.get_by_role("button", name="Fly out").click()
        until(page.get_by_role("status").filter(has_text="Flown: 400000 m out")).to_be_visible()
        page.get_by_role("button", name="Keep its log").click()
        page.get_by_role("button", name="bench, out to 400000 m.csv", exact=True).click()
        until(page.get_by_role("img", name=re.compile("^Loss begins at"))).to_be_visible()
        page.get_by_role("button", name="Back to the lost link").click()
        wait_coin(page, "Lost link", BLANK)
