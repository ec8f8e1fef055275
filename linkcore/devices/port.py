"""A board's receiver port, as anybody sees it: what it makes of its link, and what came in during the last second."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

LinkState = Literal["off", "no signal", "good", "grace", "lost"]
PULSE_INPUTS = "inputs"  # stands for a port's name where pulses are measured
GOOD_SHARE = 0.95
ENOUGH_FRAMES = 20


@dataclass(frozen=True)
class PortReading:
    """The last second at the receiver port. `port` None where no port has the running job; rates a second."""

    port: str | None
    pad: str | None
    edges_at_pad: int
    bytes: int
    good: int
    bad: int
    errors: int
    without_channels: int = 0

    @property
    def good_share(self) -> float:
        """Good frames among all, 0 to 1."""
        return self.good / (self.good + self.bad) if self.good else 0.0

    @property
    def reads(self) -> bool:
        """Whether the port reads its receiver well enough to fly on."""
        return self.good >= ENOUGH_FRAMES and self.good_share >= GOOD_SHARE
