"""The database goes away and comes back: benches go on, nothing that was seen is lost, and everybody is told."""

from __future__ import annotations

import http.client
import json
import os
import subprocess
import time
from contextlib import ExitStack, contextmanager, suppress

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import Client
from websockets.exceptions import InvalidStatus, WebSocketException
from websockets.sync.client import connect

from launcher.mariadb import die_with_parent, free_port
from launcher.server_command import server_command
from linkcore.hops.registry import HOPS
from server.body_limit import STRANGER_BYTES
from server.crafts.models import Craft
from server.proofs.models import ProofRecord
from tests.crafts import crsf_craft
from tests.database import DatabaseTest
from tests.lead import Lead
from tests.server.base import make_craft, make_people
from tests.server.viewer import Viewer

BACK_WITHIN_S = 5.0


class OwnServer(DatabaseTest):
    """Tests with a server process of their own, on a lead to the database that can be cut."""

    more: dict[str, str] = {}

    def setUp(self):
        make_people()
        self.craft = make_craft(crsf_craft())
        self.lead = Lead(int(connection.settings_dict["PORT"]))
        self.port = free_port()
        environment = {
            **os.environ,
            "COINBELL_DB_NAME": connection.settings_dict["NAME"],
            "COINBELL_DB_PORT": str(self.lead.port),
            "DJANGO_SETTINGS_MODULE": "tests.settings",
            "COINBELL_TEST_CLOCK": "server.running.clock.RealClock",
            **self.more,
        }
        process = subprocess.Popen(
            server_command("--port", str(self.port)), env=environment, cwd=settings.ROOT, preexec_fn=die_with_parent, stderr=subprocess.DEVNULL
        )
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        self.addCleanup(self.lead.cut)
        client = Client()
        client.force_login(get_user_model().objects.get(username="wren"))
        self.cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"
        until = time.monotonic() + 60
        while self.ask("GET", "/api/session")[0] != 200:
            self.assertLess(time.monotonic(), until)

    def ask(self, method: str, path: str, body: object = None):
        asked = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        try:
            asked.request(method, path, json.dumps(body) if body else None, {"Cookie": self.cookie, "Content-Type": "application/json"})
            answer = asked.getresponse()
            return answer.status, dict(answer.headers), json.loads(answer.read() or b"{}")
        except OSError:
            return 0, {}, {}
        finally:
            asked.close()

    @contextmanager
    def viewer(self, craft=None):
        address = f"ws://127.0.0.1:{self.port}/ws/crafts/{(craft or self.craft).id}/bench"
        with connect(address, additional_headers={"Cookie": self.cookie}, origin=f"http://127.0.0.1:{self.port}", max_size=None, max_queue=None) as opened:
            yield Viewer(opened)


class LimitTest(OwnServer):
    more = {"COINBELL_MOST_BENCHES": "1"}

    def test_a_bench_for_which_there_is_no_room_is_told_its_place_and_set_up_when_there_is(self):
        others = [make_craft(crsf_craft(), name) for name in ("Second", "Third")]
        with self.viewer() as first, self.viewer() as again:
            first.until("live")
            again.until("live")  # another window at the same craft needs no room
            with self.viewer(others[0]) as second, self.viewer(others[1]) as third:
                told = second.until("waiting")
                self.assertIn("As many benches run as this machine keeps at real time: 1. This one is the next", told["why"])
                self.assertEqual((len(told["chain"]), told["judged"]), (len(HOPS), True))
                self.assertIn("switchboard.no-arm-band", [finding["code"] for finding in told["findings"]], "what needs no bench is told all the same")
                third.until("waiting", lambda message: "One other comes before this one" in message["why"])
                answer = second.act("read back")
                self.assertEqual((answer["ok"], answer["text"]), (False, "there is no bench yet; it waits for room"))
                Craft.objects.filter(pk=self.craft.pk).delete()
                second.until("live")
                third.until("waiting", lambda message: "This one is the next" in message["why"])


class OutageTest(OwnServer):
    def test_a_bench_goes_on_and_records_when_the_database_is_back(self):
        with ExitStack() as stack:
            viewer = stack.enter_context(self.viewer())
            viewer.done("write", version=self.craft.version)
            viewer.until("report", lambda report: report["restart_due"])
            for seconds in (1.0, 4.0):
                self.lead.cut()
                began = time.monotonic()
                told = viewer.until("outage", lambda message: message["since"] is not None)
                self.assertLess(abs(told["since"] - time.time()), 5)
                status, headers, answer = self.ask("GET", f"/api/crafts/{self.craft.id}")
                self.assertEqual((status, headers["retry-after"], "the database does not answer" in answer["detail"]), (503, "2", True))
                draft = {"version": 1, "document": self.craft.document, "more": "x" * STRANGER_BYTES}
                status, headers, answer = self.ask("PUT", f"/api/crafts/{self.craft.id}/draft", draft)  # so long that it is asked first who sends it
                self.assertEqual((status, headers["retry-after"], "the database does not answer" in answer["detail"]), (503, "2", True))
                refused = viewer.act("restart")
                self.assertEqual((refused["ok"], "the database does not answer" in refused["text"]), (False, True))
                tilt = 10.0 + seconds
                viewer.say(type="hands", tilt_deg=tilt)  # hands need no database
                before = viewer.until("live", lambda live, tilt=tilt: live["tilt_deg"] == tilt)["t"]
                while time.monotonic() - began < seconds:
                    self.assertGreaterEqual(viewer.until("live")["t"], before)
                self.lead.mend()
                back = time.monotonic()
                viewer.until("outage", lambda message: message["since"] is None)
                viewer.until("report")
                self.assertLess(time.monotonic() - back, BACK_WITHIN_S)
                self.assertEqual(self.ask("GET", f"/api/crafts/{self.craft.id}")[0], 200)
            viewer.done("restart")

    def test_what_is_proven_during_an_outage_is_recorded_after_it_and_not_shown_before(self):
        with self.viewer() as viewer:
            viewer.done("write", version=self.craft.version)
            viewer.done("restart")
            self.lead.cut()
            viewer.until("outage")
            viewer.until("live", lambda live: live["board"]["link"] == "good" and live["board"]["good_per_s"] > 50)
            self.assertFalse(ProofRecord.objects.filter(hop="line").exists())
            self.lead.mend()
            report = viewer.until("report", lambda report: next(hop for hop in report["chain"] if hop["hop"] == "line")["coin"] == "rings true")
            self.assertTrue(ProofRecord.objects.filter(craft=self.craft, hop="line").exists())
            self.assertEqual(report["draft_version"], Craft.objects.get(pk=self.craft.pk).version)

    def test_who_comes_during_an_outage_is_refused_and_let_in_after_it(self):
        self.lead.cut()
        with self.assertRaises(InvalidStatus) as refused, self.viewer() as viewer:
            viewer.until("live")
        self.assertEqual(refused.exception.response.status_code, 403)
        self.lead.mend()
        until = time.monotonic() + BACK_WITHIN_S
        while True:
            with suppress(WebSocketException, OSError), self.viewer() as viewer:
                viewer.until("live")
                break
            self.assertLess(time.monotonic(), until)
