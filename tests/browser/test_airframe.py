"""The craft in the pilot's hands: how the board sits is found, set, seen and proven; another pack than was chosen is found; a part that a full pack would destroy is stopped."""

from __future__ import annotations

import re

from linkcore.craft.document import Fitted
from linkcore.craft.parts import KitParts
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Peripheral
from linkcore.wiring.netlist import wires_for
from server.crafts.models import Craft
from server.parts.models import OwnPart
from tests.browser.acts import CRACKED, asked, choose, drag, findings_of, go, mend, region, take_poses, tip, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious
from tests.browser.ready import dunlin_wired, take_up


def look_at_pack(page):
    page.get_by_role("tab", name=re.compile("^The pack")).click()
    return region(page, "The pack, and what hangs on it")


class CurlewTest(BrowserTest):
    @in_browser
    def test_its_board_is_found_turned_set_levelled_and_proven(self, people):
        page = people.open("Curlew", "Airframe")
        until(page.get_by_text("Nobody has found yet how the board sits in this craft.")).to_be_visible()
        tip(page, "ArrowUp")
        side = page.get_by_role("img", name=re.compile("^from behind: hands (left|right) down 0°, board left down 5"))
        until(side).to_be_visible()  # tipped over its nose, the board believes it to lie on its side
        page.get_by_role("button", name="Set it level").click()
        take_poses(page)
        until(region(page, "Facing")).to_contain_text("USB points left.")
        until(findings_of(page)).to_contain_text("USB points left; the board believes that USB points back.")
        wait_coin(page, "Airframe", CRACKED)
        nothing_serious(self, page, "Airframe")
        region(page, "Facing").get_by_role("button", name="Set it").click()
        write(page)
        until(page.get_by_text("USB points left, and the board runs it so. Look: does it?")).to_be_visible()
        page.get_by_role("button", name="I see it point there").click()
        until(page.get_by_text("USB points left, seen and set.")).to_be_visible()
        page.get_by_role("button", name="It stands level: measure").click()
        until(region(page, "Level")).to_contain_text("The board believes it tilted by")
        region(page, "Level").get_by_role("button", name="Take that for level").click()
        write(page)
        until(region(page, "Level")).to_contain_text("The board takes it for level, within")
        tip(page, "ArrowUp")
        until(page.get_by_role("img", name=re.compile(r"^from the side: hands nose down 55°, board nose down 5\d°"))).to_be_visible()
        until(page.get_by_role("tab", name="How the board sits proven")).to_be_visible()
        self.power(page)
        until(page.get_by_role("tab", name="The pack proven")).to_be_visible()
        wait_coin(page, "Airframe", re.compile("^blank"))
        until(page.get_by_role("navigation", name="Chain").get_by_role("link", name="Airframe")).to_contain_text("USB left")

    def power(self, page):
        """Voltage and current beside a meter, at rest and with the motors turning."""
        page.get_by_role("button", name="Set it level").click()
        pack = look_at_pack(page)
        pack.get_by_role("button", name=re.compile("Take the bench's meter: .* V")).click()
        until(pack).to_contain_text("4 lie there.")
        pack.get_by_role("button", name=re.compile("Take the bench's meter: .* A")).click()
        until(pack).to_contain_text("One reading is taken.")
        page.keyboard.press("1")
        until(page.get_by_text("armed", exact=True)).to_be_visible()
        drag(page, "left", [(0, 0.2)], stay=0.4)
        pack.get_by_role("button", name=re.compile(r"Take the bench's meter: 22\.\d A")).click()  # once the lever is where it was meant to be
        until(pack).to_contain_text("That is what flows.")

    @in_browser
    def test_it_is_tipped_by_dragging_and_what_contradicts_itself_is_not_taken(self, people):
        page = people.open("Curlew", "Airframe")
        page.get_by_role("button", name="Find it by hand").click()
        asked(page, "Now nose down")
        box = page.get_by_role("slider", name="Tip the craft").bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

        def dragged(right, up):
            page.mouse.move(x, y)
            page.mouse.down()
            page.mouse.move(x + right, y - up, steps=4)
            page.mouse.up()

        dragged(0, 32)
        until(page.get_by_role("slider", name="Tip the craft")).to_have_attribute("aria-valuetext", re.compile("tipped by 6[0-9] degrees, nose down"))
        asked(page, "Now right side down")
        dragged(-32, 0)
        until(region(page, "Which way the board sits").get_by_role("alert")).to_contain_text("left side down; take both again. Nothing was taken.")
        until(page.get_by_role("button", name="Find it by hand")).to_be_visible()

    @in_browser
    def test_hands_that_shake_give_nothing_and_a_checker_may_measure_but_not_set(self, people):
        page = people.open("Curlew", "Airframe", "heron")
        page.get_by_label("Hands shake").click()
        page.get_by_role("button", name="Find it by hand").click()
        until(region(page, "Which way the board sits")).to_contain_text("It moves, or lies as it did: nothing is taken of that.")
        page.get_by_label("Hands shake").click()
        asked(page, "Now nose down")
        tip(page, "ArrowUp")
        asked(page, "Now right side down")
        tip(page, "ArrowRight")
        until(region(page, "Facing")).to_contain_text("USB points left.")
        until(region(page, "Facing").get_by_role("button", name="Set it")).to_be_disabled()


