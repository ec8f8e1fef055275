"""Intel HEX and raw binary: what bytes go where. Intel, "Hexadecimal Object File Format Specification", revision A."""

from __future__ import annotations

import hashlib
import io
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import NoReturn

import bincopy

from linkcore.devices.image_facts import MOST_BYTES, ImageError

DATA, END, SEGMENT, START_SEGMENT, LINEAR, START_LINEAR = range(6)
_LENGTHS = {END: 0, SEGMENT: 2, START_SEGMENT: 4, LINEAR: 2, START_LINEAR: 4}
_PER_RECORD = 16
_RECORD_LETTERS = 11  # colon, length, address, type, checksum
ERASED = 0xFF
_MOST_LINES = 2 * MOST_BYTES // _PER_RECORD  # records of the usual length, with an empty line after each
_TOO_LARGE = f"an image larger than {MOST_BYTES >> 20} MB is not taken"


@dataclass(frozen=True)
class Content:
    """An image's bytes from `address` on, gaps filled as erased flash reads. `gaps`: (first address, length); `start`: where the program begins, if said."""

    address: int
    data: bytes
    gaps: tuple[tuple[int, int], ...] = ()
    start: int | None = None
    placed: bool = True

    @cached_property
    def sha256(self) -> str:
        """Of the bytes, in hexadecimal."""
        return hashlib.sha256(self.data).hexdigest()

    @property
    def crc32(self) -> str:
        """Of the bytes, as eight hexadecimal digits."""
        return f"{zlib.crc32(self.data):08X}"

    @property
    def end(self) -> int:
        """The first address behind it."""
        return self.address + len(self.data)

    def at(self, address: int) -> Content:
        """A raw binary's bytes, placed at an address."""
        return self if self.placed else Content(address, self.data, self.gaps, self.start, placed=True)


def read_binary(data: bytes) -> Content:
    """Raw bytes, which say nothing of where they go. Raise ImageError where there are none, or too many."""
    if not data:
        raise ImageError("the file is empty: zero bytes are no image; fetch it again")
    if len(data) > MOST_BYTES:
        raise ImageError(f"{len(data) / (1 << 20):.1f} MB: {_TOO_LARGE}")
    return Content(0, data, placed=False)


def read_named(name: str, data: bytes) -> Content:
    """Bytes as the ending of their file's name says. Raise ImageError where it says neither .hex nor .bin."""
    readers = {".hex": read_hex, ".bin": read_binary}
    ending = next((each for each in readers if name.lower().endswith(each)), None)
    if ending is None:
        raise ImageError("the ending of its name says neither .hex nor .bin; rename it to what it is")
    return readers[ending](data)


def read_hex(text: bytes) -> Content:
    """Intel HEX. Raise ImageError that names the line of the first record that is wrong."""
    base, start, total = 0, None, 0
    ended_in = 0
    placed: list[tuple[int, bytes, int]] = []  # address, data, line
    for line, raw in enumerate(_lines(text), 1):
        record = raw.strip()
        if line > _MOST_LINES:
            _bad(line, f"more than {_MOST_LINES:,} lines: {_TOO_LARGE}")
        if not record:
            continue
        if ended_in:
            _bad(line, f"there is more after the end record in line {ended_in}; two files may have been joined, or the end is in the wrong place")
        kind, offset, size, data = _unpack(line, record)
        if kind == DATA:
            if offset + size > 0x10000:
                _bad(line, f"the record begins at {offset:04X} and runs over the end of its 64 kB")
            total += size
            if total > MOST_BYTES:
                _bad(line, _TOO_LARGE)
            if size:
                placed.append((base + offset, data, line))
        elif kind in _LENGTHS:
            if size != _LENGTHS[kind]:
                _bad(line, f"a record of type {kind:02X} has {_LENGTHS[kind]} bytes, and this one {size}")
            if kind == END:
                ended_in = line
            elif kind in (SEGMENT, LINEAR):
                base = int.from_bytes(data, "big") << (4 if kind == SEGMENT else 16)
            else:
                start = int.from_bytes(data, "big") if kind == START_LINEAR else (int.from_bytes(data[:2], "big") << 4) + int.from_bytes(data[2:], "big")
        else:
            _bad(line, f"record type {kind:02X} is none that Intel HEX knows (00 to 05)")
    if not ended_in:
        raise ImageError("the file has no end record (:00000001FF): it was cut off; fetch it again")
    if not placed:
        raise ImageError("the file has no data record: there is nothing to write")
    return _flat(placed, start)


