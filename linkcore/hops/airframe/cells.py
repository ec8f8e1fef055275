"""How many cells a pack has, by its voltage at rest: worked out, and asked only where two counts are possible."""

from __future__ import annotations

from linkcore.parts.models import CELL_VOLTS, Chemistry

MOST_CELLS = 14
METER_V = 0.03  # a cell, what a charger and a meter are apart (ours)


def cell_counts(volts: float, chemistry: Chemistry, most: int = MOST_CELLS) -> list[int]:
    """Every count of cells for which this voltage at rest lies between an empty and a full cell; the fewest first. None where nothing fits."""
    full, _, empty = CELL_VOLTS[chemistry]
    return [count for count in range(1, most + 1) if count * (empty - METER_V) <= volts <= count * (full + METER_V)]
