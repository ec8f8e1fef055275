"""A starting point by airframe kind: sensible first settings, shown as a difference and taken line by line.

The values are ours: plain, on the safe side, and with the reason beside each.
"""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from linkcore.craft.airframes import FLYERS, MULTIROTORS, WINGS
from linkcore.craft.document import Airframe, CraftDocument
from linkcore.craft.names import value_in_words
from linkcore.findings import Edit
from linkcore.parts.models import Sensor


class StartLine(BaseModel):
    """One setting: what it is now, what it would be, and why. `same` where nothing would change."""

    name: str
    now: str
    then: str
    why: str
    same: bool
    edit: Edit


_ARM = {"channel": 5, "low": 1750.0, "high": 2150.0}
_ANGLE_LOW = {"mode": "angle", "channel": 6, "low": 850.0, "high": 1250.0}
_ANGLE_MIDDLE = {"mode": "angle", "channel": 6, "low": 1250.0, "high": 1750.0}


def starting_point(document: CraftDocument, airframe: Airframe | None = None) -> list[StartLine]:
    """The lines for an airframe kind, the document's own where none is given."""
    kind = airframe or document.airframe
    lines: list[tuple[str, str, Any, str]] = [("Arming", "/settings/arming", _ARM, "A switch of its own, up is on, well clear of the middle.")]
    if kind in MULTIROTORS:
        lines += [
            ("Flight modes", "/settings/modes", [_ANGLE_LOW], "Angle at the switch's first position: whoever lets go of the sticks hovers level."),
            ("Response", "/settings/lost_link/response", "drop", "A multirotor without its link falls where it is, rather than fly on over people."),
            ("Grace", "/settings/lost_link/grace_ms", 400, "Short gaps pass, a lost link is noticed within half a second."),
        ]
    elif kind in WINGS:
        lines += [
            ("Flight modes", "/settings/modes", [_ANGLE_MIDDLE], "Manual at the first position, angle in the middle."),
            ("Response", "/settings/lost_link/response", "land", "A wing glides: motor off, wings level."),
            ("Grace", "/settings/lost_link/grace_ms", 1000, "A plane flies on by itself for a second; short gaps need no reaction."),
        ]
    else:
        lines += [
            ("Flight modes", "/settings/modes", [], "Nothing steadies a boat or a rover."),
            ("Response", "/settings/lost_link/response", "drop", "Motors off: it stops where it is."),
            ("Grace", "/settings/lost_link/grace_ms", 600, "Nothing falls down, so a longer gap may pass."),
        ]
    lines.append(("Throttle fallback", "/settings/lost_link/throttle_fallback", "low", "Never hold power without a link."))
    needed: list[Sensor] = ["gyro", "accelerometer"] if kind in FLYERS else []
    sensors = [*document.wants.sensors, *(sensor for sensor in needed if sensor not in document.wants.sensors)]
    lines.append(("Sensors expected", "/wants/sensors", sensors, "What the board must report before this craft moves."))
    data = document.model_dump(mode="json")
    return [_line(data, *line) for line in lines]


def _line(data: dict[str, Any], name: str, path: str, value: Any, why: str) -> StartLine:
    now: Any = data
    for step in path.lstrip("/").split("/"):
        now = now[step]
    return StartLine(name=name, now=value_in_words(now, path), then=value_in_words(value, path), why=why, same=now == value, edit=Edit(path=path, value=value))