def _lines(text: bytes) -> Iterator[bytes]:
    """A line at a time, however they end."""
    return iter(io.BytesIO(text if b"\n" in text else text.replace(b"\r", b"\n")))


def _unpack(line: int, record: bytes) -> tuple[int, int, int, bytes]:
    try:
        kind, offset, size, data = bincopy.unpack_ihex(record.decode("ascii"))
        if len(record) == _RECORD_LETTERS + 2 * size:
            return kind, offset, size, data
    except (bincopy.Error, ValueError) as error:
        if not record.startswith(b":"):
            _bad(line, "a record begins with a colon; this is no Intel HEX, or a piece of a line is missing")
        if isinstance(error, bincopy.Error) and "crc" in str(error):
            found = -sum(bytes.fromhex(record[1:-2].decode())) & 0xFF
            _bad(
                line, f"the record's checksum says {record[-2:].decode().upper()}, its bytes give {found:02X}; the file was damaged on its way: fetch it again"
            )
        digits = b"0123456789abcdefABCDEF"
        wrong = next((chr(letter) for letter in record[1:] if letter not in digits), None)
        if wrong is not None:
            _bad(line, f"{wrong!r} is no hexadecimal digit")
    _bad(
        line,
        f"the record's length does not fit: it says {record[1:3].decode('ascii', 'replace')} and has {max(0, (len(record) - _RECORD_LETTERS) // 2)} data bytes",
    )


def _flat(placed: list[tuple[int, bytes, int]], start: int | None) -> Content:
    ordered = sorted(placed, key=lambda each: each[0])
    lowest, last = ordered[0][0], ordered[-1]
    span = last[0] + len(last[1]) - lowest
    if span > MOST_BYTES:
        raise ImageError(f"its records lie {span / (1 << 20):.1f} MB apart, from {lowest:08X} on: {_TOO_LARGE}")
    flat = bytearray([ERASED]) * span
    gaps: list[tuple[int, int]] = []
    reached, by = lowest, 0
    for address, data, line in ordered:
        if address < reached:
            first, second = sorted((by, line))
            _bad(second, f"the record writes to {address:08X}, where line {first} has written already")
        if address > reached:
            gaps.append((reached, address - reached))
        flat[address - lowest : address - lowest + len(data)] = data
        reached, by = address + len(data), line
    return Content(lowest, bytes(flat), tuple(gaps), start)


def _bad(line: int, text: str) -> NoReturn:
    raise ImageError(f"line {line}: {text}")


def write_hex(content: Content) -> bytes:
    """As Intel HEX, 16 bytes a record; no record runs over a 64 kB edge."""
    lines: list[str] = []
    upper = None
    at, data = content.address, content.data
    done = 0
    while done < len(data):
        address = at + done
        if address >> 16 != upper:
            upper = address >> 16
            lines.append(bincopy.pack_ihex(LINEAR, 0, 2, upper.to_bytes(2, "big")))
        size = min(_PER_RECORD - address % _PER_RECORD, len(data) - done)
        lines.append(bincopy.pack_ihex(DATA, address & 0xFFFF, size, data[done : done + size]))
        done += size
    if content.start is not None:
        lines.append(bincopy.pack_ihex(START_LINEAR, 0, 4, content.start.to_bytes(4, "big")))
    lines.append(bincopy.pack_ihex(END, 0, 0, None))
    return ("\n".join(lines) + "\n").encode("ascii")
