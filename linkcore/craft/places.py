"""Where a craft flies, as long as nobody has said: what is usual for its airframe (ours)."""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.craft.document import Airframe, CraftDocument, Place

_QUAD = Place(mass_kg=0.65, thrust_ratio=5, speed_mps=10, height_m=30, wind_mps=4, home_m=150)
_PLANE = Place(mass_kg=1.6, thrust_ratio=0.7, speed_mps=14, height_m=60, wind_mps=4, home_m=300)
USUAL: Mapping[Airframe, Place] = {
    "quad X": _QUAD,
    "quad plus": _QUAD,
    "tri": _QUAD,
    "hexa": _QUAD.model_copy(update={"mass_kg": 2.4, "thrust_ratio": 2.5}),
    "plane": _PLANE,
    "wing": _PLANE.model_copy(update={"mass_kg": 1.0, "speed_mps": 16.0}),
    "rover": Place(mass_kg=2.5, thrust_ratio=0.8, speed_mps=4, height_m=0, home_m=60),
    "boat": Place(mass_kg=3.0, thrust_ratio=0.3, speed_mps=1.5, height_m=0, wind_mps=0.5, home_m=100, water=True),
}


def place_of(craft: CraftDocument) -> Place:
    """What the pilot has said, or what is usual."""
    return craft.place or USUAL[craft.airframe]
