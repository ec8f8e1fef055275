"""What is told of the motors: a row for each corner, what the drive does, and what comes next."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, Protocol

from pydantic import BaseModel

from linkcore.craft.airframes import MULTIROTORS
from linkcore.craft.document import OutputRole, Props
from linkcore.craft.layouts import Corner, Turn
from linkcore.devices.drive_kinds import load
from linkcore.devices.motors import TURN_MOST_PERCENT
from linkcore.hops.airframe.drive_rules import common_kinds
from linkcore.hops.airframe.motors import MotorsSeen
from linkcore.hops.airframe.proofs import no_ends
from linkcore.kept import Kept
from linkcore.parts.models import DriveKind
from linkcore.reads import View
from linkcore.wiring.outputs import layout_wired, motor_pads, motor_roles, wired_outputs

EndsStep = Literal["plug it in", "wait for its tone", "wait for the second tone", "no tone"]
MotorStanding = Literal["not turned yet", "right", "once more", "another corner", "other way", "stood still"]


class CornerTold(BaseModel):
    """A corner. `output`: what the board takes for its motor, and `device` at it; `here`: the outputs that were seen to turn here; `turns`, `should`: seen from above.

    `agreed` of `needed` answers are the same; `starts_percent`: from which command on it turns, `by_telemetry`: as its ESC tells.
    """

    corner: Corner
    role: OutputRole
    output: str
    device: str
    here: list[str]
    turns: Turn | None
    should: Turn | None
    agreed: int
    needed: int
    starts_percent: float | None
    by_telemetry: bool
    standing: MotorStanding


class TurnedTold(BaseModel):
    """A turn that is over and waits for its answer: how far its command came, and why it ended."""

    output: str
    percent: float
    by_telemetry: bool
    why: str


class DriveNow(BaseModel):
    """`stage`: whether a key turns, or hands answer; `locked`: why no key does anything; `props_off_s`: for how long the props still count as off.

    `by_words`: why the craft itself cannot answer; `tipped`, `twisted`: what hands have said with it so far; `said`: why the last answer was not taken; `told_speed`: whether the ESC tells speed.
    """

    stage: Literal["turn", "answer"]
    answered: bool
    locked: str
    props_off_s: float
    ended: TurnedTold | None
    by_words: str
    tipped: Corner | None
    twisted: Turn | None
    said: str
    told_speed: bool


class MotorsNow(DriveNow):
    """The drive of a bench as it is, and the ESC that learns its end points."""

    learns: str
    step: EndsStep


class MotorsTold(DriveNow):
    """`why_none`: why there is nothing to turn; `next`: the output to turn, empty where all is answered."""

    why_none: str
    corners: list[CornerTold]
    props: Props
    rotors: bool
    next: str
    ends: EndsTold
    drives: list[DriveKind]
    loop_percent: float
    loop_hz: int
    most_percent: float


class Turning(Protocol):
    """What is looked at of a running bench."""

    @property
    def motors_now(self) -> MotorsNow:
        """The drive."""
        ...


class EndsTold(BaseModel):
    """`needless`: why no ESC has to learn its end points; else those that have and those that have not, and which one is at it, at which step."""

    needless: str
    learnt: list[str]
    open: list[str]
    output: str
    step: EndsStep
    bec: list[str]


def motors_told(view: View, seen: MotorsSeen, now: MotorsNow, learnt: Sequence[str], kept: Kept) -> MotorsTold:
    """All of it, by what the board takes its outputs for; but for what the drive does just now it is kept as long as nothing of it changes."""
    rest = (now.learns, now.step, tuple(learnt))
    told = kept.get("airframe: motors", (view.craft, view.parts, seen), rest, lambda: _all_but_now(view, seen, now, learnt))
    return MotorsTold(**told, **now.model_dump(exclude={"learns", "step"}))


def _all_but_now(view: View, seen: MotorsSeen, now: MotorsNow, learnt: Sequence[str]) -> dict[str, Any]:
    craft, parts = view.craft, view.parts
    layout, roles, wired = layout_wired(craft, parts), motor_roles(craft, parts), wired_outputs(craft, parts)
    pads = motor_pads(craft, parts)
    why = "no ESC hangs on an output of this board" if not pads else ""
    if pads and len(pads) != len(layout):
        why = f"{len(pads)} motors are wired, and a {craft.airframe} has {len(layout)}: wire them first"
    elif pads and set(roles.values()) != {place.role for place in layout}:
        why = "the outputs are not set for the motors of this craft"
    corners = []
    for place in layout if not why else ():
        output = next(pad for pad, role in roles.items() if role == place.role)
        here = [pad for pad in roles if (last := seen.last(pad)) is not None and last.corner == place.corner]
        mine = here[0] if len(here) == 1 else output
        last, (agreed, needed) = seen.last(mine), seen.agreed(mine)
        corners.append(
            CornerTold(
                corner=place.corner,
                role=place.role,
                output=output,
                device=wired.get(output, ""),
                here=here,
                turns=last.turns if last is not None and here else None,
                should=place.wanted(craft.settings.mixing.props),
                agreed=agreed if here else 0,
                needed=needed,
                starts_percent=seen.starts_percent(mine) if here else None,
                by_telemetry=any(each.by_telemetry for each in seen.answers.get(mine, [])) if here else False,
                standing=_standing(seen, output, here, place.corner, place.wanted(craft.settings.mixing.props)),
            )
        )
    return {
        "why_none": why,
        "corners": corners,
        "props": craft.settings.mixing.props,
        "rotors": craft.airframe in MULTIROTORS,
        "next": "" if why else seen.next(roles) or "",
        "most_percent": TURN_MOST_PERCENT,
        "ends": EndsTold(
            needless=no_ends(view),
            learnt=[pad for pad in pads if pad in learnt],
            open=[pad for pad in pads if pad not in learnt],
            output=now.learns,
            step=now.step,
            bec=[name for name in dict.fromkeys(wired[pad] for pad in pads) if _becs_wired(view, name)],
        ),
        "drives": common_kinds(view),
        "loop_hz": craft.settings.drive.loop_hz or parts.board.loop_hz,
        "loop_percent": round(100 * load(parts.board.mcu, craft.settings.drive.kind, len(pads), craft.settings.drive.loop_hz or parts.board.loop_hz)),
    }


def _becs_wired(view: View, device: str) -> bool:
    """Whether the lead by which an ESC's BEC feeds the board is soldered."""
    gives = {pin.name for pin in view.parts.devices[device].pins if pin.kind == "supply out"}
    return any(patch.device == device and patch.pin in gives for patch in view.craft.wiring)


def _standing(seen: MotorsSeen, output: str, here: list[str], corner: Corner, should: Turn | None) -> MotorStanding:
    last = seen.last(output)
    if last is not None and last.corner is None:
        return "stood still"
    if here and here != [output]:
        return "another corner" if len(here) == 1 else "once more"
    if not here:
        return "not turned yet" if last is None else "another corner"
    assert last is not None, "it was seen here"
    if should is not None and last.turns != should:
        return "other way"
    return "right" if seen.settled(output) else "once more"
