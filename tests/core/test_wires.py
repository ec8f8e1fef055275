from __future__ import annotations

import random
import re

from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.loom.layout import lay_out
from linkcore.hops.loom.rules import check_loom
from linkcore.wiring.netlist import plan_edits, rail_loads, wire_changes, wire_list, wires_for
from linkcore.wiring.planner import work_out
from tests.crafts import changed_sections
from tests.kits import random_craft


def random_wired(seed: int, count: int) -> list[CraftDocument]:
    """Random kits that can be planned, wired as the first plan says."""
    rng, found = random.Random(seed), []
    while len(found) < count:
        craft = random_craft(rng)
        parts = KitParts.of(craft)
        plans = work_out(craft, parts).plans
        if plans:
            found.append(apply_edits(craft, plan_edits(craft, parts, plans[0])))
    return found


class CompletingTest(SimpleTestCase):
    """What must hold whatever the kit."""

    def test_completing_twice_changes_nothing_more(self):
        for craft in random_wired(1, 80):
            again = wires_for(craft, KitParts.of(craft), None)
            self.assertEqual(wire_changes(craft.wiring, again), [], craft.kit)

    def test_supplies_fit_where_the_board_has_a_rail_that_does(self):
        wrong = ("loom.supply-too-high", "loom.supply-too-low", "loom.no-supply")
        for craft in random_wired(2, 80):
            parts = KitParts.of(craft)
            found = check_loom(craft, parts)
            for device in parts.wired():
                supply = parts.supply(device)
                fits = supply is None or any(supply.min_volts <= rail.volts <= supply.max_volts for rail in parts.board.rails)
                told = [each.code for each in found if each.code in wrong and re.match(rf"{device} \S+(,|$)", each.where)]
                self.assertEqual(bool(told), not fits, (craft.kit, device, told))

    def test_a_wire_that_does_is_left_where_it_is(self):
        craft = scenario.curlew()
        moved = apply_edits(craft, [Edit(path=f"/wiring/{index}/pad", value="G3") for index, patch in enumerate(craft.wiring) if patch.pin == "GND"])
        self.assertEqual(wire_changes(moved.wiring, wires_for(moved, KitParts.of(moved), None)), [])

    def test_of_switching_becs_one_feeds_the_rail(self):
        coot = scenario.coot()
        self.assertEqual([patch.device for patch in coot.wiring if patch.pin == "BEC"], ["left drive"])
        coot.kit.devices[0].part = coot.kit.devices[1].part = "oar-30l"
        coot.wiring = [patch for patch in coot.wiring if patch.device == "receiver"]
        both = wires_for(coot, KitParts.of(coot), None)
        self.assertEqual([patch.device for patch in both if patch.pin == "BEC"], ["left drive", "right drive"], "linear ones may stay")

    def test_of_a_switching_and_a_linear_bec_only_one_feeds_the_rail(self):
        for left, right in (("oar-25", "oar-30l"), ("oar-30l", "oar-25")):
            coot = scenario.coot()
            coot.kit.devices[0].part, coot.kit.devices[1].part = left, right
            coot.wiring = [patch for patch in coot.wiring if patch.device == "receiver"]
            wired = coot.model_copy(update={"wiring": wires_for(coot, KitParts.of(coot), None)})
            self.assertEqual([patch.device for patch in wired.wiring if patch.pin == "BEC"], ["left drive"])
            self.assertEqual([each.code for each in check_loom(wired, KitParts.of(wired)) if each.severity == "stop"], [])

    def test_what_is_worked_out_never_breaks_a_rule_of_sources_pads_or_leads(self):
        wrong = ("loom.several-becs", "loom.two-sources", "loom.pad-twice", "loom.two-drivers", "loom.lead", "loom.signal-on-power", "loom.ground-not-ground")
        for craft in random_wired(6, 120):
            found = [each.code for each in check_loom(craft, KitParts.of(craft)) if each.code.startswith(wrong)]
            self.assertEqual(found, [], craft.kit)

    def test_a_new_device_never_takes_the_pad_of_one_that_is_wired(self):
        plane = scenario.sandpiper()
        before = {(patch.device, patch.pin): patch.pad for patch in plane.wiring}
        plane.kit.board = "shelduck-h7"
        plane = plane.model_copy(update={"wiring": [patch for patch in plane.wiring if patch.device not in ("receiver", "GPS", "motor")]})
        plane.kit.devices.insert(0, plane.kit.devices[1].model_copy(update={"name": "flap"}))
        after = {(patch.device, patch.pin): patch.pad for patch in wires_for(plane, KitParts.of(plane), None)}
        for device in ("left aileron", "right aileron", "elevator"):
            self.assertEqual(after[(device, "S")], before[(device, "S")])
        self.assertNotIn(after[("flap", "S")], [after[(device, "S")] for device in ("left aileron", "right aileron", "elevator")])

    def test_differences_name_what_is_new_moved_and_off(self):
        craft = scenario.curlew()
        kept = [patch for patch in craft.wiring if patch.pin != "S.Port"]
        moved = [patch.model_copy(update={"pad": "R3"}) if patch.pin == "SBUS" else patch for patch in kept]
        changes = {(each.device, each.pin): (each.before, each.after) for each in wire_changes(craft.wiring, moved)}
        self.assertEqual(changes, {("receiver", "SBUS"): ("R2", "R3"), ("receiver", "S.Port"): ("T4", None)})
        self.assertEqual(wire_changes(craft.wiring, craft.wiring[::-1]), [])

    def test_a_device_on_a_rail_twice_is_counted_once(self):
        craft = scenario.curlew()
        before = {load.rail: load.peak_ma for load in rail_loads(craft, KitParts.of(craft))}
        gps = next(patch for patch in craft.wiring if (patch.device, patch.pin) == ("GPS", "5V"))
        doubled = craft.model_copy(update={"wiring": [*craft.wiring, gps.model_copy(update={"pad": "5V2"})]})
        self.assertEqual({load.rail: load.peak_ma for load in rail_loads(doubled, KitParts.of(doubled))}, before)


