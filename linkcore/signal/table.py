"""Reading a capture kept as a table: `time_s,level`, one row a change (or a sample), header optional."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from linkcore.signal.edges import NO_TIMES, Times
from linkcore.signal.recordings import ByteStream, Recording, RecordingError, chunks, whole_lines


class CsvReader:
    """Streams the toggles of a two-column table. Times may start anywhere but must not run backwards."""

    def __init__(self, stream: ByteStream, chunk_size: int = 1 << 22) -> None:
        self._chunks = chunks(stream, chunk_size)
        self.recording = Recording()

    def edges(self) -> Iterator[Times]:
        """Blocks of toggle times in seconds, as the table gives them."""
        level: int | None = None
        now = -np.inf
        line_no = 1
        for piece in whole_lines(self._chunks, "a table of time_s,level"):
            if line_no == 1 and not _is_row(piece.split(b"\n", 1)[0]):
                head, _, piece = piece.partition(b"\n")
                if b"," not in head or any(char < 9 for char in head):
                    raise RecordingError("line 1: not a table of time_s,level")
                line_no += 1
            values = self._numbers(piece, line_no)
            rows = values.reshape(-1, 2)
            if len(rows):
                times, levels = rows[:, 0], rows[:, 1]
                self._check(times, levels, now, line_no)
                steps = levels.astype(np.int64)
                if level is None:
                    level = int(steps[0])
                    self.recording.level = level
                before = np.concatenate(([level], steps[:-1]))
                level, now = int(steps[-1]), float(times[-1])
                self.recording.end_s = now
                block = times[steps != before]
                if len(block):
                    yield block
            line_no += piece.count(b"\n")
        if level is None:
            raise RecordingError("the table has no rows; it needs lines of time_s,level")

    @staticmethod
    def _numbers(piece: bytes, line_no: int) -> Times:
        rows = piece.split(b"\n")
        if all(row.count(b",") == 1 for row in rows if row.strip()):
            cells = [cell for cell in piece.replace(b"\n", b",").replace(b"\r", b"").split(b",") if cell]
            try:
                if len(cells) == 2 * sum(bool(row.strip()) for row in rows):
                    return np.array(cells, dtype=np.float64)
            except ValueError:
                pass
        for offset, row in enumerate(rows):
            if row.strip() and not _is_row(row):
                shown = row[:30].decode("ascii", "replace").strip()
                raise RecordingError(f"line {line_no + offset}: {shown!r} is not a time and a level with a comma between")
        return NO_TIMES

    @staticmethod
    def _check(times: Times, levels: Times, now: float, line_no: int) -> None:
        wrong = np.diff(np.concatenate(([now], times))) < 0
        if wrong.any():
            raise RecordingError(f"line {line_no + int(wrong.argmax())}: times run backwards")
        odd = (levels != 0) & (levels != 1)
        if odd.any():
            raise RecordingError(f"line {line_no + int(odd.argmax())}: the level is neither 0 nor 1")
        if not np.isfinite(times).all():
            raise RecordingError(f"line {line_no + int((~np.isfinite(times)).argmax())}: the time is not a number")


def _is_row(row: bytes) -> bool:
    cells = row.split(b",")
    if len(cells) != 2:
        return False
    try:
        float(cells[0])
        float(cells[1])
    except ValueError:
        return False
    return True
