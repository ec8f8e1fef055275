"""The craft as hands hold it on the bench: its pose, how its board really sits, and what the board's sensors are off by. None of that is known to the board."""

from __future__ import annotations

import math
import random
from collections import deque
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from linkcore.craft.document import BoardSettings
from linkcore.craft.facing import Facing, Matrix, Vector, attitude_deg, mountings, tilt_deg, tipped
from linkcore.devices.attitude import level_pull, roll_pitch_deg, shown_facing

SAMPLE_S = 0.08
KEPT_S = 2.0
NOISE_G, NOISE_DPS = 0.004, 0.3
SHAKES_DEG, SHAKES_HZ = 7.0, 2.3  # hands that do not hold still (ours)
UP = np.array((0.0, 0.0, -1.0))
Three = tuple[float, float, float]


CompassMended = Literal["moved away", "calibrated"]
LEFT_DEG_A, LEFT_IRON = 0.1, 0.02  # what is left of the motors' field well away from their leads, and of iron once it was calibrated (ours)


class BodyTruth(BaseModel):
    """What is so, whatever is written down. `sits`: how the board really sits; `read` = true / scale + offset of each axis of its accelerometer.

    `iron`: a field of the craft's own beside the earth's (forward, right; as a share of it), and `compass_deg_a` how far an ampere of the motors turns the compass. `voltage_scale`,
    `current_slope`, `current_offset_a`: those with which the board would show what is so.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    sits: Facing = Facing()
    offset_g: Three = (0.0, 0.0, 0.0)
    scale: Three = (1.0, 1.0, 1.0)
    gyro_dps: Three = (0.0, 0.0, 0.0)
    iron: tuple[float, float] = (0.0, 0.0)
    compass_deg_a: float = 0.0
    voltage_scale: float = Field(1, gt=0)
    current_slope: float = Field(1, gt=0)
    current_offset_a: float = 0.0

    @classmethod
    def usual(cls, seed: int) -> BodyTruth:
        """A craft that was built with care: the board as it was meant, but for a degree; sensors as they leave their maker."""
        rng = random.Random(f"usual body {seed}")
        off = Facing(roll_deg=rng.uniform(-0.6, 0.6), pitch_deg=rng.uniform(-0.6, 0.6), yaw_deg=rng.uniform(-1, 1))
        return cls(**_sensors(rng, 0.01, 0.006), sits=off, iron=(rng.uniform(-0.03, 0.03), rng.uniform(-0.03, 0.03)), compass_deg_a=rng.uniform(0.1, 0.35))

    @classmethod
    def any(cls, seed: int) -> BodyTruth:
        """A craft of which everything may be wrong."""
        rng = random.Random(f"any body {seed}")
        off = Facing(roll_deg=rng.uniform(-3, 3), pitch_deg=rng.uniform(-3, 3), yaw_deg=rng.uniform(-3, 3))
        return cls(
            **_sensors(rng, 0.06, 0.03),
            sits=Facing.of(rng.choice(mountings()) @ off.matrix, places=6),
            iron=(rng.uniform(-0.4, 0.4), rng.uniform(-0.4, 0.4)),
            compass_deg_a=rng.uniform(-1.5, 1.5),
            voltage_scale=rng.uniform(0.9, 1.1),
            current_slope=rng.uniform(0.8, 1.2),
            current_offset_a=rng.uniform(-1, 1),
        )

    def compass_mended(self, how: CompassMended) -> BodyTruth:
        """Its compass sits away from the leads of pack and motors, or knows of the iron that turns with it."""
        if how == "moved away":
            return self.model_copy(update={"compass_deg_a": max(-LEFT_DEG_A, min(LEFT_DEG_A, self.compass_deg_a))})
        less = min(1.0, LEFT_IRON / max(LEFT_IRON, math.hypot(*self.iron)))
        return self.model_copy(update={"iron": (less * self.iron[0], less * self.iron[1])})


def _sensors(rng: random.Random, offset_g: float, scale: float) -> dict[str, Three]:
    def three(most: float, about: float = 0.0) -> Three:
        return (about + rng.uniform(-most, most), about + rng.uniform(-most, most), about + rng.uniform(-most, most))

    return {"offset_g": three(offset_g), "scale": three(scale, 1.0), "gyro_dps": three(1.5)}


@dataclass(frozen=True)
class Idea:
    """What the board makes of how it lies, degrees: roll right side down, pitch nose up, heading by gyro and, where it has one, by compass; `tilt`: from level; `pull`: gravity along the craft's axes, g."""

    roll: float
    pitch: float
    heading: float
    compass: float
    tilt: float
    pull: Vector


