"""The Line hop: what is on a wire, why the board does not read it, recordings laid open, and a serial line listened to."""

from __future__ import annotations

import os
import pty
import re
import tempfile
import threading
import tty
from contextlib import suppress
from pathlib import Path

from linkcore.protocols import crsf
from server.tap.lines import offer
from tests.browser.acts import RINGS, findings_of, go, mend, restart, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious

CAPTURES = Path(__file__).resolve().parent.parent / "captures"


def card(page, name):
    return page.get_by_role("region", name=re.compile(name))


class LiveLineTest(BrowserTest):
    @in_browser
    def test_sandpipers_fault_is_found_in_one_look_and_mended(self, people):
        page = people.open("Sandpiper", "Line")
        until(card(page, "On the wire from F.Port")).to_contain_text("F.Port,")
        until(card(page, "Port U3 samples T3")).to_contain_text("But T3 cannot invert")
        until(findings_of(page)).to_contain_text("The port is set correctly, but T3 cannot invert")
        nothing_serious(self, page, "Line with a fault")
        mend(page, "Move the wire to T5, which has an inverter")
        write(page)
        restart(page)
        until(page.get_by_text("F.Port, inverted, 115200 baud, 8N1, half duplex")).to_be_visible()
        wait_coin(page, "Line", RINGS)
        until(card(page, "Telemetry that the receiver hears")).to_contain_text(re.compile(r"voltage12[.][0-9]* V"))  # its pack has three cells

    @in_browser
    def test_pulses_satellites_and_the_tap_on_another_wire(self, people):
        page = people.open("Coot", "Line")
        until(page.get_by_text("PWM, 50 pulses a second")).to_be_visible()
        until(page.get_by_text("200 of 200 pulses a second whole")).to_be_visible()
        page.get_by_role("button", name="CH5").click()
        until(card(page, "On the wire from CH5 of the Six Pack, which goes nowhere")).to_contain_text("PWM")
        page.get_by_role("link", name="Crafts", exact=True).click()
        page.get_by_role("link", name="Curlew", exact=True).click()
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        go(page, "Line")
        page.get_by_role("button", name="S.Port").click()
        until(page.get_by_text(re.compile("S.Port, 8[3-9] frames a second"))).to_be_visible()

    @in_browser
    def test_a_silent_line_is_no_fault_of_the_port_and_old_telemetry_shows_its_age(self, people):
        page = people.open("Curlew", "Line")
        until(card(page, "Telemetry that the receiver hears")).to_contain_text("V")
        page.get_by_role("switch", name="Transmitter on").click()
        until(card(page, "Port U2 samples R2 as")).to_contain_text("nothing arrives there now")
        until(card(page, "On the wire from SBUS")).to_contain_text("nothing: no edges")
        until(findings_of(page)).to_contain_text("The transmitter is off.")
        until(card(page, "Telemetry that the receiver hears")).to_contain_text("s old")
        page.get_by_role("switch", name="Transmitter on").click()
        until(card(page, "Telemetry that the receiver hears")).not_to_contain_text("s old")

    @in_browser
    def test_the_port_is_set_by_hand_and_back_as_worked_out(self, people):
        page = people.open("Curlew", "Line")
        panel = card(page, "How the port is set")
        until(panel).to_contain_text("rests low: inverted")
        until(panel).to_contain_text("as worked out")
        panel.get_by_role("combobox", name="Inversion").click()
        page.get_by_role("option", name="not inverted").click()
        until(panel).to_contain_text("the draft differs from the board")
        write(page)
        restart(page)
        until(findings_of(page)).to_contain_text("no frame among them")
        panel.get_by_role("button", name="Set it as worked out").click()
        until(panel.get_by_role("button", name="Set it as worked out")).to_be_hidden()


