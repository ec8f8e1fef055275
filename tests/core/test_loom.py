from __future__ import annotations

import csv
import io
import re
import xml.etree.ElementTree as ET

from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import CraftDocument, Fitted, Patch, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.loom.drawing import svg, wire_csv
from linkcore.hops.loom.layout import lay_out
from linkcore.hops.loom.printed import pdf
from linkcore.hops.loom.rules import check_loom
from linkcore.parts.catalogue import Catalogue, shipped
from linkcore.parts.files import facts_of
from linkcore.parts.models import Board, Peripheral, Receiver
from linkcore.wiring.netlist import rail_loads, usb_load, wire_list
from tests.crafts import crsf_craft, sbus_craft
from tests.wired import moved, other, planned


def with_devices(**devices: str) -> CraftDocument:
    """An SBUS craft on the Merle F7 with these devices, wired as worked out."""
    craft = sbus_craft()
    craft.kit.devices = [Fitted(name=name.replace("_", " "), part=part) for name, part in devices.items()]
    return planned(craft)


def codes(craft: CraftDocument, catalogue: Catalogue | None = None) -> set[str]:
    return {finding.code for finding in check_loom(craft, KitParts.of(craft, catalogue))}


class RuleTest(SimpleTestCase):
    """Every rule: a craft that breaks it, and one that only just does not."""

    def broken(
        self, code: str, craft: CraftDocument, sound: CraftDocument, catalogue: Catalogue | None = None, sound_catalogue: Catalogue | None = None
    ) -> None:
        with self.subTest(code):
            self.assertIn(code, codes(craft, catalogue))
            self.assertNotIn(code, codes(sound, sound_catalogue))

    def test_supply_within_the_devices_range(self):
        satellite = sbus_craft()
        satellite.kit.board, satellite.kit.receiver, satellite.wiring = "dabble-f3", "twin-leaf", []
        satellite.settings.ports = dict.fromkeys(("U1", "U2", "U3"), "free")
        sound = planned(satellite)
        self.assertEqual(sound.pad_of("3V3"), "3V3")
        self.broken("loom.supply-too-high", moved(sound, "receiver", "3V3", "5V"), sound)
        video = with_devices(video="skein-v")
        seven = other(shipped().of(Peripheral, "skein-v"), supply={"min_volts": 9.1, "max_volts": 26, "ma": 600, "peak_ma": 1500})
        nine = other(shipped().of(Peripheral, "skein-v"), supply={"min_volts": 9.0, "max_volts": 26, "ma": 600, "peak_ma": 1500})
        self.broken("loom.supply-too-low", video, video, seven, nine)
        self.broken("loom.supply-not-rail", moved(video, "receiver", "5V", "G"), video)
        five = other(shipped().of(Receiver, "twin-leaf"), supply={"min_volts": 3.0, "max_volts": 5.0, "ma": 20, "peak_ma": 25})
        self.assertNotIn("loom.supply-too-high", codes(moved(sound, "receiver", "3V3", "5V"), five))

    def test_everything_that_is_wired_has_supply_and_ground_and_its_signals(self):
        sound = with_devices(GPS="tern-8")
        for pin, code in (("5V", "loom.no-supply"), ("GND", "loom.no-ground"), ("RX", "loom.no-signal")):
            self.broken(code, moved(sound, "GPS", pin, None), sound)
        unwired = sound.model_copy(update={"wiring": [patch for patch in sound.wiring if patch.device != "GPS"]})
        self.broken("loom.not-wired", unwired, sound)
        self.broken("loom.ground-not-ground", moved(sound, "GPS", "GND", "T6"), moved(sound, "GPS", "GND", "G3"))
        self.broken("loom.signal-on-power", moved(sound, "GPS", "TX", "5V"), sound)

    def test_a_board_that_nothing_feeds_in_flight_is_a_stop(self):
        sound = with_devices(GPS="tern-8")
        self.assertEqual(sound.feed, "pack")
        self.broken("loom.no-feed", sound.model_copy(update={"feed": "nothing"}), sound)

    def test_a_servo_too_many_has_no_output_and_no_plan_wires_half_of_it(self):
        four = {f"servo {number}": "strand-9" for number in range(1, 5)}
        board = scenario.sandpiper()
        board.kit.devices = [Fitted(name=name, part=part) for name, part in four.items()]
        sound, broken = planned(board), board.model_copy(deep=True)
        broken.kit.devices.append(Fitted(name="servo 5", part="strand-9"))
        broken = planned(broken)
        self.broken("loom.no-output", broken, sound)
        self.assertEqual([patch for patch in broken.wiring if patch.device == "servo 5"], [])
        (finding,) = [each for each in check_loom(broken, KitParts.of(broken)) if each.names("device", "servo 5")]
        self.assertIn("servo 5, Strand-9: the Merle F4 has 4, taken by servo 1, servo 2, servo 3, servo 4", finding.what.replace("Strand 9", "Strand-9"))
        loose = moved(sound, "servo 3", "S", None)
        self.assertIn("servo 3", next(each.what for each in check_loom(loose, KitParts.of(loose)) if each.code == "loom.no-signal"))

    def test_outputs_meet_inputs_and_nothing_else(self):
        sound = with_devices(GPS="tern-8")
        rx, tx = sound.pad_of("TX", "GPS"), sound.pad_of("RX", "GPS")
        crossed = moved(moved(sound, "GPS", "TX", tx), "GPS", "RX", rx)
        self.broken("loom.not-crossed", crossed, sound)
        swap = next(mend for finding in check_loom(crossed, KitParts.of(crossed)) for mend in finding.mends if "Swap" in mend.text)
        self.assertNotIn("loom.not-crossed", codes(apply_edits(crossed, swap.edits)))
        both = moved(sound, "GPS", "TX", sound.pad_of("SBUS"))
        self.broken("loom.two-drivers", both, sound)
        self.broken("loom.pad-twice", moved(sound, "GPS", "RX", "R2"), sound)
        doubled = sound.model_copy(update={"wiring": [*sound.wiring, Patch(device="GPS", pin="TX", pad="R6")]})
        self.broken("loom.pin-twice", doubled, sound)
        hub = sbus_craft()
        hub.kit.receiver, hub.wants.telemetry = "sluice-h8", True
        hub = planned(hub)
        self.broken("loom.telemetry-pin", moved(hub, "receiver", "HUB", "R5"), hub)

    def test_signal_levels_are_borne(self):
        coot = scenario.coot()
        board = shipped().of(Board, "dabble-f3")

        def bearing(volts: float) -> Catalogue:
            return other(board, pads=[facts | ({"max_volts": volts} if facts["name"] == "IN1" else {}) for facts in facts_of(board)["pads"]])

        self.broken("loom.level-too-high", coot, coot, bearing(4.9), bearing(5.0))
        gps = with_devices(GPS="tern-8")
        part = shipped().of(Peripheral, "tern-8")
        pins = facts_of(part)["pins"]
        weak, strong = (other(part, pins=[pin | ({"max_volts": volts} if pin["name"] == "RX" else {}) for pin in pins]) for volts in (3.0, 3.3))
        self.broken("loom.level-too-high", gps, gps, weak, strong)

    def test_currents_stay_within_every_limit(self):
        craft = with_devices(GPS="tern-8")  # 100 mA and 80 mA at their peak, on 5 V
        board = shipped().of(Board, "merle-f7")

        def limits(pack: int, usb: int, socket: int = 500) -> Catalogue:
            rails = [facts | ({"limit_ma": pack, "usb_limit_ma": usb} if facts["name"] == "5V" else {}) for facts in facts_of(board)["rails"]]
            return other(board, rails=rails, usb_ma=socket)

        self.broken("loom.rail-over-pack", craft, craft, limits(179, 180), limits(180, 180))
        self.broken("loom.rail-over-usb", craft, craft, limits(2000, 179), limits(2000, 180))
        self.broken("loom.usb-over", craft, craft, limits(2000, 400, 299), limits(2000, 400, 300))
        five = next(load for load in rail_loads(craft, KitParts.of(craft)) if load.rail == "5V")
        self.assertEqual((five.ma, five.peak_ma, sorted(five.devices)), (120, 180, ["GPS", "receiver"]))
        self.assertEqual(usb_load(craft, KitParts.of(craft)).peak_ma, 120 + 180)

    def test_who_wakes_on_usb_alone(self):
        video = with_devices(video="skein-v")
        self.broken("loom.dark-on-usb", video, with_devices(GPS="tern-8"))
        wisp = crsf_craft()  # needs 4.5 V; the 5 V rail keeps 4.6 on USB

        def needs(volts: float) -> Catalogue:
            part = shipped().of(Receiver, "wisp-900")
            return other(part, supply=facts_of(part)["supply"] | {"min_volts": volts})

        self.broken("loom.low-on-usb", wisp, wisp, needs(4.7), needs(4.6))

    def test_several_becs_on_one_rail(self):
        def drives(left: str, right: str) -> CraftDocument:
            craft = scenario.coot()
            craft.kit.devices = [Fitted(name="left drive", part=left), Fitted(name="right drive", part=right)]
            kept = [patch for patch in craft.wiring if patch.device == "receiver"]
            both = [Patch(device=name, pin="BEC", pad="S+") for name in ("left drive", "right drive")]
            return craft.model_copy(update={"wiring": [*kept, *both]})

        self.broken("loom.several-becs", drives("oar-25", "oar-25"), drives("oar-30l", "oar-30l"))
        self.broken("loom.several-becs", drives("oar-25", "oar-30l"), scenario.coot())
        coot = scenario.coot()
        self.broken("loom.two-sources", moved(coot, "left drive", "BEC", "5V"), coot)
        plane = scenario.sandpiper()
        self.broken("loom.rail-not-fed", moved(plane, "motor", "BEC", None), plane)

    def test_three_wire_leads(self):
        plane = scenario.sandpiper()
        pads = {pin: plane.pad_of(pin, "elevator") for pin in ("S", "+", "-", "GND")}
        turned = moved(moved(plane, "elevator", "S", pads["GND"]), "elevator", "GND", pads["S"])
        self.broken("loom.lead-turned", turned, plane)
        self.assertNotIn("loom.signal-on-power", codes(turned))
        mend = next(mend for finding in check_loom(turned, KitParts.of(turned)) if finding.code == "loom.lead-turned" for mend in finding.mends)
        self.assertNotIn("loom.lead-turned", codes(apply_edits(turned, mend.edits)))
        self.broken("loom.lead-row", moved(plane, "elevator", "S", "S+"), plane)

    def test_pulses(self):
        coot = scenario.coot()
        self.broken("loom.pwm-lead-missing", moved(coot, "receiver", "CH4", None), coot)
        swapped = moved(moved(coot, "receiver", "CH2", "IN3"), "receiver", "CH3", "IN2")
        self.broken("loom.pwm-order", swapped, coot)
        self.broken("loom.jumper", apply_edits(coot, [Edit(path="/settings/receiver_input/protocol", value="PPM")]), coot)
        fitted = apply_edits(coot, [Edit(path="/kit/jumper_fitted", value=True)])
        self.broken("loom.idle-lead", fitted, planned(fitted))

    def test_a_wire_that_begins_or_ends_nowhere(self):
        sound = sbus_craft()
        self.broken("loom.no-such-pad", moved(sound, "receiver", "SBUS", "R99"), sound)
        self.broken("loom.no-such-pin", moved(sound, "receiver", "CRSF", "R3"), sound)
        self.broken("loom.no-such-pin", moved(sound, "kite", "TX", "R3"), sound)

    def test_every_code_in_the_rules_is_tested(self):
        import inspect

        import linkcore.hops.loom.rules as rules
        from tests.core import test_power

        known = set(re.findall(r'"(loom\.[a-z-]+)"', inspect.getsource(rules))) | {"loom.no-supply", "loom.no-ground"}
        here = set(re.findall(r'"(loom\.[a-z-]+)"', inspect.getsource(type(self)) + inspect.getsource(test_power)))
        self.assertEqual(known - here, set())

    def test_the_demos_sound_crafts_have_no_fault(self):
        for craft in (scenario.curlew(), scenario.coot()):
            found = check_loom(craft, KitParts.of(craft))
            self.assertEqual([each.code for each in found if each.severity == "stop"], [], craft.name)


