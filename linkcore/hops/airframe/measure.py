"""What is measured of a craft in hands: poses, level, six positions, the compass, and what meter and charger say. All of it raw, as the board's sensors read it, so that it holds whatever the board is set to."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import BaseModel, Field

from linkcore.craft.facing import UsbSide, Vector, unit
from linkcore.hops.airframe.facing import (
    LEAST_SAMPLES,
    LEAST_TIP_DEG,
    POSES,
    REST_DPS,
    REST_G,
    FacingError,
    FacingFound,
    Pose,
    PoseName,
    Reading,
    find_facing,
    mean_at_rest,
)
from linkcore.hops.airframe.first_flight import IdleFlown
from linkcore.hops.airframe.motors import MotorsSeen
from linkcore.hops.airframe.six_positions import DIRECTIONS, Calibration, Direction, calibrate, recognise
from linkcore.hops.airframe.surfaces import SurfacesSeen

Asking = Literal["facing", "level", "six positions"]
REST_S = 2.0
COMPASS_APART_A = 2.0  # what motors have to draw more than at rest before their disturbance is told (ours)
SAME_HEADING_DEG = 8.0
OCTANT_DEG = 45
NOTHING = " Nothing was taken."


class LevelRead(BaseModel):
    """The board's mean reading while the craft stood as level as it will fly, g, and what it scattered by."""

    mean_g: Reading
    scatter_g: float


class VoltsRead(BaseModel):
    """What the board read, unscaled, while a meter showed the true voltage at the pack."""

    read_v: float
    true_v: float


class AmpsRead(BaseModel):
    """The same of current."""

    read_a: float
    true_a: float


class ChargeRead(BaseModel):
    """What the board's current sensor came to over a time, unscaled, and what the charger put back afterwards."""

    read_mah: float
    hours: float
    put_back_mah: float


class CompassAt(BaseModel):
    """Compass against gyro, degrees, where the craft pointed and what its motors drew."""

    off_deg: float
    heading_deg: float
    motors_a: float