class RecordingTest(BrowserTest):
    @in_browser
    def test_the_last_seconds_are_looked_at_more_closely_kept_and_opened_again(self, people):
        page = people.open("Curlew", "Line")
        until(page.get_by_text("SBUS, 111 frames a second")).to_be_visible()
        page.get_by_role("button", name="Record the last 10 s").click()
        opened = page.get_by_role("region", name="Frame laid open")
        until(opened).to_contain_text("Frame 1 of")
        until(opened.get_by_role("row", name=re.compile("^header")).get_by_role("cell").nth(2)).to_have_text("0F")
        until(card(page, "The craft's port, as the draft sets it")).to_contain_text("would read it: 100 %")
        strip = page.get_by_role("img", name=re.compile("^Strip of"))
        strip.focus()
        page.keyboard.press(".")
        until(opened).to_contain_text("Frame 2 of")
        before = strip.get_attribute("data-span")
        page.keyboard.press("+")
        until(strip).not_to_have_attribute("data-span", before)
        box = strip.bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + 16)
        until(opened).not_to_contain_text("Frame 2 of")
        page.get_by_role("button", name="Replay from here").click()
        was = opened.inner_text()
        until(opened).not_to_have_text(was)
        page.get_by_role("button", name="Stop the replay").click()
        nothing_serious(self, page, "a recording")
        page.get_by_role("button", name="Keep with the craft").click()
        until(page.get_by_role("button", name="Kept with the craft")).to_be_visible()
        with page.expect_download() as saved:
            page.get_by_role("link", name="Save as CSV").click()
        self.assertTrue(Path(saved.value.path()).read_text().startswith("time_s,level\n0.000000000,"))
        page.get_by_role("button", name="Back to the live line").click()
        page.get_by_role("button", name="Recordings").click()
        row = page.get_by_role("list", name="Recordings").get_by_role("listitem")
        until(row).to_contain_text("SBUS, from the stand-in")
        until(row).to_contain_text("kept with the craft")
        row.get_by_role("button", name=re.compile("^SBUS of the Pip S8")).click()
        until(opened).to_contain_text("Frame 1 of")

    @in_browser
    def test_a_file_is_laid_open_down_to_the_damaged_bit_and_a_broken_one_explained(self, people):
        page = people.open("Curlew", "Line")
        page.get_by_role("button", name="Recordings").click()
        until(page.get_by_text("No recording yet")).to_be_visible()
        chooser = page.get_by_test_id("capture-file")
        with tempfile.TemporaryDirectory() as folder:
            broken = Path(folder) / "broken.vcd"
            broken.write_text("no dump")
            chooser.set_input_files(broken)
            until(page.get_by_role("alert")).to_contain_text("broken.vcd: line 1: not a value change dump")
        self.back_to_the_list(page)
        chooser.set_input_files(CAPTURES / "crsf-damaged.vcd")
        until(card(page, "^crsf-damaged.vcd")).to_contain_text("CRSF: 5")
        until(card(page, "The craft's port, as the draft sets it")).to_contain_text("protocol CRSF and not inverted")
        page.get_by_role("button", name="Next that is not good").click()
        opened = page.get_by_role("region", name="Frame laid open")
        until(opened).to_contain_text("damaged")
        until(opened.get_by_role("row", name=re.compile("^CRC"))).to_contain_text("reckoned")
        wave = page.get_by_role("img", name=re.compile("^Waveform from"))
        until(wave).not_to_have_attribute("data-toggles", re.compile("^(0|-1)$"))
        told = wave.get_attribute("aria-label")
        page.get_by_role("button", name="Zoom into the waveform").click()
        until(wave).not_to_have_attribute("aria-label", told)
        self.back_to_the_list(page)
        chooser.set_input_files(CAPTURES / "pwm.vcd")
        until(card(page, "^pwm.vcd")).to_contain_text("PWM: 60 good frames")
        page.get_by_role("combobox", name="Line").click()
        page.get_by_role("option", name="ch3").click()
        until(opened).to_contain_text("CH1 1777.0 us")
        self.back_to_the_list(page)
        chooser.set_input_files(CAPTURES / "gps.vcd")
        until(card(page, "^gps.vcd")).to_contain_text("NMEA, not a receiver")
        self.back_to_the_list(page)
        page.get_by_role("button", name="Remove gps.vcd").click()
        until(page.get_by_role("button", name="Remove gps.vcd")).to_be_hidden()

    @in_browser
    def test_a_recording_sets_the_port_and_is_judged_anew(self, people):
        page = people.open("Curlew", "Line")
        page.get_by_role("button", name="Recordings").click()
        page.get_by_test_id("capture-file").set_input_files(CAPTURES / "ibus-sticks.vcd")
        port = card(page, "The craft's port, as the draft sets it")
        until(port).to_contain_text("would read no frame of it")
        page.get_by_role("button", name="Set the port so").click()
        until(port).to_contain_text("IBUS, not inverted, 115200 baud, 8N1")
        until(port).to_contain_text("would read it: 100 %")
        until(page.get_by_role("button", name="2 settings differ from the board")).to_be_visible()
        until(findings_of(page)).to_contain_text("U2 reads IBUS; the Pip S8 speaks SBUS")

    @in_browser
    def test_what_another_throws_away_is_said_to_be_gone(self, people):
        wren, teal = people.open("Curlew", "Line", "wren"), people.open("Curlew", "Line", "teal")
        wren.get_by_role("button", name="Recordings").click()
        wren.get_by_test_id("capture-file").set_input_files(CAPTURES / "sbus-sticks.csv")
        opened = wren.get_by_role("region", name="Frame laid open")
        until(opened).to_contain_text("Frame 1 of 71")
        teal.get_by_role("button", name="Recordings").click()
        teal.get_by_role("button", name="Remove sbus-sticks.csv").click()
        until(teal.get_by_text("No recording yet")).to_be_visible()
        strip = wren.get_by_role("img", name=re.compile("^Strip of"))
        strip.focus()
        wren.keyboard.press(".")
        until(wren.get_by_role("alert")).to_contain_text("there is no such recording")
        wren.get_by_role("button", name="Keep with the craft").click()
        until(wren.get_by_role("alert").filter(has_text="no such recording").first).to_be_visible()
        wren.get_by_role("button", name="Recordings").click()
        until(wren.get_by_text("No recording yet")).to_be_visible()

    @in_browser
    def test_strip_and_waveform_are_walked_by_key(self, people):
        page = people.open("Curlew", "Line")
        page.get_by_role("button", name="Recordings").click()
        page.get_by_test_id("capture-file").set_input_files(CAPTURES / "sport.vcd")
        opened = page.get_by_role("region", name="Frame laid open")
        until(opened).to_contain_text("poll")
        strip, wave = page.get_by_role("img", name=re.compile("^Strip of")), page.get_by_role("img", name=re.compile("^Waveform from"))
        strip.focus()
        page.keyboard.press("+")
        page.keyboard.press("+")
        until(strip).to_have_attribute("data-span", re.compile("^0.5"))
        page.keyboard.press("Home")
        until(strip).to_have_attribute("data-span", re.compile("^0.0000"))
        page.keyboard.press("End")
        until(strip).to_have_attribute("data-span", re.compile(r" 1\.4963$"))
        for _ in range(28):
            page.keyboard.press(".")
        until(opened).to_contain_text("voltage: 12.6 V")
        page.keyboard.press(",")
        until(opened).to_contain_text("asks sensor")
        wave.focus()
        told = wave.get_attribute("aria-label")
        page.keyboard.press("ArrowRight")
        until(wave).not_to_have_attribute("aria-label", told)
        told = wave.get_attribute("aria-label")
        page.keyboard.press("-")
        until(wave).not_to_have_attribute("aria-label", told)

    @staticmethod
    def back_to_the_list(page):
        page.get_by_role("button", name="Back to the live line").click()
        page.get_by_role("button", name="Recordings").click()


