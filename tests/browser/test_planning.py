"""Kit, Port plan and Loom, as a pilot would work them."""

from __future__ import annotations

import csv
import json
import re
import tempfile
from pathlib import Path

import scenario
from linkcore.craft.document import Fitted, Patch
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board
from server.crafts.models import Craft
from tests.browser.acts import CRACKED, RINGS, bench_of, choose, findings_of, go, mend, passes, restart, saved, until, wait_coin, write
from tests.browser.base import BrowserTest, in_browser
from tests.browser.looks import nothing_serious


def bind_by_count(page):
    """A satellite that knows nobody: the board's bind pulses, the bind itself, the count back to 0, and the proof."""
    wait_coin(page, "Bind", CRACKED)
    go(page, "Bind")
    bench = page.get_by_role("complementary", name="Bench")
    steps = page.get_by_role("list", name="Steps")
    receiver = page.get_by_role("main").get_by_role("region", name="Receiver · Twin Leaf")

    def off_and_on():
        bench.get_by_role("switch", name="pack").click()
        until(bench.get_by_text("Dark.")).to_be_visible()
        passes(0.6)
        bench.get_by_role("switch", name="pack").click()
        passes(0.6)

    usb = bench.get_by_role("switch", name="USB")
    if usb.is_checked():  # a new board lies there with its cable in, until something feeds it
        bench.get_by_role("switch", name="pack").click()
        usb.click()

    def next_is(text):
        until(steps.locator("[aria-current=step]")).to_contain_text(text)

    until(bench.get_by_text("no signal yet")).to_be_visible()  # the board has started
    next_is("Set the bind count to 9 or 7 and write it")
    page.get_by_role("button", name="Set 9").click()
    write(page)
    next_is("Remove the supply of board and satellite together")
    off_and_on()
    until(receiver.get_by_text("in bind", exact=True)).to_be_visible()
    next_is("Choose bind in the transmitter's menu")
    page.get_by_role("main").get_by_role("button", name="Bind", exact=True).click()
    until(receiver.get_by_text("just bound", exact=True)).to_be_visible()
    page.get_by_role("button", name="Leave bind").click()
    next_is("Set the bind count back to 0 and write it")
    until(findings_of(page)).to_contain_text("The bind count is 9")
    wait_coin(page, "Bind", CRACKED)
    page.get_by_role("button", name="Back to 0", exact=True).click()
    until(page.get_by_text("9 on the board, 0 in the draft")).to_be_visible()
    write(page)
    next_is("Receiver off and on again")
    off_and_on()
    next_is("Transmitter off and on again")
    page.get_by_role("button", name="Switch off").click()
    passes(0.6)
    page.get_by_role("button", name="Switch on").click()
    wait_coin(page, "Bind", RINGS)
    until(page.get_by_text(re.compile("The link came back by itself after"))).to_be_visible()
    until(page.get_by_text("0 on the board, 0 in the draft")).to_be_visible()


