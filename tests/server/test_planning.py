from __future__ import annotations

import json
import threading

from django.db import connection
from django.test import TestCase

import scenario
from linkcore.craft.document import CraftDocument, load
from linkcore.craft.parts import KitParts
from linkcore.hops.port_plan.rules import check_ports
from linkcore.parts.catalogue import shipped
from linkcore.parts.files import facts_of
from linkcore.parts.models import Board, Receiver
from linkcore.wiring.netlist import every_wire, wire_key
from server.crafts.models import Craft
from server.parts.models import OwnPart
from server.parts.services import save
from server.proofs.models import ProofRecord, WireRing
from server.proofs.services import ring, rung_wires
from server.workshops.models import Workshop
from tests.database import DatabaseTest
from tests.server.base import PASSWORD, make_craft, make_people


class PlanningTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.avocet = make_craft(scenario.avocet(), "Avocet")
        cls.coot = make_craft(scenario.coot(), "Coot")
        cls.dunlin = make_craft(scenario.dunlin(), "Dunlin")

    def setUp(self):
        self.client.post("/api/session", {"username": "wren", "password": PASSWORD}, content_type="application/json")

    def ask(self, craft: Craft, what: str, **body):
        answer = self.client.post(f"/api/crafts/{craft.pk}/{what}", body, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()["view"]

    def take(self, craft: Craft, edits: list) -> dict:
        version = Craft.objects.get(pk=craft.pk).version
        answer = self.client.patch(f"/api/crafts/{craft.pk}/draft", {"version": version, "edits": edits}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()["document"]

    def test_a_clash_is_solved_by_taking_the_first_plan(self):
        offers = self.ask(self.avocet, "work-out", edits=[])["offers"]
        self.assertEqual(offers[0]["plan"]["title"], "Move ESC to R7")
        self.assertEqual(offers[0]["wires"], [{"device": "ESC", "pin": "TLM", "before": "R4", "after": "R7"}])
        self.assertEqual(offers[0]["jobs"], [{"port": "U7", "before": "free", "after": "ESC telemetry"}])
        self.assertEqual(Craft.objects.get(pk=self.avocet.pk).version, 1, "working it out saves nothing")
        document = load(self.take(self.avocet, offers[0]["edits"]))
        self.assertEqual(check_ports(document, KitParts.of(document)), [])

    def test_the_jumper_is_tried_before_it_is_moved(self):
        (offer, *_) = self.ask(self.coot, "work-out", edits=[{"path": "/kit/jumper_fitted", "value": True}])["offers"]
        self.assertEqual([(each["pin"], each["after"]) for each in offer["wires"]], [("CH2", None), ("CH3", None), ("CH4", None)])
        document = self.take(self.coot, offer["edits"])
        self.assertEqual((document["kit"]["jumper_fitted"], document["settings"]["receiver_input"]["protocol"]), (True, "PPM"))

    def test_a_kit_grows_from_nothing_and_each_exchange_says_what_it_changes(self):
        self.assertEqual(self.client.get(f"/api/crafts/{self.dunlin.pk}/plan").status_code, 422)
        for doing, part in (("board", "dabble-f3"), ("receiver", "twin-leaf"), ("transmitter", "hedge-8"), ("add device", "tiller-4")):
            self.take(self.dunlin, self.ask(self.dunlin, "exchange", doing=doing, part=part)["edits"])
        view = self.client.get(f"/api/crafts/{self.dunlin.pk}/kit").json()["view"]
        self.assertEqual((view["ability"]["protocol"], view["ability"]["channels"], view["ability"]["rails"]), ("DSMX", 8, ["3V3"]))
        self.take(self.dunlin, self.ask(self.dunlin, "work-out", edits=[])["offers"][0]["edits"])
        loom = self.client.get(f"/api/crafts/{self.dunlin.pk}/loom").json()["view"]
        self.assertEqual(loom["completed"], [])
        self.assertIn("receiver/3V3/3V3", [wire["key"] for wire in loom["wires"]])
        lost = self.ask(self.dunlin, "exchange", doing="receiver", part="brook-6")
        self.assertIn("it has no DATA and no 3V3: those wires come off", lost["says"])
        self.assertIn("kit.no-shared-radio", [finding["code"] for finding in lost["findings"]])
        self.assertEqual(
            self.client.post(f"/api/crafts/{self.dunlin.pk}/exchange", {"doing": "board", "part": "kite"}, content_type="application/json").status_code, 422
        )
        self.take(self.dunlin, self.ask(self.dunlin, "exchange", doing="remove device", part="ESC")["edits"])
        self.assertNotIn("ESC", json.dumps(Craft.objects.get(pk=self.dunlin.pk).document["wiring"]))

    def test_a_device_is_renamed_and_a_name_that_is_taken_is_refused(self):
        edits = self.ask(self.avocet, "exchange", doing="rename device", part="GPS", to="mast GPS")["edits"]
        document = self.take(self.avocet, edits)
        self.assertIn("mast GPS", [device["name"] for device in document["kit"]["devices"]])
        wired = {wire["device"] for wire in document["wiring"]}
        self.assertEqual((("mast GPS" in wired), ("GPS" in wired)), (True, False))
        for to, said in (("flow", "flow"), ("receiver", "receiver"), ("", "name")):
            body = {"doing": "rename device", "part": "mast GPS", "to": to}
            refused = self.client.post(f"/api/crafts/{self.avocet.pk}/exchange", body, content_type="application/json")
            self.assertIn(refused.status_code, (400, 422), to)
            self.assertIn(said, refused.json()["detail"])

    def test_soldering_by_hand_moves_wires_and_job_and_refuses_what_cannot_be(self):
        edits = self.ask(self.avocet, "solder", device="ESC", job="ESC telemetry", pads=["R7"])["edits"]
        document = load(self.take(self.avocet, edits))
        self.assertEqual((document.pad_of("TLM", "ESC"), document.settings.ports["U7"]), ("R7", "ESC telemetry"))
        answer = self.client.post(
            f"/api/crafts/{self.avocet.pk}/solder", {"device": "GPS", "job": "GPS", "pads": ["R7", "T8"]}, content_type="application/json"
        )
        self.assertEqual((answer.status_code, answer.json()["detail"]), (422, "R7 and T8: GPS cannot be served there"))

    def test_the_loom_on_paper(self):
        for kind, start, media in (
            ("svg", b"<svg", "image/svg+xml"),
            ("pdf", b"%PDF-", "application/pdf"),
            ("csv", b"device,part,pin", "text/csv; charset=utf-8"),
        ):
            answer = self.client.get(f"/api/crafts/{self.avocet.pk}/loom.{kind}")
            self.assertEqual((answer.status_code, answer.headers["Content-Type"]), (200, media))
            self.assertTrue(answer.content.startswith(start))
            self.assertIn(f'filename="avocet-loom.{kind}"', answer.headers["Content-Disposition"])
        shown = self.client.get(f"/api/crafts/{self.avocet.pk}/loom").json()["view"]["drawing"]
        self.assertEqual(self.client.get(f"/api/crafts/{self.avocet.pk}/loom.svg").content.decode(), shown, "the export is the screen")
        self.assertEqual(self.client.get(f"/api/crafts/{self.avocet.pk}/loom.exe").status_code, 404)

    def test_a_model_memory_goes_out_and_comes_back_in_as_a_change_to_be_taken(self):
        address = f"/api/crafts/{self.avocet.pk}/model-memory"
        answer = self.client.get(address)
        self.assertEqual(answer["Content-Disposition"], 'attachment; filename="avocet-model-memory.json"')
        file = answer.json()
        self.assertEqual((file["format"], file["memory"]["made_for"]), ("coin-bell/model-memory", "harrow-16"))
        file["memory"]["channels"][2]["reverse"] = True
        view = self.ask(self.avocet, "model-memory", **file)
        self.assertEqual((view["says"], [each["code"] for each in view["findings"]]), (["CH3: another reverse."], ["sticks.throttle-reversed"]))
        self.assertFalse(Craft.objects.get(pk=self.avocet.pk).read().transmitter.channels[2].reverse, "nothing is saved before it is taken")
        self.assertTrue(load(self.take(self.avocet, view["edits"])).transmitter.channels[2].reverse)
        file["memory"]["channels"][0]["sub_trim_us"] = 999
        refused = self.client.post(address, file, content_type="application/json")
        self.assertEqual((refused.status_code, refused.json()["detail"].split(":")[0]), (422, "memory/channels/0/sub_trim_us"))
        self.assertEqual(self.client.get(f"/api/crafts/{self.dunlin.pk}/model-memory").status_code, 422, "no transmitter is chosen yet")

    def test_before_there_is_a_board_nothing_can_be_planned_or_drawn(self):
        for method, what in (("get", "plan"), ("get", "loom"), ("get", "loom.svg"), ("get", "loom.pdf"), ("post", "work-out")):
            answer = getattr(self.client, method)(f"/api/crafts/{self.dunlin.pk}/{what}", {"edits": []}, content_type="application/json")
            self.assertEqual((answer.status_code, answer.json()["detail"]), (422, "no board is chosen yet; pick one in the Kit"), what)
        view = self.client.get(f"/api/crafts/{self.dunlin.pk}/kit").json()["view"]
        self.assertEqual((view["fits"], view["ability"]["protocol"]), ([], None))
        self.assertEqual(self.client.get(f"/api/crafts/{self.dunlin.pk}/loom.csv").content.count(b"\r\n"), 1, "a heading and no wire")

    def test_edits_that_lead_nowhere_are_refused_before_anything_is_tried(self):
        for edits in ([{"path": "/kit/wings", "value": 2}], [{"path": "/kit/board", "value": 7}], "text", [{"value": 1}]):
            answer = self.client.post(f"/api/crafts/{self.avocet.pk}/work-out", {"edits": edits}, content_type="application/json")
            self.assertEqual(answer.status_code, 422, edits)
        answer = self.client.post(f"/api/crafts/{self.avocet.pk}/exchange", {"doing": "wings", "part": "x"}, content_type="application/json")
        self.assertEqual(answer.status_code, 400)
        self.assertEqual(Craft.objects.get(pk=self.avocet.pk).version, 1)

    def test_another_workshop_sees_nothing_of_it(self):
        self.client.post("/api/session", {"username": "dipper", "password": PASSWORD}, content_type="application/json")
        for what in ("kit", "plan", "loom", "loom.svg"):
            self.assertEqual(self.client.get(f"/api/crafts/{self.avocet.pk}/{what}").status_code, 404)
        for what in ("work-out", "exchange", "solder", "rings"):
            self.assertEqual(self.client.post(f"/api/crafts/{self.avocet.pk}/{what}", {}, content_type="application/json").status_code, 404)
        self.assertEqual(self.client.get(f"/api/workshops/{self.avocet.workshop_id}/parts").status_code, 404)


def keys_of(craft: CraftDocument) -> list[str]:
    """Every wire, the board's own feed among them."""
    return [wire_key(patch) for patch in every_wire(craft, KitParts.of(craft))]


class RingOutTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.coot = make_craft(scenario.coot(), "Coot")

    def setUp(self):
        self.client.post("/api/session", {"username": "wren", "password": PASSWORD}, content_type="application/json")

    def tick(self, wire: str, initials: str = "wr", method: str = "post"):
        return getattr(self.client, method)(f"/api/crafts/{self.coot.pk}/rings", {"wire": wire, "initials": initials}, content_type="application/json")

    def keys(self) -> list[str]:
        return keys_of(Craft.objects.get(pk=self.coot.pk).read())

    def test_a_wire_is_ticked_with_initials_and_time(self):
        first = self.keys()[0]
        self.assertEqual((self.tick(first, " ").status_code, WireRing.objects.count()), (422, 0))
        rung = self.tick(first).json()["rung"]
        self.assertRegex(rung[first], r"^wr, \d{4}-\d\d-\d\d \d\d:\d\d UTC$")
        self.assertEqual(self.tick("receiver/CH9/IN9").status_code, 422)

    def test_the_loom_rings_true_once_every_wire_is_and_no_longer_when_one_is_taken_back(self):
        *most, last = self.keys()
        for key in most:
            self.tick(key)
        self.assertFalse(ProofRecord.objects.filter(hop="loom").exists())
        self.tick(last)
        proof = ProofRecord.newest(ProofRecord.objects.filter(craft=self.coot).order_by("id"))["loom", "every wire rung out"]
        self.assertEqual(set(proof.seen["wires"]), set(self.keys()))
        row = next(row for row in self.client.get("/api/crafts").json() if row["name"] == "Coot")
        self.assertEqual({state["hop"]: state["coin"] for state in row["chain"]}["loom"], "rings true")
        self.assertNotIn(last, self.tick(last, method="put").json()["rung"])
        self.assertNotIn(("loom", "every wire rung out"), ProofRecord.newest(ProofRecord.objects.filter(craft=self.coot).order_by("id")))
        self.assertEqual(ProofRecord.objects.filter(hop="loom", withdrawn=True).count(), 1, "the record stays")

    def test_a_wire_that_was_moved_is_not_rung_out_any_more_even_when_it_comes_back(self):
        ring(self.coot.pk, self.keys(), "hand", initials="wr")
        document = Craft.objects.get(pk=self.coot.pk).document
        at = next(index for index, patch in enumerate(document["wiring"]) if patch["pin"] == "CH4")
        for version, pad in ((1, "IN5"), (2, "IN4")):
            edits = [{"path": f"/wiring/{at}/pad", "value": pad}]
            self.client.patch(f"/api/crafts/{self.coot.pk}/draft", {"version": version, "edits": edits}, content_type="application/json")
        self.assertNotIn("receiver/CH4/IN4", rung_wires(self.coot.pk))
        self.assertEqual(len(rung_wires(self.coot.pk)), len(self.keys()) - 1)


class OwnPartsTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.workshop = Workshop.objects.get(name="Saltings Field Crew")
        cls.facts = facts_of(shipped().of(Receiver, "pip-s8")) | {"id": "own-pip", "name": "Own Pip"}

    def setUp(self):
        self.client.post("/api/session", {"username": "wren", "password": PASSWORD}, content_type="application/json")
        self.address = f"/api/workshops/{self.workshop.pk}/parts"

    def post(self, what: str = "", **body):
        return self.client.post(self.address + what, body, content_type="application/json")

    def test_a_part_is_added_changed_and_used_by_every_rule(self):
        self.assertEqual(self.post(facts=self.facts).json(), {"id": "own-pip", "version": 1})
        self.assertIn("own-pip", [each["id"] for each in self.client.get(self.address).json()["receivers"]])
        craft = scenario.curlew()
        craft.kit.receiver = "own-pip"
        made = make_craft(craft, "Own")
        thirsty = self.facts | {"supply": {"min_volts": 9, "max_volts": 12, "ma": 70, "peak_ma": 100}}
        self.assertEqual(self.post(facts=thirsty, version=1).json()["version"], 2)
        row = next(row for row in self.client.get("/api/crafts").json() if row["name"] == "Own")
        self.assertIn("needs 9 V; 5V gives 5 V", {state["hop"]: state["why"] for state in row["chain"]}["loom"])
        used = self.client.delete(f"{self.address}/own/own-pip")
        self.assertEqual((used.status_code, used.json()["detail"]), (422, "Own has it in the kit; exchange it there first"))
        made.delete()
        self.assertEqual(self.client.delete(f"{self.address}/own/own-pip").status_code, 204)

    def test_impossible_facts_are_told_place_by_place(self):
        wrong = self.facts | {"supply": {"min_volts": 6, "max_volts": 5, "ma": 70, "peak_ma": 100}, "outputs": []}
        problems = self.post("/check", facts=wrong).json()["problems"]
        self.assertIn({"place": "supply", "text": "a supply from 6 to 5 V is no range; the lowest voltage comes first"}, problems)
        self.assertIn("outputs", [each["place"] for each in problems])
        self.assertEqual((self.post(facts=wrong).status_code, OwnPart.objects.count()), (422, 0))
        board = facts_of(shipped().of(Board, "merle-f7")) | {"id": "own-board"}
        for change, said in (
            ({"ports": [*board["ports"], "U7"]}, "port U7 has no pad"),
            ({"pads": [*board["pads"], board["pads"][0]]}, "is there twice"),
            ({"link_port": "U9"}, "USB hangs on U9"),
            ({"id": "merle-f7"}, "the shipped catalogue has a part merle-f7"),
            ({"id": "Own Board!"}, "should match pattern"),
        ):
            self.assertIn(said, str(self.post("/check", facts=board | change).json()["problems"]))
        self.assertTrue(self.post("/check", facts=["no part"]).json()["problems"])

    def test_two_editors_are_told_of_each_other(self):
        save(self.workshop, self.facts, None, None)
        self.assertEqual(self.post(facts=self.facts | {"about": "by wren"}, version=1).status_code, 200)
        self.client.post("/api/session", {"username": "teal", "password": PASSWORD}, content_type="application/json")
        late = self.post(facts=self.facts | {"about": "by teal"}, version=1)
        self.assertEqual((late.status_code, "wren has saved this part meanwhile" in late.json()["detail"]), (409, True))
        self.assertEqual(OwnPart.objects.get().facts["about"], "by wren")
        self.assertEqual(self.post(facts=self.facts).status_code, 422, "an id that is taken is not overwritten as if it were new")

    def test_parts_travel_as_a_file_all_of_them_or_none(self):
        save(self.workshop, self.facts, None, None)
        sent = self.client.get(f"{self.address}/file")
        self.assertIn("attachment", sent.headers["Content-Disposition"])
        self.client.post("/api/session", {"username": "dipper", "password": PASSWORD}, content_type="application/json")
        other = f"/api/workshops/{Workshop.objects.get(name='Upper Weir Survey').pk}/parts"
        came = self.client.post(f"{other}/file", sent.content, content_type="application/json").json()
        self.assertEqual(came, {"added": ["own-pip"], "replaced": []})
        self.assertEqual(self.client.get(f"{other}/file").content, sent.content)
        broken = sent.json()
        broken["parts"].append(self.facts | {"id": "own-two", "link_period_s": -1})
        broken["parts"][0]["about"] = "changed"
        answer = self.client.post(f"{other}/file", broken, content_type="application/json")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("parts/1/link_period_s", answer.json()["detail"])
        self.assertFalse(OwnPart.objects.filter(facts__about="changed").exists())
        self.assertEqual(self.client.post(f"{other}/file", {"format": "x"}, content_type="application/json").status_code, 422)

    def test_a_craft_whose_part_is_gone_opens_with_a_finding(self):
        save(self.workshop, self.facts, None, None)
        craft = scenario.curlew()
        craft.kit.receiver = "own-pip"
        made = make_craft(craft, "Own")
        OwnPart.objects.all().delete()
        self.assertEqual(self.client.get(f"/api/crafts/{made.pk}/kit").status_code, 200)
        self.assertEqual(self.client.get(f"/api/crafts/{made.pk}/loom").status_code, 200)
        row = next(row for row in self.client.get("/api/crafts").json() if row["name"] == "Own")
        self.assertEqual((row["chain"][0]["coin"], row["chain"][0]["why"]), ("cracked", "The catalogue has no own-pip for the receiver."))
        saved = self.client.put(
            f"/api/crafts/{made.pk}/draft", {"version": 1, "document": made.document | {"about": "still mine"}}, content_type="application/json"
        )
        self.assertEqual(saved.status_code, 200, "a lost part must not lock the craft")


class RacingTest(DatabaseTest):
    def test_two_pilots_tick_at_once_and_one_record_is_made(self):
        make_people()
        coot = make_craft(scenario.coot(), "Coot")
        keys = keys_of(coot.read())

        def tick() -> None:
            try:
                ring(coot.pk, keys, "hand", initials="x")
            finally:
                connection.close()

        threads = [threading.Thread(target=tick) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual((WireRing.objects.count(), ProofRecord.objects.filter(hop="loom").count()), (len(keys), 1))
