from __future__ import annotations

from django.test import SimpleTestCase

from linkcore.chain import chain, foundations
from linkcore.craft.document import CraftDocument, CraftError, apply_edits, differences, load
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.port_plan.rules import check_ports
from linkcore.hops.switchboard.detents import Detent, SwitchMeasure
from linkcore.hops.switchboard.rules import around, check_switches
from linkcore.proofs import Proof
from tests.crafts import changed_sections, crsf_craft, sbus_craft, whole_of, wires


class DocumentTest(SimpleTestCase):
    def test_a_document_survives_the_round_trip(self):
        craft = sbus_craft()
        self.assertEqual(load(craft.model_dump(mode="json")), craft)

    def test_bad_documents_say_where_and_what_to_do(self):
        good = sbus_craft().model_dump(mode="json")
        for change, said in (
            ({"version": 2}, "newer Coin Bell (document version 2; this one reads up to 1). Update Coin Bell"),
            ({"format": "other"}, "no craft document"),
            ({"colour": "red"}, "colour: "),
            ({"airframe": "kite"}, "airframe: "),
            ({"settings": good["settings"] | {"channel_map": "AAAA"}}, "settings/channel_map: 'AAAA' is no channel order"),
            (
                {"settings": good["settings"] | {"arming": {"channel": 5, "low": 1800, "high": 1700}}},
                "settings/arming: a band from 1800 to 1700 us is empty",
            ),
        ):
            with self.assertRaisesMessage(CraftError, said):
                load(good | change)
        with self.assertRaises(CraftError):
            load([1, 2])

    def test_edits_are_validated_and_leave_the_original_alone(self):
        craft = sbus_craft()
        edited = apply_edits(craft, [Edit(path="/settings/ports/U6", value="receiver input")])
        self.assertEqual((craft.settings.ports["U6"], edited.settings.ports["U6"]), ("free", "receiver input"))
        for path, value in (("/settings/nothing", 1), ("/wiring/9/pad", "R1"), ("/settings/ports/U6", "sing")):
            with self.assertRaises(CraftError):
                apply_edits(craft, [Edit(path=path, value=value)])

    def test_only_the_changed_section_changes_its_hash(self):
        craft = sbus_craft()
        edited = apply_edits(craft, [Edit(path="/settings/lost_link/grace_ms", value=600)])
        self.assertEqual(changed_sections(craft, edited), {"settings/lost_link"})

    def test_the_order_of_wires_is_no_change(self):
        craft = sbus_craft()
        other = craft.model_copy(update={"wiring": craft.wiring[::-1]})
        self.assertEqual(changed_sections(craft, other), set())

    def test_differences_name_each_leaf(self):
        craft = sbus_craft()
        other = apply_edits(craft, [Edit(path="/settings/modes/0/low", value=1300), Edit(path="/settings/ports/U1", value="GPS")])
        found = {each.path: (each.draft, each.on_board) for each in differences(other.settings, craft.settings)}
        self.assertEqual(found, {"/ports/U1": ("GPS", "free"), "/modes/0/low": (1300.0, 1250.0)})


class CoinTest(SimpleTestCase):
    def test_a_proof_tarnishes_with_just_what_it_rested_on(self):
        craft = sbus_craft()
        rests_on = foundations(whole_of(craft))
        proofs = {key: Proof(hop=key[0], name=key[1], rests_on=found) for key, found in rests_on.items() if key[0] in ("line", "switchboard", "lost link")}
        changed = apply_edits(craft, [Edit(path="/settings/lost_link/grace_ms", value=600)])
        states = {state.hop: state for state in chain(whole_of(changed), proofs, [])[0]}
        self.assertEqual([states[hop].coin for hop in ("line", "switchboard", "lost link")], ["rings true", "rings true", "tarnished"])
        self.assertIn("lost link", states["lost link"].why)
        self.assertEqual(states["sticks"].coin, "blank")


