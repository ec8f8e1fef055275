from __future__ import annotations

import json
import resource
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TestCase

from linkcore.craft.document import LostLink
from linkcore.devices.flash_job import RUNNING
from linkcore.devices.hexfile import read_hex, write_hex
from linkcore.devices.image_facts import MAGIC
from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images
from server.apart import keeper
from server.apart.keeper import MOST_WAITING, READERS, read_image
from server.bench.models import BenchRecord
from server.crafts.models import Craft, Revision
from server.problems import BUSY_READING
from server.shelf.models import FlashRecord, Image, ImagePiece
from tests import live
from tests.crafts import crsf_craft
from tests.database import DatabaseTest
from tests.server.base import PASSWORD, make_craft, make_people
from tests.server.shelf import shelve
from tests.server.viewer import OnTheSocket

CONTENT = {name: content for name, _, content in scenario_images(shipped())}
WISP = "wisp-900-6.1.0-868.hex"


def names_of(view) -> list[str]:
    return [each["image"]["name"] for each in view["images"]]


class ShelfTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.craft = make_craft(crsf_craft())

    def setUp(self):
        self.client.login(username="wren", password=PASSWORD)
        self.address = f"/api/workshops/{self.craft.workshop_id}/images"

    def post(self, name: str, data: bytes, facts=None, to=""):
        form = {"file": SimpleUploadedFile(name, data)}
        if facts is not None:
            form["facts"] = facts if isinstance(facts, str) else json.dumps(facts)
        return self.client.post(self.address + to, form)

    def test_reading_takes_little_of_the_server_and_a_crowd_is_sent_away(self):
        before = resource.getrusage(resource.RUSAGE_SELF)
        refused = self.post("newlines.hex", b"\n" * (40 << 20))
        after = resource.getrusage(resource.RUSAGE_SELF)
        self.assertEqual((refused.status_code, "more than 2,097,152 lines" in refused.json()["detail"]), (422, True))
        self.assertLess(after.ru_maxrss - before.ru_maxrss, 400 << 10)  # kB: the upload itself, and the copy that is handed on
        hold = threading.Event()
        with patch("server.apart.keeper._answer_of", side_effect=lambda *_: hold.wait(20) and None), ThreadPoolExecutor(READERS + MOST_WAITING) as crowd:
            waiting = [crowd.submit(read_image, "a.bin", b"x") for _ in range(READERS + MOST_WAITING)]
            until = time.monotonic() + 15
            while keeper._waiting._value and time.monotonic() < until:
                threading.Event().wait(0.005)
            answer = self.post("one-more.bin", b"x", to="/read")
            self.assertEqual((answer.status_code, answer.headers["Retry-After"], answer.json()["detail"]), (503, "2", BUSY_READING))
            hold.set()
            for each in waiting:
                each.result(20)

    def test_an_image_is_read_then_shelved_once_and_comes_back_as_it_was(self):
        text = write_hex(CONTENT[WISP])
        read = self.post(WISP, text, to="/read").json()["read"]
        self.assertEqual((read["inside"]["target"], read["size"], read["crc32"], read["on_shelf"]), ("WISP 900", 32768, CONTENT[WISP].crc32, None))
        self.assertEqual(Image.objects.count(), 0)
        first = self.post(WISP, text)
        self.assertEqual((first.status_code, first.json()["new"], first.json()["image"]["sha256"]), (201, True, CONTENT[WISP].sha256))
        again = self.post("another-name.hex", text.lower().replace(b"\n", b"\r\n"))
        self.assertEqual((again.status_code, again.json()["new"], again.json()["image"]["name"]), (200, False, WISP))
        raw = self.post("raw.bin", CONTENT[WISP].data)
        self.assertEqual((raw.status_code, raw.json()["new"]), (200, False), "the same bytes go to the same place")
        self.assertEqual(self.post(WISP, text, to="/read").json()["read"]["on_shelf"], WISP)
        self.assertEqual((Image.objects.count(), len(self.client.get(self.address).json()["images"])), (1, 1))
        image = Image.objects.get()
        for kind, same in (("hex", lambda body: read_hex(body) == CONTENT[WISP]), ("bin", lambda body: body == CONTENT[WISP].data)):
            answer = self.client.get(f"/api/images/{image.pk}/file.{kind}")
            self.assertTrue(same(answer.content))
            self.assertEqual(answer.headers["Content-Type"], "application/octet-stream")
            self.assertTrue(answer.headers["Content-Disposition"].startswith("attachment"))
            self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")

    def test_a_bare_binary_needs_the_form_and_goes_where_its_target_says(self):
        data = bytes(range(256)) * 40
        self.assertIn("fill in target", self.post("bare.bin", data).json()["detail"])
        facts = {"target": "WISP 900", "version": "9.9.9", "region": "868", "band": "900 MHz", "family": "Haar", "least_bootloader": ""}
        made = self.post("bare.bin", data, facts)
        self.assertEqual((made.status_code, made.json()["image"]["address"]), (201, 0x10000))
        self.assertEqual(made.json()["image"]["facts"]["least_bootloader"], "1.0.0")
        other = self.post("bare.bin", data, facts | {"version": "1.0.0"})
        self.assertIn("on the shelf already", other.json()["detail"])

    def test_what_cannot_be_taken_says_where_and_leaves_nothing(self):
        good = write_hex(CONTENT[WISP])
        lines = good.splitlines(keepends=True)
        at = CONTENT[WISP].data.find(MAGIC)
        damaged = bytearray(CONTENT[WISP].data)
        damaged[at + 20] ^= 1
        cases = [
            ("a.hex", b"".join([*lines[:9], lines[9][:-3] + b"00\n", *lines[10:]]), None, "line 10: the record's checksum"),
            ("a.hex", b"".join(lines[:-1]), None, "no end record"),
            ("a.hex", lines[0] + b":0000000AF6\n" + lines[-1], None, "line 2: record type 0A"),
            ("a.hex", lines[0] + lines[1][:20] + b"\n", None, "line 2: the record's length"),
            ("a.bin", b"", None, "zero bytes"),
            ("a.hex", b"", None, "no end record"),
            ("a.bin", bytes((16 << 20) + 1), {"target": "X", "version": "1.0.0"}, "larger than 16 MB"),
            ("a.bin", bytes(damaged), None, "damaged: its CRC does not fit"),
            (WISP, good, {"target": "WISP 24", "version": "3.1.0"}, "the form says target WISP 24, the image's own header says WISP 900"),
            ("a.bin", b"x", {"target": "<script>", "version": "1.0.0"}, "form, target"),
            ("a.bin", b"x", {"target": "X", "version": "one"}, "form, version"),
            ("a.bin", b"x", "[1]", "JSON object"),
            ("a.bin", b"x", "{", "JSON object"),
            ("a.exe", b"x", None, "neither .hex nor .bin"),
        ]
        for name, data, facts, says in cases:
            for to in ("", "/read"):
                answer = self.post(name, data, facts, to)
                if to and answer.status_code == 200:
                    continue  # reading asks less than shelving
                self.assertEqual(answer.status_code, 422, says)
                self.assertIn(says, answer.json()["detail"])
        self.assertEqual((Image.objects.count(), ImagePiece.objects.count()), (0, 0))

    def test_no_upload_writes_outside_its_place_or_is_served_as_a_page(self):
        facts = {"target": "X", "version": "1.0.0"}
        page = b"<html><script>alert(1)</script></html>"
        for name in ("../../web/dist/index.bin", "..\\..\\index.bin", "/etc/cron.d/x.bin", "a;Set-Cookie: x=1;.bin"):
            made = self.post(name, page + name.encode(), facts)
            self.assertEqual(made.status_code, 201, made.content)
            image = made.json()["image"]
            self.assertNotIn("/", image["name"])
            answer = self.client.get(f"/api/images/{image['id']}/file.bin")
            self.assertEqual(answer.headers["Content-Type"], "application/octet-stream")
            self.assertNotIn("Set-Cookie: x", str(answer.headers))
        self.assertEqual(self.client.get(f"/api/images/{image['id']}/file.html").status_code, 404)

    def test_one_workshop_sees_nothing_of_another(self):
        image = self.post(WISP, write_hex(CONTENT[WISP])).json()["image"]["id"]
        self.client.login(username="dipper", password=PASSWORD)
        self.assertEqual(self.client.get(self.address).status_code, 404)
        self.assertEqual(self.post(WISP, write_hex(CONTENT[WISP])).status_code, 404)
        self.assertEqual(self.client.get(f"/api/images/{image}/file.hex").status_code, 404)
        self.assertEqual(self.client.delete(f"/api/images/{image}").status_code, 404)
        for what in ("load?role=receiver", "flashes", "bind"):
            self.assertEqual(self.client.get(f"/api/crafts/{self.craft.pk}/{what}").status_code, 404)
        self.client.login(username="wren", password=PASSWORD)
        self.assertEqual(self.client.delete(f"/api/images/{image}").status_code, 204)
        self.assertEqual(Image.objects.count(), 0)

    def test_the_load_hop_judges_the_shelf_for_a_device(self):
        shelve(self.craft, WISP, "wisp-900-5.4.1-868.hex", "wisp-900-7.0.0-868.hex", "wisp-24-6.1.0-fcc.hex", "wisp-nest-900-5.4.1-868.hex")
        address = f"/api/crafts/{self.craft.pk}/load"
        view = self.client.get(address, {"role": "receiver"}).json()["view"]
        self.assertEqual(names_of(view), [WISP, "wisp-900-5.4.1-868.hex", "wisp-900-7.0.0-868.hex"])
        self.assertEqual([each["judged"]["may"] for each in view["images"]], ["yes", "yes, but", "no"])
        self.assertEqual((view["others"], view["ways_out"]), (2, []))
        then = [each["then"] and [step["name"] for step in each["then"]["steps"]] for each in view["images"]]
        self.assertEqual(then, [None, ["wisp-nest-900-5.4.1-868.hex"], None], "what else would have to be flashed")
        self.assertEqual(len(self.client.get(address, {"role": "receiver", "every": "true"}).json()["view"]["images"]), 5)
        self.assertEqual(self.client.get(address, {"role": "propeller"}).status_code, 400)

    def test_a_file_that_was_read_is_remarked_on(self):
        gappy = b":020000040801F1\n:0400000001020304F2\n:0400100001020304E2\n:0400000508004001AE\n:00000001FF\n"
        read = self.post("gappy.hex", gappy, to="/read").json()["read"]
        self.assertEqual((read["size"], read["address"], read["start"], read["inside"]), (20, 0x08010000, 0x08004001, None))
        self.assertEqual([remark.split(":")[0][:24] for remark in read["remarks"]], ["Gaps, written as erased ", "It starts at 08004001, o"])

    def test_the_bind_hop_tells_lights_and_budget(self):
        view = self.client.get(f"/api/crafts/{self.craft.pk}/bind").json()["view"]
        self.assertEqual(view["lights"]["colours"], ["red", "green", "blue"])
        linked = next(each for each in view["lights"]["meanings"] if each["light"] == {"colour": "green", "pattern": "slow blink"})
        self.assertEqual([each["state"] for each in linked["means"]], ["linked"])
        self.assertEqual((view["budget"]["sensitivity_dbm"], view["budget"]["rate_hz"]), (-111.5, 120))


