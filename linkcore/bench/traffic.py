"""What came in at the receiver port during the last second."""

from __future__ import annotations

from collections import deque

from linkcore.devices.port import PortReading
from linkcore.hops.line.inspect import letter
from linkcore.protocols.base import Frame
from linkcore.standins.board import StandInBoard

WINDOW_S = 1.0


class PortTraffic:
    """Edges, bytes and frames of the last second."""

    def __init__(self) -> None:
        self._frames: deque[tuple[float, str]] = deque()
        self._bad = 0
        self._others: deque[float] = deque()
        self._bytes: deque[tuple[float, int, int]] = deque()
        self._edges: deque[tuple[float, int, int]] = deque()

    def count(self, t: float, sent: int, heard: int, size: int, errors: int, frames: list[Frame]) -> None:
        """What a slice up to `t` brought: edges that left the receiver and that reached the pad, bytes, those with errors, frames."""
        self._edges.append((t, sent, heard))
        if size:
            self._bytes.append((t, size, errors))
        for frame in frames:
            mark = letter(frame)
            if mark == "t":
                self._others.append(t)
            if mark in "tp":
                continue
            self._bad += mark == "b"
            self._frames.append((frame.t if frame.t is not None else t, mark))
        oldest = t - WINDOW_S
        while self._others and self._others[0] <= oldest:
            self._others.popleft()
        while self._frames and self._frames[0][0] < oldest:
            self._bad -= self._frames.popleft()[1] == "b"
        while self._bytes and self._bytes[0][0] <= oldest:
            self._bytes.popleft()
        while self._edges and self._edges[0][0] <= oldest:
            self._edges.popleft()

    def reading(self, board: StandInBoard) -> PortReading:
        """All of it, at the port where this board listens."""
        return PortReading(
            port=board.port,
            pad=board.rx_pad.name if board.rx_pad else None,
            edges_at_pad=sum(heard for _, _, heard in self._edges),
            bytes=sum(size for _, size, _ in self._bytes),
            good=len(self._frames) - self._bad,
            bad=self._bad,
            errors=sum(errors for _, _, errors in self._bytes),
            without_channels=len(self._others),
        )

    @property
    def edges_sent(self) -> int:
        """Edges that left the receiver, wherever its wire ends."""
        return sum(sent for _, sent, _ in self._edges)

    @property
    def marks(self) -> str:
        """One letter a frame: g good, b bad, l lost, f failsafe."""
        return "".join(mark for _, mark in self._frames)