class DunlinTest(BrowserTest):
    @in_browser
    def test_from_an_empty_kit_to_a_printed_drawing_with_every_wire_rung_out(self, people):
        page = people.open("Dunlin", "Kit")
        until(findings_of(page)).to_contain_text("Not chosen yet: board, receiver, transmitter.")
        go(page, "Port plan")
        until(page.get_by_text("There is no board to plan for yet.")).to_be_visible()
        page.get_by_role("link", name="Choose one in the Kit").click()
        for label, option in (("Board", "Dabble F3"), ("Receiver", "Twin Leaf"), ("Transmitter", "Hedge 8")):
            choose(page, label, option)
            until(page.get_by_role("combobox", name=label, exact=True)).to_contain_text(option)
        ability = page.get_by_role("region", name="What this set can do")
        until(ability).to_contain_text("Leaf X on 2.4 GHz, firmware family Leaf")
        until(ability).to_contain_text("DSMX, steps of 0.583 us, a frame every 11 to 22 ms")
        until(ability).to_contain_text("8 arrive; the limit is the Hedge 8")
        for device in ("Tiller 4", "Whimbrel"):
            choose(page, "Add a device", device)
            until(page.get_by_role("list", name="Devices")).to_contain_text(device)

        go(page, "Port plan")
        wait_coin(page, "Port plan", re.compile("^blank"))
        page.get_by_role("button", name="Work it out").click()
        best = page.get_by_role("list", name="Plans").get_by_role("listitem").first
        until(best).to_contain_text("solder receiver 3V3: 3V3")
        best.get_by_role("button", name="Take this plan").click()
        until(findings_of(page)).to_contain_text("Mended in the draft: write it to the board")

        go(page, "Loom")
        until(findings_of(page)).to_contain_text("Nothing is wrong here so far.")
        wires = page.get_by_role("table", name="Wire list").get_by_role("row")
        until(wires).to_have_count(14)
        drawing = page.get_by_role("img", name="Wiring of Dunlin")
        until(drawing.locator(".wire")).to_have_count(14)
        self.assertTrue(saved(page, "To print, PDF").startswith(b"%PDF-"))
        self.assertEqual(saved(page, "Drawing, SVG").decode().count('class="wire"'), 14)
        rows = list(csv.DictReader(saved(page, "Wire list, CSV").decode().splitlines()))
        self.assertEqual([(row["pin"], row["pad"], row["colour"]) for row in rows[:2]], [("DATA", "R1", "white"), ("3V3", "3V3", "red")])

        first = page.get_by_role("button", name=re.compile("^receiver DATA to R1")).first
        first.click()
        until(page.get_by_role("alert")).to_contain_text("put your initials in first")
        page.get_by_label("Your initials").fill("wr")
        for place in range(14):
            wires.nth(place).get_by_role("button", name=re.compile("rings$")).click()
            until(wires.nth(place)).to_contain_text(re.compile(r"✓ wr, \d{1,2} [A-Z][a-z]{2}"))
            until(wires.nth(place).get_by_title(re.compile(r"^wr, \d{4}-\d\d-\d\d \d\d:\d\d UTC$"))).to_be_visible()
        wait_coin(page, "Loom", RINGS)
        wires.nth(0).get_by_role("button", name=re.compile("rung out: wr")).click()
        until(page.get_by_text("13 of 14 rung out")).to_be_visible()
        wait_coin(page, "Loom", re.compile("^blank"))
        go(page, "Line")
        until(page.get_by_role("main")).to_contain_text("no running port has the receiver job")
        write(page)
        restart(page)
        bind_by_count(page)
        go(page, "Line")
        until(page.get_by_text(re.compile("DSMX, 9[01] frames a second"))).to_be_visible()
        wait_coin(page, "Line", RINGS)


