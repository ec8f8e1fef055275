"""Noise at rest, the deadband that follows from it, and how much room is left beyond the floor and ceiling lines."""

from __future__ import annotations

import math
from collections.abc import Sequence

from pydantic import BaseModel

from linkcore.craft.document import Deadband
from linkcore.craft.parts import KitParts
from linkcore.protocols.registry import RECEIVER_PROTOCOLS

WATCH_S = 5.0
STIR_US = 12.0  # a stick that left the place where it was by more is being moved


class Noise(BaseModel):
    """A stick at rest for `WATCH_S` seconds: peak to peak and standard deviation, us, of how many samples."""

    peak_us: float
    deviation_us: float
    samples: int


class RestWatch:
    """Watches one channel for five seconds of rest; sums as it goes (Welford's method), so that it keeps no samples."""

    def __init__(self) -> None:
        self._since: float | None = None
        self.noise: Noise | None = None
        self._mean = self._square = self._low = self._high = 0.0
        self._count = 0

    def take(self, t: float, us: float) -> None:
        """A value (us) at `t` seconds."""
        if self._since is None or abs(us - self._mean) > STIR_US:
            self._since, self._mean, self._square, self._count, self._low, self._high = t, us, 0.0, 1, us, us
            return
        self._count += 1
        away = us - self._mean
        self._mean += away / self._count
        self._square += away * (us - self._mean)
        self._low, self._high = min(self._low, us), max(self._high, us)
        if t - self._since >= WATCH_S:
            deviation = math.sqrt(max(0.0, self._square) / self._count)
            self.noise = Noise(peak_us=round(self._high - self._low, 3), deviation_us=round(deviation, 3), samples=self._count)
            self._since = None

    def take_all(self, times: Sequence[float], heard: Sequence[float]) -> None:
        """Values (us) and when they came (s), in their order: a stretch that rests, and does not end the watch, is summed at once (Chan, Golub and LeVeque's way to join two sums)."""
        low, high, mean = min(heard), max(heard), self._mean
        if self._since is None or high - mean > STIR_US / 2 or mean - low > STIR_US / 2 or times[-1] - self._since >= WATCH_S:
            for t, us in zip(times, heard, strict=True):
                self.take(t, us)
            return
        count, more = self._count, len(heard)
        away = sum(heard) / more - mean
        self._count = count + more
        self._square += sum([(us - mean) ** 2 for us in heard]) - more * away * away + away * away * count * more / self._count
        self._mean += away * more / self._count
        self._low, self._high = min(self._low, low), max(self._high, high)

    def watched_s(self, t: float) -> float:
        """How long it has rested so far."""
        return 0.0 if self._since is None else t - self._since


def step_us(parts: KitParts) -> float:
    """The smallest change of a stick that can reach the board, us: one raw count of the transmitter, or of the receiver's protocol where that is coarser."""
    spec = RECEIVER_PROTOCOLS.get(parts.spoken.protocol) if parts.spoken else None
    return max(parts.transmitter.count_us, spec.step_us if spec else 0.0)


class DeadbandProposal(BaseModel):
    """What to set, and why. `floor_us`: one step of the protocol; a smaller deadband is none."""

    floor_us: float
    deadband: Deadband
    because: list[str]


def propose_deadband(noise: dict[str, Noise], step_us: float) -> DeadbandProposal | None:
    """From the noise of roll, pitch and yaw: half its peak to peak and one step of the protocol (us) more, in whole us; None until all three have rested."""
    if any(axis not in noise for axis in ("roll", "pitch", "yaw")):
        return None
    worst = max(("roll", "pitch"), key=lambda axis: noise[axis].peak_us)

    def enough(axis: str) -> int:
        return math.ceil(noise[axis].peak_us / 2 + step_us)

    deadband = Deadband(sticks_us=min(60, enough(worst)), yaw_us=min(100, enough("yaw")))
    because = [
        f"{worst} is the noisier of roll and pitch: {noise[worst].peak_us:.1f} us peak to peak in {WATCH_S:g} s",
        f"yaw, by itself: {noise['yaw'].peak_us:.1f} us peak to peak",
        f"one step of the protocol is {step_us:g} us; less than that is no deadband" if step_us else "the pulses have no steps; only the noise counts",
    ]
    return DeadbandProposal(floor_us=step_us, deadband=deadband, because=because)
