"""Each hop and the bench, as a pilot would work them: what is done by hand, and what the screen then says."""

from __future__ import annotations

import re

from server.crafts.models import Craft
from tests.browser.acts import (
    BLANK,
    CENTRE,
    CRACKED,
    HIGH,
    LOW,
    NOW,
    RINGS,
    axis,
    band_of,
    bench_of,
    drag,
    findings_of,
    go,
    mend,
    restart,
    solve,
    until,
    wait_coin,
    write,
)
from tests.browser.base import BrowserTest, in_browser


class BenchTest(BrowserTest):
    @in_browser
    def test_power_bind_and_air_show_themselves_everywhere(self, people):
        page = people.open("Curlew", "Line")
        bench = bench_of(page)
        until(bench.get_by_text("Green, steady.")).to_be_visible()

        bench.get_by_role("switch", name="Transmitter on").click()
        until(bench.get_by_text("Red, slow blink.")).to_be_visible()
        until(findings_of(page)).to_contain_text("The transmitter is off.")
        until(bench.get_by_text("LQ 0 %")).to_be_visible()
        bench.get_by_role("switch", name="Transmitter on").click()

        bench.get_by_role("switch", name="Receiver plugged in").click()
        until(bench.get_by_text("Dark.")).to_be_visible()
        until(findings_of(page)).to_contain_text("The receiver has no power")
        bench.get_by_role("switch", name="Receiver plugged in").click()

        bench.get_by_role("switch", name="pack").click()
        until(bench.get_by_text("Dark.")).to_be_visible()
        until(page.get_by_text("nothing: no edges")).to_be_visible()
        bench.get_by_role("switch", name="USB").click()
        until(bench.get_by_text("restarting…")).to_be_visible()
        until(bench.get_by_text("link good")).to_be_visible()

        bench.get_by_role("button", name="60 %").click()
        until(page.get_by_text(re.compile(r"\d+ frame lost"))).to_be_visible()
        until(bench.get_by_text(re.compile(r"^LQ [2-6]\d %$"))).to_be_visible()
        bench.get_by_role("button", name="0 %", exact=True).click()
        until(bench.get_by_text("LQ 100 %")).to_be_visible()

    @in_browser
    def test_levers_gimbals_and_keys(self, people):
        page = people.open("Curlew", "Sticks")
        bench = bench_of(page)
        lever = bench.get_by_role("slider", name="Switch S2")
        until(lever).to_have_attribute("aria-valuetext", "low")
        lever.focus()
        page.keyboard.press("ArrowUp")
        until(lever).to_have_attribute("aria-valuetext", "mid")
        page.keyboard.press("ArrowUp")
        page.keyboard.press("ArrowUp")
        until(lever).to_have_attribute("aria-valuetext", "high")
        lever.locator("[data-position=low]").click()
        until(lever).to_have_attribute("aria-valuetext", "low")
        page.keyboard.press("Shift+Digit2")
        until(lever).to_have_attribute("aria-valuetext", "high")

        page.locator("[data-gimbal=left]").focus()
        page.keyboard.down("ArrowUp")
        until(axis(page, "throttle", NOW)).to_have_text(re.compile(r"^(199\d|200\d)$"))
        page.keyboard.up("ArrowUp")
        until(axis(page, "yaw", NOW)).to_have_text(re.compile(r"^(149\d|150\d)$"))
        until(axis(page, "throttle", NOW)).to_have_text(re.compile(r"^(199\d|200\d)$"))
        page.keyboard.down("KeyS")
        until(axis(page, "throttle", NOW)).to_have_text(re.compile(r"^(99\d|100\d)$"))
        page.keyboard.up("KeyS")

        page.keyboard.press("b")
        until(bench.get_by_role("switch", name="Receiver plugged in")).to_have_count(0)
        page.keyboard.press("b")
        until(bench.get_by_role("switch", name="Receiver plugged in")).to_be_visible()
        page.keyboard.press("?")
        until(page.get_by_role("dialog", name="Keyboard shortcuts")).to_contain_text("one hop back, one hop on")
        page.keyboard.press("Escape")
        page.keyboard.press("[")
        page.get_by_role("heading", level=1, name="Line").wait_for()

    @in_browser
    def test_keys_still_fly_after_a_switch_was_clicked(self, people):
        page = people.open("Curlew", "Sticks")
        switch = bench_of(page).get_by_role("switch", name="Transmitter on")
        switch.click()
        until(switch).not_to_be_checked()  # the switch shows what the bench says, a moment later
        switch.click()
        until(switch).to_be_checked()
        page.keyboard.down("KeyD")
        until(axis(page, "yaw", NOW)).to_have_text(re.compile(r"^(199\d|200\d)$"))
        page.keyboard.up("KeyD")

    @in_browser
    def test_a_broken_connection_is_told_and_mends_itself(self, people):
        page = people.sign_in()
        sockets = []

        def pass_on(route):
            sockets.append(route)
            server = route.connect_to_server()
            route.on_message(server.send)
            server.on_message(lambda message: route.send(message))

        page.route_web_socket(re.compile(".*/bench$"), pass_on)
        page.get_by_role("link", name="Curlew", exact=True).click()
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        sockets[-1].close(code=1012)
        until(page.get_by_role("alert").get_by_text("The bench does not answer")).to_be_visible()
        until(page.get_by_text("The bench does not answer")).to_have_count(0)
        self.assertEqual(len(sockets) >= 2, True)

    @in_browser
    def test_who_has_signed_out_elsewhere_sees_nothing_more(self, people):
        page = people.open("Curlew", "Line")
        page.evaluate("""() => fetch('/api/session', {method: 'DELETE', headers: {'X-CSRFToken': document.cookie.match(/csrftoken=([^;]+)/)[1]}})""")
        until(page.get_by_role("button", name="Sign in")).to_be_visible()


