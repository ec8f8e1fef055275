"""How the board sits in the frame, found from what its accelerometer reads while hands hold the craft in three poses.

At rest an accelerometer reads the pull that holds it up. Level that lies along the craft's -z; nose down it moves to -x and right side down to -y, however far the craft is tipped.
So level gives the vertical, and the other two the direction forward, each by itself.
The rotation is the most likely one (Wahba's problem with both tips free, and a small rest more likely than a large one), found by Gauss-Newton from the closed form.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from typing import Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from linkcore.craft.facing import Facing, Matrix, UsbSide, Vector, angle_deg, in_words, nearest, unit

PoseName = Literal["level", "nose down", "right side down"]
POSES: tuple[PoseName, ...] = get_args(PoseName)
LEAST_SAMPLES, MOST_SAMPLES = 5, 20_000
REST_G, REST_DPS = 0.05, 8.0  # what readings may scatter by while the craft is held still (ours)
G_WITHIN = 0.15  # of 1 g, which an accelerometer that is not calibrated may be off by (ours)
LEAST_TIP_DEG, MOST_TIP_DEG = 20.0, 100.0
FITS_DEG = 15.0  # hands that leave more than this unexplained held something else than was asked (ours)
HAND_DEG = 3.0
REST_PER_HAND = 2.0  # how much farther a board is off what was meant than a pose of the hands (ours)
PoseAxis = tuple[int, int]
_TIPS: dict[PoseName, PoseAxis] = {"nose down": (0, 1), "right side down": (1, 0)}  # towards which axis of the craft, and which one it leaves alone
Reading = tuple[float, float, float]


class FacingError(ValueError):
    """No facing can be found from these poses. The text says which, and what to do."""


class Pose(BaseModel):
    """One pose as it was held: readings in g and degrees a second along the board's axes."""

    model_config = ConfigDict(extra="forbid")
    pose: PoseName
    accelerometer_g: list[Reading] = Field(max_length=MOST_SAMPLES)
    gyro_dps: list[Reading] | None = Field(None, max_length=MOST_SAMPLES)


class FacingFound(BaseModel):
    """How the board sits. `facing`: as found; `mounting`: the way it was meant, by eighths, `rest`: what is left of it; `within_deg`: how far off hands of 3 degrees leave it; `says`: in words."""

    facing: Facing
    mounting: Facing
    rest: Facing
    within_deg: float
    unexplained_deg: float
    says: list[str]


def find_facing(poses: Sequence[Pose], usb: UsbSide = "rear") -> FacingFound:
    """The facing from all three poses, in any order; one that was held several times counts as its mean. Raise FacingError."""
    up = {name: unit(np.mean(held, axis=0)) for name, held in _held(poses).items()}
    found = _solve(up, _first(up))
    left = _residuals(up, found)
    worst = math.degrees(float(np.max(np.abs(left))))
    if worst > FITS_DEG:
        raise FacingError(
            f"the poses contradict each other by {worst:.0f} degrees: hold the craft level, then nose down, then right side down, and nothing else; take them again"
        )
    sits = nearest(found)
    rest = found @ sits.T
    within = _within_deg(up, found)
    says = [f"{_capital(in_words(found, usb))}."]
    off = angle_deg(found, sits)
    if off > within:
        says.append(f"It is {off:.1f} degrees off that: set as found, or straighten it.")
    says.append(f"Found from {len(up)} poses, within {within:.1f} degrees where hands are within {HAND_DEG:g}.")
    return FacingFound(
        facing=Facing.of(found), mounting=Facing.of(sits), rest=Facing.of(rest), within_deg=round(within, 1), unexplained_deg=round(worst, 1), says=says
    )


def _held(poses: Sequence[Pose]) -> dict[PoseName, list[Vector]]:
    """The mean of each time that a pose was held, each looked at by itself."""
    found: dict[PoseName, list[Vector]] = {}
    times = Counter(each.pose for each in poses)
    for number, each in enumerate(poses, 1):
        name = f"“{each.pose}”" + (f" (pose {number})" if times[each.pose] > 1 else "")
        found.setdefault(each.pose, []).append(mean_at_rest(each, name))
    missing = [name for name in POSES if name not in found]
    if missing:
        raise FacingError(f"{' and '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing: three poses tell how the board sits")
    return found


