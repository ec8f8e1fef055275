"""Sticks and Switchboard with real hands: what is found, dialled, banded and proven."""

from __future__ import annotations

import json
import re
import tempfile
from pathlib import Path

from linkcore.hops.sticks.finder import LEFT_THERE_S
from tests.browser.acts import CRACKED, RINGS, band_of, bench_of, choose, drag, findings_of, go, mend, passes, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious
from tests.browser.ready import dunlin_wired, take_up


def arrives(page):
    return page.get_by_role("region", name="Where each stick arrives")


def row(page, axis):
    return page.get_by_role("row", name=re.compile(f"^{axis} CH"))


def held(page, side, places):
    """Move a stick to places, stay at each until the board has seen a rest there, and let go."""
    drag(page, side, places, stay=0.6)


def roll_until(page, says):
    """Move the roll stick to both ends until that is found: a draft whose news comes meanwhile has the finder begin anew."""
    for _ in range(5):
        held(page, "right", [(1, 0), (-1, 0)])
        passes(1.0)
        if says in arrives(page).inner_text():
            return
    until(arrives(page)).to_contain_text(says)


def every_stick(page):
    held(page, "right", [(1, 0), (-1, 0)])
    until(arrives(page)).to_contain_text(re.compile(r"roll\s*CH\d"))
    held(page, "right", [(0, 1), (0, -1)])
    until(arrives(page)).to_contain_text(re.compile(r"pitch\s*CH\d"))
    held(page, "left", [(1, -1), (-1, -1), (0, -1)])
    until(arrives(page)).to_contain_text(re.compile(r"yaw\s*CH\d"))
    drag(page, "left", [(0, 1)], stay=LEFT_THERE_S + 0.5)
    until(arrives(page)).to_contain_text(re.compile(r"throttle\s*CH\d"))
    held(page, "left", [(0, -1)])