class PortPlanTest(BrowserTest):
    @in_browser
    def test_the_wire_is_moved_and_the_job_follows(self, people):
        page = people.open("Curlew", "Port plan")
        wait_coin(page, "Port plan", RINGS)
        page.get_by_role("button", name="Pin SBUS of receiver").click()
        page.get_by_role("button", name=re.compile("^Pad R3, port U3")).click()
        wait_coin(page, "Port plan", CRACKED)
        until(findings_of(page)).to_contain_text("The receiver is soldered to R3, but U2 has its job.")
        page.get_by_role("button", name="Pad R3, port U3, free").click()
        card = page.get_by_role("region", name="R3 is U3")
        for fact in ("U3 listens here", "its other pad is T3", "inverts inside the UART", "Soldered to it: receiver SBUS"):
            until(card).to_contain_text(fact)
        go(page, "Line")
        until(findings_of(page)).to_contain_text("Nothing arrives at R2.")
        until(findings_of(page)).to_contain_text("The signal stops elsewhere")
        mend(page, "Port plan", "link")
        mend(page, "Resolder the wire to R2")
        wait_coin(page, "Port plan", RINGS)
        wait_coin(page, "Sticks", RINGS)

    @in_browser
    def test_jobs_are_given_and_taken_and_the_board_is_told_apart(self, people):
        page = people.open("Curlew", "Port plan")
        page.get_by_role("button", name="Look at U3").click()
        card = page.get_by_role("region", name="R3 is U3")
        card.get_by_role("combobox", name="Job of U3").click()
        page.get_by_role("option", name="receiver input").click()
        until(card).to_contain_text("The board still has free")
        until(findings_of(page)).to_contain_text("In the draft: U2 and U3 both have the job receiver input.")
        wait_coin(page, "Port plan", RINGS)
        card.get_by_role("combobox", name="Job of U3").click()
        page.get_by_role("option", name="flow sensor").click()
        write(page)
        until(card).to_contain_text("a port's job counts only after a restart")
        page.get_by_role("button", name="Restart board").click()
        until(page.get_by_text("draft is on the board")).to_be_visible()
        page.keyboard.press("b")
        until(bench_of(page).get_by_text("link good")).to_be_visible()

    @in_browser
    def test_the_last_job_taken_away_says_what_is_missing(self, people):
        page = people.open("Curlew", "Port plan")
        page.get_by_role("button", name="Look at U2").click()
        card = page.get_by_role("region", name="R2 is U2")
        card.get_by_role("combobox", name="Job of U2").click()
        page.get_by_role("option", name="free").click()
        until(findings_of(page)).to_contain_text("In the draft: No port has the receiver job.")
        mend(page, re.compile("^Give U2 the receiver job$"))
        until(page.get_by_text("draft is on the board")).to_be_visible()


