"""Proofs from before proofs had names: what each rests on is reckoned anew, or it holds no more."""

from __future__ import annotations

from importlib import import_module

from django.apps import apps

import scenario
from linkcore.bench.messages import BenchState
from linkcore.chain import still_chain
from linkcore.craft.document import apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.registry import HOPS
from linkcore.proofs import UNKNOWN
from linkcore.reads import Whole
from server.bench.models import BenchRecord
from server.crafts.models import Craft, Revision
from server.proofs.models import ProofRecord
from server.workshops.models import Workshop
from tests.database import DatabaseTest

BEFORE = {  # what each hop's one proof rested on before proofs had names
    "kit": ("kit", "devices", "wants"),
    "loom": ("kit", "devices", "wiring", "wiring of devices"),
    "load": ("kit", "firmware"),
    "bind": ("kit", "firmware", "bind", "settings/bind_count"),
    "line": ("kit", "wiring", "settings/ports", "settings/receiver_input", "firmware"),
    "switchboard": ("kit", "wiring", "settings/ports", "transmitter", "settings/channel_map", "settings/arming", "settings/modes"),
    "lost link": ("kit", "wiring", "firmware", "receiver", "settings/arming", "settings/lost_link"),
}


class ReckoningTest(DatabaseTest):
    def setUp(self):
        super().setUp()
        self.document = scenario.curlew()
        self.workshop = Workshop.objects.create(name="Before")
        self.craft = Craft.objects.create(workshop=self.workshop, name=self.document.name, document=self.document.model_dump(mode="json"))
        self.parts = KitParts.of(self.document)
        self.settings = self.document.settings.model_copy(update={"bind_count": 0})
        state = BenchState(stored=self.settings, running=self.settings, identity="0102030405060708")
        BenchRecord.objects.create(craft=self.craft, state=state.keep())
        self.whole = Whole(self.document, self.settings, self.parts, state.installed(self.document, self.parts), state.identity)

    def record(self, whole: Whole | None = None) -> None:
        of = whole or self.whole
        for hop, sections in BEFORE.items():
            ProofRecord.objects.create(craft=self.craft, hop=hop, name="", rests_on={key: of.digest(key) for key in sections}, seen={"kept": hop})

    def reckon(self) -> None:
        import_module("server.proofs.migrations.0003_names").name_and_reckon(apps, None)

    def coins(self) -> dict[str, str]:
        proofs = ProofRecord.newest(ProofRecord.objects.order_by("id"))
        return {state.hop: state.coin for state in still_chain(self.whole, proofs) if state.hop in BEFORE}

    def test_each_rings_true_as_before_and_rests_on_all_that_it_can_read(self):
        self.record()
        self.reckon()
        coins = self.coins()
        self.assertEqual(coins.pop("lost link"), "tarnished", "its first proof asks for more than it did")
        self.assertEqual(set(coins.values()), {"rings true"})
        for record in ProofRecord.objects.exclude(hop="lost link"):
            declared = next(hop for hop in HOPS if hop.key == record.hop).proofs[0]
            self.assertEqual((record.name, set(record.rests_on)), (declared.name, set(declared.reads.foundation(self.whole))))
            self.assertEqual(record.seen, {"kept": record.hop})

    def test_what_was_saved_and_written_then_counts_not_what_is_now(self):
        Revision.objects.create(craft=self.craft, version=1, kind="saved", document=self.document.model_dump(mode="json"))
        Revision.objects.create(craft=self.craft, version=1, kind="written", document=self.document.model_dump(mode="json"))
        self.record()
        now = apply_edits(self.document, [Edit(path="/airframe", value="plane"), Edit(path="/settings/channel_map", value="TAER")])
        Craft.objects.filter(pk=self.craft.pk).update(document=now.model_dump(mode="json"))
        self.reckon()
        self.whole = Whole(now, now.settings, self.parts, self.whole.installed, self.whole.identity)
        coins = self.coins()
        self.assertEqual((coins["line"], coins["switchboard"]), ("rings true", "tarnished"))

    def test_what_cannot_be_had_any_more_is_tarnished_with_that_reason(self):
        other = apply_edits(self.document, [Edit(path="/transmitter/channels/2/sub_trim_us", value=12)])
        self.record(Whole(other, self.settings, self.parts, self.whole.installed, self.whole.identity))
        self.reckon()
        record = ProofRecord.objects.get(hop="switchboard")
        self.assertEqual(set(record.rests_on), {UNKNOWN})
        state = next(state for state in still_chain(self.whole, ProofRecord.newest(ProofRecord.objects.order_by("id"))) if state.hop == "switchboard")
        self.assertEqual(state.coin, "tarnished")
        self.assertIn("not to be had any more", state.why)
        self.assertEqual(self.coins()["line"], "rings true", "what it changed is nothing that the line rests on")

    def test_a_lost_link_that_was_proven_by_less_is_told_of_and_does_not_hold(self):
        ProofRecord.objects.create(craft=self.craft, hop="lost link", name="as predicted", rests_on={"kit": "x"}, seen={})
        import_module("server.proofs.migrations.0004_lost_link_asks_more").told_of(apps, None)
        state = next(state for state in still_chain(self.whole, ProofRecord.newest(ProofRecord.objects.order_by("id"))) if state.hop == "lost link")
        self.assertEqual(state.coin, "tarnished")
        self.assertIn("throttle and arm switch were not looked at then", state.why)