class DunlinTest(BrowserTest):
    def setUp(self):
        super().setUp()
        take_up(dunlin_wired())

    @in_browser
    def test_order_travel_and_three_modes_on_one_switch_are_proven(self, people):
        page = people.open("Dunlin", "Sticks")
        wait_coin(page, "Sticks", CRACKED)
        until(findings_of(page)).to_contain_text("The transmitter sends TAER; the board expects AETR.")
        every_stick(page)
        until(arrives(page)).to_contain_text("Order TAER; the board expects AETR.")
        until(findings_of(page)).to_contain_text("The transmitter was seen to send TAER")
        mend(page, "Set the board's map to TAER")
        write(page)
        until(arrives(page)).to_contain_text("Order TAER, as the board expects.")

        every_stick(page)
        until(row(page, "throttle")).to_contain_text("not below the floor line, 1080, yet")
        dial = page.get_by_role("region", name="To dial in on the Hedge 8")
        until(dial.get_by_role("row", name=re.compile("^CH1 throttle 0 100 → 147 100 → 126"))).to_be_visible()
        until(dial.get_by_role("row", name=re.compile(r"^CH4 yaw 0 → -\d "))).to_be_visible()
        until(findings_of(page)).to_contain_text(re.compile(r"Throttle low reads 11\d\d us, above the floor line, 1080\."))
        dial.get_by_role("button", name="Dial it in").click()
        until(dial).to_contain_text("keep it at both ends a moment")
        every_stick(page)
        for axis in ("roll", "pitch", "throttle", "yaw"):
            until(row(page, axis)).to_contain_text("as predicted")
            until(row(page, axis)).to_contain_text("reaches both lines")
        until(dial).to_contain_text("nothing is left to dial")
        wait_coin(page, "Sticks", RINGS)

        rest = page.get_by_role("region", name="At rest, and at the lines")
        narrow = rest.get_by_role("button", name=re.compile(r"^Set deadband: \d us, yaw \d us"))
        until(narrow).to_be_visible()
        narrow.click()
        until(rest.get_by_label("Deadband of roll and pitch")).not_to_have_value("0")

        go(page, "Switchboard")
        page.get_by_role("button", name="Give arming a mode band").click()
        until(page.get_by_role("group", name="Mode band of arm")).to_be_visible()
        for mode in ("angle", "horizon", "beeper"):
            choose(page, "Add a mode", mode)
            until(page.get_by_role("group", name=f"Mode band of {mode}")).to_be_visible()
        page.get_by_role("group", name="Mode band of angle").get_by_role("button", name="low", exact=True).click()
        horizon = band_of(page, "horizon")
        for label, us in (("From", "1530"), ("To", "1780")):
            horizon.get_by_label(label).fill(us)
            horizon.get_by_label(label).press("Enter")
        findings = findings_of(page)
        until(findings).to_contain_text("horizon's mode band misses every detent of CH6, the nearest by 30 us, by what the model memory lets expect.")
        write(page)
        for learned in ("S1 on CH5: 1 of 2", "S2 on CH6: 1 of 3"):  # or the first flip would come before the board has seen where they rest
            until(page.get_by_label(re.compile(f"^{learned} detents learned"))).to_be_visible()
        page.locator("[data-gimbal=left]").focus()
        for key, learned in (("1", "S1 on CH5: 2 of 2"), ("1", "S1 on CH5: 2 of 2"), ("2", "S2 on CH6: 2 of 3"), ("2", "S2 on CH6: 3 of 3")):
            page.keyboard.press(key)
            until(page.get_by_label(re.compile(f"^{learned} detents learned"))).to_be_visible()
        until(findings).to_contain_text(re.compile(r"horizon's mode band misses every detent of CH6, the nearest by \d+ us\."))
        until(page.get_by_role("row", name=re.compile("^high mid arm acro no mode is on here"))).to_be_visible()
        mend(page, re.compile(r"^Set the mode band to 1\d\d0 to 1\d\d0 us"))
        write(page)
        until(page.get_by_role("row", name=re.compile("^high mid arm horizon"))).to_be_visible()

        page.keyboard.press("2")
        for place, mode in (("low", "angle"), ("mid", "horizon"), ("high", "acro, beeper")):
            until(page.get_by_role("row", name=re.compile(f"^low {place} – {mode}.* seen$"))).to_be_visible()
            page.keyboard.press("1")
            until(page.get_by_role("row", name=re.compile(f"^high {place} arm {mode}.* seen$"))).to_be_visible()
            page.keyboard.press("1")
            page.keyboard.press("2")
        wait_coin(page, "Switchboard", RINGS)

        beeper = band_of(page, "beeper")
        beeper.get_by_label("From").fill("1800")
        beeper.get_by_label("From").press("Enter")
        write(page)
        wait_coin(page, "Switchboard", re.compile("^tarnished"))
        until(findings_of(page)).to_contain_text("It was proven before; changed since: modes.")

    @in_browser
    def test_a_mix_and_a_foreign_memory_are_named(self, people):
        page = people.open("Dunlin", "Sticks")
        page.get_by_role("button", name="Model memory").click()
        page.get_by_role("button", name="Add a mix").click()
        choose(page, "Channel of mix 1", "CH3")
        until(findings_of(page)).to_contain_text("A mix adds 20 % of aileron to CH3, which is for elevator.")
        roll_until(page, "moves CH3 too, by 20 %")
        mend(page, "Remove the mix from CH3")
        until(arrives(page)).not_to_contain_text("moves CH3 too")
        memory = page.get_by_role("table", name="Model memory")
        with page.expect_response(re.compile("/draft$")):  # it is saved, and the finder begins anew, before the stick is moved
            memory.get_by_role("checkbox", name="Reverse CH2").click()
        roll_until(page, "the wrong way round")
        until(findings_of(page)).to_contain_text("Roll runs the wrong way round on CH2.")
        mend(page, "Remove the reverse from CH2 in the transmitter")
        until(memory.get_by_role("checkbox", name="Reverse CH2")).not_to_be_checked()
        memory.get_by_label("Sub-trim of CH2").fill("500")
        until(memory.get_by_text("-120 to 120")).to_be_visible()

    @in_browser
    def test_a_model_memory_is_kept_as_a_file_and_taken_from_one(self, people):
        page = people.open("Dunlin", "Sticks")
        page.get_by_role("button", name="Model memory").click()
        panel = page.get_by_role("region", name="Model memory of the Hedge 8")
        with page.expect_download() as saved:
            panel.get_by_role("link", name="Save as a file").click()
        file = json.loads(Path(saved.value.path()).read_text())
        self.assertEqual((saved.value.suggested_filename, file["memory"]["made_for"]), ("dunlin-model-memory.json", "hedge-8"))
        with tempfile.TemporaryDirectory() as folder:
            other = Path(folder) / "other.json"
            for text, said in (
                ("{", "other.json is no JSON"),
                (json.dumps(file | {"format": "x"}), "this is no model memory"),
                (json.dumps(file | {"memory": file["memory"] | {"slot": 99}}), "memory/slot"),
            ):
                other.write_text(text)
                panel.get_by_label("Model memory file").set_input_files(other)
                until(panel.get_by_role("alert")).to_contain_text(f"Nothing was taken. {said}")
            other.write_text(json.dumps(file | {"memory": file["memory"] | {"made_for": "harrow-16", "stick_mode": 1}}))
            panel.get_by_label("Model memory file").set_input_files(other)
            proposal = panel.get_by_role("group", name="Take this model memory")
            # the page reads the file a moment after it was chosen: it stays until what was in it is shown
            until(proposal).to_contain_text("Stick mode 1 instead of 2.")
        until(proposal).to_contain_text("then: This model memory was made for another transmitter, harrow-16; here is the Hedge 8.")
        proposal.get_by_role("button", name="Take it").click()
        until(findings_of(page)).to_contain_text("This model memory was made for another transmitter")
        until(panel.get_by_role("combobox", name="Stick mode")).to_have_text("1")
        panel.get_by_label("Curve of CH2").fill("-100 0")
        panel.get_by_label("Curve of CH2").press("Enter")
        panel.get_by_role("button", name="Add a mix").click()
        panel.get_by_role("button", name="Add a rate").click()
        until(panel.get_by_label("Travel of rate 1")).to_have_value("70")
        nothing_serious(self, page, "model memory")
        until(findings_of(page)).to_contain_text("CH2 runs through a curve.")