class LayoutTest(SimpleTestCase):
    def test_any_craft_can_be_drawn_and_nothing_stands_on_anything_else(self):
        for craft in random_wired(3, 60):
            parts = KitParts.of(craft)
            for signals_only in (False, True):
                picture = lay_out(craft, parts, signals_only=signals_only)
                boxes = picture.boxes
                for index, box in enumerate(boxes):
                    self.assertTrue(box.x >= 0 and box.x + box.w <= picture.width and box.y >= 0 and box.y + box.h <= picture.height + 1, box)
                    for other in boxes[:index]:
                        apart = box.x + box.w <= other.x or other.x + other.w <= box.x or box.y + box.h <= other.y or other.y + other.h <= box.y
                        self.assertTrue(apart, (craft.kit, box.name, other.name))
                pins = {(pin.owner, pin.name): (pin.x, pin.y) for pin in picture.pins}
                pads = {pad.name: (pad.x, pad.y) for pad in picture.pads}
                for run in picture.runs:
                    self.assertEqual((run.points[0], run.points[-1]), (pins[(run.device, run.pin)], pads[run.pad]))
                    for (x1, y1), (x2, y2) in zip(run.points, run.points[1:], strict=False):
                        self.assertTrue(x1 == x2 or y1 == y2, "wires run straight")

    def test_no_wire_runs_through_a_box(self):
        for craft in random_wired(4, 40):
            picture = lay_out(craft, KitParts.of(craft))
            for run in picture.runs:
                for (x1, y1), (x2, y2) in zip(run.points, run.points[1:], strict=False):
                    for box in picture.boxes:
                        inside = max(min(x1, x2), box.x) < min(max(x1, x2), box.x + box.w) and box.y < y1 < box.y + box.h
                        upright = max(min(y1, y2), box.y) < min(max(y1, y2), box.y + box.h) and box.x < x1 < box.x + box.w
                        self.assertFalse(inside or upright, (craft.kit, run.key, box.name))

    def test_every_wire_of_the_list_is_drawn_once(self):
        for craft in random_wired(5, 40):
            parts = KitParts.of(craft)
            self.assertEqual(sorted(run.key for run in lay_out(craft, parts).runs), sorted(wire.key for wire in wire_list(craft, parts)))


class HashTest(SimpleTestCase):
    def test_a_new_gps_leaves_the_links_proofs_alone(self):
        craft = scenario.curlew()
        moved = craft.model_copy(deep=True)
        next(patch for patch in moved.wiring if (patch.device, patch.pin) == ("GPS", "GND")).pad = "G3"
        self.assertEqual(changed_sections(craft, moved), {"wiring of devices"})
        fixed = craft.model_copy(update={"wiring": [patch.model_copy(update={"fixed": True}) for patch in craft.wiring]})
        self.assertEqual(changed_sections(craft, fixed), set(), "a wire that is fixed joins what it joined before")
        inverted = craft.model_copy(update={"wiring": [patch.model_copy(update={"inverter": patch.pin == "SBUS"}) for patch in craft.wiring]})
        self.assertEqual(changed_sections(craft, inverted), {"wiring"})
