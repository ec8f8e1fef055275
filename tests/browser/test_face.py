"""What the screens let hands do in a way of their own: lines that are dragged, findings that open over the hop, mode bands by position, blockers that lead on."""

from __future__ import annotations

import re

from tests.browser.acts import RINGS, band_of, bench_of, drag, findings_of, go, mend, until, wait_coin
from tests.browser.base import BrowserTest, in_browser


def lines(page, name):
    return page.get_by_role("slider", name=name)


def expect_line(page, name, us):
    """Both stick fields show it there."""
    for at in (0, 1):
        until(lines(page, name).nth(at)).to_have_attribute("aria-valuenow", us if isinstance(us, re.Pattern) else str(us))


class StickLinesTest(BrowserTest):
    @in_browser
    def test_a_line_is_moved_by_key_typed_and_dragged_where_it_is_drawn(self, people):
        page = people.open("Curlew", "Sticks")
        expect_line(page, "Floor line", 1080)
        floor = lines(page, "Floor line").first
        floor.press("ArrowUp")
        expect_line(page, "Floor line", 1085)
        floor.press("PageDown")
        expect_line(page, "Floor line", 1060)
        until(page.get_by_role("button", name="1 setting differs from the board")).to_be_visible()

        floor.press("Enter")
        field = page.get_by_role("textbox", name="Floor line")
        until(field).to_be_focused()
        field.fill("1500")
        field.press("Enter")
        until(page.get_by_text("not taken: 900 to 1400 us")).to_be_visible()
        field.fill("1100")
        field.press("Enter")
        until(field).to_have_count(0)
        expect_line(page, "Floor line", 1100)
        floor.press("Enter")
        field.fill("1200")
        field.press("Escape")
        expect_line(page, "Floor line", 1100)

        ceiling = lines(page, "Ceiling line").nth(1)
        box = ceiling.bounding_box()
        page.mouse.move(box["x"] + 20, box["y"] + 9)
        page.mouse.down()
        page.mouse.move(box["x"] + 20, box["y"] + 29, steps=5)
        until(ceiling).to_have_attribute("aria-valuenow", re.compile(r"^18[012]\d$"))
        page.mouse.up()
        expect_line(page, "Ceiling line", re.compile(r"^18[012]\d$"))
        page.mouse.move(box["x"] + 20, box["y"] + 29)
        page.mouse.down()
        page.mouse.move(box["x"] + 20, box["y"] + 600, steps=5)
        page.mouse.up()
        expect_line(page, "Ceiling line", 1600)

    @in_browser
    def test_arrow_keys_on_a_line_leave_the_gimbals_alone(self, people):
        page = people.open("Curlew", "Sticks")
        place = page.locator("[data-gimbal=right]").get_attribute("data-at")
        lines(page, "Floor line").first.focus()
        page.keyboard.down("ArrowUp")
        expect_line(page, "Floor line", re.compile(r"^1(08[5-9]|09\d|[1-4]\d\d)$"))
        self.assertEqual(page.locator("[data-gimbal=right]").get_attribute("data-at"), place)
        page.keyboard.up("ArrowUp")

    @in_browser
    def test_deadbands_stand_beside_the_noise_that_they_are_for(self, people):
        page = people.open("Curlew", "Sticks")
        noise = page.get_by_role("table", name="At rest")
        yaw = noise.get_by_role("row", name=re.compile("^yaw")).get_by_label("Deadband of yaw")
        yaw.fill("101")
        until(page.get_by_text("not taken: 0 to 100 us")).to_be_visible()
        yaw.fill("4")
        yaw.press("Enter")
        both = noise.get_by_role("row", name=re.compile("^roll")).get_by_label("Deadband of roll and pitch")
        both.fill("3")
        both.press("Enter")
        page.get_by_role("button", name="2 settings differ from the board").click()
        told = page.get_by_role("dialog", name="Settings that differ")
        until(told.get_by_role("row", name=re.compile("^Deadband"))).to_have_count(2)
        page.keyboard.press("Escape")
        until(noise.get_by_role("row", name=re.compile("^throttle")).get_by_text("–").first).to_be_visible()


class StripTest(BrowserTest):
    @in_browser
    def test_the_gravest_stands_at_the_foot_and_the_rest_opens_over_the_hop_and_goes_again(self, people):
        page = people.open("Sandpiper", "Line")
        wait_coin(page, "Line", re.compile("^cracked"))
        strip = findings_of(page)
        everything = strip.locator("#all-findings")
        until(everything).to_be_hidden()
        until(strip.get_by_text("stop", exact=True).locator("visible=true")).to_have_count(1)
        height = strip.bounding_box()["height"]
        self.assertLessEqual(height, 46)
        hop = page.locator("#main-hop")
        before = hop.bounding_box()
        toggle = strip.locator("[aria-controls=all-findings]")
        toggle.click()
        until(everything).to_be_visible()
        self.assertEqual(hop.bounding_box(), before, "it lies over the hop, and moves nothing")
        until(strip.get_by_text(re.compile("Wrong elsewhere too|The signal stops elsewhere"))).to_be_visible()
        toggle.click()
        until(everything).to_be_hidden()

        page.keyboard.press("f")
        until(page.locator("[data-finding]:focus")).to_have_count(1)
        page.keyboard.press("Escape")
        until(everything).to_be_hidden()
        toggle.click()
        go(page, "Kit")
        page.get_by_role("heading", level=1, name="Kit").wait_for()
        until(everything).to_be_hidden()

    @in_browser
    def test_a_hop_without_findings_says_what_comes_next(self, people):
        page = people.open("Curlew", "Lost link")
        strip = findings_of(page)
        until(strip).to_contain_text("Nothing is wrong here so far. To be seen: Armed, props off")
        strip.get_by_role("button", name="What comes next").click()
        until(strip.locator("#all-findings")).to_contain_text("with pack, transmitter, armed, props off")
        go(page, "Sticks")
        until(strip).to_contain_text("Nothing is wrong here: this hop is proven.")
        until(strip.get_by_role("button")).to_have_count(0)


