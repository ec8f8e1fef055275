"""Load and Bind as a pilot works them: two ends that do not fit, a pulled cable, settings kept, and what the lights say."""

from __future__ import annotations

import re

from linkcore.devices.hexfile import write_hex
from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images
from tests.browser.acts import CRACKED, RINGS, bench_of, choose, findings_of, follows, go, passes, restart, solve, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser

OFF_S = 0.6  # how long a hand leaves it so


class LoadTest(BrowserTest):
    as_flashed = True

    @in_browser
    def test_avocets_receiver_is_flashed_through_the_board_to_match_and_a_pulled_cable_is_recovered(self, people):
        page = people.open("Avocet", "Load")
        wait_coin(page, "Load", CRACKED)
        until(findings_of(page)).to_contain_text("the transmitter's end is of the family Haar, the receiver of Fret")
        page.get_by_role("region", name="Shortest way to a link that talks").get_by_role("button").first.click()
        chosen = page.get_by_role("radio", name="wisp-900-6.1.0-868.hex")
        until(chosen).to_be_checked()
        until(chosen).to_contain_text("may go on")
        choose(page, "Way in", ".*bridge")
        page.get_by_role("button", name="Plug USB in").click()
        until(page.get_by_text("ESC drives the same wire")).to_be_visible()

        go(page, "Port plan")
        solve(page)
        write(page)
        restart(page)
        go(page, "Load")
        page.get_by_role("radio", name="wisp-900-6.1.0-868.hex").click()
        choose(page, "Way in", ".*bridge")
        until(page.get_by_text("The Wisp 900 answers through the board.")).to_be_visible()
        choose(page, "Goes wrong", ".*cable pulled")
        page.get_by_role("button", name="Flash 6.1.0").click()
        until(page.get_by_text("stopping now would leave it without firmware")).to_be_visible()
        until(page.get_by_text("It is not lost.")).to_be_visible()
        until(page.get_by_test_id("flash-percent")).to_have_text("40 %")
        until(findings_of(page)).to_contain_text("has no whole firmware and waits in its bootloader")

        page.get_by_role("button", name="Plug USB in").click()
        until(page.get_by_text("The Wisp 900 answers through the board.")).to_be_visible()
        page.get_by_role("button", name="Flash 6.1.0").click()
        until(page.get_by_test_id("flash-percent")).not_to_have_text("40 %")
        page.reload()  # the job goes on without the page
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        until(page.get_by_role("radio", name=re.compile("^Receiver: Wisp 900"))).to_contain_text("6.1.0")
        wait_coin(page, "Load", RINGS)
        log = page.get_by_role("list", name="Flash log").get_by_role("listitem")
        until(log).to_have_count(2)
        until(log.first).to_contain_text("done")
        until(log.last).to_contain_text("failed at 40 %")
        until(bench_of(page).get_by_text("link good")).to_be_visible()

    @in_browser
    def test_a_boards_settings_are_kept_over_a_full_erase_and_put_back(self, people):
        page = people.open("Curlew", "Load")
        page.get_by_role("radio", name=re.compile("^Board: Merle F7")).click()
        page.get_by_role("radio", name="merle-f7-5.0.0.hex").click()
        page.get_by_label("Erase everything, settings too").check()
        page.get_by_role("button", name="Plug USB in").click()
        until(page.get_by_text("The Merle F7 answers.")).to_be_visible()
        page.get_by_role("button", name="Flash 5.0.0").click()
        kept = page.get_by_role("table", name="Kept settings")
        until(kept).to_contain_text("receiver input")
        until(kept).to_contain_text("called “stick ends” now")
        wait_coin(page, "Port plan", CRACKED)
        page.get_by_role("button", name="Put them back into the draft").click()
        until(kept).to_have_count(0)
        until(bench_of(page).get_by_text("no signal yet")).to_be_visible()  # the board has started
        write(page)
        restart(page)
        wait_coin(page, "Port plan", RINGS)
        until(page.get_by_role("list", name="Flash log")).to_contain_text("settings kept, put back")

    @in_browser
    def test_an_image_is_put_on_the_shelf_and_a_damaged_one_is_not(self, people):
        page = people.open("Avocet", "Load")
        page.get_by_role("button", name="Shelf").click()
        until(page.get_by_role("heading", name=re.compile(r"^\d+ images"))).to_be_visible()
        content = next(content for name, _, content in scenario_images(shipped()) if name == "wisp-900-6.1.0-868.hex")
        text = write_hex(content)
        damaged = text[:200] + (b"1" if text[200:201] == b"0" else b"0") + text[201:]
        picker = page.get_by_test_id("image-file")
        picker.set_input_files({"name": "broken.hex", "mimeType": "text/plain", "buffer": damaged})
        until(page.get_by_role("alert")).to_contain_text(re.compile(r"line \d+: the record's checksum says"))
        picker.set_input_files({"name": "mine.hex", "mimeType": "text/plain", "buffer": text})
        found = page.get_by_role("region", name="mine.hex")
        until(found).to_contain_text("on the shelf already, as wisp-900-6.1.0-868.hex")
        until(found).to_contain_text(content.sha256)
        found.get_by_role("button", name="Discard").click()
        picker.set_input_files({"name": "bare.bin", "mimeType": "application/octet-stream", "buffer": bytes(range(256)) * 16})
        bare = page.get_by_role("region", name="bare.bin")
        until(bare.get_by_role("button", name="Put it on the shelf")).to_be_disabled()
        bare.get_by_label("Target").fill("wisp 900")
        bare.get_by_label("Version, as 3.1.0").fill("3.9.0")
        bare.get_by_role("button", name="Put it on the shelf").click()
        until(page.get_by_text("bare.bin is on the shelf.")).to_be_visible()
        page.get_by_label("Find", exact=True).fill("3.9.0")
        until(page.get_by_role("list", name="Images on the shelf").get_by_role("listitem")).to_have_count(1)

    @in_browser
    def test_devices_and_images_are_chosen_with_the_keyboard_and_the_next_image_is_named(self, people):
        page = people.open("Avocet", "Load")
        held, letting_go = [], []
        page.route("**/load?role=transmitter*", lambda route: route.continue_() if letting_go else held.append(route))
        page.get_by_role("radio", name=re.compile("^Receiver")).focus()
        page.keyboard.press("ArrowLeft")
        until(page.get_by_role("radio", name=re.compile("^Transmitter's end"))).to_be_checked()
        until(page.get_by_role("heading", name="Images for the Wisp Nest 900")).to_be_visible()
        until(page.get_by_text("Judging the images on the shelf…")).to_be_visible()
        images = page.get_by_role("radiogroup", name="Images for the Wisp Nest 900").get_by_role("radio")
        until(images).to_have_count(0)  # and not the receiver's, under the wrong name
        letting_go.append(True)
        for route in held:
            route.continue_()
        until(images.nth(1)).to_be_visible()
        page.keyboard.press("Tab")
        while not page.evaluate("document.activeElement.getAttribute('role') === 'radio'"):
            page.keyboard.press("Tab")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowUp")
        page.keyboard.press("ArrowDown")
        until(images.nth(1)).to_be_checked()
        until(images.nth(1)).to_contain_text("the transmitter's end is of the family Haar, the receiver of Fret")
        until(page.get_by_text(re.compile("The ends do not match then, until WISP 900 6.1.0 .* is on the receiver as well"))).to_be_visible()
        gimbal = page.get_by_role("img", name=re.compile("^right gimbal"))
        self.assertNotIn("100", gimbal.get_attribute("aria-label"), "the arrows chose an image and moved no stick")

    @in_browser
    def test_two_windows_see_one_job_and_only_one_of_them_may_begin_it(self, people):
        wren, teal = people.open("Avocet", "Load", "wren"), people.open("Avocet", "Load", "teal")
        for page in (wren, teal):
            page.get_by_role("radio", name="wisp-900-6.1.0-868.hex").click()
            choose(page, "Way in", ".*adapter")
        wren.get_by_role("button", name="Put the adapter on").click()
        until(teal.get_by_text("The Wisp 900 answers.")).to_be_visible()
        wren.get_by_role("button", name="Flash 6.1.0").click()
        until(teal.get_by_text("Flashing the Wisp 900")).to_be_visible()
        until(teal.get_by_role("button", name="Flash 6.1.0")).to_be_hidden()
        for page in (wren, teal):
            until(page.get_by_role("radio", name=re.compile("^Receiver: Wisp 900"))).to_contain_text("6.1.0")
            until(page.get_by_role("list", name="Flash log").get_by_role("listitem")).to_contain_text("done")
            until(page.get_by_role("radio", name="wisp-900-6.1.0-868.hex")).to_contain_text("runs now")

    @in_browser
    def test_a_craft_without_a_kit_says_what_is_missing(self, people):
        page = people.open("Dunlin", "Load")
        for hop in ("Load", "Bind"):
            go(page, hop)
            until(page.get_by_role("main")).to_contain_text("Still to choose: board, receiver, transmitter.")

    @in_browser
    def test_a_bind_that_firmware_forbids_leads_to_load(self, people):
        page = people.open("Avocet", "Bind")
        page.get_by_role("main").get_by_role("region", name="Receiver · Wisp 900").get_by_role("button", name="Make it forget").click()
        following = page.get_by_role("list", name="Steps").locator("[aria-current=step]")
        until(following).to_contain_text("Make the firmware of both ends fit")
        following.get_by_role("link", name="Load").click()
        page.get_by_role("heading", level=1, name="Load").wait_for()


