"""What planning needs to know of each receiver protocol, decoder or not. Sources: wire facts, sections 1 to 8 and 11."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class WireFacts:
    """How a protocol's channels travel. `baud` None for pulses; `step_us` the finest difference; `period_s` (shortest, longest)."""

    name: str
    wire: Literal["serial", "PPM", "PWM"]
    baud: int | None
    framing: str
    step_us: float
    period_s: tuple[float, float]
    one_way: bool = True


# Periods: SBUS, IBUS, PWM and F.Port vary between makers [F]; GHST as a whole is [F].
_FACTS = (
    WireFacts("PWM", "PWM", None, "one pulse a channel", 1.0, (0.018, 0.022)),
    WireFacts("PPM", "PPM", None, "pulses one after another", 1.0, (0.020, 0.0225)),
    WireFacts("SBUS", "serial", 100_000, "8E2", 0.625, (0.007, 0.014)),
    WireFacts("DSM2", "serial", 115_200, "8N1", 1.166, (0.011, 0.022)),
    WireFacts("DSMX", "serial", 115_200, "8N1", 0.583, (0.011, 0.022)),
    WireFacts("IBUS", "serial", 115_200, "8N1", 1.0, (0.007, 0.0077)),
    WireFacts("SUMD", "serial", 115_200, "8N1", 0.125, (0.010, 0.010)),
    WireFacts("CRSF", "serial", 420_000, "8N1", 0.625, (0.004, 0.020), one_way=False),
    WireFacts("F.Port", "serial", 115_200, "8N1", 0.625, (0.007, 0.020), one_way=False),
    WireFacts("GHST", "serial", 420_000, "8N1", 0.3125, (0.004, 0.020), one_way=False),
)
WIRE_FACTS: Mapping[str, WireFacts] = {facts.name: facts for facts in _FACTS}


def wire_facts(protocol: str) -> WireFacts:
    """The facts; raise ValueError that lists the protocols there are."""
    found = WIRE_FACTS.get(protocol)
    if found is None:
        raise ValueError(f"no receiver protocol is called {protocol!r}; there are {', '.join(WIRE_FACTS)}")
    return found
