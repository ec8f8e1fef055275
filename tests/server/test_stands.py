"""What a stranger, a hostile client or a monstrous draft can send, and what comes of it."""

from __future__ import annotations

import asyncio
import http.client
import itertools
import json
import pickle
import random
import socket
import sys
import threading
import time
import uuid
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, suppress
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

from asgiref.sync import async_to_sync
from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.hashers import Argon2PasswordHasher
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, SimpleTestCase, TestCase, override_settings
from pydantic import BaseModel
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from linkcore.bench.messages import Act, BenchState, Hands, Look
from linkcore.bench.station import Given, NoBench, Station, Wanted
from linkcore.craft.document import CraftDocument, load
from linkcore.craft.parts import KitParts
from linkcore.devices.image_facts import ImageFacts
from linkcore.findings import Edit
from linkcore.hops.registry import HOPS
from linkcore.parts.models import Board, Module, Pack, Peripheral, Receiver, Transmitter
from server.accounts.hashing import AT_ONCE, MOST_WAITING, QueuedArgon2, TooManyAtOnce, Turns
from server.apart.process import Packed
from server.asker import Asker, asked_by
from server.body_limit import DRAFT_BYTES, STRANGER_BYTES
from server.captures import services
from server.captures.models import Recording
from server.captures.services import Unreadable
from server.crafts.schemas import openapi
from server.drafts.services import save_draft
from server.gate import MOST_A_SECOND, ConnectRate
from server.problems import NOT_SIGNED_IN, TOO_MUCH
from server.rates import KEYS_KEPT, Rate
from server.running.host import KEEP_S
from server.settings import TOUCHES_BY_PERSON
from server.tap.messages import OpenTap, TapAct
from tests import live
from tests.crafts import sbus_craft
from tests.helper_process import FALLS, SPINS
from tests.server.base import PASSWORD, make_craft, make_people
from tests.server.viewer import PATIENCE_S, OnTheSocket, Viewer


def unbounded(schema: dict) -> list[str]:
    """Every text, list and map of a JSON Schema that may be as long as it likes."""
    found, seen = [], set()

    def walk(node, path):
        if "$ref" in node:
            name = node["$ref"].split("/")[-1]
            if name not in seen:
                seen.add(name)
                walk(schema["$defs"][name], name)
            return
        if "enum" in node or "const" in node:
            return
        kind = node.get("type")
        short = "maxLength" in node or "format" in node or node.get("pattern", "").endswith(("}$", "{1,3}$"))
        named = "enum" in str(node.get("propertyNames", {})) or "$ref" in node.get("propertyNames", {})
        if (
            (kind == "string" and not short)
            or (kind == "array" and "maxItems" not in node)
            or (kind == "object" and isinstance(node.get("additionalProperties"), dict) and "maxProperties" not in node and not named)
            or (kind is None and not {"anyOf", "oneOf", "allOf"} & set(node))
        ):
            found.append(path)
        for name, inner in node.get("properties", {}).items():
            walk(inner, f"{path}/{name}")
        for word in ("items", "additionalProperties"):
            if isinstance(node.get(word), dict):
                walk(node[word], f"{path}/*")
        if isinstance(node.get("propertyNames"), dict) and "type" in node["propertyNames"]:
            walk(node["propertyNames"], f"{path}/key")
        for word in ("anyOf", "oneOf", "allOf", "prefixItems"):
            for inner in node.get(word, []):
                walk(inner, path)

    walk(schema, schema.get("title", ""))
    return found


class BoundsTest(SimpleTestCase):
    def test_every_text_list_and_map_that_can_be_sent_has_a_bound(self):
        taken = (CraftDocument, Hands, Act, Look, OpenTap, TapAct, ImageFacts, Edit, Board, Receiver, Transmitter, Module, Peripheral, Pack)
        for model in taken:
            with self.subTest(model.__name__):
                beyond = [path for path in unbounded(model.model_json_schema()) if path != "Edit/value"]  # as long as the body that brings it
                self.assertEqual(beyond, [])

    def test_the_walk_finds_what_has_none(self):
        class Loose(BaseModel):
            text: str
            more: list[int]
            names: dict[str, int]

        self.assertEqual(unbounded(Loose.model_json_schema()), ["Loose/text", "Loose/more", "Loose/names"])


class DraftBoundsTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.craft = make_craft(sbus_craft())

    def setUp(self):
        self.client.force_login(get_user_model().objects.get(username="wren"))

    def save(self, document: dict):
        return self.client.put(f"/api/crafts/{self.craft.id}/draft", {"version": 1, "document": document}, content_type="application/json")

    def test_ports_are_those_of_the_board(self):
        document = self.craft.document
        ports = document["settings"]["ports"]
        refused = self.save(document | {"settings": document["settings"] | {"ports": ports | {"U99": "GPS"}}})
        self.assertEqual(refused.status_code, 422)
        self.assertRegex(refused.json()["detail"], r"settings/ports: U99: the Merle F7 has no such port; it has U1, ")
        many = self.save(document | {"settings": document["settings"] | {"ports": dict.fromkeys((f"U{n}" for n in range(20_000)), "free")}})
        self.assertIn(many.status_code, (413, 422))
        long = self.save(document | {"settings": document["settings"] | {"ports": {"U" * 100_000: "free"}}})
        self.assertEqual(long.status_code, 422)
        self.craft.refresh_from_db()
        self.assertEqual((self.craft.version, self.craft.document["settings"]["ports"]), (1, ports))

    def test_what_an_exchange_of_boards_leaves_over_may_stay_until_it_is_mended(self):
        made = self.client.post(f"/api/crafts/{self.craft.id}/exchange", {"doing": "board", "part": "sanderling-f4"}, content_type="application/json")
        edits = made.json()["view"]["edits"]
        saved = self.client.patch(f"/api/crafts/{self.craft.id}/draft", {"version": 1, "edits": edits}, content_type="application/json")
        self.assertEqual(saved.status_code, 200, saved.content)
        again = self.client.put(
            f"/api/crafts/{self.craft.id}/draft", {"version": 2, "document": saved.json()["document"] | {"about": "as it is"}}, content_type="application/json"
        )
        self.assertEqual(again.status_code, 200, again.content)

    def test_a_bench_of_a_draft_that_was_saved_before_there_were_bounds_is_refused_in_words(self):
        document = self.craft.document
        document["settings"]["ports"] = dict.fromkeys((f"U{n}" for n in range(20_000)), "free")
        with self.assertRaisesMessage(ValueError, "settings/ports"):
            load(document)


