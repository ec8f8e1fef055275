"""What the board does with the craft once the link is lost: which responses there are, what each needs, and how it is carried out. The one rule, for the stand-in, for what is predicted, and for findings."""

from __future__ import annotations

import math
from collections.abc import Collection
from typing import Literal

from linkcore.craft.airframes import MULTIROTORS, ON_THE_GROUND, WINGS
from linkcore.craft.document import Airframe, LostLink, Response
from linkcore.parts.models import Sensor

ALONG_MPS2 = 2.5  # how hard it speeds up and brakes over the ground: a tilt of 14 degrees
GROUND_MPS2 = 0.8  # the same of a boat or a rover (ours)
UP_MPS2 = 1.5  # how hard it begins to climb or come down
CLIMB_MPS = 3.0
REACHED_M = 1.0  # so near to home it begins to come down
BANK_DEG = 20.0  # a gentle turn
CIRCLE_M = 60.0  # a wing that is so near to home begins to circle
HEAVY = 0.97  # of what holds it up, what a landing by the hover throttle alone leaves (ours)
Way = Literal["height", "hover", "glide"]

IN_WORDS: dict[Response, str] = {
    "motors off": "stops its motors",
    "land": "lands",
    "return home": "returns home",
    "loiter": "circles where it is",
}
WHO_CAN: dict[Response, Collection[Airframe]] = {
    "land": MULTIROTORS | WINGS,
    "return home": MULTIROTORS | WINGS | ON_THE_GROUND,
    "loiter": WINGS | ON_THE_GROUND,
}


def in_words(response: Response, airframe: Airframe) -> str:
    """What it does; a boat or a rover that loiters stays where it is."""
    return "stays where it is" if response == "loiter" and airframe in ON_THE_GROUND else IN_WORDS[response]


def can_do(airframe: Airframe, response: Response) -> bool:
    """Whether such a craft can do it at all."""
    return airframe in WHO_CAN.get(response, (airframe,))


def heading_known(airframe: Airframe, sensors: Collection[Sensor]) -> bool:
    """Whether it knows which way it faces: by a magnetometer; a wing that flies knows it by its course over the ground."""
    return "magnetometer" in sensors or (airframe in WINGS and "GPS" in sensors)


def height_known(sensors: Collection[Sensor]) -> bool:
    """Whether it knows how high it is, well enough to come down by it."""
    return bool({"barometer", "range"} & set(sensors))


def lacks(airframe: Airframe, response: Response, sensors: Collection[Sensor]) -> list[str]:
    """What a response needs and this craft does not have."""
    if airframe in ON_THE_GROUND and response in ("return home", "loiter"):
        return [*([] if "GPS" in sensors else ["a GPS"]), *([] if heading_known(airframe, sensors) else ["a magnetometer"])]
    if response == "return home":
        height = [] if height_known(sensors) else ["a barometer"]
        return [*([] if "GPS" in sensors else ["a GPS"]), *([] if heading_known(airframe, sensors) else ["a magnetometer"]), *height]
    if response == "loiter":
        return [*([] if "GPS" in sensors else ["a GPS"]), *([] if height_known(sensors) else ["a barometer"])]
    return []


def lands_by(settings: LostLink, airframe: Airframe, sensors: Collection[Sensor]) -> Way | None:
    """How it comes down: by its height, by its hover throttle alone, or a wing without its motor; None where it cannot."""
    if airframe in WINGS:
        return "glide"
    if height_known(sensors):
        return "height"
    return None if settings.hover_percent is None else "hover"


def carried_out(settings: LostLink, airframe: Airframe, sensors: Collection[Sensor], *, home: bool) -> Response:
    """What the board really does: a response that this craft cannot do, or whose home is not known, becomes *motors off*."""
    wanted = settings.response
    if not can_do(airframe, wanted) or lacks(airframe, wanted, sensors):
        return "motors off"
    if wanted in ("return home", "loiter") and not home:
        return "motors off"
    if wanted == "land" and lands_by(settings, airframe, sensors) is None:
        return "motors off"
    return wanted


def turn_radius_m(airspeed_mps: float) -> float:
    """Of a wing in a gentle bank: v² / (g tan phi)."""
    return airspeed_mps**2 / (9.81 * math.tan(math.radians(BANK_DEG)))


def hover_thrust(settings: LostLink) -> float:
    """What the motors are asked in a landing by the hover throttle alone, percent: a little less than holds it up."""
    return (settings.hover_percent or 0.0) * math.sqrt(HEAVY)
