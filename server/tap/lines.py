"""Which serial lines a tap may open, which are there, and what keeps one from being opened."""

from __future__ import annotations

import contextlib
import fcntl
import ipaddress
import json
import os
import re
import stat
import termios
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import serial
from django.conf import settings
from serial.tools import list_ports

_DEVICE = re.compile(r"/dev/(tty[A-Za-z]+[0-9]*|serial/.+|cu\..+)")
_TERMINAL = re.compile(r"/dev/(pts/[0-9]+|pty.*|tty[p-za-e][0-9a-f])")  # where somebody types: only what was offered is a line
_NET = ("socket", "rfc2217")
OFFERS = "lines"
READ_FOR_S = 0.05  # one reading waits for so long


class NotAllowed(ValueError):
    """The operator does not allow this address, or it is none. The text says what is allowed."""


class CannotOpen(ValueError):
    """The line cannot be opened now. The text says why and what to do."""


@dataclass(frozen=True)
class ThereIs:
    """A line that is there: its address, and what is known of it."""

    address: str
    about: str


def checked(address: str) -> str:
    """The address in the form in which it may be opened; raise NotAllowed.

    At first local serial devices and loopback: a tap must not be a way to reach into other machines or files.
    """
    allowed = settings.TAP_ALLOWS
    if not allowed:
        raise NotAllowed("the operator has switched taps off (COINBELL_TAP)")
    address = address.strip()
    if address in allowed:
        return address
    if "local" not in allowed:
        raise NotAllowed(f"the operator allows {', '.join(sorted(allowed))} only")
    if "://" in address:
        return _loopback(address)
    path = os.path.realpath(address)
    if _TERMINAL.fullmatch(path):
        if path not in {each.address for each in offered()}:
            raise NotAllowed(f"{address} is a terminal, and nobody offers a line on it; ./bell line offers one")
        return path
    if not _DEVICE.fullmatch(path):
        raise NotAllowed(
            f"{address} is no serial device; a device such as /dev/ttyUSB0, a line that ./bell line offers, or socket://127.0.0.1:PORT may be opened"
        )
    if not os.path.exists(path):
        return path  # it may be plugged in later
    if not stat.S_ISCHR(os.stat(path).st_mode):
        raise NotAllowed(f"{address} is no serial device")
    return path


def _loopback(address: str) -> str:
    try:
        parts = urlsplit(address)
        host, port = parts.hostname or "", parts.port
    except ValueError as error:
        raise NotAllowed(f"{address}: {error}") from error
    if parts.scheme not in _NET or not port:
        raise NotAllowed(f"{address}: only socket://HOST:PORT and rfc2217://HOST:PORT are known")
    try:
        local = host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        local = False
    if not local:
        raise NotAllowed(f"{host} is another machine; the operator allows this one only (COINBELL_TAP names others)")
    shown = f"[{host}]" if ":" in host else host
    return f"{parts.scheme}://{shown}:{port}"


class _Device(serial.Serial):
    """A serial device that nobody else opens meanwhile, and that is left as it was found."""

    _found: list[Any] | None = None

    def _reconfigure_port(self, force_update: bool = False) -> None:
        """Called first when it has just been opened."""
        if self._found is None:
            self._found = termios.tcgetattr(self.fd)
            fcntl.ioctl(self.fd, termios.TIOCEXCL)
        super()._reconfigure_port(force_update)

    def close(self) -> None:
        """See serial.Serial."""
        found, self._found = self._found, None
        if found is not None and self.fd is not None:
            with contextlib.suppress(OSError, termios.error):  # it may be gone
                termios.tcsetattr(self.fd, termios.TCSANOW, found)
                fcntl.ioctl(self.fd, termios.TIOCNXCL)
        super().close()


def open_line(address: str, baud: int, parity: str, stop_bits: int) -> serial.SerialBase:
    """Open a line to listen; nothing is ever written to it, and a device is left as it was found. Raise CannotOpen."""
    letter = {"none": serial.PARITY_NONE, "even": serial.PARITY_EVEN, "odd": serial.PARITY_ODD}[parity]
    ways: dict[str, Any] = {"baudrate": baud, "parity": letter, "stopbits": stop_bits, "timeout": READ_FOR_S}
    try:
        if address.startswith("/"):
            line: serial.SerialBase = _Device(**ways)
            line.port = address
            line.exclusive = True
            line.dtr = line.rts = False  # some boards restart when these lines move
        else:
            line = serial.serial_for_url(address, do_not_open=True, **ways)
        line.open()
    except (OSError, serial.SerialException, ValueError) as error:
        raise CannotOpen(why_not(address, error)) from error
    return line


def why_not(address: str, error: Exception) -> str:
    """In words, what keeps a line from being opened and what to do."""
    text = str(error)
    number = getattr(error, "errno", None)
    if not address.startswith("/"):
        return f"{address} does not answer: {text.split(': ', 1)[-1]}"
    if not os.path.exists(address):
        return f"{address} is not there. Is the adapter plugged in? A cable that only charges shows no device; so does a missing driver."
    if number == 13 or "Permission denied" in text:
        return f"{address} may not be opened by this user: add it to the group that owns the device (often dialout), then sign in to the machine anew."
    holders = held_by(address)
    if holders or number == 16 or "lock" in text:
        return f"{address} is held by {' and '.join(holders) or 'another program'}: one program has a serial port at a time. Close it there."
    return f"{address} cannot be opened: {text}"


def held_by(address: str) -> list[str]:
    """The names of other programs of this user that have the device open."""
    device, found = os.path.realpath(address), []
    for process in Path("/proc").iterdir():
        if not process.name.isdigit() or int(process.name) == os.getpid():
            continue
        try:
            if any(os.readlink(link) == device for link in (process / "fd").iterdir()):
                found.append((process / "comm").read_text().strip())
        except OSError:
            continue
    return sorted(set(found))


def what_is_there() -> list[ThereIs]:
    """Serial devices of this machine, and stand-in lines that somebody offers on it."""
    if "local" not in settings.TAP_ALLOWS:
        return [ThereIs(address, "allowed by the operator") for address in sorted(settings.TAP_ALLOWS)]
    devices = [ThereIs(port.device, port.description if port.description != "n/a" else "serial device") for port in list_ports.comports()]
    return offered() + devices + [ThereIs(address, "allowed by the operator") for address in sorted(settings.TAP_ALLOWS - {"local"})]


def offered() -> list[ThereIs]:
    """Stand-in lines on ptys (`./bell line`)."""
    found = []
    for file in sorted((Path(settings.VAR) / OFFERS).glob("*.json")):
        try:
            offer = json.loads(file.read_text())
            os.kill(int(file.stem), 0)
            found.append(ThereIs(offer["address"], offer["about"]))
        except (OSError, ValueError, KeyError):
            file.unlink(missing_ok=True)  # whoever offered it is gone
    return found


def offer(address: str, about: str) -> Path:
    """Let taps on this machine know of a line while this process lives; returns the file that says so."""
    folder = Path(settings.VAR) / OFFERS
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / f"{os.getpid()}.json"
    half = file.with_suffix(".half")  # whoever looks meanwhile must not take a half-written note for one that is left over
    half.write_text(json.dumps(asdict(ThereIs(address, about))))
    half.replace(file)
    return file