class NoFaultTest(TestCase):
    """Whatever comes in, an answer under 500 with words goes out."""

    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.craft = make_craft(sbus_craft())
        cls.recording = Recording.store([b"\x01\x02"], craft=cls.craft, name="a.bin", kind="bin", source="file")

    def setUp(self):
        self.client.raise_request_exception = False
        self.client.force_login(get_user_model().objects.get(username="wren"))

    def told(self, answer, *wanted: int):
        self.assertIn(answer.status_code, wanted)
        self.assertTrue(answer.json()["detail"])

    def place(self, path: str, **chosen) -> str:
        """An address of the schema's, with what is there."""
        known = {"craft_id": self.craft.id, "workshop_id": self.craft.workshop_id, "recording_id": self.recording.id, "image_id": uuid.uuid4()}
        return path.format(**known, flash_id=1, username="wren", part_id="x", **{"index": 0, "kind": "pdf"} | chosen)

    def test_json_that_nothing_should_stumble_over(self):
        bodies = (
            *(b"[" * 5000 + b"]" * 5000, b'{"a":' * 5000, b'"\\ud800"', b'{"version": "\\udfff"}', b"NaN", b'{"version": 1e999}'),
            *(b'{"version": 1' + b"0" * 400 + b"}", b'{"a": "\\u0000"}', b"\xff\xfe"),
        )
        for path, methods in json.loads(openapi())["paths"].items():
            for method in {"post", "put", "patch"} & set(methods):
                for body in bodies:
                    with self.subTest(path, method=method, body=body[:20]):
                        answer = getattr(self.client, method)(self.place(path), body, content_type="application/json")
                        self.told(answer, 400, 403, 404, 405, 415, 422)

    def test_sign_in_takes_no_nonsense(self):
        stranger = Client(raise_request_exception=False)
        for body in (
            b"[" * 1000,
            b'{"username": "\\ud800", "password": "x"}',
            b'{"username": "a\\u0000b", "password": "x"}',
            b'{"username": {}, "password": []}',
            b"[]",
            b"1",
        ):
            with self.subTest(body):
                self.told(stranger.post("/api/session", body, content_type="application/json"), 400)

    def test_addresses_at_which_there_is_nothing(self):
        dashes = "-" * 36
        for path in (f"/api/recordings/{dashes}/file.bin", f"/api/images/{dashes}/file.hex", "/api/crafts/1", "/api/nothing", "/api/recordings/x"):
            with self.subTest(path):
                self.told(self.client.get(path), 404)

    def test_schema_and_docs_are_for_the_signed_in(self):
        for path in ("/api/schema", "/api/docs"):
            self.assertEqual(self.client.get(path).status_code, 200)
            self.assertEqual(Client().get(path).status_code, 403)

    def test_random_inputs_from_the_schema(self):
        """A seeded handful; `./bell bench storm` sends thousands."""
        rng = random.Random(15)
        values = (None, True, 0, -1, 10**18, 0.5, "", "x", "\u202e", "é" * 200, [], {}, [[]], {"a": {}}, ["x"] * 50, "../../etc", str(self.craft.id))
        names = "version document edits facts doing part to device job pads pin pad wire initials name kept settings role username workshop airframe path value"
        places = [(path, method) for path, methods in json.loads(openapi())["paths"].items() for method in methods if method != "delete"]
        for turn in range(250):
            path, method = places[turn % len(places)]
            if path.endswith("/reading"):
                continue
            place = self.place(path, index=rng.choice([0, 10**9]), kind=rng.choice(["pdf", "svg", "x"]))
            body = {name: rng.choice(values) for name in rng.sample(names.split(), 6)}
            asked = {name: rng.choice(["", "x", "-1", "1e9"]) for name in ("start", "end", "line", "role")}
            with self.subTest(path, method=method, body=body, asked=asked):
                sent = (asked,) if method == "get" else (body, "application/json")
                answer = getattr(self.client, method)(place, *sent)
                self.assertLess(answer.status_code, 500, answer.content[:300])


