from __future__ import annotations

from django.test import SimpleTestCase

from linkcore.craft.document import CraftDocument, Fitted, Kit, Patch
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board, Receiver
from linkcore.wiring.demands import BENCH_LINK, Demand, Variant, demands_of, leads_wanted, link_ports, place_on, placements
from linkcore.wiring.planner import cost_of


def craft_with(board: str, receiver: str, *, telemetry: bool = False, jumper: bool = False, **devices: str) -> CraftDocument:
    craft = new_craft("Demands", "quad X", Kit(board=board, receiver=receiver, transmitter="harrow-16"))
    craft.kit.devices = [Fitted(name=name, part=part) for name, part in devices.items()]
    craft.kit.jumper_fitted = jumper
    craft.wants.telemetry = telemetry
    return craft


def asked(craft: CraftDocument) -> dict[str, Demand]:
    return {demand.key: demand for demand in demands_of(craft, KitParts.of(craft))}


class DemandTest(SimpleTestCase):
    def test_each_receiver_asks_for_what_its_protocol_needs(self):
        forms = {
            "pip-s8": ("rx", True, 100_000),
            "reed-one": ("half", True, 115_200),
            "wisp-900": ("full", False, 420_000),
            "twin-leaf": ("rx", False, 115_200),
            "brook-6": ("rx", False, 115_200),
            "stile-12": ("rx", False, 115_200),
            "six-pack": ("pulses", False, 0),
        }
        for receiver, expected in forms.items():
            demand = asked(craft_with("shelduck-h7", receiver))["receiver: receiver input"]
            best = demand.variants[0]
            self.assertEqual((best.form, best.inverted, demand.baud), expected, receiver)

    def test_telemetry_on_a_wire_of_its_own_is_asked_for_when_it_is_wanted_wired_or_set(self):
        craft = craft_with("merle-f7", "pip-s8")
        self.assertNotIn("receiver: telemetry", asked(craft))
        wired = craft.model_copy(update={"wiring": [Patch(device="receiver", pin="S.Port", pad="T1")]})
        set_up = craft.model_copy(deep=True)
        set_up.settings.ports["U4"] = "telemetry"
        for ready in (craft_with("merle-f7", "pip-s8", telemetry=True), wired, set_up):
            demand = asked(ready)["receiver: telemetry"]
            self.assertEqual((demand.baud, demand.variants[0].form, demand.variants[0].inverted), (57_600, "half", True))
        hub = asked(craft_with("merle-f7", "sluice-h8", telemetry=True))["receiver: telemetry"]
        self.assertEqual((hub.baud, hub.variants[0].form, hub.variants[0].pins), (9_600, "tx", ("HUB",)))

    def test_listening_only_will_do_where_no_telemetry_is_wanted(self):
        both = asked(craft_with("merle-f7", "wisp-900"))["receiver: receiver input"]
        self.assertEqual([variant.form for variant in both.variants], ["full", "rx"])
        wanted = asked(craft_with("merle-f7", "wisp-900", telemetry=True))["receiver: receiver input"]
        self.assertEqual([variant.form for variant in wanted.variants], ["full"])

    def test_leads_follow_the_channels_that_are_wanted(self):
        craft = craft_with("dabble-f3", "six-pack")
        pwm = shipped().of(Receiver, "six-pack").outputs[0]
        for channels, leads in ((2, 2), (6, 6), (12, 6)):
            craft.wants.channels = channels
            self.assertEqual(leads_wanted(craft, pwm), leads)
            self.assertEqual(len(asked(craft)["receiver: receiver input"].variants[0].pins), leads)
        craft.kit.jumper_fitted = True
        self.assertEqual(asked(craft)["receiver: receiver input"].variants[0].pins, ("CH1",))

    def test_a_device_without_a_serial_line_asks_for_no_port(self):
        craft = craft_with("merle-f7", "pip-s8", beeper="whimbrel", servo="strand-9")
        self.assertEqual(list(asked(craft)), ["receiver: receiver input"])


