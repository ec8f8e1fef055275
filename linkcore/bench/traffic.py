"""What came in at the receiver port during the last second."""

from __future__ import annotations

from collections import deque

from linkcore.devices.port import PortReading
from linkcore.hops.line.inspect import letter
from linkcore.protocols.base import Frame
from linkcore.standins.board import StandInBoard

WINDOW_S = 1.0
HOME_S = 5.0


class PortTraffic:
    """Edges, bytes and frames of the last second, counted from `since` (bench seconds) on."""

    def __init__(self, since: float = 0.0) -> None:
        self.since = since
        self._frames: deque[float] = deque()
        self._marks: deque[str] = deque()
        self._bad = 0
        self._others: deque[float] = deque()
        self._bytes: deque[tuple[float, int, int]] = deque()
        self._edges: deque[tuple[float, int, int]] = deque()
        self._sums = [0, 0, 0, 0]  # of what is kept: edges that left, edges at the pad, bytes, errors

    def count(self, t: float, sent: int, heard: int, size: int, errors: int, frames: list[Frame]) -> None:
        """What a slice up to `t` brought: edges that left the receiver and that reached the pad, bytes, those with errors, frames."""
        self._edges.append((t, sent, heard))
        self._add(sent, heard, size, errors)
        if size:
            self._bytes.append((t, size, errors))
        for frame in frames:
            mark = letter(frame)
            if mark in "tp":
                if mark == "t":
                    self._others.append(t)
                continue
            self._bad += mark == "b"
            self._frames.append(frame.t if frame.t is not None else t)
            self._marks.append(mark)
        oldest = t - WINDOW_S
        while self._others and self._others[0] <= oldest:
            self._others.popleft()
        while self._frames and self._frames[0] < oldest:
            self._frames.popleft()
            self._bad -= self._marks.popleft() == "b"
        while self._bytes and self._bytes[0][0] <= oldest:
            _, old, wrong = self._bytes.popleft()
            self._add(0, 0, -old, -wrong)
        while self._edges and self._edges[0][0] <= oldest:
            _, left, arrived = self._edges.popleft()
            self._add(-left, -arrived, 0, 0)

    def _add(self, sent: int, heard: int, size: int, errors: int) -> None:
        sums = self._sums
        self._sums = [sums[0] + sent, sums[1] + heard, sums[2] + size, sums[3] + errors]

    def reading(self, board: StandInBoard) -> PortReading:
        """All of it, at the port where this board listens."""
        return PortReading(
            port=board.port,
            pad=board.rx_pad.name if board.rx_pad else None,
            edges_at_pad=self._sums[1],
            bytes=self._sums[2],
            good=len(self._frames) - self._bad,
            bad=self._bad,
            errors=self._sums[3],
            without_channels=len(self._others),
        )

    @property
    def edges_sent(self) -> int:
        """Edges that left the receiver, wherever its wire ends."""
        return self._sums[0]

    @property
    def marks(self) -> str:
        """One letter a frame: g good, b bad, l lost, f failsafe."""
        return "".join(self._marks)


class HomeTraffic:
    """What passed on the way home of late: questions that the board read, values that the receiver heard, and those that came to the transmitter."""

    def __init__(self) -> None:
        self._counts: deque[tuple[float, int, int, int]] = deque()
        self._sums = [0, 0, 0]
        self._polls = 0

    def count(self, t: float, polls: int, heard: int, came: int) -> None:
        """A slice up to `t`. `polls`: all that were read since the board began to speak so."""
        asked, self._polls = max(0, polls - self._polls), polls
        self._counts.append((t, asked, heard, came))
        self._sums = [self._sums[0] + asked, self._sums[1] + heard, self._sums[2] + came]
        while self._counts[0][0] <= t - HOME_S:
            _, *old = self._counts.popleft()
            self._sums = [whole - part for whole, part in zip(self._sums, old, strict=True)]

    def _per_s(self, which: int) -> float:
        return self._sums[which] / HOME_S

    @property
    def asked_per_s(self) -> float:
        """Questions that the board read."""
        return self._per_s(0)

    @property
    def heard_per_s(self) -> float:
        """Values that the receiver heard."""
        return self._per_s(1)

    @property
    def came_per_s(self) -> float:
        """Values that came to the transmitter."""
        return self._per_s(2)
