"""Flights' logs over HTTP, read in the real server process, and a flight that is flown on the bench."""

from __future__ import annotations

import http.client
import json

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile

from scenario.flights import LOSS_BEGINS_DBM, logs
from server.captures.models import Recording
from server.workshops.models import Membership
from tests import live
from tests.flights import csv, flight, telemetry_log
from tests.server.viewer import PATIENCE_S, OnTheSocket


class FlightTest(OnTheSocket):
    def setUp(self):
        super().setUp()
        self.client.force_login(get_user_model().objects.get(username="wren"))
        self.cookie = f"{settings.SESSION_COOKIE_NAME}={self.client.cookies[settings.SESSION_COOKIE_NAME].value}"

    def hand_in(self, name: str, data: bytes):
        return self.client.post(f"/api/crafts/{self.craft.id}/flights", {"file": SimpleUploadedFile(name, data)})

    def read(self, log_id: str, query: str = "", cookie: str | None = None) -> tuple[int, list[dict]]:
        connection = http.client.HTTPConnection(live.server().address.removeprefix("http://"), timeout=PATIENCE_S)
        connection.request("GET", f"/api/flights/{log_id}/alarm{query}", headers={"Cookie": self.cookie if cookie is None else cookie})
        answer = connection.getresponse()
        return answer.status, [json.loads(each) for each in answer.read().splitlines()]

    def test_a_log_gives_its_alarm_line_with_progress_and_margin(self):
        log, truth = flight(1, minutes=4)
        made = self.hand_in("creek.csv", csv(log)).json()
        status, news = self.read(made["id"], "?margin=9")
        self.assertEqual((status, news[1]["heads"], news[1]["roles"]), (200, ["time_s", "rssi_dbm", "lost"], {"time": 0, "rssi": 1, "lost": 2}))
        done = news[-1]["done"]
        self.assertAlmostEqual(done["found"]["begins_at"], truth, delta=1)
        self.assertAlmostEqual(done["found"]["alarm_line"], done["found"]["begins_at"] + 9, delta=0.01)
        self.assertTrue(5 < done["lq_by_grace"] < 40, "0.8 s of frames every 9 ms bear bad air")
        self.assertAlmostEqual(done["noise_db"], done["found"]["begins_at"] - done["sensitivity_dbm"] - 1.06, delta=0.1)
        self.assertEqual([each["progress"] for each in news], sorted(each["progress"] for each in news))

    def test_columns_are_corrected_by_hand(self):
        log, _ = flight(1, minutes=2)
        made = self.hand_in("odd.csv", csv(log, "a,b,c")).json()
        self.assertIn("no column is RSSI or link quality", self.read(made["id"])[1][-1]["error"])
        news = self.read(made["id"], "?roles=%7B%22rssi%22:1,%22lost%22:2%7D")[1]
        self.assertIn("the log has no time", " ".join(news[-1]["done"]["found"]["says"]))
        for wrong, status in (("?roles=%7B%22rssi%22:-1%7D", 400), ("?roles=nonsense", 400), ("?margin=nan", 400), ("?margin=900", 400)):
            self.assertEqual(self.read(made["id"], wrong)[0], status, wrong)
        self.assertIn("there is no column 71", self.read(made["id"], "?roles=%7B%22rssi%22:70,%22lost%22:2%7D")[1][-1]["error"])

    def test_telemetry_and_what_is_none(self):
        made = self.hand_in("flight.tlog", telemetry_log(flight(2, minutes=1)[0])).json()
        self.assertEqual(self.read(made["id"])[1][-1]["done"]["found"]["signal"], "rssi_percent")
        for name, data, said in (
            ("empty.csv", b"time_s,rssi_dbm,lost\n", "has 0 rows"),
            ("words.csv", b"time_s,rssi_dbm,lost\n1,weak,0\n", "row 2, column 2"),
            ("back.csv", b"time_s,rssi_dbm,lost\n" + b"2,-80,0\n1,-80,0\n" * 30, "time runs backwards"),
            ("no.tlog", b"\x00" * 4000, "no MAVLink message"),
        ):
            made = self.hand_in(name, data).json()
            self.assertIn(said, self.read(made["id"])[1][-1]["error"], name)
        self.assertIn("ends in .csv", self.hand_in("flight.bin", b"x").json()["detail"])

    def test_who_may_hand_in_and_read(self):
        made = self.hand_in("creek.csv", csv(flight(1, minutes=1)[0])).json()
        self.assertEqual([each["name"] for each in self.client.get(f"/api/crafts/{self.craft.id}/flights").json()], ["creek.csv"])
        self.assertEqual(self.client.get(f"/api/crafts/{self.craft.id}/recordings").json(), [], "a log is no recording of a line")
        self.client.force_login(get_user_model().objects.get(username="dipper"))
        other = f"{settings.SESSION_COOKIE_NAME}={self.client.cookies[settings.SESSION_COOKIE_NAME].value}"
        self.assertEqual((self.read(made["id"], cookie=other)[0], self.read(made["id"], cookie="")[0]), (404, 403))
        self.assertEqual(self.hand_in("more.csv", b"x").status_code, 404)

    def test_the_scenarios_logs_say_what_they_were_made_to_say(self):
        for name, (file, data) in logs().items():
            made = self.hand_in(file, data).json()
            found = self.read(made["id"])[1][-1]["done"]["found"]
            if name == "Avocet":
                self.assertAlmostEqual(found["begins_at"], LOSS_BEGINS_DBM, delta=0.5)
            else:
                self.assertEqual((found["losses"], found["only_a_bound"]), (0, True))

    def test_a_checker_proves_the_lost_link_and_flies_a_log(self):
        self.write_and_restart()
        Membership.objects.filter(user__username="teal").update(role="checker")
        with self.viewer("teal") as teal:
            teal.until("live", lambda message: message["board"]["link"] == "good")
            teal.say(type="look", hop="lost link")
            teal.say(type="hands", home=False, heading_deg=90, power_cut_db=20, silence_s=0.2, fly_out={"to_m": 100, "seconds": 5})
            teal.until("report", lambda report: bool((report["told"]["lost_link"] or {}).get("outing")))
            self.assertIn("you are a checker", teal.act("write", version=1)["text"])

    def test_a_flight_that_was_flown_on_the_bench_is_kept_as_a_log(self):
        with self.viewer() as wren:
            wren.until("report")
            self.assertEqual(wren.act("keep flight")["text"], "no flight was flown on the bench yet")
            wren.say(type="hands", fly_out={"to_m": 800, "seconds": 5})
            wren.say(type="look", hop="lost link")
            wren.until("report", lambda report: bool((report["told"]["lost_link"] or {}).get("outing") and report["told"]["lost_link"]["outing"]["done"]))
            answer = wren.act("keep flight")
        self.assertTrue(answer["ok"], answer)
        kept = Recording.objects.get(pk=answer["recording"])
        self.assertEqual((kept.name, kept.kind, kept.source), ("bench, out to 800 m.csv", "log", "stand-in"))
        self.assertGreater(self.read(str(kept.pk))[1][-1]["done"]["found"]["rows"], 300)
