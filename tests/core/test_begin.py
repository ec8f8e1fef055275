"""What has not been begun is blank, and what was begun wrongly is cracked."""

from __future__ import annotations

import unittest

from linkcore.bench.bench import Bench, CannotRun
from linkcore.chain import chain, measured_findings, seen_findings, settled_findings, still_chain, still_findings
from linkcore.craft.document import CraftDocument, Kit
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Receiver, Transmitter
from linkcore.reads import Whole
from scenario import curlew
from scenario.bench import sample


def still(document: CraftDocument) -> Whole:
    return Whole(document, document.settings, KitParts.of(document))


def coins(document: CraftDocument) -> dict[str, str]:
    return {state.hop: state.coin for state in still_chain(still(document), {})}


class NewCraftTest(unittest.TestCase):
    def test_no_coin_of_a_new_craft_is_cracked_for_what_was_not_begun(self):
        """Every receiver with the transmitter that is made for it: still, and on its bench."""
        catalogue, ran = shipped(), 0
        for receiver in catalogue.all_of(Receiver):
            for transmitter in catalogue.all_of(Transmitter):
                document = new_craft("Knot", "quad X", Kit(board="merle-f7", receiver=receiver.id, transmitter=transmitter.id))
                wrong = [finding for finding in still_findings(still(document)) if finding.severity == "stop"]
                self.assertTrue(all(finding.code.startswith(("kit.", "lostlink.")) for finding in wrong), [each.code for each in wrong])
                if any(finding.hop == "kit" for finding in wrong):
                    continue  # these two do not go together: that is wrong from the start
                try:
                    bench = Bench(document)
                except CannotRun:
                    continue
                bench.run_until(2.0)
                whole, seen = bench.whole, bench.observed
                found = settled_findings(whole) + measured_findings(whole, seen) + seen_findings(whole, seen)
                states, _ = chain(whole, {}, found, seen)
                cracked = {state.hop for state in states if state.coin == "cracked"}
                hidden = {finding.hop for finding in found if finding.code == "lostlink.hidden"}
                self.assertEqual(cracked, hidden, f"{receiver.id} with {transmitter.id}")
                ran += 1
        self.assertGreaterEqual(ran, 5)

    def test_the_first_step_says_what_to_do(self):
        for unchosen, wanted in (
            (("board", "receiver", "transmitter"), "Choose the board, the receiver and the transmitter"),
            (("board", "receiver"), "Choose the board and the receiver"),
            (("receiver",), "Choose the receiver"),
        ):
            document = curlew()
            for role in unchosen:
                setattr(document.kit, role, "")
            first = next(finding for finding in still_findings(still(document)) if finding.severity == "begin")
            self.assertEqual((first.code, first.mends[0].text), ("kit.incomplete", wanted))


class BegunTest(unittest.TestCase):
    def test_one_device_one_wire_or_one_mode_makes_the_rest_wrong(self):
        document = curlew()
        document.kit.devices = document.kit.devices[:1]
        self.assertEqual(coins(document)["kit"], "cracked")
        document.kit.devices = []
        self.assertEqual(coins(document)["kit"], "blank")

        document = curlew()
        document.wiring = [patch for patch in document.wiring if patch.device != "receiver"]
        self.assertEqual(coins(document)["port plan"], "cracked")
        document.wiring = []
        self.assertEqual(coins(document)["port plan"], "blank")

        document = curlew()
        document.settings.arming = None
        self.assertEqual(coins(document)["switchboard"], "cracked")
        document.settings.modes = []
        self.assertEqual(coins(document)["switchboard"], "blank")

    def test_what_was_proven_and_is_undone_is_wrong(self):
        document, earned = sample()
        proofs = {(proof.hop, proof.name): proof for proof in earned.proofs}
        self.assertEqual({state.coin for state in still_chain(still(document), proofs)[1:2]}, {"rings true"})
        document.wiring = []
        plan = still_chain(still(document), proofs)[1]
        self.assertEqual((plan.hop, plan.coin), ("port plan", "cracked"))
        self.assertEqual(still_chain(still(document), {})[1].coin, "blank")