class KitTest(BrowserTest):
    @in_browser
    def test_coots_move_to_ppm_is_shown_in_the_wire_list_before_it_is_made(self, people):
        page = people.open("Coot", "Kit")
        page.get_by_role("button", name="Fit the jumper").click()
        difference = page.get_by_role("group", name="What the jumper would change")
        for pin, pad in (("CH2", "IN2"), ("CH3", "IN3"), ("CH4", "IN4")):
            until(difference).to_contain_text(f"receiver {pin}: {pad} comes off")
        until(difference).to_contain_text("the receiver is read as PPM")
        difference.get_by_role("button", name="Take it, wires and all").click()
        until(page.get_by_role("region", name="The receiver's jumper")).to_contain_text("It is fitted: the Six Pack sends PPM, 8 channels.")
        go(page, "Loom")
        wires = page.get_by_role("table", name="Wire list")
        until(wires.get_by_role("row").filter(has_text="CH1 → IN1")).to_have_count(1)
        until(wires.get_by_role("row").filter(has_text="CH2")).to_have_count(0)
        until(findings_of(page)).to_contain_text("The board reads PWM, but the jumper makes the Six Pack send PPM.")
        until(findings_of(page)).to_contain_text("Mended in the draft: write it to the board")
        write(page)
        restart(page)
        until(findings_of(page)).to_contain_text("Nothing is wrong here so far.")

    @in_browser
    def test_an_exchange_is_shown_before_it_is_taken(self, people):
        page = people.open("Curlew", "Kit")
        choose(page, "Receiver", "Brook 6")
        proposal = page.get_by_role("group", name="Exchange the receiver")
        until(proposal).to_contain_text("it has no SBUS and no S.Port: those wires come off")
        until(proposal).to_contain_text("The Brook 6 hears Field F on 2.4 GHz")
        proposal.get_by_role("button", name="Cancel").click()
        until(page.get_by_role("combobox", name="Receiver", exact=True)).to_contain_text("Pip S8")
        wait_coin(page, "Kit", RINGS)

        page.get_by_role("button", name=re.compile("^What else would fit\\? [0-9]")).click()
        fits = page.get_by_role("region", name="What else would fit?")
        until(fits.get_by_role("listitem").filter(has_text="Reed One")).to_contain_text("F.Port, 16 channels")
        until(fits.get_by_role("listitem").filter(has_text="Pip S4")).to_contain_text("no: no telemetry")
        fits.get_by_role("listitem").filter(has_text="Reed One").get_by_role("button", name="Exchange").click()
        proposal.get_by_role("button", name="Take it").click()
        until(page.get_by_role("combobox", name="Receiver", exact=True)).to_contain_text("Reed One")
        until(bench_of(page)).to_be_visible()
        go(page, "Line")
        until(page.get_by_text("On the wire from F.Port of the Reed One, which goes nowhere")).to_be_visible()

    @in_browser
    def test_a_starting_point_is_taken_line_by_line(self, people):
        page = people.open("Coot", "Kit")
        page.get_by_role("button", name="Starting point for a boat").click()
        table = page.get_by_role("region", name="Starting point for a boat")
        arming = table.get_by_role("row").filter(has_text="Arming")
        until(arming).to_contain_text("CH5 1750 to 2150 us")
        arming.get_by_role("button", name="Take Arming").click()
        until(arming).to_contain_text("the same")
        outputs = table.get_by_role("row").filter(has_text="Outputs")
        until(outputs).to_contain_text(re.compile("left motor, .* right motor"))
        outputs.get_by_role("button", name="Take Outputs").click()
        until(table).to_contain_text("all its settings are as you have them")
        choose(page, "Airframe", "plane")
        until(page.get_by_role("region", name="Starting point for a plane")).to_contain_text("settings would differ")

    @in_browser
    def test_sensors_and_wishes_are_judged(self, people):
        page = people.open("Curlew", "Kit")
        page.get_by_role("checkbox", name="airspeed: not fitted").click()
        until(findings_of(page)).to_contain_text("No airspeed is fitted.")
        mend(page, "Do without the airspeed")
        page.get_by_label("Channels wanted").fill("18")
        page.get_by_label("Channels wanted").press("Enter")
        until(findings_of(page)).to_contain_text("16 channels arrive, 18 are wanted.")
        wait_coin(page, "Kit", CRACKED)