class SwitchboardTest(BrowserTest):
    @in_browser
    def test_edges_are_dragged_and_bands_suggested(self, people):
        page = people.open("Curlew", "Switchboard")
        edge = page.locator('[data-edge="angle high"]')
        box = edge.bounding_box()
        page.mouse.move(box["x"] + 20, box["y"] + 4)
        page.mouse.down()
        page.mouse.move(box["x"] + 20, box["y"] + 44, steps=4)
        page.mouse.up()
        angle = band_of(page, "angle")
        until(angle.get_by_label("To")).to_have_value(re.compile(r"^10\d0$"))
        page.get_by_role("button", name=re.compile("^Re-space mode bands")).click()
        until(angle.get_by_label("To")).to_have_value(re.compile(r"^12[45]0$"))
        until(page.get_by_role("button", name=re.compile("^Re-space mode bands"))).to_have_count(0)

    @in_browser
    def test_what_blocks_arming_is_listed_with_what_clears_it(self, people):
        page = people.open("Curlew", "Switchboard")
        bench_of(page).get_by_role("switch", name="tilted").click()
        bench_of(page).get_by_role("switch", name="USB").click()
        drag(page, "left", [(0, 0)])
        blockers = page.get_by_role("list", name="Blockers")
        for text in ("throttle not low", "pull the throttle stick down", re.compile(r"tilt \((39|40|41) degrees"), "bench link: USB is plugged in"):
            until(blockers).to_contain_text(text)
        page.keyboard.press("1")
        until(blockers).to_contain_text("arm switch already on")
        page.keyboard.press("1")
        bench_of(page).get_by_role("switch", name="tilted").click()
        bench_of(page).get_by_role("switch", name="USB").click()
        drag(page, "left", [(0, -1)])
        until(blockers).to_have_count(0)
        choose(page, "Arm by", "stick")
        write(page)
        drag(page, "left", [(1, -1), (1, -1)])
        page.keyboard.down("d")
        until(bench_of(page).get_by_text("armed", exact=True)).to_be_visible()
        page.keyboard.up("d")

    @in_browser
    def test_modes_that_the_craft_cannot_do_are_not_offered_and_a_missing_fix_keeps_a_row_open(self, people):
        page = people.open("Curlew", "Switchboard")
        page.get_by_role("combobox", name="Add a mode").click()
        until(page.get_by_role("option", name=re.compile("^manual .*it is not for a quad X"))).to_be_disabled()
        page.get_by_role("option", name=re.compile("^return home")).click()
        home = page.get_by_role("group", name="Mode band of return home")
        home.get_by_role("button", name="high", exact=True).click()
        bench_of(page).get_by_role("switch", name="fix").click()
        write(page)
        page.locator("[data-gimbal=left]").focus()
        for now in ("1500", "2000"):
            page.keyboard.press("2")
            until(page.get_by_label(re.compile(f"^S2 on CH6: .*now {now} us"))).to_be_visible()
        page.keyboard.press("1")
        until(page.get_by_role("row", name=re.compile("^low high – .*return home is asked for, but it waits for a GPS fix"))).to_be_visible()
        bench_of(page).get_by_role("switch", name="fix").click()
        until(page.get_by_role("row", name=re.compile("^low high – return home"))).to_be_visible()