class DunlinTest(BrowserTest):
    def setUp(self):
        super().setUp()
        take_up(dunlin_wired())

    @in_browser
    def test_its_pack_is_found_to_be_another_than_was_chosen(self, people):
        page = people.open("Dunlin", "Airframe")
        pack = look_at_pack(page)
        until(pack).to_contain_text("Reedbed 3-3500 was chosen: 3 cells of Li-ion")
        pack.get_by_label("Meter at the pack").fill("0")
        pack.get_by_label("Meter at the pack").press("Enter")
        until(page.get_by_role("alert")).to_contain_text("the meter reads 0 V")
        until(pack).to_contain_text("The meter's reading at rest tells how many lie there.")
        pack.get_by_role("button", name=re.compile("Take the bench's meter: 8.[34]")).click()
        until(findings_of(page)).to_contain_text(re.compile(r"2 cells lie there, at 8\.[34]\d? V; the Reedbed 3-3500 that was chosen has 3\."))
        wait_coin(page, "Airframe", CRACKED)
        mend(page, "It is a Tussock 2-1000: choose it")
        until(pack).to_contain_text("Tussock 2-1000 was chosen: 2 cells of LiPo")
        until(findings_of(page)).not_to_contain_text("cells lie there")


class AvocetTest(BrowserTest):
    def setUp(self):
        super().setUp()
        camera = Peripheral.model_validate(
            shipped().of(Peripheral, "stilt-c").model_dump(mode="json")
            | {"id": "own-stilt-24", "name": "Own Stilt 24", "supply": {"min_volts": 7, "max_volts": 24, "ma": 90, "peak_ma": 130}}
        )
        craft = Craft.objects.get(name="Avocet")
        OwnPart.objects.create(workshop_id=craft.workshop_id, part_id=camera.id, facts=camera.model_dump(mode="json"))
        document = craft.read()
        document.kit.devices.append(Fitted(name="camera", part=camera.id))
        document.wiring = wires_for(document, KitParts.of(document, shipped().with_own([camera])), None)
        Craft.objects.filter(pk=craft.pk).update(document=document.model_dump(mode="json"))

    @in_browser
    def test_its_sums_stop_a_part_on_a_full_pack(self, people):
        page = people.open("Avocet", "Loom")
        page.get_by_role("button", name="Move camera V+").click()
        choose(page, "Pad of camera V+", "BAT")
        until(findings_of(page)).to_contain_text("camera, Own Stilt 24 bears 24 V; BAT gives 25.2 V with the pack full.")
        go(page, "Airframe")
        pack = look_at_pack(page)
        until(pack).to_contain_text("Camera hangs on the pack itself: it bears 24 V, and the full pack has 25.2 V.")
        until(pack).to_contain_text("Too much for the camera: see the Loom.")