class LineTest(BrowserTest):
    @in_browser
    def test_read_upside_down_and_what_would_read_it(self, people):
        page = people.open("Curlew", "Port plan")
        page.get_by_role("button", name="Look at U2").click()
        page.get_by_role("checkbox", name="Inverted line").click()
        write(page)
        restart(page)
        go(page, "Line")
        wait_coin(page, "Line", CRACKED)
        until(page.get_by_text("SBUS, not inverted, 100000 baud, 8E2")).to_be_visible()
        until(page.get_by_role("main").get_by_text("What would read it:")).to_be_visible()
        picture = page.get_by_role("img", name=re.compile("^Waveform"))
        until(picture).to_have_attribute("aria-label", re.compile(r"Sent: 0F .*Read by port U2: F8 \(parity, no stop bit\)"))
        wait_coin(page, "Sticks", re.compile("^tarnished"))
        mend(page, re.compile(r"Set the port to inverted \(tried: 100% whole\)"))
        write(page)
        restart(page)
        wait_coin(page, "Line", RINGS)
        wait_coin(page, "Sticks", RINGS)

    @in_browser
    def test_the_other_protocol_is_named(self, people):
        page = people.open("Avocet", "Port plan")
        solve(page)
        wait_coin(page, "Port plan", RINGS)
        page.get_by_role("button", name="Look at U4").click()
        page.get_by_role("combobox", name="Receiver protocol").click()
        page.get_by_role("option", name="SBUS").click()
        until(findings_of(page)).to_contain_text("U4 reads SBUS; the Wisp 900 speaks CRSF.")
        write(page)
        restart(page)
        go(page, "Line")
        wait_coin(page, "Line", CRACKED)
        until(findings_of(page).get_by_role("button", name=re.compile("protocol CRSF"))).to_be_visible()


class SticksTest(BrowserTest):
    @in_browser
    def test_measured_anew_from_corner_to_corner(self, people):
        page = people.open("Curlew", "Sticks")
        page.get_by_role("button", name="Measure anew").click()
        until(page.get_by_role("row", name=re.compile("^roll")).get_by_text("move it to both ends")).to_be_visible()
        wait_coin(page, "Sticks", RINGS)  # the recorded proof stands: nothing that it rests on has changed
        drag(page, "right", [(1, 1), (1, -1), (-1, -1), (-1, 1)])
        drag(page, "left", [(1, 1), (-1, 1), (-1, -1), (1, -1), (0, -1)])
        for name in ("roll", "pitch", "yaw"):
            until(page.get_by_role("row", name=re.compile(f"^{name}")).get_by_text("reaches both lines, rests in the middle")).to_be_visible()
            until(axis(page, name, LOW)).to_have_text(re.compile(r"^(99\d|100\d)$"))
            until(axis(page, name, CENTRE)).to_have_text(re.compile(r"^(149\d|150\d)$"))
            until(axis(page, name, HIGH)).to_have_text(re.compile(r"^(199\d|200\d)$"))
        until(
            page.get_by_role("row", name=re.compile("^throttle")).get_by_text(re.compile("^reaches both lines; stick down, the armed motors turn at"))
        ).to_be_visible()

    @in_browser
    def test_without_a_signal_it_says_so(self, people):
        page = people.open("Avocet", "Sticks")
        until(page.get_by_text("the board sees no stick")).to_have_count(2)
        until(findings_of(page)).to_contain_text("The signal stops elsewhere")
        until(axis(page, "roll", NOW)).to_have_text("–")


