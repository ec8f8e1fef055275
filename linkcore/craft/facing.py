"""How a board sits in its craft: the rotation from the craft's axes to the board's, its right-angled part, and how it is told in words.

Both have x forward, y to the right, z down. A rotation is told as three turns in the order yaw, pitch, roll, each about the axes as they are by then, clockwise seen along the axis (ISO 1151-1).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cache, lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

Matrix = NDArray[np.float64]
Vector = NDArray[np.float64]
UsbSide = Literal["front", "rear", "left", "right"]

SIDES: dict[UsbSide, tuple[float, float, float]] = {"front": (1, 0, 0), "rear": (-1, 0, 0), "right": (0, 1, 0), "left": (0, -1, 0)}
_WAYS = {(0, 1): "forward", (0, -1): "back", (1, 1): "right", (1, -1): "left", (2, 1): "down", (2, -1): "up"}
BY_DEG = 45


class Facing(BaseModel):
    """Roll and yaw in (-180, 180], pitch in [-90, 90]; roll is 0 where pitch stands at 90 or -90."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    roll_deg: float = Field(0, gt=-180, le=180)
    pitch_deg: float = Field(0, ge=-90, le=90)
    yaw_deg: float = Field(0, gt=-180, le=180)

    @property
    def matrix(self) -> Matrix:
        """What takes a vector's components along the craft's axes to those along the board's, 3 by 3."""
        return _turned(self.roll_deg, self.pitch_deg, self.yaw_deg)

    @classmethod
    def of(cls, matrix: Matrix, places: int = 2) -> Facing:
        """The turns of a rotation, to so many places of a degree."""
        pitch = math.degrees(math.asin(max(-1.0, min(1.0, -float(matrix[0, 2])))))
        if abs(matrix[0, 2]) > 1 - 1e-9:  # nose straight up or down: roll and yaw turn about one axis, and yaw has all of it
            yaw, roll = math.degrees(math.atan2(-float(matrix[1, 0]), float(matrix[1, 1]))), 0.0
        else:
            yaw = math.degrees(math.atan2(float(matrix[0, 1]), float(matrix[0, 0])))
            roll = math.degrees(math.atan2(float(matrix[1, 2]), float(matrix[2, 2])))
        return cls(roll_deg=_wrapped(roll, places), pitch_deg=round(pitch, places) + 0.0, yaw_deg=_wrapped(yaw, places))


def _about(axis: int, degrees: float) -> Matrix:
    """A turn of the axes about one of them."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    one, two = ((1, 2), (2, 0), (0, 1))[axis]
    turned = np.eye(3)
    turned[one, one] = turned[two, two] = c
    turned[one, two], turned[two, one] = s, -s
    return turned


@lru_cache(maxsize=256)
def _turned(roll_deg: float, pitch_deg: float, yaw_deg: float) -> Matrix:
    turned: Matrix = _about(0, roll_deg) @ _about(1, pitch_deg) @ _about(2, yaw_deg)
    turned.flags.writeable = False  # it is shared
    return turned


def _wrapped(degrees: float, places: int) -> float:
    rounded = round(degrees, places)
    return 180.0 if rounded <= -180 else rounded + 0.0


@cache
def mountings() -> tuple[Matrix, ...]:
    """Every way in which boards are mounted on purpose: each face down, turned about the board's own normal by eighths; half of them are the 24 right-angled ones."""
    faces = [Facing(), Facing(roll_deg=180), *(Facing(roll_deg=roll) for roll in (90, -90)), *(Facing(pitch_deg=pitch) for pitch in (90, -90))]
    return tuple(_about(2, BY_DEG * eighth) @ face.matrix for face in faces for eighth in range(8))


def angle_deg(one: Matrix, other: Matrix) -> float:
    """By how much one rotation is turned against another."""
    return math.degrees(math.acos(max(-1.0, min(1.0, (float(np.trace(one @ other.T)) - 1) / 2))))


def nearest(matrix: Matrix) -> Matrix:
    """The mounting that a rotation is nearest to; of two as near the right-angled one."""
    every, right = _every_mounting()
    angles = np.round(np.degrees(np.arccos(np.clip((np.einsum("nij,ij->n", every, matrix) - 1) / 2, -1, 1))), 6)
    return mountings()[int(np.lexsort((~right, angles))[0])]


@cache
def _every_mounting() -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """All of them in one array, and which are right-angled."""
    return np.array(mountings()), np.array([right_angled(each) for each in mountings()])


def right_angled(matrix: Matrix) -> bool:
    """Whether each of the board's axes lies along one of the craft's."""
    return bool(np.allclose(np.abs(matrix).max(axis=1), 1, atol=1e-6))


def in_words(matrix: Matrix, usb: UsbSide = "rear") -> str:
    """Which way the board sits: where its USB socket points, and which side of it is up."""
    sits = nearest(matrix)
    points = _way(sits.T @ np.array(SIDES[usb], dtype=float))
    top = _way(sits.T @ np.array((0.0, 0.0, -1.0)))
    if top == "up":
        return f"USB points {points}"
    return f"USB points {points}, upside down" if top == "down" else f"USB points {points}, on its edge, its top facing {top}"


def _way(along: Vector) -> str:
    """A direction of the craft in words; two where it lies between them."""
    strong = [index for index in np.argsort(-np.abs(along)) if abs(along[index]) > 0.5]
    said = [_WAYS[int(index), int(np.sign(along[index]))] for index in sorted(strong)]
    return " and ".join(said[:2])


def unit(vector: Sequence[float] | Vector) -> Vector:
    """The same direction with a length of 1."""
    array = np.asarray(vector, dtype=float)
    return array / float(np.linalg.norm(array))


@lru_cache(maxsize=256)
def tipped(tilt_deg: float, towards_deg: float, turn_deg: float) -> Matrix:
    """What takes the ground's axes to those of a craft that was turned clockwise seen from above, then tipped: `towards_deg` 0 nose down, 90 right side down."""
    towards = math.radians(towards_deg)
    to = _about(2, math.degrees(towards))
    pose: Matrix = to.T @ _about(1, -tilt_deg) @ to @ _about(2, turn_deg)
    pose.flags.writeable = False  # it is shared
    return pose


def attitude_deg(turned: Matrix) -> tuple[float, float, float]:
    """Roll, pitch and heading of a craft: roll right side down, pitch nose up, heading in [0, 360)."""
    facing = Facing.of(turned)
    return facing.roll_deg, facing.pitch_deg, facing.yaw_deg % 360


def tilt_deg(pull: Vector) -> float:
    """How far a craft is tilted whose accelerometer is pulled that way, along its own axes."""
    return math.degrees(math.acos(max(-1.0, min(1.0, -float(unit(pull)[2])))))
