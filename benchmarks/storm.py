"""Load, floods, fuzzing, kills and outages against real server processes. Clients run on the same machine; what they cost themselves is told beside what they measure.

`./bell bench storm` runs all of it, `storm_load` and so on a part. Every seed is `--seed`.
"""

from __future__ import annotations

import asyncio
import contextlib
import http.client
import json
import math
import os
import random
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from benchmarks.line import Row
from benchmarks.seeds import seeds
from launcher.redis import Redis

ROOT = Path(__file__).resolve().parent.parent
RUN_S = 8.0
SETTLE_S = 4.0
COUNTS = (1, 5, 8, 10, 20, 40)
HANDS_EVERY_S = 0.2
_TICKS = os.sysconf("SC_CLK_TCK")


class Falls:
    """Beside a server that `./bell` starts: it can be made to fall, and to rise again where it was."""

    _process: subprocess.Popen[bytes] | None

    def fall(self) -> None:
        """Kill it."""
        assert self._process is not None
        self._process.kill()
        self._process.wait()

    def rise(self) -> None:
        """Start it again."""
        self._start()

    def _start(self) -> None:
        raise NotImplementedError


class _FallingRedis(Falls, Redis):
    _start = Redis._start


class Bell:
    """Server processes on one socket, with a Redis where there are several, on the database of the environment."""

    def __init__(self, processes: int, **more: str) -> None:
        self._count, self._more = processes, more
        self.port = 0

    def __enter__(self) -> Bell:
        from launcher.main import listening_socket

        self._stack = contextlib.ExitStack()
        self._socket = listening_socket()
        self._socket.bind(("127.0.0.1", 0))
        self._socket.listen(256)
        self.port = self._socket.getsockname()[1]
        from launcher.server_command import benches_each

        self.environment = {**os.environ, "COINBELL_MOST_BENCHES": str(benches_each(self._count)), **self._more}
        if self._count > 1:
            folder = Path(self._stack.enter_context(tempfile.TemporaryDirectory(prefix="bell-storm-")))
            self.redis = self._stack.enter_context(_FallingRedis(folder))
            self.environment["COINBELL_REDIS_URL"] = self.redis.url
        self.processes = [self.start() for _ in range(self._count)]
        while not answers(self.port):
            time.sleep(0.1)
        return self

    def start(self) -> subprocess.Popen[bytes]:
        """One more process."""
        from launcher.mariadb import die_with_parent
        from launcher.server_command import server_command

        number = self._socket.fileno()
        command = server_command("--fd", str(number))
        return subprocess.Popen(command, cwd=ROOT, env=self.environment, pass_fds=(number,), preexec_fn=die_with_parent, stderr=subprocess.DEVNULL)

    def __exit__(self, *_: object) -> None:
        for process in self.processes:
            process.kill()
            process.wait()
        self._socket.close()
        self._stack.close()

    def cpu_s(self) -> float:
        """Computing that all of it has taken so far, its helpers included, s."""
        return sum(_cpu_s(process.pid) for process in self.processes)


def _cpu_s(number: int) -> float:
    total = 0.0
    with contextlib.suppress(OSError):
        fields = Path(f"/proc/{number}/stat").read_bytes().rpartition(b")")[2].split()
        total = (int(fields[11]) + int(fields[12])) / _TICKS
        for task in Path(f"/proc/{number}/task").iterdir():
            for child in (task / "children").read_text().split():
                total += _cpu_s(int(child))
    return total


@dataclass
class World:
    """Crafts in the database, a session of somebody who may do everything, and one of somebody who means harm."""

    crafts: list[uuid.UUID]
    cookie: str
    hostile: str = ""
    token: str = "x" * 32
    workshop: int = 0

    @property
    def headers(self) -> dict[str, str]:
        """As a browser sends them."""
        return {"Cookie": f"{self.cookie}; csrftoken={self.token}", "X-CSRFToken": self.token, "Content-Type": "application/json"}