class PositionsTest(BrowserTest):
    @in_browser
    def test_a_mode_is_put_where_the_switch_rests_and_what_was_learned_is_told(self, people):
        page = people.open("Curlew", "Switchboard")
        row = page.get_by_role("group", name="Mode band of horizon")
        until(row.get_by_role("button", name="mid", exact=True)).to_have_attribute("aria-pressed", "true")
        until(row.get_by_label("From")).to_have_count(0)
        row.get_by_role("button", name="high", exact=True).click()
        until(row.get_by_role("button", name="high", exact=True)).to_have_attribute("aria-pressed", "true")
        until(row.get_by_role("button", name=re.compile("^Type exactly where horizon begins and ends: 1750 to 2150 us"))).to_be_visible()
        laid_open = band_of(page, "horizon")
        laid_open.get_by_label("To").fill("2100")
        laid_open.get_by_label("To").press("Enter")
        until(row.get_by_role("button", name=re.compile("1750 to 2100 us"))).to_have_count(0)
        until(row.get_by_role("button", name="high", exact=True)).to_have_attribute("aria-pressed", "true")
        laid_open.get_by_label("From").fill("2050")
        laid_open.get_by_label("From").press("Enter")
        until(row.get_by_role("button", name="high", exact=True)).to_have_attribute("aria-pressed", "false")
        until(page.get_by_role("group", name="Mode band of arm").get_by_role("button", name="high", exact=True)).to_have_attribute("aria-pressed", "true")
        row.get_by_role("button", name="Remove the mode band of horizon").click()
        until(row).to_have_count(0)
        until(page.get_by_text("The figure at a mode band's edge is its clearance")).to_be_visible()

    @in_browser
    def test_modes_stand_under_what_they_are_for_with_what_they_need(self, people):
        page = people.open("Curlew", "Switchboard")
        page.get_by_role("combobox", name="Add a mode").click()
        options = page.get_by_role("listbox")
        for kind in ("what the sticks mean", "where it stays", "helpers"):
            until(options.get_by_text(kind, exact=True)).to_be_visible()
        until(page.get_by_role("option", name=re.compile("^return home flies back .*; needs gyro, accelerometer, GPS, a GPS fix"))).to_be_enabled()
        until(page.get_by_role("option", name=re.compile("^loiter .*it is not for a quad X"))).to_be_disabled()
        page.keyboard.press("Escape")


class LeadsOnTest(BrowserTest):
    @in_browser
    def test_a_blocker_leads_to_the_hop_at_which_it_is_found_out(self, people):
        page = people.open("Curlew", "Switchboard")
        wait_coin(page, "Switchboard", RINGS)
        bench_of(page).get_by_role("switch", name="USB").click()
        drag(page, "left", [(0, 0)])
        blockers = page.get_by_role("list", name="Blockers").get_by_role("listitem")
        until(blockers).to_have_count(2)
        until(blockers.nth(0)).to_contain_text("bench link: USB is plugged in")
        until(blockers.nth(1)).to_contain_text("throttle not low")
        blockers.nth(1).get_by_role("link", name="Sticks").click()
        page.get_by_role("heading", level=1, name="Sticks").wait_for()

    @in_browser
    def test_the_folded_bench_says_what_it_shows(self, people):
        page = people.open("Curlew", "Kit")
        folded = page.get_by_role("button", name=re.compile("^Bench"))
        until(folded).to_have_text("Bench · disarmed · link good")
        page.keyboard.press("1")
        until(folded).to_have_text("Bench · armed · link good")
        page.keyboard.press("x")
        until(folded).to_have_text(re.compile("link lost: fallback"))
        folded.click()
        until(bench_of(page).get_by_text("bench has no props")).to_be_visible()

    @in_browser
    def test_fields_of_an_own_part_are_called_as_people_call_them(self, people):
        page = people.sign_in()
        page.get_by_role("link", name="parts").click()
        page.get_by_role("link", name="Wisp 24").click()
        page.get_by_role("button", name="Copy as own part").click()
        for label in ("marks lost frames", "gives the link up after, s", "noise figure, dB"):
            until(page.get_by_label(label, exact=True)).to_be_visible()
        page.get_by_role("button", name="Cancel").click()

    @in_browser
    def test_one_fault_is_told_alike_at_each_hop(self, people):
        page = people.open("Avocet", "Port plan")
        until(findings_of(page)).to_contain_text("The receiver and the ESC both use U4 (pad R4).")
        go(page, "Loom")
        until(findings_of(page)).to_contain_text("The receiver and the ESC both use pad R4: receiver TX and ESC TLM drive it against each other.")
        go(page, "Port plan")
        mend(page, "Work it out: another port may be free for one of them", "link")
        until(page.get_by_role("listitem", name="Move ESC to R7")).to_be_visible()
