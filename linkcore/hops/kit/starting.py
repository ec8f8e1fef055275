"""A starting point by airframe kind: sensible first settings, shown as a difference and taken line by line.

The values are ours: plain, on the safe side, and with the reason beside each.
"""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from linkcore.craft.airframes import FLYERS, MULTIROTORS, WINGS
from linkcore.craft.document import Airframe, CraftDocument
from linkcore.craft.names import value_in_words
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import frame_period_s
from linkcore.devices.motors import reversing
from linkcore.devices.on_loss import BAD_AIR, BRIDGED_GRACE_MS, ONCE_IN_S, bridges_gaps, starting_grace_ms, wire_to_board
from linkcore.findings import Edit
from linkcore.parts.models import Receiver, Sensor
from linkcore.wiring.outputs import outputs_for


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
_MANUAL_LOW = {"mode": "manual", "channel": 6, "low": 850.0, "high": 1250.0}
_ANGLE_MIDDLE = {"mode": "angle", "channel": 6, "low": 1250.0, "high": 1750.0}


def starting_point(document: CraftDocument, parts: KitParts, airframe: Airframe | None = None) -> list[StartLine]:
    """The lines for an airframe kind, the document's own where none is given."""
    kind = airframe or document.airframe
    lines: list[tuple[str, str, Any, str]] = [
        *_mixing(document, parts, kind),
        ("Arming", "/settings/arming", _ARM, "A switch of its own, up is on, well clear of the middle."),
    ]
    if kind in MULTIROTORS:
        lines += [
            ("Flight modes", "/settings/modes", [_ANGLE_LOW], "Angle at the switch's first position: whoever lets go of the sticks hovers level."),
            (
                "Response",
                "/settings/lost_link/response",
                "motors off",
                "A multirotor without its link falls, ahead of where it was by its speed, rather than fly on over people.",
            ),
        ]
    elif kind in WINGS:
        lines += [
            (
                "Flight modes",
                "/settings/modes",
                [_MANUAL_LOW, _ANGLE_MIDDLE],
                "Manual at the first position, to fall back on where a sensor fails; angle in the middle.",
            ),
            ("Response", "/settings/lost_link/response", "land", "A wing glides: motor off, in a gentle bank, so that it comes down near."),
        ]
    else:
        lines += [
            ("Flight modes", "/settings/modes", [], "Nothing steadies a boat or a rover."),
            ("Response", "/settings/lost_link/response", "motors off", "It stops driving; a boat is carried on by the current."),
        ]
    if parts.maybe_receiver:
        lines.append(("Grace", "/settings/lost_link/grace_ms", *_grace(parts.maybe_receiver, parts, frame_period_s(document.air, parts.maybe_receiver))))
    both_ways = reversing(parts)
    if both_ways is not None:
        lines.append(("Drives", "/settings/reversing_drives", both_ways, "So that the board knows where they stand still: low, or in the middle."))
    lines.append(("Throttle fallback", "/settings/lost_link/throttle_fallback", "low", "Never hold power without a link."))
    needed: list[Sensor] = ["gyro", "accelerometer"] if kind in FLYERS else []
    sensors = [*document.wants.sensors, *(sensor for sensor in needed if sensor not in document.wants.sensors)]
    lines.append(("Sensors expected", "/wants/sensors", sensors, "What the board must report before this craft moves."))
    data = document.model_dump(mode="json")
    return [_line(data, *line) for line in lines]


def _mixing(document: CraftDocument, parts: KitParts, kind: Airframe) -> list[tuple[str, str, Any, str]]:
    """For what it mixes, what each output drives, and how often servos get a pulse."""
    follows = document.settings.mixing.layout is None and kind == document.airframe  # that is the same
    layout = None if follows else kind
    lines: list[tuple[str, str, Any, str]] = [("Mixer", "/settings/mixing/layout", layout, f"The board mixes for the airframe that it sits in: a {kind}.")]
    if parts.maybe_board is not None and (outputs := outputs_for(document, parts, kind)):
        how = (
            "As its motors and servos are wired, from the front, as a page is read." if document.wiring else "From the front, as a page is read; wire them so."
        )
        lines.append(("Outputs", "/settings/mixing/outputs", outputs, how))
    rates = [part.pulse_hz for part in parts.devices.values() if part.servo and part.pulse_hz is not None]
    if kind in WINGS or kind == "tri" or rates:
        lines.append(("Servo rate", "/settings/mixing/servo_hz", 50, "Every servo bears 50 pulses a second; more of them burn an analog one."))
    return lines


def _grace(receiver: Receiver, parts: KitParts, period_s: float) -> tuple[int, str]:
    wire = wire_to_board(parts)
    starts = starting_grace_ms(receiver, wire, period_s)
    if starts == BRIDGED_GRACE_MS and bridges_gaps(receiver, wire):
        return starts, f"The {receiver.name} bridges short gaps by itself; the grace begins when it gives the link up."
    hz = 1 / period_s
    return starts, f"With {BAD_AIR:.0%} of {hz:.0f} frames a second lost, a gap is longer less than once in {ONCE_IN_S / 60:.0f} minutes."


def _line(data: dict[str, Any], name: str, path: str, value: Any, why: str) -> StartLine:
    now: Any = data
    for step in path.lstrip("/").split("/"):
        now = now[step]
    return StartLine(name=name, now=value_in_words(now, path), then=value_in_words(value, path), why=why, same=now == value, edit=Edit(path=path, value=value))
