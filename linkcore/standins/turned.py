"""How fast the stand-in craft turns under what its board asks, by its motors and surfaces as they really are."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from linkcore.craft.document import OutputRole, Props
from linkcore.craft.layouts import Layout, MotorPlace, Turn
from linkcore.parts.axes import Axis
from linkcore.standins.drives import MotorTruth

STEERS: tuple[Axis, ...] = ("roll", "pitch", "yaw")
LAG_S = 0.15  # until it turns as it is asked (ours)
Effect = Mapping[Axis, Mapping[Axis, float]]  # by what is asked: the share of it about each axis that comes of it
AS_ASKED: Effect = {axis: {axis: 1.0} for axis in STEERS}


def _lever(place: MotorPlace, turns: Turn | None) -> dict[Axis, float]:
    """What more of a motor does: roll right, nose down, and the turn that its propeller pushes against."""
    return {"roll": -place.right, "pitch": -place.forward, "yaw": {"counterclockwise": 1.0, "clockwise": -1.0}.get(turns or "", 0.0)}


def of_motors(layout: Layout, roles: Mapping[str, OutputRole], props: Props, motors: Mapping[str, MotorTruth]) -> Effect:
    """The effect of a board that drives these outputs for these roles, on motors as they are; as asked where nothing steers by them."""
    by_role, by_corner = {place.role: place for place in layout}, {place.corner: place for place in layout}
    meant = {pad: _lever(by_role[role], by_role[role].wanted(props)) for pad, role in roles.items() if role in by_role and pad in motors}
    real = {pad: _lever(by_corner[motors[pad].corner], motors[pad].turns) for pad in meant}
    effect: dict[Axis, dict[Axis, float]] = {}
    for axis in STEERS:
        whole = sum(lever[axis] ** 2 for lever in meant.values())
        if whole == 0 or (all(place.turns is None for place in layout) and axis == "yaw"):
            effect[axis] = {axis: 1.0}  # a tail servo, or nothing, turns it
            continue
        effect[axis] = {got: sum(meant[pad][axis] * real[pad][got] for pad in meant if not motors[pad].open_phase) / whole for got in STEERS}
    return effect


def of_surfaces(surfaces: Sequence[tuple[Mapping[Axis, float], float]]) -> Effect:
    """The same of surfaces: (what moves each, which way it really goes for that: 1, -1, or 0 where it stands still)."""
    effect: dict[Axis, dict[Axis, float]] = {}
    for axis in STEERS:
        whole = sum(abs(by.get(axis, 0.0)) for by, _ in surfaces)
        effect[axis] = {axis: sum(abs(by.get(axis, 0.0)) * way for by, way in surfaces) / whole if whole else 1.0}
    return effect


class TurningCraft:
    """Degrees a second about each axis."""

    def __init__(self) -> None:
        self.asked: dict[Axis, float] = dict.fromkeys(STEERS, 0.0)
        self.dps: dict[Axis, float] = dict.fromkeys(STEERS, 0.0)

    def step(self, asked: Mapping[Axis, float], effect: Effect, gives: Mapping[Axis, float], dt: float) -> None:
        """So many seconds under what is asked, degrees a second; it gives no more than it can."""
        keeps = math.exp(-dt / LAG_S)
        self.asked = dict(asked)
        for got in STEERS:
            comes = sum(asked[axis] * effect[axis].get(got, 0.0) for axis in STEERS)
            comes = max(-gives[got], min(gives[got], comes))
            self.dps[got] = self.dps[got] * keeps + comes * (1 - keeps)
