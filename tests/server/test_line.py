"""Recordings over HTTP and taps over the WebSocket, in the real server process."""

from __future__ import annotations

import fcntl
import http.client
import itertools
import json
import os
import pty
import socket
import struct
import tempfile
import termios
import threading
import time
import tty
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import Client, SimpleTestCase, override_settings
from django.utils import timezone
from websockets.exceptions import InvalidStatus

import scenario
from linkcore.protocols import crsf, sbus
from server.captures import services
from server.captures.models import LOOSE_FOR, Recording
from server.captures.services import folder_of, reading_folder
from server.pieces import PIECE_BYTES
from server.tap.consumer import _Listener
from server.tap.lines import NotAllowed, checked, held_by, offer, offered, open_line, what_is_there, why_not
from server.tap.messages import OpenTap
from tests import live
from tests.crafts import sbus_craft
from tests.database import DatabaseTest
from tests.kits import every_receiver
from tests.server.base import make_craft, make_people
from tests.server.viewer import PATIENCE_S, viewing

CAPTURES = Path(__file__).resolve().parent.parent / "captures"
TIOCGEXCL = 0x80045440  # Linux: whether a terminal is held alone; Python has no name for it yet


class LineTest(DatabaseTest):
    def setUp(self):
        make_people()
        self.craft = make_craft(sbus_craft())
        self.client.force_login(get_user_model().objects.get(username="wren"))
        self.cookie = f"{settings.SESSION_COOKIE_NAME}={self.client.cookies[settings.SESSION_COOKIE_NAME].value}"

    def hand_in(self, name: str, data: bytes | None = None):
        data = (CAPTURES / name).read_bytes() if data is None else data
        return self.client.post(f"/api/crafts/{self.craft.id}/recordings", {"file": SimpleUploadedFile(name, data)})

    def get(self, path: str, cookie: str | None = None) -> tuple[int, bytes]:
        """From the real server, whose answers may come piece by piece."""
        connection = http.client.HTTPConnection(live.server().address.removeprefix("http://"), timeout=PATIENCE_S)
        connection.request("GET", path, headers={"Cookie": self.cookie if cookie is None else cookie})
        answer = connection.getresponse()
        return answer.status, answer.read()

    def read(self, recording_id: str, line: str = "") -> list[dict]:
        status, body = self.get(f"/api/recordings/{recording_id}/reading?line={line}")
        self.assertEqual(status, 200)
        return [json.loads(each) for each in body.splitlines()]

    @contextmanager
    def socket(self, path: str):
        with viewing(path, {"Cookie": self.cookie}) as viewer:
            yield viewer


