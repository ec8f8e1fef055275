"""How a board is asked, and what it says of itself: the one interface between the bench and whatever answers as a board."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from typing import Literal, Protocol

from linkcore.craft.document import BoardSettings
from linkcore.devices.arming import Blocker
from linkcore.devices.port import LinkState
from linkcore.parts.axes import Axis

EventKind = Literal[
    "power on",
    "power off",
    "restarted",
    "brown-out",
    "settings written",
    "firmware started",
    "first frames",
    "failsafe reported",
    "link lost",
    "response begun",
    "counts as landed",
    "motors stopped",
    "at height",
    "at home",
    "comes down",
    "circles",
    "touched down",
    "control back",
    "link back",
    "armed",
    "refused",
    "disarmed",
    "seen beside it",
]
MOST_EVENTS = 200


@dataclass(frozen=True)
class BoardEvent:
    """Something that a board says has happened, when (bench seconds), and in words, the cause included. `seen beside it`: what the bench saw of its surroundings."""

    t: float
    kind: EventKind
    text: str


class EventLog:
    """The last events, and how many there were in all, so that each reader can go on where it was."""

    def __init__(self) -> None:
        self._last: deque[BoardEvent] = deque(maxlen=MOST_EVENTS)
        self.count = 0

    def add(self, t: float, kind: EventKind, text: str) -> None:
        """Something happened."""
        self._last.append(BoardEvent(t, kind, text))
        self.count += 1

    def since(self, count: int) -> list[BoardEvent]:
        """Those that came after the first `count`, as far as they are kept."""
        new = min(self.count - count, len(self._last))
        return list(self._last)[len(self._last) - new :]

    def last(self, most: int) -> list[BoardEvent]:
        """The newest, oldest first."""
        return list(self._last)[-most:]


class Refused(ValueError):
    """The board will not do it now. The text says why."""


class BoardApi(Protocol):
    """A board that is asked. Times are bench seconds."""

    powered: bool
    running: BoardSettings
    events: EventLog
    link: LinkState
    channels: tuple[float, ...]
    last_frame_t: float | None

    @property
    def armed(self) -> bool:
        """Whether the motors may turn."""
        ...

    @property
    def mode(self) -> str:
        """All that holds, in words."""
        ...

    @property
    def rssi_percent(self) -> float | None:
        """RSSI as it arrives on a channel; None where none carries it."""
        ...

    @property
    def testing_loss(self) -> bool:
        """Whether it does as if the link were lost, by the switch of the lost-link test."""
        ...

    @property
    def motors_percent(self) -> float:
        """What it asks of the motors."""
        ...

    @property
    def responding(self) -> bool:
        """Whether it flies by itself, since the link was lost."""
        ...

    def booting(self, t: float) -> bool:
        """Whether it is still starting, or runs no firmware at all."""
        ...

    def axes(self) -> dict[Axis, float | None]:
        """The four axes after map and fallback, us."""
        ...

    def blockers(self, t: float) -> list[Blocker]:
        """Why it refuses to arm now."""
        ...

    def write(self, settings: BoardSettings, t: float) -> None:
        """Keep new settings; Refused where it will not."""
        ...

    def read_back(self, t: float) -> BoardSettings:
        """What it really holds; Refused where it does not answer."""
        ...

    def restart(self, t: float) -> None:
        """Make everything take effect; Refused where it will not."""
        ...
