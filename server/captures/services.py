"""Reading recordings: in a process of its own, with limits on time and memory, so that no file can hurt the benches."""

from __future__ import annotations

import asyncio
import contextlib
import hashlib
import json
import resource
import secrets
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import AsyncIterator, Iterator
from pathlib import Path
from typing import Any

from django.conf import settings

from server.apart.keeper import TooMany
from server.asker import ended_with_asker
from server.captures.models import Recording

TIME_LIMIT_S = 180
MEMORY_LIMIT = 2 << 30
KEPT_S = 24 * 3600
AT_ONCE = 2
WITH_LINES = ("vcd", "csv")
_turn = asyncio.Semaphore(AT_ONCE)
_now = threading.BoundedSemaphore(1)  # without a word: one at a time, and a few who wait
_now_waiting = threading.BoundedSemaphore(4)


class Unreadable(ValueError):
    """The recording cannot be read as what it says it is. The text says where and what to do."""


def folder_of(recording: Recording) -> Path:
    """Where this machine keeps what it works with of a recording; all of it can be made anew."""
    return Path(settings.VAR) / "readings" / str(recording.pk)


def reading_folder(recording: Recording, line: str) -> Path:
    """Where the reading of one line of a recording is; a file of bytes has one line only, whatever it is called."""
    line = line if recording.kind in WITH_LINES else ""
    return folder_of(recording) / hashlib.sha256(line.encode()).hexdigest()[:12]


def put_on_disk(recording: Recording) -> Path:
    """The recording as a file on this machine."""
    folder = folder_of(recording)
    path = folder / f"capture.{recording.kind}"
    if not path.exists() or path.stat().st_size != recording.size:
        _clear_old(folder.parent)
        folder.mkdir(parents=True, exist_ok=True)
        part = folder / f"capture.{time.monotonic_ns()}.part"
        with part.open("wb") as file:
            for piece in recording.pieces():
                file.write(piece)
        part.rename(path)
    return path


def _clear_old(where: Path) -> None:
    for folder in where.iterdir() if where.is_dir() else []:
        if time.time() - folder.stat().st_mtime > KEPT_S:
            shutil.rmtree(folder, ignore_errors=True)


def _limit() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_LIMIT, MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_CPU, (TIME_LIMIT_S, TIME_LIMIT_S))


async def read_line(path: Path, name: str, line: str, into: Path) -> AsyncIterator[dict[str, Any]]:
    """Read one line of a recording; yields how far it is as the reading process tells it. Raise Unreadable. Leaving off kills the process.

    The reading appears in `into` whole or not at all; one that is there already is used as it is.
    """
    if (into / "meta.json").exists():
        return
    with _whole(into) as part:
        async for told in run_reading(_command(path, line, part), path, name):
            if "progress" in told:
                yield told


def read_now(recording: Recording, line: str) -> None:
    """Read one line of a recording without a word, where another machine has told how far it was. Raise Unreadable; TooMany where others wait already."""
    path, into = put_on_disk(recording), reading_folder(recording, line)
    if not _now_waiting.acquire(blocking=False):
        raise TooMany
    try:
        with _now:
            if not (into / "meta.json").exists():  # somebody else may have asked for the same
                _read_into(path, recording, line, into)
    finally:
        _now_waiting.release()


def _read_into(path: Path, recording: Recording, line: str, into: Path) -> None:
    with _whole(into) as part:
        command = _command(path, line, part)
        process = subprocess.Popen(command, cwd=settings.ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, preexec_fn=_limit)
        with process, ended_with_asker(process.kill):
            try:
                _, errors = process.communicate(timeout=TIME_LIMIT_S)
            except subprocess.TimeoutExpired as error:
                process.kill()
                raise Unreadable(_reason("", path, recording.name)) from error
        if process.returncode != 0:
            raise Unreadable(_reason(errors, path, recording.name))


@contextlib.contextmanager
def _whole(into: Path) -> Iterator[Path]:
    """A folder that becomes `into` once it is complete, and goes away otherwise."""
    part = into.with_name(f"{into.name}.{secrets.token_hex(4)}.part")
    try:
        yield part
        with contextlib.suppress(OSError):  # somebody else was quicker, and reads the same
            part.rename(into)
    finally:
        shutil.rmtree(part, ignore_errors=True)


def _command(path: Path, line: str, into: Path) -> list[str]:
    return [sys.executable, "-m", "commands.reading", str(path), "--into", str(into), "--line", line]


async def run_reading(command: list[str], path: Path, name: str) -> AsyncIterator[dict[str, Any]]:
    """Let a process read a file within the limits, when its turn has come; yields what it tells. Raise Unreadable. Leaving off kills it."""
    if _turn.locked():
        yield {"progress": 0.0, "says": "waiting for another recording to be read"}
    async with _turn:
        process = await asyncio.create_subprocess_exec(
            *command,
            cwd=settings.ROOT,
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.PIPE,
            preexec_fn=_limit,
            limit=1 << 24,
        )
        assert process.stdout is not None
        assert process.stderr is not None
        try:
            async for told in process.stdout:
                yield json.loads(told)
            errors = (await process.stderr.read()).decode("utf-8", "replace")
            if await process.wait() != 0:
                raise Unreadable(_reason(errors, path, name))
        finally:
            if process.returncode is None:
                process.kill()
                await process.wait()


def _reason(errors: str, path: Path, name: str) -> str:
    lines = [each for each in errors.splitlines() if each.startswith("bell: ")]
    if not lines:
        return f"{name} could not be read: it asks for more memory or time than a recording should"
    return lines[-1].removeprefix("bell: ").replace(path.name, name)
