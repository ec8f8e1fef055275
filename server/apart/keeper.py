"""The owner's end of the process that helpers are forked from, and what a helper does for somebody who waits for it."""

from __future__ import annotations

import contextlib
import os
import pickle
import signal
import socket
import subprocess
import sys
import threading
from typing import TYPE_CHECKING, Any

from django.conf import settings

from linkcore.craft.document import CraftDocument
from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import ImageError, ImageFacts
from server.apart.process import LENGTH, READER, receive
from server.asker import ended_with_asker

if TYPE_CHECKING:
    from scenario.bench import Earned

READERS = 2
MOST_WAITING = 6
READ_WITHIN_S = 30.0


class TooMany(Exception):
    """More files are waiting to be read than should."""


class _Keeper:
    """The process that forks workers; loaded once."""

    def __init__(self) -> None:
        self._control, theirs = socket.socketpair()
        environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": str(settings.ROOT)}
        command = [sys.executable, "-m", settings.HELPER_PROCESS, str(theirs.fileno())]
        self._process = subprocess.Popen(command, cwd=settings.ROOT, env=environment, pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL)
        theirs.close()
        self._ready = False
        self._turn = threading.Lock()

    @property
    def lives(self) -> bool:
        """Whether it has not ended."""
        return self._process.poll() is None

    def fork(self, kind: bytes) -> tuple[socket.socket, int]:
        """See fork()."""
        with self._turn:
            if not self._ready:
                self._ready = self._control.recv(1) == b"!"
            ours, theirs = socket.socketpair()
            socket.send_fds(self._control, [kind], [theirs.fileno()])
            theirs.close()
            number = int.from_bytes(self._control.recv(4), "big")
            if not number:
                ours.close()
                raise ConnectionError("the process that helpers are forked from does not start")
            return ours, number


_keeper: _Keeper | None = None
_start = threading.Lock()


def prepare() -> _Keeper:
    """Load what helpers need, in a process beside this one, so that the first one need not be waited for."""
    global _keeper
    with _start:
        if _keeper is None or not _keeper.lives:
            _keeper = _Keeper()
        return _keeper


def fork(kind: bytes) -> tuple[socket.socket, int]:
    """A new helper: (the line to it, its number). Blocks until it is there. Raise ConnectionError where none starts."""
    return prepare().fork(kind)


# --- reading --------------------------------------------------------------------------------------------------------

_places = threading.BoundedSemaphore(READERS)
_waiting = threading.BoundedSemaphore(READERS + MOST_WAITING)


class Ended(Exception):
    """A reader came to the end of its memory or time."""


def read_image(name: str, data: bytes) -> tuple[Content, ImageFacts | None]:
    """Read an image apart from the server, with limits on memory and time. Raise ImageError; TooMany where others wait already."""
    try:
        read: tuple[Content, ImageFacts | None] = _ask_reader("image", name, data)
    except Ended as error:
        raise ImageError("it asks for more memory or time than an image should; is it one?") from error
    return read


def read_sample() -> tuple[CraftDocument, Earned]:
    """The sample craft, with its bench run apart from the server. Raise Ended; TooMany where others wait already."""
    made: tuple[CraftDocument, Earned] = _ask_reader("sample")
    return made


def _let_go(line: socket.socket) -> None:
    with contextlib.suppress(OSError):
        line.shutdown(socket.SHUT_RDWR)  # whoever waits at it is told that it has ended


def _ask_reader(method: str, *arguments: object) -> Any:
    if not _waiting.acquire(blocking=False):
        raise TooMany
    try:
        with _places:
            return _answer_of(method, *arguments)
    finally:
        _waiting.release()


def _answer_of(method: str, *arguments: object) -> Any:
    line, number = fork(READER)
    with line, ended_with_asker(lambda: _let_go(line)):
        line.settimeout(READ_WITHIN_S)
        try:
            asked = pickle.dumps((method, arguments), pickle.HIGHEST_PROTOCOL)
            line.sendall(LENGTH.pack(len(asked)) + asked)
            well, answer = pickle.loads(receive(line, *LENGTH.unpack(receive(line, LENGTH.size))))
        except (OSError, EOFError) as error:
            raise Ended from error
        finally:
            with contextlib.suppress(ProcessLookupError):
                os.kill(number, signal.SIGKILL)
    if well:
        return answer
    if isinstance(answer, MemoryError):
        raise Ended
    raise answer