def world(count: int) -> World:
    """Migrate, and make so many crafts like Curlew, all set up and bound."""
    subprocess.run([sys.executable, "-m", "django", "migrate", "--noinput", "-v0"], cwd=ROOT, check=True)
    import django

    django.setup()
    from django.contrib.auth import get_user_model

    import scenario
    from linkcore.craft.parts import KitParts
    from server.bench.models import BenchRecord
    from server.crafts.models import Craft
    from server.drafts.services import create_craft
    from server.workshops.models import Membership, Workshop

    workshop, _ = Workshop.objects.get_or_create(name="Storm watch")
    user, _ = get_user_model().objects.get_or_create(username="skua")
    Membership.objects.update_or_create(user=user, workshop=workshop, defaults={"role": "owner"})  # whatever fuzzing has made of it
    for number in range(Craft.objects.filter(workshop=workshop).count(), count):
        document = scenario.curlew()
        document.name = f"Storm {number}"
        craft = create_craft(workshop, document, user)
        state = BenchRecord.first_state(document, KitParts.of(document))
        kept = state.model_copy(update={"stored": document.settings, "running": document.settings, "read_back": document.settings, "bound": True, "pack": True})
        BenchRecord.objects.create(craft=craft, state=kept.keep())
    crafts = list(Craft.objects.filter(workshop=workshop).order_by("name").values_list("pk", flat=True))[:count]
    foe, _ = get_user_model().objects.get_or_create(username="jaeger")
    Membership.objects.update_or_create(user=foe, workshop=workshop, defaults={"role": "builder"})
    cookie, hostile = _session("skua"), _session("jaeger")
    return World(crafts, cookie, hostile, workshop=workshop.pk)


def _session(name: str) -> str:
    """The cookie of somebody who has just signed in."""
    from django.conf import settings
    from django.contrib.auth import get_user_model
    from django.db import connections
    from django.test import Client

    client = Client()
    client.force_login(get_user_model().objects.get(username=name))
    connections.close_all()
    return f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"


def ask(port: int, method: str, path: str, body: bytes | None = None, headers: dict[str, str] | None = None) -> tuple[int, bytes]:
    """One request; 0 where nobody answers."""
    asked = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    try:
        asked.request(method, path, body, headers or {})
        answer = asked.getresponse()
        return answer.status, answer.read()
    except (OSError, http.client.HTTPException, ValueError):
        return 0, b""
    finally:
        asked.close()


def answers(port: int) -> bool:
    """Whether there is a server."""
    return ask(port, "GET", "/api/session")[0] == 200


# --- load -----------------------------------------------------------------------------------------------------------


@dataclass
class Seen:
    """What one watcher saw: (when it came, bench time) of each snapshot; what it was told where it saw none."""

    snapshots: list[tuple[float, float]] = field(default_factory=list)
    waits: str = ""

    def within(self, since: float, until: float) -> list[tuple[float, float]]:
        """Of a stretch of time."""
        return [each for each in self.snapshots if since <= each[0] <= until]


async def _watch(port: int, known: World, craft: uuid.UUID, seen: Seen, *, moves: bool) -> None:
    """As a page does: it comes again by itself."""
    from websockets.exceptions import WebSocketException

    pause = 0.3
    while True:
        before = len(seen.snapshots)
        with contextlib.suppress(WebSocketException, OSError, TimeoutError):
            await _watch_once(port, known, craft, seen, moves=moves)
        pause = 0.3 if len(seen.snapshots) > before else min(2 * pause, 2.0)
        await asyncio.sleep(pause)


async def _watch_once(port: int, known: World, craft: uuid.UUID, seen: Seen, *, moves: bool) -> None:
    from websockets.asyncio.client import connect

    address = f"ws://127.0.0.1:{port}/ws/crafts/{craft}/bench"
    async with connect(address, additional_headers={"Cookie": known.cookie}, origin=f"http://127.0.0.1:{port}", max_size=None, compression=None) as line:  # type: ignore[arg-type]
        await line.send('{"type":"look","hop":"line"}')

        async def move() -> None:
            while moves:
                angle = time.monotonic() * 2.1
                await line.send(json.dumps({"type": "hands", "right": {"x": 0.9 * math.sin(angle), "y": 0.9 * math.cos(angle)}}))
                await asyncio.sleep(HANDS_EVERY_S)

        moving = asyncio.create_task(move())
        try:
            async for message in line:
                if message.startswith('{"type":"live"'):  # type: ignore[arg-type]
                    seen.snapshots.append((time.monotonic(), float(message[19 : message.index(",", 19)])))  # type: ignore[arg-type]
                    seen.waits = ""
                elif message.startswith('{"type":"waiting"'):  # type: ignore[arg-type]
                    seen.waits = json.loads(message)["why"]
        finally:
            moving.cancel()


async def _end_all() -> None:
    others = asyncio.all_tasks() - {asyncio.current_task()}
    for task in others:
        task.cancel()
    await asyncio.gather(*others, return_exceptions=True)


