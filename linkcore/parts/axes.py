"""The four axes of the sticks: what each is called at the transmitter (by its surface), on the board (by what the craft does), and in a channel order."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

StickAxis = Literal["aileron", "elevator", "throttle", "rudder"]
Axis = Literal["roll", "pitch", "throttle", "yaw"]

LETTER_OF: dict[StickAxis, str] = {"aileron": "A", "elevator": "E", "throttle": "T", "rudder": "R"}
STICK_OF_LETTER: dict[str, StickAxis] = {letter: stick for stick, letter in LETTER_OF.items()}
STICK_AXES: tuple[StickAxis, ...] = tuple(LETTER_OF)
STICK_OF: dict[Axis, StickAxis] = {"roll": "aileron", "pitch": "elevator", "throttle": "throttle", "yaw": "rudder"}
AXIS_OF: dict[StickAxis, Axis] = {stick: axis for axis, stick in STICK_OF.items()}
AXES: tuple[Axis, ...] = tuple(STICK_OF)


def _each_letter_once(order: str) -> str:
    if not _is_order(order):
        raise ValueError(f"{order!r} is no channel order; it needs each of A, E, T and R once")
    return order


def _is_order(letters: str) -> bool:
    return sorted(letters) == sorted(STICK_OF_LETTER)


ChannelOrder = Annotated[
    str, Field(pattern=r"^[AETR]{4}$", description="Each once: A aileron, E elevator, T throttle, R rudder"), AfterValidator(_each_letter_once)
]


def spelled(sources: Iterable[str]) -> str | None:
    """The channel order of four channels with these sources; None where one of the axes is not among them."""
    letters: dict[str, str] = {stick: letter for stick, letter in LETTER_OF.items()}  # noqa: C416 - a wider key type
    order = "".join(letters.get(source, "?") for source in sources)
    return order if _is_order(order) else None


@cache  # asked with every frame; there are 24 orders
def channel_of(axis: Axis, channel_order: str) -> int:
    """The channel (from 1) that carries an axis under a channel order."""
    return channel_order.index(LETTER_OF[STICK_OF[axis]]) + 1
