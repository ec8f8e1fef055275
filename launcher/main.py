"""The commands of `./bell`."""

from __future__ import annotations

import argparse
import contextlib
import fcntl
import http.client
import json
import os
import resource
import secrets
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from launcher import setup
from launcher.backup import back_up, check, restore
from launcher.mariadb import Database, die_with_parent
from launcher.reach import labels_since
from launcher.redis import Redis
from launcher.server_command import benches_each, server_command
from launcher.setup import PYTHON, ROOT, VAR, WEB, Trouble, say

ADDRESS = "127.0.0.1"
MOST_PROCESSES = 64
MOST_ENDS = 3
WORKERS = min(2, os.cpu_count() or 1)  # that run tests, each with a database, a server and a browser of its own
HEADLESS = {"decode": "commands.decode", "identify": "commands.decode", "calc": "commands.calc", "image": "commands.images", "images": "commands.images"}


def main(arguments: Sequence[str]) -> int:
    """Run a command; return the exit status."""
    try:
        if arguments and arguments[0] in HEADLESS:
            setup.python_environment()
            os.environ["PYTHONPATH"] = str(ROOT)
            os.execv(PYTHON, [str(PYTHON), "-m", HEADLESS[arguments[0]], *arguments])
        options = _parser().parse_args(arguments)
        os.chdir(ROOT)
        return int(options.do(options))
    except Trouble as trouble:
        say(str(trouble))
        return 1
    except PermissionError as error:
        say(f"no right to use {error.filename}: start ./bell as the user whom this folder belongs to, or as root")
        return 1
    except KeyboardInterrupt:
        return 130


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="./bell",
        description="Coin Bell. Also: ./bell decode FILE, ./bell identify FILE, ./bell calc WHAT, ./bell image FILE, ./bell images --into DIR (docs/commands.md).",
    )
    verbs = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, do, text in (
        ("demo", _demo, "set everything up and serve it with the demo scenario"),
        ("serve", _serve, "the same for real use; settings come from the environment (docs/running.md)"),
    ):
        verb = verbs.add_parser(name, help=text)
        verb.add_argument("--port", type=int, default=8700)
        verb.add_argument("--processes", type=_processes, default=1, metavar="N", help="server processes, or auto: one for each core")
        verb.set_defaults(do=do)
    user = verbs.add_parser("user", help="add a user to a workshop of ./bell serve")
    user.add_argument("name")
    user.add_argument("--workshop", required=True)
    user.add_argument("--role", choices=("owner", "builder", "checker", "reader"), help="owner for the first of a workshop, else builder")
    user.set_defaults(do=_user)
    test = verbs.add_parser("test", help="set up, then run linters, type checks and every test")
    test.add_argument("labels", nargs="*", help="only these tests, such as tests.core")
    test.add_argument("--fast", action="store_true", help="only the checks and the tests of the core")
    test.add_argument("--since", metavar="REV", help="only tests that what has changed since this commit can reach by imports")
    test.set_defaults(do=_test)
    bench = verbs.add_parser("bench", help="measure speed and memory")
    bench.add_argument("measures", nargs="*", help="only these, such as finder")
    bench.add_argument("--seed", default="0", help="another number gives other seeds to what is seeded")
    bench.set_defaults(do=_bench)
    verbs.add_parser("schemas", help="write the API's and the craft document's schemas anew").set_defaults(do=_schemas)
    line = verbs.add_parser("line", help="offer the line of a craft's stand-in receiver on a pty, for other programs and for taps")
    line.add_argument("--craft", required=True, help="the craft's name")
    line.add_argument("--workshop", help="its workshop, where several have a craft of that name")
    line.add_argument("--seconds", help="stop by itself after this long")
    line.set_defaults(do=_line)
    backup = verbs.add_parser("backup", help="write everything into one file, while it runs or not")
    backup.add_argument("file", type=Path)
    backup.set_defaults(do=_backup)
    restore = verbs.add_parser("restore", help="put a backup into an empty place")
    restore.add_argument("file", type=Path)
    restore.set_defaults(do=_restore)
    verbs.add_parser("lock", help="lock the Python packages anew from requirements.in").set_defaults(do=_lock)
    verbs.add_parser("manage", help="run a Django command against the demo's database").add_argument("rest", nargs=argparse.REMAINDER)
    verbs.choices["manage"].set_defaults(do=_manage)
    return parser


def _processes(text: str) -> int:
    count = os.cpu_count() or 1 if text == "auto" else int(text) if text.isdigit() else 0
    if not 1 <= count <= MOST_PROCESSES:
        raise argparse.ArgumentTypeError(f"{text}: a number from 1 to {MOST_PROCESSES}, or auto")
    return count