class PortPlanTest(BrowserTest):
    @in_browser
    def test_a_protocol_without_a_port_is_offered_with_the_job_in_one_write(self, people):
        page = people.open("Curlew", "Port plan")
        page.get_by_role("button", name="Look at U2").click()
        card = page.get_by_role("region", name="R2 is U2")
        choose(page, "Job of U2", "free")
        until(card.get_by_role("combobox", name="Job of U2")).to_contain_text("free")  # saved: the card offers by the draft as it is
        choose(page, "Receiver protocol", "CRSF")
        both = card.get_by_role("group", name="Both, in order")
        until(both).to_contain_text("No port has the receiver job yet")
        both.get_by_role("button", name="Give U2 the job, then read CRSF").click()
        until(page.get_by_role("button", name="1 setting differs from the board")).to_be_visible()
        until(card.get_by_role("combobox", name="Job of U2")).to_contain_text("receiver input")
        choose(page, "Job of U2", "free")
        until(page.get_by_role("button", name="2 settings differ from the board")).to_be_visible()
        page.get_by_role("button", name="Write to board").click()
        until(page.get_by_role("status")).to_contain_text("give a port the job")

    @in_browser
    def test_what_cannot_stand_together_is_named_with_what_would_free_it(self, people):
        page = people.open("Avocet", "Kit")
        for count, device in enumerate(("Tern 5", "Skein V"), 1):
            choose(page, "Add a device", device)
            until(page.get_by_role("list", name="Devices").get_by_role("listitem")).to_have_count(6 + count)
        go(page, "Port plan")
        page.get_by_role("button", name="Work it out").click()
        clash = page.get_by_role("list", name="Clash")
        until(clash).to_contain_text("It needs both ways")
        until(clash).to_contain_text("Leave GPS 2 out (tried: not enough by itself)")
        until(clash).to_contain_text("Another board: Shelduck H7 (tried: then all fit)")

    @in_browser
    def test_a_device_is_picked_by_key_and_fixed_wires_stay(self, people):
        page = people.open("Sandpiper", "Port plan")
        wait_coin(page, "Port plan", CRACKED)
        device = page.get_by_role("button", name="Device receiver, Reed One")
        device.focus()
        page.keyboard.press("Space")
        card = page.get_by_role("region", name="receiver")
        card.get_by_text("Why not the others").click()
        until(card).to_contain_text("T3 cannot invert both ways")
        card.get_by_role("checkbox", name=re.compile("Its wires are fixed")).click()
        until(card.get_by_role("checkbox", name=re.compile("Its wires are fixed"))).to_be_checked()
        page.get_by_role("button", name="Work it out").click()
        until(page.get_by_role("list", name="Clash")).to_contain_text("Let the fixed wires of receiver move (tried: then all fit)")
        card.get_by_role("checkbox", name=re.compile("Its wires are fixed")).click()
        card.get_by_role("button", name="Solder receiver to T5").click()
        until(findings_of(page)).to_contain_text("Mended in the draft: write it to the board")
        write(page)
        restart(page)
        wait_coin(page, "Port plan", RINGS)


