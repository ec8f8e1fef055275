from __future__ import annotations

import inspect
import re

from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import CraftDocument, Fitted, Patch, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.port_plan import rules
from linkcore.hops.port_plan.rules import check_ports
from tests.crafts import crsf_craft, sbus_craft
from tests.wired import moved, planned


def codes(craft: CraftDocument) -> set[str]:
    return {finding.code for finding in check_ports(craft, KitParts.of(craft))}


def edited(craft: CraftDocument, **changes: object) -> CraftDocument:
    """Ports by name, or receiver_input's fields."""
    where = {"protocol": "receiver_input", "inverted": "receiver_input"}
    return apply_edits(craft, [Edit(path=f"/settings/{where.get(name, 'ports')}/{name}", value=value) for name, value in changes.items()])


def with_gps(board: str = "merle-f7") -> CraftDocument:
    craft = sbus_craft()
    craft.kit.board, craft.wiring = board, []
    craft.settings.ports = dict.fromkeys(KitParts.of(craft).board.ports, "free")
    craft.kit.devices = [Fitted(name="GPS", part="tern-5")]
    return planned(craft)


class PortRuleTest(SimpleTestCase):
    """Every rule of a plan made by hand: one that breaks it, and one that only just does not."""

    def broken(self, code: str, craft: CraftDocument, sound: CraftDocument) -> None:
        with self.subTest(code):
            self.assertIn(code, codes(craft))
            self.assertNotIn(code, codes(sound))

    def test_jobs(self):
        sound = sbus_craft()
        gone = sound.model_copy(deep=True)
        gone.settings.ports["U9"] = "GPS"
        self.broken("ports.no-such-port", gone, sound)
        self.broken("ports.job-twice", edited(sound, U3="receiver input"), edited(sound, U3="GPS"))
        self.broken("ports.no-receiver-job", edited(sound, U2="free"), sound)
        self.broken("ports.no-protocol", edited(sound, protocol=None), sound)
        self.broken("ports.protocol-without-job", edited(sound, U2="free"), edited(sound, U2="free", protocol=None))
        software = sbus_craft()
        software.kit.board, software.settings.ports = "sanderling-f4", {"U1": "free", "U2": "free", "U3": "free", "U4": "free", "SW1": "receiver input"}
        hard = software.model_copy(deep=True)
        hard.settings.ports |= {"SW1": "free", "U2": "receiver input"}
        self.broken("ports.too-slow", software, hard)
        self.broken("ports.no-rx-pad", edited(crsf_craft(), U6="free", U8="receiver input"), edited(crsf_craft(), U6="free", U7="receiver input"))

    def test_the_receivers_wire(self):
        sound = sbus_craft()
        self.broken("ports.not-wired", moved(sound, "receiver", "SBUS", None), sound)
        self.broken("ports.no-such-pad", moved(sound, "receiver", "SBUS", "R9"), sound)
        self.broken("ports.wrong-pad", moved(sound, "receiver", "SBUS", "T2"), sound)
        self.broken("ports.wire-elsewhere", moved(sound, "receiver", "SBUS", "R3"), sound)
        self.broken("ports.two-ports", moved(crsf_craft(), "receiver", "RX", "T5"), crsf_craft())

    def test_how_it_is_read(self):
        sound = sbus_craft()
        self.broken("ports.unknown-protocol", edited(sound, protocol="Morse"), sound)
        self.broken("ports.other-protocol", edited(sound, protocol="CRSF"), sound)
        self.broken("ports.inversion", edited(sound, inverted=False), sound)
        piper = scenario.sandpiper()
        self.broken("ports.cannot-invert", piper, planned(piper))

    def test_pulses_need_no_port_but_a_timer(self):
        coot = scenario.coot()
        self.broken("ports.pulses-need-no-port", edited(coot, U1="receiver input"), coot)
        self.broken("ports.no-timer", moved(coot, "receiver", "CH1", "R1"), coot)
        self.broken("ports.other-protocol", edited(coot, protocol="PPM"), coot)
        nothing = coot.model_copy(deep=True)
        nothing.wiring = []
        self.broken("ports.not-wired", nothing, coot)
        self.broken("ports.shared-pin", apply_edits(coot, [Edit(path="/wiring/0/pad", value="R2"), Edit(path="/wiring/1/pad", value="IN5")]), coot)
        jumperless = coot.model_copy(deep=True)
        jumperless.kit.receiver = "fen-4"
        self.assertNotIn("ports.no-output", codes(jumperless))

    def test_the_other_devices(self):
        sound = with_gps()
        port = next(port for port, job in sound.settings.ports.items() if job == "GPS")
        self.broken("ports.job-elsewhere", edited(sound, **{port: "flow sensor"}), sound)
        self.broken("ports.job-elsewhere", edited(sound, **{port: "free"}), sound)
        self.broken("ports.clash", scenario.avocet(), planned(scenario.avocet()))
        listening = moved(moved(sound, "GPS", "TX", "R5"), "GPS", "RX", None)
        self.broken("ports.cannot-do", listening, sound)
        tied = apply_edits(
            with_gps("dabble-f3"),
            [Edit(path="/wiring", value=[{"device": "GPS", "pin": "TX", "pad": "R2"}, {"device": "receiver", "pin": "SBUS", "pad": "IN5"}])],
        )
        self.broken("ports.shared-pin", tied, with_gps("dabble-f3"))

    def test_inverters_in_wires(self):
        hub = sbus_craft()
        hub.kit.board, hub.kit.receiver, hub.wants.telemetry, hub.wiring = "merle-f4", "sluice-h8", True, []
        hub.settings.ports = dict.fromkeys(KitParts.of(hub).board.ports, "free")
        hub = planned(hub)
        pad = hub.pad_of("HUB")
        self.assertEqual(pad, "T5", "the pad that has an inverter")
        bare = apply_edits(
            moved(hub, "receiver", "HUB", "T3"), [Edit(path="/settings/ports/U3", value="telemetry"), Edit(path="/settings/ports/U5", value="free")]
        )
        self.broken("ports.no-inverter", bare, hub)
        (finding,) = [each for each in check_ports(bare, KitParts.of(bare)) if each.code == "ports.no-inverter"]
        mended = apply_edits(bare, finding.mends[0].edits)
        self.assertNotIn("ports.no-inverter", codes(mended))
        back = mended.model_copy(update={"wiring": [patch.model_copy(update={"pad": "T5"}) if patch.pin == "HUB" else patch for patch in mended.wiring]})
        self.broken("ports.inverter-too-many", back, hub)

    def test_half_duplex_goes_with_the_receivers_wire(self):
        craft = scenario.sandpiper()
        craft.settings.receiver_input.half_duplex = False
        self.assertIn(("ports.half-duplex", "stop"), {(each.code, each.severity) for each in check_ports(craft, KitParts.of(craft))})
        craft = sbus_craft()
        craft.settings.receiver_input.half_duplex = True
        found = next(each for each in check_ports(craft, KitParts.of(craft)) if each.code == "ports.half-duplex")
        self.assertIn("full duplex", found.mends[0].text)

    def test_a_receiver_that_no_pad_can_invert_gets_an_inverter_into_its_wire(self):
        craft = sbus_craft()
        craft.kit.board, craft.settings.ports = "merle-f4", {"U3": "receiver input"}
        craft = moved(craft, "receiver", "SBUS", "R3")
        (finding,) = [each for each in check_ports(craft, KitParts.of(craft)) if each.code == "ports.cannot-invert"]
        put = next(mend for mend in finding.mends if mend.edits)
        mended = apply_edits(craft, put.edits)
        self.assertEqual(codes(mended), set())
        self.assertFalse(
            any(mend.edits for each in check_ports(scenario.sandpiper(), KitParts.of(scenario.sandpiper())) for mend in each.mends),
            "half duplex passes no inverter",
        )

    def test_the_way_back_in(self):
        sound = with_gps("plover-f1")
        self.broken("ports.link-taken", edited(sound, U1="GPS"), sound)
        adapter = sbus_craft()
        adapter.kit.devices = [Fitted(name="link adapter", part="tide-link")]
        adapter = planned(adapter)
        port = next(port for port, job in adapter.settings.ports.items() if job == "bench link")
        self.broken("ports.link-without-port", edited(adapter, **{port: "free"}), adapter)

    def test_an_output_that_no_jumper_lets_send(self):
        coot = scenario.coot()
        catalogue = KitParts.of(coot)
        only_with = catalogue.receiver.model_copy(update={"outputs": tuple(output for output in catalogue.receiver.outputs if output.jumper)})
        parts = KitParts(catalogue.catalogue, catalogue.board, only_with, catalogue.transmitter, None, catalogue.devices)
        self.assertIn("ports.no-output", {finding.code for finding in check_ports(coot, parts)})

    def test_every_code_is_tested_here_and_the_edits_offered_mend(self):
        known = set(re.findall(r'"(ports\.[a-z-]+)"', inspect.getsource(rules)))
        here = set(re.findall(r'"(ports\.[a-z-]+)"', inspect.getsource(type(self))))
        self.assertEqual(known - here, set())
        for craft in (
            sbus_craft(inverted=False),
            edited(sbus_craft(), U2="free"),
            edited(scenario.coot(), U1="receiver input"),
            edited(with_gps("plover-f1"), U1="GPS"),
        ):
            for finding in check_ports(craft, KitParts.of(craft)):
                for mend in finding.mends:
                    if mend.edits:
                        with self.subTest(mend.text):
                            after = apply_edits(craft, mend.edits)
                            again = [each for each in check_ports(after, KitParts.of(after)) if (each.code, each.where) == (finding.code, finding.where)]
                            self.assertEqual(again, [])

    def test_a_wire_that_was_fixed_by_hand_is_checked_like_any_other(self):
        craft = sbus_craft()
        craft.wiring = [Patch(**(patch.model_dump() | {"fixed": True})) for patch in craft.wiring]
        self.assertEqual(codes(craft), set())
