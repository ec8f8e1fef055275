"""The live bench over its WebSocket, in the real server process."""

from __future__ import annotations

import json
import socket
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import Client
from django.utils import timezone
from websockets.exceptions import InvalidStatus

from linkcore.craft.parts import KitParts
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board
from server.bench.models import LEASE, BenchRecord
from server.crafts.models import Craft, Revision
from server.proofs.models import ProofRecord, WireRing
from server.workshops.models import Membership
from tests import live
from tests.crafts import crsf_craft, sbus_craft
from tests.database import DatabaseTest
from tests.server.base import make_craft, make_people
from tests.server.viewer import PATIENCE_S, OnTheSocket


class BenchSocketTest(OnTheSocket):
    def test_only_the_workshop_may_look(self):
        for stranger in ("dipper", None):
            with self.assertRaises(InvalidStatus) as refused, self.viewer(stranger):
                pass
            self.assertEqual(refused.exception.response.status_code, 403)

    def test_a_checker_moves_sticks_and_writes_nothing_and_a_reader_looks_on(self):
        self.write_and_restart()
        teal = Membership.objects.filter(user__username="teal")
        teal.update(role="checker")
        with self.viewer("teal") as viewer:
            viewer.until("live", lambda message: message["board"]["link"] == "good")
            viewer.say(type="hands", switches={"S3": 1})
            viewer.until("live", lambda message: message["switches"]["S3"] == 1)
            answer = viewer.act("write", version=1)
            self.assertEqual((answer["ok"], answer["text"].split(";")[0]), (False, "you are a checker in this workshop"))
            viewer.say(type="hands", forget_bind=True)
            self.assertIn("this is for builders and owners", viewer.until("trouble")["text"])
            self.assertTrue(viewer.until("live")["linked"])
        teal.update(role="reader")
        with self.viewer("teal") as viewer:
            viewer.until("live")
            viewer.say(type="hands", switches={"S3": 2})
            self.assertIn("you are a reader", viewer.until("trouble")["text"])
            self.assertEqual(viewer.until("live")["switches"]["S3"], 1)

    def test_two_browsers_see_the_same_bench_and_each_others_hands(self):
        self.write_and_restart()
        with self.viewer("wren") as wren, self.viewer("teal") as teal:
            teal.until("live", lambda message: message["board"]["link"] == "good")
            wren.say(type="hands", right={"x": 0.5, "y": -1}, switches={"S3": 2})
            seen = teal.until("live", lambda message: abs((message["board"]["axes"]["roll"] or 0) - 1750) < 3)
            self.assertEqual(seen["switches"]["S3"], 2)
            self.assertEqual(wren.until("live", lambda message: message["t"] >= seen["t"])["right"], {"x": 0.5, "y": -1.0})

    def test_a_new_board_holds_nothing_until_it_is_written(self):
        with self.viewer() as viewer:
            report = viewer.until("report")
            self.assertIn("/ports/U2", [each["path"] for each in report["differences"]])
        self.write_and_restart()
        self.assertEqual([each.kind for each in Revision.objects.filter(craft=self.craft)], ["written", "saved"])

    def test_writing_an_older_draft_is_refused(self):
        with self.viewer() as viewer:
            viewer.until("report")
            answer = viewer.act("write", version=99)
            self.assertEqual((answer["ok"], "gone on to version 1" in answer["text"]), (False, True))

    def test_messages_of_the_wrong_shape_are_told_and_do_no_harm(self):
        with self.viewer() as viewer:
            viewer.until("live")
            for text in (
                "",
                "{",
                "[]",
                '{"type":"dance"}',
                '{"type":"hands","left":{"x":2,"y":0}}',
                '{"type":"act","act":"burn","request":"1"}',
                '{"type":"hands","power":"maybe","more":1}',
            ):
                viewer.say_raw(text)
                self.assertIn("not understood", viewer.until("trouble")["text"])
            viewer.say(type="hands", switches={"S9": 1})
            self.assertIn("no switch S9", viewer.until("trouble")["text"])
            viewer.until("live")

    def test_an_overlong_message_closes_just_that_connection(self):
        with self.viewer() as other, self.viewer() as viewer:
            viewer.until("live")
            viewer.say_raw("x" * 200_000)
            self.assertEqual(viewer.closed_with(), 1009)
            other.until("live")

    def test_a_proof_is_recorded_with_what_it_rests_on(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.until("report", lambda report: next(state for state in report["chain"] if state["hop"] == "line")["coin"] == "rings true")
        proof = ProofRecord.objects.get(craft=self.craft, hop="line")
        self.assertEqual(proof.seen["protocol"], "SBUS")
        self.assertIn("settings/receiver_input", proof.rests_on)

    def test_a_saved_draft_reaches_every_browser(self):
        with self.viewer() as viewer:
            viewer.until("report")
            client = Client()
            client.force_login(get_user_model().objects.get(username="teal"))
            # through the server process, so that its own channel layer carries the news
            token = client.cookies[settings.SESSION_COOKIE_NAME].value
            self.put_over_http(token, self.craft.document | {"about": "new"})
            viewer.until("report", lambda report: report["draft_version"] == 2)

    def save(self, change) -> None:
        """Save a changed draft through the server process, so that its bench hears of it."""
        craft = Craft.objects.get(pk=self.craft.pk)
        document = craft.read()
        change(document)
        client = Client()
        client.force_login(get_user_model().objects.get(username="wren"))
        self.put_over_http(client.cookies[settings.SESSION_COOKIE_NAME].value, document.model_dump(mode="json"), craft.version)

    def test_a_kit_that_is_taken_apart_waits_and_one_that_is_whole_runs_again(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.until("live")
            self.save(lambda document: setattr(document.kit, "transmitter", ""))
            waiting = viewer.until("waiting")
            self.assertIn("Still to choose: transmitter", waiting["why"])
            self.assertEqual([state["hop"] for state in waiting["chain"]][:3], ["kit", "port plan", "loom"])
            self.assertIn("kit.incomplete", [finding["code"] for finding in waiting["findings"]])
            viewer.say(type="hands", right={"x": 1, "y": 0})
            answer = viewer.act("restart")
            self.assertEqual((answer["ok"], "Still to choose: transmitter" in answer["text"]), (False, True))
            self.save(lambda document: setattr(document.kit, "transmitter", "harrow-16"))
            live_again = viewer.until("live", lambda message: message["board"]["link"] == "good")
            self.assertEqual(live_again["board"]["port"], "U2", "the board kept what was written")

    def test_another_board_comes_with_nothing_set(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.until("live")
            ports = dict.fromkeys(shipped().of(Board, "ouzel-h7").ports, "free")

            def exchange(document):
                document.kit.board = "ouzel-h7"
                document.settings.ports = ports | {"U2": "receiver input"}

            self.save(exchange)
            report = viewer.until("report", lambda report: report["on_board"] and len(report["on_board"]["ports"]) == 8)
            self.assertEqual(set(report["on_board"]["ports"].values()), {"free"})
            self.assertIn("/ports/U2", [each["path"] for each in report["differences"]])

    def test_wires_are_rung_out_by_the_signal_and_recorded_once(self):
        self.write_and_restart()
        with self.viewer("wren") as wren, self.viewer("teal") as teal:
            for viewer in (wren, teal):
                report = viewer.until(
                    "report", lambda report: len(report["told"]["loom"]["rung"]) == 5 and all("UTC" in said for said in report["told"]["loom"]["rung"].values())
                )
            self.assertEqual(
                sorted(report["told"]["loom"]["rung"]), ["pack leads/GND/G2", "pack leads/V+/BAT", "receiver/5V/5V", "receiver/GND/G", "receiver/SBUS/R2"]
            )
        self.assertEqual(WireRing.objects.filter(craft=self.craft, until=None, how="signal").count(), 5)
        self.assertEqual(ProofRecord.objects.filter(craft=self.craft, hop="loom").count(), 1, "that was every wire")

    def test_a_state_that_cannot_be_read_starts_the_bench_anew(self):
        self.write_and_restart()
        BenchRecord.objects.filter(craft=self.craft).update(state={"stored": "junk"}, holder="", held_until=timezone.now())
        record = BenchRecord.objects.get(craft=self.craft)
        with self.assertLogs("server.bench.models", "WARNING"):
            state = record.state_for(self.craft.read(), KitParts.of(self.craft.read()))
        self.assertEqual(set(state.stored.ports.values()), {"free"})

    def test_supplies_are_plugged_and_unplugged(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.say(type="hands", pack=False)
            viewer.until("live", lambda message: not message["board"]["powered"] and message["light"]["pattern"] == "off")
            viewer.say(type="hands", usb=True)
            powered = viewer.until("live", lambda message: message["board"]["link"] == "good")
            self.assertEqual((powered["usb"], powered["pack"], powered["failed"]), (True, False, []))

    def test_browsers_that_come_at_once_share_one_bench_that_hears_of_drafts(self):
        client = Client()
        client.force_login(get_user_model().objects.get(username="teal"))
        with ExitStack() as stack:
            with ThreadPoolExecutor(6) as threads:
                viewers = list(threads.map(lambda name: stack.enter_context(self.viewer(name)), ["wren", "teal"] * 3))
            beginnings = [viewer.until("live")["t"] for viewer in viewers]
            self.assertLess(max(beginnings) - min(beginnings), PATIENCE_S, "one bench, one time")
            self.put_over_http(client.cookies[settings.SESSION_COOKIE_NAME].value, self.craft.document | {"about": "new"})
            for viewer in viewers:
                viewer.until("report", lambda report: report["draft_version"] == 2)
            viewers[0].say(type="hands", switches={"S2": 2})
            for viewer in viewers:
                viewer.until("live", lambda message: message["switches"]["S2"] == 2)

    def test_a_save_whose_news_was_lost_is_noticed_all_the_same(self):
        with self.viewer() as viewer:
            viewer.until("report")
            Craft.objects.filter(pk=self.craft.pk).update(version=7, document=self.craft.document | {"about": "behind its back"})
            viewer.until("report", lambda report: report["draft_version"] == 7)

    def test_what_was_done_outlives_the_bench(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.say(type="hands", switches={"S3": 1}, transmitter_on=False)
            viewer.until("live", lambda message: message["switches"]["S3"] == 1)
            until = time.monotonic() + PATIENCE_S
            while BenchRecord.objects.get(craft=self.craft).read().switches.get("S3") != 1 and time.monotonic() < until:
                viewer.until("live")
        kept = BenchRecord.objects.get(craft=self.craft).read()
        self.assertEqual((kept.switches["S3"], kept.transmitter_on, kept.running.receiver_ports()), (1, False, ["U2"]))
        BenchRecord.objects.update(holder="another", channel="gone", held_until=timezone.now())
        with self.viewer("teal") as viewer:  # the first bench finds its lease gone and stops; a new one starts from what was kept
            viewer.until("live", lambda message: message["switches"]["S3"] == 1 and not message["transmitter_on"])

    def test_no_time_passes_on_a_bench_while_nobody_looks(self):
        other = make_craft(sbus_craft(), "Avocet")
        with self.viewer(craft=other) as clock:
            with self.viewer() as viewer:
                left_at = viewer.until("live", lambda message: message["t"] > 0.5)["t"]
            begun = clock.until("live")["t"]
            clock.until("live", lambda message: message["t"] > begun + 5)
            with self.viewer() as viewer:
                self.assertLess(viewer.until("live")["t"], left_at + 3)

    def test_who_looks_at_a_craft_that_is_deleted_is_told_and_nothing_breaks(self):
        with self.viewer() as viewer:
            viewer.until("live")
            Craft.objects.filter(pk=self.craft.pk).delete()
            self.assertEqual(viewer.closed_with(), 4404)

    def test_a_craft_of_a_newer_version_is_refused_in_words(self):
        Craft.objects.update(document=self.craft.document | {"version": 5})
        with self.viewer() as viewer:
            self.assertIn("Update Coin Bell", viewer.until("trouble")["text"])
            self.assertEqual(viewer.closed_with(), 4422)

    def put_over_http(self, session: str, document: dict, version: int = 1) -> None:
        host, port = live.server().address.removeprefix("http://").split(":")
        body = json.dumps({"version": version, "document": document}).encode()
        request = (
            f"PUT /api/crafts/{self.craft.id}/draft HTTP/1.1\r\nHost: {host}\r\nContent-Type: application/json\r\nContent-Length: {len(body)}\r\n"
            f"Cookie: {settings.SESSION_COOKIE_NAME}={session}; csrftoken={'a' * 32}\r\nX-CSRFToken: {'a' * 32}\r\nConnection: close\r\n\r\n"
        ).encode() + body
        self.assertIn(b" 200 ", self.talk(host, int(port), request).split(b"\r\n")[0])

    @staticmethod
    def talk(host: str, port: int, request: bytes) -> bytes:
        with socket.create_connection((host, port), timeout=PATIENCE_S) as opened:
            opened.sendall(request)
            answer = b""
            while piece := opened.recv(65536):
                answer += piece
            return answer

    def test_a_body_over_the_limit_is_refused_before_it_is_sent(self):
        host, port = live.server().address.removeprefix("http://").split(":")
        request = f"POST /api/crafts/none/recordings HTTP/1.1\r\nHost: {host}\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: {2 << 30}\r\n\r\n".encode()
        answer = self.talk(host, int(port), request)
        self.assertIn(b" 413 ", answer.split(b"\r\n")[0])
        self.assertIn(b"larger than 8 MB", answer)

    def test_a_body_that_lies_about_its_size_is_cut_off(self):
        host, port = live.server().address.removeprefix("http://").split(":")
        request = f"POST /api/crafts/none/recordings HTTP/1.1\r\nHost: {host}\r\nContent-Type: multipart/form-data; boundary=x\r\nTransfer-Encoding: chunked\r\n\r\n".encode()
        chunk = b"100000\r\n" + b"x" * 0x100000 + b"\r\n"
        try:
            answer = self.talk(host, int(port), request + chunk * 12 + b"0\r\n\r\n")
        except ConnectionError:
            return
        self.assertIn(b" 413 ", answer.split(b"\r\n")[0])


class LeaseTest(DatabaseTest):
    """A bench runs in exactly one place."""

    def setUp(self):
        make_people()
        craft = make_craft(crsf_craft())
        self.record = BenchRecord.objects.get(craft=craft)

    def test_the_second_process_is_sent_to_the_first(self):
        self.assertEqual(BenchRecord.claim(self.record.pk, "one", "channel-1"), "channel-1")
        self.assertEqual(BenchRecord.claim(self.record.pk, "two", "channel-2"), "channel-1")

    def test_a_lease_that_ran_out_goes_on_and_the_old_holder_writes_nothing_more(self):
        BenchRecord.claim(self.record.pk, "one", "channel-1")
        BenchRecord.objects.update(held_until=timezone.now() - LEASE)
        self.assertEqual(BenchRecord.claim(self.record.pk, "two", "channel-2"), "channel-2")
        state = self.record.read()
        state.t = 1234.0
        self.assertFalse(BenchRecord.keep(self.record.pk, "one", state.keep()))
        BenchRecord.release(self.record.pk, "one", state.keep())
        self.record.refresh_from_db()
        self.assertEqual((self.record.holder, self.record.read().t), ("two", 0.0))

    def test_who_lets_go_leaves_the_state(self):
        BenchRecord.claim(self.record.pk, "one", "channel-1")
        state = self.record.read()
        state.t = 9.0
        BenchRecord.release(self.record.pk, "one", state.keep())
        self.record.refresh_from_db()
        self.assertEqual((self.record.held, self.record.read().t), (False, 9.0))
