"""Motors in the browser: Curlew's are found exchanged and reversed, mended and proven; and whatever takes a hand off the key stops the motor and locks the drive."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.acts import choose, findings_of, passes, region, take_poses, until, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious

SEEING_S = 0.4


def motors_of(page):
    page.get_by_role("tab", name=re.compile("^Motors")).click()
    return region(page, "Motors, one at a time")


def say_props_off(page):
    panel = region(page, "Motors, one at a time")
    panel.get_by_role("button", name="Props are off, and it is strapped down").click()
    until(panel.get_by_role("button", name=re.compile("^Hold to turn"))).to_be_enabled()


def sight(page):
    return page.get_by_role("status", name="What you see")


def hold(page, output="M1"):
    """Press the key and keep it down until something turns, and for as long as it takes to see what."""
    page.get_by_role("button", name=f"Hold to turn {output}").focus()
    page.keyboard.down("Space")
    until(sight(page), held=page).to_contain_text("motor turns")
    passes(SEEING_S, held=page)


def once_more(page, output="M1"):
    page.get_by_role("button", name="I did not see it: once more").click()
    until(page.get_by_role("button", name=f"Hold to turn {output}")).to_be_enabled()


def turn_and_answer(page, output):
    """Turn an output's motor, and say in words what was seen of it."""
    hold(page, output)
    page.keyboard.up("Space")
    until(sight(page)).to_contain_text("motor turned")
    corner, turns = re.search(r"the (.*) motor turned (\w+)", sight(page).inner_text()).groups()
    choose(page, "Where it turned", f"the {corner}$")
    choose(page, "Which way it turned", f"{turns}$")
    page.get_by_role("button", name="That is what I saw").click()
    until(page.get_by_role("button", name=re.compile("^Hold to turn"))).to_be_enabled()
    return corner, turns


class CurlewsMotorsTest(BrowserTest):
    @in_browser
    def test_they_are_found_exchanged_and_reversed_mended_and_proven(self, people):
        page = people.open("Curlew", "Airframe")
        take_poses(page)
        region(page, "Facing").get_by_role("button", name="Set it").click()
        write(page)
        page.get_by_role("button", name="I see it point there").click()
        until(page.get_by_text("USB points left, seen and set.")).to_be_visible()
        panel = motors_of(page)
        until(panel).to_contain_text("Take the props off, and strap the craft down.")
        say_props_off(page)
        self.assertEqual(turn_and_answer(page, "M1"), ("rear left", "counterclockwise"))
        self.by_hand(page, "M2")
        for output in ("M3", "M4"):
            turn_and_answer(page, output)
        until(findings_of(page)).to_contain_text("M1 turns the rear left, M3 turns the front left; the board takes them for others.")
        until(region(page, "What sets them right")).to_contain_text("The front right motor, on M2, turns clockwise; there it should turn counterclockwise.")
        corners = panel.get_by_role("table", name="Corners")
        until(corners.get_by_role("row", name=re.compile("^front right"))).to_contain_text("the other way")
        nothing_serious(self, page, "Airframe, motors")
        right = region(page, "What sets them right")
        right.get_by_role("button", name="Swap any two of its three wires").click()
        until(panel).to_contain_text("hands were at its wires")
        right.get_by_role("button", name="Set the outputs as their motors were seen").click()
        write(page)
        say_props_off(page)
        says = panel.get_by_role("status").first
        for _ in range(8):
            until(says).to_contain_text(re.compile("Next: M|Every output turns the motor that it should"))
            following = re.search(r"Next: (M\d)", says.inner_text())
            if following is None:
                break
            turn_and_answer(page, following.group(1))
        until(panel).to_contain_text("Every output turns the motor that it should.")
        until(page.get_by_role("tab", name="Motors 1 of 2 proven")).to_be_visible()
        until(corners.get_by_text("right", exact=True)).to_have_count(4)
        self.flown(page, right)

    def flown(self, page, right):
        """The idle follows from the motor that starts last, and waits for the first hover: a motor stops, then none does."""
        idle = right.get_by_role("button", name=re.compile("^Set the idle to"))
        hover = region(page, "At the first hover")
        until(idle.or_(hover)).to_be_visible()
        if idle.is_visible():
            idle.click()
            write(page)
        until(hover).to_contain_text("no hover has confirmed it yet")
        hover.get_by_role("button", name="A motor stopped").click()
        until(right).to_contain_text("A motor has stopped in flight with an idle of")
        until(hover).to_have_count(0)
        idle.click()
        write(page)
        hover.get_by_role("button", name="No motor stopped").click()
        until(hover).to_have_count(0)
        until(right).to_have_count(0)
        until(page.get_by_role("tab", name="Motors 1 of 2 proven")).to_be_visible()
        since = region(page, "Since it was proven")
        since.get_by_role("button", name="A motor or ESC was changed, or its wires").click()
        until(since).to_contain_text("To be proven again then: motors.")
        since.get_by_role("button", name="It was so").click()
        until(page.get_by_role("tab", name="Motors not proven")).to_be_visible()
        until(since).to_have_count(0)
        until(page.get_by_role("tab", name="How the board sits 1 of 2 proven")).to_be_visible()

    def by_hand(self, page, output):
        """Answer with the craft: tip it towards the corner, twist it, put it down."""
        hold(page, output)
        page.keyboard.up("Space")
        until(sight(page)).to_contain_text("the front right motor turned clockwise")
        answer = region(page, "Answer")
        ring = page.get_by_role("slider", name="Tip the craft")
        ring.focus()
        for key in ("ArrowUp", "ArrowRight") * 5:
            page.keyboard.press(key)
        until(answer).to_contain_text("Felt as corner: front right")
        page.get_by_role("slider", name="Turn the craft").focus()
        for _ in range(9):
            page.keyboard.press("ArrowRight")
        until(answer).to_contain_text("as way: clockwise")
        until(page.get_by_role("button", name=re.compile("^Hold to turn"))).to_have_count(0)
        page.get_by_role("button", name="Set it level").click()
        until(page.get_by_role("button", name=re.compile("^Hold to turn"))).to_be_enabled()


