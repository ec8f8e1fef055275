"""More than one server process, one MariaDB, one Redis: a bench runs in one of them, and both see it."""

from __future__ import annotations

import os
import subprocess
import tempfile
import time
import urllib.request
from contextlib import ExitStack, contextmanager, suppress
from datetime import timedelta
from typing import ClassVar

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import Client
from django.utils import timezone
from websockets.exceptions import WebSocketException
from websockets.sync.client import connect

from launcher.mariadb import die_with_parent, free_port
from launcher.server_command import server_command
from linkcore.devices.flash_job import RUNNING
from server.bench.models import BenchRecord
from server.proofs.models import ProofRecord
from server.shelf.models import FlashRecord
from tests.crafts import crsf_craft
from tests.database import DatabaseTest
from tests.server.base import make_craft, make_people
from tests.server.shelf import shelve
from tests.server.viewer import PATIENCE_S, Viewer


class Process:
    """One server process of several."""

    def __init__(self, redis: int, **more: str):
        self.port = free_port()
        environment = {
            **os.environ,
            "COINBELL_DB_NAME": connection.settings_dict["NAME"],
            "DJANGO_SETTINGS_MODULE": "tests.settings",
            "COINBELL_TEST_CLOCK": "server.running.clock.RealClock",
            "COINBELL_REDIS_URL": f"redis://127.0.0.1:{redis}/0",
            **more,
        }
        self._process = subprocess.Popen(server_command("--port", str(self.port)), env=environment, cwd=settings.ROOT, preexec_fn=die_with_parent)
        self.wait_for(f"http://127.0.0.1:{self.port}/api/session")

    def wait_for(self, address: str) -> None:
        until = time.monotonic() + 60
        while True:
            try:
                urllib.request.urlopen(address, timeout=10).read()
                return
            except OSError:
                if time.monotonic() > until:
                    raise

    @contextmanager
    def viewer(self, craft, name: str):
        client = Client()
        client.force_login(get_user_model().objects.get(username=name))
        cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"
        address = f"ws://127.0.0.1:{self.port}/ws/crafts/{craft.id}/bench"
        with connect(address, additional_headers={"Cookie": cookie}, origin=f"http://127.0.0.1:{self.port}", max_size=None, max_queue=None) as opened:
            yield Viewer(opened)

    def kill(self) -> None:
        self._process.kill()
        self._process.wait()


class _TwoProcesses(DatabaseTest):
    more: ClassVar[dict[str, str]] = {}

    def setUp(self):
        make_people()
        self.craft = make_craft(crsf_craft())
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.redis_port = port = free_port()
        self.start_redis()
        self.addCleanup(lambda: (self.redis.terminate(), self.redis.wait()))
        self.one, self.two = Process(port, **self.more), Process(port, **self.more)
        self.addCleanup(self.one.kill)
        self.addCleanup(self.two.kill)

    def start_redis(self):
        self.redis = subprocess.Popen(
            ["redis-server", "--port", str(self.redis_port), "--bind", "127.0.0.1", "--save", "", "--appendonly", "no", "--dir", self.folder.name],
            stdout=subprocess.DEVNULL,
            preexec_fn=die_with_parent,
        )


class RoomElsewhereTest(_TwoProcesses):
    more: ClassVar = {"COINBELL_MOST_BENCHES": "1"}

    def test_a_bench_for_which_there_is_no_room_here_is_set_up_where_there_is(self):
        others = [make_craft(crsf_craft(), name) for name in ("Second", "Third")]
        with self.one.viewer(self.craft, "wren") as first:
            first.until("live")
            with self.one.viewer(others[0], "wren") as second:
                second.until("live")
                second.done("read back")
                self.assertEqual(BenchRecord.objects.exclude(holder="").values("holder").distinct().count(), 2)
                with self.one.viewer(others[1], "wren") as third:
                    self.assertIn("is set up as soon as there is room", third.until("waiting")["why"])