@contextlib.contextmanager
def watchers(port: int, known: World, count: int, *, moves: bool = True) -> Iterator[list[Seen]]:
    """So many watchers, one a craft, in a loop of their own."""
    seen = [Seen() for _ in range(count)]
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()
    for craft, each in zip(known.crafts, seen, strict=False):
        asyncio.run_coroutine_threadsafe(_watch(port, known, craft, each, moves=moves), loop)
    try:
        yield seen
    finally:
        with contextlib.suppress(TimeoutError):
            asyncio.run_coroutine_threadsafe(_end_all(), loop).result(10)
        loop.call_soon_threadsafe(loop.stop)
        thread.join()


@dataclass
class Measured:
    """Of one run: live benches, those told to wait, and of the live ones snapshots a second, lateness (s, the 99th percentile), share of real time; all of it: cores, API median (ms)."""

    live: int
    told: int
    rate: float
    late_s: float
    share: float
    cores: float
    api_ms: float


# in a process of its own: what the watchers' own messages cost is not the server's
_ASK = """
import http.client, json, sys, time
port, path, cookie, seconds = int(sys.argv[1]), sys.argv[2], sys.argv[3], float(sys.argv[4])
took, ends = [], time.monotonic() + seconds
while time.monotonic() < ends:
    began = time.monotonic()
    asked = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    asked.request("GET", path, None, {"Cookie": cookie})
    asked.getresponse().read()
    asked.close()
    took.append(time.monotonic() - began)
    time.sleep(0.1)
print(json.dumps(took))
"""


def _worst(bell: Bell, known: World, count: int) -> Measured:
    """Each figure as the worst of three runs has it."""
    runs = []
    for _ in range(3):
        runs.append(_measure(bell, replace(known, cookie=_session("skua")), count))  # so many sockets are not one person's
        time.sleep(1)
    fewest = min(runs, key=lambda run: run.live)
    low, high = (lambda name: min(getattr(run, name) for run in runs)), (lambda name: max(getattr(run, name) for run in runs))
    return Measured(fewest.live, fewest.told, low("rate"), high("late_s"), low("share"), high("cores"), high("api_ms"))


def _measure(bell: Bell, known: World, count: int) -> Measured:
    with watchers(bell.port, known, count) as seen:
        time.sleep(SETTLE_S + 0.15 * count)
        since, cpu = time.monotonic(), bell.cpu_s()
        command = [sys.executable, "-c", _ASK, str(bell.port), f"/api/crafts/{known.crafts[0]}", known.cookie, str(RUN_S)]
        took = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
        until = time.monotonic()
        cores = (bell.cpu_s() - cpu) / (until - since)
        runs = [run for each in seen if len(run := each.within(since, until)) > 5]
        told = sum("set up as soon as" in each.waits for each in seen)
    late = sorted(when - run[0][0] - (t - run[0][1]) for run in runs for when, t in run)
    shares = [(run[-1][1] - run[0][1]) / (run[-1][0] - run[0][0]) for run in runs]
    rates = [len(run) / (run[-1][0] - run[0][0]) for run in runs]
    return Measured(
        len(runs), told, min(rates, default=0.0), late[int(len(late) * 0.99)] if late else 0.0, min(shares, default=0.0), cores, 1000 * statistics.median(took)
    )


def storm_load() -> list[Row]:
    """Watched benches whose sticks never rest, in one process and in two; of each run the slowest bench counts, and of three runs the worst."""
    known = world(max(COUNTS))
    rows = []
    for processes in (1, 2):
        with Bell(processes) as bell:
            for count in COUNTS:
                found = _worst(bell, known, count)
                told = f", {found.told} told to wait" if found.told else ""
                text = (
                    f"{found.live} live{told}: {found.rate:.0f}/s, {1000 * found.late_s:.0f} ms late (99 %), {found.share:.2f} of real time, "
                    f"{found.cores:.2f} cores, API {found.api_ms:.0f} ms"
                )
                wanted = "at real time (0.95), API under 100 ms, the rest told" if processes == 2 and count in (20, 40) else "API under 100 ms"
                whole = found.share >= 0.95 and found.live + found.told == count and (count > 20 or processes == 1 or found.live == count)
                rows.append(
                    (f"{count} watched, {processes} process{'es' if processes > 1 else ''}", text, wanted, found.api_ms < 100 and (processes == 1 or whole))
                )
    return rows


# --- floods ---------------------------------------------------------------------------------------------------------