class DrawingTest(SimpleTestCase):
    def test_every_wire_and_every_pad_is_in_the_drawing(self):
        for make in (scenario.curlew, scenario.avocet, scenario.sandpiper, scenario.coot):
            craft = make()
            parts = KitParts.of(craft)
            picture = lay_out(craft, parts)
            tree = ET.fromstring(svg(picture, craft.name))
            drawn = [each.get("data-wire") for each in tree.iter() if each.get("data-wire")]
            self.assertEqual(sorted(drawn), sorted(wire.key for wire in wire_list(craft, parts)))
            words = {each.text for each in tree.iter("{http://www.w3.org/2000/svg}text")}
            self.assertTrue({pad.name for pad in parts.board.pads} <= words)
            for run in picture.runs:
                self.assertTrue(all(0 <= x <= picture.width and 0 <= y <= picture.height for x, y in run.points), run)

    def test_wires_of_two_pads_never_run_on_top_of_each_other(self):
        for make in (scenario.curlew, scenario.avocet, scenario.sandpiper):
            craft = make()
            segments: dict[tuple[str, float], list[tuple[float, float, str]]] = {}
            for run in lay_out(craft, KitParts.of(craft)).runs:
                for (x1, y1), (x2, y2) in zip(run.points, run.points[1:], strict=False):
                    line = ("x", x1) if x1 == x2 else ("y", y1)
                    along = sorted((y1, y2) if x1 == x2 else (x1, x2))
                    segments.setdefault(line, []).append((along[0], along[1], run.pad))
            for line, pieces in segments.items():
                for index, (low, high, pad) in enumerate(pieces):
                    for other_low, other_high, other_pad in pieces[:index]:
                        if pad != other_pad:
                            self.assertFalse(low < other_high and other_low < high, (craft.name, line, pad, other_pad))

    def test_names_cannot_break_out_of_the_drawing(self):
        craft = sbus_craft()
        craft.name = '<script>"&'
        tree = ET.fromstring(svg(lay_out(craft, KitParts.of(craft)), craft.name))
        self.assertEqual(tree.get("aria-label"), '<script>"&')

    def test_the_wire_list_as_csv_and_the_print(self):
        craft = scenario.curlew()
        parts = KitParts.of(craft)
        wires = wire_list(craft, parts)
        rung = {wires[0].key: "wr, today"}
        rows = list(csv.DictReader(io.StringIO(wire_csv(wires, rung))))
        self.assertEqual(len(rows), len(craft.wiring) + 2)
        self.assertEqual([(row["device"], row["pin"], row["pad"]) for row in rows[-2:]], [("pack leads", "V+", "BAT"), ("pack leads", "GND", "G2")])
        self.assertEqual(
            (rows[0]["device"], rows[0]["pin"], rows[0]["pad"], rows[0]["colour"], rows[0]["rung out"]), ("receiver", "SBUS", "R2", "white", "wr, today")
        )
        printed = pdf(lay_out(craft, parts), craft, wires, check_loom(craft, parts), rung)
        self.assertTrue(printed.startswith(b"%PDF-") and printed.rstrip().endswith(b"%%EOF"))
        self.assertEqual(printed.count(b"/Type /Page\n"), 2)

    def test_a_cell_that_looks_like_a_formula_is_disarmed(self):
        craft = scenario.sandpiper()
        rows = list(csv.reader(io.StringIO(wire_csv(wire_list(craft, KitParts.of(craft)), {}))))
        self.assertFalse([cell for row in rows for cell in row if cell[:1] in "=+@" and cell])