class RaceTest(DatabaseTest):
    def test_two_uploads_at_the_same_moment_are_one_image(self):
        make_people()
        craft = make_craft(crsf_craft())

        def put(_):
            try:
                return shelve(craft, WISP)
            finally:
                connection.close()

        with ThreadPoolExecutor(4) as pool:
            self.assertEqual(len(set(pool.map(put, range(4)))), 1)
        self.assertEqual(Image.objects.count(), 1)


class FlashSocketTest(OnTheSocket):
    """Flash jobs over the live bench, in the real server process."""

    def setUp(self):
        make_people()
        self.craft = make_craft(crsf_craft())
        self.board = shelve(self.craft, "ouzel-h7-5.0.0.hex")
        self.wrong = shelve(self.craft, "merle-f7-4.3.1.hex")

    def ended(self, viewer):
        return viewer.until("live", lambda message: message["jobs"] and message["jobs"][0]["state"] not in RUNNING)["jobs"][0]

    def order(self, image=None, **more):
        return {"role": "board", "image": image or self.board, "way": "request"} | more

    def test_a_board_is_flashed_while_nobody_looks_and_its_settings_come_back(self):
        draft = Craft.objects.get(pk=self.craft.pk)
        document = draft.read()
        document.settings.lost_link = LostLink(grace_ms=600, throttle_fallback="hold")
        draft.document = document.model_dump(mode="json")
        draft.save()
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.say(type="hands", usb=True)
            viewer.until("live", lambda message: message["usb"])
            answer = viewer.act("flash", flash=self.order(full_erase=True))
            self.assertEqual((answer["ok"], answer["text"]), (True, "flashing; its settings are kept"))
            viewer.until("live", lambda message: message["jobs"][0]["percent"] > 5)
        record = FlashRecord.objects.get()
        self.assertTrue(record.running)
        until = time.monotonic() + 30
        while FlashRecord.objects.get().running:
            self.assertLess(time.monotonic(), until, "the job goes on by itself")
            live.server().passes(1.0)
        record = FlashRecord.objects.get()
        self.assertEqual((record.state, record.settings_state, record.kept.kind), ("done", "offered", Revision.Kind.KEPT))
        self.client.force_login(record.by)
        flash = self.client.get(f"/api/crafts/{self.craft.pk}/flashes").json()["flashes"][0]
        says = {line["path"]: line["says"] for line in flash["carried"]["lines"]}
        self.assertEqual((says["ports/U6"], says["lost_link/throttle_fallback"], says["lost_link/grace_ms"]), ("comes back", "dropped", "renamed"))
        self.assertEqual(record.kept.document["settings"]["lost_link"]["throttle_fallback"], "hold")
        address = f"/api/crafts/{self.craft.pk}/flashes/{record.pk}/settings"
        answer = self.client.post(address, {"settings": "skipped"}, content_type="application/json")
        self.assertEqual([(each["settings_state"], each["carried"]) for each in answer.json()["flashes"]], [("skipped", None)])
        self.assertEqual(self.client.post(address, {"settings": "burnt"}, content_type="application/json").status_code, 400)

    def test_what_was_kept_is_offered_until_it_is_taken_or_declined_however_the_job_ended(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.until("report")
            viewer.say(type="hands", usb=True, fault={"kind": "cable pulled", "at_percent": 40})
            viewer.until("report", lambda report: report["told"]["load"]["fault"]["kind"] == "cable pulled")
            self.assertEqual(viewer.act("flash", flash=self.order(full_erase=True))["text"], "flashing; its settings are kept")
            self.assertEqual(self.ended(viewer)["state"], "failed")
            broken = FlashRecord.objects.get()
            self.assertEqual(broken.settings_state, "offered")
            self.client.force_login(broken.by)
            log = f"/api/crafts/{self.craft.pk}/flashes"
            self.assertIsNone(self.client.get(log).json()["flashes"][0]["carried"], "a board without a program takes no settings yet")
            viewer.say(type="hands", usb=False)
            viewer.until("live", lambda message: not message["usb"])
            viewer.say(type="hands", usb=True)
            viewer.until("live", lambda message: message["usb"])
            viewer.done("flash", flash=self.order(keep_settings=False))
            self.assertEqual(self.ended(viewer)["state"], "done")
        found = {each["id"]: each["carried"] for each in self.client.get(log).json()["flashes"]}
        self.assertTrue(found[broken.pk]["lines"])
        answer = self.client.post(f"{log}/{broken.pk}/settings", {"settings": "skipped"}, content_type="application/json")
        self.assertEqual({each["carried"] for each in answer.json()["flashes"]}, {None})

    def test_what_may_not_go_on_is_refused_with_the_reason(self):
        with self.viewer() as viewer:
            viewer.until("report")
            for order, says in (
                (self.order(self.wrong), "This image is for MERLE F7"),
                (self.order("00000000-0000-0000-0000-000000000000"), "not on the shelf"),
                (self.order("nonsense"), "not on the shelf"),
                (self.order(way="bridge"), "its ways are"),
                (None, "say what is to be flashed"),
            ):
                answer = viewer.act("flash", flash=order)
                self.assertEqual((answer["ok"], says in answer["text"]), (False, True), answer)
            answer = viewer.act("stop flashing", flash=self.order())
            self.assertIn("no flash to stop", answer["text"])
        self.assertEqual(FlashRecord.objects.count(), 0)

    def test_an_armed_board_is_not_flashed(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.say(type="hands", left={"x": 0, "y": -1}, switches={"S1": 0})
            viewer.until("live", lambda message: message["board"]["link"] == "good" and not message["board"]["blockers"])
            viewer.say(type="hands", switches={"S1": 1})
            viewer.until("live", lambda message: message["board"]["armed"])
            viewer.say(type="hands", usb=True)
            answer = viewer.act("flash", flash=self.order())
            self.assertEqual((answer["ok"], "disarm first" in answer["text"]), (False, True))
            self.assertEqual(FlashRecord.objects.count(), 0)

    def test_a_fault_ends_the_job_and_says_how_to_recover(self):
        with self.viewer() as viewer:
            viewer.until("report")
            viewer.say(type="hands", usb=True, fault={"kind": "cable pulled", "at_percent": 40})
            viewer.until("report", lambda report: report["told"]["load"]["fault"]["kind"] == "cable pulled")
            viewer.done("flash", flash=self.order(keep_settings=False))
            job = self.ended(viewer)
            self.assertEqual((job["state"], round(job["percent"])), ("failed", 40))
            self.assertEqual(FlashRecord.objects.get().state, "failed", "it is in the log before anybody is told of it")
            self.assertTrue(any("Plug USB in again" in line for line in job["recover"]))
            viewer.say(type="hands", usb=True)
            viewer.until("live", lambda message: message["usb"])
            viewer.done("flash", flash=self.order(keep_settings=False))
            self.assertEqual(self.ended(viewer)["state"], "done")
        self.assertEqual(list(FlashRecord.objects.values_list("state", "kept")), [("done", None), ("failed", None)])

    def test_a_job_of_a_bench_that_is_gone_is_interrupted_when_somebody_asks(self):
        record = FlashRecord.objects.create(
            craft=self.craft,
            state="writing",
            job={"order": self.order(), "device": "Ouzel H7", "image_said": "x", "size": 9, "state": "writing", "done": 3, "total": 9},
        )
        self.client.force_login(Craft.objects.get().updated_by)
        flash = self.client.get(f"/api/crafts/{self.craft.pk}/flashes").json()["flashes"][0]
        self.assertEqual((flash["job"]["state"], flash["job"]["can_stop"]), ("interrupted", False))
        self.assertIn("bootloader", flash["job"]["recover"][0])
        record.refresh_from_db()
        self.assertIsNotNone(record.ended_at)
        self.assertFalse(BenchRecord.objects.get().held)