_FLOOD = """
import json, os, sys, threading, time
from websockets.sync.client import connect
os.sched_setaffinity(0, {max(os.sched_getaffinity(0))})
port, cookie, craft, kind, seconds = int(sys.argv[1]), sys.argv[2], sys.argv[3], sys.argv[4], float(sys.argv[5])
said = {
    "hands": json.dumps({"type": "hands", "tilt_deg": 1.0}), "acts": json.dumps({"type": "act", "act": "keep line", "request": "r"}),
    "nonsense": "{" * 60000, "looks": json.dumps({"type": "look", "hop": "switchboard"}),
}[kind]
ends = time.monotonic() + seconds
sent = [0]
def flood():
    while time.monotonic() < ends:
        try:
            with connect(f"ws://127.0.0.1:{port}/ws/crafts/{craft}/bench", additional_headers={"Cookie": cookie}, origin=f"http://127.0.0.1:{port}") as line:
                while time.monotonic() < ends:
                    line.send(said)
                    sent[0] += 1
        except Exception:
            time.sleep(0.05)
threads = [threading.Thread(target=flood) for _ in range(40 if kind == "nonsense" else 8)]
[each.start() for each in threads]
[each.join() for each in threads]
print(sent[0])
"""


def storm_floods() -> list[Row]:
    """Hostile sockets at one craft, from a generator held to one core; three others are watched meanwhile. The worst of three runs."""
    known = world(4)
    rows = []
    with Bell(1) as bell:
        for kind in ("hands", "acts", "looks", "nonsense"):
            worst, sent = 99.0, 0
            for _ in range(3):
                hostile = world(4).hostile  # a session that nobody has cut off yet
                with watchers(bell.port, World(known.crafts[1:], known.cookie), 3) as seen:
                    time.sleep(SETTLE_S)
                    since = time.monotonic()
                    command = [sys.executable, "-c", _FLOOD, str(bell.port), hostile, str(known.crafts[0]), kind, "5"]
                    flood = subprocess.run(command, capture_output=True, text=True, check=False)
                    until = time.monotonic()
                    sent = max(sent, int(flood.stdout or 0))
                    worst = min(worst, *(len(each.within(since, until)) / (until - since) for each in seen))
            rows.append((f"a flood of {kind}, {sent / 5:.0f} a second sent", f"others see {worst:.1f} snapshots a second", "20 a second", worst >= 20))
        rows.append(_hostile_messages(bell, known))
    return rows


def _hostile(rng: random.Random) -> list[str | bytes]:
    """Forty messages that nobody's browser sends."""
    kinds: tuple[Callable[[], str | bytes], ...] = (
        lambda: "[" * rng.randrange(1, 20_000),
        lambda: json.dumps(
            {"type": rng.choice(("hands", "act", "look", "bench.text", "run")), rng.choice(("left", "act", "hop", "request")): rng.choice(_ODD)}
        ),
        lambda: json.dumps({"type": "hands", "tilt_deg": rng.choice(("NaN", 1e308, -1e9, [], None))}),
        lambda: '{"type": "hands", "tilt_deg": NaN}',
        lambda: '{"type": "hands", "switches": {"' + "x" * rng.randrange(40_000) + '": 1}}',
        lambda: '{"type": "act", "act": "write", "version": 99999999999999999999999, "request": "\\ud800"}',
        lambda: rng.randbytes(rng.randrange(1, 5000)),
        lambda: "",
    )
    return [kinds[number % len(kinds)]() for number in range(40)]


def _hostile_messages(bell: Bell, known: World) -> Row:
    """Sent one after the other by somebody who may do everything; each is answered in words, or ends the socket with a code."""
    from websockets.exceptions import ConnectionClosed
    from websockets.sync.client import connect

    craft, silent = known.crafts[0], 0
    address = f"ws://127.0.0.1:{bell.port}/ws/crafts/{craft}/bench"
    headers = {"Cookie": world(4).hostile}
    with watchers(bell.port, World(known.crafts[1:], known.cookie), 3) as seen:
        time.sleep(SETTLE_S)
        since = time.monotonic()
        for message in _hostile(random.Random(seeds(3)[2])):
            with (
                contextlib.suppress(ConnectionClosed),
                connect(address, additional_headers=headers, origin=f"http://127.0.0.1:{bell.port}", max_queue=None) as line,
            ):  # type: ignore[arg-type]
                line.send(message)
                line.send(json.dumps({"type": "act", "act": "read back", "request": "behind it"}))
                until = time.monotonic() + 10
                while '"answer"' not in str(line.recv(timeout=10)):
                    if time.monotonic() > until:
                        silent += 1
                        break
        until = time.monotonic()
        rate = min(len(each.within(since, until)) / (until - since) for each in seen)
    told = f"{silent} after which nothing is answered; others see {rate:.1f} snapshots a second"
    return ("40 hostile messages", told, "none, 20 a second", silent == 0 and rate >= 20 and answers(bell.port))


