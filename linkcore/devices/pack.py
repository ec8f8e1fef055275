"""A pack under load: what it gives at a charge and a current, V = V_oc - I R."""

from __future__ import annotations

import math

from linkcore.craft.document import PowerSetup
from linkcore.parts.models import CELL_VOLTS, Pack

MIDDLE = 0.5  # of its charge: there a cell stands at its nominal voltage (ours: two straight lines for the curve)
LEADS_OHM = 0.003  # of leads and plug, both ways (ours)


def open_volts(pack: Pack, left: float) -> float:
    """At rest, with this share of its charge left (0 to 1)."""
    full, nominal, empty = CELL_VOLTS[pack.chemistry]
    share = min(1.0, max(0.0, left))
    cell = nominal + (share - MIDDLE) / (1 - MIDDLE) * (full - nominal) if share >= MIDDLE else empty + share / MIDDLE * (nominal - empty)
    return pack.cells * cell


def ohm(pack: Pack) -> float:
    """Its own resistance with its leads'."""
    return pack.cells * pack.cell_mohm / 1000 / pack.parallel + LEADS_OHM


def volts(pack: Pack, left: float, current_a: float) -> float:
    """What it gives under a load, V; never below nothing."""
    return max(0.0, open_volts(pack, left) - current_a * ohm(pack))


def shown_v(setup: PowerSetup, read_v: float) -> float:
    """What the board shows for what its divider reads."""
    return setup.voltage_scale * read_v


def shown_a(setup: PowerSetup, read_a: float) -> float:
    """What the board shows for what its current sensor reads."""
    return setup.current_slope * read_a + setup.current_offset_a


def shown_mah(setup: PowerSetup, read_mah: float, hours: float) -> float:
    """What the board counts over a time, from the same sensor."""
    return setup.current_slope * read_mah + setup.current_offset_a * 1000 * hours


def counted_cells(volts: float) -> int:
    """How many cells a board takes a pack for that it knows nothing of, as it is plugged in: as few as could have so much (any chemistry)."""
    return max(1, math.ceil((volts - 0.05) / max(full for full, _, _ in CELL_VOLTS.values())))
