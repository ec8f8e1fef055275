from __future__ import annotations

import random

from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import CraftDocument, Fitted, Patch, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.loom.rules import check_loom
from linkcore.hops.port_plan.pads import device_spots, pad_facts, solder
from linkcore.hops.port_plan.rules import check_ports
from linkcore.wiring.demands import Demand, Placement, demands_of, placements
from linkcore.wiring.netlist import plan_edits, wire_changes
from linkcore.wiring.planner import NO_FULL_PORT_LEFT, Worked, cost_of, leaves_full_port, work_out
from tests.crafts import sbus_craft
from tests.kits import random_craft

KITS = 500
SMALL_ENOUGH = 20_000  # placements tried one by one


def brute_force(craft: CraftDocument, parts: KitParts, demands: list[Demand]) -> int | None:
    """The least cost over every combination of placements, by trying them all."""
    best: int | None = None
    choices = [[(place, sum(cost_of(craft, parts.board, place).values()), claims(place)) for place in placements(demand, craft, parts)] for demand in demands]

    def search(at: int, chosen: list[Placement], taken: frozenset[str], cost: int) -> None:
        nonlocal best
        if best is not None and cost >= best:
            return
        if at == len(choices):
            total = cost + (0 if leaves_full_port(craft, parts, chosen) else NO_FULL_PORT_LEFT)
            best = total if best is None else min(best, total)
            return
        for place, price, wants in choices[at]:
            if not wants & taken:
                search(at + 1, [*chosen, place], taken | wants, cost + price)

    search(0, [], frozenset(), 0)
    return best


def any_plan(choices: list[list[Placement]], taken: frozenset[str] = frozenset()) -> bool:
    """Whether some combination fits, the most constrained demand first."""
    if not choices:
        return True
    first, *rest = sorted(choices, key=len)
    return any(not claims(place) & taken and any_plan(rest, taken | claims(place)) for place in first)


def claims(place: Placement) -> frozenset[str]:
    """What nobody else may have beside this placement."""
    unique = [place.demand.job] if place.demand.job in ("receiver input", "bench link", "video transmitter control") else []
    return frozenset([*(f"pin {pin}" for pin in place.pins_of_mcu), *([f"port {place.port}"] if place.port else []), *unique])


def size(craft: CraftDocument, parts: KitParts, demands: list[Demand]) -> int:
    total = 1
    for demand in demands:
        total *= max(1, len(placements(demand, craft, parts)))
    return total


def taken(craft: CraftDocument, worked: Worked, index: int = 0) -> CraftDocument:
    return apply_edits(craft, plan_edits(craft, KitParts.of(craft), worked.plans[index]))


class RandomKitsTest(SimpleTestCase):
    """What must hold for any kit."""

    def test_plans_are_best_and_faultless_and_clashes_are_minimal(self):
        rng = random.Random(20261123)
        compared = clashes = 0
        for number in range(KITS):
            craft = random_craft(rng)
            parts = KitParts.of(craft)
            demands = demands_of(craft, parts)
            worked = work_out(craft, parts)
            small = size(craft, parts, demands) <= SMALL_ENOUGH
            with self.subTest(number, board=craft.kit.board, receiver=craft.kit.receiver, devices=[each.part for each in craft.kit.devices]):
                if small:
                    compared += 1
                    best = brute_force(craft, parts, demands) if demands else None
                    self.assertEqual(worked.plans[0].cost if worked.plans else None, best)
                costs = [plan.cost for plan in worked.plans]
                self.assertEqual(costs, sorted(costs))
                for index in range(len(worked.plans)):
                    self.faultless(craft, taken(craft, worked, index))
                if worked.clash:
                    clashes += 1
                    self.minimal(craft, parts, demands, worked)
        self.assertGreater(compared, 150)
        self.assertGreater(clashes, 40)

    def faultless(self, craft: CraftDocument, after: CraftDocument) -> None:
        parts = KitParts.of(after)
        found = check_ports(after, parts) + check_loom(after, parts)
        about_plan = (
            "loom.not-crossed",
            "loom.pad-twice",
            "loom.two-drivers",
            "loom.telemetry-pin",
            "loom.pwm",
            "loom.no-such",
            "loom.signal",
            "loom.pin-twice",
        )
        wrong = [each for each in found if each.code.startswith("ports.") or each.code.startswith(about_plan)]
        self.assertEqual([(each.code, each.what) for each in wrong], [])
        for patch in craft.wiring:
            if patch.fixed:
                self.assertIn((patch.device, patch.pin, patch.pad), [(each.device, each.pin, each.pad) for each in after.wiring])

    def minimal(self, craft: CraftDocument, parts: KitParts, demands: list[Demand], worked: Worked) -> None:
        core = [demand for demand in demands if (demand.device, demand.job) in [(each.device, each.job) for each in worked.clash]]
        self.assertEqual(len(core), len(worked.clash))
        if size(craft, parts, core) > SMALL_ENOUGH:
            return
        self.assertIsNone(brute_force(craft, parts, core))
        for left_out in core:
            self.assertIsNotNone(brute_force(craft, parts, [demand for demand in core if demand is not left_out]))