class PortRulesTest(SimpleTestCase):
    def codes(self, craft: CraftDocument) -> list[str]:
        return [finding.code for finding in check_ports(craft, KitParts.of(craft))]

    def test_good_plans_have_no_finding(self):
        self.assertEqual(self.codes(sbus_craft()), [])
        self.assertEqual(self.codes(crsf_craft()), [])

    def test_each_fault_has_its_code(self):
        cases = {
            "ports.wire-elsewhere": sbus_craft(pad="R3"),
            "ports.inversion": sbus_craft(inverted=False),
            "ports.other-protocol": sbus_craft(protocol="CRSF"),
            "ports.no-such-pad": sbus_craft(pad="R9"),
            "ports.wrong-pad": sbus_craft(pad="T2"),
        }
        for edits, code in (
            ([Edit(path="/settings/ports/U2", value="free")], "ports.no-receiver-job"),
            ([Edit(path="/settings/ports/U3", value="receiver input")], "ports.job-twice"),
            ([Edit(path="/settings/receiver_input/protocol", value=None)], "ports.no-protocol"),
        ):
            cases[code] = apply_edits(sbus_craft(), edits)
        unwired = sbus_craft()
        unwired.wiring = []
        cases["ports.not-wired"] = unwired
        no_inverter = sbus_craft()
        no_inverter.kit.board = "merle-f4"
        no_inverter.settings.ports = {"U3": "receiver input"}
        no_inverter.wiring = wires(SBUS="R3", **{"5V": "5V", "GND": "G"})
        cases["ports.cannot-invert"] = no_inverter
        for code, craft in cases.items():
            with self.subTest(code):
                self.assertIn(code, self.codes(craft))

    def test_the_offered_mends_mend(self):
        for craft in (sbus_craft(pad="R3"), sbus_craft(inverted=False), sbus_craft(protocol="CRSF"), crsf_craft(pad="R3")):
            for finding in check_ports(craft, KitParts.of(craft)):
                for mend in finding.mends:
                    with self.subTest(mend.text):
                        mended = apply_edits(craft, mend.edits)
                        self.assertNotIn(finding.code, self.codes(mended))


class BandRulesTest(SimpleTestCase):
    def measured(self, *values: float) -> SwitchMeasure:
        return SwitchMeasure(detents={6: [Detent(low=value - 1, high=value + 1) for value in values]})

    def test_a_band_beside_the_detent_is_found_and_mended(self):
        craft = apply_edits(sbus_craft(), [Edit(path="/settings/modes/0/low", value=1530), Edit(path="/settings/modes/0/high", value=1780)])
        measured = self.measured(1000, 1500, 2000)
        (finding,) = check_switches(craft, KitParts.of(craft), measured)
        self.assertEqual(finding.code, "switchboard.band-misses")
        self.assertIn("by 30 us", finding.what)
        mended = apply_edits(craft, finding.mends[0].edits)
        self.assertEqual(check_switches(mended, KitParts.of(mended), measured), [])

    def test_a_band_whose_edge_is_too_near_a_detent_is_warned_of(self):
        craft = apply_edits(sbus_craft(), [Edit(path="/settings/modes/0/low", value=1480), Edit(path="/settings/modes/0/high", value=1780)])
        (finding,) = check_switches(craft, KitParts.of(craft), self.measured(1000, 1500, 2000))
        self.assertEqual((finding.code, finding.severity), ("switchboard.clearance", "warn"))
        self.assertIn("clears the detent at 1500 us by only 19 us", finding.what)
        wider = apply_edits(craft, [Edit(path="/settings/modes/0/low", value=1300)])
        self.assertEqual(check_switches(wider, KitParts.of(wider), self.measured(1000, 1500, 2000)), [])

    def test_a_suggested_band_holds_its_detent_alone(self):
        detents = self.measured(1000, 1500, 2000).detents[6]
        bands = [around(detent, detents) for detent in detents]
        for (low, high), detent in zip(bands, detents, strict=True):
            self.assertTrue(low < detent.low and detent.high < high)
            self.assertEqual(sum(low <= other.value <= high for other in detents), 1)

    def test_other_faults(self):
        for path, value, code in (
            ("/settings/modes/0/channel", 2, "switchboard.stick-channel"),
            ("/settings/modes/0/channel", 18, "switchboard.no-channel"),
            ("/settings/arming", None, "switchboard.no-arm-band"),
        ):
            craft = apply_edits(sbus_craft(), [Edit(path=path, value=value)])
            self.assertIn(code, [finding.code for finding in check_switches(craft, KitParts.of(craft), SwitchMeasure())])
