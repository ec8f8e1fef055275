"""Kinds of airframes, by what they have in common."""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.craft.document import Airframe

MULTIROTORS: frozenset[Airframe] = frozenset(("quad X", "quad plus", "tri", "hexa"))
WINGS: frozenset[Airframe] = frozenset(("plane", "wing"))
MOTORS: Mapping[Airframe, int] = {"quad X": 4, "quad plus": 4, "tri": 3, "hexa": 6}  # each with an ESC of its own; the others drive with what they have
FLYERS: frozenset[Airframe] = MULTIROTORS | WINGS
ON_THE_GROUND: frozenset[Airframe] = frozenset(("rover", "boat"))