class AirframeMeasure(BaseModel):
    """`asking`: what is being taken just now; `said`: why the last try gave nothing. `usb_so`: the mounting (in words) whose USB socket the pilot has seen to point so, `usb_not`: the one they saw to be otherwise.

    `pack_v`: what a meter showed at the pack's leads; `volts`: the same beside what the board read, where that is a voltage of the pack that was chosen;
    `cells_told`: how many cells the pilot has counted. `compass_rest`: with the motors off, by the eighth of the circle that the craft pointed to; `compass_motors`: with the most that they have drawn;
    `heading_flown`: whether the heading stayed with the craft in flight, None: not flown; `idle_flown`: with which idle it was.
    """

    asking: Asking | None = None
    said: str = ""
    poses: dict[PoseName, Pose] = Field(default_factory=dict)
    found: FacingFound | None = None
    usb_so: str = ""
    usb_not: str = ""
    level: LevelRead | None = None
    positions: dict[Direction, Reading] = Field(default_factory=dict)
    calibration: Calibration | None = None
    pack_v: float | None = None
    volts: VoltsRead | None = None
    cells_told: int | None = None
    amps: list[AmpsRead] = Field(default_factory=list, max_length=2)
    charge: ChargeRead | None = None
    compass_rest: dict[int, CompassAt] = Field(default_factory=dict)
    compass_motors: CompassAt | None = None
    heading_flown: bool | None = None
    motors: MotorsSeen = Field(default_factory=MotorsSeen)
    idle_flown: IdleFlown = Field(default_factory=IdleFlown)
    surfaces: SurfacesSeen = Field(default_factory=SurfacesSeen)
    ends: list[str] = Field(default_factory=list, description="Outputs whose ESCs have learnt the board's end points")

    @property
    def next_pose(self) -> PoseName | None:
        """The pose that is waited for; None where all are taken."""
        return next((each for each in POSES if each not in self.poses), None)

    def ask(self, what: Asking | None) -> AirframeMeasure:
        """Begin to take something anew, or leave off; six positions go on from those that are taken, unless all were."""
        fresh: dict[str, object] = {"asking": what, "said": ""}
        if what == "facing":
            fresh |= {"poses": {}, "found": None, "usb_so": "", "usb_not": ""}
        elif what == "level":
            fresh["level"] = None
        elif what == "six positions" and self.calibration is not None and self.calibration.worst is None:
            fresh |= {"positions": {}, "calibration": None}
        elif what is None and self.asking == "facing" and self.found is None:
            fresh["poses"] = {}
        return self.model_copy(update=fresh)

    def held(self, accelerometer: Sequence[Reading], gyro: Sequence[Reading], usb: UsbSide) -> AirframeMeasure:
        """Two seconds of readings, not yet known to be at rest: the same object where nothing comes of them."""
        if self.asking == "facing":
            return self._pose(accelerometer, gyro, usb)
        if self.asking == "level":
            return self._level(accelerometer, gyro)
        return self._position(accelerometer, gyro) if self.asking == "six positions" else self

    def _pose(self, accelerometer: Sequence[Reading], gyro: Sequence[Reading], usb: UsbSide) -> AirframeMeasure:
        name = self.next_pose
        if name is None or not at_rest(accelerometer, gyro):
            return self
        pose = Pose(pose=name, accelerometer_g=list(accelerometer), gyro_dps=list(gyro))
        try:
            mean = mean_at_rest(pose, f"“{name}”")
        except FacingError as error:
            return self._nothing(error)
        if any(_apart_deg(mean, before.accelerometer_g) < LEAST_TIP_DEG for before in self.poses.values()):
            return self  # it lies as it did; the next pose has not been taken up
        poses = {**self.poses, name: pose}
        if len(poses) < len(POSES):
            return self.model_copy(update={"poses": poses, "said": ""})
        try:
            found = find_facing(list(poses.values()), usb)
        except FacingError as error:
            return self._nothing(error)
        return self.model_copy(update={"poses": poses, "found": found, "asking": None, "said": ""})

    def _nothing(self, why: FacingError) -> AirframeMeasure:
        return self.model_copy(update={"asking": None, "poses": {}, "said": sentence(why) + NOTHING})

    def _level(self, accelerometer: Sequence[Reading], gyro: Sequence[Reading]) -> AirframeMeasure:
        if not at_rest(accelerometer, gyro):
            return self
        try:
            mean = mean_at_rest(Pose(pose="level", accelerometer_g=list(accelerometer), gyro_dps=list(gyro)), "“level”")
        except FacingError as error:
            return self.model_copy(update={"asking": None, "said": sentence(error) + NOTHING})
        read = LevelRead(mean_g=_three(mean), scatter_g=round(scatter_g(accelerometer), 4))
        return self.model_copy(update={"level": read, "asking": None, "said": ""})

    def _position(self, accelerometer: Sequence[Reading], gyro: Sequence[Reading]) -> AirframeMeasure:
        if not at_rest(accelerometer, gyro):
            return self
        try:
            direction, mean = recognise(accelerometer)
        except FacingError as error:
            said = sentence(error)
            return self if said == self.said else self.model_copy(update={"said": said})
        before = self.positions.get(direction)
        again = self.calibration is not None and self.calibration.worst == direction
        if before is not None and not again:
            return self
        if again and before is not None and np.allclose(mean, before, atol=0.003):
            return self  # it still lies there as it was taken
        positions = {**self.positions, direction: _three(mean)}
        try:
            found = calibrate({name: np.array(read) for name, read in positions.items()})
        except FacingError as error:
            return self.model_copy(update={"asking": None, "positions": {}, "calibration": None, "said": sentence(error)})
        done = not found.open and found.worst is None
        return self.model_copy(update={"positions": positions, "calibration": found, "asking": None if done else self.asking, "said": ""})

    def compass(self, at: CompassAt) -> AirframeMeasure:
        """The compass seen against the gyro once more; the same object where that says nothing new."""
        if at.motors_a < COMPASS_APART_A / 2:
            octant = round(at.heading_deg / OCTANT_DEG) % (360 // OCTANT_DEG)
            if octant in self.compass_rest:
                return self
            return self.model_copy(update={"compass_rest": {**self.compass_rest, octant: at}})
        most = self.compass_motors
        rest = self.rest_near(at.heading_deg)
        if rest is None or at.motors_a < COMPASS_APART_A or (most is not None and at.motors_a <= most.motors_a + 0.5):
            return self
        return self.model_copy(update={"compass_motors": at})

    def rest_near(self, heading_deg: float) -> CompassAt | None:
        """What the compass was off by with the motors off, where it pointed about there."""
        return next((each for each in self.compass_rest.values() if abs(_wrapped(each.heading_deg - heading_deg)) <= SAME_HEADING_DEG), None)

    @property
    def deg_per_a(self) -> float | None:
        """How far an ampere of the motors turns the compass; None until motors have run where it had been seen at rest."""
        most = self.compass_motors
        rest = self.rest_near(most.heading_deg) if most is not None else None
        if most is None or rest is None:
            return None
        return _wrapped(most.off_deg - rest.off_deg) / (most.motors_a - rest.motors_a)

    @property
    def compass_spread_deg(self) -> float | None:
        """How far compass and gyro part while the craft is turned round; None until it has pointed to four eighths of the circle at least."""
        if len(self.compass_rest) < 4:
            return None
        first = next(iter(self.compass_rest.values())).off_deg
        apart = [_wrapped(each.off_deg - first) for each in self.compass_rest.values()]
        return max(apart) - min(apart)

    @property
    def open_directions(self) -> list[Direction]:
        """Directions of gravity that nobody has held yet."""
        return [each for each in DIRECTIONS if each not in self.positions]


def at_rest(accelerometer: Sequence[Reading], gyro: Sequence[Reading]) -> bool:
    """Whether readings are enough, and of a craft that was held still."""
    if len(accelerometer) < LEAST_SAMPLES or len(gyro) != len(accelerometer):
        return False
    turns = np.array(gyro, dtype=float)
    turning = np.abs(turns - np.median(turns, axis=0)).max()
    return scatter_g(accelerometer) <= REST_G and turning <= REST_DPS and float(np.linalg.norm(np.median(turns, axis=0))) <= REST_DPS


def scatter_g(accelerometer: Sequence[Reading]) -> float:
    """What readings scatter by about their mean, g."""
    return float(np.sqrt(np.array(accelerometer, dtype=float).var(axis=0).sum()))


def sentence(error: ValueError) -> str:
    """An error as a sentence of its own."""
    text = str(error)
    return f"{text[0].upper()}{text[1:]}."


def _apart_deg(mean: Vector, before: Sequence[Reading]) -> float:
    return math.degrees(math.acos(max(-1.0, min(1.0, float(unit(mean) @ unit(np.mean(before, axis=0)))))))


def _wrapped(degrees: float) -> float:
    return (degrees + 180) % 360 - 180


def _three(vector: Vector) -> Reading:
    return (round(float(vector[0]), 5), round(float(vector[1]), 5), round(float(vector[2]), 5))
