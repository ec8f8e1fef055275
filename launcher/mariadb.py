"""A MariaDB of our own: its own data directory, socket and port, on loopback only."""

from __future__ import annotations

import contextlib
import ctypes
import getpass
import hashlib
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from pathlib import Path
from typing import Any

from launcher.setup import Trouble, say

_LOG_SIZE = "--innodb-log-file-size=48M"
_START_S = 60
_MOST_ENDS = 3


def free_port() -> int:
    """A port of 127.0.0.1 that nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def die_with_parent() -> None:
    """In a child: end when the parent ends, however it does (Linux)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


class Database:
    """One server. Use as a context manager; `environment` then tells Django how to reach it."""

    def __init__(self, folder: Path, name: str = "coinbell") -> None:
        self.folder, self.name = folder, name
        self._data = folder / "data"
        self._user = self._run_as()
        run = folder / "run"
        if len(str(run / "s.sock")) > 95:
            run = Path(tempfile.gettempdir()) / f"coinbell-{hashlib.sha256(str(folder).encode()).hexdigest()[:12]}"
        self._run = run
        self._socket = run / "s.sock"
        self.port = 0
        self._ends: list[float] = []
        self._process: subprocess.Popen[bytes] | None = None

    def _run_as(self) -> str:
        """The user the server runs as: never root by accident, but a folder only root can reach leaves no choice."""
        if os.geteuid() != 0:
            return getpass.getuser()
        above = [self.folder.resolve(), *self.folder.resolve().parents]
        passable = all(part.stat().st_mode & 0o001 for part in above if part.exists())
        try:
            pwd.getpwnam("mysql")
        except KeyError:
            return "root"
        return "mysql" if passable else "root"

    def __enter__(self) -> Database:
        if shutil.which("mariadbd") is None and not Path("/usr/sbin/mariadbd").exists():
            raise Trouble("MariaDB is missing: apt-get install --no-install-recommends mariadb-server")
        for folder in (self.folder, self._run):
            folder.mkdir(parents=True, exist_ok=True)
        self._end_orphan()
        if not (self._data / "mysql").is_dir():
            self._create()
        self._start()
        self._grant()
        return self

    def __exit__(self, *_: object) -> None:
        if self._process is not None:
            self._process.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._process.wait(30)

    def _program(self, name: str) -> str:
        return shutil.which(name) or f"/usr/sbin/{name}"

    def _as(self) -> list[str]:
        return [f"--user={self._user}"] if os.geteuid() == 0 else []

    def _changed_user(self) -> dict[str, Any]:
        """Become the server's user before it starts: if it changed by itself, the system would forget to end it with us."""
        if os.geteuid() != 0 or self._user == "root":
            return {}
        return {"user": self._user, "group": pwd.getpwnam(self._user).pw_gid, "extra_groups": []}

    def _create(self) -> None:
        say("making a MariaDB data directory")
        shutil.rmtree(self._data, ignore_errors=True)
        if os.geteuid() == 0 and self._user != "root":
            for folder in (self.folder, self._run):
                shutil.chown(folder, self._user)
        done = subprocess.run(
            [
                self._program("mariadb-install-db"),
                "--no-defaults",
                *self._as(),
                f"--datadir={self._data}",
                "--auth-root-authentication-method=socket",
                f"--auth-root-socket-user={getpass.getuser()}",
                "--skip-test-db",
                _LOG_SIZE,
            ],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            check=False,
        )
        if done.returncode != 0:
            shutil.rmtree(self._data, ignore_errors=True)
            raise Trouble(f"MariaDB could not make its data directory in {self._data}: {done.stdout.strip().splitlines()[-1:]}")

    def _start(self) -> None:
        self.port = self.port or free_port()  # started again, it is found where it was
        errors = self._errors
        self._process = subprocess.Popen(
            [
                self._program("mariadbd"),
                "--no-defaults",
                *(self._as() if self._user == "root" else []),
                f"--datadir={self._data}",
                f"--socket={self._socket}",
                f"--pid-file={self._run / 'm.pid'}",
                f"--log-error={errors}",
                "--bind-address=127.0.0.1",
                f"--port={self.port}",
                "--skip-name-resolve",
                "--local-infile=0",
                "--character-set-server=utf8mb4",
                "--collation-server=utf8mb4_unicode_ci",
                "--transaction-isolation=READ-COMMITTED",
                "--innodb-flush-log-at-trx-commit=1",
                _LOG_SIZE,
            ],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
            preexec_fn=die_with_parent,
            cwd="/",
            **self._changed_user(),
        )
        until = time.monotonic() + _START_S
        while not self._answers():
            if self._process.poll() is not None or time.monotonic() > until:
                raise Trouble(f"MariaDB did not start: {self._said()} (the whole log: {errors})")
            time.sleep(0.05)
        (self.folder / "port").write_text(str(self.port))

    @property
    def _errors(self) -> Path:
        return self.folder / "error.log"

    def _said(self) -> str:
        """The last error in its log."""
        lines = self._errors.read_text(errors="replace").splitlines() if self._errors.exists() else []
        return next((line for line in reversed(lines) if "ERROR" in line), "it said nothing")

    def watch(self) -> None:
        """Start it again where it has ended by itself. Raise Trouble where it does so for the third time in a minute."""
        if self._process is None or self._process.poll() is None:
            return
        now = time.monotonic()
        self._ends = [*(each for each in self._ends if now - each < 60), now]
        if len(self._ends) >= _MOST_ENDS:
            raise Trouble(f"MariaDB ended {_MOST_ENDS} times in a minute and is not started again: {self._said()} (the whole log: {self._errors})")
        say("MariaDB has ended by itself; starting it again")
        self._start()

    def running(self) -> dict[str, str] | None:
        """How Django reaches the server that another ./bell keeps running here; None where there is none."""
        if not self._answers() or not (self.folder / "port").exists():
            return None
        self.port = int((self.folder / "port").read_text())
        self._tell((self.folder / "password").read_text())
        return self.environment

    def _answers(self) -> bool:
        return self._admin("ping") == 0

    def _admin(self, verb: str) -> int:
        if not self._socket.exists():
            return 1
        done = subprocess.run([self._program("mariadb-admin"), "--no-defaults", "-S", str(self._socket), verb], capture_output=True, check=False)
        return done.returncode

    def _end_orphan(self) -> None:
        """A server left over by a crash holds the data directory's lock: end it, cleanly."""
        if not self._answers():
            return
        say("a MariaDB left over by a crash still runs here; stopping it")
        self._admin("shutdown")
        until = time.monotonic() + 30
        while self._answers():
            if time.monotonic() > until:
                raise Trouble(f"a MariaDB left over by a crash holds {self._data} and will not stop; end it by its number in {self._run / 'm.pid'}")
            time.sleep(0.1)

    def _grant(self) -> None:
        password = self.folder / "password"
        if not password.exists():
            password.touch(mode=0o600)
            password.write_text(secrets.token_urlsafe(24))
        secret = password.read_text()
        statements = (
            f"CREATE DATABASE IF NOT EXISTS `{self.name}` CHARACTER SET utf8mb4;"
            f"CREATE USER IF NOT EXISTS 'coinbell'@'127.0.0.1' IDENTIFIED BY '{secret}';"
            f"ALTER USER 'coinbell'@'127.0.0.1' IDENTIFIED BY '{secret}';"
            f"GRANT ALL ON `{self.name}`.* TO 'coinbell'@'127.0.0.1';"
            f"GRANT ALL ON `test\\_{self.name}%`.* TO 'coinbell'@'127.0.0.1';"
        )
        done = subprocess.run(
            [self._program("mariadb"), "--no-defaults", "-S", str(self._socket)], input=statements, capture_output=True, text=True, check=False
        )
        if done.returncode != 0:
            raise Trouble(
                f"MariaDB would not make the app's user: {done.stderr.strip()}; it was set up by another user of this machine, start ./bell as that one"
            )
        self._tell(secret)

    def _tell(self, secret: str) -> None:
        self.environment = {
            "COINBELL_DB_HOST": "127.0.0.1",
            "COINBELL_DB_PORT": str(self.port),
            "COINBELL_DB_NAME": self.name,
            "COINBELL_DB_USER": "coinbell",
            "COINBELL_DB_PASSWORD": secret,
        }