class HeldCraft:
    """The craft in the pilot's hands, or on the bench. `unsteady`: they shake."""

    def __init__(self, truth: BodyTruth, seed: int) -> None:
        self.truth = truth
        self._rng = np.random.default_rng(seed)
        self.tilt_deg = self.turn_deg = 0.0
        self.towards_deg = 90.0
        self.unsteady = False
        self.accelerometer: deque[Three] = deque(maxlen=round(KEPT_S / SAMPLE_S))
        self.gyro: deque[Three] = deque(maxlen=round(KEPT_S / SAMPLE_S))
        self._sampled_t: float | None = None
        self._was: Matrix | None = None
        self._idea: tuple[object, Idea] | None = None

    @property
    def pose(self) -> Matrix:
        """What takes the ground's axes to the craft's."""
        return tipped(self.tilt_deg, self.towards_deg, self.turn_deg)

    @property
    def attitude_deg(self) -> Three:
        """Roll, pitch and heading as they are."""
        return attitude_deg(self.pose)

    def read_g(self, pull: Vector) -> Vector:
        """What the accelerometer makes of a pull along the craft's axes, g, along the board's, without noise."""
        read: Vector = self.truth.sits.matrix @ pull / np.array(self.truth.scale) + np.array(self.truth.offset_g)
        return read

    def compass_off_deg(self, heading_deg: float, motors_a: float) -> float:
        """How far the compass is off: the craft's own iron by where it points, its motors by what they draw."""
        forward, right = self.truth.iron
        heading = math.radians(heading_deg)
        reads = math.degrees(math.atan2(math.sin(heading) - right, math.cos(heading) + forward))
        return (reads - heading_deg + 180) % 360 - 180 + self.truth.compass_deg_a * motors_a

    def idea(self, settings: BoardSettings, motors_a: float) -> Idea:
        """What the board makes of it at rest, with the settings that it runs."""
        key = (settings, self.truth, self.tilt_deg, self.towards_deg, self.turn_deg, round(motors_a, 2))
        if self._idea is None or self._idea[0] != key:
            self._idea = (key, self._made(settings, motors_a))
        return self._idea[1]

    def _made(self, settings: BoardSettings, motors_a: float) -> Idea:
        seems = shown_facing(settings).matrix.T @ self.truth.sits.matrix @ self.pose
        level = level_pull(settings, self.read_g(self.pose @ UP))
        roll, pitch = roll_pitch_deg(level)
        heading = attitude_deg(seems)[2]
        off = self.compass_off_deg(self.attitude_deg[2], motors_a)
        return Idea(roll, pitch, heading, (heading + off) % 360, tilt_deg(level), level)

    def sample(self, until: float, *, awake: bool) -> bool:
        """Let the sensors read up to `until` (bench seconds); whether there is anything new. Nothing is read while the board does not run."""
        if not awake:
            self.forget_samples()
            return False
        if self._sampled_t is None:
            self._sampled_t = until
            self._was = self.pose
            return False
        came = False
        while self._sampled_t + SAMPLE_S <= until + 1e-9:
            self._sampled_t += SAMPLE_S
            self._read(self._sampled_t)
            came = True
        return came

    @property
    def read_s(self) -> float:
        """How long the sensors have been read, KEPT_S at most."""
        return len(self.accelerometer) * SAMPLE_S

    def forget_samples(self) -> None:
        """What was read so far belongs to something that is over."""
        self.accelerometer.clear()
        self.gyro.clear()
        self._sampled_t = self._was = None

    def _read(self, t: float) -> None:
        shake = SHAKES_DEG * math.sin(2 * math.pi * SHAKES_HZ * t) if self.unsteady else 0.0
        pose = tipped(self.tilt_deg + shake, self.towards_deg, self.turn_deg)
        turned = np.eye(3) if self._was is None else pose @ self._was.T
        self._was = pose
        rate = np.degrees(np.array([turned[1, 2] - turned[2, 1], turned[2, 0] - turned[0, 2], turned[0, 1] - turned[1, 0]])) / 2 / SAMPLE_S
        noise_g, noise_dps = self._rng.normal(0, NOISE_G, 3), self._rng.normal(0, NOISE_DPS, 3)
        self.accelerometer.append(_three(self.read_g(pose @ UP) + noise_g))
        self.gyro.append(_three(self.truth.sits.matrix @ rate + np.array(self.truth.gyro_dps) + noise_dps))


def _three(vector: Vector) -> Three:
    return (round(float(vector[0]), 4), round(float(vector[1]), 4), round(float(vector[2]), 4))
