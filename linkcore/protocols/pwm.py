"""PWM: one wire a channel, one high pulse a period whose width is the value. Widths from 750 to 2250 us are taken, a fairly sure bound."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from linkcore.protocols.base import BadFrame, ChannelFrame, Frame, PulseDecoder, PulseSpec
from linkcore.signal.edges import NO_TIMES, Times

SHORTEST_US, LONGEST_US = 750.0, 2250.0
PERIOD_S = 0.02
_NOISE_US = 20.0  # shorter is a spike, and no pulse at all


class PwmDecoder(PulseDecoder):
    """One wire. `level`: the line's level before the first toggle, 1 while a pulse runs."""

    def __init__(self, level: int, since: float = 0.0) -> None:
        self._rest = NO_TIMES
        self._joined = bool(level)  # a pulse that runs already was not seen from its beginning
        self._level = level

    def feed(self, toggles: Times, until: float) -> list[Frame]:
        """See PulseDecoder."""
        times = np.concatenate((self._rest, toggles)) if len(self._rest) else toggles
        if self._joined and len(times):
            times, self._joined, self._level = times[1:], False, 0
        pairs = len(times) // 2
        self._rest = times[2 * pairs :].copy()
        frames: list[Frame] = []
        for rise, fall in times[: 2 * pairs].reshape(-1, 2).tolist():
            width = round((fall - rise) * 1e6, 1)
            if SHORTEST_US <= width <= LONGEST_US:
                frames.append(ChannelFrame(rise, (width,), (round(width),)))
            elif width >= _NOISE_US:
                frames.append(BadFrame(rise, f"a pulse of {width:g} us; {SHORTEST_US:g} to {LONGEST_US:g} are taken"))
        return frames


def edges(us: Sequence[float], t: float) -> Times:
    """One pulse that begins at `t` (s), as its two toggles; only the first channel goes on this wire."""
    return np.array([t, t + us[0] * 1e-6])


SPEC = PulseSpec(name="PWM", pulses="PWM", channels=1, periods_s=(0.018, 0.022), step_us=1.0, decoder=PwmDecoder, edges=edges)
