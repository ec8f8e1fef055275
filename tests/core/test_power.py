"""Supply as it really is: rails at the pack's full voltage, what BECs give, and how much of a rating is left."""

from __future__ import annotations

import io
import json
import unittest

import scenario
from commands.calc import main
from linkcore.bench.messages import BenchState
from linkcore.craft.document import CraftDocument, Fitted
from linkcore.craft.parts import KitParts
from linkcore.findings import Finding
from linkcore.hops.loom.rules import POWER, check_loom
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Peripheral
from linkcore.wiring.netlist import rail_volts, wires_for
from tests.hand import Hand

NOTES = ("loom.dark-on-usb", "loom.low-on-usb")


def own(part_id: str, **changed: object) -> Peripheral:
    part = shipped().of(Peripheral, part_id)
    return Peripheral.model_validate(part.model_dump(mode="json") | {"id": f"{part_id}-x"} | changed)


def fitted(craft: CraftDocument, *, pack: str | None = None, more: dict[str, Peripheral | str] | None = None) -> tuple[CraftDocument, KitParts]:
    """The same craft with other devices (each a shipped part's id, or an own part) and another pack, wired anew."""
    catalogue = shipped().with_own(list({each.id: each for each in (more or {}).values() if isinstance(each, Peripheral)}.values()))
    craft = craft.model_copy(deep=True)
    craft.kit.pack = craft.kit.pack if pack is None else pack
    craft.kit.devices = [
        *[each for each in craft.kit.devices if each.name not in (more or {})],
        *[Fitted(name=name, part=part if isinstance(part, str) else part.id) for name, part in (more or {}).items()],
    ]
    parts = KitParts.of(craft, catalogue)
    craft.wiring = wires_for(craft, parts, None)
    return craft, parts


def said(craft: CraftDocument, parts: KitParts) -> dict[str, Finding]:
    return {each.code: each for each in check_loom(craft, parts) if each.code in POWER and each.code not in NOTES}


def moved_to_pack(craft: CraftDocument, device: str) -> None:
    for patch in craft.wiring:
        if (patch.device, patch.pin) == (device, "V+"):
            patch.pad = "BAT"


class FullVoltageTest(unittest.TestCase):
    def test_a_part_for_24_volts_dies_of_six_full_cells_and_is_seen_to(self):
        camera = own("stilt-c", supply={"min_volts": 7, "max_volts": 24, "ma": 90, "peak_ma": 130})
        craft, parts = fitted(scenario.curlew(), pack="tussock-6-4000", more={"camera": camera})
        moved_to_pack(craft, "camera")
        rail = parts.board.rail("pack")
        self.assertEqual((rail.volts, rail_volts(craft, parts, rail)), (22.2, 25.2))
        found = said(craft, parts)["loom.supply-too-high"]
        self.assertEqual((found.severity, found.what), ("stop", "camera, Stilt C bears 24 V; BAT gives 25.2 V with the pack full."))
        four, parts = fitted(scenario.curlew(), more={"camera": camera})
        moved_to_pack(four, "camera")
        self.assertEqual(said(four, parts), {})

    def test_little_of_a_rating_left_asks_for_a_capacitor(self):
        for most, code in ((16.0, "loom.pack-too-high"), (18.0, "loom.no-headroom"), (20.9, "loom.no-headroom"), (21.1, None)):
            craft, parts = fitted(scenario.curlew(), more={"ESC": own("tiller-4", pack_max_volts=most)})
            self.assertEqual(set(said(craft, parts)), {code} if code else set(), most)
        self.assertIn("capacitor", said(*fitted(scenario.curlew(), more={"ESC": own("tiller-4", pack_max_volts=18)}))["loom.no-headroom"].mends[0].text)

    def test_the_bench_destroys_what_the_loom_stops(self):
        craft = scenario.curlew()
        craft.kit.pack = "tussock-6-4000"
        moved_to_pack(craft, "video transmitter")  # bears 26 V
        hand = Hand(craft, BenchState(stored=craft.settings, running=craft.settings))
        self.assertEqual(hand.bench.failed, {})
        self.assertIn("loom.no-headroom", said(craft, KitParts.of(craft)))
        for patch in craft.wiring:
            if (patch.device, patch.pin) == ("GPS", "5V"):
                patch.pad = "BAT"
        hand = Hand(craft, BenchState(stored=craft.settings, running=craft.settings))
        self.assertIn("GPS", hand.bench.failed)


class BecTest(unittest.TestCase):
    def servos(self, stalled_ma: int = 800, **motor: object) -> tuple[CraftDocument, KitParts]:
        """Three servos behind the BEC of one motor."""
        servo = own("strand-9", supply={"min_volts": 4.5, "max_volts": 6.0, "ma": 150, "peak_ma": stalled_ma})
        return fitted(scenario.sandpiper(), more={"motor": own("oar-25", **motor), **dict.fromkeys(("left aileron", "right aileron", "elevator"), servo)})

    def test_a_strong_bec_on_weak_servos_is_a_stop(self):
        pins = [pin | ({"volts": 7.4} if pin["name"] == "BEC" else {}) for pin in shipped().of(Peripheral, "oar-25").model_dump(mode="json")["pins"]]
        found = said(*self.servos(pins=pins))
        self.assertEqual((found["loom.supply-too-high"].severity, set(found)), ("stop", {"loom.supply-too-high"}))
        self.assertIn("bears 6 V", found["loom.supply-too-high"].what)

    def test_servos_are_summed_against_their_bec(self):
        craft, parts = self.servos()
        self.assertEqual(said(craft, parts), {}, "three that stall take 2.4 A of 3 A")
        heavy, parts = self.servos(1100)
        self.assertEqual(said(heavy, parts)["loom.bec-over"].severity, "warn")
        self.assertIn("gives 3000 mA; 3 devices take 3300 mA where all of them stall", said(heavy, parts)["loom.bec-over"].what)
        weak, parts = self.servos(bec_ma=400)
        self.assertEqual((said(weak, parts)["loom.bec-over"].severity, "450 mA as they move" in said(weak, parts)["loom.bec-over"].what), ("stop", True))


class CalcTest(unittest.TestCase):
    def calc(self, craft: CraftDocument) -> tuple[int, dict]:
        out = io.StringIO()
        status = main(["calc", "power"], io.StringIO(json.dumps(craft.model_dump(mode="json"))), out)
        return status, json.loads(out.getvalue())

    def test_rails_cells_and_what_is_wrong(self):
        status, answer = self.calc(scenario.curlew())
        self.assertEqual((status, answer["cells"], answer["per_cell"]), (0, 4, {"full": 4.2, "low": 3.58, "empty": 3.5}))
        rails = {each["name"]: each for each in answer["rails"]}
        self.assertEqual((rails["pack"]["volts_full"], rails["9V"]["ma"], rails["9V"]["on"]), (16.8, 410, ["camera", "video transmitter"]))
        craft = scenario.curlew()
        craft.kit.pack = "tussock-6-4000"
        next(each for each in craft.wiring if (each.device, each.pin) == ("GPS", "5V")).pad = "BAT"
        status, answer = self.calc(craft)
        self.assertEqual((status, [each["code"] for each in answer["findings"] if each["severity"] == "stop"]), (3, ["loom.supply-too-high"]))
        craft.kit.pack = ""
        self.assertEqual(self.calc(craft)[1]["cells"], None)
