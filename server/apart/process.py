"""The process that the server's helpers are forked from: started once, and so a new helper is there at once whenever one is asked for, or another had to be ended.

Nothing of Django is loaded here, and nothing but what comes through the socket is known: benches or a file's bytes are sent here, and their news is sent back.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import os
import pickle
import resource
import signal
import socket
import struct
import sys
from typing import TYPE_CHECKING

from linkcore.bench.station import Station
from linkcore.craft.document import CraftDocument
from linkcore.devices.hexfile import Content, read_named
from linkcore.devices.image_facts import ImageFacts, facts_in
from linkcore.parts.catalogue import shipped

if TYPE_CHECKING:
    from scenario.bench import Earned

BENCHES, READER = b"b", b"r"
# Of memory, and of computing in s (0: as much as it takes): twenty benches take a tenth of it; the largest image that is taken takes a quarter.
LIMITS = {BENCHES: (3 << 30, 0), READER: (1 << 30, 20)}
NICE = 2  # where there is not enough for both, answers come before pictures
LENGTH = struct.Struct("!I")


class Packed:
    """Something that was pickled where there was time for it; it arrives as what it was."""

    def __init__(self, thing: object) -> None:
        self._bytes = pickle.dumps(thing, pickle.HIGHEST_PROTOCOL)

    def __reduce__(self) -> tuple[object, ...]:
        return pickle.loads, (self._bytes,)


def receive(line: socket.socket, size: int) -> bytes:
    """Just so many bytes; raise EOFError where the line ends before."""
    data = bytearray()
    while len(data) < size:
        piece = line.recv(min(1 << 20, size - len(data)))
        if not piece:
            raise EOFError
        data += piece
    return bytes(data)


class Reader:
    """Reads what somebody has handed in."""

    @staticmethod
    def image(name: str, data: bytes) -> tuple[Content, ImageFacts | None]:
        """(an image's bytes, what its header says). Raise ImageError."""
        content = read_named(name, data)
        content.sha256  # noqa: B018 - reckoned here, where there is time
        return content, facts_in(content.data)

    @staticmethod
    def sample() -> tuple[CraftDocument, Earned]:
        """The sample craft with what was proven on its bench: two seconds of computing."""
        from scenario.bench import sample  # asked for once in a workshop's life

        return sample()


SERVES: dict[bytes, type] = {BENCHES: Station, READER: Reader}


def serve(line: socket.socket, what: object) -> None:
    """Answer one request after the other until the line ends: (method, arguments) in, (whether it went well, result or error) out."""
    asked = {name for name in dir(what) if not name.startswith("_")}
    while True:
        try:
            method, arguments = pickle.loads(receive(line, *LENGTH.unpack(receive(line, LENGTH.size))))
        except EOFError:
            return
        try:
            if method not in asked:
                raise AttributeError(method)
            answer: tuple[bool, object] = (True, getattr(what, method)(*arguments))
        except Exception as error:  # whatever it is, whoever asked is told
            answer = (False, error)
        line.sendall(_packed(answer))


def _packed(answer: tuple[bool, object]) -> bytes:
    try:
        data = pickle.dumps(answer, pickle.HIGHEST_PROTOCOL)
        pickle.loads(data) if not answer[0] else None  # an error that cannot be made again there is told as text
    except Exception:
        data = pickle.dumps((False, RuntimeError(f"{type(answer[1]).__name__}: {answer[1]}")), pickle.HIGHEST_PROTOCOL)
    return LENGTH.pack(len(data)) + data


def _die_with_parent() -> None:
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(1, signal.SIGKILL)


def _limit(kind: bytes) -> None:
    memory, computing = LIMITS[kind]
    os.nice(NICE)
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    if computing:
        resource.setrlimit(resource.RLIMIT_CPU, (computing, computing))


def settle_collector() -> None:
    """What is loaded by now stays, and is shared by all helpers; benches make many small things that die young, and need not be gone through so often."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


def keep_ready(control: socket.socket) -> None:
    """For each line that comes through `control`, fork a helper of the wanted kind at its other end and say its number; end with the owner."""
    shipped()
    settle_collector()
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # the ended ones need no funeral
    control.sendall(b"!")
    while True:
        word, handles, _, _ = socket.recv_fds(control, 1, 1)
        if not word:
            return
        child = os.fork()
        if child == 0:
            _die_with_parent()
            control.close()
            _limit(word)
            with socket.socket(fileno=handles[0]) as line, contextlib.suppress(OSError):  # the owner has gone
                serve(line, SERVES[word]())
            os._exit(0)
        os.close(handles[0])
        control.sendall(struct.pack("!I", child))


def main() -> None:
    """The command line: the number of the control socket."""
    _die_with_parent()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, signal.SIG_IGN)  # the owner ends it, after benches are kept
    with socket.socket(fileno=int(sys.argv[1])) as control, contextlib.suppress(ConnectionError):
        keep_ready(control)


if __name__ == "__main__":
    main()
