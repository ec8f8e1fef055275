"""A serial line as an adapter hears it: bytes in pieces, with the time at which each piece arrived."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field

from linkcore.hops.line.identify import Identified, identify_bytes
from linkcore.hops.line.inspect import letter
from linkcore.protocols.base import ChannelFrame, Decoder, Frame, TelemetryFrame
from linkcore.protocols.registry import SERIAL_PROTOCOLS

KEPT_BYTES = 4 << 20
LOOK_BYTES = 12_000
NAME_EVERY_S = 1.0
NAME_SOON_S = 0.2  # until it has a name
WINDOW_S = 1.0
MOST_MARKS = 600
LATE_S = 0.25  # a heap that was fetched so much later than it could have been may have lost bytes before it, and its times say nothing
LATE_TOLD_S = 5.0


@dataclass
class AdapterLine:
    """What came of a line so far. Times are seconds on one clock; frames carry no times of their own: an adapter delivers bytes in heaps."""

    found: Identified = field(default_factory=lambda: Identified(None, 0.0, what="nothing"))
    channels: dict[int, float] = field(default_factory=dict)
    sensors: dict[str, TelemetryFrame] = field(default_factory=dict)
    total: int = 0
    late: tuple[float, float] | None = None  # when the last heap that was heard late arrived, and how late it was, s

    def __post_init__(self) -> None:
        self._kept: deque[bytes] = deque()
        self._kept_size = 0
        self._recent: deque[tuple[float, int]] = deque()
        self._marks: deque[tuple[float, str]] = deque(maxlen=MOST_MARKS)
        self._decoder: Decoder | None = None
        self._named_at = -NAME_EVERY_S
        self._judged = 0  # bytes since what was heard late

    def take(self, data: bytes, t: float, late_s: float = 0.0) -> None:
        """A piece that arrived at `t` (s), `late_s` after it could have been heard: over LATE_S it is kept, and nothing is said by it."""
        self.total += len(data)
        self._kept.append(data)
        self._kept_size += len(data)
        while self._kept_size > KEPT_BYTES and len(self._kept) > 1:
            self._kept_size -= len(self._kept.popleft())
        if late_s > LATE_S:
            self._begin_anew(t, late_s)
            return
        self._judged += len(data)
        self._recent.append((t, len(data)))
        if t - self._named_at >= (NAME_EVERY_S if self.found.protocol else NAME_SOON_S):
            self._name(t)
        elif self._decoder:
            self._note(self._decoder.feed(data), t)

    def _begin_anew(self, t: float, late_s: float) -> None:
        self.late = (t, late_s)
        self._judged, self._named_at = 0, t
        self._recent.clear()
        self._marks.clear()
        if self.found.protocol:
            self._decoder = SERIAL_PROTOCOLS[self.found.protocol].decoder()

    def _name(self, t: float) -> None:
        self._named_at = t
        judged = self.tail(min(LOOK_BYTES, self._judged))
        before, self.found = self.found, identify_bytes(judged)
        if self.found.protocol != before.protocol or self._decoder is None:
            self._decoder = SERIAL_PROTOCOLS[self.found.protocol].decoder() if self.found.protocol else None
            self.channels, self.sensors = {}, {}
            self._marks.clear()
            if self._decoder:
                self._note(self._decoder.feed(judged), t)
        elif self._decoder and self._kept:
            self._note(self._decoder.feed(self._kept[-1]), t)

    def _note(self, frames: list[Frame], t: float) -> None:
        for frame in frames:
            self._marks.append((t, letter(frame)))
            if isinstance(frame, ChannelFrame):
                self.channels |= frame.numbered()
            elif isinstance(frame, TelemetryFrame):
                self.sensors[frame.sensor] = frame

    def tail(self, size: int) -> bytes:
        """The last bytes, at most `size`."""
        pieces, held = [], 0
        for piece in reversed(self._kept):
            pieces.append(piece)
            held += len(piece)
            if held >= size:
                break
        return b"".join(reversed(pieces))[-size:]

    def everything(self) -> list[bytes]:
        """All that is kept, in pieces."""
        return list(self._kept)

    def said_of_lateness(self, t: float) -> str:
        """In words, where something was heard late just before `t`."""
        if self.late is None or t - self.late[0] > LATE_TOLD_S:
            return ""
        return f"This machine had no time to listen for {self.late[1]:.1f} s. What came meanwhile is kept and not judged; what is shown here began anew."

    def bytes_per_s(self, t: float) -> int:
        """Bytes in the second before `t`."""
        while self._recent and self._recent[0][0] <= t - WINDOW_S:
            self._recent.popleft()
        return sum(size for _, size in self._recent)

    def marks(self, t: float) -> str:
        """A letter for every frame of the second before `t`, as in linkcore.hops.line.inspect."""
        return "".join(mark for when, mark in self._marks if when > t - WINDOW_S)


def usual_ways() -> list[tuple[int, str]]:
    """(baud, framing) pairs that protocols use, each once, the commonest first."""
    ways = dict.fromkeys((spec.uart.baud, spec.uart.framing) for spec in SERIAL_PROTOCOLS.values())
    return sorted(ways, key=lambda way: -sum((spec.uart.baud, spec.uart.framing) == way for spec in SERIAL_PROTOCOLS.values()))
