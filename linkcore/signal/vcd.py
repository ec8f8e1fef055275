"""Reading value change dumps (IEEE 1364-2005, section 18), in bounded memory and fast enough for long captures."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from linkcore.signal.edges import NO_TIMES, Times
from linkcore.signal.recordings import MAX_TOKEN, ByteStream, Recording, RecordingError, chunks

MOST_LINES = 512  # the widest recorders have a tenth of it
_KEYWORD = re.compile(rb"\$(\w+)(?=\s)")
_MAX_HEADER = 4 << 20
_UNITS = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9, "ps": 1e-12, "fs": 1e-15}
_SPACE = np.zeros(256, dtype=bool)
_SPACE[[9, 10, 11, 12, 13, 32]] = True
_SCALAR = np.zeros(256, dtype=bool)
_SCALAR[list(b"01xXzZ")] = True
_RARE = np.zeros(256, dtype=bool)
_RARE[list(b"$bBrR")] = True
_DUMP_WORDS = {b"$dumpvars", b"$dumpall", b"$dumpon", b"$dumpoff", b"$end"}


@dataclass(frozen=True)
class VcdLine:
    """A signal one bit wide: its `name` (the last part of its path) and the short code it has in the file."""

    name: str
    code: bytes


class VcdReader:
    """Reads the header at once; then `edges` streams the toggles of one line."""

    def __init__(self, stream: ByteStream, chunk_size: int = 1 << 19) -> None:
        """Raise RecordingError where the header is not that of a value change dump."""
        self._chunks = chunks(stream, chunk_size)
        self.lines: list[VcdLine] = []
        self.recording = Recording()
        self._scale = 1e-9
        self._rest = self._read_header()

    # --- header -------------------------------------------------------------------------------------------------

    def _read_header(self) -> bytes:
        head = b""
        while True:
            end = re.search(rb"\$enddefinitions\s+\$end", head)
            if end:
                break
            piece = next(self._chunks, b"")
            if head == b"" and not piece.lstrip().startswith(b"$"):
                raise RecordingError("line 1: not a value change dump: it does not begin with a $ keyword")
            if not piece:
                lines = head.count(b"\n") + 1
                raise RecordingError(f"line {lines}: the file ends inside its header, before $enddefinitions; record it again")
            head += piece
            if len(head) > _MAX_HEADER and not re.search(rb"\$enddefinitions\s+\$end", head):
                raise RecordingError("no $enddefinitions in the first 4 MB: this is not a value change dump")
        header, rest = head[: end.end()], head[end.end() :]
        self._line_no = header.count(b"\n") + 1
        scale = None
        at, where, counted = 0, 1, 0
        while (match := _KEYWORD.search(header, at)) is not None:
            closes = header.find(b"$end", match.end())
            word, body = match[1], header[match.end() : closes].strip()
            at = closes + 4
            where += header.count(b"\n", counted, match.start())
            counted = match.start()
            if word == b"timescale":
                scale = self._timescale(body, where)
            elif word == b"var":
                self._variable(body.split(), where)
        if scale is None:
            raise RecordingError("the header has no $timescale, so its times mean nothing; export the capture again with one")
        self._scale = scale
        if not self.lines:
            raise RecordingError("the header declares no signal one bit wide; export the line as a single bit")
        return rest

    @staticmethod
    def _timescale(body: bytes, where: int) -> float:
        match = re.fullmatch(rb"(\d+)\s*([munpf]?s)", body)
        if not match or int(match[1]) not in (1, 10, 100):
            shown = body[:20].decode("ascii", "replace")
            raise RecordingError(f"line {where}: timescale {shown!r} is not 1, 10 or 100 of s, ms, us, ns, ps or fs")
        return int(match[1]) * _UNITS[match[2].decode()]

    def _variable(self, words: list[bytes], where: int) -> None:
        if len(words) < 4 or not words[1].isdigit():
            raise RecordingError(f"line {where}: a $var needs a kind, a width, a code and a name")
        if int(words[1]) == 1:
            if len(self.lines) >= MOST_LINES:
                raise RecordingError(f"line {where}: more than {MOST_LINES} signals; export those that you need")
            self.lines.append(VcdLine(words[3].decode("utf-8", "replace"), words[2]))

    def line(self, name: str) -> VcdLine:
        """The line called `name`; raise RecordingError listing those that are there."""
        for line in self.lines:
            if line.name == name:
                return line
        there = ", ".join(line.name for line in self.lines[:12])
        raise RecordingError(f"no line called {name!r} in this file; it has {there}")

    # --- body ---------------------------------------------------------------------------------------------------

    def edges(self, line: VcdLine) -> Iterator[Times]:
        """Blocks of toggle times of `line`, in seconds from time 0 of the file. Read once only."""
        self._now = 0
        self._level: int | None = None
        self._in_comment = False
        self._id_comes = False
        left = self._rest
        for piece in self._chunks_after(left):
            block = self._parse(piece, line.code)
            self.recording.end_s = self._now * self._scale
            if len(block):
                yield block
        if self._level is None:
            self.recording.notes.append(f"the line {line.name} never takes a level")
        self.recording.end_s = self._now * self._scale

    def _chunks_after(self, left: bytes) -> Iterator[bytes]:
        """Pieces that end at white space; a token cut by the file's end is dropped with a note."""
        for piece in self._chunks:
            left += piece
            cut = max(left.rfind(b"\n"), left.rfind(b" "))
            if cut < 0:
                if len(left) > MAX_TOKEN:
                    raise RecordingError(f"line {self._line_no}: over 1 MB without white space; this is not a value change dump")
                continue
            yield left[: cut + 1]
            left = left[cut + 1 :]
        if left:
            if left[-1:].isspace():
                yield left
                return
            cut = max(left.rfind(b"\n"), left.rfind(b" "))
            self.recording.notes.append("the file ends in mid-line: its last entry was left out")
            if cut >= 0:
                yield left[: cut + 1]

    def _parse(self, piece: bytes, code: bytes) -> Times:
        text = np.frombuffer(piece, dtype=np.uint8)
        begins, ends = self._tokens(piece, text)
        if len(begins) == 0:
            self._line_no += piece.count(b"\n")
            return NO_TIMES
        lengths = ends - begins
        first = text[begins]
        live = self._unusual(piece, begins, ends, first)

        is_stamp = (first == ord("#")) & live
        stamps = np.flatnonzero(is_stamp)
        times = self._stamps(text, begins[stamps], lengths[stamps], piece)
        scalar = _SCALAR[first]
        wanted = live & scalar & (lengths == 1 + len(code))
        for offset, byte in enumerate(code, 1):
            wanted[wanted] = text[begins[wanted] + offset] == byte
        changes = np.flatnonzero(wanted)
        strange = live & ~(is_stamp | scalar)
        if strange.any():
            odd = int(strange.argmax())
            self._fail(piece, int(begins[odd]), int(ends[odd]), "is neither a time nor a value change")

        block = NO_TIMES
        if len(changes):
            stamped = np.concatenate(([self._now], times))
            when = stamped[np.cumsum(is_stamp)[changes]]
            value = first[changes]
            certain = (value == ord("0")) | (value == ord("1"))
            if not certain.all():
                self._note_uncertain()
            levels = (value[certain] - ord("0")).astype(np.int64)
            when = when[certain]
            if len(levels):
                if self._level is None:
                    self._level = int(levels[0])
                    self.recording.level = self._level
                before = np.concatenate(([self._level], levels[:-1]))
                block = when[levels != before] * self._scale
                self._level = int(levels[-1])
        if len(times):
            self._now = int(times[-1])
        self._line_no += piece.count(b"\n")
        return block

    @staticmethod
    def _tokens(piece: bytes, text: NDArray[np.uint8]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Where the words of a piece begin and end; a piece ends with white space."""
        if piece[-1:] == b"\n" and not any(mark in piece for mark in (b" ", b"\t", b"\r", b"\v", b"\f")):
            ends = np.flatnonzero(text == 10)  # a word a line: what nearly every program writes
            begins = np.concatenate(([0], ends[:-1] + 1))
            if (ends > begins).all():
                return begins, ends
        space = _SPACE[text]
        begins = np.flatnonzero(~space & np.concatenate(([True], space[:-1])))
        return begins, np.flatnonzero(space & np.concatenate(([False], ~space[:-1])))

    def _note_uncertain(self) -> None:
        note = "levels x and z were taken as no change"
        if note not in self.recording.notes:
            self.recording.notes.append(note)

    def _stamps(self, text: NDArray[np.uint8], begins: NDArray[np.int64], lengths: NDArray[np.int64], piece: bytes) -> NDArray[np.int64]:
        if len(begins) == 0:
            return np.empty(0, dtype=np.int64)
        longest = int(lengths.max())
        if longest > 19:
            at = int(begins[int(lengths.argmax())])
            self._fail(piece, at, at + 24, "is no time that a capture can have")
        if int(lengths.min()) < 2:
            at = int(begins[int(lengths.argmin())])
            self._fail(piece, at, at + 1, "is a time without digits")
        times = np.zeros(len(begins), dtype=np.int64)
        for length in np.flatnonzero(np.bincount(lengths)).tolist():
            those = lengths == length
            first = begins[those] + 1
            value = np.zeros(len(first), dtype=np.int64)
            for place in range(length - 1):
                digit = text[first + place] - np.uint8(ord("0"))  # anything but a digit wraps to above 9
                if digit.max() > 9:
                    at = int(first[int((digit > 9).argmax())]) - 1
                    self._fail(piece, at, at + 20, "is not a whole number of time steps")
                value *= 10
                value += digit
            times[those] = value
        backwards = np.diff(np.concatenate(([self._now], times))) < 0
        if backwards.any():
            at = int(begins[int(backwards.argmax())])
            self._fail(piece, at, at + 20, "lies before the time above it: times run backwards")
        return times

    def _unusual(self, piece: bytes, begins: NDArray[np.int64], ends: NDArray[np.int64], first: NDArray[np.uint8]) -> NDArray[np.bool_]:
        """Which tokens are plain times and changes: keywords, comments and vectors (with their codes) are not."""
        live = np.ones(len(begins), dtype=bool)
        rare = np.flatnonzero(_RARE[first])
        if self._id_comes or self._in_comment:
            rare = np.union1d(rare, [0])
        skip_to = 0
        for at in rare.tolist():
            if at < skip_to:
                continue
            token = piece[int(begins[at]) : int(ends[at])]
            if self._in_comment:
                stop = self._find(piece, begins, ends, at, b"$end")
                live[at : stop + 1] = False
                skip_to = stop + 1
                self._in_comment = stop >= len(begins)
            elif self._id_comes:
                live[at] = False
                self._id_comes = False
            elif token in _DUMP_WORDS:
                live[at] = False
            elif token.startswith(b"$"):
                stop = self._find(piece, begins, ends, at, b"$end")
                live[at : stop + 1] = False
                skip_to = stop + 1
                self._in_comment = stop >= len(begins)
            else:
                live[at : at + 2] = False
                skip_to = at + 2
                self._id_comes = at + 1 >= len(begins)
        return live

    @staticmethod
    def _find(piece: bytes, begins: NDArray[np.int64], ends: NDArray[np.int64], start: int, word: bytes) -> int:
        for at in range(start, len(begins)):
            if piece[int(begins[at]) : int(ends[at])] == word:
                return at
        return len(begins)

    def _fail(self, piece: bytes, begin: int, end: int, what: str) -> None:
        line_no = self._line_no + piece[:begin].count(b"\n")
        token = piece[begin:end].split()[0][:24].decode("ascii", "replace")
        raise RecordingError(f"line {line_no}: {token!r} {what}")