class LostHoldTest(BrowserTest):
    """Each way of losing the hold stops the motor, and locks the drive until it was answered."""

    def ready(self, people):
        page = people.open("Curlew", "Airframe")
        motors_of(page)
        say_props_off(page)
        return page

    def lost(self, page, lose, why, begin=hold, held=None):
        """Hold, lose it so, and find the drive locked for that; `held`: the page that goes on saying that the key is down."""
        begin(page)
        lose()
        until(region(page, "Answer"), held=held).to_contain_text("Drive locked: pick it up")
        expect(page.get_by_role("button", name=re.compile("^Hold to turn|let go to stop"))).to_have_count(0)
        expect(region(page, "Answer")).to_contain_text(why)
        expect(sight(page)).to_contain_text("motor turned")

    @in_browser
    def test_a_key_whose_release_never_comes_is_over_after_three_seconds(self, people):
        page = self.ready(people)
        self.lost(page, lambda: None, "three seconds are over", held=page)

    @in_browser
    def test_another_window_in_front(self, people):
        page = self.ready(people)
        self.lost(page, lambda: page.evaluate("window.dispatchEvent(new Event('blur'))"), "the key was let go")

    @in_browser
    def test_the_focus_goes_elsewhere(self, people):
        page = self.ready(people)
        self.lost(page, lambda: page.keyboard.press("Tab"), "the key was let go")

    @in_browser
    def test_a_hidden_page(self, people):
        page = self.ready(people)
        page.evaluate("Object.defineProperty(document, 'hidden', { get: () => Boolean(window.away) })")

        def hide():
            page.evaluate("window.away = true; document.dispatchEvent(new Event('visibilitychange')); window.away = false")

        self.lost(page, hide, "the key was let go")

    @in_browser
    def test_a_touch_that_is_cancelled(self, people):
        page = self.ready(people)
        fingers = page.context.new_cdp_session(page)
        fingers.send("Emulation.setTouchEmulationEnabled", {"enabled": True})

        def touch(page):
            box = page.get_by_role("button", name="Hold to turn M1").bounding_box()
            fingers.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [{"x": box["x"] + 20, "y": box["y"] + 20}]})
            until(sight(page), held=page).to_contain_text("motor turns")

        self.lost(page, lambda: fingers.send("Input.dispatchTouchEvent", {"type": "touchCancel", "touchPoints": []}), "the key was let go", touch)

    @in_browser
    def test_a_second_window_and_a_second_person(self, people):
        page = self.ready(people)
        other, heron = people.open("Curlew", "Airframe"), people.open("Curlew", "Airframe", "heron")
        motors_of(other)
        motors_of(heron)

        def press(there):
            there.get_by_role("button", name="Hold to turn M1").hover()
            there.mouse.down()

        self.lost(page, lambda: press(other), "it was held by two keys")
        page.keyboard.up("Space")
        other.mouse.up()
        once_more(page)
        self.lost(page, lambda: press(heron), "somebody else took the key")
        until(page.get_by_text("props not said to be off")).to_be_visible()

    @in_browser
    def test_a_connection_that_is_cut(self, people):
        page = self.ready(people)
        self.lost(page, lambda: page.evaluate("window.cut = true"), "no hold came for 250 ms")

    @in_browser
    def test_a_key_that_repeats_by_itself_is_no_new_press(self, people):
        page = self.ready(people)
        self.lost(page, lambda: page.keyboard.up("Space"), "the key was let go")
        page.get_by_role("button", name="Nothing turned").click()
        until(region(page, "Motors, one at a time").get_by_role("alert")).to_contain_text(
            "Its ESC tells that M1 turned. Turn it once more, and look: nothing was taken."
        )
        key = page.get_by_role("button", name="Hold to turn M1")
        until(key).to_be_enabled()
        key.dispatch_event("keydown", {"key": " ", "repeat": True})
        key.dispatch_event("keydown", {"key": " ", "repeat": True})
        until(key).to_have_attribute("aria-pressed", "false")
