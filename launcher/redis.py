"""A Redis of our own, for more than one server process: on a socket of the file system that only this user can reach, and with nothing on disk."""

from __future__ import annotations

import contextlib
import hashlib
import shutil
import socket
import subprocess
import tempfile
import time
from pathlib import Path

from launcher.mariadb import die_with_parent
from launcher.setup import Trouble, say

_START_S = 20
_LONGEST_PATH = 95  # what the system takes for a socket


class Redis:
    """One server. Use as a context manager; `url` then tells the app how to reach it."""

    def __init__(self, folder: Path) -> None:
        if len(str(folder / "s.sock")) > _LONGEST_PATH:
            folder = Path(tempfile.gettempdir()) / f"coinbell-redis-{hashlib.sha256(str(folder).encode()).hexdigest()[:12]}"
        self._folder, self._socket = folder, folder / "s.sock"
        self.url = f"unix://{self._socket}"
        self._process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> Redis:
        if shutil.which("redis-server") is None:
            raise Trouble("Redis is missing: apt-get install --no-install-recommends redis-server")
        self._folder.mkdir(parents=True, exist_ok=True)
        self._folder.chmod(0o700)
        self._start()
        return self

    def __exit__(self, *_: object) -> None:
        if self._process is not None:
            self._process.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._process.wait(10)

    def watch(self) -> None:
        """Start it again where it has ended by itself."""
        if self._process is not None and self._process.poll() is not None:
            say("Redis has ended by itself; starting it again")
            self._start()

    def _start(self) -> None:
        self._socket.unlink(missing_ok=True)
        options = {"port": "0", "unixsocket": str(self._socket), "unixsocketperm": "700", "save": "", "appendonly": "no", "dir": str(self._folder)}
        command = ["redis-server", *(word for name, value in options.items() for word in (f"--{name}", value))]
        self._process = subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True, preexec_fn=die_with_parent
        )
        until = time.monotonic() + _START_S
        while not self._answers():
            if self._process.poll() is not None or time.monotonic() > until:
                raise Trouble("Redis did not start; try redis-server by hand to see why")
            time.sleep(0.02)

    def _answers(self) -> bool:
        with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX) as line:
            line.settimeout(1)
            line.connect(str(self._socket))
            line.sendall(b"PING\r\n")
            return line.recv(16).startswith(b"+PONG")
        return False
