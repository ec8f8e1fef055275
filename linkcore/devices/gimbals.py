"""Which stick and which way each axis is on, by stick mode."""

from __future__ import annotations

from typing import Literal

from linkcore.parts.axes import StickAxis

Side = Literal["left", "right"]
Direction = Literal["x", "y"]
Place = tuple[Side, Direction]

STICKS: dict[int, dict[StickAxis, Place]] = {
    1: {"elevator": ("left", "y"), "rudder": ("left", "x"), "throttle": ("right", "y"), "aileron": ("right", "x")},
    2: {"throttle": ("left", "y"), "rudder": ("left", "x"), "elevator": ("right", "y"), "aileron": ("right", "x")},
    3: {"elevator": ("left", "y"), "aileron": ("left", "x"), "throttle": ("right", "y"), "rudder": ("right", "x")},
    4: {"throttle": ("left", "y"), "aileron": ("left", "x"), "elevator": ("right", "y"), "rudder": ("right", "x")},
}
PLACES: tuple[Place, ...] = (("left", "x"), ("left", "y"), ("right", "x"), ("right", "y"))


def axis_at(place: Place, stick_mode: int) -> StickAxis:
    """The axis that a gimbal moves in one way."""
    return next(axis for axis, there in STICKS[stick_mode].items() if there == place)
