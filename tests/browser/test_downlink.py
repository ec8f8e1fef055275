"""The way home as the pilot follows it: sensors are looked for, missing ones are mended one by one, alarms ring."""

from __future__ import annotations

import re

from scenario.flights import logs
from tests.browser.acts import RINGS, findings_of, go, mend, restart, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious


def look(page):
    page.get_by_role("button", name="Look for sensors", exact=True).first.click()


def row(page, sensor):
    return page.get_by_role("table", name=re.compile("^Sensors")).get_by_role("row", name=re.compile(f"^.*{sensor}"))


def notice(page, says):
    return page.get_by_role("region", name="Will you notice?").get_by_role("listitem").filter(has_text=says)


class DownlinkTest(BrowserTest):
    @in_browser
    def test_curlews_sensors_are_discovered_and_its_alarms_ring(self, people):
        page = people.open("Curlew", "Lost link")
        page.get_by_role("button", name="Alarm line from a log").click()
        name, log = logs()["Curlew"]
        page.get_by_test_id("flight-file").set_input_files({"name": name, "mimeType": "text/csv", "buffer": log})
        page.get_by_role("button", name=re.compile("^Take 81.0 % as the alarm line")).click()
        go(page, "Downlink")
        until(page.get_by_text("12 sensors should come. Look for them")).to_be_visible()
        look(page)
        until(page.get_by_text("All 12 sensors of this kit come, as often as was reckoned.")).to_be_visible()
        until(row(page, "cell voltage")).to_contain_text(re.compile(r"4\.[12][0-9]* V.*every 4\.[0-9] s"))
        until(page.get_by_text("The craft knows more than S.Port carries: used, satellites, attitude, flight mode.")).to_be_visible()
        nothing_serious(self, page, "Downlink")
        for says, offer in (
            ("The pack runs low", "Speak it under 3.54 V of cell voltage for 3 s"),
            ("The signal gets weak", "Speak it under 81 % of RSSI for 0.5 s"),
            ("Telemetry is gone", "Speak it after 2 s without telemetry"),
        ):
            notice(page, says).get_by_role("button", name=offer).click()
            until(notice(page, says)).to_contain_text("not rung yet")
        until(findings_of(page)).to_contain_text("Cell voltage and voltage come only every 4.0 s")
        for says, act in (("The pack runs low", "Empty the pack"), ("The signal gets weak", "Walk away"), ("Telemetry is gone", "Silence the air")):
            notice(page, says).get_by_role("button", name=act).click()
            until(notice(page, says)).to_contain_text(re.compile("rang after [0-9.]+ s"))
            undo = notice(page, says).get_by_role("button", name="Undo that")
            if undo.count():
                undo.click()
        wait_coin(page, "Downlink", RINGS)
        go(page, "Lost link")
        until(page.get_by_label("Board's log")).to_contain_text(re.compile("alarm: pack low, spoken, [0-9.]+ s after it was so"))

    @in_browser
    def test_a_limit_is_changed_where_it_stands_and_a_sensor_is_not_told(self, people):
        page = people.open("Curlew", "Downlink")
        notice(page, "The pack runs low").get_by_role("button", name=re.compile("^Speak it")).click()
        limit = page.get_by_label("Limit of pack low")
        limit.fill("9")
        limit.press("Enter")
        until(findings_of(page)).to_contain_text("Cell voltage goes from 1.75 to 4.2: it is always below 9.")
        mend(page, "Take this alarm out")
        until(notice(page, "The pack runs low").get_by_role("button", name=re.compile("^Speak it"))).to_be_visible()
        page.get_by_label("Tell ESC temperature").click()
        write(page)
        restart(page)
        until(page.get_by_role("region", name="The way home")).to_contain_text("11 values take turns on one id, which is asked every 0.34 s")
        until(row(page, "ESC temperature")).to_be_visible()
        until(page.get_by_text("it is switched off")).to_be_visible()

    @in_browser
    def test_avocets_missing_sensors_are_explained_and_mended(self, people):
        page = people.open("Avocet", "Downlink")
        look(page)
        table = page.get_by_role("table", name=re.compile("^Sensors"))
        until(table).to_contain_text("U1 listens at 38400 baud; GPS speaks at 57600")
        until(table).to_contain_text("ESC's TLM wire is on R4, where the receiver is")
        table.get_by_role("button", name="Set U1 to 57600 baud").first.click()
        write(page)
        restart(page)
        until(table).not_to_contain_text("U1 listens at")
        table.get_by_role("link", name="Work out where it goes").first.click()
        page.get_by_role("listitem", name="Move ESC to R7").get_by_role("button", name="Take this plan").click()
        write(page)
        restart(page)
        go(page, "Downlink")
        until(page.get_by_text("All 18 sensors of this kit come, as often as was reckoned.")).to_be_visible()

    @in_browser
    def test_how_the_board_speaks_is_set_wrong_and_right_again(self, people):
        page = people.open("Curlew", "Downlink")
        look(page)
        page.get_by_role("combobox", name="Telemetry protocol").click()
        page.get_by_role("option", name="hub telemetry").click()
        write(page)
        restart(page)
        until(page.get_by_text("Nothing that the board tells arrives: U4 speaks hub telemetry; the Pip S8 listens for S.Port.")).to_be_visible()
        go(page, "Line")
        page.get_by_role("button", name="S.Port").click()
        until(page.get_by_text(re.compile("the board speaks hub telemetry, inverted, 9600 baud, 8N1.*and none of it is read"))).to_be_visible()
        go(page, "Downlink")
        page.get_by_role("button", name="Speak so").click()
        write(page)
        restart(page)
        until(page.get_by_text("All 12 sensors of this kit come")).to_be_visible()

    @in_browser
    def test_a_gps_is_seen_by_its_signal_wherever_its_wire_ends(self, people):
        page = people.open("Curlew", "Line")
        page.get_by_role("button", name="GPS: TX").click()
        until(page.get_by_text("UBX, not a receiver")).to_be_visible()
        until(page.get_by_text(re.compile("GPS speaks UBX at 57600 baud; U1 listens for GPS at 57600 baud and has read [0-9]+ whole messages"))).to_be_visible()
        go(page, "Port plan")
        page.get_by_role("button", name="Device GPS, Tern 8").focus()
        page.keyboard.press("Enter")
        page.get_by_role("button", name=re.compile("^Solder GPS to R3")).click()
        go(page, "Line")
        until(page.get_by_text(re.compile("On the wire from TX of GPS to R3"))).to_be_visible()
        until(page.get_by_text(re.compile("U3 has no job and does not listen for it"))).to_be_visible()
        go(page, "Downlink")
        until(page.get_by_role("table", name=re.compile("^Sensors"))).to_contain_text("GPS's TX wire is on R3, while U1 has its job")

    @in_browser
    def test_two_windows_share_the_list_and_a_checker_looks_but_sets_nothing(self, people):
        page, other = people.open("Curlew", "Downlink"), people.open("Curlew", "Downlink", "heron")
        look(other)
        for each in (page, other):
            until(each.get_by_text("All 12 sensors of this kit come")).to_be_visible()
        offer = re.compile("^Speak it under")
        until(notice(other, "The pack runs low").get_by_role("button", name=offer)).to_be_disabled()
        notice(page, "The pack runs low").get_by_role("button", name=offer).click()
        other.get_by_role("button", name="Stop looking for sensors").click()
        until(notice(other, "The pack runs low")).to_contain_text("not rung yet")
        until(notice(other, "The pack runs low").get_by_role("button", name="Take out the alarm for pack low")).to_be_disabled()
        ends = page.get_by_label("How far back ends pack low")
        ends.fill("0.3")
        ends.press("Enter")
        until(other.get_by_label("How far back ends pack low")).to_have_value("0.3")
        notice(other, "The pack runs low").get_by_role("button", name="Empty the pack").click()
        for each in (page, other):
            until(notice(each, "The pack runs low")).to_contain_text(re.compile("rang after [0-9.]+ s"))

    @in_browser
    def test_the_list_is_emptied_and_found_again_by_keys_alone(self, people):
        page = people.open("Curlew", "Downlink")
        page.get_by_role("button", name="Look for sensors", exact=True).first.press("Enter")
        until(page.get_by_text("All 12 sensors of this kit come")).to_be_visible()
        page.get_by_role("button", name="Stop looking for sensors").press("Enter")
        told = page.get_by_label("Tell heading")
        told.press(" ")
        write(page)
        restart(page)
        until(row(page, "heading").first).to_contain_text(re.compile("[0-9]"))  # and why not, in the row below: it is in the list still, and no longer comes
        page.get_by_role("button", name="Take heading out of the list").press("Enter")
        until(page.get_by_role("button", name="Take heading out of the list")).to_have_count(0)
        page.get_by_role("button", name="Empty it and look again").press("Enter")
        until(page.get_by_role("button", name="Stop looking for sensors")).to_be_visible()
        until(page.get_by_text("All 11 sensors of this kit come")).to_be_visible()

    @in_browser
    def test_a_number_that_cannot_be_is_not_taken_and_says_why(self, people):
        page = people.open("Curlew", "Downlink")
        notice(page, "Telemetry is gone").get_by_role("button", name=re.compile("^Speak it")).click()
        delay = page.get_by_label("Delay of telemetry gone")
        for wrong in ("-1", "61", "soon", ""):
            delay.fill(wrong)
            delay.press("Enter")
            until(notice(page, "Telemetry is gone")).to_contain_text("not taken: 0 to 60 s")
        delay.press("Escape")
        until(delay).to_have_value("2")
        page.reload()
        until(page.get_by_label("Delay of telemetry gone")).to_have_value("2")

    @in_browser
    def test_curlews_picture_follows_from_what_eyes_must_be_told_and_holds_in_both_formats(self, people):
        page = people.open("Curlew", "Downlink")
        picture = page.get_by_role("region", name="On the picture")
        for says in ("that the pack runs low", "that the mode is another", "how much it draws"):
            picture.get_by_role("button", name=says).click()
            until(picture.get_by_role("button", name=says)).to_have_attribute("aria-pressed", "true")
        drawn = picture.get_by_role("button", name=re.compile("^current, row"))
        drawn.focus()
        for _ in range(20):  # no farther than the last row
            page.keyboard.press("ArrowDown")
        until(picture.get_by_role("button", name="current, row 16, column 2: it would fall off in NTSC, which has 13 rows")).to_be_visible()
        cell = picture.get_by_role("button", name=re.compile("^cell voltage, row"))
        box, field = cell.bounding_box(), picture.get_by_role("group", name="The picture, to be arranged").bounding_box()
        page.mouse.move(box["x"] + 5, box["y"] + 5)
        page.mouse.down()
        page.mouse.move(field["x"] + 5 + field["width"] * 9 / 30, field["y"] + 5 + field["height"] * 2 / 16, steps=5)
        page.mouse.up()
        until(picture.get_by_role("button", name="cell voltage, row 3, column 10")).to_be_visible()
        page.keyboard.press("ArrowLeft")
        until(picture.get_by_role("button", name="cell voltage, row 3, column 9")).to_be_visible()
        until(picture).to_contain_text("Cell voltage stands in row 3, column 9")  # it is saved once the keys rest
        write(page)
        picture.get_by_role("button", name="What the pilot sees now").click()
        seen = picture.get_by_role("group", name="What the pilot sees now")
        until(seen).to_contain_text(re.compile(r"4\.\d\dV"))
        until(seen).to_contain_text(re.compile(r"0\.4A"))
        picture.get_by_role("combobox", name="Format of camera").click()
        page.get_by_role("option", name="NTSC, 30 by 13 characters").click()
        until(picture).to_contain_text("Current: it falls off the picture in NTSC.")
        until(seen).not_to_contain_text(re.compile(r"0\.4A"))
        picture.get_by_role("button", name="Arrange for me").click()
        until(picture).not_to_contain_text("falls off")
        write(page)
        until(seen).to_contain_text(re.compile(r"0\.4A"))
        low = notice(page, "The pack runs low")
        until(low).to_contain_text("the picture marks cell voltage under 3.54 V; not marked yet")
        low.get_by_role("button", name="Empty the pack").click()
        until(low).to_contain_text(re.compile(r"marked after [0-9.]+ s"))
        until(seen).to_contain_text(re.compile(r">3\.5\dV<"))
        picture.get_by_role("button", name="Back to arranging").click()
        drawn.focus()
        page.keyboard.press("Delete")
        until(picture.get_by_role("button", name="how much it draws")).to_have_attribute("aria-pressed", "false")

    @in_browser
    def test_a_line_is_changed_where_its_value_stands_and_a_checker_only_looks(self, people):
        page, other = people.open("Curlew", "Downlink"), people.open("Curlew", "Downlink", "heron")
        picture = page.get_by_role("region", name="On the picture")
        picture.get_by_role("button", name="that it is too high").click()
        picture.get_by_role("button", name=re.compile("^height, row")).focus()
        until(picture).to_contain_text(re.compile("Height stands in row [0-9]+, column [0-9]+, and is marked above"))
        line = picture.get_by_label("Line of height")
        until(line).to_have_value("120")
        line.fill("80")
        line.press("Enter")
        theirs = other.get_by_role("region", name="On the picture")
        until(theirs.get_by_role("button", name="that it is too high")).to_be_disabled()
        theirs.get_by_role("button", name=re.compile("^height, row")).focus()
        until(theirs.get_by_label("Line of height")).to_have_value("80")  # so it is saved, and what comes next is made from it
        picture.get_by_role("button", name="how much it draws").click()
        picture.get_by_role("button", name=re.compile("^current, row")).focus()
        until(picture).to_contain_text(re.compile("Current stands in row [0-9]+, column [0-9]+, and is marked above"))
        drawn = picture.get_by_label("Line of current")
        drawn.fill("40")
        drawn.press("Enter")
        until(picture).to_contain_text("and is marked above")
        before = theirs.get_by_role("button", name=re.compile("^height, row")).get_attribute("aria-label")
        other.keyboard.press("ArrowDown")
        other.keyboard.press("Delete")
        until(theirs.get_by_role("button", name=before)).to_be_visible()

    @in_browser
    def test_a_digital_link_has_a_screen_of_its_own_and_a_craft_without_a_camera_says_so(self, people):
        page = people.open("Avocet", "Downlink")
        picture = page.get_by_role("region", name="On the picture")
        until(picture).to_contain_text("Video link shows 40 by 18 characters.")
        page = people.open("Sandpiper", "Downlink")
        until(page.get_by_role("region", name="On the picture")).to_contain_text("There is no picture to write on: no camera and no video link is fitted.")

    @in_browser
    def test_a_craft_without_telemetry_says_so(self, people):
        page = people.open("Coot", "Downlink")
        until(page.get_by_text("Nothing can come back: the Six Pack sends none back.")).to_be_visible()
        until(page.get_by_role("link", name="Look for a receiver that has it")).to_be_visible()