class SwitchboardTest(BrowserTest):
    @in_browser
    def test_bands_are_typed_taken_away_and_given(self, people):
        page = people.open("Curlew", "Switchboard")
        angle = band_of(page, "angle")
        low = angle.get_by_label("From")
        low.fill("9999")
        until(angle.get_by_text("800 to 1249")).to_be_visible()
        low.press("Escape")
        until(low).to_have_value("850")
        low.fill("1100")
        low.press("Enter")
        until(findings_of(page)).to_contain_text("In the draft: angle's mode band misses every detent of CH6, the nearest by 100 us.")
        mend(page, "Set the mode band to 850 to 1250 us")
        until(low).to_have_value("850")

        horizon = band_of(page, "horizon")
        horizon.get_by_label("From").fill("1200")
        horizon.get_by_label("From").press("Enter")
        until(findings_of(page)).to_contain_text("The mode bands of angle and horizon overlap.")
        horizon.get_by_role("button", name="Remove the mode band of horizon").click()
        until(page.get_by_role("group", name="Mode band of horizon")).to_have_count(0)
        page.get_by_role("combobox", name="Add a mode").click()
        page.get_by_role("option", name=re.compile("^horizon")).click()
        until(band_of(page, "horizon").get_by_label("From")).to_have_value("1750")
        page.get_by_role("button", name="Remove the mode band of arm").click()
        until(findings_of(page)).to_contain_text("No mode band arms the craft.")
        page.get_by_role("button", name="Give arming a mode band").click()
        until(band_of(page, "arm").get_by_label("To")).to_have_value("2150")

    @in_browser
    def test_every_row_is_walked_and_a_high_throttle_blocks(self, people):
        page = people.open("Avocet", "Port plan")
        solve(page)
        write(page)
        restart(page)
        go(page, "Switchboard")
        table = page.get_by_role("region", name="Truth table")
        until(table.get_by_text("not measured yet").first).to_be_visible()
        until(page.get_by_label(re.compile("^S1 on CH5: 1 of 2 detents learned"))).to_be_visible()
        until(page.get_by_label(re.compile("^S2 on CH6: 1 of 3 detents learned"))).to_be_visible()
        drag(page, "left", [(0, 0)])
        for key, learned in (("1", "S1 on CH5: 2 of 2"), ("2", "S2 on CH6: 2 of 3"), ("2", "S2 on CH6: 3 of 3")):
            page.keyboard.press(key)
            until(page.get_by_label(re.compile(f"^{learned} detents learned"))).to_be_visible()
        until(table.get_by_text("not measured yet")).to_have_count(0)
        until(page.get_by_text("throttle not low").first).to_be_visible()
        self.assertEqual(page.get_by_role("row", name=re.compile(r"^high .* arm .* seen")).count(), 0)
        drag(page, "left", [(0, -1)])
        page.keyboard.press("1")
        for place, mode in (("high", "acro"), ("low", "acro"), ("mid", "angle")):
            until(page.get_by_role("row", name=re.compile(f"^low {place} – {mode}.* seen$"))).to_be_visible()
            page.keyboard.press("1")
            until(page.get_by_role("row", name=re.compile(f"^high {place} arm {mode}.* seen$"))).to_be_visible()
            page.keyboard.press("1")
            until(page.get_by_role("row", name=re.compile(f"^low {place} – {mode}.* seen$"))).to_be_visible()
            page.keyboard.press("2")
        wait_coin(page, "Switchboard", RINGS)


