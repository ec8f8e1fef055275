"""Boards in craft, as they are mounted and as hands hold them: made apart from what finds them."""

from __future__ import annotations

import math

import numpy as np

from linkcore.craft.facing import mountings
from linkcore.hops.airframe.facing import POSES, Pose, PoseName

STILL = [(0.0, 0.0, 0.0)] * 40


def turned_about(axis: np.ndarray, degrees: float) -> np.ndarray:
    """A rotation of vectors about an axis, by Rodrigues' formula: written apart from the product's."""
    axis = axis / np.linalg.norm(axis)
    angle = math.radians(degrees)
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    return np.eye(3) + math.sin(angle) * cross + (1 - math.cos(angle)) * cross @ cross


def board_axes(roll: float, pitch: float, yaw: float) -> np.ndarray:
    """The board's axes in the craft's (rows), each turn carried out on the axes themselves, one after the other."""
    axes = np.eye(3)
    for index, degrees in ((2, yaw), (1, pitch), (0, roll)):
        axes = axes @ turned_about(axes[index], degrees).T
    return axes


def held(name: str, board: np.ndarray, tip_deg: float, rng: np.random.Generator, hand_deg: float = 0.0, noise_g: float = 0.004) -> Pose:
    """A pose as a board reads it: tipped, by hands that are off by so much about any axis."""
    tip = {"level": (0, 1, 0), "nose down": (0, -1, 0), "right side down": (1, 0, 0)}[name]
    craft = turned_about(rng.normal(size=3), hand_deg) @ turned_about(np.array(tip, dtype=float), 0 if name == "level" else tip_deg)
    pull = board @ craft.T @ np.array((0.0, 0.0, -1.0))  # the pull is fixed to the ground; the craft's axes were turned
    return Pose(pose=name, accelerometer_g=[tuple(pull + rng.normal(0, noise_g, 3)) for _ in range(40)], gyro_dps=STILL)


def mounted(seed: int) -> tuple[np.ndarray, np.ndarray, np.random.Generator]:
    """(how it was meant, how it sits): one of the ways, and a small rest."""
    rng = np.random.default_rng(seed)
    meant = mountings()[rng.integers(len(mountings()))]
    return meant, meant @ turned_about(rng.normal(size=3), rng.uniform(0, 6)), rng


def poses_of(seed: int, tips: tuple[float, float] = (30, 90), hand_deg: float = 3.0) -> tuple[np.ndarray, np.ndarray, list[Pose]]:
    meant, board, rng = mounted(seed)
    return meant, board, [held(name, board, rng.uniform(*tips), rng, rng.uniform(0, hand_deg)) for name in POSES]


def contradiction_of(seed: int) -> list[Pose]:
    """Three poses of which one is another than it is said to be: the other side down, the same as another one, or not tipped at all."""
    _, board, poses = poses_of(seed)
    rng = np.random.default_rng(seed)
    wrong: PoseName = "nose down" if seed % 2 else "right side down"
    if seed % 3 == 0:
        other_way = {"nose down": (0.0, 1.0, 0.0), "right side down": (-1.0, 0.0, 0.0)}[wrong]
        pull = board @ turned_about(np.array(other_way), rng.uniform(30, 90)).T @ np.array((0.0, 0.0, -1.0))
        bad = Pose(pose=wrong, accelerometer_g=[tuple(pull)] * 10)
    elif seed % 3 == 1:
        bad = next(each for each in poses if each.pose not in ("level", wrong)).model_copy(update={"pose": wrong})
    else:
        bad = held("level", board, 0, rng).model_copy(update={"pose": wrong})
    return [*(each for each in poses if each.pose != wrong), bad]