def mean_at_rest(pose: Pose, name: str, within_g: float = G_WITHIN) -> Vector:
    """The mean reading of a pose that was held still; `within_g`: how far it may be off 1 g. Raise FacingError."""
    readings = np.array(pose.accelerometer_g, dtype=float).reshape(-1, 3)
    turns = np.array(pose.gyro_dps if pose.gyro_dps is not None else [(0.0, 0.0, 0.0)] * len(readings), dtype=float).reshape(-1, 3)
    if len(readings) < LEAST_SAMPLES:
        raise FacingError(f"{name} has {len(readings)} readings; hold the pose until there are {LEAST_SAMPLES} at least")
    if len(turns) != len(readings):
        raise FacingError(f"{name} has gaps: {len(readings)} readings of the accelerometer and {len(turns)} of the gyro; take it again")
    for what, rows in (("accelerometer", readings), ("gyro", turns)):
        bad = np.flatnonzero(~np.isfinite(rows).all(axis=1))
        if len(bad):
            raise FacingError(f"{name} has a gap: reading {bad[0] + 1} of the {what} is no number; take it again")
    mean, scatter = readings.mean(axis=0), float(np.sqrt(readings.var(axis=0).sum()))
    turning = float(np.abs(turns - np.median(turns, axis=0)).max(initial=0.0))
    steady = float(np.linalg.norm(np.median(turns, axis=0)))
    if scatter > REST_G or turning > REST_DPS or steady > REST_DPS:
        how = f"readings scatter by {scatter:.2f} g" if scatter > REST_G else f"it turned by {max(turning, steady):.0f} degrees a second"
        raise FacingError(f"{name} was not at rest: {how}; hold it against something firm and take it again")
    length = float(np.linalg.norm(mean))
    if abs(length - 1) > within_g:
        axis = "xyz"[int(np.argmax(np.abs(mean)))]
        raise FacingError(
            f"{name} reads {length:.2f} g at rest, mostly along {axis}: an axis is clipped, or the accelerometer is not calibrated; do the six positions first"
        )
    held: Vector = np.asarray(mean, dtype=np.float64)
    return held


def _first(up: dict[PoseName, Vector]) -> Matrix:
    """The closed form: level gives the vertical, both tips the direction forward."""
    down = -up["level"]
    tips: dict[PoseName, Vector] = {}
    for name in _TIPS:
        tip = math.degrees(math.acos(max(-1.0, min(1.0, float(up[name] @ up["level"])))))
        if not LEAST_TIP_DEG <= tip <= MOST_TIP_DEG:
            more = "tip it farther, by 30 degrees at least" if tip < LEAST_TIP_DEG else "tip it by 90 degrees at most"
            raise FacingError(f"“{name}” lies {tip:.0f} degrees from level: {more}, and take it again")
        tips[name] = unit(-(up[name] - (up[name] @ down) * down))
    right = np.cross(down, tips["nose down"])  # where right would be, by the nose alone
    apart = math.degrees(math.acos(max(-1.0, min(1.0, float(right @ tips["right side down"])))))
    if apart > 2 * FITS_DEG:
        turned = "left side down" if apart > 180 - 2 * FITS_DEG else "something else"
        raise FacingError(f"“nose down” and “right side down” contradict each other by {apart:.0f} degrees, as if one of them was {turned}; take both again")
    forward = unit(tips["nose down"] + np.cross(tips["right side down"], down))
    return np.column_stack((forward, np.cross(down, forward), down))


def _residuals(up: dict[PoseName, Vector], found: Matrix) -> Vector:
    """What each pose leaves unexplained, radians: of level both ways, of a tip that which lies across it."""
    seen = {name: found.T @ reading for name, reading in up.items()}  # along the craft's axes
    return np.array([seen["level"][0], seen["level"][1], *(math.asin(max(-1.0, min(1.0, float(seen[name][across])))) for name, (_, across) in _TIPS.items())])


def _slopes(up: dict[PoseName, Vector], found: Matrix) -> Matrix:
    """How the residuals go with a small turn of the craft about its own axes, one column an axis."""
    small = 1e-5
    return np.column_stack([(_residuals(up, _turned(found, np.eye(3)[axis] * small)) - _residuals(up, found)) / small for axis in range(3)])


def _solve(up: dict[PoseName, Vector], found: Matrix) -> Matrix:
    """The most likely rotation: hands err, and a board that was mounted on purpose is not far from the way that was meant."""
    sits = nearest(found)
    for _ in range(12):
        slopes = np.vstack((_slopes(up, found), np.eye(3) / REST_PER_HAND))
        left = np.concatenate((_residuals(up, found), _small(sits.T @ found) / REST_PER_HAND))
        step: Vector = np.asarray(np.linalg.lstsq(slopes, -left, rcond=None)[0], dtype=np.float64)
        found = _turned(found, step)
        if float(np.linalg.norm(step)) < 1e-10:
            break
    return found


def _small(turn: Matrix) -> Vector:
    """The rotation vector of a small rotation, radians."""
    return np.array([turn[2, 1] - turn[1, 2], turn[0, 2] - turn[2, 0], turn[1, 0] - turn[0, 1]]) / 2


def _turned(found: Matrix, turn: Vector) -> Matrix:
    """The same after a turn of the craft's axes by a rotation vector, radians."""
    angle = float(np.linalg.norm(turn))
    if angle < 1e-15:
        return found
    x, y, z = turn / angle
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    turned: Matrix = found @ (np.eye(3) + math.sin(angle) * cross + (1 - math.cos(angle)) * cross @ cross)
    return turned


def _within_deg(up: dict[PoseName, Vector], found: Matrix) -> float:
    """How far off it is where each hand is off by HAND_DEG, by the slopes: the root of the mean over both ways of it."""
    slopes = np.vstack((_slopes(up, found), np.eye(3) / REST_PER_HAND))
    spread = np.linalg.inv(slopes.T @ slopes)
    return float(HAND_DEG / math.sqrt(2) * math.sqrt(float(np.trace(spread))))


def _capital(text: str) -> str:
    return text[0].upper() + text[1:]