class SerialTest(BrowserTest):
    @in_browser
    def test_a_serial_line_is_listened_to_and_looked_at(self, people):
        master, slave = pty.openpty()
        tty.setraw(slave)
        os.set_blocking(master, False)
        self.addCleanup(offer(os.ttyname(slave), "a line").unlink)
        ended = threading.Event()

        def send():
            while not ended.wait(0.02):
                with suppress(OSError):
                    os.write(master, crsf.encode_channels([992, 192] * 8) * 2)

        thread = threading.Thread(target=send, daemon=True)
        thread.start()
        page = people.open("Avocet", "Line")
        page.get_by_role("button", name="Listen to a serial line").click()
        until(page.get_by_text("a tap never sends")).to_be_visible()
        address = page.get_by_label("Serial line")
        address.fill("/etc/passwd")
        page.get_by_role("button", name="Listen", exact=True).click()
        until(page.get_by_role("alert")).to_contain_text("no serial device")
        address.fill(os.ttyname(slave))
        page.keyboard.press("Tab")
        page.get_by_role("button", name="Listen", exact=True).click()
        until(page.get_by_text("CRSF: 100 % of the frames whole")).to_be_visible()
        until(page.get_by_role("group", name="Channels")).to_contain_text("CH2 1000.0")
        nothing_serious(self, page, "a tap")
        page.get_by_role("button", name="Record what was heard").click()
        until(card(page, "baud.bin")).to_contain_text("CRSF")
        page.get_by_role("button", name="Back to the live line").click()
        until(page.get_by_role("button", name="Listen to a serial line")).to_be_visible()
        ended.set()
        thread.join(2)
        os.close(master)
        os.close(slave)
