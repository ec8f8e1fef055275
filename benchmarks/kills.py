"""Kills of the server, its database, or both, while drafts are saved, a board is flashed, benches are proven and recorded.

A program of its own, because the database that it kills is its own; it prints its rows as JSON.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import random
import signal
import sys
import tempfile
import threading
import time
import uuid
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from benchmarks.storm import Bell, Falls, Row, World, answers, ask, watchers, world
from launcher.mariadb import Database
from linkcore.devices.flash_job import RUNNING

WHAT = ("server", "database", "both")
PATIENCE_S = 90.0
IMAGE = "merle-f7-4.3.1.hex"


class _FallingDatabase(Falls, Database):
    _start = Database._start


@dataclass
class _Acknowledged:
    """What a client was told has been done."""

    saves: dict[uuid.UUID, tuple[int, str]] = field(default_factory=dict)
    lines: set[str] = field(default_factory=set)
    flashes: int = 0


@dataclass
class _Counted:
    """Of all turns."""

    kills: int = 0
    saves: int = 0
    lines: int = 0
    flashes: int = 0
    interrupted: int = 0
    lost: list[str] = field(default_factory=list)
    shut: list[str] = field(default_factory=list)
    running: int = 0
    slowest_s: float = 0.0


def _read(port: int, known: World, path: str) -> tuple[int, Any]:
    status, text = ask(port, "GET", path, None, known.headers)
    return status, json.loads(text) if status == 200 else {}


def _save_on(port: int, known: World, craft: uuid.UUID, turn: int, stop: threading.Event, done: _Acknowledged) -> None:
    """One save after the other, until one is not acknowledged."""
    status, now = _read(port, known, f"/api/crafts/{craft}")
    number = 0
    while status == 200 and not stop.is_set():
        number += 1
        about = f"kill {turn}, save {number}"
        body = json.dumps({"version": now["version"], "document": now["document"] | {"about": about}}).encode()
        status, text = ask(port, "PUT", f"/api/crafts/{craft}/draft", body, known.headers)
        if status == 200:
            now = json.loads(text)
            done.saves[craft] = (now["version"], about)


def _act_on(port: int, known: World, craft: uuid.UUID, image: str, stop: threading.Event, done: _Acknowledged) -> None:
    """Keep lines and flash the board, as one at its bench would."""
    from websockets.sync.client import connect

    address = f"ws://127.0.0.1:{port}/ws/crafts/{craft}/bench"
    with (
        contextlib.suppress(Exception),
        connect(address, additional_headers={"Cookie": known.cookie}, origin=f"http://127.0.0.1:{port}", max_queue=None) as line,
    ):  # type: ignore[arg-type]

        def answered(**act: Any) -> dict[str, Any]:
            line.send(json.dumps({"type": "act", "request": uuid.uuid4().hex} | act))
            while True:
                message: dict[str, Any] = json.loads(line.recv(timeout=5))
                if message["type"] == "answer":
                    return message

        for usb in (False, True):  # a board whose flash was interrupted wakes in its bootloader
            line.send(json.dumps({"type": "hands", "usb": usb}))
            time.sleep(0.1)
        begun = False
        while not stop.is_set():
            if not begun:  # it takes none before it has started
                begun = answered(act="flash", flash={"role": "board", "image": image, "way": "request"})["ok"]
                done.flashes += begun
            told = answered(act="keep line")
            if told["ok"]:
                done.lines.add(told["recording"])
            time.sleep(0.1)


def _turn(bell: Bell, database: _FallingDatabase, known: World, image: str, turn: int, rng: random.Random, so_far: _Counted) -> None:
    what, wait_s = WHAT[turn % len(WHAT)], rng.uniform(0.3, 3.0)
    stop, done = threading.Event(), _Acknowledged()
    saving = [threading.Thread(target=_save_on, args=(bell.port, known, craft, turn, stop, done)) for craft in known.crafts[:2]]
    threads = [*saving, threading.Thread(target=_act_on, args=(bell.port, known, known.crafts[2], image, stop, done))]
    flashes_before = len(_read(bell.port, known, f"/api/crafts/{known.crafts[2]}/flashes")[1].get("flashes", []))
    with contextlib.suppress(Exception), watchers(bell.port, known, 3):
        for thread in threads:
            thread.start()
        time.sleep(wait_s)
        if what != "server":
            database.fall()
        if what != "database":
            os.kill(bell.processes[0].pid, signal.SIGKILL)
        stop.set()
    for thread in threads:
        thread.join()
    if what != "server":
        database.rise()
    began = time.monotonic()
    if what != "database":
        bell.processes[0].wait()
        bell.processes[0] = bell.start()
    while not answers(bell.port) and time.monotonic() - began < PATIENCE_S:
        time.sleep(0.05)
    _look(bell.port, known, done, flashes_before, f"kill {turn} of {what}", so_far)
    so_far.slowest_s = max(so_far.slowest_s, time.monotonic() - began)
    so_far.kills += 1


def _look(port: int, known: World, done: _Acknowledged, flashes_before: int, when: str, so_far: _Counted) -> None:
    """Whether all that was acknowledged is there, and every craft opens."""
    with watchers(port, known, 3, moves=False) as seen:
        until = time.monotonic() + 20
        while time.monotonic() < until and not all(each.snapshots for each in seen):
            time.sleep(0.05)
        so_far.shut += [f"{when}: bench {number}" for number, each in enumerate(seen) if not each.snapshots]
    for craft in known.crafts[:3]:
        status, now = _read(port, known, f"/api/crafts/{craft}")
        if status != 200:
            so_far.shut.append(f"{when}: {status}")
            continue
        version, about = done.saves.get(craft, (0, ""))
        if now["version"] < version or (now["version"] == version and now["document"]["about"] != about):
            so_far.lost.append(f"{when}: a save")
    kept = {each["id"] for each in _read(port, known, f"/api/crafts/{known.crafts[2]}/recordings")[1]}
    so_far.lost += [f"{when}: a recording"] * len(done.lines - kept)
    flashes = _read(port, known, f"/api/crafts/{known.crafts[2]}/flashes")[1].get("flashes", [])
    if len(flashes) < min(50, flashes_before + done.flashes):
        so_far.lost.append(f"{when}: a flash job")
    so_far.saves += len(done.saves)
    so_far.lines += len(done.lines)
    so_far.flashes += done.flashes


def _jobs_left(port: int, known: World) -> int:
    """Jobs that are said to run when every one has had the time to end."""
    until = time.monotonic() + PATIENCE_S
    with watchers(port, known, 3, moves=False):
        while True:
            flashes = _read(port, known, f"/api/crafts/{known.crafts[2]}/flashes")[1].get("flashes", [])
            left = sum(each["job"]["state"] in RUNNING for each in flashes)
            if not left or time.monotonic() > until:
                return left
            time.sleep(0.5)


def kills(turns: int, seed: int) -> list[Row]:
    """See the module."""
    so_far = _Counted()
    with tempfile.TemporaryDirectory(prefix="bell-kills-") as folder:
        Path(folder).chmod(0o755)
        with _FallingDatabase(Path(folder) / "db") as database:
            os.environ |= database.environment
            known = world(3)
            from server.crafts.models import Craft
            from tests.server.shelf import shelve

            image = shelve(Craft.objects.get(pk=known.crafts[2]), IMAGE)
            from django.db import connections

            connections.close_all()
            rng = random.Random(seed)
            with Bell(1) as bell:
                for turn in range(turns):
                    _turn(bell, database, known, image, turn, rng, so_far)
                so_far.running = _jobs_left(bell.port, known)
                log = _read(bell.port, known, f"/api/crafts/{known.crafts[2]}/flashes")[1]["flashes"]
                so_far.interrupted = sum(each["job"]["state"] == "interrupted" for each in log)
    told = (
        f"acknowledged: {so_far.saves} last saves, {so_far.lines} recordings, {so_far.flashes} flash jobs ({so_far.interrupted} of the last {min(50, len(log))} interrupted): "
        f"{len(so_far.lost)} lost; {so_far.running} jobs left running, {len(so_far.shut)} crafts or benches shut; open again within {so_far.slowest_s:.1f} s"
        + "".join(f"; {each}" for each in (so_far.lost + so_far.shut)[:4])
    )
    return [(f"{so_far.kills} kills of server, database or both", told, "none", not so_far.lost and not so_far.shut and not so_far.running)]


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--turns", type=int, required=True)
    parser.add_argument("--seed", type=int, required=True)
    asked = parser.parse_args()
    json.dump(kills(asked.turns, asked.seed), sys.stdout)
