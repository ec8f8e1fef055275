"""How the craft answers its sticks: one curve an axis, and what is odd about it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from pydantic import BaseModel

from linkcore.craft.airframes import MULTIROTORS
from linkcore.devices.answers import STEERS, answer_of, curve, gives_dps, least_dps, turns_back
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.parts.axes import STICK_OF, Axis
from linkcore.reads import View

CHECK = Check("airframe")
YAW_APART = (0.3, 1.6)  # of the mean of roll and pitch, beyond which yaw is far from them (ours)
OVER = 1.05
ALWAYS: Mapping[str, int] = {}


class AnswerTold(BaseModel):
    """An axis. `points`: (the stick's place, degrees a second) composed of both ends; `full_dps`, `half_dps`, `least_dps`: at full and half stick, and the first that the deadband lets through.

    `gives_dps`: what the airframe can; `most_dps` (None: as much as that) and `soft_percent` on the board, `expo_percent` and `rate_percent` in the model memory.
    """

    axis: Axis
    points: list[tuple[float, float]]
    full_dps: float
    half_dps: float
    least_dps: float
    gives_dps: float
    most_dps: int | None
    soft_percent: int
    expo_percent: float
    rate_percent: float


class TurnsNow(BaseModel):
    """What the sticks ask of the stand-in craft about an axis just now, and how fast it turns, degrees a second."""

    axis: Axis
    asked_dps: float
    dps: float


def answers_told(view: View, switches: Mapping[str, int]) -> list[AnswerTold]:
    """A curve for each axis that a stick drives and this airframe turns about."""
    found = []
    for axis in STEERS:
        gives, points = gives_dps(view.craft, axis), curve(view.craft, view.parts, axis, switches)
        if not gives or not points:
            continue
        answer, (rate, expo) = answer_of(view.craft.settings, axis), _in_memory(view, axis)
        found.append(
            AnswerTold(
                axis=axis,
                points=[(round(place, 3), round(dps, 1)) for place, dps in points],
                full_dps=round(max(abs(dps) for _, dps in points)),
                half_dps=round(abs(points[len(points) * 3 // 4][1])),
                least_dps=round(least_dps(view.craft, view.parts, axis), 1),
                gives_dps=round(gives),
                most_dps=answer.most_dps,
                soft_percent=answer.soft_percent,
                expo_percent=expo,
                rate_percent=rate,
            )
        )
    return found


def _in_memory(view: View, axis: Axis) -> tuple[float, float]:
    """(rate, expo) that the model memory always has on an axis, percent."""
    for each in view.craft.transmitter.rates:
        if each.axis == STICK_OF[axis] and not each.switch:
            return each.percent, each.expo_percent
    return 100.0, 0.0


def check_answers(view: View) -> Iterator[Finding]:
    """Both ends that bend one curve, more asked than the airframe gives, yaw far from the others, a curve that turns back."""
    if view.parts.maybe_transmitter is None:
        return
    told = {each.axis: each for each in answers_told(view, ALWAYS)}
    for axis, each in told.items():
        where = At.axes(axis)
        number, channel = next((index, one) for index, one in enumerate(view.craft.transmitter.channels) if one.source == STICK_OF[axis])
        back = turns_back(each.points)
        if back is not None:
            yield CHECK.stop(
                "airframe.stick-turns-back",
                where + At.channel(number + 1),
                f"The {axis} stick's curve turns back at {100 * back:.0f} % of its way.",
                "More stick is less answer there: nobody can fly that.",
                Mend(text=f"Straighten the curve of CH{number + 1}", edits=(Edit(path=f"/transmitter/channels/{number}/curve", value=[]),)),
            )
        if each.soft_percent and (each.expo_percent or channel.curve):
            yield CHECK.warn(
                "airframe.both-bend",
                where,
                f"The {axis} stick is made softer in the model memory and on the board: half of it asks {each.half_dps:.0f} of {each.full_dps:.0f} degrees a second.",
                "They multiply: about the middle the craft hardly answers, and at the ends all at once.",
                Mend(text="Leave it to the model memory", edits=(Edit(path=f"/settings/answer/{axis}/soft_percent", value=0),)),
            )
        if each.most_dps is not None and each.most_dps > OVER * each.gives_dps:
            yield CHECK.note(
                "airframe.asks-too-much",
                where,
                f"Full {axis} stick asks {each.most_dps} degrees a second; by mass, thrust and speed this {view.craft.airframe} gives about {each.gives_dps:.0f}.",
                "The last of the stick's way does nothing more.",
                Mend(text=f"Ask {each.gives_dps:.0f}", edits=(Edit(path=f"/settings/answer/{axis}/most_dps", value=round(each.gives_dps)),)),
            )
    if view.craft.airframe in MULTIROTORS and {"roll", "pitch", "yaw"} <= set(told) and all(told[axis].most_dps for axis in STEERS):
        mean = (told["roll"].full_dps + told["pitch"].full_dps) / 2
        if not YAW_APART[0] * mean <= told["yaw"].full_dps <= YAW_APART[1] * mean:
            wanted = round(0.6 * mean)
            yield CHECK.note(
                "airframe.yaw-apart",
                At.axes("yaw"),
                f"Yaw turns {told['yaw'].full_dps:.0f} degrees a second, roll and pitch {mean:.0f}.",
                "A turn that is flown with both falls apart: one comes long before the other.",
                Mend(text=f"Turn {wanted} about yaw", edits=(Edit(path="/settings/answer/yaw/most_dps", value=wanted),)),
            )
