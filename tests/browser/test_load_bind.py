"""Load and Bind as a pilot works them: two ends that do not fit, a pulled cable, settings kept, and what the lights say."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from linkcore.images.building import scenario_images
from linkcore.images.hexfile import write_hex
from linkcore.parts.catalogue import shipped
from tests.browser.base import BrowserTest, go, in_browser, wait_coin
from tests.browser.test_hops import CRACKED, RINGS, bench_of, findings_of, restart, solve, write


def choose(page, label, option):
    page.get_by_role("combobox", name=label, exact=True).click()
    page.get_by_role("option", name=re.compile(option)).click()


class LoadTest(BrowserTest):
    as_flashed = True

    @in_browser
    def test_avocets_receiver_is_flashed_through_the_board_to_match_and_a_pulled_cable_is_recovered(self, people):
        page = people.open("Avocet", "Load")
        wait_coin(page, "Load", CRACKED)
        expect(findings_of(page)).to_contain_text("the transmitter's end is of the family Wisp 3, the receiver of Wisp 2")
        page.get_by_role("region", name="Shortest way to a link that talks").get_by_role("button").first.click()
        chosen = page.get_by_role("radio", name="wisp-900-3.1.0-868.hex")
        expect(chosen).to_be_checked()
        expect(chosen).to_contain_text("may go on")
        choose(page, "Way in", "bridge")
        page.get_by_role("button", name="Plug USB in").click()
        expect(page.get_by_text("ESC drives the same wire")).to_be_visible()

        go(page, "Port plan")
        solve(page)
        write(page)
        restart(page)
        go(page, "Load")
        page.get_by_role("radio", name="wisp-900-3.1.0-868.hex").click()
        choose(page, "Way in", "bridge")
        expect(page.get_by_text("The Wisp 900 answers through the board.")).to_be_visible()
        choose(page, "Goes wrong", "cable pulled")
        page.get_by_role("button", name="Flash 3.1.0").click()
        expect(page.get_by_text("stopping now would leave it without a program")).to_be_visible()
        expect(page.get_by_text("It is not lost.")).to_be_visible()
        expect(page.get_by_test_id("flash-percent")).to_have_text("40 %")
        expect(findings_of(page)).to_contain_text("has no whole program and waits in its bootloader")

        page.get_by_role("button", name="Plug USB in").click()
        expect(page.get_by_text("The Wisp 900 answers through the board.")).to_be_visible()
        page.get_by_role("button", name="Flash 3.1.0").click()
        expect(page.get_by_test_id("flash-percent")).not_to_have_text("40 %")
        page.reload()  # the job goes on without the page
        page.wait_for_selector("[data-ready] nav")
        expect(page.get_by_role("radio", name=re.compile("^Receiver: Wisp 900"))).to_contain_text("3.1.0")
        wait_coin(page, "Load", RINGS)
        log = page.get_by_role("list", name="Flash log").get_by_role("listitem")
        expect(log).to_have_count(2)
        expect(log.first).to_contain_text("done")
        expect(log.last).to_contain_text("failed at 40 %")
        expect(bench_of(page).get_by_text("link good")).to_be_visible()

    @in_browser
    def test_a_boards_settings_are_kept_over_a_full_erase_and_put_back(self, people):
        page = people.open("Curlew", "Load")
        page.get_by_role("radio", name=re.compile("^Board: Merle F7")).click()
        page.get_by_role("radio", name="merle-f7-5.0.0.hex").click()
        page.get_by_label("Full erase").check()
        page.get_by_role("button", name="Plug USB in").click()
        expect(page.get_by_text("The Merle F7 answers.")).to_be_visible()
        page.get_by_role("button", name="Flash 5.0.0").click()
        kept = page.get_by_role("table", name="Kept settings")
        expect(kept).to_contain_text("receiver input")
        expect(kept).to_contain_text("called “stick ends” now")
        wait_coin(page, "Port plan", CRACKED)
        page.get_by_role("button", name="Put them back into the draft").click()
        expect(kept).to_have_count(0)
        expect(bench_of(page).get_by_text("no signal yet")).to_be_visible()  # the board has started
        write(page)
        restart(page)
        wait_coin(page, "Port plan", RINGS)
        expect(page.get_by_role("list", name="Flash log")).to_contain_text("settings kept, put back")

    @in_browser
    def test_an_image_is_put_on_the_shelf_and_a_damaged_one_is_not(self, people):
        page = people.open("Avocet", "Load")
        page.get_by_role("button", name="Shelf").click()
        expect(page.get_by_role("heading", name=re.compile(r"^\d+ images"))).to_be_visible()
        content = next(content for name, _, content in scenario_images(shipped()) if name == "wisp-900-3.1.0-868.hex")
        text = write_hex(content)
        damaged = text[:200] + (b"1" if text[200:201] == b"0" else b"0") + text[201:]
        picker = page.get_by_test_id("image-file")
        picker.set_input_files({"name": "broken.hex", "mimeType": "text/plain", "buffer": damaged})
        expect(page.get_by_role("alert")).to_contain_text(re.compile(r"line \d+: the record's checksum says"))
        picker.set_input_files({"name": "mine.hex", "mimeType": "text/plain", "buffer": text})
        found = page.get_by_role("region", name="mine.hex")
        expect(found).to_contain_text("on the shelf already, as wisp-900-3.1.0-868.hex")
        expect(found).to_contain_text(content.sha256)
        found.get_by_role("button", name="Drop it").click()
        picker.set_input_files({"name": "bare.bin", "mimeType": "application/octet-stream", "buffer": bytes(range(256)) * 16})
        bare = page.get_by_role("region", name="bare.bin")
        expect(bare.get_by_role("button", name="Put it on the shelf")).to_be_disabled()
        bare.get_by_label("Target").fill("wisp 900")
        bare.get_by_label("Version, as 3.1.0").fill("3.9.0")
        bare.get_by_role("button", name="Put it on the shelf").click()
        expect(page.get_by_text("bare.bin is on the shelf.")).to_be_visible()
        page.get_by_label("Find", exact=True).fill("3.9.0")
        expect(page.get_by_role("list", name="Images on the shelf").get_by_role("listitem")).to_have_count(1)


class BindTest(BrowserTest):
    @in_browser
    def test_lights_model_memory_and_budget(self, people):
        page = people.open("Curlew", "Bind")
        wait_coin(page, "Bind", RINGS)
        lights = page.get_by_role("region", name="Lights")
        lights.get_by_role("button", name="Red, double blink.").click()
        expect(lights.get_by_role("status")).to_contain_text("It waits in bind. Put the transmitter into bind")
        lights.get_by_role("button", name="Blue, steady.").click()
        expect(lights.get_by_role("status")).to_contain_text("never shows that")

        choose(page, "Model memory", "^3$")
        expect(findings_of(page)).to_contain_text("it was bound with model memory 1, and 3 is selected")
        wait_coin(page, "Bind", CRACKED)
        choose(page, "Model memory", "^1$")
        expect(page.get_by_text("linked, LQ").first).to_be_visible()

        budget = page.get_by_role("region", name="Link budget")
        expect(budget).to_contain_text("Allowed under LBT")
        before = budget.get_by_role("img").get_attribute("aria-label")
        budget.get_by_label("Transmitter gain").fill("12")
        budget.get_by_label("Transmitter gain").press("Enter")
        expect(budget.get_by_role("img")).not_to_have_attribute("aria-label", before)
        expect(findings_of(page)).to_contain_text("LBT allows 20.0")
