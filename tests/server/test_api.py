from __future__ import annotations

import json
import re
import uuid
from pathlib import Path
from unittest import mock

import jsonschema
from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.test import Client, TestCase

from linkcore.craft.document import CraftError
from server.crafts.access import find_craft
from server.crafts.models import Craft, Revision
from server.crafts.schemas import CRAFT_SCHEMA, OPENAPI, craft_schema, openapi
from server.demo import services as demo
from server.proofs.models import ProofRecord
from server.workshops.models import Workshop
from tests.crafts import sbus_craft
from tests.database import DatabaseTest
from tests.server.base import PASSWORD, make_craft, make_people

CAPTURES = Path(__file__).resolve().parent.parent / "captures"


def strictly(declared):
    """OpenAPI 3.0 in JSON Schema's words; objects with known properties have no others."""
    if isinstance(declared, list):
        return [strictly(each) for each in declared]
    if not isinstance(declared, dict):
        return declared
    made = {name: strictly(inner) for name, inner in declared.items() if name != "nullable"}
    if isinstance(made.get("properties"), dict):
        made.setdefault("additionalProperties", False)
    return {"anyOf": [made, {"type": "null"}]} if declared.get("nullable") is True else made


class ApiTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.craft = make_craft(sbus_craft())

    def sign_in(self, name: str):
        self.client.logout()
        return self.client.post("/api/session", {"username": name, "password": PASSWORD}, content_type="application/json")

    def put(self, version: int, document: dict):
        return self.client.put(f"/api/crafts/{self.craft.id}/draft", {"version": version, "document": document}, content_type="application/json")

    def test_signing_in_and_out(self):
        self.assertEqual(self.client.get("/api/session").json(), {"user": None, "workshops": []})
        self.assertEqual(self.client.get("/api/crafts").status_code, 403)
        wrong = self.client.post("/api/session", {"username": "wren", "password": "no"}, content_type="application/json")
        self.assertEqual((wrong.status_code, wrong.json()["detail"]), (400, "name and password do not belong together"))
        self.assertEqual(self.sign_in("wren").json()["workshops"][0]["name"], "Saltings Field Crew")
        self.client.delete("/api/session")
        self.assertIsNone(self.client.get("/api/session").json()["user"])

    def test_guessing_is_slowed_down_and_signing_in_needs_the_token(self):
        with self.settings(AXES_ENABLED=True):
            for _ in range(settings.AXES_FAILURE_LIMIT):
                last = self.client.post("/api/session", {"username": "wren", "password": "no"}, content_type="application/json")
            self.assertEqual((last.status_code, last.json()["detail"]), (429, "too many failed attempts; try again in a quarter of an hour"))
            self.assertEqual(self.sign_in("wren").status_code, 429, "the right password must not help while it is locked")
            self.assertEqual(self.sign_in("teal").status_code, 200, "nobody else is locked out")
        strict = Client(enforce_csrf_checks=True)
        self.assertEqual(strict.post("/api/session", {"username": "wren", "password": PASSWORD}, content_type="application/json").status_code, 403)

    def test_every_answer_is_as_the_schema_says(self):
        self.sign_in("wren")
        schema = json.loads(openapi())
        for path in ("/api/session", *self.views(), "/api/crafts", f"/api/crafts/{self.craft.id}", f"/api/crafts/{self.craft.id}/revisions"):
            template = re.sub(r"workshops/\d+", "workshops/{workshop_id}", path.replace(str(self.craft.id), "{craft_id}"))
            declared = schema["paths"][template]["get"]["responses"]["200"]["content"]["application/json"]["schema"]
            with self.subTest(path):
                self.conforms(self.client.get(path).json(), declared, schema)

    def views(self) -> list[str]:
        """What is worked out of a craft, and what its workshop can choose from."""
        craft = f"/api/crafts/{self.craft.id}"
        return [f"/api/workshops/{self.craft.workshop_id}/parts", f"{craft}/kit", f"{craft}/plan", f"{craft}/loom", "/api/part-schemas"]

    def conforms(self, value, declared: dict, schema: dict) -> None:
        """To the letter, and with nothing that is not declared."""
        whole = strictly(declared | {"components": schema["components"]})
        found = sorted(jsonschema.Draft202012Validator(whole).iter_errors(value), key=lambda error: list(map(str, error.path)))
        self.assertEqual([f"{error.json_path}: {error.message}"[:300] for error in found], [])

    def test_nobody_sees_another_workshops_crafts_by_any_address(self):
        self.sign_in("dipper")
        self.assertEqual(self.client.get("/api/crafts").json(), [])
        mine, none = f"/api/crafts/{self.craft.id}", f"/api/crafts/{uuid.uuid4()}"
        for suffix in ("", "/revisions"):
            for address in (mine, none):
                self.assertEqual(
                    (self.client.get(address + suffix).status_code, self.client.get(address + suffix).json()),
                    (404, {"detail": "there is no such craft in your workshops"}),
                )
        self.assertEqual(self.put(1, self.craft.document).status_code, 404)
        foreign = {
            "workshop": Workshop.objects.get(name="Saltings Field Crew").id,
            "name": "x",
            "airframe": "boat",
            "board": "merle-f7",
            "receiver": "pip-s8",
            "transmitter": "field-9",
        }
        self.assertEqual(self.client.post("/api/crafts", foreign, content_type="application/json").status_code, 400)
        self.assertEqual(Craft.objects.count(), 1)

    def test_the_second_save_from_one_version_is_told_and_loses_nothing(self):
        self.sign_in("wren")
        draft = self.client.get(f"/api/crafts/{self.craft.id}").json()
        first = draft["document"] | {"about": "by wren"}
        self.assertEqual(self.put(draft["version"], first).json()["version"], 2)
        self.sign_in("teal")
        late = self.put(draft["version"], draft["document"] | {"about": "by teal"})
        self.assertEqual(late.status_code, 409)
        self.assertIn("wren has saved this draft meanwhile", late.json()["detail"])
        self.assertEqual(late.json()["current"]["document"]["about"], "by wren")
        was = draft["document"]["about"]
        self.assertEqual(late.json()["changes"], [{"name": "About", "before": was, "mine": "by teal", "theirs": "by wren", "both": True}])
        self.assertEqual(Craft.objects.get().document["about"], "by wren")
        self.assertEqual(self.put(2, late.json()["current"]["document"] | {"about": "by both"}).status_code, 200)
        history = self.client.get(f"/api/crafts/{self.craft.id}/revisions").json()
        self.assertEqual(
            [(each["version"], each["author"], each["document"]["about"]) for each in history],
            [(3, "teal", "by both"), (2, "wren", "by wren"), (1, "wren", "")],
        )

    def test_a_save_whose_answer_got_lost_may_come_again(self):
        """An outage may cut the connection behind the commit: the page sends its save once more, and is in nobody's way, least of all its own."""
        self.sign_in("wren")
        mine = self.craft.document | {"about": "by wren"}
        self.assertEqual([self.put(1, mine).json()["version"] for _ in range(2)], [2, 2])
        edits = {"version": 2, "edits": [{"path": "/settings/ports/U2", "value": "free"}]}
        again = [self.client.patch(f"/api/crafts/{self.craft.id}/draft", edits, content_type="application/json").json() for _ in range(2)]
        self.assertEqual([each["version"] for each in again], [3, 3])
        self.assertEqual(Revision.objects.filter(craft=self.craft, kind="saved").count(), 3)
        self.sign_in("teal")  # the same words from somebody else are a conflict all the same
        self.assertEqual(self.put(2, again[-1]["document"]).status_code, 409)
        self.sign_in("wren")
        self.assertEqual(self.put(1, mine).status_code, 409, "two saves ago is long ago")

    def test_a_findings_edits_are_made_by_the_server(self):
        self.sign_in("wren")

        def patch(version: int, edits: object):
            return self.client.patch(f"/api/crafts/{self.craft.id}/draft", {"version": version, "edits": edits}, content_type="application/json")

        mended = patch(1, [{"path": "/settings/ports/U2", "value": "free"}, {"path": "/settings/ports/U3", "value": "receiver input"}])
        self.assertEqual((mended.status_code, mended.json()["version"]), (200, 2))
        ports = mended.json()["document"]["settings"]["ports"]
        self.assertEqual((ports["U2"], ports["U3"]), ("free", "receiver input"))
        self.assertEqual(patch(1, [{"path": "/settings/ports/U2", "value": "GPS"}]).status_code, 409)
        for edits in (
            [{"path": "/nowhere", "value": 1}],
            [{"path": "/settings/ports/U2", "value": "sing"}],
            "text",
            [{"value": 1}],
            [{"path": "/settings/ports", "value": [1]}],
        ):
            self.assertEqual(patch(2, edits).status_code, 422, edits)
        self.assertEqual(Craft.objects.get().version, 2)
        self.sign_in("dipper")
        self.assertEqual(patch(2, []).status_code, 404)

    def test_bad_drafts_are_refused_whole(self):
        self.sign_in("wren")
        good = self.craft.document
        for change, said in (
            ({"version": 7}, "newer Coin Bell"),
            ({"kit": good["kit"] | {"board": "unknown"}}, "kit: the catalogue has no unknown for the board"),
            ({"settings": good["settings"] | {"ports": {"U1": "sing"}}}, "settings/ports/U1"),
            ({"kit": good["kit"] | {"devices": [{"name": "receiver", "part": "tern-8"}]}}, "two devices are called receiver"),
            ({"kit": good["kit"] | {"devices": [{"name": "GPS", "part": "kite"}]}}, "kit: the catalogue has no kite for the GPS"),
        ):
            answer = self.put(1, good | change)
            self.assertEqual(answer.status_code, 422, answer.content)
            self.assertIn(said, answer.json()["detail"])
        self.assertEqual(self.put(1, "text").status_code, 422)
        self.assertEqual(self.client.put(f"/api/crafts/{self.craft.id}/draft", "{", content_type="application/json").status_code, 400)
        self.assertEqual((Craft.objects.get().version, Revision.objects.count()), (1, 1))

    def test_a_craft_that_is_deleted_while_it_is_saved_is_gone_and_no_fault(self):
        self.sign_in("wren")

        def found_and_deleted(*args):
            craft = find_craft(*args)
            Craft.objects.filter(pk=craft.pk).delete()
            return craft

        with mock.patch("server.drafts.api.find_craft", found_and_deleted):
            answer = self.put(1, self.craft.document | {"about": "later"})
        self.assertEqual((answer.status_code, answer.json()["detail"][:12]), (404, "this is gone"))

    def test_a_new_craft_and_a_name_taken(self):
        self.sign_in("wren")
        form = {
            "workshop": Workshop.objects.get(name="Saltings Field Crew").id,
            "name": "Dunlin",
            "airframe": "quad X",
            "board": "merle-f7",
            "receiver": "pip-s8",
            "transmitter": "field-9",
        }
        made = self.client.post("/api/crafts", form, content_type="application/json")
        self.assertEqual((made.status_code, made.json()["document"]["settings"]["ports"]["U1"]), (201, "free"))
        again = self.client.post("/api/crafts", form, content_type="application/json")
        self.assertEqual((again.status_code, again.json()["detail"]), (422, "Saltings Field Crew already has a craft called Dunlin; choose another name"))
        self.assertEqual(self.client.post("/api/crafts", form | {"name": "y", "airframe": "kite"}, content_type="application/json").status_code, 422)
        row = next(row for row in self.client.get("/api/crafts").json() if row["name"] == "Dunlin")
        self.assertEqual(
            (row["chain"][0]["coin"], row["chain"][0]["why"]), ("cracked", "The Pip S8 hears Harrow Tine on 2.4 GHz; the Field 9 speaks Field F on 2.4 GHz.")
        )
        self.assertEqual((row["chain"][1]["hop"], row["chain"][1]["why"]), ("port plan", "not begun yet"))

    def test_a_craft_from_a_newer_version_is_listed_with_its_trouble(self):
        Craft.objects.update(document=self.craft.document | {"version": 9})
        self.sign_in("wren")
        (row,) = self.client.get("/api/crafts").json()
        self.assertIn("Update Coin Bell", row["trouble"])
        opened = self.client.get(f"/api/crafts/{self.craft.id}")
        self.assertEqual((opened.status_code, "Update Coin Bell" in opened.json()["detail"]), (422, True))

    def test_the_kept_schemas_are_current(self):
        self.assertEqual(CRAFT_SCHEMA.read_text(), craft_schema(), "run ./bell schemas")
        self.assertEqual(OPENAPI.read_text(), openapi(), "run ./bell schemas")
        self.sign_in("wren")
        self.assertEqual(json.loads(openapi()), self.client.get("/api/schema").json())

    def test_pages_and_files(self):
        page = self.client.get("/crafts/anything/line")
        self.assertEqual(page.status_code, 200)
        self.assertIn("default-src 'self'", page.headers["Content-Security-Policy"])
        self.assertEqual(self.client.get("/api/nothing").status_code, 404)
        script = re.search(r"/assets/[^\"]+\.js", page.content.decode())[0]
        served = self.client.get(script, headers={"Accept-Encoding": "gzip"})
        self.assertEqual((served.headers["Content-Encoding"], "immutable" in served.headers["Cache-Control"]), ("gzip", True))
        self.assertNotIn(b"<script>", self.client.get("/api/docs").content, "an inline script would not run under the policy")

    def test_the_database_is_mariadb_and_strict(self):
        self.assertTrue(connection.mysql_is_mariadb)
        self.assertEqual(settings.DATABASES["default"]["OPTIONS"]["isolation_level"], "read committed")
        with connection.cursor() as cursor:
            cursor.execute("SELECT @@sql_mode")
            self.assertIn("STRICT_ALL_TABLES", cursor.fetchone()[0])