class LoomTest(BrowserTest):
    @in_browser
    def test_wrong_wiring_is_real_and_the_line_hop_says_what_follows(self, people):
        page = people.open("Curlew", "Loom")
        wait_coin(page, "Loom", RINGS)
        page.get_by_role("button", name="Remove the wire of receiver GND").click()
        until(findings_of(page)).to_contain_text("The Pip S8's GND pin goes nowhere.")
        wait_coin(page, "Loom", CRACKED)
        go(page, "Line")
        until(findings_of(page)).to_contain_text("look at its supply and its ground in the Loom")
        go(page, "Loom")
        page.get_by_role("button", name="Complete").click()
        until(findings_of(page)).to_contain_text(re.compile("Nothing is wrong"))
        until(page.get_by_role("button", name=re.compile("^receiver GND to G rung out: signal"))).to_be_visible()
        wait_coin(page, "Loom", RINGS)

    @in_browser
    def test_wires_are_moved_and_soldered_by_hand(self, people):
        page = people.open("Coot", "Loom")
        page.get_by_role("button", name="Move receiver CH4").click()
        choose(page, "Pad of receiver CH4", "IN5")
        until(findings_of(page)).to_contain_text("CH4 is on IN5; channel 4 belongs on IN4.")
        wait_coin(page, "Loom", CRACKED)
        mend(page, "Move the lead to IN4")
        until(findings_of(page)).to_contain_text("Nothing is wrong here so far.")
        page.get_by_role("button", name="Remove the wire of receiver CH1").click()
        until(findings_of(page)).to_contain_text("Channel 1 has no lead.")
        choose(page, "Solder pin", "receiver CH1")
        choose(page, "to pad", "IN1")
        until(findings_of(page)).to_contain_text("Nothing is wrong here so far.")
        choose(page, "Solder pin", "right drive BEC")
        choose(page, "to pad", r"S\+")
        until(findings_of(page)).to_contain_text("Lift all red leads but one.")
        mend(page, "Lift the red lead of right drive")
        until(findings_of(page)).to_contain_text("Nothing is wrong here so far.")

    @in_browser
    def test_five_volts_on_a_part_for_three_destroy_it_until_it_is_replaced(self, people):
        page = people.open("Curlew", "Port plan")
        page.get_by_role("link", name="Coin Bell, all crafts").click()
        page.get_by_role("link", name="parts").click()
        page.get_by_role("link", name="Pip S8").click()
        page.get_by_role("button", name="Copy as own part").click()
        supply = page.get_by_role("group", name="supply")
        supply.get_by_label("min volts").fill("3")
        supply.get_by_label("max volts").fill("2.9")
        until(page.get_by_role("status")).to_contain_text("1 to mend")
        until(supply).to_contain_text("a supply from 3 to 2.9 V is no range")
        until(page.get_by_role("button", name="Save the part")).to_be_disabled()
        supply.get_by_label("max volts").fill("3.6")
        until(page.get_by_role("status")).to_contain_text("its facts are possible")
        page.get_by_role("button", name="Save the part").click()
        page.get_by_role("heading", level=1, name="Own Pip S8").wait_for()
        page.get_by_role("link", name="Crafts", exact=True).click()
        page.get_by_role("link", name="Curlew", exact=True).click()
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        go(page, "Kit")
        choose(page, "Receiver", "Own Pip S8")
        page.get_by_role("group", name="Exchange the receiver").get_by_role("button", name="Take it").click()
        until(page.get_by_role("combobox", name="Receiver", exact=True)).to_contain_text("Own Pip S8")
        page.keyboard.press("b")
        failed = bench_of(page).get_by_role("button", name="Replace the receiver")
        until(failed).to_be_visible()
        go(page, "Loom")
        until(findings_of(page)).to_contain_text("Receiver has failed on this bench.")
        until(findings_of(page)).to_contain_text("bears 3.6 V; 5V gives 5 V")
        go(page, "Line")
        until(findings_of(page)).to_contain_text("The receiver has failed")


