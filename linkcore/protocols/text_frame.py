"""Text frames between a board and a digital video link. Ours: no open standard says how text gets on such a picture.

A7, kind, length of what follows, that many bytes, and a CRC-8 of polynomial 07 over kind, length and bytes. The link tells its size (S: columns, rows) twice a second; the board begins a picture (B), writes
text on it (T: row and column from 1, then printable ASCII), and ends it (E: shown from now on).
"""

from __future__ import annotations

from collections.abc import Sequence

from fastcrc import crc8

from linkcore.protocols.base import Field, Frame, SerialSpec, TelemetryFrame, byte_field, checksum_field
from linkcore.protocols.finding import ScanDecoder
from linkcore.signal.uart import UartSettings

SYNC = 0xA7
SIZE, BEGIN, TEXT, END = b"S"[0], b"B"[0], b"T"[0], b"E"[0]
MOST = 62  # bytes between length and checksum
GAP_S = 0.002
_KINDS = {SIZE: "screen_size", BEGIN: "screen_begin", TEXT: "screen_text", END: "screen_end"}


def checksum(data: bytes) -> int:
    """CRC-8 of polynomial 07, start 00."""
    return int(crc8.smbus(data))


def _frame(kind: int, payload: bytes = b"") -> bytes:
    if len(payload) > MOST:
        raise ValueError(f"a text frame carries {MOST} bytes at most, not {len(payload)}")
    body = bytes((kind, len(payload))) + payload
    return bytes((SYNC,)) + body + bytes((checksum(body),))


def encode_size(columns: int, rows: int) -> bytes:
    """What a link says of itself."""
    return _frame(SIZE, bytes((columns, rows)))


def encode_text(row: int, column: int, text: str) -> bytes:
    """A stretch of text; raise ValueError where it is too long, or not printable ASCII."""
    if not all(" " <= letter <= "~" for letter in text):
        raise ValueError(f"{text!r} is not printable ASCII")
    return _frame(TEXT, bytes((row, column)) + text.encode("ascii"))


def encode_picture(rows: Sequence[str]) -> bytes:
    """All that stands on a picture, from its begin to its end."""
    said = [_frame(BEGIN)]
    for number, row in enumerate(rows, 1):
        begin = 0
        while begin < len(row):
            if row[begin] == " ":
                begin += 1
                continue
            end = row.find("  ", begin)
            stretch = row[begin : len(row) if end < 0 else end][: MOST - 2]
            said.append(encode_text(number, begin + 1, stretch))
            begin += len(stretch)
    return b"".join([*said, _frame(END)])


class TextDecoder(ScanDecoder):
    """See ScanDecoder."""

    starts = frozenset((SYNC,))
    gap_s = GAP_S
    what_fails = "kind, length or checksum do not fit"

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if at + 1 < size and held[at + 1] not in _KINDS:
            return 0
        if at + 3 > size:
            return None
        return 4 + held[at + 2] if held[at + 2] <= MOST else 0

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        kind, payload = frame[1], frame[3:-1]
        if checksum(frame[1:-1]) != frame[-1]:
            return None
        values: dict[str, float | int | str] = {}
        if kind == SIZE and len(payload) == 2:
            values = {"columns": payload[0], "rows": payload[1]}
        elif kind == TEXT and len(payload) > 2 and payload[2:].isascii():
            values = {"row": payload[0], "column": payload[1], "text": payload[2:].decode("ascii")}
        elif payload or kind in (SIZE, TEXT):
            return None
        return TelemetryFrame(t, _KINDS[kind], values)


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    if len(frame) < 4:
        return [byte_field("sync", frame, 0, ok=False)]
    fields = [byte_field("sync", frame, 0), byte_field("kind", frame, 1, means=_KINDS.get(frame[1], "unknown")), byte_field("length", frame, 2)]
    if len(frame) > 4:
        fields.append(byte_field("payload", frame, 3, len(frame) - 4))
    return [*fields, checksum_field(frame, len(frame) - 1, checksum(frame[1:-1]))]


SPEC = SerialSpec(
    name="text frame",
    role="device",
    uart=UartSettings(115_200),
    channels=0,
    frame_bytes=6,
    periods_s=(0.2, 0.5),
    checksum=True,
    decoder=TextDecoder,
    explain=explain,
)
