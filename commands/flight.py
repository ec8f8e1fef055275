"""Read a flight's log and work its alarm line out, in a process of its own: how far it is as JSON lines, and at the end what was found.

Exit status 2 with one line on standard error where the log cannot be read.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from typing import IO

from linkcore.hops.lost_link.alarm import alarm_line
from linkcore.signal.flight_log import heads_of, read_flight_log, roles_of
from linkcore.signal.mavlink_log import read_mavlink_log
from linkcore.signal.recordings import RecordingError

SAY_EVERY_S = 0.1
MAVLINK = (".tlog", ".mav")
READING = 0.8  # of the work; the rest is the fit


def is_mavlink(path: Path) -> bool:
    """By its ending."""
    return path.suffix.lower() in MAVLINK


class Told:
    """A stream that says how far it was read."""

    def __init__(self, file: IO[bytes], size: int) -> None:
        self._file, self._size, self._read, self._said_at = file, max(1, size), 0, 0.0

    def read(self, size: int = -1, /) -> bytes:
        """More bytes."""
        piece = self._file.read(size)
        self._read += len(piece)
        if time.monotonic() - self._said_at > SAY_EVERY_S:
            self._said_at = time.monotonic()
            _say(progress=round(READING * self._read / self._size, 4), says="reading the log")
        return piece


def _say(**what: object) -> None:
    print(json.dumps(what), flush=True)


def main(arguments: Sequence[str]) -> int:
    """The command line."""
    parser = argparse.ArgumentParser(prog="flight")
    parser.add_argument("file", type=Path)
    parser.add_argument("--margin", type=float)
    parser.add_argument("--roles", type=json.loads)
    options = parser.parse_args(arguments)
    try:
        with options.file.open("rb") as file:
            if is_mavlink(options.file):
                log = read_mavlink_log(Told(file, options.file.stat().st_size))
            else:
                heads, _ = heads_of(file.readline(1 << 16).rstrip(b"\r\n"))
                roles = options.roles if options.roles is not None else roles_of(heads)
                _say(progress=0.0, says="reading the log", heads=heads[:200], roles=roles)
                file.seek(0)
                log = read_flight_log(Told(file, options.file.stat().st_size), roles if options.roles is not None else None)
        _say(progress=READING, says="fitting the curve")
        found = alarm_line(log, options.margin)
    except (RecordingError, ValueError) as error:
        print(f"bell: {options.file.name}: {error}", file=sys.stderr)
        return 2
    _say(done=found.model_dump(mode="json"))
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