# --- fuzz -----------------------------------------------------------------------------------------------------------

_ODD: tuple[Any, ...] = (
    None,
    True,
    0,
    -1,
    2**31,
    10**18,
    0.5,
    1e308,
    "",
    "x",
    "\u202e",
    "é" * 500,
    "\x7f",
    [],
    {},
    [[]],
    {"a": {}},
    ["x"] * 300,
    "../../etc/passwd",
    "%00",
    "-" * 36,
)


def storm_fuzz() -> list[Row]:
    """Odd bodies at every address of the API, and bodies that the schema allows with one thing changed; no answer may be a fault."""
    known = world(2)
    rng = random.Random(seeds(1)[0])
    schema = json.loads((ROOT / "web" / "src" / "api" / "openapi.json").read_text())
    places = [(path, method.upper()) for path, methods in schema["paths"].items() for method in methods if method in ("get", "post", "put", "patch")]
    faults: list[str] = []
    silent = 0
    with Bell(1) as bell:

        def send(method: str, path: str, body: bytes | None) -> None:
            nonlocal silent
            status, said = ask(bell.port, method, path, body, known.headers)
            silent += status == 0
            if status >= 500 and status != 503:
                faults.append(f"{method} {path}: {status} {said[:80]!r}")

        fill = {
            "craft_id": known.crafts[0],
            "workshop_id": known.workshop,
            "recording_id": uuid.uuid4(),
            "image_id": uuid.uuid4(),
            "flash_id": 1,
            "username": "skua",
            "part_id": "x",
            "index": 0,
            "kind": "pdf",
        }
        for _ in range(1500):
            path, method = rng.choice(places)
            place = path.format(**{name: rng.choice((value, value, rng.choice(("x", "-1", "%00", "a" * 400, "%F0%9F")))) for name, value in fill.items()})
            body = rng.choice(
                (b"[" * 2000, b"\xff" * 30, json.dumps({rng.choice("abcdef"): rng.choice(_ODD)}).encode(), b'{"version": "\\ud800"}', b"null", b"")
            )
            send(method, place, None if method == "GET" else body)
        document = json.loads(ask(bell.port, "GET", f"/api/crafts/{known.crafts[0]}", None, known.headers)[1])["document"]
        for _ in range(3000):
            path, method = rng.choice(places)
            whole = _of_schema(schema, path, method.lower(), rng, document)
            send(method, path.format(**fill), None if method == "GET" else json.dumps(_one_changed(whole, rng)).encode())
        alive = answers(bell.port)
    return [
        (
            "1,500 odd and 3,000 nearly right requests",
            f"{len(faults)} faults, {silent} without an answer" + (f", first {faults[0]}" if faults else ""),
            "none",
            not faults and alive,
        )
    ]


def _of_schema(schema: dict[str, Any], path: str, method: str, rng: random.Random, document: Any) -> Any:
    """A body as the schema describes it; a draft is a real one."""
    content = schema["paths"][path][method].get("requestBody", {}).get("content", {})
    described = content.get("application/json", {}).get("schema", {})

    def make(node: dict[str, Any], depth: int) -> Any:
        if "$ref" in node:
            name = node["$ref"].split("/")[-1]
            return document if name == "CraftDocument" else make(schema["components"]["schemas"][name], depth + 1)
        if depth > 6:
            return None
        for word in ("anyOf", "oneOf", "allOf"):
            if word in node:
                return make(rng.choice(node[word]), depth + 1)
        if "enum" in node:
            return rng.choice(node["enum"])
        kinds: dict[str, Callable[[], Any]] = {
            "object": lambda: {name: make(inner, depth + 1) for name, inner in node.get("properties", {}).items()},
            "array": lambda: [make(node.get("items", {}), depth + 1) for _ in range(rng.randrange(3))],
            "integer": lambda: rng.choice((1, 2, 10**6)),
            "number": lambda: rng.uniform(-10, 3000),
            "boolean": lambda: rng.random() < 0.5,
            "string": lambda: rng.choice(("x", "receiver", "R2", str(uuid.uuid4()), "/settings/arming")),
        }
        return kinds.get(node.get("type", ""), lambda: rng.choice(_ODD))()

    return make(described, 0)