class SeveralProcessesTest(_TwoProcesses):
    def test_both_see_one_bench_and_the_second_takes_over_when_the_first_dies(self):
        with self.two.viewer(self.craft, "teal") as teal:
            with self.one.viewer(self.craft, "wren") as wren:
                wren.until("report")
                teal.until("report")
                self.assertEqual(BenchRecord.objects.exclude(holder="").count(), 1)
                teal.done("write", version=1)
                wren.done("read back")
                teal.done("restart")
                wren.until("live", lambda message: message["board"]["link"] == "good")
                wren.say(type="hands", right={"x": 1, "y": 0})
                teal.until("live", lambda message: (message["board"]["axes"]["roll"] or 0) > 1990)
                teal.until("report", lambda report: report["chain"][1]["coin"] == "rings true")
                self.assertEqual(ProofRecord.objects.filter(craft=self.craft, hop="line").count(), 1, "one bench, one proof")
            holder = BenchRecord.objects.get(craft=self.craft).holder
            # teal came first, so process two holds the bench: end it, and look from process one
            self.two.kill()
        BenchRecord.objects.filter(craft=self.craft).update(held_until=timezone.now() + timedelta(hours=1))  # the lease alone would keep everybody out
        with self.one.viewer(self.craft, "wren") as wren:
            taken_over = wren.until("live", lambda message: message["board"]["link"] == "good")
            self.assertEqual(taken_over["board"]["port"], "U6", "what was written is still on the board")
            self.assertNotEqual(BenchRecord.objects.get(craft=self.craft).holder, holder, "the database can tell that its holder is dead")

    def test_what_is_said_from_another_process_arrives_while_browsers_come_and_go(self):
        with self.two.viewer(self.craft, "teal") as teal:
            teal.until("live")
            with self.one.viewer(self.craft, "wren") as wren:
                wren.until("live")
                for index in range(12):
                    place = round(index / 12 - 0.5, 3)
                    with ExitStack() as passers:
                        for _ in range(3):
                            passers.enter_context(self.two.viewer(self.craft, "teal")).until("live")
                        wren.say(type="hands", right={"x": place, "y": 0})
                    wren.until("live", lambda message, place=place: message["right"]["x"] == place)
                    if index % 8 == 0:
                        wren.done("read back")

    def test_who_watches_sees_the_bench_go_on_when_its_holder_dies_and_when_redis_comes_back(self):
        with self.two.viewer(self.craft, "teal") as teal:
            teal.until("live")
            with self.one.viewer(self.craft, "wren") as wren:
                wren.until("live")
                self.two.kill()
                ended = time.monotonic()
                wren.say(type="act", act="read back", request="in the gap")
                while time.monotonic() - ended < 3:
                    wren.until("live")
                answer = wren.until("answer")
                self.assertTrue(answer["ok"] or "in time" in answer["text"], answer)
                self.redis.kill()
                self.redis.wait()
                self.start_redis()
                back = time.monotonic()
        while True:
            with suppress(WebSocketException, OSError), self.one.viewer(self.craft, "wren") as wren:
                wren.until("live")
                wren.done("read back")
                break
            self.assertLess(time.monotonic() - back, PATIENCE_S)

    def test_a_killed_process_leaves_an_interrupted_job_and_a_device_that_can_be_flashed_again(self):
        image = shelve(self.craft, "wisp-900-6.1.0-868.hex")
        with self.two.viewer(self.craft, "teal") as teal:
            teal.until("report")
            teal.say(type="hands", adapter_plugged=True)
            teal.until("report", lambda report: report["told"]["load"]["adapter_plugged"])
            teal.done("flash", flash={"role": "receiver", "image": image, "way": "adapter"})
            teal.until("live", lambda message: message["jobs"] and message["jobs"][0]["percent"] > 20)
            self.assertEqual(FlashRecord.objects.get().state, "writing")
            self.eventually(lambda: BenchRecord.objects.get(craft=self.craft).read().devices["receiver"].installed.facts is None)
            self.two.kill()
        with self.one.viewer(self.craft, "wren") as wren:
            report = wren.until("report")
            self.assertEqual(next(each for each in report["told"]["load"]["devices"] if each["role"] == "receiver")["in_bootloader"], True)
            record = FlashRecord.objects.get()
            self.assertEqual(record.state, "interrupted")
            self.assertIn("bootloader", record.read().recover[0])
            self.assertIsNotNone(record.ended_at)
            wren.done("flash", flash={"role": "receiver", "image": image, "way": "adapter"})
            done = wren.until("live", lambda message: message["jobs"] and message["jobs"][0]["state"] not in RUNNING)
            self.assertEqual(done["jobs"][0]["state"], "done")
        self.eventually(lambda: sorted(FlashRecord.objects.values_list("state", flat=True)) == ["done", "interrupted"])

    def eventually(self, true):
        until = time.monotonic() + 20
        while not true():
            self.assertLess(time.monotonic(), until)
            time.sleep(0.05)
