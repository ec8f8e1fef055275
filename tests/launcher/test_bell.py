"""The one command, from outside: what it starts, what it says, and that it leaves nothing behind."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import time
import urllib.error
import urllib.request
from http.cookiejar import CookieJar
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase

from launcher import setup
from launcher.main import _port_free, main
from launcher.mariadb import Database, free_port
from launcher.setup import Trouble
from server.demo.services import PASSWORD

BELL = Path(settings.ROOT) / "bell"
START_S = 90
PLAIN = {name: value for name, value in os.environ.items() if not name.startswith(("COINBELL_", "DJANGO_"))}


class OwnVar:
    """A folder for a ./bell of the test's own; what is installed already counts as installed there too."""

    def __enter__(self):
        self.folder = Path(tempfile.mkdtemp(prefix="bell-own-"))
        self.folder.chmod(0o755)
        stamps = Path(settings.ROOT) / "var" / "stamps"
        shutil.copytree(stamps, self.folder / "stamps")
        self.environment = PLAIN | {"COINBELL_VAR": str(self.folder)}
        return self

    def __exit__(self, *_):
        shutil.rmtree(self.folder, ignore_errors=True)

    def bell(self, *arguments: str, **more) -> subprocess.CompletedProcess[str]:
        environment = self.environment | more
        return subprocess.run([BELL, *arguments], env=environment, capture_output=True, text=True, timeout=START_S, stdin=subprocess.DEVNULL, check=False)

    @contextlib.contextmanager
    def started(self, *arguments: str, **more):
        """A running ./bell; yields (process, port, seconds until it answered)."""
        port = free_port()
        log = (self.folder / "bell.log").open("w+")
        began = time.monotonic()
        process = subprocess.Popen([BELL, *arguments, "--port", str(port)], env=self.environment | more, stdout=log, stderr=subprocess.STDOUT, text=True)
        try:
            until = time.monotonic() + START_S
            while True:
                with contextlib.suppress(OSError):
                    urllib.request.urlopen(f"http://127.0.0.1:{port}/api/session", timeout=5).read()
                    break
                if process.poll() is not None or time.monotonic() > until:
                    raise AssertionError((self.folder / "bell.log").read_text())
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(0.1)
            yield process, port, time.monotonic() - began
        finally:
            if process.poll() is None:
                process.kill()
                process.wait()
            log.close()

    def said(self) -> str:
        return (self.folder / "bell.log").read_text()

    def served_by(self, process) -> list[str]:
        """The command lines of what a ./bell has started."""
        found = subprocess.run(["ps", "--ppid", str(process.pid), "-o", "args="], capture_output=True, text=True, check=True)
        return found.stdout.splitlines()

    def left_running(self) -> list[str]:
        """Programs that still use the folder."""
        found = []
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit():
                with contextlib.suppress(OSError):
                    line = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
                    if str(self.folder) in line:
                        found.append(line)
        return found


class Session:
    """A person with a browser, as far as the API goes."""

    def __init__(self, port: int):
        self._jar = CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self._jar))
        self._base = f"http://127.0.0.1:{port}"
        self.ask("GET", "/api/session")

    def ask(self, method: str, path: str, data: object = None):
        token = next((cookie.value for cookie in self._jar if cookie.name == "csrftoken"), "")
        body = json.dumps(data).encode() if data is not None else None
        request = urllib.request.Request(self._base + path, body, {"Content-Type": "application/json", "X-CSRFToken": token}, method=method)
        with self._opener.open(request, timeout=20) as answer:
            text = answer.read()
            return json.loads(text) if text else None


