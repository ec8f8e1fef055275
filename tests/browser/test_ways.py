"""Ways through the app: by key, by address, by what a finding offers, and as whom."""

from __future__ import annotations

import re

from linkcore.hops.registry import HOPS
from tests.browser.acts import RINGS, band_of, findings_of, go, mend, until, wait_coin
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious


class RolesTest(BrowserTest):
    @in_browser
    def test_a_checker_rings_wires_and_edits_nothing(self, people):
        page = people.open("Curlew", "Loom", "heron")
        until(page.get_by_role("banner")).to_contain_text("heron, checker")
        until(page.get_by_role("button", name="Restart board")).to_be_disabled()
        rung = page.get_by_role("button", name=re.compile("^GPS RX to T1 rung out"))
        rung.click()
        page.get_by_label("Your initials").fill("hn")
        page.get_by_role("button", name="GPS RX to T1 rings").click()
        until(page.get_by_role("button", name=re.compile("^GPS RX to T1 rung out: hn"))).to_be_visible()
        page.get_by_role("button", name="Remove the wire of GPS RX").click()
        until(page.get_by_role("alert")).to_contain_text("You are a checker in this workshop; builders and owners edit.")
        until(page.get_by_text("29 of 29 rung out")).to_be_visible()
        page.goto(people.address)
        until(page.get_by_role("link", name="people")).to_be_visible()
        until(page.get_by_role("button", name="New craft")).to_have_count(0)

    @in_browser
    def test_an_owner_gives_roles_and_a_workshop_keeps_one_owner(self, people):
        page = people.sign_in("wren")
        page.get_by_role("link", name="people").click()
        page.get_by_label("Role of wren").click()
        page.get_by_role("option", name="reader").click()
        until(page.get_by_role("alert")).to_contain_text("wren is the last owner of Saltings Field Crew; make somebody else an owner first")
        page.get_by_label("Role of teal").click()
        page.get_by_role("option", name="reader").click()
        until(page.get_by_role("listitem").filter(has_text="teal")).to_contain_text("reads")
        teal = people.open("Curlew", "Switchboard", "teal")
        until(teal.get_by_role("banner")).to_contain_text("teal, reader: you look on")
        teal.keyboard.press("3")
        until(teal.get_by_role("alert")).to_contain_text("you are a reader in this workshop")
        page.get_by_label(re.compile(r"^Name\s*\*?$")).fill("grebe")
        page.get_by_role("button", name="Add").click()
        until(page.get_by_role("alert")).to_contain_text("nobody is called grebe yet; give a first password")
        page.get_by_label(re.compile(r"^Name\s*\*?$")).fill("heron")
        until(page.get_by_role("alert")).to_have_count(0)


class KeysTest(BrowserTest):
    @in_browser
    def test_findings_hops_and_the_board_by_key(self, people):
        page = people.open("Avocet", "Kit")
        page.keyboard.press("f")
        page.get_by_role("heading", level=1, name="Port plan").wait_for()
        until(page.locator("[data-finding]:focus")).to_contain_text("The receiver and the ESC both use U4 (pad R4).")
        page.keyboard.press("f")
        page.get_by_role("heading", level=1, name="Loom").wait_for()
        until(page.locator("[data-finding]:focus")).to_contain_text(
            "The receiver and the ESC both use pad R4: receiver TX and ESC TLM drive it against each other."
        )
        curlew = people.open("Curlew", "Kit")
        wait_coin(curlew, "Switchboard", RINGS)
        curlew.keyboard.press("n")
        curlew.get_by_role("heading", level=1, name="Lost link").wait_for()
        curlew.get_by_label("Board's grace").fill("500")
        curlew.get_by_label("Board's grace").press("Enter")
        until(curlew.get_by_role("button", name="1 setting differs")).to_be_visible()
        curlew.get_by_role("heading", level=1, name="Lost link").click()
        curlew.keyboard.press("p")
        until(curlew.get_by_text("draft is on the board")).to_be_visible()
        curlew.keyboard.press("Shift+R")
        until(curlew.get_by_role("status").filter(has_text="restarting")).to_be_visible()
        curlew.keyboard.press("r")
        until(curlew.get_by_role("status").filter(has_text="read back")).to_be_visible()

    @in_browser
    def test_the_first_tabs_lead_past_what_is_always_the_same_and_digits_work_with_a_list_in_focus(self, people):
        page = people.open("Curlew", "Switchboard")
        page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        for _ in range(12):
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.closest('main') !== null && document.activeElement.getAttribute('role') === 'combobox'"):
                break
        self.assertEqual(page.evaluate("document.activeElement.getAttribute('role')"), "combobox", "a list is a few tabs away")
        page.keyboard.press("3")
        until(page.get_by_role("slider", name="Switch S3")).to_have_attribute("aria-valuetext", "mid")


