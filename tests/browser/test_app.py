from __future__ import annotations

import re
from pathlib import Path

from linkcore.hops.registry import HOPS as EVERY_HOP
from tests.browser.acts import band_of, go, mend, until, wait_coin
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious
from tests.browser.losing import arm, is_proven, lose_while_armed, prove_the_rest, throttle_up

HOPS = tuple(hop.title for hop in EVERY_HOP)
CAPTURES = Path(__file__).resolve().parent.parent / "captures"


class AccessTest(BrowserTest):
    @in_browser
    def test_signing_in_and_what_each_workshop_sees(self, people):
        page = people.page()
        page.goto(people.address)
        nothing_serious(self, page, "sign-in")
        page.get_by_label("Name").fill("wren")
        page.get_by_label("Password").fill("wrong")
        page.get_by_role("button", name="Sign in").click()
        until(page.get_by_role("alert")).to_have_text("name and password do not belong together")
        crafts = people.sign_in_by_form("wren")
        until(crafts.get_by_role("link", name="Avocet")).to_be_visible()
        until(crafts.get_by_text("The receiver and the ESC both use U4 (pad R4).")).to_be_visible()
        nothing_serious(self, crafts, "crafts")
        craft_address = crafts.get_by_role("link", name="Curlew").get_attribute("href")
        other = people.sign_in_by_form("dipper")
        until(other.get_by_role("region", name="A sample craft")).to_be_visible()
        other.goto(people.address + craft_address)
        until(other.get_by_text("there is no such craft in your workshops")).to_be_visible()

    @in_browser
    def test_every_screen_is_accessible(self, people):
        for craft, hops in (("Curlew", HOPS), ("Avocet", HOPS[1:5]), ("Dunlin", HOPS[:4])):
            page = people.open(craft, "Kit")
            for hop in hops:
                go(page, hop)
                page.wait_for_function("() => document.querySelector('[aria-label=Findings]').innerText.length > 5")
                nothing_serious(self, page, f"{craft}, {hop}")
        page.get_by_role("button", name="Keyboard shortcuts").click()
        until(page.get_by_role("dialog")).to_be_visible()
        nothing_serious(self, page, "shortcuts")


