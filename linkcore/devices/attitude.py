"""What a board makes of its accelerometer: readings set right, turned by its facing into the craft's axes, and by what it takes for level."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from linkcore.craft.document import BoardSettings, LevelTrim
from linkcore.craft.facing import Facing, Vector


def set_right(settings: BoardSettings, read_g: Vector | Sequence[float]) -> Vector:
    """A reading along the board's axes with offset and scale taken off, g."""
    setup = settings.accelerometer
    right: Vector = np.array(setup.scale) * (np.asarray(read_g, dtype=float) - np.array(setup.offset_g))
    return right


def shown_facing(settings: BoardSettings) -> Facing:
    """How the board believes that it sits, what it takes for level in it."""
    trim = settings.level
    if not trim.roll_deg and not trim.pitch_deg:
        return settings.facing
    return Facing.of(settings.facing.matrix @ Facing(roll_deg=trim.roll_deg, pitch_deg=trim.pitch_deg).matrix, places=6)


def craft_pull(settings: BoardSettings, read_g: Vector | Sequence[float]) -> Vector:
    """The pull along the craft's axes as its facing alone has it, g."""
    pull: Vector = settings.facing.matrix.T @ set_right(settings, read_g)
    return pull


def level_pull(settings: BoardSettings, read_g: Vector | Sequence[float]) -> Vector:
    """The same, with what it takes for level."""
    pull: Vector = shown_facing(settings).matrix.T @ set_right(settings, read_g)
    return pull


def roll_pitch_deg(pull: Vector) -> tuple[float, float]:
    """Roll right side down and pitch nose up, by a pull along the craft's axes at rest."""
    length = float(np.linalg.norm(pull)) or 1.0
    return math.degrees(math.atan2(-float(pull[1]), -float(pull[2]))), math.degrees(math.asin(max(-1.0, min(1.0, float(pull[0]) / length))))


def level_for(settings: BoardSettings, read_g: Vector | Sequence[float]) -> LevelTrim | None:
    """What the board has to take for level so that this reading is; None where it is farther from level than any craft stands."""
    roll, pitch = roll_pitch_deg(craft_pull(settings, read_g))
    most = 20.0
    return LevelTrim(roll_deg=round(roll, 2), pitch_deg=round(pitch, 2)) if abs(roll) <= most and abs(pitch) <= most else None
