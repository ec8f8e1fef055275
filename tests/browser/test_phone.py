"""In the hand: a screen of 390 by 844, by touch alone."""

from __future__ import annotations

import re

from linkcore.hops.registry import HOPS
from tests import live
from tests.browser.acts import bench_of, looked_at, until
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious
from tests.browser.losing import is_proven

WIDTH = 390


class Fingers:
    """On the glass, each at (x, y) by the name of what it lies on."""

    def __init__(self, page):
        self._glass = page.context.new_cdp_session(page)

    def __call__(self, kind, **places):
        points = [{"x": x, "y": y, "id": number} for number, (x, y) in enumerate(places.values())]
        self._glass.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})


def middle(box, x=0.0, y=0.0):
    """A place in a gimbal: x and y from -1 to 1, up is up."""
    return box["x"] + box["width"] * (0.5 + 0.37 * x), box["y"] + box["height"] * (0.5 - 0.37 * y)


class PhoneTest(BrowserTest):
    @in_browser
    def test_curlews_lost_link_is_proven_by_touch(self, people):
        people.screen = live.PHONE
        page = people.sign_in()
        page.get_by_role("link", name="Curlew", exact=True).tap()
        page.get_by_role("heading", level=1, name="Lost link").wait_for()
        page.wait_for_selector("[data-ready]")
        looked_at(page)
        coins = page.get_by_role("navigation", name="Chain")
        until(coins.get_by_role("link", name="Lost link")).to_be_in_viewport()
        until(coins.get_by_role("link", name="Kit")).not_to_be_in_viewport()

        bench = bench_of(page)
        bench.get_by_role("button", name=re.compile("^Bench")).tap()
        until(page.get_by_role("button", name="Transmitter off")).to_be_in_viewport()  # the hop stays in sight above the sheet
        boxes = {side: page.locator(f"[data-gimbal={side}]").bounding_box() for side in ("left", "right")}
        bench.get_by_role("slider", name="Switch S1").locator("[data-position=high]").tap()
        until(bench.get_by_text("armed", exact=True)).to_be_attached()
        touch = Fingers(page)
        touch("touchStart", left=middle(boxes["left"], 0, -1), right=middle(boxes["right"]))
        touch("touchMove", left=middle(boxes["left"], 0, 0.2), right=middle(boxes["right"], 0.5, 0))
        until(page.locator("[data-gimbal=left]")).to_have_attribute("data-at", re.compile(r"^-?0\.\d\d 0\.[12]\d$"))
        until(page.locator("[data-gimbal=right]")).to_have_attribute("data-at", re.compile(r"^0\.[45]\d "))
        touch("touchEnd")
        until(page.locator("[data-gimbal=right]")).to_have_attribute("data-at", re.compile(r"^-?0\.00 "))
        until(page.locator("[data-gimbal=left]")).to_have_attribute("data-at", re.compile(r" 0\.[12]\d$"))  # throttle stays where it is left

        page.get_by_role("button", name="Transmitter off").tap()
        until(page.get_by_label("Board's log")).to_contain_text("link lost: grace is over")
        until(bench.get_by_text("disarmed", exact=True)).to_be_attached()
        bench.get_by_role("button", name="fold away").tap()
        until(bench.get_by_role("button", name=re.compile("disarmed · link lost"))).to_be_visible()
        page.get_by_role("button", name="Transmitter on").tap()
        is_proven(page, "link back, arm switch on")
        until(page.get_by_text("The board reacted as predicted")).to_be_visible()

    @in_browser
    def test_a_wire_is_rung_out_and_a_picture_panned_and_made_larger(self, people):
        people.screen = live.PHONE
        page = people.open("Avocet", "Loom")
        pans = page.get_by_role("group", name="Drawing, to pan")
        wide = pans.evaluate("element => element.scrollWidth")
        self.assertGreater(wide, WIDTH)
        page.get_by_role("button", name="Drawing larger").tap()
        page.wait_for_function(f"() => document.querySelector('[data-pans]').scrollWidth > {wide}")
        page.get_by_role("button", name="Drawing smaller").tap()
        page.get_by_role("button", name="Drawing smaller").tap()
        page.wait_for_function(f"() => document.querySelector('[data-pans]').scrollWidth <= {WIDTH}")
        until(page.get_by_role("button", name="Drawing smaller")).to_be_disabled()
        page.get_by_role("navigation", name="Further down").get_by_role("button", name="Wire list").tap()
        rings = page.get_by_role("button", name="GPS TX to R1 rings")
        page.get_by_label("Your initials").fill("wr")
        rings.tap()
        until(page.get_by_role("button", name=re.compile("^GPS TX to R1 rung out: wr"))).to_be_visible()

    @in_browser
    def test_the_board_is_written_from_its_menu_and_answers(self, people):
        people.screen = live.PHONE
        page = people.open("Curlew", "Lost link")
        page.get_by_label("Board's grace").fill("300")
        page.get_by_label("Board's grace").press("Enter")
        page.get_by_role("button", name="Board: to do").tap()
        menu = page.get_by_role("dialog", name="Draft and board")
        until(menu.get_by_text("1 setting differs from the board")).to_be_visible()
        menu.get_by_role("button", name="Write to board").tap()
        until(menu).to_have_count(0)
        until(page.get_by_role("status").filter(has_text=re.compile("written|read back"))).to_be_in_viewport()
        page.get_by_role("button", name="Board", exact=True).tap()
        until(menu.get_by_text("draft is on the board")).to_be_visible()

    @in_browser
    def test_every_screen_fits_and_nothing_in_it_is_serious(self, people):
        people.screen = live.PHONE
        page = people.sign_in()
        self._looks_well(page, "crafts")
        for craft, hops in (("Curlew", HOPS), ("Sandpiper", [hop for hop in HOPS if hop.key in ("line", "sticks")])):
            page = people.open(craft, hops[0].title)
            for hop in hops:
                page.get_by_role("navigation", name="Chain").get_by_role("link", name=hop.title).tap()
                page.locator("#main-hop").get_by_role("heading", level=1, name=hop.title).wait_for()
                page.wait_for_function("() => document.querySelector('[aria-label=Findings]').innerText.length > 5")
                self._looks_well(page, f"{craft}, {hop.title}")
        bench_of(page).get_by_role("button", name=re.compile("^Bench")).tap()
        self._looks_well(page, "the bench")

    def _looks_well(self, page, where):
        nothing_serious(self, page, f"{where}, in the hand")
        wide = page.evaluate("[document.documentElement.scrollWidth, document.querySelector('#main-hop')?.scrollWidth ?? 0]")
        self.assertLessEqual(max(wide), WIDTH, f"{where} scrolls sideways")