class SliceTest(BrowserTest):
    """From a clash to a craft that drops when its link dies, by hand and by key."""

    @in_browser
    def test_avocet_is_mended_written_flown_and_its_link_lost(self, people):
        page = people.open("Avocet", "Port plan")
        wait_coin(page, "Port plan", re.compile("^cracked"))
        until(page.get_by_role("region", name="Findings")).to_contain_text("The receiver and the ESC both use U4 (pad R4).")
        wait_coin(page, "Loom", re.compile("^cracked"))
        page.get_by_role("button", name="Work it out").click()
        best = page.get_by_role("list", name="Plans").get_by_role("listitem", name="Move ESC to R7")
        until(best).to_contain_text("U7 has only R7, and one pad is enough here, so full ports stay free.")
        until(best).to_contain_text("ESC TLM: R4 → R7")
        until(best).to_contain_text("job U7: free → ESC telemetry")
        best.get_by_role("button", name="Take this plan").click()
        page.get_by_role("button", name="1 setting differs from the board").click()
        until(page.get_by_role("dialog")).to_contain_text("U7 job")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Write to board").click()
        until(page.get_by_text("restart due")).to_be_visible()
        page.get_by_role("button", name="Restart board").click()
        wait_coin(page, "Port plan", re.compile("^rings true"))
        go(page, "Line")
        wait_coin(page, "Line", re.compile("^rings true"))
        until(page.get_by_text("CRSF, not inverted, 420000 baud, 8N1")).to_be_visible()

        page.keyboard.press("]")
        page.get_by_role("heading", level=1, name="Sticks").wait_for()
        roll = page.get_by_role("row", name=re.compile("^roll"))
        page.keyboard.down("ArrowRight")
        until(roll.get_by_role("cell").nth(3 + 1)).to_have_text(re.compile(r"^(199\d|200\d)$"))
        page.keyboard.up("ArrowRight")
        until(roll.get_by_role("cell").nth(1)).to_have_text(re.compile(r"^(149\d|150\d)$"))
        page.keyboard.down("ArrowLeft")
        held = roll.get_by_text("let it rest in the middle").or_(roll.get_by_text("off the centre"))  # a hand that hesitates on the way rests there
        until(roll.get_by_text("reaches both lines, rests in the middle").or_(held)).to_be_visible()
        page.keyboard.up("ArrowLeft")
        until(roll.get_by_text("reaches both lines, rests in the middle")).to_be_visible()

        page.keyboard.press("]")
        page.get_by_role("heading", level=1, name="Switchboard").wait_for()
        bench = page.get_by_role("complementary", name="Bench")
        page.keyboard.press("2")
        until(bench.get_by_text("angle", exact=True)).to_be_visible()
        page.keyboard.press("1")
        until(bench.get_by_text("armed", exact=True)).to_be_visible()

        go(page, "Lost link")
        throttle_up(page)
        page.keyboard.press("x")
        until(bench.get_by_text("link lost: fallback")).to_be_visible()
        until(page.get_by_label("Board's log")).to_contain_text("response: land")
        is_proven(page, "armed, throttle up")
        page.keyboard.press("x")
        until(page.get_by_text("The link is back and the board goes on by itself: move a stick, and it must obey.")).to_be_visible()
        page.keyboard.down("ArrowRight")
        is_proven(page, "link back, arm switch on")
        page.keyboard.up("ArrowRight")
        until(page.get_by_text("stayed armed, and obeyed the sticks once they had moved")).to_be_visible()

    @in_browser
    def test_curlews_last_proof_and_what_tarnishes_it(self, people):
        page = people.open("Curlew", "Lost link")
        bench = page.get_by_role("complementary", name="Bench")
        for hop in HOPS[: HOPS.index("Lost link")]:
            wait_coin(page, hop, re.compile("^rings true"))
        wait_coin(page, "Lost link", re.compile("^blank"))
        arm(page)
        lose_while_armed(page)
        is_proven(page, "armed, throttle up")
        page.get_by_role("button", name="Transmitter on").click()
        is_proven(page, "link back, arm switch on")
        until(page.get_by_text("The board reacted as predicted and stayed disarmed when the link came back.")).to_be_visible()
        wait_coin(page, "Lost link", re.compile("^blank"))
        until(page.get_by_role("region", name="Proofs")).to_contain_text("2 of 6")
        prove_the_rest(page)
        wait_coin(page, "Lost link", re.compile("^rings true"))
        page.keyboard.press("1")
        until(bench.get_by_text("disarmed", exact=True)).to_be_visible()
        page.get_by_label("Board's grace").fill("815")
        page.get_by_label("Board's grace").press("Enter")
        until(page.get_by_role("button", name="1 setting differs")).to_be_visible()
        page.get_by_role("button", name="Write to board").click()
        wait_coin(page, "Lost link", re.compile("^tarnished"))
        page.get_by_role("button", name="1 setting differs").click()
        until(page.get_by_role("dialog")).to_contain_text("820")
        page.keyboard.press("Escape")
        wait_coin(page, "Switchboard", re.compile("^rings true"))

    @in_browser
    def test_a_switch_band_is_set_around_its_detent(self, people):
        page = people.open("Curlew", "Switchboard")
        horizon = band_of(page, "horizon")
        horizon.get_by_role("button", name="high", exact=True).click()
        until(horizon.get_by_label("From")).to_have_value("1750")
        until(page.get_by_role("button", name=re.compile("differ from the board"))).to_be_visible()
        page.get_by_role("button", name="Write to board").click()
        until(page.get_by_text("draft is on the board")).to_be_visible()
        wait_coin(page, "Switchboard", re.compile("^tarnished"))
        page.keyboard.press("2")
        page.keyboard.press("2")
        until(page.get_by_role("complementary", name="Bench").get_by_text("horizon", exact=True)).to_be_visible()

    @in_browser
    def test_from_nothing_to_a_signal(self, people):
        page = people.sign_in("dipper")
        page.get_by_role("button", name="New craft").click()
        page.get_by_label("Name").fill("Dabchick")
        for label, option in (("Board", "Merle F7"), ("Receiver", "Pip S8"), ("Transmitter", "Harrow 16")):
            page.get_by_role("combobox", name=label).click()
            page.get_by_role("option", name=re.compile(option)).click()
        page.get_by_role("button", name="Make the craft").click()
        page.get_by_role("heading", level=1, name="Kit").wait_for()
        wait_coin(page, "Port plan", re.compile("^blank"))
        go(page, "Port plan")
        device = page.get_by_role("button", name="Device receiver, Pip S8")
        device.focus()
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Solder receiver to R3").click()
        mend(page, re.compile("^Read SBUS"))
        until(page.get_by_role("button", name=re.compile("3 settings differ"))).to_be_visible()
        page.get_by_role("button", name="Write to board").click()
        until(page.get_by_text("restart due")).to_be_visible()
        page.get_by_role("button", name="Restart board").click()

        # a new receiver knows nobody: it is bound by its button, two steps from the transmitter
        wait_coin(page, "Bind", re.compile("^cracked"))
        go(page, "Bind")
        receiver = page.get_by_role("region", name="Receiver · Pip S8").first
        receiver.get_by_role("button", name="Remove supply").click()
        receiver.get_by_role("button", name="Hold the button").click()
        people.passes(0.5)
        receiver.get_by_role("button", name="Give supply").click()
        until(receiver.get_by_text("in bind", exact=True)).to_be_visible()
        receiver.get_by_role("button", name="Release the button").click()
        page.get_by_role("button", name="Bind", exact=True).click()
        until(receiver.get_by_text("just bound", exact=True)).to_be_visible()
        page.get_by_role("button", name="Leave bind").click()
        receiver.get_by_role("button", name="Remove supply").click()
        people.passes(0.5)
        receiver.get_by_role("button", name="Give supply").click()
        wait_coin(page, "Line", re.compile("^rings true"))