# --- serving ----------------------------------------------------------------------------------------------------


def _demo(options: argparse.Namespace) -> int:
    _port_free(options.port)
    key = VAR / "secret-key"
    if not key.exists():
        VAR.mkdir(parents=True, exist_ok=True)
        key.touch(mode=0o600)
        key.write_text(secrets.token_urlsafe(48))
    return _run_server(options, {"COINBELL_SECRET_KEY": key.read_text()}, demo=True)


def _serve(options: argparse.Namespace) -> int:
    if not os.environ.get("COINBELL_SECRET_KEY"):
        raise Trouble("set COINBELL_SECRET_KEY to a long random text of your own (docs/running.md lists all settings)")
    _port_free(options.port)
    return _run_server(options, {}, demo=False)


def _port_free(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((ADDRESS, port))
        except OSError as error:
            raise Trouble(f"port {port} of {ADDRESS} is taken: stop what listens there (another ./bell?), or choose one with --port N") from error


@contextlib.contextmanager
def _alone() -> Iterator[None]:
    """Only one ./bell at a time sets up and keeps the database of this folder."""
    VAR.mkdir(parents=True, exist_ok=True)
    with (VAR / "lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise Trouble("another ./bell is running in this folder; stop it first") from error
        yield


@contextlib.contextmanager
def _own_database() -> Iterator[Database | None]:
    """The MariaDB under var/; None where the environment names another one."""
    if os.environ.get("COINBELL_DB_HOST"):
        yield None
        return
    setup.debian_packages(setup.DATABASE_PACKAGES)
    with Database(VAR / "mariadb") as database:
        yield database


@contextlib.contextmanager
def _database(environment: dict[str, str]) -> Iterator[dict[str, str]]:
    """The database's settings: the environment's own server where one is named, else one under var/."""
    with _own_database() as database:
        yield {**os.environ, **environment, **(database.environment if database else {})}


def _run_server(options: argparse.Namespace, extra: dict[str, str], *, demo: bool) -> int:
    stop = _stop_signals()
    with _alone(), contextlib.ExitStack() as stack:
        several = options.processes > 1
        own_redis = several and not os.environ.get("COINBELL_REDIS_URL")
        own_database = not os.environ.get("COINBELL_DB_HOST")
        setup.debian_packages([*(setup.DATABASE_PACKAGES if own_database else ()), *(setup.REDIS_PACKAGES if own_redis else ())])
        setup.python_environment()
        setup.front_end()
        database = stack.enter_context(_own_database())
        environment = {**os.environ, **extra, **(database.environment if database else {})}
        environment.setdefault("COINBELL_MOST_BENCHES", str(benches_each(options.processes)))
        redis = stack.enter_context(Redis(VAR / "redis")) if own_redis else None
        if redis:
            environment["COINBELL_REDIS_URL"] = redis.url
        (VAR / "static").mkdir(parents=True, exist_ok=True)
        _django(environment, "migrate", "--noinput", "-v0")
        if demo:
            _django(environment, "load_demo")
        servers = stack.enter_context(_Servers(options.port, options.processes, environment))
        servers.wait_for(stop)
        print(f"\nCoin Bell is at http://{ADDRESS}:{options.port}" + (f", in {options.processes} processes" if several else ""))
        if demo:
            print("Sign in as wren (owner), teal (builder), heron (checker) or dipper (another workshop); password: low-tide-42")
        print("Ctrl-C stops everything.", flush=True)
        while not stop:
            time.sleep(0.2)
            for each in (database, redis, servers):
                if each:
                    each.watch()
    say("stopped")
    return 0


def listening_socket() -> socket.socket:
    """What servers take connections from."""
    made = socket.socket()
    made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    return made


class _Servers:
    """Server processes that take from one listening socket; one that ends by itself is started again."""

    def __init__(self, port: int, count: int, environment: dict[str, str]) -> None:
        self._environment, self._count, self._port = environment, count, port
        self._socket = listening_socket()
        self._processes: list[subprocess.Popen[bytes]] = []
        self._ends: list[float] = []

    def __enter__(self) -> _Servers:
        self._socket.bind((ADDRESS, self._port))
        self._socket.listen(256)
        self._processes = [self._start() for _ in range(self._count)]
        return self

    def __exit__(self, *_: object) -> None:
        for process in self._processes:
            process.terminate()
        for process in self._processes:
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(10)
            process.kill()
        self._socket.close()

    def _start(self) -> subprocess.Popen[bytes]:
        number = self._socket.fileno()
        return subprocess.Popen(
            server_command("--fd", str(number)),
            env=self._environment,
            cwd=ROOT,
            start_new_session=True,
            preexec_fn=die_with_parent,
            pass_fds=(number,),
        )

    def wait_for(self, stop: Sequence[int]) -> None:
        """Wait until one of them answers, whatever it says, or somebody asks to stop. Raise Trouble where none starts."""
        while not stop:
            asked = http.client.HTTPConnection(ADDRESS, self._port, timeout=1)
            with contextlib.suppress(OSError, http.client.HTTPException), contextlib.closing(asked):
                asked.request("GET", "/api/session")
                asked.getresponse()
                return
            if all(process.poll() is not None for process in self._processes):
                raise Trouble("the server ended by itself; what it said stands above")

    def watch(self) -> None:
        """Start again what has ended. Raise Trouble where that happens too often, or there is only one."""
        ended = [place for place, process in enumerate(self._processes) if process.poll() is not None]
        now = time.monotonic()
        self._ends = [*(each for each in self._ends if now - each < 60), *(now for _ in ended)]
        if ended and (self._count == 1 or len(self._ends) >= MOST_ENDS * self._count):
            raise Trouble("the server ended by itself; what it said stands above")
        for place in ended:
            say("a server process has ended by itself; starting it again")
            self._processes[place] = self._start()


def _stop_signals() -> list[int]:
    """Signals that have asked to stop; the first is enough, and a second one during set-up ends at once."""
    asked: list[int] = []

    def ask(number: int, _: object) -> None:
        asked.append(number)
        if len(asked) > 1:
            raise KeyboardInterrupt

    signal.signal(signal.SIGINT, ask)
    signal.signal(signal.SIGTERM, ask)
    return asked


def _django(environment: dict[str, str], *arguments: str) -> None:
    command = [str(PYTHON), "-m", "django", *arguments]
    done = subprocess.run(
        command, env={**environment, "DJANGO_SETTINGS_MODULE": environment.get("DJANGO_SETTINGS_MODULE", "server.settings")}, cwd=ROOT, check=False
    )
    if done.returncode != 0:
        raise Trouble(f"{arguments[0]} failed; what it said stands above")


def _user(options: argparse.Namespace) -> int:
    setup.python_environment()
    with _alone(), _database({"COINBELL_SECRET_KEY": os.environ.get("COINBELL_SECRET_KEY", "unused")}) as environment:
        _django(environment, "migrate", "--noinput", "-v0")
        _django(environment, "add_user", options.name, "--workshop", options.workshop, *(["--role", options.role] if options.role else []))
    return 0


def _manage(options: argparse.Namespace) -> int:
    setup.python_environment()
    with _alone(), _database({"COINBELL_SECRET_KEY": "unused"}) as environment:
        _django(environment, *options.rest)
    return 0


def _backup(options: argparse.Namespace) -> int:
    """Beside a running ./bell where there is one, else with its database started for it."""
    into = options.file if options.file.is_absolute() else Path(os.environ.get("PWD", ".")) / options.file
    running = None if os.environ.get("COINBELL_DB_HOST") else Database(VAR / "mariadb").running()
    if running is not None:
        size = back_up({**os.environ, **running}, into)
    else:
        with _alone(), _database({}) as environment:
            size = back_up(environment, into)
    say(f"{into}: {size / 1e6:.1f} MB, read through and whole. Whoever has it has everything: keep it as you keep your keys")
    return 0


def _restore(options: argparse.Namespace) -> int:
    file = options.file if options.file.is_absolute() else Path(os.environ.get("PWD", ".")) / options.file
    check(file)
    setup.python_environment()
    with _alone(), _database({"COINBELL_SECRET_KEY": os.environ.get("COINBELL_SECRET_KEY", "unused")}) as environment:
        restore(environment, file)
        _django(environment, "migrate", "--noinput", "-v0")
    say("everything is back; start it with ./bell serve (or ./bell demo)")
    return 0


def _line(options: argparse.Namespace) -> int:
    """Beside a running ./bell where there is one, else with a database of its own."""
    setup.python_environment()
    chosen = [part for name in ("craft", "workshop", "seconds") if (value := getattr(options, name)) for part in (f"--{name}", value)]
    environment = Database(VAR / "mariadb").running()
    if environment is not None:
        _django({**os.environ, "COINBELL_SECRET_KEY": "unused", **environment}, "offer_line", *chosen)
        return 0
    with _alone(), _database({"COINBELL_SECRET_KEY": "unused"}) as own:
        _django(own, "offer_line", *chosen)
    return 0


# --- checking and measuring -------------------------------------------------------------------------------------


def _test(options: argparse.Namespace) -> int:
    """Checks beside each other, then the tests; `--fast` leaves out whatever needs a database, a server or a browser."""
    labels = options.labels or (labels_since(options.since, ROOT) if options.since else ["tests.core"] if options.fast else ["tests"])
    setup.debian_packages([*setup.DATABASE_PACKAGES, *setup.TEST_PACKAGES])
    setup.python_environment()
    setup.front_end()
    passed = failed = 0
    checks = [] if options.labels else _checks()
    with ThreadPoolExecutor(WORKERS) as side_by_side:
        for check, said in zip(checks, side_by_side.map(_Check.run, checks), strict=True):
            passed, failed = (passed + 1, failed) if said is None else (passed, failed + 1)
            print(f"ok    {check.name}" if said is None else f"{said}\nFAIL  {check.name}", flush=True)
    if labels:
        before = _computed_s()
        with tempfile.TemporaryDirectory(prefix="bell-test-") as folder:
            counts = _run_tests(labels, Path(folder))
        passed, failed = passed + counts[0], failed + counts[1]
        print(f"the tests and all that they started have computed for {_computed_s() - before:.0f} s")
    else:
        say(f"nothing that a test looks at has changed since {options.since}")
    print(f"tests: {passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


def _computed_s() -> float:
    """Computing of all processes that were started from here and have ended, and of theirs, s."""
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def _run_tests(labels: Sequence[str], folder: Path) -> tuple[int, int]:
    """Django's runner with a worker for each core, up to two; (passed, failed)."""
    folder.chmod(0o755)
    result = folder / "result.json"
    with Database(folder / "db") as database:
        environment = {
            **os.environ,
            **database.environment,
            "COINBELL_SECRET_KEY": "only for tests",
            "COINBELL_VAR": str(folder),
            "COINBELL_TEST_RESULT": str(result),
            "DJANGO_SETTINGS_MODULE": "tests.settings",
        }
        subprocess.run(
            [PYTHON, "-m", "django", "test", "--noinput", "--timing", f"--parallel={WORKERS}", *labels],
            env=environment,
            cwd=ROOT,
            check=False,
        )
    if not result.exists():
        say("the test run ended before it was through")
        return 0, 1
    counts = json.loads(result.read_text())
    return counts["passed"], counts["failed"]


@dataclass(frozen=True)
class _Check:
    """A linter or a type check: a command that is silent where all is well."""

    name: str
    command: Sequence[str | Path]
    where: Path = ROOT

    def run(self) -> str | None:
        """What it complains of; None where it passes."""
        command = [str(part) for part in self.command]
        done = subprocess.run(command, cwd=self.where, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False)
        return None if done.returncode == 0 else done.stdout


def _checks() -> list[_Check]:
    bin_ = PYTHON.parent
    return [
        _Check("ruff check", [bin_ / "ruff", "check", "."]),
        _Check("ruff format", [bin_ / "ruff", "format", "--check", "."]),
        _Check("mypy", ["env", "COINBELL_SECRET_KEY=unused", bin_ / "mypy"]),
        _Check("import rules", [bin_ / "lint-imports"]),
        _Check("front end: types and linter", ["npm", "run", "-s", "check"], WEB),
    ]


def _bench(options: argparse.Namespace) -> int:
    setup.debian_packages([*setup.DATABASE_PACKAGES, *setup.TEST_PACKAGES])
    setup.python_environment()
    setup.front_end()
    with tempfile.TemporaryDirectory(prefix="bell-bench-") as folder:
        Path(folder).chmod(0o755)
        with Database(Path(folder) / "db") as database:
            environment = {
                **os.environ,
                **database.environment,
                "COINBELL_SECRET_KEY": "only for measuring",
                "COINBELL_VAR": folder,
                "DJANGO_SETTINGS_MODULE": "server.settings",
            }
            return subprocess.run(
                [PYTHON, "-m", "benchmarks.run", *options.measures, "--seed", options.seed], env=environment, cwd=ROOT, check=False
            ).returncode


def _schemas(_: argparse.Namespace) -> int:
    setup.python_environment()
    return subprocess.run(
        [PYTHON, "-m", "django", "write_schemas"],
        env={**os.environ, "COINBELL_SECRET_KEY": "unused", "DJANGO_SETTINGS_MODULE": "server.settings"},
        cwd=ROOT,
        check=False,
    ).returncode


def _lock(_: argparse.Namespace) -> int:
    setup.python_environment()
    setup.run(
        [
            PYTHON.with_name("uv"),
            "pip",
            "compile",
            "--generate-hashes",
            "--python-version",
            "3.11.2",  # the oldest 3.11 in use, Debian 12's
            "--no-header",
            "--no-emit-index-url",
            "-q",
            "requirements.in",
            "-o",
            "requirements.lock",
        ],
        "locking",
        cwd=ROOT,
    )
    return 0