class PartsTest(BrowserTest):
    @in_browser
    def test_facts_are_read_and_own_parts_travel_as_a_file(self, people):
        page = people.sign_in()
        page.get_by_role("link", name="parts").click()
        page.get_by_label("Search").fill("h7")
        page.get_by_role("link", name="Shelduck H7").click()
        sheet = page.get_by_role("region", name="Facts")
        until(sheet).to_contain_text("U9 (no TX), U10 (no RX)")
        until(page.get_by_role("region", name="Pads")).to_contain_text("T10")
        page.get_by_role("button", name="Copy as own part").click()
        page.get_by_label("name", exact=True).first.fill("Own Shelduck")
        page.get_by_role("button", name="Save the part").click()
        page.get_by_role("heading", level=1, name="Own Shelduck").wait_for()
        file = json.loads(saved(page, "Export own parts"))
        self.assertEqual((file["format"], [part["name"] for part in file["parts"]]), ("coin-bell/parts", ["Own Shelduck"]))
        with tempfile.TemporaryDirectory() as folder:
            broken, good = Path(folder) / "broken.json", Path(folder) / "good.json"
            broken.write_text('{"format": "coin-bell/parts", ')
            page.get_by_label("Parts file").set_input_files(broken)
            until(page.get_by_role("alert")).to_contain_text("Nothing was taken. broken.json is no JSON")
            file["parts"][0]["usb_ma"] = -5
            broken.write_text(json.dumps(file))
            page.get_by_label("Parts file").set_input_files(broken)
            until(page.get_by_role("alert")).to_contain_text("parts/0/usb_ma")
            file["parts"][0]["usb_ma"] = 900
            good.write_text(json.dumps(file))
            page.get_by_label("Parts file").set_input_files(good)
            until(page.get_by_role("status")).to_contain_text("0 parts added, 1 replaced")
        page.get_by_role("button", name="Delete").click()
        page.get_by_role("heading", level=1, name="Parts and their facts").wait_for()

    @in_browser
    def test_a_pack_of_ones_own_tells_its_volts_and_is_taken_into_a_craft(self, people):
        page = people.sign_in()
        page.get_by_role("link", name="parts").click()
        page.get_by_role("link", name="Tussock 4-1500").click()
        until(page.locator("main")).to_contain_text("16.8 V full, 14.8 V nominal, 14 V empty")
        page.get_by_role("button", name="Copy as own part").click()
        until(page.get_by_role("status")).to_contain_text("its facts are possible")
        choose(page, "chemistry", "Li-ion")
        page.get_by_label("cells", exact=True).fill("3")
        page.get_by_role("button", name="Save the part").click()
        page.get_by_role("heading", level=1, name="Own Tussock 4-1500").wait_for()
        until(page.locator("main")).to_contain_text("12.6 V full, 10.8 V nominal, 9 V empty")
        page.get_by_role("link", name="Crafts", exact=True).click()
        page.get_by_role("link", name="Avocet", exact=True).click()
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        go(page, "Kit")
        choose(page, "Pack", "Own Tussock 4-1500")
        page.get_by_role("group", name="Exchange the pack").get_by_role("button", name="Take it").click()
        until(page.get_by_role("combobox", name="Pack", exact=True)).to_contain_text("Own Tussock 4-1500")
        until(page.locator("main")).to_contain_text("3 Li-ion cells, 1500 mAh")

    @in_browser
    def test_parts_and_their_form_are_accessible(self, people):
        page = people.sign_in()
        page.get_by_role("link", name="parts").click()
        page.get_by_role("link", name="Six Pack").click()
        page.get_by_role("heading", level=1, name="Six Pack").wait_for()
        nothing_serious(self, page, "a part")
        page.get_by_role("button", name="Copy as own part").click()
        until(page.get_by_role("status")).to_contain_text("its facts are possible")
        page.get_by_text(re.compile("^pins: 8")).click()
        nothing_serious(self, page, "the form")
        page.get_by_role("button", name="Add to pins").click()
        until(page.get_by_role("status")).to_contain_text("to mend")
        page.get_by_role("button", name="Cancel").click()
        page.get_by_role("heading", level=1, name="Six Pack").wait_for()

    @in_browser
    def test_two_pilots_change_one_part_and_the_second_is_told(self, people):
        wren, teal = people.sign_in("wren"), people.sign_in("teal")
        wren.get_by_role("link", name="parts").click()
        wren.get_by_role("link", name="Tern 8").click()
        wren.get_by_role("button", name="Copy as own part").click()
        wren.get_by_role("button", name="Save the part").click()
        wren.get_by_role("heading", level=1, name="Own Tern 8").wait_for()
        teal.get_by_role("link", name="parts").click()
        teal.get_by_role("link", name="Own Tern 8").click()
        for page, said in ((teal, "by teal"), (wren, "by wren")):
            page.get_by_role("button", name="Change its facts").click()
            page.get_by_label("about").fill(said)
            until(page.get_by_role("status")).to_contain_text("its facts are possible")
        teal.get_by_role("button", name="Save the part").click()
        until(teal.get_by_text("by teal").first).to_be_visible()
        wren.get_by_role("button", name="Save the part").click()
        until(wren.get_by_role("alert")).to_contain_text("teal has saved this part meanwhile (version 2)")
        until(wren.get_by_label("about")).to_have_value("by wren")


