"""What would read this line? Settings near those of the port, tried by sampling the line with them."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.line.identify import read_with
from linkcore.protocols.base import ProtocolSpec
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.signal.edges import Edges

READS_SHARE = 0.5


@dataclass(frozen=True)
class Reading:
    """Settings that read the line, and what they differ in from the port's."""

    protocol: str
    inverted: bool
    good_share: float
    good_frames: int
    changes: tuple[str, ...]


def what_would_read(edges: Edges, end_s: float, protocol: str | None, inverted: bool) -> list[Reading]:
    """Settings under which at least half of the frames are whole, fewest changes first, then the greatest share."""
    found = []
    for spec in RECEIVER_PROTOCOLS.values():
        for polarity in (False, True):
            reading = _try(edges, end_s, spec, polarity, protocol, inverted)
            if reading.good_share >= READS_SHARE:
                found.append(reading)
    return sorted(found, key=lambda reading: (len(reading.changes), -reading.good_share))


def _try(edges: Edges, end_s: float, spec: ProtocolSpec, polarity: bool, protocol: str | None, inverted: bool) -> Reading:
    changes = []
    if spec.name != protocol:
        changes.append(f"protocol {spec.name}")
    if polarity != inverted:
        changes.append("inverted" if polarity else "not inverted")
    tally = read_with(edges, end_s, spec, polarity)
    return Reading(spec.name, polarity, tally.good_share, tally.good, tuple(changes))
