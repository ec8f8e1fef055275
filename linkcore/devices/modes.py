"""The modes that a band can turn on: what each does, needs and excludes, as data; and what channel values turn on. The one rule for prediction and stand-in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from linkcore.craft.airframes import FLYERS, MULTIROTORS, ON_THE_GROUND, WINGS
from linkcore.craft.document import Airframe, BoardSettings, CraftDocument, Mode
from linkcore.craft.parts import KitParts
from linkcore.devices.responses import heading_known, height_known
from linkcore.parts.models import Sensor

DEFAULT_MODE = "acro"
Group = Literal["attitude", "place"]
Kind = Literal["what the sticks mean", "where it stays", "helpers"]


@dataclass(frozen=True)
class ModeFacts:
    """One mode. `kind`: under what it is offered; `group`: of those in one group only one holds, the one listed first here; `needs_fix`: a GPS fix besides the sensor; `needs_heading`: it must know which way
    it faces; `needs_height`: how high it is.

    `ground_too`: a boat or a rover does it as well, and asks for a place and a heading only.

    `first`: it wins over whatever it does not go with, wherever that is listed. `airframes`: where it makes sense (None: anywhere); `excludes`: modes of other groups that it does not go with.
    """

    name: Mode
    does: str
    kind: Kind
    group: Group | None = None
    sensors: tuple[Sensor, ...] = ()
    needs_fix: bool = False
    needs_heading: bool = False
    needs_height: bool = False
    first: bool = False
    ground_too: bool = False
    airframes: frozenset[Airframe] | None = None
    excludes: tuple[Mode, ...] = ()


MODES: tuple[ModeFacts, ...] = (
    ModeFacts("guard", "a second switch that must be on before the arm switch works", "helpers"),
    ModeFacts(
        "manual",
        "sticks straight to the surfaces, no steadying",
        "what the sticks mean",
        "attitude",
        airframes=WINGS,
        excludes=("altitude hold", "position hold", "return home", "loiter"),
    ),
    ModeFacts("angle", "sticks set the tilt; let go and it levels", "what the sticks mean", "attitude", ("gyro", "accelerometer"), airframes=FLYERS),
    ModeFacts("horizon", "levels about the middle, rolls over at the stops", "what the sticks mean", "attitude", ("gyro", "accelerometer"), airframes=FLYERS),
    ModeFacts(
        "return home",
        "flies back to where it was armed",
        "where it stays",
        "place",
        ("gyro", "accelerometer", "GPS"),
        needs_fix=True,
        needs_heading=True,
        needs_height=True,
        first=True,  # a pilot who asks for it has lost sight, or the craft
        ground_too=True,
        airframes=FLYERS | ON_THE_GROUND,
    ),
    ModeFacts(
        "position hold",
        "stays over one place",
        "where it stays",
        "place",
        ("gyro", "accelerometer", "GPS"),
        needs_fix=True,
        needs_heading=True,
        ground_too=True,
        airframes=MULTIROTORS | ON_THE_GROUND,
    ),
    ModeFacts("loiter", "circles over one place", "where it stays", "place", ("gyro", "accelerometer", "GPS"), needs_fix=True, airframes=WINGS),
    ModeFacts("altitude hold", "keeps its height", "where it stays", None, ("gyro", "accelerometer", "barometer"), airframes=FLYERS),
    ModeFacts("beeper", "sounds, to be found by", "helpers"),
    ModeFacts("lost-link test", "does as if the link were lost", "helpers"),
    ModeFacts("onboard log", "writes the log", "helpers"),
    ModeFacts("centre learning", "learns the surfaces' neutral places in level flight", "helpers", airframes=WINGS),
    ModeFacts("throw launch", "a throw starts the motor", "helpers", sensors=("gyro", "accelerometer"), airframes=WINGS),
)
FACTS: dict[str, ModeFacts] = {facts.name: facts for facts in MODES}
NOT_A_FLIGHT_MODE = frozenset(("guard", "beeper", "lost-link test", "onboard log", "centre learning", "throw launch"))


def exclude_each_other(one: str, other: str) -> bool:
    """Whether two modes cannot hold together."""
    if one == other or one not in FACTS or other not in FACTS:
        return False
    first, second = FACTS[one], FACTS[other]
    return (first.group is not None and first.group == second.group) or second.name in first.excludes or first.name in second.excludes


def needs(name: str) -> str:
    """What a mode needs besides a board, in words; empty where nothing."""
    facts = FACTS[name]
    asks = {
        "a GPS fix": facts.needs_fix,
        "a heading: magnetometer, or a wing's course": facts.needs_heading,
        "a height: barometer, or range sensor": facts.needs_height,
    }
    return ", ".join([*facts.sensors, *(what for what, asked in asks.items() if asked)])


def lacks(name: str, document: CraftDocument, parts: KitParts) -> str | None:
    """Why a mode cannot hold on this craft; None where it can."""
    facts = FACTS[name]
    if facts.airframes is not None and document.airframe not in facts.airframes:
        return f"it is not for a {document.airframe}"
    ground = facts.ground_too and document.airframe in ON_THE_GROUND
    missing: list[str] = [sensor for sensor in facts.sensors if sensor not in parts.sensors and not (ground and sensor in ("gyro", "accelerometer"))]
    if facts.needs_heading and not heading_known(document.airframe, parts.sensors):
        missing.append("a magnetometer")
    if facts.needs_height and not ground and not height_known(parts.sensors):
        missing.append("a barometer")
    return f"it needs {' and '.join(missing)}, which this craft does not have" if missing else None


def lacking(document: CraftDocument, parts: KitParts) -> dict[str, str]:
    """Modes that cannot hold on this craft, and why."""
    return {facts.name: why for facts in MODES if (why := lacks(facts.name, document, parts)) is not None}


_NOTHING_LACKING: Mapping[str, str] = {}


@dataclass(frozen=True)
class Holding:
    """What holds at one moment. `arm`: the arm switch is on; `guard`: the guard switch, None where there is none.

    `modes`: what is on, in the order of the catalogue; `beaten`: what a band asks for but another mode excludes (mode, by which); `lacking`: what it asks
    for and the craft cannot do.
    """

    arm: bool
    guard: bool | None
    modes: tuple[str, ...]
    beaten: tuple[tuple[str, str], ...] = ()
    lacking: tuple[str, ...] = ()

    @cached_property
    def main(self) -> str:
        """The flight mode: what the sticks do."""
        return next((mode for mode in self.modes if mode not in NOT_A_FLIGHT_MODE), DEFAULT_MODE)

    @cached_property
    def text(self) -> str:
        """All that holds; acro where no flight mode does."""
        flight = [mode for mode in self.modes if mode not in NOT_A_FLIGHT_MODE] or [DEFAULT_MODE]
        return ", ".join([*flight, *(mode for mode in self.modes if mode in NOT_A_FLIGHT_MODE and mode != "guard")])


def switch_channels(document: CraftDocument, settings: BoardSettings) -> list[int]:
    """The channels that arming or a mode listens to, ascending; one that carries RSSI is no switch's."""
    bands = ([settings.arming] if settings.arming and settings.arm_by == "switch" else []) + list(settings.modes)
    count = len(document.transmitter.channels)
    return sorted({band.channel for band in bands if 4 < band.channel <= count and band.channel != settings.rssi_channel})


