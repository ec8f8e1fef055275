"""A backup is one file: the SQL that makes the database anew, compressed (gzip, RFC 1952). It is taken while Coin Bell runs, and read through once it is written."""

from __future__ import annotations

import contextlib
import gzip
import os
import shutil
import subprocess
import tempfile
import zlib
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from launcher.setup import Trouble

_END = b"-- Dump completed"
_FIRST_TABLES = (b"`crafts_craft`", b"`accounts_user`")
_PIECE = 1 << 20


@contextlib.contextmanager
def _options(environment: Mapping[str, str]) -> Iterator[str]:
    """How the programs of MariaDB reach the database; the password stands in a file that only this user can read."""
    with tempfile.NamedTemporaryFile("w", prefix="coinbell-", suffix=".cnf") as file:
        os.chmod(file.name, 0o600)
        lines = ("host", "HOST"), ("port", "PORT"), ("user", "USER"), ("password", "PASSWORD")
        file.write("[client]\n" + "".join(f'{name}="{environment.get(f"COINBELL_DB_{key}", "")}"\n' for name, key in lines))
        file.flush()
        yield f"--defaults-file={file.name}"


def _name(environment: Mapping[str, str]) -> str:
    return environment.get("COINBELL_DB_NAME", "coinbell")


def _program(name: str) -> str:
    return shutil.which(name) or f"/usr/bin/{name}"


def back_up(environment: Mapping[str, str], into: Path) -> int:
    """Write a backup of a running database, as of one moment; returns its size in bytes. A file that is there already stays until the new one is whole. Raise Trouble."""
    part = into.with_name(into.name + ".part")
    try:
        with _options(environment) as options, _secret(part) as raw, gzip.GzipFile(fileobj=raw, mode="wb", compresslevel=6) as packed:
            command = [_program("mariadb-dump"), options, "--single-transaction", "--quick", "--hex-blob", "--skip-lock-tables", _name(environment)]
            with tempfile.TemporaryFile() as said, subprocess.Popen(command, stdout=subprocess.PIPE, stderr=said) as dump:
                assert dump.stdout is not None
                while piece := dump.stdout.read(_PIECE):
                    packed.write(piece)
                if dump.wait() != 0:
                    said.seek(0)
                    raise Trouble(f"the database gave no backup: {said.read().decode(errors='replace').strip() or 'it said nothing'}")
        check(part)
        size = part.stat().st_size
        part.replace(into)
        return size
    except OSError as error:
        raise Trouble(f"{into}: {error.strerror}; nothing was written") from error
    finally:
        part.unlink(missing_ok=True)


def _secret(path: Path) -> contextlib.AbstractContextManager[Any]:
    """A new file that only this user can read: whoever has a backup has everything."""
    return os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb")


def check(file: Path) -> None:
    """Read a backup through: raise Trouble where it is none, is damaged, or was cut off."""
    missing, tail = set(_FIRST_TABLES), b""
    try:
        with gzip.open(file, "rb") as packed:
            while piece := packed.read(_PIECE):
                missing = {name for name in missing if name not in tail + piece}
                tail = (tail + piece)[-4096:]
    except FileNotFoundError:
        raise Trouble(f"{file} is not there") from None
    except (OSError, EOFError, zlib.error) as error:
        raise Trouble(f"{file} is no backup, or was damaged on its way ({error}); take another one") from error
    if missing or _END not in tail:
        raise Trouble(f"{file} is no whole backup of Coin Bell: it was cut off, or is something else; take another one")


def restore(environment: Mapping[str, str], file: Path) -> None:
    """Put a backup into an empty database. Raise Trouble, before anything is done, where the backup is not whole or the database is not empty."""
    check(file)
    name = _name(environment)
    with _options(environment) as options:
        asked = [_program("mariadb"), options, "-N", "-B", "-e", "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()", name]
        there = subprocess.run(asked, capture_output=True, text=True, check=False)
        if there.returncode != 0:
            raise Trouble(f"the database does not answer: {there.stderr.strip()}")
        if there.stdout.strip() != "0":
            raise Trouble(
                "there is something in this database already; restore into an empty place: an empty folder (COINBELL_VAR), or a database of your own without tables"
            )
        with tempfile.TemporaryFile() as said, subprocess.Popen([_program("mariadb"), options, name], stdin=subprocess.PIPE, stderr=said) as client:
            assert client.stdin is not None
            with contextlib.suppress(BrokenPipeError), gzip.open(file, "rb") as packed:  # what it says of it follows
                shutil.copyfileobj(packed, client.stdin, _PIECE)
            with contextlib.suppress(BrokenPipeError):
                client.stdin.close()
            if client.wait() != 0:
                said.seek(0)
                raise Trouble(f"the database did not take the backup: {said.read().decode(errors='replace').strip()}; empty it before you try again")