class LostLinkTest(BrowserTest):
    @in_browser
    def test_hold_is_cracked_and_mended(self, people):
        page = people.open("Curlew", "Lost link")
        page.get_by_role("combobox", name="Pip S8 on loss").click()
        page.get_by_role("option", name="repeats its last values").click()
        wait_coin(page, "Lost link", CRACKED)
        until(page.get_by_text("the receiver hides the loss: the board never learns of it")).to_be_visible()
        mend(page, "Set the receiver to no pulses")
        wait_coin(page, "Lost link", BLANK)

    @in_browser
    def test_a_preset_is_judged_by_what_it_does(self, people):
        page = people.open("Avocet", "Lost link")
        page.get_by_role("combobox", name="Wisp 900 on loss").click()
        page.get_by_role("option", name="sends values of its own").click()
        arm = page.get_by_label("Its arm, CH5")
        until(arm).to_have_value("1500")
        until(findings_of(page)).to_contain_text("The Wisp 900's own values disarm the craft")
        until(page.get_by_label("Its throttle, CH3")).to_have_value("1000")
        arm.fill("1900")
        arm.press("Enter")
        wait_coin(page, "Lost link", CRACKED)
        until(findings_of(page)).to_contain_text("its value for CH5 keeps the craft armed.")
        mend(page, "Set the receiver to no pulses")
        wait_coin(page, "Lost link", BLANK)
        until(arm).to_have_count(0)

    @in_browser
    def test_coots_hold_is_a_stop_before_anything_is_switched_off_and_is_mended(self, people):
        page = people.open("Coot", "Lost link")
        wait_coin(page, "Lost link", CRACKED)
        until(findings_of(page)).to_contain_text("The Six Pack is set to hold, which hides the loss from the board.")
        mend(page, "Give arming a mode band; then a preset of the receiver can take it to off", "link")
        page.get_by_role("heading", level=1, name="Switchboard").wait_for()
        page.get_by_role("combobox", name="Arm by").click()
        page.get_by_role("option", name=re.compile("^stick")).click()
        go(page, "Lost link")
        mend(page, re.compile(r"^Set the receiver to preset, with throttle \(CH3\) at 1500 us, which disarms after \d+ s$"))
        write(page)
        wait_coin(page, "Lost link", BLANK)
        until(findings_of(page)).to_contain_text("The Six Pack's own values disarm the craft")

    @in_browser
    def test_an_armed_board_takes_no_settings(self, people):
        page = people.open("Curlew", "Lost link")
        page.keyboard.press("1")
        until(bench_of(page).get_by_text("armed", exact=True)).to_be_visible()
        page.get_by_label("Board's grace").fill("500")
        page.get_by_label("Board's grace").press("Enter")
        write(page)
        until(page.get_by_role("status").get_by_text("write: the board is armed and takes no settings; disarm first")).to_be_visible()
        page.get_by_role("button", name="Restart board").click()
        until(page.get_by_role("status").get_by_text("restart: the board is armed; disarm first")).to_be_visible()
        page.get_by_role("heading", level=1).click()
        page.keyboard.press("1")
        until(bench_of(page).get_by_text("disarmed", exact=True)).to_be_visible()
        write(page)
        until(page.get_by_text("draft is on the board")).to_be_visible()

    @in_browser
    def test_a_loss_without_arming_proves_just_that(self, people):
        page = people.open("Curlew", "Lost link")
        page.get_by_role("button", name="Transmitter off").click()
        until(page.get_by_label("Board's log")).to_contain_text("link lost: grace is over")
        until(page.get_by_text("The craft was not armed when the link died: the motors must stand still")).to_be_visible()
        page.get_by_role("button", name="Transmitter on").click()
        until(page.get_by_text("Disarmed, the motors stood still.")).to_be_visible()
        until(page.get_by_role("region", name="Proofs").get_by_role("img", name="proven", exact=True)).to_have_count(1)
        wait_coin(page, "Lost link", BLANK)