class RecordingTest(LineTest):
    def test_a_recording_is_handed_in_read_and_laid_open(self):
        made = self.hand_in("crsf-damaged.vcd")
        self.assertEqual((made.status_code, made.json()["kept"], made.json()["heard_from"]), (201, False, "file"))
        news = self.read(made.json()["id"])
        self.assertTrue(all(before["progress"] <= after["progress"] for before, after in itertools.pairwise(news)))
        view = news[-1]["done"]
        known = json.loads((CAPTURES / "expected.json").read_text())["crsf-damaged.vcd"]
        self.assertEqual((view["protocol"], abs(view["frames"] - known["good_frames"]) <= 1), ("CRSF", True))  # cut out of a longer capture
        self.assertEqual((view["kinds"].count("g"), view["kinds"].count("b"), len(view["times"])), (view["frames"], view["bad_frames"], len(view["kinds"])))

        good = view["kinds"].index("g")
        frame = json.loads(self.get(f"/api/recordings/{made.json()['id']}/frames/{good}")[1])["frame"]
        self.assertEqual(frame["channels"], known["frames"][0]["channels"])
        self.assertTrue(all(field["ok"] for field in frame["fields"]))
        bad = json.loads(self.get(f"/api/recordings/{made.json()['id']}/frames/{view['kinds'].index('b')}")[1])["frame"]
        self.assertIn("reckoned", bad["fields"][-1]["means"])
        self.assertEqual(self.get(f"/api/recordings/{made.json()['id']}/frames/999999")[0], 404)

        t = frame["t"]
        window = json.loads(self.get(f"/api/recordings/{made.json()['id']}/window?start={t - 1e-4}&end={t + 3e-4}&port=true")[1])["window"]
        self.assertEqual([each["value"] for each in window["bytes"]], [each["value"] for each in frame["wire"]][: len(window["bytes"])])
        self.assertGreater(len(window["bytes"]), 8)
        self.assertNotEqual([each["value"] for each in window["port_bytes"]], [each["value"] for each in window["bytes"]])
        whole = json.loads(self.get(f"/api/recordings/{made.json()['id']}/window?start=0&end=2")[1])["window"]
        self.assertEqual((whole["toggles"], len(whole["busy"])), ([], 1200))
        self.assertEqual(self.get(f"/api/recordings/{made.json()['id']}/window?start=2&end=1")[0], 400)
        self.assertEqual(Recording.objects.get().what, "CRSF")

    def test_the_port_beside_a_recording_follows_the_draft(self):
        made = self.hand_in("crsf-damaged.vcd").json()

        def port() -> dict:
            return json.loads(self.get(f"/api/recordings/{made['id']}/port")[1])

        before = port()  # nobody has read it yet: that is done on demand
        self.assertEqual((before["version"], before["port"]["reads"], before["port"]["says"][:4]), (1, 0.0, "SBUS"))
        way = before["port"]["would_read"][0]
        self.assertEqual(way["changes"], ["protocol CRSF", "not inverted"])
        edits = [{"path": f"/settings/receiver_input/{name}", "value": value} for name, value in way["settings"].items()]
        saved = self.client.patch(f"/api/crafts/{self.craft.id}/draft", {"version": 1, "edits": edits}, content_type="application/json")
        self.assertEqual(saved.status_code, 200, saved.content)
        after = port()
        self.assertEqual((after["version"], after["port"]["says"][:4]), (2, "CRSF"))
        self.assertGreater(after["port"]["reads"], 0.8)
        broken = self.hand_in("a.vcd", b"junk").json()
        status, body = self.get(f"/api/recordings/{broken['id']}/port")
        self.assertEqual((status, "line 1" in json.loads(body)["detail"]), (422, True))

    def test_a_recording_is_told_of_by_itself_until_it_is_thrown_away(self):
        made = self.hand_in("sbus-sticks.bin").json()
        self.read(made["id"])
        told = self.client.get(f"/api/recordings/{made['id']}").json()
        self.assertEqual((told["name"], told["what"]), ("sbus-sticks.bin", "SBUS"))
        self.client.delete(f"/api/recordings/{made['id']}")
        for path in ("", "/frames/0", "/port", "/reading"):
            status, body = self.get(f"/api/recordings/{made['id']}{path}")
            self.assertEqual((status, "no such recording" in json.loads(body)["detail"]), (404, True), path)

    def test_two_who_read_one_recording_at_once_see_the_same(self):
        made = self.hand_in("dsmx-sticks.vcd").json()
        with ThreadPoolExecutor(3) as pool:
            views = list(pool.map(lambda _: self.read(made["id"])[-1]["done"], range(3)))
        self.assertEqual((views[0], views[1]), (views[1], views[2]))
        self.assertEqual((views[0]["protocol"], views[0]["bad_frames"]), ("DSMX", 0))

    def test_lines_formats_and_kinds(self):
        for name, line, protocol in (
            ("crsf-both-ways.vcd", "to_receiver", "CRSF"), ("pwm.vcd", "ch3", "PWM"), ("ppm-negative.vcd", "", "PPM"), ("sport.vcd", "", "S.Port"),
            ("sbus-sticks.csv", "", "SBUS"), ("ibus-sticks.bin", "", "IBUS"), ("gps.vcd", "", None), ("dead-low.vcd", "", None),
        ):  # fmt: skip
            with self.subTest(name):
                made = self.hand_in(name).json()
                view = self.read(made["id"], line)[-1]["done"]
                self.assertEqual((view["protocol"], view["line"] if line else ""), (protocol, line))
                if protocol:
                    status, body = self.get(f"/api/recordings/{made['id']}/frames/0?line={line}")
                    self.assertEqual(status, 200, body)
        self.assertEqual(view["what"], "nothing")

    def test_what_was_read_is_saved_in_every_open_format_and_reads_the_same(self):
        made = self.hand_in("sbus-damaged.vcd").json()
        self.assertEqual(self.get(f"/api/recordings/{made['id']}/frames/0")[0], 200, "read on demand, as on another machine")
        before = self.read(made["id"])[-1]["done"]
        self.assertEqual(self.get(f"/api/recordings/{made['id']}/file.vcd")[1], (CAPTURES / "sbus-damaged.vcd").read_bytes())
        table = self.get(f"/api/recordings/{made['id']}/file.csv")[1]
        again = self.read(self.hand_in("again.csv", table).json()["id"])[-1]["done"]
        for name in ("kinds", "protocol", "frames", "bad_frames", "bytes", "parity_errors"):
            self.assertEqual(again[name], before[name], name)
        raw = self.get(f"/api/recordings/{made['id']}/file.bin")[1]
        self.assertEqual(len(raw), before["bytes"])
        pulses = self.hand_in("pwm.vcd").json()
        self.read(pulses["id"])
        status, body = self.get(f"/api/recordings/{pulses['id']}/file.bin")
        self.assertEqual((status, "pulses are saved" in json.loads(body)["detail"]), (422, True))

    def test_files_that_are_not_what_they_say_are_refused_in_words(self):
        head = b"$timescale 1 us $end\n$var wire 1 ! a $end\n$enddefinitions $end\n"
        for name, data, said in (
            ("a.vcd", b"junk", "a.vcd: line 1: not a value change dump"),
            ("a.vcd", (CAPTURES / "gps.vcd").read_bytes()[:50], "header"),
            ("a.vcd", head.replace(b"1 us", b"7 us"), "timescale"),
            ("a.vcd", head + b"#5\n1!\n#3\n0!\n", "line 6: '#3' lies before"),
            ("a.vcd", head + b"#" + b"9" * 40 + b"\n1!\n", "is no time that a capture can have"),
            ("a.vcd", head + b"#1\n1!" + b"x" * (1 << 21), "over 1 MB without white space"),
            ("a.vcd", head.replace(b"wire 1", b"wire 8"), "no signal one bit wide"),
            ("a.csv", b"time_s,level\n1,0\n0,1\n", "line 3: times run backwards"),
            ("a.csv", b"x" * (1 << 21), "over 1 MB without a line end"),
        ):
            with self.subTest(said):
                made = self.hand_in(name, data).json()
                news = self.read(made["id"])
                self.assertIn(said, news[-1]["error"])
        mixed = head + b"$dumpvars x! $end\n#1\nz!\n#2\n1!\nb1010 !\n#3\n0!\n#9\n1!\n"
        self.assertIn("levels x and z", " ".join(self.read(self.hand_in("m.vcd", mixed).json()["id"])[-1]["done"]["notes"]))
        refused = self.hand_in("a.txt", b"junk")
        self.assertEqual((refused.status_code, "ending" in refused.json()["detail"]), (422, True))
        self.assertEqual(self.hand_in("empty.bin", b"").status_code, 400)

    def test_lent_recordings_go_and_kept_ones_stay_with_the_craft(self):
        big = bytes(range(256)) * (PIECE_BYTES // 256) * 2 + b"end"
        made = self.hand_in("big.bin", big).json()
        self.assertEqual((made["size"], Recording.objects.get().parts.count()), (len(big), 3))
        self.assertEqual(b"".join(Recording.objects.get().pieces()), big)
        kept = self.client.patch(f"/api/recordings/{made['id']}", {"kept": True, "name": "the good one"}, content_type="application/json").json()
        self.assertEqual((kept["kept"], kept["name"]), (True, "the good one"))
        lent = self.hand_in("lent.bin", b"abc").json()
        Recording.objects.update(made_at=timezone.now() - 2 * LOOSE_FOR)
        self.hand_in("next.bin", b"abc")
        names = [each["name"] for each in self.client.get(f"/api/crafts/{self.craft.id}/recordings").json()]
        self.assertEqual(sorted(names), ["next.bin", "the good one"])
        self.assertEqual(self.client.delete(f"/api/recordings/{lent['id']}").status_code, 404)
        self.assertEqual(self.client.delete(f"/api/recordings/{made['id']}").status_code, 204)

    def test_another_workshop_sees_nothing(self):
        made = self.hand_in("sbus-sticks.bin").json()
        stranger = Client()
        stranger.force_login(get_user_model().objects.get(username="dipper"))
        for path in ("", "/frames/0", "/window?start=0&end=1", "/file.bin"):
            call = stranger.patch if path == "" else stranger.get
            self.assertEqual(call(f"/api/recordings/{made['id']}{path}", content_type="application/json").status_code, 404, path)
        self.assertEqual(stranger.get(f"/api/crafts/{self.craft.id}/recordings").status_code, 404)
        cookie = f"{settings.SESSION_COOKIE_NAME}={stranger.cookies[settings.SESSION_COOKIE_NAME].value}"
        self.assertEqual(self.get(f"/api/recordings/{made['id']}/reading", cookie)[0], 404)
        self.assertEqual(self.get(f"/api/recordings/{made['id']}/reading", "")[0], 403)

    def test_the_last_seconds_of_the_tapped_wire_become_a_recording(self):
        craft = make_craft(scenario.curlew(), "Heard")
        with self.socket(f"{craft.id}/bench") as viewer:
            viewer.say(type="hands", tap="S.Port")
            viewer.until("report", lambda report: report["told"]["line"]["protocol"] == "S.Port")
            answer = viewer.act("keep line")
        self.assertTrue(answer["ok"], answer)
        view = self.read(answer["recording"])[-1]["done"]
        self.assertEqual((view["protocol"], view["bad_frames"], view["is_receiver"]), ("S.Port", 0, False))
        self.assertGreater(view["counts"]["p"], 20)


class EveryReceiverTest(LineTest):
    def test_each_receiver_of_the_catalogue_reads_true(self):
        for name, document in every_receiver():
            craft = make_craft(document, name.replace(" ", "-")[:40])
            with self.subTest(name), self.socket(f"{craft.id}/bench") as viewer:
                viewer.until("report")
                viewer.done("write", version=1)
                viewer.done("read back")
                viewer.act("restart")
                report = viewer.until("report", lambda report: report["told"]["line"]["port_good_share"] == 1.0 and report["told"]["line"]["protocol"])
                self.assertEqual(report["told"]["line"]["protocol"], document.settings.receiver_input.protocol)
                viewer.until("live", lambda message: message["board"]["link"] == "good")


class TapTest(LineTest):
    @contextmanager
    def tap(self):
        with self.socket(f"{self.craft.id}/tap") as viewer:
            yield viewer

    @staticmethod
    @contextmanager
    def sender(write, data: bytes):
        """Somebody who keeps sending, as a receiver does."""
        ended = threading.Event()

        def run():
            while not ended.is_set():
                with suppress(OSError):
                    write(data)
                ended.wait(0.01)

        thread = threading.Thread(target=run, daemon=True)
        thread.start()
        try:
            yield
        finally:
            ended.set()
            thread.join(2)

    def test_a_pty_is_heard_and_kept(self):
        master, slave = pty.openpty()
        tty.setraw(slave)
        os.set_blocking(master, False)
        address = os.ttyname(slave)
        self.addCleanup(offer(address, "a line").unlink)
        frame = crsf.encode_channels([992, 192] * 8)
        with self.sender(lambda data: os.write(master, data), frame * 3), self.tap() as viewer:
            viewer.until("tap")
            viewer.say(type="open", address=address, baud=420000)
            state = viewer.until("tap", lambda state: state["protocol"] == "CRSF" and state["marks"])
            self.assertEqual((state["state"], state["channels"]["1"], state["channels"]["2"]), ("listening", 1500.0, 1000.0))
            viewer.say(type="keep")
            kept = viewer.until("tap", lambda state: state["recording"])["recording"]
            viewer.say(type="close")
            viewer.until("tap", lambda state: state["state"] == "closed")
        view = self.read(kept)[-1]["done"]
        self.assertEqual((view["protocol"], view["timed"], view["bad_frames"]), ("CRSF", False, 0))
        opened = json.loads(self.get(f"/api/recordings/{kept}/frames/1")[1])["frame"]
        self.assertEqual((opened["t"], opened["inner"], opened["fields"][-1]["ok"]), (None, list(frame), True))
        os.close(master)
        os.close(slave)

    def test_a_second_window_is_told_who_listens(self):
        master, slave = pty.openpty()
        tty.setraw(slave)
        address = os.ttyname(slave)
        self.addCleanup(offer(address, "a line").unlink)
        with self.tap() as first, self.tap() as second:
            first.say(type="open", address=address, baud=115200)
            first.until("tap", lambda state: state["state"] == "listening")
            second.say(type="open", address=address, baud=115200)
            refused = second.until("tap", lambda state: state["state"] == "refused")
            self.assertIn(f"wren listens to {address} in another window", refused["text"])
            first.say(type="close")
            first.until("tap", lambda state: state["state"] == "closed")
            second.say(type="open", address=address, baud=115200)
            second.until("tap", lambda state: state["state"] == "listening")
        os.close(master)
        os.close(slave)

    def test_a_line_that_goes_away_is_taken_up_again_when_it_is_back_and_nothing_is_ever_sent(self):
        server = socket.create_server(("127.0.0.1", 0))
        port = server.getsockname()[1]
        got = b""
        with self.tap() as viewer:
            viewer.say(type="open", address=f"socket://localhost:{port}", baud=100000, parity="even", stop_bits=2)
            first, _ = server.accept()
            with self.sender(first.sendall, sbus.encode([992] * 16)):
                viewer.until("tap", lambda state: state["protocol"] == "SBUS")
            first.setblocking(False)
            with suppress(BlockingIOError):
                got += first.recv(100)
            first.close()
            server.close()
            gone = viewer.until("tap", lambda state: state["state"] == "gone")
            self.assertIn("Waiting for it to come back", gone["text"])
            again = socket.create_server(("127.0.0.1", port))
            second, _ = again.accept()
            with self.sender(second.sendall, sbus.encode([992] * 16)):
                state = viewer.until("tap", lambda state: state["state"] == "listening" and state["bytes_per_s"] > 0)
            self.assertEqual(state["text"], "It is back.")
            second.close()
            again.close()
        self.assertEqual(got, b"", "a tap never sends")

    def test_what_may_not_be_opened_and_what_cannot(self):
        with self.tap() as viewer:
            for address, said in (
                ("socket://192.0.2.7:4000", "another machine"), ("/etc/passwd", "no serial device"), ("socket://localhost", "only socket://HOST:PORT"),
                ("http://127.0.0.1:80", "only socket://HOST:PORT"), ("/dev/ttyUSB77", "is not there"), ("spy:///dev/ttyUSB0", "only socket"),
            ):  # fmt: skip
                viewer.say(type="open", address=address, baud=115200)
                state = viewer.until("tap", lambda state, said=said: state["state"] == "refused" and said in state["text"])
                self.assertEqual(state["bytes"], 0)
            viewer.say(type="dance")
            viewer.until("tap", lambda state: "not understood" in state["text"])

    def test_the_usual_settings_are_tried_and_the_best_stays(self):
        server = socket.create_server(("127.0.0.1", 0))
        with self.tap() as viewer:
            viewer.say(type="open", address=f"socket://127.0.0.1:{server.getsockname()[1]}", baud=9600)

            def serve():
                while True:
                    try:
                        taken, _ = server.accept()
                    except OSError:
                        return
                    threading.Thread(target=feed, args=(taken,), daemon=True).start()

            def feed(taken):
                try:
                    while True:
                        taken.sendall(sbus.encode([992] * 16) * 4)
                        time.sleep(0.02)
                except OSError:
                    pass

            threading.Thread(target=serve, daemon=True).start()
            viewer.until("tap", lambda state: state["protocol"] == "SBUS")
            viewer.say(type="try settings")
            viewer.until("tap", lambda state: state["state"] == "trying settings")
            done = viewer.until("tap", lambda state: state["state"] == "listening" and len(state["trials"]) == 5)
            self.assertEqual(done["trials"][0]["what"], "SBUS")  # a socket has no baud: every setting hears the same
        server.close()

    def test_made_up_lines_of_a_file_of_bytes_are_all_the_same_one(self):
        made = self.hand_in("crsf-sticks.bin").json()["id"]
        recording = Recording.objects.get(pk=made)
        self.assertEqual({reading_folder(recording, line).name for line in ("", "a", "../b", "x" * 5000)}, {reading_folder(recording, "").name})
        for line in ("a", "b", "c"):
            self.assertEqual(self.client.get(f"/api/recordings/{made}/frames/0", {"line": line}).status_code, 200)
        folders = [each for each in folder_of(recording).iterdir() if each.is_dir()]
        self.assertEqual(len(folders), 1)

    def test_reading_without_a_word_is_done_once_and_a_crowd_is_sent_away(self):
        made = self.hand_in("crsf-sticks.bin").json()["id"]
        recording = Recording.objects.get(pk=made)
        hold, runs = threading.Event(), []
        with patch.object(services, "_read_into", side_effect=lambda *_: (runs.append(1), hold.wait(20))), ThreadPoolExecutor(4) as crowd:
            waiting = [crowd.submit(services.read_now, recording, "") for _ in range(4)]
            while services._now_waiting._value or not runs:
                threading.Event().wait(0.005)
            answer = self.client.get(f"/api/recordings/{made}/frames/0")
            self.assertEqual((answer.status_code, len(runs)), (503, 1))
            hold.set()
            for each in waiting:
                each.result(20)

    def test_strangers_are_shut_out(self):
        stranger = Client()
        stranger.force_login(get_user_model().objects.get(username="dipper"))
        self.cookie = f"{settings.SESSION_COOKIE_NAME}={stranger.cookies[settings.SESSION_COOKIE_NAME].value}"
        with self.assertRaises(InvalidStatus), self.tap():
            pass

    def test_a_craft_offers_its_line(self):
        make_craft(scenario.curlew(), "Offered")
        make_craft(scenario.coot(), "Pulses")
        heard = []
        listening = threading.Event()

        def listen():
            while not (there := [each for each in offered() if "Offered" in each.about]):
                listening.wait(0.02)
            line = open_line(there[0].address, 100_000, "even", 2)
            while len(heard) < 40:
                heard.append(line.read(100))
            line.close()

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()
        call_command("offer_line", craft="Offered", seconds=6.0, stdout=open(os.devnull, "w"))  # noqa: SIM115
        thread.join(10)
        decoder = sbus.SbusDecoder()
        frames = decoder.feed(b"".join(heard))
        self.assertGreater(len(frames), 20)
        self.assertFalse([each for each in offered() if "Offered" in each.about])
        for name, said in (("Pulses", "made of pulses"), ("Nobody", "0 crafts are called Nobody")):
            with self.assertRaisesMessage(CommandError, said):
                call_command("offer_line", craft=name, seconds=0.1)


class HeldUpTest(SimpleTestCase):
    def test_a_reading_that_comes_late_is_known_as_late_and_one_of_a_quiet_line_is_not(self):
        now = 0.0
        listener = _Listener(OpenTap(address="/dev/ttyUSB0", baud=115_200), "/dev/ttyUSB0", lambda: now)

        class Line:
            in_waiting = 9

            def read(self, _):
                nonlocal now
                passed_s, data = readings.pop(0)
                now += passed_s
                return data

        listener._line = Line()
        for readings, late in (([(0.05, b""), (0.05, b""), (0.04, b"abc")], None), ([(0.9, b"def")], (1.04, 0.85)), ([(0.01, b"g")], (1.04, 0.85))):
            while readings:
                listener._read()
            self.assertEqual(listener.heard.late and tuple(round(each, 2) for each in listener.heard.late), late)
        self.assertEqual((listener.heard.everything(), listener.heard.bytes_per_s(now)), ([b"abc", b"def", b"g"], 1))


class AllowedTest(SimpleTestCase):
    def setUp(self):
        own = tempfile.TemporaryDirectory(prefix="bell-offers-")
        self.addCleanup(own.cleanup)
        self.enterContext(override_settings(VAR=Path(own.name)))

    def test_what_the_operator_allows(self):
        self.assertEqual(checked("socket://[::1]:4000"), "socket://[::1]:4000")
        self.assertEqual(checked(" rfc2217://127.0.0.1:4000 "), "rfc2217://127.0.0.1:4000")
        for address in ("socket://localhost.example:1", "socket://127.0.0.1:99999", "/dev/null", "/dev/tty", "/dev/tty1", "/dev/../etc/passwd", "loop://"):
            with self.assertRaises(NotAllowed):
                checked(address)
        with override_settings(TAP_ALLOWS=set()), self.assertRaisesMessage(NotAllowed, "switched taps off"):
            checked("/dev/ttyUSB0")
        with override_settings(TAP_ALLOWS={"socket://192.0.2.7:4000"}):
            self.assertEqual(checked("socket://192.0.2.7:4000"), "socket://192.0.2.7:4000")
            self.assertEqual([each.address for each in what_is_there()], ["socket://192.0.2.7:4000"])
            with self.assertRaises(NotAllowed):
                checked("/dev/ttyUSB0")

    def test_why_a_line_cannot_be_opened_is_told_apart(self):
        master, slave = pty.openpty()
        address = os.ttyname(slave)
        self.assertIn("only charges", why_not("/dev/ttyUSB77", OSError(2, "No such file")))
        self.assertIn("dialout", why_not(address, PermissionError(13, "Permission denied")))
        self.assertIn("held by another program", why_not(address, OSError(16, "Device or resource busy")))
        self.assertIn("does not answer", why_not("socket://127.0.0.1:1", OSError(111, "refused")))
        first = open_line(address, 115_200, "none", 1)
        with self.assertRaisesMessage(ValueError, "one program has a serial port at a time"):
            open_line(address, 115_200, "none", 1)
        first.close()
        self.assertEqual(held_by(address), [])  # this process does not count
        os.close(master)
        os.close(slave)

    def test_a_terminal_that_nobody_offers_is_left_alone(self):
        master, slave = pty.openpty()
        address = os.ttyname(slave)
        with self.assertRaisesMessage(NotAllowed, "nobody offers a line on it"):
            checked(address)
        note = offer(address, "a line")
        self.assertEqual(checked(address), address)
        note.unlink()
        os.close(master)
        os.close(slave)

    def test_a_device_is_asked_for_alone_and_left_as_it_was_found(self):
        master, slave = pty.openpty()
        before = termios.tcgetattr(slave)
        line = open_line(os.ttyname(slave), 9600, "even", 2)
        self.assertNotEqual(termios.tcgetattr(slave), before)
        self.assertEqual(struct.unpack("i", fcntl.ioctl(slave, TIOCGEXCL, bytes(4)))[0], 1)
        line.close()
        self.assertEqual(termios.tcgetattr(slave), before)
        self.assertEqual(struct.unpack("i", fcntl.ioctl(slave, TIOCGEXCL, bytes(4)))[0], 0)
        os.close(master)
        os.close(slave)

    def test_who_looks_while_an_offer_is_written_leaves_it_alone(self):
        ended = threading.Event()

        def look():
            while not ended.is_set():
                offered()

        thread = threading.Thread(target=look)
        thread.start()
        try:
            for number in range(300):
                note = offer(f"/dev/pts/{number}", "a line")
                self.assertTrue(note.exists())
        finally:
            ended.set()
            thread.join()
        self.assertEqual([each.address for each in offered()], ["/dev/pts/299"])
        note.unlink()

    def test_offers_of_the_dead_are_cleared_away(self):
        note = offer("/dev/pts/99", "a line")
        self.assertIn("/dev/pts/99", [each.address for each in what_is_there()])
        dead = note.with_name("999999999.json")
        note.rename(dead)
        self.assertEqual(offered(), [])
        self.assertFalse(dead.exists())