def holds(settings: BoardSettings, values: Mapping[int, float], lacking: Mapping[str, str] = _NOTHING_LACKING) -> Holding:
    """What channel values (us) turn on. `lacking`: modes that this craft cannot do."""
    asked: set[str] = {band.mode for band in settings.modes if band.holds(values.get(band.channel, 0.0))}
    arm = settings.arm_by == "switch" and settings.arming is not None and settings.arming.holds(values.get(settings.arming.channel, 0.0))
    return resolve(asked, arm, has_guard(settings), lacking)


def has_guard(settings: BoardSettings) -> bool:
    """Whether a guard switch is in use."""
    return any(band.mode == "guard" for band in settings.modes)


def resolve(asked: set[str], arm: bool, guarded: bool, lacking: Mapping[str, str]) -> Holding:
    """Of the modes asked for, those that hold: of two that exclude each other the one that goes first, else the first in the catalogue."""
    on: list[str] = []
    beaten = []
    for facts in sorted(MODES, key=lambda each: not each.first):
        if facts.name not in asked or facts.name in lacking:
            continue
        winner = next((other for other in on if exclude_each_other(facts.name, other)), None)
        if winner:
            beaten.append((facts.name, winner))
        else:
            on.append(facts.name)
    return Holding(
        arm,
        "guard" in asked if guarded else None,
        tuple(facts.name for facts in MODES if facts.name in on),
        tuple(beaten),
        tuple(facts.name for facts in MODES if facts.name in asked and facts.name in lacking),
    )


def default_in_words(airframe: Airframe) -> str:
    """What the craft does where no mode is on."""
    return "Where no mode is on, it flies acro: it does not level itself." if airframe in FLYERS else "Where no mode is on, the sticks act directly."
