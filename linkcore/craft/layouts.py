"""Where motors sit on each airframe and which way each has to turn, as data. Rows are read as a page is: the front one first, each from left to right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.document import Airframe, OutputRole, Props

Turn = Literal["clockwise", "counterclockwise", "ahead", "astern"]
Corner = Literal["front left", "front right", "rear left", "rear right", "front", "rear", "left", "right", "middle"]
OPPOSITE: Mapping[Turn, Turn] = {"clockwise": "counterclockwise", "counterclockwise": "clockwise", "ahead": "astern", "astern": "ahead"}


@dataclass(frozen=True)
class MotorPlace:
    """A motor: what its output is called, where it sits (forward and right of the middle, in arm lengths), and which way it turns seen from above with props in; None: either way will do.

    A motor that drives the craft along turns `ahead`.
    """

    role: OutputRole
    corner: Corner
    forward: float
    right: float
    turns: Turn | None

    def wanted(self, props: Props) -> Turn | None:
        """Which way it has to turn, seen from above."""
        turns = self.turns
        return OPPOSITE[turns] if props == "out" and turns in ("clockwise", "counterclockwise") else turns


Layout = tuple[MotorPlace, ...]
_A = 0.7071
_QUAD_X: Layout = (
    MotorPlace("front left motor", "front left", _A, -_A, "clockwise"),
    MotorPlace("front right motor", "front right", _A, _A, "counterclockwise"),
    MotorPlace("rear left motor", "rear left", -_A, -_A, "counterclockwise"),
    MotorPlace("rear right motor", "rear right", -_A, _A, "clockwise"),
)
_QUAD_PLUS: Layout = (
    MotorPlace("front motor", "front", 1, 0, "clockwise"),
    MotorPlace("left motor", "left", 0, -1, "counterclockwise"),
    MotorPlace("right motor", "right", 0, 1, "counterclockwise"),
    MotorPlace("rear motor", "rear", -1, 0, "clockwise"),
)
_TRI: Layout = (  # its tail servo leans against what turns it, whichever way its propellers go round
    MotorPlace("front left motor", "front left", 0.5, -0.866, None),
    MotorPlace("front right motor", "front right", 0.5, 0.866, None),
    MotorPlace("rear motor", "rear", -1, 0, None),
)
_HEXA: Layout = (
    MotorPlace("front left motor", "front left", 0.866, -0.5, "clockwise"),
    MotorPlace("front right motor", "front right", 0.866, 0.5, "counterclockwise"),
    MotorPlace("left motor", "left", 0, -1, "counterclockwise"),
    MotorPlace("right motor", "right", 0, 1, "clockwise"),
    MotorPlace("rear left motor", "rear left", -0.866, -0.5, "clockwise"),
    MotorPlace("rear right motor", "rear right", -0.866, 0.5, "counterclockwise"),
)
_ONE: Layout = (MotorPlace("motor", "middle", 0, 0, "ahead"),)
_TWO: Layout = (MotorPlace("left motor", "left", 0, -1, "ahead"), MotorPlace("right motor", "right", 0, 1, "ahead"))

LAYOUTS: Mapping[Airframe, tuple[Layout, ...]] = {  # of each airframe the usual one first
    "quad X": (_QUAD_X,),
    "quad plus": (_QUAD_PLUS,),
    "tri": (_TRI,),
    "hexa": (_HEXA,),
    "plane": (_ONE, _TWO),
    "wing": (_ONE, _TWO),
    "rover": (_TWO, _ONE),
    "boat": (_TWO, _ONE),
}


def layout_of(airframe: Airframe, motors: int = 0) -> Layout:
    """The layout of an airframe that has so many motors; the usual one where it has none of that many."""
    return next((each for each in LAYOUTS[airframe] if len(each) == motors), LAYOUTS[airframe][0])
