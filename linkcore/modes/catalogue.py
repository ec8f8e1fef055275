"""The modes a band can turn on, as data: what each does, what it needs, and what it excludes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from linkcore.craft.airframes import FLYERS, MULTIROTORS, WINGS
from linkcore.craft.document import Airframe, CraftDocument, Mode
from linkcore.craft.parts import KitParts
from linkcore.parts.models import Sensor

DEFAULT_MODE = "acro"
Group = Literal["attitude", "place"]


@dataclass(frozen=True)
class ModeFacts:
    """One mode. `group`: of those in one group only one holds, the one listed first here; `needs_fix`: a GPS fix besides the sensor.

    `airframes`: where it makes sense (None: anywhere); `excludes`: modes of other groups that it does not go with.
    """

    name: Mode
    does: str
    group: Group | None = None
    sensors: tuple[Sensor, ...] = ()
    needs_fix: bool = False
    airframes: frozenset[Airframe] | None = None
    excludes: tuple[Mode, ...] = ()


MODES: tuple[ModeFacts, ...] = (
    ModeFacts("guard", "a second switch that must be on before the arm switch works"),
    ModeFacts(
        "manual",
        "sticks straight to the surfaces, no steadying",
        "attitude",
        airframes=WINGS,
        excludes=("altitude hold", "position hold", "return home", "loiter"),
    ),
    ModeFacts("angle", "sticks set the tilt; let go and it levels", "attitude", ("gyro", "accelerometer"), airframes=FLYERS),
    ModeFacts("horizon", "levels about the middle, rolls over at the stops", "attitude", ("gyro", "accelerometer"), airframes=FLYERS),
    ModeFacts("return home", "flies back to where it was armed", "place", ("gyro", "accelerometer", "GPS"), True, FLYERS),
    ModeFacts("position hold", "stays over one place", "place", ("gyro", "accelerometer", "GPS"), True, MULTIROTORS),
    ModeFacts("loiter", "circles over one place", "place", ("gyro", "accelerometer", "GPS"), True, WINGS),
    ModeFacts("altitude hold", "keeps its height", None, ("gyro", "accelerometer", "barometer"), airframes=FLYERS),
    ModeFacts("beeper", "sounds, to be found by"),
    ModeFacts("lost-link test", "does as if the link were lost"),
    ModeFacts("onboard log", "writes the log"),
    ModeFacts("centre learning", "learns the surfaces' neutral places in level flight", airframes=WINGS),
    ModeFacts("throw launch", "a throw starts the motor", sensors=("gyro", "accelerometer"), airframes=WINGS),
)
FACTS: dict[str, ModeFacts] = {facts.name: facts for facts in MODES}
NOT_A_FLIGHT_MODE = frozenset(("guard", "beeper", "lost-link test", "onboard log", "centre learning", "throw launch"))


def exclude_each_other(one: str, other: str) -> bool:
    """Whether two modes cannot hold together."""
    if one == other or one not in FACTS or other not in FACTS:
        return False
    first, second = FACTS[one], FACTS[other]
    return (first.group is not None and first.group == second.group) or second.name in first.excludes or first.name in second.excludes


def lacks(name: str, document: CraftDocument, parts: KitParts) -> str | None:
    """Why a mode cannot hold on this craft; None where it can."""
    facts = FACTS[name]
    if facts.airframes is not None and document.airframe not in facts.airframes:
        return f"it is not for a {document.airframe}"
    there = {sensor for part in (parts.maybe_board, *parts.devices.values()) if part is not None for sensor in part.sensors}
    missing = [sensor for sensor in facts.sensors if sensor not in there]
    return f"it needs {' and '.join(missing)}, which this craft does not have" if missing else None


def lacking(document: CraftDocument, parts: KitParts) -> dict[str, str]:
    """Modes that cannot hold on this craft, and why."""
    return {facts.name: why for facts in MODES if (why := lacks(facts.name, document, parts)) is not None}