class StrangerTest(OnTheSocket):
    def raw(self, method: str, path: str, body: bytes = b"", headers: dict | None = None) -> tuple[int, dict]:
        connection = http.client.HTTPConnection(live.server().address.removeprefix("http://"), timeout=20)
        connection.request(method, path, body, {"Content-Type": "application/json", **(headers or {})})
        answer = connection.getresponse()
        text = answer.read()
        connection.close()
        return answer.status, json.loads(text or b"{}")

    def test_who_is_not_signed_in_may_send_little(self):
        big = b" " * (STRANGER_BYTES + 1)
        for path, headers in (("/api/session", {}), ("/api/crafts", {}), ("/api/crafts", {"Cookie": f"{settings.SESSION_COOKIE_NAME}={'a' * 32}"})):
            status, answer = self.raw("POST", path, big, headers)
            self.assertEqual((status, "sign in first" in answer["detail"]), (413, True))

    def test_a_draft_over_its_bound_is_refused(self):
        client = Client()
        client.force_login(get_user_model().objects.get(username="wren"))
        cookie = {"Cookie": f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"}
        status, answer = self.raw("PUT", f"/api/crafts/{self.craft.id}/draft", b" " * (DRAFT_BYTES + 1), cookie)
        self.assertEqual((status, answer["detail"]), (413, "that is more than 256 kB, the most that a draft or a form may have; nothing was changed"))

    def test_nul_in_an_address_and_sockets_that_lead_nowhere(self):
        for path in ("/api/crafts/%00", "/assets/%00", "/%00"):
            status, answer = self.raw("GET", path)
            self.assertEqual((status, answer["detail"]), (404, "there is nothing at this address"))
        server = live.server()
        for path in ("/ws/x", "/ws/crafts/1/bench", "/"):
            with self.assertRaises(InvalidStatus) as refused, connect(server.address.replace("http", "ws") + path, origin=server.address):
                pass
            self.assertEqual(refused.exception.response.status_code, 403)

    def test_frames_right_behind_the_handshake_of_somebody_who_is_refused_are_not_obeyed(self):
        act = json.dumps({"type": "act", "act": "keep line", "request": "now"})
        server = live.server()

        def attempt(_):
            try:
                with connect(f"{server.address.replace('http', 'ws')}/ws/crafts/{self.craft.id}/bench", origin=server.address) as opened:
                    opened.send(act)
                    opened.recv(timeout=PATIENCE_S)
            except (InvalidStatus, ConnectionClosed):
                return True
            return False

        with ThreadPoolExecutor(8) as several:
            self.assertTrue(all(several.map(attempt, range(24))))
        self.assertFalse(Recording.objects.exists())

    def test_signing_out_ends_what_is_open(self):
        server = live.server()
        client = Client()
        client.post("/api/session", {"username": "wren", "password": PASSWORD}, content_type="application/json")
        cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"
        ends = [f"{server.address.replace('http', 'ws')}/ws/crafts/{self.craft.id}/{what}" for what in ("bench", "tap")]
        with (
            connect(ends[0], additional_headers={"Cookie": cookie}, origin=server.address, max_size=None, max_queue=None) as bench,
            connect(ends[1], additional_headers={"Cookie": cookie}, origin=server.address) as tap,
        ):
            Viewer(bench).until("live")
            Viewer(tap).until("tap")
            began = time.monotonic()
            token = client.cookies["csrftoken"].value
            status, _ = self.raw("DELETE", "/api/session", b"", {"Cookie": f"{cookie}; csrftoken={token}", "X-CSRFToken": token})
            self.assertEqual(status, 204)
            self.assertEqual((Viewer(bench).closed_with(), Viewer(tap).closed_with()), (NOT_SIGNED_IN, NOT_SIGNED_IN))
            self.assertLess(time.monotonic() - began, 2)

    def test_who_says_too_much_is_sent_away_and_others_are_not(self):
        with self.viewer() as quiet:
            quiet.until("live")
            with self.viewer("teal") as loud:
                loud.until("live")
                try:
                    for _ in range(10 * MOST_A_SECOND):
                        loud.say(type="hands", tilt_deg=1.0)
                except ConnectionClosed:
                    pass
                self.assertEqual(loud.closed_with(), TOO_MUCH)
            with self.viewer("teal") as long:
                try:
                    for _ in range(40):
                        long.say_raw("{" * 60_000)
                except ConnectionClosed:
                    pass
                self.assertEqual(long.closed_with(), TOO_MUCH)
            quiet.until("live")


class WorkerTest(OnTheSocket):
    """One bench that computes for ever, or takes its process down, is set aside; the others go on."""

    def hostile(self, about: str):
        document = sbus_craft()
        document.about = about
        return make_craft(document, "Hostile")

    def watched(self, viewer: Viewer, enough: threading.Event) -> list[tuple[float, float]]:
        """(when, bench time) of every snapshot until it is enough, and of twenty more."""
        seen, after = [], 0
        while after < 20:
            message = viewer.until("live")
            seen.append((time.monotonic(), message["t"]))
            after += enough.is_set()
        return seen

    def others_go_on(self, about: str, reason: str):
        craft, enough = self.hostile(about), threading.Event()
        with self.viewer() as good, ThreadPoolExecutor(1) as beside:
            good.until("live")
            watching = beside.submit(self.watched, good, enough)
            with self.viewer("teal", craft) as bad:
                told = bad.until("waiting", lambda message: "set aside" in message["why"])
            with self.viewer("teal", craft) as again:  # it does not come back by being looked at
                self.assertEqual(again.until("waiting")["why"], told["why"])
            enough.set()
            seen = watching.result(PATIENCE_S)
        self.assertIn(reason, told["why"])
        self.assertEqual((len(told["chain"]), told["judged"]), (len(HOPS), False))
        pauses = [after - before for (before, _), (after, _) in itertools.pairwise(seen)]
        self.assertLess(max(pauses), settings.BENCH_BUDGET_S + 10, "its computing is counted, and a busy machine lets it wait besides")
        lost = [
            when - max(then for then, t in seen[:place] if t <= after)
            for place, ((when, before), (_, after)) in enumerate(itertools.pairwise(seen), 1)
            if after < before
        ]
        self.assertLess(max(lost), KEEP_S + 0.5 + max(pauses), "at most what was not kept yet is lost, and keeping waits for the worker")
        return craft

    def test_a_bench_that_computes_for_ever(self):
        craft = self.others_go_on(SPINS, f"{settings.BENCH_BUDGET_S:g} s of computing")
        document = craft.read()
        document.about = "mended"
        save_draft(craft.pk, craft.version, document.model_dump(mode="json"), get_user_model().objects.get(username="wren"))
        with self.viewer("teal", craft) as viewer:
            viewer.until("live")

    def test_a_bench_that_takes_its_process_down(self):
        self.others_go_on(FALLS, "twice")

    def test_a_hand_or_an_act_while_benches_are_started_anew_is_told(self):
        """Whatever is asked is answered, and what was acknowledged before is there."""
        craft = self.hostile(SPINS)
        with self.viewer() as good, self.viewer("teal", craft):
            good.until("live")
            answers = [good.act("read back") for _ in range(12)]
            self.assertTrue(all(answer["ok"] or "started anew" in answer["text"] for answer in answers))
            end = time.monotonic() + PATIENCE_S
            while not good.act("read back")["ok"]:
                self.assertLess(time.monotonic(), end)


class AskerTest(OnTheSocket):
    """Reading ends with whoever asked for it."""

    def test_files_that_are_read_for_ever_make_room_when_those_who_sent_them_have_gone(self):
        with ExitStack() as asking:
            while self.asks(SPINS, asking) is None:
                pass  # until all places to read and to wait in are taken
        began = time.monotonic()
        with ExitStack() as asking:
            while self.asks("good", asking) == 503:
                self.assertLess(time.monotonic() - began, 8)

    def asks(self, name: str, stack: ExitStack) -> int | None:
        """Hand in a file to be read; how it was answered, None where nobody answers while `stack` is open."""
        server, client = live.server(), Client()
        client.force_login(get_user_model().objects.get(username="wren"))
        cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}; csrftoken={'x' * 32}"
        body = f'--b\r\nContent-Disposition: form-data; name="file"; filename="{name}.hex"\r\n\r\n:00000001FF\r\n--b--\r\n'
        headers = {"Cookie": cookie, "X-CSRFToken": "x" * 32, "Content-Type": "multipart/form-data; boundary=b"}
        connection = http.client.HTTPConnection(server.address.removeprefix("http://"), timeout=0.3 if name == SPINS else PATIENCE_S)
        stack.callback(connection.close)
        connection.request("POST", f"/api/workshops/{self.craft.workshop_id}/images/read", body, headers)
        try:
            return connection.getresponse().status
        except TimeoutError:
            return None

    def test_a_recording_that_is_read_without_a_word(self):
        asker, begun = Asker(), threading.Event()

        def command(*_):
            begun.set()
            return [sys.executable, "-c", "while True: pass"]

        def read():
            with asked_by(asker), self.assertRaises(Unreadable):
                services._read_into(Path("a.vcd"), Recording(name="a.vcd"), "", Path(settings.VAR) / "never")

        with patch.object(services, "_command", command), ThreadPoolExecutor() as beside:
            for order in ("goes meanwhile", "has gone before"):
                began, reading = time.monotonic(), beside.submit(read)
                self.assertTrue(begun.wait(PATIENCE_S), order)
                asker.leave()
                reading.result(PATIENCE_S)
                self.assertLess(time.monotonic() - began, 5, order)


class SignInTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()

    def attempt(self, name: str, **more):
        return self.client.post("/api/session", {"username": name, "password": "no"}, content_type="application/json", **more)

    def test_so_many_for_a_name_and_so_many_from_an_address_whatever_a_header_says(self):
        with patch("server.accounts.api._by_name", Rate(2, 60)), patch("server.accounts.api._by_address", Rate(4, 60)):
            answers = [self.attempt("wren", HTTP_X_FORWARDED_FOR=f"192.0.2.{n}") for n in range(3)]
            self.assertEqual([each.status_code for each in answers], [400, 400, 429])
            self.assertEqual(answers[-1].headers["Retry-After"], "1")
            self.assertEqual([self.attempt(name).status_code for name in ("a", "b", "c")], [400, 429, 429])
            self.assertEqual(self.attempt("d", REMOTE_ADDR="192.0.2.9").status_code, 400)

    def test_a_rate_gives_back_with_time_and_forgets(self):
        clock = [0.0]
        rate = Rate(2, 60, lambda: clock[0])
        self.assertEqual([rate.take("a"), rate.take("a"), rate.take("a"), rate.take("b")], [0, 0, 1, 0])
        clock[0] = 1.0
        self.assertEqual([rate.take("a"), rate.take("a")], [0, 1])
        rate.charge("b", 5)
        self.assertEqual(rate.take("b"), 4)
        for key in range(KEYS_KEPT + 5):
            rate.take(key)
        self.assertEqual(rate.take("a"), 0)

    def test_hashing_takes_its_turn_and_a_crowd_is_sent_away(self):
        hold, running, most, lock = threading.Event(), [0], [0], threading.Lock()

        def work():
            with lock:
                running[0] += 1
                most[0] = max(most[0], running[0])
            hold.wait(PATIENCE_S)
            with lock:
                running[0] -= 1
            return True

        turns = Turns()
        with ThreadPoolExecutor(AT_ONCE + MOST_WAITING) as crowd:
            taken = [crowd.submit(turns.take, work) for _ in range(AT_ONCE + MOST_WAITING)]
            while turns._taken < AT_ONCE + MOST_WAITING or most[0] < AT_ONCE:
                threading.Event().wait(0.005)
            with self.assertRaises(TooManyAtOnce):
                turns.take(work)
            hold.set()
            self.assertTrue(all(each.result(PATIENCE_S) for each in taken))
        self.assertEqual(most[0], AT_ONCE)
        with patch("server.accounts.api.authenticate", side_effect=TooManyAtOnce):
            refused = self.attempt("wren")
        self.assertEqual((refused.status_code, refused.headers["Retry-After"]), (503, "3"))

    def test_a_hash_made_before_still_opens(self):
        before = Argon2PasswordHasher().encode("low-tide-42", "saltsaltsalt")
        self.assertTrue(QueuedArgon2().verify("low-tide-42", before))
        self.assertFalse(QueuedArgon2().verify("low-tide-43", before))
        self.assertTrue(QueuedArgon2().must_update(before))