class ListTest(BrowserTest):
    def setUp(self):
        super().setUp()
        curlew = Craft.objects.get(name="Curlew")
        for number in range(40):
            Craft.objects.create(workshop=curlew.workshop, name=f"Plover {number:02}", document=curlew.document | {"name": f"Plover {number:02}"})
        Craft.objects.create(workshop=curlew.workshop, name="Whimbrel", document=curlew.document | {"version": 3})
        Craft.objects.create(
            workshop=curlew.workshop, name="Snipe", document=curlew.document | {"kit": {"board": "gone", "receiver": "pip-s8", "transmitter": "field-9"}}
        )

    @in_browser
    def test_many_crafts_and_some_that_cannot_be_read(self, people):
        page = people.sign_in()
        until(page.get_by_role("listitem")).to_have_count(47)
        until(page.get_by_role("listitem").filter(has_text="Whimbrel")).to_contain_text("written by a newer Coin Bell")
        until(page.get_by_role("listitem").filter(has_text="Snipe")).to_contain_text("The catalogue has no gone for the board.")
        page.get_by_role("link", name="Whimbrel").click()
        until(page.get_by_role("alert")).to_contain_text("Update Coin Bell")
        page.get_by_role("link", name="All crafts").click()
        page.get_by_role("link", name="Plover 33").click()
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        wait_coin(page, "Port plan", CRACKED)  # a board fresh from the drawer holds nothing yet
        until(page.get_by_role("button", name=re.compile("settings differ from the board"))).to_be_visible()

    @in_browser
    def test_a_name_that_is_taken_keeps_the_form(self, people):
        page = people.sign_in()
        page.get_by_role("button", name="New craft").click()
        page.get_by_label("Name").fill("Curlew")
        for label, option in (("Board", "Merle F7"), ("Receiver", "Pip S8"), ("Transmitter", "Harrow 16")):
            page.get_by_role("combobox", name=label).click()
            page.get_by_role("option", name=re.compile(option)).click()
        page.get_by_role("button", name="Make the craft").click()
        until(page.get_by_role("alert")).to_contain_text("already has a craft called Curlew")
        page.get_by_label("Name").fill("Curlew Two")
        page.get_by_role("button", name="Make the craft").click()
        page.get_by_role("heading", level=1, name="Kit").wait_for()


class KeyboardOnlyTest(BrowserTest):
    @in_browser
    def test_from_sign_in_to_a_mended_craft_without_a_mouse(self, people):
        page = people.page()
        page.goto(people.address)
        until(page.get_by_label("Name")).to_be_visible()
        page.keyboard.type("wren")
        page.keyboard.press("Tab")
        page.keyboard.type("low-tide-42")
        page.keyboard.press("Enter")
        page.wait_for_selector("main[data-ready]")

        def tab_to(what, most=200):  # twice round the fullest hop: the walk may begin anywhere
            for _ in range(most):
                page.keyboard.press("Tab")
                focused = page.evaluate("document.activeElement.getAttribute('aria-label') || document.activeElement.innerText || ''")
                if re.search(what, focused):
                    return
            raise AssertionError(f"the Tab key never comes to {what}")

        tab_to("^Avocet$")
        page.keyboard.press("Enter")
        page.get_by_role("heading", level=1, name="Port plan").wait_for()
        tab_to("^To the hop$")
        page.keyboard.press("Enter")
        tab_to("^Work it out$")
        page.keyboard.press("Enter")
        tab_to("^Take this plan$")
        page.keyboard.press("Enter")
        until(page.get_by_role("button", name="1 setting differs")).to_be_visible()
        page.evaluate("document.activeElement.blur()")
        tab_to("^Write to board$")
        page.keyboard.press("Enter")
        until(page.get_by_text("restart due")).to_be_visible()
        page.evaluate("document.activeElement.blur()")
        tab_to("^Restart board$")
        page.keyboard.press("Enter")
        wait_coin(page, "Port plan", RINGS)
        page.keyboard.press("]")
        for hop in ("Loom", "Load", "Bind"):
            page.get_by_role("heading", level=1, name=hop).wait_for()
            page.keyboard.press("]")
        page.get_by_role("heading", level=1, name="Line").wait_for()
        tab_to("^right gimbal")
        page.keyboard.press("]")
        page.keyboard.down("ArrowUp")
        until(axis(page, "pitch", NOW)).to_have_text(re.compile(r"^(199\d|200\d)$"))
        page.keyboard.up("ArrowUp")
