from __future__ import annotations

import importlib
import json
import threading

from django.apps import apps
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import Client, TestCase

from linkcore.bench.messages import Act, Hands, Look
from linkcore.wiring.netlist import wire_key
from server.running.consumer import duty_of
from server.workshops.models import DUTIES, Membership, Workshop
from server.workshops.services import CannotBe, put_in, take_out
from tests.crafts import sbus_craft
from tests.database import DatabaseTest
from tests.server.base import PASSWORD, make_craft, make_people

ROLES = ("reader", "checker", "builder", "owner")


def as_role(role: str) -> Client:
    """A browser of somebody who has that role in the crew."""
    user, made = get_user_model().objects.get_or_create(username=f"a {role}".replace(" ", "-"))
    if made:
        user.set_password(PASSWORD)
        user.save()
    Membership.objects.update_or_create(user=user, workshop=Workshop.objects.get(name="Saltings Field Crew"), defaults={"role": role})
    client = Client()
    client.force_login(user)
    return client


class RolesTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.craft = make_craft(sbus_craft())
        cls.crew = Workshop.objects.get(name="Saltings Field Crew")

    def asked(self, client: Client, method: str, path: str, body: object) -> int:
        if isinstance(body, SimpleUploadedFile):
            body.seek(0)
            return client.post(path, {"file": body}).status_code
        sent = {"data": json.dumps(body), "content_type": "application/json"} if body is not None else {}
        return getattr(client, method)(path, **sent).status_code

    def test_each_role_may_do_what_it_is_for_and_nothing_above(self):
        craft, crew = f"/api/crafts/{self.craft.pk}", f"/api/workshops/{self.crew.pk}"
        wire = wire_key(self.craft.read().wiring[0])
        acts = {
            ("read", "get", craft): None,
            ("read", "get", f"{craft}/loom"): None,
            ("read", "get", f"{crew}/people"): None,
            ("read", "post", f"{craft}/work-out"): {"edits": []},
            ("check", "post", f"{craft}/rings"): {"wire": wire, "initials": "ab"},
            ("check", "put", f"{craft}/rings"): {"wire": wire},
            ("check", "patch", f"{craft}/draft"): {"version": 1, "edits": [{"path": "/servos_turned", "value": {}}]},
            ("check", "post", f"{craft}/recordings"): SimpleUploadedFile("a.bin", b"\x0f" * 50),
            ("build", "put", f"{craft}/draft"): {"version": 1, "document": self.craft.document},
            ("build", "patch", f"{craft}/draft"): {"version": 1, "edits": [{"path": "/about", "value": "x"}]},
            ("build", "post", "/api/crafts"): {"workshop": self.crew.pk, "name": "New", "airframe": "boat"},
            ("build", "post", f"{craft}/flashes/1/settings"): {"settings": "declined"},
            ("build", "post", f"{crew}/parts"): {"facts": {}},
            ("build", "delete", f"{crew}/parts/own/none"): None,
            ("build", "post", f"{crew}/parts/file"): {"parts": []},
            ("build", "post", f"{crew}/images"): SimpleUploadedFile("a.hex", b":00000001FF\n"),
            ("own", "put", f"{crew}/people"): {"username": "teal", "role": "builder"},
            ("own", "patch", f"{crew}/people"): {"name": "Saltings Field Crew"},
            ("own", "delete", f"{crew}/people/nobody"): None,
        }
        for role in ROLES:
            client = as_role(role)
            allowed = DUTIES[: ROLES.index(role) + 1]
            for (duty, method, path), body in acts.items():
                with self.subTest(f"{role}: {method} {path}"):
                    status = self.asked(client, method, path, body)
                    self.assertEqual(status == 403, duty not in allowed, status)
        self.assertEqual(self.asked(as_role("reader"), "put", f"{craft}/draft", {"version": 1, "document": {}}), 403, "the role is judged before the content")

    def test_a_refusal_says_who_may_and_changes_nothing(self):
        client = as_role("checker")
        before = self.craft.document
        answer = client.patch(
            f"/api/crafts/{self.craft.pk}/draft",
            {"version": 1, "edits": [{"path": "/servos_turned", "value": {}}, {"path": "/about", "value": "x"}]},
            content_type="application/json",
        )
        self.assertEqual((answer.status_code, answer.json()["detail"].split(";")[0]), (403, "you are a checker in this workshop"))
        self.craft.refresh_from_db()
        self.assertEqual((self.craft.document, self.craft.version), (before, 1))
        self.assertEqual(client.get(f"/api/crafts/{self.craft.pk}").json()["may"], ["read", "check"])

    def test_what_hands_and_acts_ask_of_a_role(self):
        cases = {
            "read": [Look(hop="line"), Hands(tap="SBUS"), Hands()],
            "check": [
                Hands(left={"x": 0, "y": 1}),
                Hands(switches={"S1": 1}, pack=False),
                Act(act="measure anew", request="1"),
                Act(act="read back", request="1"),
            ],
            "build": [Hands(forget_bind=True), Hands(left={"x": 0, "y": 1}, replaced="ESC"), Hands(transmitter_phrase="x"), Hands(model=2)],
        }
        cases["build"] += [Act(act=act, request="1") for act in ("write", "restart", "flash", "stop flashing")]
        for duty, messages in cases.items():
            for message in messages:
                self.assertEqual(duty_of(message), duty, message)

    def test_a_workshop_never_loses_its_last_owner(self):
        put_in(self.crew, "wren", "owner")
        for act in (lambda: put_in(self.crew, "wren", "builder"), lambda: take_out(self.crew, "wren")):
            with self.assertRaises(CannotBe) as raised:
                act()
            self.assertIn("wren is the last owner of Saltings Field Crew", str(raised.exception))
        with self.assertRaises(CommandError):
            call_command("add_user", "wren", workshop="Saltings Field Crew", role="reader")
        put_in(self.crew, "teal", "owner")
        take_out(self.crew, "wren")
        self.assertEqual([each.user.username for each in Membership.objects.filter(workshop=self.crew, role="owner")], ["teal"])

    def test_people_are_added_by_name_or_made_with_a_first_password(self):
        client = as_role("owner")

        def put(**who: str):
            return client.put(f"/api/workshops/{self.crew.pk}/people", who, content_type="application/json")

        self.assertIn("nobody is called grebe yet", put(username="grebe", role="reader").json()["detail"])
        self.assertEqual(put(username="grebe", role="reader", password="short").status_code, 422)
        made = put(username="grebe", role="reader", password=PASSWORD)
        self.assertIn({"username": "grebe", "role": "reader"}, made.json()["people"])
        self.assertTrue(Client().login(username="grebe", password=PASSWORD))
        self.assertEqual(put(username="dipper", role="checker").status_code, 200, "a member of another workshop may be in this one too")
        self.assertIn("has a password already", put(username="dipper", role="checker", password=PASSWORD).json()["detail"])
        self.assertEqual(client.delete(f"/api/workshops/{self.crew.pk}/people/grebe").status_code, 200)
        grebe = Client()
        grebe.login(username="grebe", password=PASSWORD)
        self.assertEqual(grebe.get(f"/api/crafts/{self.craft.pk}").status_code, 404)

    def test_the_earliest_builder_becomes_owner(self):
        Membership.objects.filter(workshop=self.crew).delete()
        users = get_user_model().objects
        for name, role in (("heron", "checker"), ("teal", "builder"), ("wren", "builder")):
            user = users.filter(username=name).first() or users.create_user(name, password=PASSWORD)
            Membership.objects.create(user=user, workshop=self.crew, role=role)
        alone = Workshop.objects.get(name="Upper Weir Survey")
        Membership.objects.filter(workshop=alone).update(role="checker")
        importlib.import_module("server.workshops.migrations.0002_roles").earliest_owns(apps, None)
        roles = {each.user.username: each.role for each in Membership.objects.filter(workshop=self.crew)}
        self.assertEqual(roles, {"heron": "checker", "teal": "owner", "wren": "builder"})
        self.assertEqual(Membership.objects.get(workshop=alone).role, "owner")


class AtOnceTest(DatabaseTest):
    def test_two_owners_who_step_down_at_once_do_not_both_succeed(self):
        make_people()
        crew = Workshop.objects.get(name="Saltings Field Crew")
        Membership.objects.filter(workshop=crew).update(role="owner")
        together, refused = threading.Barrier(2), []

        def step_down(name: str) -> None:
            together.wait()
            try:
                put_in(crew, name, "builder")
            except CannotBe as error:
                refused.append(str(error))
            finally:
                connection.close()

        threads = [threading.Thread(target=step_down, args=(name,)) for name in ("wren", "teal")]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual((len(refused), Membership.objects.filter(workshop=crew, role="owner").count()), (1, 1))