class RoomTest(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people()
        cls.craft = make_craft(sbus_craft())

    def test_a_workshop_keeps_so_much_and_what_is_over_it_is_refused_whole(self):
        self.client.force_login(get_user_model().objects.get(username="wren"))
        room = f"/api/workshops/{self.craft.workshop_id}/room"
        upload = lambda size: self.client.post(f"/api/crafts/{self.craft.id}/recordings", {"file": SimpleUploadedFile("a.bin", b"x" * size)})  # noqa: E731
        with override_settings(WORKSHOP_QUOTA_BYTES=3 << 20):
            self.assertEqual(self.client.get(room).json(), {"used_bytes": 0, "quota_bytes": 3 << 20})
            self.assertEqual(upload(2 << 20).status_code, 201)
            refused = upload((1 << 20) + 1)
            self.assertEqual((refused.status_code, "may keep 3 MB" in refused.json()["detail"]), (422, True))
            self.assertEqual(self.client.get(room).json()["used_bytes"], 2 << 20)
            self.assertEqual(Recording.objects.count(), 1, "nothing of it stays")
            facts = json.dumps({"target": "WISP 900", "version": "1.0.0"})
            form = {"file": SimpleUploadedFile("a.bin", b"x" * ((1 << 20) + 1)), "facts": facts}
            image = self.client.post(f"/api/workshops/{self.craft.workshop_id}/images", form)
            self.assertEqual((image.status_code, "may keep 3 MB" in image.json()["detail"]), (422, True))
            self.client.delete(f"/api/recordings/{Recording.objects.get().pk}")
            self.assertEqual(upload((1 << 20) + 1).status_code, 201)


class PatientSocketTest(OnTheSocket):
    """What arrives in heaps is taken in order and whole; who goes on after the end is hung up on."""

    def hang_up_s(self, text: bytes, opcode: int) -> float:
        """How long somebody who only ever sends such frames can go on, s."""
        server, client = live.server(), Client()
        client.force_login(get_user_model().objects.get(username="wren"))
        cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"
        host, port = server.address.removeprefix("http://").split(":")
        head = f"GET /ws/crafts/{self.craft.id}/bench HTTP/1.1\r\nHost: {host}:{port}\r\nOrigin: {server.address}\r\nCookie: {cookie}\r\n"
        head += "Connection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n\r\n"
        frame = (
            bytes((0x80 * (opcode > 0) | opcode, 0x80 | len(text))) + bytes(4) + text
        )  # masked with nothing; parts of a text that never ends have no last one
        with socket.create_connection((host, int(port)), PATIENCE_S) as raw:
            raw.sendall(head.encode())
            self.assertIn(b" 101 ", raw.recv(20))
            if opcode == 0:
                raw.sendall(bytes((0x01, 0x80)) + bytes(4))
            began = time.monotonic()
            with suppress(ConnectionError):
                while time.monotonic() - began < PATIENCE_S:
                    raw.sendall(frame * 500)
            return time.monotonic() - began

    def test_who_goes_on_after_being_sent_away_is_hung_up_on(self):
        for text, opcode in ((b'{"type":"hands","tilt_deg":1}', 1), (b"ping", 9), (b"pong", 10), (b"", 0)):
            self.assertLess(self.hang_up_s(text, opcode), 6, (text, opcode))
        with self.viewer("teal") as other:
            other.until("live")

    def test_what_comes_in_one_heap_is_taken_in_order_to_the_last(self):
        with self.viewer() as viewer:
            viewer.until("live")
            said = [{"type": "hands", "right": {"x": step / 100, "y": 0.0}} for step in range(90)]
            said += [{"type": "hands", "switches": {"S3": 1}}, {"type": "hands", "right": {"x": -0.5, "y": 0.25}}]
            said += [{"type": "act", "act": "read back", "request": "the last"}]
            texts = [json.dumps(each).encode() for each in said]
            viewer.raw.sendall(b"".join(bytes((0x81, 0x80 | len(text))) + bytes(4) + text for text in texts))
            self.assertEqual(viewer.until("answer")["request"], "the last")
            seen = viewer.until("live")
            self.assertEqual((seen["right"], seen["switches"]["S3"]), ({"x": -0.5, "y": 0.25}, 1))
            viewer.say_raw(json.dumps({"type": "hands", "switches": {"S3": 2}}) + " " * 60_000)
            viewer.until("live", lambda message: message["switches"]["S3"] == 2)

    def test_movements_that_come_close_together_become_one(self):
        with self.viewer() as viewer:
            viewer.until("live")
            for step in range(150):
                viewer.say(type="hands", tilt_deg=step / 10)
            viewer.say(type="hands", left={"x": 0.5, "y": -1.0})
            seen = viewer.until("live", lambda message: message["tilt_deg"] == 14.9 and message["left"] == {"x": 0.5, "y": -1.0})
            self.assertTrue(seen)

    def test_switches_have_a_rate_in_words(self):
        with self.viewer() as viewer:
            viewer.until("live")
            for step in range(TOUCHES_BY_PERSON[0] + 30):
                viewer.say(type="hands", switches={"S3": step % 3})
            self.assertIn("that is asked for too often", viewer.until("trouble")["text"])


class ConnectRateTest(SimpleTestCase):
    def test_who_is_refused_waits_for_it_unless_too_many_do(self):
        told = []

        async def send(message):
            told.append(message["type"])

        async def all_at_once():
            rate = ConnectRate(None, Rate(0, 1), Rate(20, 1))
            waiting = [asyncio.create_task(rate({"headers": [], "client": (f"192.0.2.{number}", 1)}, None, send)) for number in range(5)]
            await asyncio.gather(*waiting[3:])
            self.assertEqual([each.done() for each in waiting], [False] * 3 + [True] * 2)
            for each in waiting:
                each.cancel()

        with patch("server.gate.MOST_REFUSED", 3), patch("server.gate.REFUSED_AFTER_S", 60):
            async_to_sync(all_at_once)()

    @patch("server.gate.REFUSED_AFTER_S", 0)
    def test_sockets_beyond_a_rate_are_refused_before_anything_is_looked_up(self):
        asked, told = [], []

        async def app(scope, receive, send):
            asked.append(scope["headers"])

        async def send(message):
            told.append(message["type"])

        async def come(cookie: bytes):
            await rate({"headers": [(b"cookie", b"a=b; coinbell_session=" + cookie)], "client": ("192.0.2.1", 1)}, None, send)

        rate = ConnectRate(app, Rate(3, 1), Rate(20, 1))
        for _ in range(5):
            async_to_sync(come)(b"one")
        async_to_sync(come)(b"two")
        self.assertEqual((len(asked), told), (4, ["websocket.close"] * 2))
        for number in range(30):
            async_to_sync(come)(b"made up %d" % number)
        self.assertEqual(len(asked), 4 + 14, "sessions that nobody has share what their address may")


class FloodTest(OnTheSocket):
    def test_so_many_acts_a_person_may_ask_for_and_a_flood_makes_few_recordings(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.until("live")
            for n in range(60):
                viewer.say(type="act", act="keep line", request=f"keep {n}")
            answers = [viewer.until("answer") for _ in range(60)]
        refused = [each["text"] for each in answers if not each["ok"]]
        self.assertEqual(len({each["request"] for each in answers}), 60, "each is answered once")
        burst = settings.LINES_KEPT_BY_PERSON[0]
        self.assertGreaterEqual(len(refused), 60 - burst - 3)
        self.assertTrue(all("asked for too often" in text for text in refused), refused[:3])
        self.assertLessEqual(Recording.objects.count(), burst + 3)


class StationTest(SimpleTestCase):
    def test_everything_that_is_asked_for_survives_the_way(self):
        station, document = Station(), sbus_craft()
        given = Given(document, KitParts.of(document), 3, BenchState(stored=document.settings, running=document.settings, bound=True))
        stood = pickle.loads(pickle.dumps(station.set_up("a", pickle.loads(pickle.dumps(Packed(given))), 1)))
        self.assertEqual((stood.why, stood.same), (None, False))
        wanted = Wanted(until=3.0, slice_s=0.04, report=True, keep=True, pace=0.5)
        ran = pickle.loads(pickle.dumps(station.run("a", wanted)))
        self.assertEqual((ran.t, json.loads(ran.live)["pace"], json.loads(ran.report)["draft_version"]), (3.0, 0.5, 3))
        self.assertEqual(BenchState.model_validate(ran.kept).t, 3.0)
        self.assertTrue(ran.proofs)
        self.assertEqual(station.run("a", replace(wanted, until=3.2, keep=False)).proofs, [], "news is told once")
        self.assertTrue(station.follow("a", given, 2).same)
        bare = document.model_copy(update={"kit": document.kit.model_copy(update={"receiver": ""})})
        gone = station.follow("a", replace(given, document=bare, parts=KitParts.of(bare)), 2)
        self.assertIn("receiver", gone.why)
        self.assertEqual(json.loads(station.waiting("a"))["why"], gone.why)
        with self.assertRaises(NoBench):
            station.run("a", wanted)
        self.assertEqual(station.put_away("a", "over"), (None, []))
        with self.assertRaises(NoBench):
            station.kept("a")

    def test_that_hands_were_at_the_craft_is_kept_at_once_and_once(self):
        """Whoever is told that it is to be proven anew finds it so after a process was killed."""
        station, document = Station(), sbus_craft()
        given = Given(document, KitParts.of(document), 3, BenchState(stored=document.settings, running=document.settings, bound=True))
        station.set_up("a", given, 1)
        wanted = Wanted(until=1.0, slice_s=0.04)
        self.assertIsNone(station.run("a", wanted).kept)
        station.hands("a", Hands(handled="board"), None, 0.04)
        kept = station.run("a", replace(wanted, until=1.1)).kept
        self.assertEqual(BenchState.model_validate(kept).handled, {"board": 1})
        self.assertIsNone(station.run("a", replace(wanted, until=1.2)).kept)
        station.put_away("a", "over")
        station.set_up("a", replace(given, state=BenchState.model_validate(kept)), 2)
        self.assertIsNone(station.run("a", replace(wanted, until=2.0)).kept, "it was kept already")
