"""Opening a capture file by what its ending says it is."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

import numpy as np

from linkcore.hops.line.identify import Identified, identify_bytes, identify_edges
from linkcore.signal.edges import NO_TIMES, Edges, Times
from linkcore.signal.recordings import Recording, RecordingError
from linkcore.signal.table import CsvReader
from linkcore.signal.vcd import VcdReader

LOOK_S = 1.0  # how much of a capture is looked at to name what is on it
_MAX_LOOK_BYTES = 1 << 20


@dataclass
class Source:
    """A capture file and, where it holds several lines, the one to read."""

    path: Path
    line: str | None = None
    _stream: IO[bytes] | None = None

    @property
    def progress(self) -> float:
        """How much of the file has been read, 0 to 1."""
        size = self.path.stat().st_size
        return self._stream.tell() / size if self._stream and not self._stream.closed and size else 0.0

    @property
    def timed(self) -> bool:
        """False for bytes without times."""
        return self._kind != ".bin"

    @property
    def _kind(self) -> str:
        kind = self.path.suffix.lower()
        if kind not in (".vcd", ".csv", ".bin"):
            raise RecordingError(f"{self.path.name}: the ending says neither .vcd, .csv nor .bin; rename it to what it is")
        return kind

    def lines(self) -> list[str]:
        """The names of the lines in the file; one unnamed line for the kinds that hold just one."""
        if self._kind != ".vcd":
            return [""]
        with self.path.open("rb") as stream:
            return [line.name for line in VcdReader(stream).lines]

    def blocks(self) -> Iterator[tuple[Recording, Times]]:
        """The toggles of the chosen line, with the recording as far as it has been read."""
        with self.path.open("rb") as stream:
            self._stream = stream
            if self._kind == ".csv":
                table = CsvReader(stream)
                for block in table.edges():
                    yield table.recording, block
                yield table.recording, NO_TIMES
            else:
                reader = VcdReader(stream)
                for block in reader.edges(reader.line(self.line) if self.line else reader.lines[0]):
                    yield reader.recording, block
                yield reader.recording, NO_TIMES

    def first_look(self) -> tuple[Edges, float]:
        """About the first second of signal: (edges, end in seconds)."""
        gathered: list[Times] = []
        recording = Recording()
        for recording, block in self.blocks():
            gathered.append(block)
            first = next((piece[0] for piece in gathered if len(piece)), None)
            if first is not None and recording.end_s - first > LOOK_S:
                break
        edges = Edges(recording.level, np.concatenate(gathered) if gathered else NO_TIMES)
        end = recording.end_s
        if len(edges.times) and end - edges.times[0] > LOOK_S:
            end = float(edges.times[0]) + LOOK_S
            edges = edges.between(0.0, end)
        return edges, end


def identify(source: Source) -> Identified:
    """Name what is on the chosen line; where none is chosen and there are several, settle on the one best understood."""
    if not source.timed:
        with source.path.open("rb") as stream:
            return identify_bytes(stream.read(_MAX_LOOK_BYTES))
    if source.line is not None or len(source.lines()) == 1:
        return identify_edges(*source.first_look())
    names = source.lines()[:16]
    findings = [identify_edges(*Source(source.path, name).first_look()) for name in names]
    best = max(range(len(names)), key=lambda at: (round(findings[at].confidence, 1), findings[at].frames_per_s or 0.0))
    source.line = names[best]
    print(f"bell: {source.path.name} has several lines; read {source.line!r} (--line picks another)", file=sys.stderr)
    return findings[best]