class ActingMendsTest(BrowserTest):
    @in_browser
    def test_a_mend_is_a_button_that_leads_or_acts_or_else_a_sentence(self, people):
        page = people.open("Avocet", "Port plan")
        mend(page, "Work it out: another port may be free for one of them", "link")
        until(page.get_by_role("listitem", name="Move ESC to R7")).to_be_visible()
        until(findings_of(page).get_by_role("button", name=re.compile("^(?!Why|All|Close)"))).to_have_count(0)
        page.get_by_role("listitem", name="Move ESC to R7").get_by_role("button", name="Take this plan").click()
        until(
            page.get_by_role("button", name=re.compile("differs? from the board"))
        ).to_be_visible()  # the bench knows the plan: what it tells of a hop is not taken away under an open list
        go(page, "Lost link")
        go(page, "Bind")
        page.get_by_role("combobox", name="Distance").click()
        page.get_by_role("option", name="right beside each other").click()
        mend(page, "Put them two steps apart")
        until(page.get_by_role("combobox", name="Distance")).to_contain_text("two steps apart")

    @in_browser
    def test_what_the_draft_mends_is_written_and_restarted_from_the_finding(self, people):
        page = people.open("Curlew", "Switchboard")
        band_of(page, "angle").get_by_label("From").fill("1100")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Write to board").click()
        wait_coin(page, "Switchboard", re.compile("^cracked"))
        mend(page, "Set the mode band to 850 to 1250 us")
        mend(page, "Mended in the draft: write it to the board")
        until(page.get_by_text("draft is on the board")).to_be_visible()
        until(findings_of(page)).not_to_contain_text("misses every detent")

    @in_browser
    def test_a_rounded_setting_is_taken_from_the_board(self, people):
        page = people.open("Curlew", "Lost link")
        page.get_by_label("Board's grace").fill("437")
        until(page.get_by_text("kept as 440")).to_be_visible()
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Write to board").click()
        page.get_by_role("button", name="1 setting differs").click()
        told = page.get_by_role("dialog", name="Settings that differ")
        until(told).to_contain_text("the board keeps it in steps of its own")
        told.get_by_role("button", name="Take the board's Grace").click()
        until(page.get_by_role("textbox", name="Board's grace")).to_have_value("440")
        until(page.get_by_text("draft is on the board")).to_be_visible()


class AddressTest(BrowserTest):
    @in_browser
    def test_what_is_looked_at_in_line_stands_in_the_address(self, people):
        page = people.open("Curlew", "Line")
        page.get_by_role("button", name="Record the last 10 s").click()
        until(page.get_by_role("button", name="Recordings")).to_be_visible()
        until(page).to_have_url(re.compile(r"/line\?recording="))
        page.get_by_role("button", name="Recordings").click()
        until(page).to_have_url(re.compile(r"/line\?look=recordings"))
        page.go_back()
        until(page).to_have_url(re.compile(r"/line\?recording="))
        page.reload()
        until(page.get_by_role("button", name="Recordings")).to_be_visible()
        page.go_back()
        until(page.get_by_role("button", name="Record the last 10 s")).to_be_visible()

    @in_browser
    def test_each_coin_of_the_list_leads_to_its_hop(self, people):
        page = people.sign_in()
        page.get_by_role("listitem").filter(has_text="Avocet").get_by_role("link", name="Loom").click()
        page.get_by_role("heading", level=1, name="Loom").wait_for()
        until(page).to_have_url(re.compile("/loom$"))


class FirstTimeTest(BrowserTest):
    @in_browser
    def test_each_hop_tells_on_demand_what_it_is_for_and_in_which_order(self, people):
        page = people.open("Curlew", "Kit")
        for hop in HOPS:
            go(page, hop.title)
            page.get_by_role("heading", level=1, name=hop.title).wait_for()
            page.get_by_role("button", name="What is this for?").click()
            told = page.get_by_role("region", name="What this hop is for")
            until(told.get_by_role("listitem")).to_have_count(3)
            self.assertEqual(len(re.findall(r"[.](?: |$)", told.evaluate("each => each.firstChild.textContent"))), 3, hop.title)
            page.get_by_role("button", name="Close", exact=True).first.click()
            until(told).to_be_hidden()


class NarrowTest(BrowserTest):
    @in_browser
    def test_at_1024_by_700_nothing_has_to_be_scrolled_sideways_and_the_bench_unfolds_over_the_hop(self, people):
        page = people.open("Curlew", "Kit")
        page.set_viewport_size({"width": 1024, "height": 700})
        try:
            for hop in HOPS:
                go(page, hop.title)
                page.locator("#main-hop").get_by_role("heading", level=1).wait_for()
                wide = page.evaluate(
                    "[document.documentElement.scrollWidth - innerWidth, (({ scrollWidth, clientWidth }) => scrollWidth - clientWidth)(document.querySelector('#main-hop'))]"
                )
                self.assertLessEqual(max(wide), 0, (hop.title, wide))
                self.assertEqual(page.evaluate("document.documentElement.scrollHeight - innerHeight"), 0, (hop.title, "the hop scrolls, not the page"))
            page.get_by_role("button", name=re.compile("^Bench · disarmed")).click()
            until(page.get_by_role("switch", name="Transmitter on")).to_be_visible()
            page.get_by_role("button", name="fold away B").click()
            until(page.get_by_role("switch", name="Transmitter on")).to_be_hidden()
        finally:
            page.set_viewport_size({"width": 1280, "height": 800})


class DarkTest(BrowserTest):
    @in_browser
    def test_the_theme_follows_the_system_until_it_is_chosen_and_nothing_in_it_is_serious(self, people):
        page = people.open("Curlew", "Sticks")
        ground = "getComputedStyle(document.body).backgroundColor"
        light = page.evaluate(ground)
        page.emulate_media(color_scheme="dark")
        try:
            page.wait_for_function(f"() => {ground} !== '{light}'")
            for hop in HOPS:
                go(page, hop.title)
                page.locator("#main-hop").get_by_role("heading", level=1).wait_for()
                nothing_serious(self, page, f"{hop.title}, dark")
            page.get_by_role("button", name="Theme: as the system has it. Change to light").click()
            page.wait_for_function(f"() => {ground} === '{light}'")
            page.reload()
            page.get_by_role("button", name="Theme: light. Change to dark").click()
            page.wait_for_function(f"() => {ground} !== '{light}'")
            page.get_by_role("button", name="Theme: dark. Change to as the system has it").click()
        finally:
            page.emulate_media(color_scheme="light")
            page.evaluate("localStorage.clear()")