class TogetherTest(BrowserTest):
    @in_browser
    def test_two_browsers_share_the_bench_and_no_edit_vanishes(self, people):
        wren = people.open("Curlew", "Sticks", "wren")
        teal = people.open("Curlew", "Lost link", "teal")
        gimbal = wren.get_by_role("img", name=re.compile("^right gimbal"))
        box = gimbal.bounding_box()
        wren.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        wren.mouse.down()
        wren.mouse.move(box["x"] + box["width"] - 2, box["y"] + 2)
        go(teal, "Sticks")
        until(teal.get_by_role("row", name=re.compile("^roll")).get_by_role("cell").nth(1)).to_have_text(re.compile(r"^(199\d|200\d)$"))
        wren.mouse.up()
        until(teal.get_by_role("row", name=re.compile("^roll")).get_by_role("cell").nth(1)).to_have_text(re.compile(r"^(149\d|150\d)$"))

        go(wren, "Lost link")
        go(teal, "Lost link")
        # teal's page must not hear of wren's save before teal saves: hold its answers back
        teal.route("**/api/crafts/*", lambda route: route.abort() if route.request.method == "GET" else route.continue_())
        wren.get_by_label("Board's grace").fill("500")
        wren.get_by_label("Board's grace").press("Enter")
        until(wren.get_by_role("button", name="1 setting differs")).to_be_visible()
        teal.get_by_label("Board's grace").fill("700")
        teal.unroute("**/api/crafts/*")
        teal.get_by_label("Board's grace").press("Enter")
        until(teal.get_by_role("alert").get_by_text("wren has saved this draft meanwhile")).to_be_visible()
        until(teal.get_by_role("alert")).to_contain_text("Grace: was 200 ms; you say 700 ms; they say 500 ms")
        teal.get_by_role("button", name="Make my change on top").click()
        until(wren.get_by_label("Board's grace")).to_have_value("700")
        people.troubles.clear()  # the browser itself logs the requests that were held back

    @in_browser
    def test_a_save_that_fails_is_kept_and_tried_again(self, people):
        page = people.open("Curlew", "Lost link")
        page.route("**/draft", lambda route: route.abort())
        page.get_by_label("Board's grace").fill("500")
        page.get_by_label("Board's grace").press("Enter")
        until(page.get_by_role("alert").get_by_text("Not saved yet")).to_be_visible()
        go(page, "Line")
        until(page.get_by_role("alert").filter(has_text="Not saved yet")).to_contain_text(
            re.compile(r"Your change waits since [\d:]+ \(\d+ s\) and is sent by itself")
        )
        page.unroute("**/draft")
        until(page.get_by_role("button", name="1 setting differs")).to_be_visible()
        people.troubles.clear()  # the browser itself logs the request that was broken off
