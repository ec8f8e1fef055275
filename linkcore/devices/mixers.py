"""What a board mixes for each control surface, as data: how far each command moves it, and which way that is seen to be."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from linkcore.craft.document import ServoRole
from linkcore.parts.axes import Axis

US_FULL = 500.0  # a servo's pulse from its middle to an end
DEG_US = 0.09  # what a usual servo turns for each us


@dataclass(frozen=True)
class SurfaceMix:
    """`by`: how much of each command moves it (roll right, stick forward and yaw right positive); positive is seen as `one`, negative as `other`."""

    by: Mapping[Axis, float]
    one: str
    other: str

    def moved(self, commands: Mapping[Axis, float]) -> float:
        """Where it is asked to be, -1 to 1."""
        return max(-1.0, min(1.0, sum(share * commands.get(axis, 0.0) for axis, share in self.by.items())))

    def seen(self, at: float) -> str:
        """How that looks, in words."""
        return self.one if at > 0 else self.other


_EDGE = ("its trailing edge goes up", "its trailing edge goes down")
MIXES: Mapping[ServoRole, SurfaceMix] = {
    "aileron": SurfaceMix({"roll": 1.0}, "the right aileron goes up, the left one down", "the right aileron goes down, the left one up"),
    "right aileron": SurfaceMix({"roll": 1.0}, *_EDGE),
    "left aileron": SurfaceMix({"roll": -1.0}, *_EDGE),
    "elevator": SurfaceMix({"pitch": -1.0}, *_EDGE),
    "rudder": SurfaceMix({"yaw": 1.0}, "its trailing edge goes right", "its trailing edge goes left"),
    "right elevon": SurfaceMix({"roll": 0.6, "pitch": -0.6}, *_EDGE),
    "left elevon": SurfaceMix({"roll": -0.6, "pitch": -0.6}, *_EDGE),
    "right V-tail": SurfaceMix({"pitch": -0.6, "yaw": -0.6}, *_EDGE),
    "left V-tail": SurfaceMix({"pitch": -0.6, "yaw": 0.6}, *_EDGE),
    "tail servo": SurfaceMix({"yaw": 1.0}, "it leans so that the tail goes left", "it leans so that the tail goes right"),
}
STICK_MOVES: Mapping[Axis, str] = {"roll": "roll stick right", "pitch": "pitch stick forward", "yaw": "yaw stick right"}
CRAFT_MOVES: Mapping[Axis, tuple[str, int]] = {
    "roll": ("right wing dropped", -1),
    "pitch": ("nose dropped", -1),
    "yaw": ("nose swung left", 1),
}  # and the sign of the command that answers it
RATE_FULL_DPS, TILT_FULL_DEG, MOST_STEADY = 120.0, 45.0, 0.5  # how fast, and how far tipped, brings the most that is steadied (ours)
LEVELLING = frozenset(
    ("angle", "horizon", "altitude hold", "position hold", "return home", "loiter", "centre learning")
)  # modes that right a tilt; acro answers only to a turn, manual to nothing


def steadied(rates_dps: Mapping[Axis, float], roll_deg: float, pitch_deg: float, mode: str) -> dict[Axis, float]:
    """The command by which a board steadies: against each turn (right side down, nose up, clockwise positive), and in modes that level against the tilt."""
    if mode == "manual":
        return {"roll": 0.0, "pitch": 0.0, "yaw": 0.0}
    levels = mode in LEVELLING
    return {
        "roll": -_part(rates_dps["roll"] / RATE_FULL_DPS) - (_part(roll_deg / TILT_FULL_DEG) if levels else 0.0),
        "pitch": _part(rates_dps["pitch"] / RATE_FULL_DPS) + (_part(pitch_deg / TILT_FULL_DEG) if levels else 0.0),
        "yaw": -_part(rates_dps["yaw"] / RATE_FULL_DPS),
    }


def _part(share: float) -> float:
    return MOST_STEADY * max(-1.0, min(1.0, share))