class DemoCommandTest(SimpleTestCase):
    def test_it_starts_stops_cleanly_and_survives_a_crash(self):
        with OwnVar() as own:
            with own.started("demo") as (process, port, _):
                session = Session(port)
                session.ask("POST", "/api/session", {"username": "wren", "password": PASSWORD})
                crafts = session.ask("GET", "/api/crafts")
                self.assertEqual([craft["name"] for craft in crafts], ["Avocet", "Coot", "Curlew", "Dunlin", "Sandpiper"])
                draft = session.ask("GET", f"/api/crafts/{crafts[2]['id']}")
                session.ask("PUT", f"/api/crafts/{crafts[2]['id']}/draft", {"version": 1, "document": draft["document"] | {"about": "mine now"}})
                second = own.bell("demo", "--port", str(port))
                self.assertEqual((second.returncode, len(second.stderr.splitlines())), (1, 1))
                self.assertIn(f"port {port} of 127.0.0.1 is taken", second.stderr)
                other = own.bell("demo", "--port", str(free_port()))
                self.assertIn("another ./bell is running in this folder", other.stderr)
                process.send_signal(signal.SIGINT)
                self.assertEqual(process.wait(30), 0)
            self.assertEqual(own.left_running(), [])
            self.assertIn("stopped", own.said())
            self.assertNotIn("Traceback", own.said())

            with own.started("demo") as (process, port, _):
                process.kill()
                process.wait()
                until = time.monotonic() + 30
                while own.left_running() and time.monotonic() < until:
                    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 0.2):
                        pass
                self.assertEqual(own.left_running(), [], "what it had started must end with it")

            with own.started("demo") as (process, port, _):
                session = Session(port)
                session.ask("POST", "/api/session", {"username": "teal", "password": PASSWORD})
                rows = {craft["name"]: craft["about"] for craft in session.ask("GET", "/api/crafts")}
                self.assertEqual((len(rows), rows["Curlew"]), (5, "mine now"))
                process.send_signal(signal.SIGTERM)
                self.assertEqual(process.wait(30), 0)

    def test_serving_for_real_has_no_demo_and_no_default_key(self):
        with OwnVar() as own:
            refused = own.bell("serve")
            self.assertEqual((refused.returncode, "set COINBELL_SECRET_KEY" in refused.stderr), (1, True))
            key = {"COINBELL_SECRET_KEY": "a key for this test only"}
            made = subprocess.run(
                [BELL, "user", "skua", "--workshop", "Own workshop"],
                env=own.environment | key,
                input="brackish-water-9\n",
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual(made.returncode, 0, made.stderr)
            weak = subprocess.run(
                [BELL, "user", "tern", "--workshop", "Own workshop"], env=own.environment | key, input="x\n", capture_output=True, text=True, check=False
            )
            self.assertEqual((weak.returncode, "too short" in weak.stderr), (1, True))
            wrong = own.bell("serve", "--processes", "none", **key)
            self.assertEqual((wrong.returncode, "a number from 1 to 64, or auto" in wrong.stderr), (2, True))
            with own.started("serve", "--processes", "2", **key) as (process, port, _):
                self.assertEqual(sum("server.asgi" in line for line in own.served_by(process)), 2)
                session = Session(port)
                signed_in = session.ask("POST", "/api/session", {"username": "skua", "password": "brackish-water-9"})
                self.assertEqual(signed_in["workshops"][0]["name"], "Own workshop")
                self.assertEqual(session.ask("GET", "/api/crafts"), [])
                with self.assertRaises(urllib.error.HTTPError):
                    Session(port).ask("POST", "/api/session", {"username": "wren", "password": PASSWORD})
                process.send_signal(signal.SIGINT)
                self.assertEqual(process.wait(30), 0)
            self.assertEqual(own.left_running(), [])


class DatabaseEndsTest(SimpleTestCase):
    def kill_database(self, own: OwnVar) -> None:
        for number in (own.folder / "mariadb" / "run").glob("*.pid"):
            os.kill(int(number.read_text()), signal.SIGKILL)

    def answers(self, session: Session) -> bool:
        try:
            session.ask("GET", "/api/crafts")
        except urllib.error.HTTPError as error:
            self.assertEqual((error.code, "does not answer" in json.loads(error.read())["detail"]), (503, True))
            return False
        return True

    def test_it_is_started_again_and_at_the_third_time_in_a_minute_it_is_said_why(self):
        with OwnVar() as own, own.started("demo") as (process, port, _):
            session = Session(port)
            session.ask("POST", "/api/session", {"username": "wren", "password": PASSWORD})
            for _ in range(2):
                self.kill_database(own)
                until = time.monotonic() + 20
                while self.answers(session):
                    self.assertLess(time.monotonic(), until)
                while not self.answers(session):
                    self.assertLess(time.monotonic(), until)
            self.assertEqual(own.said().count("MariaDB has ended by itself; starting it again"), 2)
            self.kill_database(own)
            self.assertEqual(process.wait(30), 1)
            self.assertIn("MariaDB ended 3 times in a minute", own.said())
            self.assertNotIn("Traceback", own.said())


class BackupTest(SimpleTestCase):
    def rows(self, session: Session) -> dict[str, tuple]:
        """All of the demo that the API tells: drafts, coins, images, recordings."""
        told = {}
        for craft in session.ask("GET", "/api/crafts"):
            whole = session.ask("GET", f"/api/crafts/{craft['id']}")
            revisions = session.ask("GET", f"/api/crafts/{craft['id']}/revisions")
            told[craft["name"]] = (whole["document"], whole["version"], craft["chain"], revisions, session.ask("GET", f"/api/crafts/{craft['id']}/recordings"))
        images = session.ask("GET", f"/api/workshops/{whole['workshop_id']}/images")
        return told | {"images": (images,)}

    def test_the_demo_comes_back_as_it_was(self):
        file = Path(tempfile.mkdtemp(prefix="bell-backup-")) / "all.sql.gz"
        self.addCleanup(shutil.rmtree, file.parent)
        with OwnVar() as own, own.started("demo") as (_, port, _):
            session = Session(port)
            session.ask("POST", "/api/session", {"username": "wren", "password": PASSWORD})
            curlew = session.ask("GET", "/api/crafts")[2]["id"]
            draft = session.ask("GET", f"/api/crafts/{curlew}")
            session.ask("PUT", f"/api/crafts/{curlew}/draft", {"version": 1, "document": draft["document"] | {"about": "as it was"}})
            before = self.rows(session)
            done = own.bell("backup", str(file))  # while it runs
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("read through and whole", done.stderr)
            self.assertEqual(file.stat().st_mode & 0o077, 0)
            full = own.bell("restore", str(file))
            self.assertIn("another ./bell is running", full.stderr)
        with OwnVar() as empty:
            cut = file.with_name("cut.sql.gz")
            cut.write_bytes(file.read_bytes()[:-2000])
            for wrong, said in ((cut, "damaged on its way"), (Path(settings.ROOT) / "README.md", "is no backup"), (file.with_name("none"), "is not there")):
                refused = empty.bell("restore", str(wrong))
                self.assertEqual((refused.returncode, said in refused.stderr), (1, True), refused.stderr)
            done = empty.bell("restore", str(file))
            self.assertEqual(done.returncode, 0, done.stderr)
            again = empty.bell("restore", str(file))
            self.assertEqual((again.returncode, "restore into an empty place" in again.stderr), (1, True), again.stderr)
            with empty.started("serve", COINBELL_SECRET_KEY="a key for this test only") as (_, port, _):
                session = Session(port)
                session.ask("POST", "/api/session", {"username": "wren", "password": PASSWORD})
                self.assertEqual(self.rows(session), before)


class HeadlessTest(SimpleTestCase):
    def test_decode_from_any_folder(self):
        capture = Path(settings.ROOT) / "tests" / "captures" / "crsf-sticks.bin"
        with tempfile.TemporaryDirectory() as folder:
            shutil.copy(capture, Path(folder) / "here.bin")
            done = subprocess.run([BELL, "decode", "here.bin"], cwd=folder, env=PLAIN, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stderr)
            lines = done.stdout.splitlines()
            self.assertEqual((json.loads(lines[0])["line"]["protocol"], json.loads(lines[-1])["summary"]["frames"], len(lines)), ("CRSF", 373, 375))

    def test_a_reader_that_has_had_enough_is_no_fault(self):
        capture = Path(settings.ROOT) / "tests" / "captures" / "sbus-lost-link.vcd"
        done = subprocess.run(f"{BELL} decode {capture} | head -n 1", shell=True, env=PLAIN, capture_output=True, text=True, check=False)
        self.assertEqual((len(done.stdout.splitlines()), done.stderr), (1, ""))


class TroubleTest(SimpleTestCase):
    """Each thing that can lack is one line, not a traceback."""

    def tried(self, change: dict[str, object], work) -> str:
        kept = {name: getattr(setup, name) for name in change}
        for name, value in change.items():
            setattr(setup, name, value)
        try:
            with self.assertRaises(Trouble) as caught:
                work()
        finally:
            for name, value in kept.items():
                setattr(setup, name, value)
        self.assertEqual(len(str(caught.exception).splitlines()), 1)
        return str(caught.exception)

    def test_a_missing_package_without_the_right_to_install_it(self):
        class NoSudo:
            which = staticmethod(lambda name: None if name == "sudo" else f"/usr/bin/{name}")

        class Ordinary:
            geteuid = staticmethod(lambda: 1000)
            environ = os.environ

        said = self.tried(
            {"shutil": NoSudo, "os": Ordinary, "_installed": lambda name: name != "mariadb-server"}, lambda: setup.debian_packages(["gcc", "mariadb-server"])
        )
        self.assertIn("run as root: apt-get install --no-install-recommends mariadb-server", said)

    def test_no_debian_no_node_no_python(self):
        class Nothing:
            which = staticmethod({}.get)

        self.assertIn("no Debian machine", self.tried({"shutil": Nothing}, lambda: setup.debian_packages(["gcc"])))
        self.assertIn("Node 20", self.tried({"shutil": Nothing}, setup.front_end))

        class Old:
            version_info = (3, 9, 2)
            version = "3.9.2 (default)"

        self.assertIn("Python 3.11 is needed; this is 3.9.2", self.tried({"sys": Old}, setup.python_environment))

    def test_a_step_is_done_once_for_each_state(self):
        with tempfile.TemporaryDirectory() as folder:
            kept, setup.VAR = setup.VAR, Path(folder)
            try:
                done = []
                there = Path(folder) / "there"

                def work():
                    done.append(1)
                    there.touch()

                for state in ("a", "a", "b"):
                    setup._once("step", state, work, there)
                self.assertEqual(len(done), 2)
                there.unlink()
                setup._once("step", "b", work, there)
                self.assertEqual(len(done), 3, "what is gone is made again")

                def fail():
                    raise Trouble("no")

                with self.assertRaises(Trouble):
                    setup._once("step", "c", fail, there)
                setup._once("step", "b", work, there)
                self.assertEqual(len(done), 4, "a step that failed is not taken for done")
            finally:
                setup.VAR = kept

    def test_a_taken_port(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            with self.assertRaisesMessage(Trouble, "is taken"):
                _port_free(taken.getsockname()[1])

    def test_unknown_commands_explain_themselves(self):
        with self.assertRaises(SystemExit) as caught, contextlib.redirect_stderr(open(os.devnull, "w")):
            main(["dance"])
        self.assertEqual(caught.exception.code, 2)

    def test_a_data_directory_that_is_broken_says_where_to_look(self):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder).chmod(0o755)
            (Path(folder) / "db" / "data" / "mysql").mkdir(parents=True)
            with self.assertRaises(Trouble) as caught, Database(Path(folder) / "db"):
                pass
            self.assertIn("error.log", str(caught.exception))
