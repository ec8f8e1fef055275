"""The downlink in the real server process: whose hands look for sensors, what is kept, what a draft changes, and what is refused."""

from __future__ import annotations

import time

from django.test import Client
from django.utils import timezone

import scenario
from linkcore.craft.document import MOST_ALARMS
from server.bench.models import BenchRecord
from server.crafts.models import Craft, Revision
from server.workshops.models import Membership
from tests.database import DatabaseTest
from tests.server.base import PASSWORD, make_craft, make_people
from tests.server.viewer import PATIENCE_S, OnTheSocket

ENOUGH = 5  # of twelve values on one id, of which each comes after some seconds


def listed(report, *, come=0):
    """The sensors that have come, where enough of them have."""
    told = report["told"].get("downlink")
    rows = [row["sensor"] for row in told["sensors"] if row["age_s"] is not None] if told else []
    return rows if len(rows) >= come else []


class DownlinkSocketTest(OnTheSocket):
    def setUp(self):
        super().setUp()
        self.craft = make_craft(scenario.curlew(), "Curlew by the sea")

    def looking(self, viewer, *, come=ENOUGH):
        viewer.say(type="look", hop="downlink")
        viewer.say(type="hands", looking=True)
        return viewer.until("report", lambda report: listed(report, come=come))

    def test_two_browsers_see_one_list_and_what_one_takes_out_is_gone_for_both(self):
        self.write_and_restart()
        with self.viewer("wren") as wren, self.viewer("teal") as teal:
            self.looking(wren)
            teal.say(type="look", hop="downlink")
            seen = teal.until("report", lambda report: "ESC temperature" in listed(report))
            key = next(row["key"] for row in seen["told"]["downlink"]["sensors"] if row["sensor"] == "ESC temperature")
            teal.say(type="hands", looking=False, forget_sensor=key)
            gone = teal.until("report", lambda report: report["told"].get("downlink") and "ESC temperature" not in listed(report))["t"]
            # wren has not read what came before that yet, and it does not count
            wren.until("report", lambda report: report["t"] >= gone and report["told"].get("downlink") and "ESC temperature" not in listed(report))
            teal.say(type="hands", looking=True)
            back = wren.until("report", lambda report: "ESC temperature" in listed(report))["t"]
            wren.say(type="hands", looking=False, forget_sensor="")
            teal.until("report", lambda report: report["t"] > back and report["told"].get("downlink") and not listed(report))

    def test_a_reader_looks_on_and_a_checker_looks_for_them(self):
        self.write_and_restart()
        teal = Membership.objects.filter(user__username="teal")
        teal.update(role="reader")
        with self.viewer("teal") as viewer:
            for hands in ({"looking": True}, {"forget_sensor": ""}, {"pack_left_percent": 5}, {"silence_s": 3}):
                viewer.say(type="hands", **hands)
                self.assertIn("you are a reader", viewer.until("trouble")["text"])
        teal.update(role="checker")
        with self.viewer("teal") as viewer:
            self.assertTrue(listed(self.looking(viewer)))

    def test_hands_out_of_their_bounds_are_refused_whole(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            viewer.say(type="look", hop="downlink")
            for wrong in (
                {"forget_sensor": "x" * 91},
                {"pack_left_percent": -1},
                {"pack_left_percent": 101},
                {"silence_s": 0},
                {"silence_s": 3600},
                {"looking": "perhaps"},
            ):
                viewer.say(type="hands", transmitter_on=False, **wrong)
                self.assertIn(next(iter(wrong)), viewer.until("trouble")["text"])
                self.assertTrue(viewer.until("live")["transmitter_on"], "nothing of a message that is refused is done")

    def test_the_list_is_kept_when_the_bench_ends_and_its_values_are_not(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            self.looking(viewer)
            viewer.say(type="hands", looking=False)
            viewer.say(type="hands", transmitter_on=False)
            until = time.monotonic() + PATIENCE_S
            while (kept := BenchRecord.objects.get(craft=self.craft).read()).transmitter_on and time.monotonic() < until:
                viewer.until("live")
        self.assertGreaterEqual(len(kept.sensors), ENOUGH)
        BenchRecord.objects.update(
            holder="another", channel="gone", held_until=timezone.now()
        )  # the first bench finds its lease gone and stops; a new one starts from what was kept
        with self.viewer() as viewer:
            viewer.say(type="look", hop="downlink")
            fresh = viewer.until("report", lambda report: report["told"].get("downlink") and not listed(report))["told"]["downlink"]
            self.assertEqual(fresh["come"], 0, "with the transmitter off nothing has come since")
            self.assertGreaterEqual(sum(bool(row["key"]) for row in fresh["sensors"]), ENOUGH)

    def test_only_what_the_board_runs_speaks(self):
        self.write_and_restart()
        client = Client()
        client.login(username="wren", password=PASSWORD)
        with self.viewer() as viewer:
            self.looking(viewer)
            edits = [{"path": "/settings/telemetry/on", "value": False}]
            version = Craft.objects.get(pk=self.craft.pk).version
            saved = client.patch(f"/api/crafts/{self.craft.pk}/draft", {"version": version, "edits": edits}, content_type="application/json")
            self.assertEqual(saved.status_code, 200)
            viewer.until("report", lambda report: report["differences"] and listed(report, come=ENOUGH))  # the draft alone silences nobody
            viewer.done("write", version=version + 1)
            viewer.done("restart")
            told = viewer.until("report", lambda report: (report["told"].get("downlink") or {}).get("stopped") and report["told"]["downlink"]["come"])
            come = [row["sensor"] for row in told["told"]["downlink"]["sensors"] if row["comes"]]
            self.assertEqual((told["told"]["downlink"]["stopped"]["code"], come), ("switched off", ["RSSI"]), "of all only what the receiver tells by itself")


class DownlinkDraftTest(DatabaseTest):
    def setUp(self):
        make_people()
        self.craft = make_craft(scenario.curlew())
        self.client.login(username="wren", password=PASSWORD)

    def put(self, **change):
        return self.client.put(f"/api/crafts/{self.craft.pk}/draft", {"version": 1, "document": self.craft.document | change}, content_type="application/json")

    def test_alarms_and_sensors_that_nobody_knows_are_refused_with_their_place(self):
        good = {"notice": "pack low", "sensor": "voltage", "limit": 14.0, "told": ["spoken"]}
        settings = self.craft.document["settings"]
        for change, said in (
            ({"alarms": [good, good | {"sensor": "smell"}]}, "alarms/1/sensor"),
            ({"alarms": [good | {"notice": "rain"}]}, "alarms/0/notice"),
            ({"alarms": [good | {"told": ["whistled"]}]}, "alarms/0/told"),
            ({"alarms": [good | {"limit": 1e9}]}, "alarms/0/limit"),
            ({"alarms": [good | {"delay_s": -1}]}, "alarms/0/delay_s"),
            ({"alarms": [good | {"repeat_s": 1e6}]}, "alarms/0/repeat_s"),
            ({"alarms": [good] * (MOST_ALARMS + 1)}, "alarms"),
            ({"settings": settings | {"telemetry": {"off": ["smell"]}}}, "settings/telemetry/off/0"),
            ({"settings": settings | {"screen": {"elements": [{"element": "smell", "row": 1, "column": 1}]}}}, "settings/screen/elements/0/element"),
            ({"settings": settings | {"screen": {"elements": [{"element": "height", "row": 0, "column": 1}]}}}, "settings/screen/elements/0/row"),
            ({"settings": settings | {"screen": {"elements": [{"element": "height", "row": 1, "column": 1}] * 99}}}, "settings/screen/elements"),
            ({"kit": self.craft.document["kit"] | {"devices": [{"name": "camera", "part": "stilt-c", "format": "cinema"}]}}, "kit/devices/0/format"),
            ({"settings": settings | {"port_baud": {"U4": 12_345_678}}}, "settings/port_baud/U4"),
        ):
            answer = self.put(**change)
            self.assertEqual(answer.status_code, 422, (change, answer.content))
            self.assertIn(said, answer.json()["detail"])
        self.assertEqual((Craft.objects.get().version, Revision.objects.count(), Craft.objects.get().document), (1, 1, self.craft.document))

    def test_a_craft_from_before_has_none_and_opens(self):
        old = {key: value for key, value in self.craft.document.items() if key not in ("alarms", "alarm", "place")}
        old["settings"] = {key: value for key, value in old["settings"].items() if key not in ("telemetry", "port_baud")}
        Craft.objects.filter(pk=self.craft.pk).update(document=old)
        opened = self.client.get(f"/api/crafts/{self.craft.pk}").json()["document"]
        self.assertEqual((opened.get("alarms", []), opened["settings"].get("telemetry", {}).get("off", [])), ([], []))
