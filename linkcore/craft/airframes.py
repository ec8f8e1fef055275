"""Kinds of airframes, by what they have in common."""

from __future__ import annotations

from linkcore.craft.document import Airframe

MULTIROTORS: frozenset[Airframe] = frozenset(("quad X", "quad plus", "tri"))
WINGS: frozenset[Airframe] = frozenset(("plane", "wing"))
FLYERS: frozenset[Airframe] = MULTIROTORS | WINGS