class AlteredTest(BrowserTest):
    """Avocet, altered before anybody opens it."""

    def setUp(self):
        super().setUp()
        craft = Craft.objects.get(name="Avocet")
        document = self.altered(scenario.avocet())
        Craft.objects.filter(pk=craft.pk).update(document=document.model_dump(mode="json"), version=craft.version + 1)

    def altered(self, craft):
        return craft


class MuchTest(AlteredTest):
    def altered(self, craft):
        craft.kit.board, craft.wiring = "shelduck-h7", []
        craft.settings.ports = dict.fromkeys(shipped().of(Board, "shelduck-h7").ports, "free")
        fitted = ("tern-8", "skein-v", "lapwing-t", "tiller-4", "plumb-f", "plumb-r", "tide-link", "tern-5", "whimbrel", "strand-9", "strand-9", "oar-30l")
        craft.kit.devices = [Fitted(name=f"device {index}", part=part) for index, part in enumerate(fitted)]
        return craft

    @in_browser
    def test_the_largest_board_with_twelve_devices(self, people):
        page = people.open("Avocet", "Port plan")
        page.get_by_role("button", name="Work it out").click()
        page.get_by_role("list", name="Plans").get_by_role("listitem").first.get_by_role("button", name="Take this plan").click()
        until(page.get_by_role("table", name="Port plan").get_by_role("row")).to_have_count(11)
        until(page.get_by_role("button", name=re.compile("settings differ from the board"))).to_be_visible()
        go(page, "Loom")
        until(page.get_by_role("img", name="Wiring of Avocet").locator(".wire")).to_have_count(47)
        self.assertFalse(page.evaluate("document.documentElement.scrollWidth > innerWidth"), "nothing makes the page wider than the window")


class BrokenTest(AlteredTest):
    def altered(self, craft):
        craft.wiring.append(Patch(device="GPS", pin="TX", pad="R99"))
        craft.wiring.append(Patch(device="kite", pin="TX", pad="R7"))
        craft.kit.devices[0].part = "vanished"
        return craft

    @in_browser
    def test_wires_that_lead_nowhere_and_a_part_that_is_gone(self, people):
        page = people.open("Avocet", "Kit")
        until(findings_of(page)).to_contain_text("The catalogue has no vanished for the GPS.")
        until(page.get_by_role("list", name="Devices")).to_contain_text("no longer in the catalogue")
        go(page, "Loom")
        until(findings_of(page)).to_contain_text("This craft has no device called kite.")
        mend(page, "Remove the wire from the list")
        until(findings_of(page)).not_to_contain_text("no device called kite")
        go(page, "Port plan")
        until(page.get_by_role("button", name=re.compile("^Pad R7"))).to_be_visible()
        wait_coin(page, "Kit", CRACKED)


class NoAnswerTest(BrowserTest):
    @in_browser
    def test_without_an_answer_from_the_server_it_says_so(self, people):
        page = people.open("Avocet", "Kit")
        page.route("**/work-out", lambda route: route.fulfill(status=500, body="no"))
        page.route("**/exchange", lambda route: route.abort())
        choose(page, "Add a device", "Whimbrel")
        until(page.get_by_role("alert")).to_contain_text("Coin Bell does not answer")
        go(page, "Port plan")
        page.get_by_role("button", name="Work it out").click()
        until(page.get_by_role("alert")).to_contain_text("the server answered 500")
        page.unroute("**/work-out")
        page.get_by_role("button", name="Work it out").click()
        until(page.get_by_role("list", name="Plans")).to_be_visible()
        people.troubles.clear()  # the browser itself logs the requests that were broken off