class PlanTest(SimpleTestCase):
    def test_the_clash_of_two_devices_is_explained_and_solved(self):
        craft = scenario.avocet()
        (finding,) = check_ports(craft, KitParts.of(craft))
        self.assertEqual((finding.code, finding.where), ("ports.clash", "U4 (R4, T4)"))
        worked = work_out(craft, KitParts.of(craft))
        best = worked.plans[0]
        self.assertEqual((best.title, best.moved_wires, best.new_wires), ("Move ESC to R7", 1, 0))
        reason = next(each.reason for each in best.assignments if each.device == "ESC")
        self.assertIn("only R7", reason)
        after = taken(craft, worked)
        self.assertEqual(
            [each.model_dump() for each in wire_changes(craft.wiring, after.wiring)], [{"device": "ESC", "pin": "TLM", "before": "R4", "after": "R7"}]
        )
        self.assertEqual(check_ports(after, KitParts.of(after)), [])

    def test_native_inversion_comes_before_an_inverter_and_that_before_an_external_one(self):
        order = []
        for board in ("merle-f7", "merle-f4", "plover-f1"):
            craft = sbus_craft()
            craft.kit.board, craft.wiring = board, []
            craft.settings.ports = dict.fromkeys(KitParts.of(craft).board.ports, "free")
            if board == "plover-f1":
                craft.wiring = [Patch(device="receiver", pin="SBUS", pad="R3", fixed=True)]
            order.append(work_out(craft, KitParts.of(craft)).plans[0].assignments[0].inversion)
        self.assertEqual(order, ["native", "fixed", "external"])

    def test_an_external_inverter_goes_into_the_wire_and_the_port_reads_upright(self):
        craft = sbus_craft()
        craft.kit.board, craft.settings.ports = "merle-f4", dict.fromkeys(("U1", "U2", "U3", "U4", "U5"), "free")
        craft.wiring = [Patch(device="receiver", pin="SBUS", pad="R3", fixed=True)]
        after = taken(craft, work_out(craft, KitParts.of(craft)))
        self.assertEqual((after.wiring[0].pad, after.wiring[0].inverter, after.settings.receiver_input.inverted), ("R3", True, False))

    def test_a_pad_that_gives_the_line_upright_spares_the_inverter(self):
        craft = sbus_craft()
        craft.kit.board, craft.kit.receiver, craft.wiring = (
            "plover-f1",
            "pip-s4",
            [Patch(device="GPS", pin="TX", pad="R2", fixed=True), Patch(device="GPS", pin="RX", pad="T2", fixed=True)],
        )
        craft.kit.devices = [Fitted(name="GPS", part="tern-5")]
        craft.settings.ports = dict.fromkeys(("U1", "U2", "U3"), "free")
        (receiver, _, _) = sorted(work_out(craft, KitParts.of(craft)).plans[0].assignments, key=lambda each: each.job != "receiver input")
        self.assertEqual(([wire.pin for wire in receiver.wires], receiver.inversion), (["SBUS-N"], "none"))

    def test_the_bench_link_keeps_its_port_and_leaving_it_says_how_to_get_back_in(self):
        craft = sbus_craft()
        craft.kit.board, craft.wiring = "plover-f1", []
        craft.settings.ports = dict.fromkeys(("U1", "U2", "U3"), "free")
        craft.kit.devices = [Fitted(name=name, part="tern-5") for name in ("GPS", "GPS 2")]
        parts = KitParts.of(craft)
        worked = work_out(craft, parts)
        self.assertEqual(worked.plans, [])
        self.assertEqual({each.device for each in worked.clash}, {"receiver", "GPS", "GPS 2"})
        craft.settings.ports["U1"] = "GPS"
        (finding,) = [each for each in check_ports(craft, parts) if each.code == "ports.link-taken"]
        self.assertIn("boot button", finding.why)

    def test_each_way_out_was_tried(self):
        craft = scenario.avocet()
        craft.kit.devices += [Fitted(name="GPS 2", part="tern-5")]
        craft.kit.devices += [Fitted(name="camera", part="skein-v")]
        parts = KitParts.of(craft)
        worked = work_out(craft, parts)
        for each in worked.clash:
            self.assertTrue(each.ways)
            left_out = next(way for way in each.ways if way.text.startswith("Leave"))
            rest = [demand for demand in demands_of(craft, parts) if (demand.device, demand.job) != (each.device, each.job)]
            self.assertEqual(left_out.tried, any_plan([placements(demand, craft, parts) for demand in rest]))

    def test_pwm_leads_take_the_inputs_in_order_and_ppm_takes_one(self):
        coot = scenario.coot()
        after = taken(coot, work_out(coot, KitParts.of(coot)))
        self.assertEqual([after.pad_of(f"CH{number}") for number in (1, 2, 3, 4)], ["IN1", "IN2", "IN3", "IN4"])
        moved = apply_edits(coot, [Edit(path="/kit/jumper_fitted", value=True)])
        after = taken(moved, work_out(moved, KitParts.of(moved)))
        changes = [(each.pin, each.before, each.after) for each in wire_changes(coot.wiring, after.wiring)]
        self.assertEqual(changes, [("CH2", "IN2", None), ("CH3", "IN3", None), ("CH4", "IN4", None)])
        self.assertEqual(after.settings.receiver_input.protocol, "PPM")

    def test_too_few_inputs_is_a_clash_of_one_and_the_jumper_frees_it(self):
        coot = scenario.coot()
        coot.kit.board, coot.wiring, coot.settings.ports = "shelduck-h7", [], {}
        (only,) = work_out(coot, KitParts.of(coot)).clash
        self.assertIn("needs 4 inputs with a timer for PWM; the Shelduck H7 has 1", only.why)
        self.assertTrue(next(way for way in only.ways if "jumper" in way.text).tried)