class BindTest(BrowserTest):
    def ends(self, page, receiver):
        main = page.get_by_role("main")
        return main.get_by_role("region", name=re.compile("^Transmitter · ")), main.get_by_role("region", name=f"Receiver · {receiver}")

    def proven_by_off_and_on(self, page, transmitter, receiver):
        for end, away, back in ((receiver, "Remove supply", "Give supply"), (transmitter, "Switch off", "Switch on")):
            end.get_by_role("button", name=away).click()
            passes(OFF_S)
            end.get_by_role("button", name=back).click()
            passes(OFF_S)
        wait_coin(page, "Bind", RINGS)
        until(page.get_by_text(re.compile(r"receiver off [\d.]+ s, on [\d.]+ s · transmitter off .* · link back"))).to_be_visible()

    @in_browser
    def test_three_quick_power_cycles_and_a_link_phrase(self, people):
        page = people.open("Avocet", "Bind")
        transmitter, receiver = self.ends(page, "Wisp 900")
        receiver.get_by_role("button", name="Make it forget").click()
        wait_coin(page, "Bind", CRACKED)
        until(receiver.get_by_text("knows no transmitter")).to_be_visible()
        follows(page, receiver.get_by_role("button", name="Off and on three times").click, 6, OFF_S)
        until(receiver.get_by_text("in bind", exact=True)).to_be_visible()
        until(receiver.get_by_text(re.compile(r"\d+ s left"))).to_be_visible()
        transmitter.get_by_role("button", name="Bind", exact=True).click()
        until(receiver.get_by_text("just bound", exact=True)).to_be_visible()
        transmitter.get_by_role("button", name="Leave bind").click()
        self.proven_by_off_and_on(page, transmitter, receiver)

        choose(page, "Way to bind", "Link phrase on both ends")
        transmitter.get_by_role("textbox", name="Link phrase of the transmitter").fill("low water at noon")
        transmitter.get_by_role("textbox", name="Link phrase of the transmitter").press("Enter")
        until(findings_of(page)).to_contain_text("the transmitter sends the identity of its link phrase")
        receiver.get_by_role("textbox", name="Link phrase of the receiver").fill("low water at noon")
        receiver.get_by_role("button", name="Set the receiver's link phrase").click()
        until(page.get_by_text("linked, LQ").first).to_be_visible()
        self.proven_by_off_and_on(page, transmitter, receiver)

    @in_browser
    def test_register_first_bind_second_and_what_keeps_them_from_it(self, people):
        page = people.open("Sandpiper", "Bind")
        transmitter, receiver = self.ends(page, "Reed One")
        steps = page.get_by_role("list", name="Steps")
        receiver.get_by_role("button", name="Make it forget").click()
        until(steps.locator("[aria-current=step]")).to_contain_text("Hold its button at power-up: it shows amber, fast blink")
        receiver.get_by_role("button", name="Hold the button").click()
        receiver.get_by_role("button", name="Remove supply").click()
        passes(OFF_S)
        receiver.get_by_role("button", name="Give supply").click()
        until(receiver.get_by_text("registering", exact=True)).to_be_visible()
        receiver.get_by_role("button", name="Release the button").click()
        choose(page, "Distance", "right beside each other")
        until(page.get_by_text("nearer than 0.5 m the transmitter drowns the receiver")).to_be_visible()
        until(findings_of(page)).to_contain_text("The ends lie 0.1 m apart.")
        choose(page, "Distance", "two steps apart")
        transmitter.get_by_role("button", name="Register").click()
        until(receiver.get_by_text("registered, not bound yet")).to_be_visible()
        receiver.get_by_role("button", name="Remove supply").click()
        passes(OFF_S)
        receiver.get_by_role("button", name="Give supply").click()
        transmitter.get_by_role("button", name="Leave register").click()
        transmitter.get_by_role("button", name="Bind", exact=True).click()
        until(receiver.get_by_text("just bound", exact=True)).to_be_visible()
        transmitter.get_by_role("button", name="Leave bind").click()
        self.proven_by_off_and_on(page, transmitter, receiver)

    @in_browser
    def test_lights_model_memory_and_budget(self, people):
        page = people.open("Curlew", "Bind")
        wait_coin(page, "Bind", RINGS)
        lights = page.get_by_role("region", name="Lights")
        lights.get_by_role("button", name="Red, double blink.").click()
        until(lights.get_by_role("status")).to_contain_text("It waits in bind. Put the transmitter into bind")
        lights.get_by_role("button", name="Blue, steady.").click()
        until(lights.get_by_role("status")).to_contain_text("never shows that")

        choose(page, "Model memory", "^3$")
        until(findings_of(page)).to_contain_text("it was bound with model memory 1, and 3 is selected")
        wait_coin(page, "Bind", CRACKED)
        choose(page, "Model memory", "^1$")
        until(page.get_by_text("linked, LQ").first).to_be_visible()

        budget = page.get_by_role("region", name="Link budget")
        until(budget).to_contain_text("Allowed under LBT")
        before = budget.get_by_role("img").get_attribute("aria-label")
        budget.get_by_label("Transmitter gain").fill("12")
        budget.get_by_label("Transmitter gain").press("Enter")
        until(budget.get_by_role("img")).not_to_have_attribute("aria-label", before)
        until(findings_of(page)).to_contain_text("LBT allows 20.0")