def _one_changed(data: Any, rng: random.Random) -> Any:
    """The same with one thing in it replaced, somewhere."""
    if isinstance(data, dict) and data and rng.random() < 0.85:
        name = rng.choice(sorted(data))
        return data | {name: _one_changed(data[name], rng)}
    if isinstance(data, list) and data and rng.random() < 0.85:
        at = rng.randrange(len(data))
        return [*data[:at], _one_changed(data[at], rng), *data[at + 1 :]]
    return rng.choice(_ODD)


# --- kills and outages ----------------------------------------------------------------------------------------------

KILLS = 100


def storm_kills() -> list[Row]:
    """See benchmarks/kills.py."""
    command = [sys.executable, "-m", "benchmarks.kills", "--turns", str(KILLS), "--seed", str(seeds(2)[1])]
    done = subprocess.run(command, cwd=ROOT, stdout=subprocess.PIPE, text=True, check=True)
    return [(name, told, wanted, holds) for name, told, wanted, holds in json.loads(done.stdout.splitlines()[-1])]


def storm_outages() -> list[Row]:
    """The lead to the database is cut for a while: how long after it is whole everything is as before."""
    from tests.lead import Lead

    known = world(3)
    rows = []
    lead = Lead(int(os.environ["COINBELL_DB_PORT"]))
    with Bell(1, COINBELL_DB_PORT=str(lead.port)) as bell, watchers(bell.port, known, 3) as seen:
        time.sleep(SETTLE_S)
        for seconds in (1.0, 20.0, 120.0):
            lead.cut()
            began = time.monotonic()
            time.sleep(seconds)
            ended = time.monotonic()
            rate = min(len(each.within(began, ended)) / seconds for each in seen)
            lead.mend()
            while ask(bell.port, "GET", f"/api/crafts/{known.crafts[0]}", None, known.headers)[0] != 200:
                time.sleep(0.05)
            back = time.monotonic() - ended
            time.sleep(3)
            rows.append(
                (
                    f"{seconds:g} s without the database",
                    f"back after {back:.1f} s; benches went on at {rate:.0f} snapshots a second",
                    "back within 5 s, 20 a second",
                    back < 5 and rate >= 20,
                )
            )
    lead.cut()
    return [*rows, *_without_redis(known), *_without_a_process(known)]


def _without_redis(known: World) -> list[Row]:
    """The same without Redis, in two processes, with somebody watching from either side."""
    rows = []
    people = [replace(known, cookie=_session("skua")) for _ in range(2)]
    with Bell(2) as bell, watchers(bell.port, people[0], 3) as one, watchers(bell.port, people[1], 3) as other:
        time.sleep(SETTLE_S)
        for seconds in (1.0, 20.0, 120.0):
            bell.redis.fall()
            time.sleep(seconds)
            bell.redis.rise()
            ended = time.monotonic()
            while time.monotonic() - ended < 30 and not all(len(each.within(ended, time.monotonic())) >= 5 for each in (*one, *other)):
                time.sleep(0.05)
            back = time.monotonic() - ended
            rows.append((f"{seconds:g} s without Redis", f"all six watchers see their bench after {back:.1f} s", "within 5 s", back < 5))
            time.sleep(3)
    return rows


def _without_a_process(known: World) -> list[Row]:
    """One of two processes is killed and started again, each in turn: how long until everybody sees their bench, whoever ran it."""
    took = []
    people = [replace(known, cookie=_session("skua")) for _ in range(2)]
    with Bell(2) as bell, watchers(bell.port, people[0], 3) as one, watchers(bell.port, people[1], 3) as other:
        for number in (0, 1, 0, 1):
            time.sleep(SETTLE_S)
            bell.processes[number].kill()
            bell.processes[number].wait()
            ended = time.monotonic()
            while time.monotonic() - ended < 30 and not all(len(each.within(ended + 0.1, time.monotonic())) >= 5 for each in (*one, *other)):
                time.sleep(0.05)
            took.append(time.monotonic() - ended)
            bell.processes[number] = bell.start()
    return [
        ("one of two processes killed", f"all six watchers see their bench after {max(took):.1f} s, the slowest of four times", "within 3 s", max(took) < 3)
    ]


STORM = (storm_load, storm_floods, storm_fuzz, storm_kills, storm_outages)
