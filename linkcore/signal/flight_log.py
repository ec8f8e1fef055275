"""A flight's log of the link: CSV with columns of any name and order, streamed; what each column is follows from its name and its unit.

A row is a frame (`lost` 0 or 1), or some frames (`expected` or `received`, and `lost`, as counts).
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
import numpy.typing as npt

from linkcore.signal.recordings import ByteStream, RecordingError, chunks, whole_lines

SignalKind = Literal["rssi_dbm", "rssi_percent", "lq_percent"]
Role = Literal["time", "rssi", "lq", "lost", "expected", "received", "distance", "latitude", "longitude"]
Column = npt.NDArray[np.float64]

EARTH_M = 6_371_000.0  # mean radius
FEWEST_ROWS = 20
_NAMES: dict[Role, tuple[str, ...]] = {  # whole words of a heading, each list in the order in which it is looked for
    "time": ("time", "timestamp", "t", "seconds", "elapsed"),
    "rssi": ("rssi",),
    "lq": ("lq", "quality"),
    "lost": ("lost", "losses", "missing", "missed"),
    "expected": ("expected", "sent", "total"),
    "received": ("received", "heard", "good"),
    "distance": ("distance", "range"),
    "latitude": ("latitude", "lat"),
    "longitude": ("longitude", "lon", "lng", "long"),
}
_TIMES = {"us": 1e-6, "µs": 1e-6, "ms": 1e-3, "s": 1.0, "sec": 1.0, "seconds": 1.0}
_METRES = {"m": 1.0, "km": 1000.0}


@dataclass
class FlightLog:
    """What a log says, a row an entry. `time_s` and `distance_m` None where it has none; `says`: what was odd about it, for people."""

    kind: SignalKind
    value: Column
    expected: Column
    lost: Column
    time_s: Column | None = None
    distance_m: Column | None = None
    says: list[str] = field(default_factory=list)


def roles_of(heads: list[str]) -> dict[Role, int]:
    """Which column is which, by the words of its heading: RSSI in dBm before percent, a column of one antenna or direction after one of none."""
    words = [re.findall(r"[a-zµ%]+", head.lower()) for head in heads]
    found: dict[Role, int] = {}
    for role, names in _NAMES.items():
        fit = [index for index, said in enumerate(words) if any(name in said for name in names) and index not in found.values()]
        if fit:
            found[role] = min(
                fit, key=lambda index: (role == "rssi" and "dbm" not in words[index], any(map(str.isdigit, heads[index])), len(words[index]), index)
            )
    return found


def heads_of(row: bytes) -> tuple[list[str], str]:
    """(the headings of a log's first row, what stands between them)."""
    mark = next((mark for mark in (",", ";", "\t") if mark.encode() in row), ",")
    return [_text(cell).strip().strip('"') for cell in row.decode("utf-8-sig", "replace").split(mark)], mark


def read_flight_log(stream: ByteStream, roles: Mapping[Role, int] | None = None) -> FlightLog:
    """Read all of it; `roles` where its headings do not say which column is which. Raise RecordingError, with the row, where it is none."""
    lines = whole_lines(chunks(stream, 1 << 22), "a log of rows with commas between")
    first = next(lines, b"")
    head, _, rest = first.partition(b"\n")
    heads, mark = heads_of(head)
    known = dict(roles) if roles is not None else roles_of(heads)
    wild = next((role for role, index in known.items() if not 0 <= index < len(heads)), None)
    if wild is not None:
        raise RecordingError(f"there is no column {known[wild] + 1} for {wild}; the log has {len(heads)}")
    if roles is None and all(_number(cell) is not None for cell in heads):
        raise RecordingError("row 1: the log has no headings; name its columns in the first row, such as time_s,rssi_dbm,lost")
    signal: Role | None = "rssi" if "rssi" in known else "lq" if "lq" in known else None
    if signal is None:
        raise RecordingError(f"no column is RSSI or link quality; the headings are {', '.join(heads)[:200]}")
    if "lost" not in known and not ("expected" in known and "received" in known):
        raise RecordingError("no column counts lost frames: one called lost (0 or 1 a frame, or a count beside expected), or expected and received, is needed")
    used = sorted(set(known.values()))
    columns = _columns(_rows(rest, lines), mark, used, len(heads))
    taken = {role: columns[used.index(index)] for role, index in known.items()}
    return _made(taken, signal, heads, known)


def _rows(rest: bytes, lines: Iterator[bytes]) -> Iterator[bytes]:
    if rest:
        yield rest
    yield from lines


def _text(cell: str) -> str:
    return "".join(letter for letter in cell if letter.isprintable())


def _number(cell: str) -> float | None:
    try:
        return float(cell)
    except ValueError:
        return None


def _columns(pieces: Iterator[bytes], mark: str, used: list[int], width: int) -> list[Column]:
    """The columns that count, as numbers; an empty cell is not known."""
    found: list[Column] = []
    row = 2
    for piece in pieces:
        text = piece.decode("utf-8", "replace")
        lines = text.splitlines()
        try:
            block = np.loadtxt(lines, delimiter=mark, usecols=used, ndmin=2, comments=None)
        except ValueError:
            block = np.array(list(_one_by_one(lines, mark, used, width, row)), dtype=float).reshape(-1, len(used))
        found.append(block)
        row += len(lines)
    whole = np.concatenate(found) if found else np.empty((0, len(used)))
    return list(whole.T)


def _one_by_one(lines: list[str], mark: str, used: list[int], width: int, row: int) -> Iterator[list[float]]:
    for number, line in enumerate(lines, row):
        if not line.strip():
            continue
        cells = line.split(mark)
        if len(cells) <= used[-1]:
            raise RecordingError(f"row {number}: {len(cells)} columns where the headings name {width}")
        values = []
        for index in used:
            cell = cells[index].strip().strip('"')
            value = math.nan if cell == "" else _number(cell)
            if value is None:
                raise RecordingError(f"row {number}, column {index + 1}: {_text(cell)[:40]!r} is no number")
            values.append(value)
        yield values


def _made(taken: dict[Role, Column], signal: Role, heads: list[str], known: Mapping[Role, int]) -> FlightLog:
    says: list[str] = []
    value = taken[signal]
    one = np.ones_like(value)
    expected = taken["expected"] if "expected" in taken else taken["received"] + taken["lost"] if "received" in taken else one
    lost = taken["lost"] if "lost" in taken else expected - taken["received"]
    position = [taken[role] for role in ("distance", "latitude", "longitude") if role in taken]
    whole = np.isfinite(value) & np.isfinite(expected) & np.isfinite(lost)
    if "time" in taken:
        whole &= np.isfinite(taken["time"])
    if not whole.all():
        says.append(f"{int((~whole).sum())} rows without a number were left out")
    value, expected, lost = value[whole], expected[whole], lost[whole]
    position = [each[whole] for each in position]
    if len(value) < FEWEST_ROWS:
        raise RecordingError(f"the log has {len(value)} rows with numbers; at least {FEWEST_ROWS} are needed to say anything")
    wrong = (lost < 0) | (expected < 0) | (lost > expected)
    if wrong.any():
        raise RecordingError(f"entry {int(wrong.argmax()) + 1}: {lost[wrong][0]:g} frames lost of {expected[wrong][0]:g} expected")
    time_s = taken["time"][whole] * _unit(heads[known["time"]], _TIMES) if "time" in taken else None
    if time_s is not None:
        back = np.flatnonzero(np.diff(time_s) < 0)
        if len(back):
            raise RecordingError(f"entry {int(back[0]) + 2}: time runs backwards, from {time_s[back[0]]:g} to {time_s[back[0] + 1]:g} s")
    distance = None
    if "distance" in taken:
        distance = position[0] * _unit(heads[known["distance"]], _METRES)
    elif len(position) == 2:
        distance = from_start(position[0], position[1])
    return FlightLog(_kind(signal, heads[known[signal]], value), value, expected, lost, time_s, distance, says)


def _unit(head: str, units: Mapping[str, float]) -> float:
    """By the last word of a heading, s or m where it names none."""
    words = re.findall(r"[a-zµ]+", head.lower())
    return next((units[word] for word in reversed(words) if word in units), 1.0)


def _kind(signal: Role, head: str, value: Column) -> SignalKind:
    if signal == "lq":
        if value.min() < 0 or value.max() > 100:
            raise RecordingError(f"link quality runs from {value.min():g} to {value.max():g}; percent were expected")
        return "lq_percent"
    if "dbm" in head.lower() or value.max() < 0:
        if value.min() < -200 or value.max() > 60:
            raise RecordingError(f"RSSI runs from {value.min():g} to {value.max():g} dBm, which no receiver measures")
        return "rssi_dbm"
    if value.min() >= 0 and value.max() <= 100:
        return "rssi_percent"
    raise RecordingError(f"RSSI runs from {value.min():g} to {value.max():g}: neither dBm nor percent")


def from_start(latitude: Column, longitude: Column, first: int = 0) -> Column:
    """Metres from the position of a row, over ground; a flight's length is small beside the earth."""
    north = np.radians(latitude - latitude[first])
    east = np.radians(longitude - longitude[first]) * np.cos(np.radians(latitude[first]))
    return np.asarray(EARTH_M * np.hypot(north, east), dtype=np.float64)
