"""Which motor sits where and which way it turns, worked out from what was seen of each output, and the cheapest way to set it right."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict

from linkcore.craft.document import OutputRole, Props
from linkcore.craft.layouts import Corner, Layout, Turn

MendKind = Literal["remap", "reverse", "mirror"]
REMAP_COST, REVERSE_COST, MIRROR_COST = 1, 1, 4


class OrderError(ValueError):
    """What was seen cannot be of this layout. The text says where and what to do."""


class SeenMotor(BaseModel):
    """What an output was seen to turn: where, and which way, seen from above."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    output: str
    corner: Corner
    turns: Turn


class MotorMend(BaseModel):
    """`remap`: output `of` is to drive the motor at corner `to`; `reverse`: the motor on output `of` is to turn `to`; `mirror`: props are exchanged for those of the other hand."""

    kind: MendKind
    of: str
    to: str


class WorkedOut(BaseModel):
    """The mends with their cost, none where all is as it should be; `says`: what has to be answered (again) first, and then nothing is worked out."""

    mends: list[MotorMend]
    cost: int
    says: list[str]


def motor_mends(layout: Layout, props: Props, roles: Mapping[str, OutputRole], seen: Sequence[SeenMotor]) -> WorkedOut:
    """What to mend, at the least cost: a remap 1 in all, each motor that is reversed 1, all props exchanged 4; of two ways that cost the same the one with fewer handgrips.

    `roles`: which motor the board takes each output for. A direction is judged at the corner where the motor sits. Raise OrderError.
    """
    _refuse(layout, roles, seen)
    says = asked_again(layout, roles, seen)
    if says:
        return WorkedOut(mends=[], cost=0, says=says)
    at = {each.output: each for each in seen}
    places = {place.corner: place for place in layout}
    remaps = [
        MotorMend(kind="remap", of=output, to=at[output].corner) for output in _in_order(roles, layout) if roles[output] != places[at[output].corner].role
    ]
    moved = REMAP_COST if remaps else 0

    def reversals(hand: Props) -> list[MotorMend]:
        wanted = {output: places[each.corner].wanted(hand) for output, each in at.items()}
        return [
            MotorMend(kind="reverse", of=output, to=turn)
            for output in _in_order(roles, layout)
            if (turn := wanted[output]) is not None and turn != at[output].turns
        ]

    here = reversals(props)
    best, cost = [*remaps, *here], moved + REVERSE_COST * len(here)
    other: Props = "out" if props == "in" else "in"
    if any(place.wanted("in") != place.wanted("out") for place in layout):
        there = reversals(other)
        mirrored = [*remaps, MotorMend(kind="mirror", of="props", to=other), *there]
        at_cost = moved + MIRROR_COST + REVERSE_COST * len(there)
        if (at_cost, len(mirrored)) < (cost, len(best)):
            best, cost = mirrored, at_cost
    return WorkedOut(mends=best, cost=cost, says=[])


def asked_again(layout: Layout, roles: Mapping[str, OutputRole], seen: Sequence[SeenMotor]) -> list[str]:
    """What is missing or contradicts itself, as sentences."""
    at: dict[Corner, list[str]] = defaultdict(list)
    for each in seen:
        at[each.corner].append(each.output)
    says = [f"{' and '.join(outputs)} were both seen at the {place.corner}: answer both again" for place in layout if len(outputs := at[place.corner]) > 1]
    answered = {each.output for each in seen}
    missing = [output for output in _in_order(roles, layout) if output not in answered]
    return [*says, *(f"{output} has not been answered yet" for output in missing)]


def _refuse(layout: Layout, roles: Mapping[str, OutputRole], seen: Sequence[SeenMotor]) -> None:
    motors = {place.role for place in layout}
    twice = next((role for role, count in Counter(role for role in roles.values() if role in motors).items() if count > 1), None)
    if twice:
        outputs = " and ".join(output for output, role in roles.items() if role == twice)
        raise OrderError(f"{outputs} both drive the {twice}; give each motor an output of its own")
    lacking = next((place.role for place in layout if place.role not in roles.values()), None)
    if lacking:
        raise OrderError(f"no output drives the {lacking}; say which one does")
    known = {output for output, role in roles.items() if role in motors}
    corners = {place.corner: place for place in layout}
    again = next((output for output, count in Counter(each.output for each in seen).items() if count > 1), None)
    if again:
        raise OrderError(f"output {again} is answered twice; give one answer for each output")
    for index, each in enumerate(seen):
        where = f"seen/{index}"
        if each.output not in known:
            raise OrderError(f"{where}: output {each.output} drives no motor of this layout; its outputs are {', '.join(_in_order(roles, layout))}")
        if each.corner not in corners:
            raise OrderError(f"{where}: this layout has no motor at the {each.corner}; it has them at the {', '.join(corners)}")
        along = corners[each.corner].turns in ("ahead", "astern")
        if along != (each.turns in ("ahead", "astern")):
            raise OrderError(f"{where}: a motor at the {each.corner} turns {'ahead or astern' if along else 'clockwise or counterclockwise'}, not {each.turns}")


def _in_order(roles: Mapping[str, OutputRole], layout: Layout) -> list[str]:
    """The outputs that drive motors, in the order of the layout."""
    by_role = {role: output for output, role in roles.items()}
    return [by_role[place.role] for place in layout if place.role in by_role]
