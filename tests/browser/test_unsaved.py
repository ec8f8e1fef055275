"""Work that is not saved yet, and work that two people do at once."""

from __future__ import annotations

import re

from tests.browser.acts import go, until
from tests.browser.base import BrowserTest, in_browser


class TwoWindowsTest(BrowserTest):
    @in_browser
    def test_a_plan_that_was_worked_out_for_an_older_draft_never_lands_on_the_newer(self, people):
        wren, teal = people.open("Avocet", "Port plan", "wren"), people.open("Avocet", "Kit", "teal")
        wren.get_by_role("button", name="Work it out").click()
        plan = wren.get_by_role("listitem", name="Move ESC to R7")
        until(plan.get_by_role("button", name="Take this plan")).to_be_enabled()
        # wren's page must not hear of teal's save before the plan is taken
        wren.route("**/api/crafts/*", lambda route: route.abort() if route.request.method == "GET" else route.continue_())
        teal.get_by_role("button", name="Rename GPS").click()
        teal.get_by_label("Name of GPS").fill("mast GPS")
        teal.get_by_label("Name of GPS").press("Enter")
        until(teal.get_by_role("button", name="Rename mast GPS")).to_be_visible()
        if plan.get_by_role("button", name="Take this plan").is_enabled():
            plan.get_by_role("button", name="Take this plan").click()
            told = wren.get_by_role("alert").filter(has_text="Not saved")
            until(told).to_be_visible()
            until(told.get_by_role("button", name="Make my change on top")).to_be_hidden()
        wren.unroute("**/api/crafts/*")
        until(teal.get_by_role("button", name="Rename mast GPS")).to_be_visible()
        people.troubles.clear()  # the browser itself logs the requests that were held back

    @in_browser
    def test_a_device_is_called_otherwise_with_all_its_wires(self, people):
        page = people.open("Avocet", "Kit")
        page.get_by_role("button", name="Rename GPS").click()
        page.get_by_label("Name of GPS").fill("flow")
        page.get_by_label("Name of GPS").press("Enter")
        until(page.get_by_role("alert")).to_contain_text("flow")  # another device is called so
        page.get_by_role("button", name="Rename GPS").click()
        page.get_by_label("Name of GPS").press("Escape")
        page.get_by_role("button", name="Rename GPS").click()
        page.get_by_label("Name of GPS").fill("mast GPS")
        page.get_by_label("Name of GPS").press("Enter")
        until(page.get_by_role("button", name="Rename mast GPS")).to_be_visible()
        go(page, "Loom")
        until(page.get_by_role("main")).to_contain_text("mast GPS")
        until(page.get_by_role("button", name="1 setting differs")).to_be_hidden()  # a name is no setting of the board


class QuickHandsTest(BrowserTest):
    @in_browser
    def test_what_is_changed_while_a_save_is_on_its_way_keeps_every_change(self, people):
        page = people.open("Curlew", "Lost link")
        held, letting_go = [], []
        page.route("**/draft", lambda route: route.continue_() if letting_go else held.append(route))
        page.get_by_label("Board's grace").fill("500")
        page.get_by_label("Board's grace").press("Enter")
        for label, option in (("Throttle falls back to", "holds"), ("Response", "lands")):
            page.get_by_role("combobox", name=label, exact=True).click()
            page.get_by_role("option", name=option).click()
        letting_go.append(True)
        for route in held:
            route.continue_()
        until(page.get_by_role("button", name="3 settings differ")).to_be_visible()
        until(page.get_by_label("Board's grace")).to_have_value("500")
        for label, option in (("Throttle falls back to", "holds"), ("Response", "lands")):
            until(page.get_by_role("combobox", name=label, exact=True)).to_have_text(option)


class PartDraftTest(BrowserTest):
    @in_browser
    def test_a_part_that_is_being_typed_outlives_its_page(self, people):
        page = people.sign_in()
        page.get_by_role("link", name="parts").click()
        page.get_by_role("link", name="Wisp 24").click()
        page.get_by_role("button", name="Copy as own part").click()
        page.get_by_label("about").fill("half typed")
        page.get_by_role("link", name="Ouzel H7").click()
        until(page.get_by_text("is not saved yet")).to_be_visible()
        until(page.get_by_role("button", name="Copy as own part")).to_be_disabled()
        page.get_by_role("link", name=re.compile("^Coin Bell")).first.click()
        page.wait_for_selector("main[data-ready]")
        page.get_by_role("link", name="parts").click()
        until(page.get_by_label("about")).to_have_value("half typed")
        until(page.get_by_role("status")).to_contain_text("its facts are possible")
        page.get_by_role("button", name="Save the part").click()
        page.get_by_role("heading", level=1, name="Own Wisp 24").wait_for()
        until(page.get_by_text("is not saved yet")).to_be_hidden()

    @in_browser
    def test_it_can_be_let_go(self, people):
        page = people.sign_in()
        page.get_by_role("link", name="parts").click()
        page.get_by_role("link", name="Wisp 24").click()
        page.get_by_role("button", name="Copy as own part").click()
        page.get_by_label("about").fill("never mind")
        page.get_by_role("link", name="Ouzel H7").click()
        page.get_by_role("button", name="Discard").click()
        until(page.get_by_role("button", name="Copy as own part")).to_be_enabled()
        until(page.get_by_role("link", name="Own Wisp 24")).to_be_hidden()
