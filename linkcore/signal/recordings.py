"""What the readers of capture files have in common."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Protocol

MAX_TOKEN = 1 << 20  # bytes: nothing in these formats is longer; an endless line must not fill the memory


class RecordingError(ValueError):
    """The file cannot be read as what it says it is. The text says where and what to do."""


@dataclass
class Recording:
    """One line of a capture, streamed.

    `level` is known once the first block has come; `blocks` yields ascending toggle times in seconds from the start
    of the capture; `end_s` is the last time read so far; `notes` gather what was passed over.
    """

    level: int = 0
    end_s: float = 0.0
    notes: list[str] = field(default_factory=list)


class ByteStream(Protocol):
    """What the readers need of a file: `read(n)`, as of a binary file."""

    def read(self, size: int, /) -> bytes:
        """At most `size` bytes; none at the end."""
        ...


def chunks(stream: ByteStream, size: int = 1 << 22) -> Iterator[bytes]:
    """The stream in pieces of at most `size` bytes."""
    while piece := stream.read(size):
        yield piece


def whole_lines(pieces: Iterator[bytes], what: str) -> Iterator[bytes]:
    """The same, cut behind line ends; `what` it should have been, where none comes for long."""
    left = b""
    for piece in pieces:
        left += piece
        cut = left.rfind(b"\n")
        if cut < 0:
            if len(left) > MAX_TOKEN:
                raise RecordingError(f"over 1 MB without a line end: not {what}")
            continue
        yield left[: cut + 1]
        left = left[cut + 1 :]
    if left.strip():
        yield left + b"\n"