class BenchLinkTest(SimpleTestCase):
    def test_which_ports_stay_with_it(self):
        bridge = craft_with("plover-f1", "pip-s8")
        self.assertEqual(link_ports(bridge, KitParts.of(bridge)), ["U1"])
        self.assertIn(f"{BENCH_LINK}: {BENCH_LINK}", asked(bridge))
        usb = craft_with("merle-f7", "pip-s8")
        self.assertEqual((link_ports(usb, KitParts.of(usb)), len(asked(usb))), ([], 1))
        usb.settings.ports["U6"] = BENCH_LINK
        self.assertEqual(link_ports(usb, KitParts.of(usb)), ["U6"])
        adapter = craft_with("merle-f7", "pip-s8", adapter="tide-link")
        adapter.settings.ports["U6"] = BENCH_LINK
        self.assertEqual((link_ports(adapter, KitParts.of(adapter)), f"adapter: {BENCH_LINK}" in asked(adapter)), ([], True))

    def test_nobody_else_is_placed_there(self):
        craft = craft_with("plover-f1", "pip-s8", GPS="tern-5")
        for demand in asked(craft).values():
            ports = {place.port for place in placements(demand, craft, KitParts.of(craft))}
            self.assertEqual("U1" in ports, demand.device == BENCH_LINK, demand.key)


class PlaceTest(SimpleTestCase):
    """Where a demand can be, and in a sentence why it cannot."""

    def why_not(self, board: str, form: str, port: str, *, inverted: bool = False, baud: int = 115_200, job: str = "GPS") -> str:
        pins = ("TX", "RX") if form == "full" else ("TX",)
        variant = Variant(form, pins, inverted)
        place = place_on(shipped().of(Board, board), Demand("x", "X", job, baud, (variant,)), variant, port)
        return place if isinstance(place, str) else place.inversion

    def test_incomplete_ports(self):
        self.assertEqual(self.why_not("ouzel-h7", "full", "U7"), "U7 lacks TX, and both ways are needed")
        self.assertEqual(self.why_not("ouzel-h7", "rx", "U8"), "U8 has no RX pad to listen on")
        self.assertEqual(self.why_not("ouzel-h7", "half", "U7"), "U7 has no TX pad, on which half duplex runs")
        self.assertEqual(self.why_not("ouzel-h7", "tx", "U7"), "U7 has no TX pad to send from")
        self.assertEqual(self.why_not("ouzel-h7", "rx", "U7"), "none")

    def test_inversion(self):
        for board, form, port, found in (
            ("merle-f7", "rx", "U1", "native"),
            ("merle-f7", "half", "U1", "native"),
            ("merle-f4", "rx", "U2", "fixed"),
            ("merle-f4", "rx", "U1", "external"),
            ("merle-f4", "tx", "U2", "external"),
            ("merle-f4", "half", "U5", "fixed"),
            ("merle-f4", "half", "U2", "T2 cannot invert both ways, and an external inverter passes one way only"),
        ):
            self.assertEqual(self.why_not(board, form, port, inverted=True), found, (board, form, port))

    def test_software_ports_are_slow_and_never_for_a_receiver(self):
        self.assertIn("follows 19200 baud at most", self.why_not("sanderling-f4", "tx", "SW1"))
        self.assertEqual(self.why_not("sanderling-f4", "tx", "SW1", baud=9_600, inverted=True), "native")
        self.assertIn("too slow and too late for a receiver", self.why_not("sanderling-f4", "tx", "SW1", baud=9_600, job="receiver input"))

    def test_a_fixed_wire_leaves_one_pad(self):
        craft = craft_with("merle-f7", "pip-s8")
        craft.wiring = [Patch(device="receiver", pin="SBUS", pad="R5", fixed=True)]
        parts = KitParts.of(craft)
        demand = asked(craft)["receiver: receiver input"]
        self.assertEqual([place.pads[0].name for place in placements(demand, craft, parts)], ["R5"])
        self.assertEqual(len(placements(demand, craft, parts, fixed={})), 6)

    def test_what_each_placement_costs(self):
        craft = craft_with("merle-f4", "pip-s8")
        craft.wiring = [Patch(device="receiver", pin="SBUS", pad="R1")]
        craft.settings.ports["U2"] = "receiver input"
        demand, board = asked(craft)["receiver: receiver input"], shipped().of(Board, "merle-f4")
        costs = {place.port: cost_of(craft, board, place) for place in placements(demand, craft, KitParts.of(craft))}
        self.assertEqual(costs["U1"], {"inversion": 40, "full port half used": 3, "job moved": 1})
        self.assertEqual(costs["U2"], {"inversion": 10, "wires moved": 6, "full port half used": 3})
