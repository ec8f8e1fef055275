"""What was kept before something was called otherwise opens, fits and is judged as what it is."""

from __future__ import annotations

import json

from django.test import TestCase

import scenario
from linkcore.craft.parts import KitParts
from scenario.bench import older_receiver
from server.bench.models import BenchRecord
from server.crafts.models import Craft
from server.shelf.models import Image
from tests.crafts import crsf_craft
from tests.server.base import PASSWORD, make_craft, make_people
from tests.server.shelf import shelve

BEFORE = {"Haar": "Wisp 3", "Fret": "Wisp 2", "Brume": "Wisp 4", "Tine": "Harrow 2", "Spike": "Harrow 1"}


def as_before(kept):
    """The same with every family called as it was."""
    text = json.dumps(kept)
    for now, then in BEFORE.items():
        text = text.replace(f'"family": "{now}"', f'"family": "{then}"')
    return json.loads(text)


class RenamedTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.craft = make_craft(crsf_craft())

    def setUp(self):
        self.client.login(username="wren", password=PASSWORD)

    def view(self, craft, hop):
        answer = self.client.get(f"/api/crafts/{craft.pk}/{hop}")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()["view"]

    def test_a_draft_that_says_drop_says_motors_off_and_is_saved_so(self):
        craft = make_craft(scenario.curlew(), "Older")
        craft.document["settings"]["lost_link"]["response"] = "drop"
        craft.save()
        opened = self.client.get(f"/api/crafts/{craft.pk}").json()
        self.assertEqual(opened["document"]["settings"]["lost_link"]["response"], "motors off")
        opened["document"]["settings"]["lost_link"]["response"] = "drop"  # a page from before
        saved = self.client.put(f"/api/crafts/{craft.pk}/draft", {"version": 1, "document": opened["document"]}, content_type="application/json")
        self.assertEqual((saved.status_code, saved.json()["document"]["settings"]["lost_link"]["response"]), (200, "motors off"))
        self.assertEqual(Craft.objects.get(pk=craft.pk).document["settings"]["lost_link"]["response"], "motors off")

    def test_images_of_the_older_names_are_judged_as_those_of_now(self):
        names = ("wisp-900-6.1.0-868.hex", "wisp-900-5.4.1-868.hex", "wisp-900-7.0.0-868.hex")
        shelve(self.craft, *names)
        told = {each["image"]["name"]: each["judged"] for each in self.view(self.craft, "load?role=receiver")["images"]}
        for image in Image.objects.filter(workshop_id=self.craft.workshop_id):
            image.facts = as_before(image.facts)
            image.save(update_fields=["facts"])
        self.assertEqual({image.facts["family"] for image in Image.objects.filter(name__in=names)}, {"Wisp 2", "Wisp 3", "Wisp 4"})
        again = {each["image"]["name"]: each["judged"] for each in self.view(self.craft, "load?role=receiver")["images"]}
        self.assertEqual(again, told)
        self.assertEqual(
            {name: judged["link"]["verdict"] for name, judged in again.items()}, dict(zip(names, ("talks", "do not match", "do not match"), strict=True))
        )

    def test_a_bench_that_keeps_older_firmware_knows_its_family(self):
        avocet = make_craft(scenario.avocet(), "Avocet of before")
        state = as_before(older_receiver(avocet.read()).keep())
        self.assertIn("Wisp 2", json.dumps(state))
        record = BenchRecord.objects.update_or_create(craft=avocet, defaults={"state": state})[0]
        installed = record.state_for(avocet.read(), KitParts.of(avocet.read()))
        self.assertEqual(installed.devices["receiver"].installed.facts.family, "Fret")
