"""Offset and scale of an accelerometer, from six positions in any order: each axis once up and once down.

At rest an axis reads from -1 to 1 g; b = (max + min) / 2 and s = 2 g / (max - min), so that a true reading is s (a - b) (the usual six-position calibration, as in IEEE 1293).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, get_args

import numpy as np
from pydantic import BaseModel

from linkcore.craft.facing import Vector
from linkcore.hops.airframe.facing import FacingError, Pose, Reading, mean_at_rest

Direction = Literal["x up", "x down", "y up", "y down", "z up", "z down"]
DIRECTIONS: tuple[Direction, ...] = get_args(Direction)
ALONG = 0.9  # of the reading's length, which the axis has that is meant: within 26 degrees of upright (ours)
RESIDUAL_G = 0.02
OFFSET_MOST_G, SCALE_MOST = 0.3, 0.2  # what no accelerometer that works is off by (ours)


class Calibration(BaseModel):
    """`offset_g`, `scale`: of each axis. `open`: directions of gravity that nobody has held yet. `residual_g`: the worst that a position is off 1 g by, and `worst` which one, to be repeated where it is too much."""

    offset_g: tuple[float, float, float] | None
    scale: tuple[float, float, float] | None
    open: list[Direction]
    residual_g: float | None
    worst: Direction | None


def direction_of(reading: Vector | Sequence[float]) -> Direction:
    """Which direction a mean reading at rest is. Raise FacingError where it lies between two."""
    array = np.asarray(reading, dtype=float)
    axis = int(np.argmax(np.abs(array)))
    if abs(array[axis]) < ALONG * float(np.linalg.norm(array)):
        raise FacingError("the board lies between two positions: set it on one of its six sides, and take it again")
    return DIRECTIONS[2 * axis + int(array[axis] < 0)]


def recognise(readings: Sequence[Reading]) -> tuple[Direction, Vector]:
    """The position that was held, by itself, and its mean. Raise FacingError where it was not at rest, or is none of the six."""
    mean = mean_at_rest(Pose(pose="level", accelerometer_g=list(readings)), "this position", within_g=OFFSET_MOST_G + SCALE_MOST)
    return direction_of(mean), mean


def calibrate(held: Mapping[Direction, Vector]) -> Calibration:
    """What the positions held so far come to. Raise FacingError where an axis would be off by more than any that works."""
    still = [each for each in DIRECTIONS if each not in held]
    if still:
        return Calibration(offset_g=None, scale=None, open=still, residual_g=None, worst=None)
    up = np.array([held[DIRECTIONS[2 * axis]][axis] for axis in range(3)])
    down = np.array([held[DIRECTIONS[2 * axis + 1]][axis] for axis in range(3)])
    offset, scale = (up + down) / 2, 2 / (up - down)
    off = np.flatnonzero((np.abs(offset) > OFFSET_MOST_G) | (np.abs(scale - 1) > SCALE_MOST))
    if len(off):
        axis = int(off[0])
        raise FacingError(
            f"{'xyz'[axis]} would have an offset of {offset[axis]:.2f} g and a scale of {scale[axis]:.2f}: it is clipped or broken; nothing was kept"
        )
    left = {name: abs(float(np.linalg.norm(scale * (mean - offset))) - 1) for name, mean in held.items()}
    worst = max(left, key=lambda name: left[name])
    return Calibration(
        offset_g=(float(offset[0]), float(offset[1]), float(offset[2])),
        scale=(float(scale[0]), float(scale[1]), float(scale[2])),
        open=[],
        residual_g=left[worst],
        worst=worst if left[worst] > RESIDUAL_G else None,
    )