class PadsTest(SimpleTestCase):
    def test_a_pad_tells_its_port_its_abilities_and_its_rivals(self):
        craft = scenario.sandpiper()
        facts = {each.pad: each for each in pad_facts(craft, KitParts.of(craft))}
        self.assertEqual((facts["T3"].port, facts["T3"].job, facts["T3"].soldered), ("U3", "receiver input", ["receiver F.Port"]))
        self.assertIn("cannot invert: an F4 UART has no inversion of its own", facts["T3"].abilities)
        self.assertIn("receiver", facts["T5"].rivals)
        self.assertNotIn("receiver", facts["T3"].rivals)

    def test_a_device_lists_its_spots_best_first_and_why_not_the_others(self):
        craft = scenario.sandpiper()
        (receiver, gps) = device_spots(craft, KitParts.of(craft))
        self.assertEqual([spot.pads for spot in receiver.spots if not spot.why_not], [["T5"]])
        self.assertTrue(all("cannot invert both ways" in spot.why_not for spot in receiver.spots if spot.why_not))
        self.assertTrue(gps.spots[0].here)
        costs = [spot.cost for spot in gps.spots if not spot.why_not and not spot.taken_by and not spot.here]
        self.assertEqual(costs, sorted(costs))

    def test_soldering_a_device_moves_its_wires_and_its_job(self):
        craft = scenario.sandpiper()
        after = apply_edits(craft, solder(craft, KitParts.of(craft), "receiver", "receiver input", ["T5"]))
        self.assertEqual((after.pad_of("F.Port"), after.settings.ports["U5"], after.settings.ports["U3"]), ("T5", "receiver input", "free"))
        self.assertEqual(check_ports(after, KitParts.of(after)), [])