class DemoTest(DatabaseTest):
    def test_loading_again_doubles_nothing_and_keeps_what_was_changed(self):
        self.assertIn("Curlew", demo.load())
        curlew = Craft.objects.get(name="Curlew")
        self.assertEqual(
            sorted(ProofRecord.objects.filter(craft=curlew).values_list("hop", flat=True).distinct()),
            ["bind", "kit", "line", "load", "loom", "port plan", "sticks", "switchboard"],
        )
        Craft.objects.filter(pk=curlew.pk).update(document=curlew.document | {"about": "changed"})
        self.assertEqual(demo.load(), [])
        self.assertEqual((Craft.objects.count(), Craft.objects.get(name="Curlew").document["about"]), (5, "changed"))

    def test_the_demo_never_takes_over_somebodys_own(self):
        Workshop.objects.create(name=demo.CREW)
        with self.assertRaises(demo.NameTaken):
            demo.load()
        self.assertEqual((Craft.objects.count(), Workshop.objects.count()), (0, 1))
        with self.assertRaises(Exception) as caught:
            call_command("load_demo")
        self.assertIn("of your own", str(caught.exception))

    def test_a_failed_save_leaves_the_old_state(self):
        make_people()
        craft = make_craft(sbus_craft())
        make_craft(sbus_craft(), "Avocet")
        from server.drafts.services import save_draft

        with self.assertRaises(CraftError):
            save_draft(craft.id, 1, craft.document | {"name": "Avocet"}, None)
        craft.refresh_from_db()
        self.assertEqual((craft.version, craft.name, craft.revisions.count()), (1, "Curlew", 1))
