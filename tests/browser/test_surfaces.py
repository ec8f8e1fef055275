"""Sandpiper's surfaces in the browser: they answer stick and movement, a reversal in the transmitter is called out, mended, and both are proven."""

from __future__ import annotations

import re

from tests.browser.acts import CRACKED, drag, findings_of, region, tip, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious
from tests.browser.ready import sandpiper_read, take_up


class SandpiperTest(BrowserTest):
    def setUp(self):
        super().setUp()
        take_up(sandpiper_read())

    def surfaces(self, page):
        page.get_by_role("tab", name=re.compile("^Surfaces")).click()
        return page.get_by_role("list", name="Control surfaces").get_by_role("listitem")

    def move_and_tip(self, page, elevator, left, dropped):
        """Each stick by itself, then the craft: right wing down, nose down."""
        drag(page, "right", [(0.8, 0)], stay=1.5)
        until(left).to_contain_text("Roll stick right: its trailing edge goes down. seen so")
        drag(page, "right", [(0, 0.8)], stay=1.5)
        until(elevator).to_contain_text("Pitch stick forward: its trailing edge goes down. seen so")
        tip(page, "ArrowRight", 8)
        until(left).to_contain_text("Right wing dropped: its trailing edge goes up. seen so")
        page.get_by_role("button", name="Set it level").click()
        tip(page, "ArrowUp", 8)
        until(elevator).to_contain_text(f"Nose dropped: its trailing edge goes up. {dropped}")

    @in_browser
    def test_they_answer_stick_and_movement_and_a_reversal_in_the_transmitter_is_called_out(self, people):
        page = people.open("Sandpiper", "Airframe")
        items = self.surfaces(page)
        until(items).to_have_count(3)
        elevator, left = (items.filter(has=page.get_by_text(name, exact=True)) for name in ("elevator", "left aileron"))
        until(region(page, "Control surfaces").get_by_role("status")).to_contain_text("Move each stick to both ends")
        self.move_and_tip(page, elevator, left, "seen the other way")
        until(elevator).to_contain_text("CH2 is reversed in the transmitter.")
        until(findings_of(page)).to_contain_text("Elevator is reversed in the transmitter (CH2), where its servo should be reversed on the board.")
        wait_coin(page, "Airframe", CRACKED)
        nothing_serious(self, page, "Airframe, surfaces")
        region(page, "What sets surfaces right").get_by_role("button", name="Reverse the servo on the board, remove the reverse from CH2").click()
        write(page)
        page.get_by_role("button", name="Set it level").click()
        until(elevator).to_contain_text("turned round by the board")
        self.move_and_tip(page, elevator, left, "seen so")
        until(page.get_by_role("tab", name="Surfaces proven")).to_be_visible()
        until(findings_of(page)).not_to_contain_text("reversed in the transmitter")

    @in_browser
    def test_a_servo_is_set_where_its_figures_stand(self, people):
        page = people.open("Sandpiper", "Airframe")
        elevator = self.surfaces(page).filter(has=page.get_by_text("elevator", exact=True))
        until(elevator).to_contain_text("-45° to +45°")
        page.get_by_label("High end of elevator").fill("1800")
        page.get_by_label("High end of elevator").press("Enter")
        until(elevator).to_contain_text("-45° to +27°")
        write(page)
        drag(page, "right", [(0, 1)], stay=1.5, lets_go=False)
        until(elevator.get_by_role("img", name=re.compile("60 percent"))).to_be_visible()

    @in_browser
    def test_a_checker_says_what_they_saw_of_a_real_craft(self, people):
        page = people.open("Sandpiper", "Airframe", "heron")
        self.surfaces(page)
        page.get_by_role("button", name="elevator, stick, pitch: so").click()
        elevator = page.get_by_role("list", name="Control surfaces").get_by_role("listitem").filter(has=page.get_by_text("elevator", exact=True))
        until(elevator).to_contain_text("its trailing edge goes down. seen so")
        page.get_by_role("button", name="elevator, steadying, pitch: the other way").click()
        until(elevator).to_contain_text("its trailing edge goes up. seen the other way")
