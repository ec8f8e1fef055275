"""What was seen of each output's motor: where it sits, which way it turns, from which command on. All of it raw, so that it holds whatever the board takes its outputs for."""

from __future__ import annotations

from collections.abc import Mapping
from statistics import median

from pydantic import BaseModel, Field

from linkcore.craft.document import OutputRole, Props
from linkcore.craft.layouts import Corner, Layout, Turn
from linkcore.hops.airframe.order import SeenMotor, WorkedOut, motor_mends

MOST_ANSWERS = 6  # of each output that are kept
AGREED, AGREED_UNFELT = 2, 3  # so many answers in a row have to be the same: where the board felt which way it turned, and where it felt nothing
FAR_MORE_TIMES, FAR_MORE_PERCENT = 1.5, 2.0  # a motor that needs more than the middle one by both is a finding (ours)


class MotorAnswer(BaseModel):
    """One turn of a motor and what was answered. `corner`, `turns`: None where nothing turned.

    `percent`: how far the command had come, `by_telemetry`: as its ESC told that it turns; `kick`: which way it turns by what the board felt.
    """

    corner: Corner | None
    turns: Turn | None
    percent: float
    by_telemetry: bool = False
    kick: Turn | None = None

    @property
    def against_the_board(self) -> bool:
        """Whether the board felt it turn the other way."""
        return self.kick is not None and self.turns is not None and self.kick != self.turns


class MotorsSeen(BaseModel):
    """Answers by output, the newest last. `placed`: where a motor sits whose wires were exchanged since it was answered: which way it turns nobody knows."""

    answers: dict[str, list[MotorAnswer]] = Field(default_factory=dict)
    placed: dict[str, Corner] = Field(default_factory=dict)

    def with_answer(self, output: str, answer: MotorAnswer) -> MotorsSeen:
        """One more."""
        placed = {name: corner for name, corner in self.placed.items() if name != output}
        return MotorsSeen(answers={**self.answers, output: [*self.answers.get(output, []), answer][-MOST_ANSWERS:]}, placed=placed)

    def without(self, output: str) -> MotorsSeen:
        """Hands were at this one: it sits where it did, and all else has to be seen anew."""
        last = self.last(output)
        placed = self.placed | ({output: last.corner} if last is not None and last.corner is not None else {})
        return MotorsSeen(answers={name: each for name, each in self.answers.items() if name != output}, placed=placed)

    def last(self, output: str) -> MotorAnswer | None:
        """The newest answer; None where there is none."""
        given = self.answers.get(output)
        return given[-1] if given else None

    def agreed(self, output: str) -> tuple[int, int]:
        """(how many of the newest answers in a row are the same, how many it takes)."""
        given, same, felt = self.answers.get(output, []), 0, True
        for each in reversed(given):
            if (each.corner, each.turns) != (given[-1].corner, given[-1].turns):
                break
            same += 1
            felt = felt and each.kick is not None
        return same, AGREED if felt else AGREED_UNFELT

    def settled(self, output: str) -> bool:
        """Whether its answers agree often enough to count as proven."""
        same, needed = self.agreed(output)
        return same >= needed

    def seen(self, outputs: Mapping[str, OutputRole]) -> list[SeenMotor]:
        """The newest answer of each output where something turned."""
        return [
            SeenMotor(output=output, corner=last.corner, turns=last.turns)
            for output in outputs
            if (last := self.last(output)) is not None and last.corner is not None and last.turns is not None
        ]

    def still(self, outputs: Mapping[str, OutputRole]) -> list[str]:
        """Outputs of which nothing turned."""
        return [output for output in outputs if (last := self.last(output)) is not None and last.corner is None]

    def next(self, outputs: Mapping[str, OutputRole]) -> str | None:
        """The output to turn next: of those that are not settled the one with the fewest answers, contradictions first; None where all are settled."""
        wanting = [output for output in outputs if not self.settled(output)]
        corners = [last.corner for output in outputs if (last := self.last(output)) is not None and last.corner is not None]
        clash = [output for output in wanting if (last := self.last(output)) is not None and last.corner is not None and corners.count(last.corner) > 1]
        return min(clash or wanting, key=lambda output: len(self.answers.get(output, [])), default=None)

    def starts_percent(self, output: str) -> float | None:
        """From which command on it turns: the least that was seen, by its ESC's telemetry where that told it; None where nobody knows."""
        given = [each for each in self.answers.get(output, []) if each.corner is not None]
        told = [each.percent for each in given if each.by_telemetry] or [each.percent for each in given]
        return min(told, default=None)

    def sluggish(self, outputs: Mapping[str, OutputRole]) -> list[str]:
        """Motors that need far more than the others to begin."""
        starts = {output: start for output in outputs if (start := self.starts_percent(output)) is not None}
        if len(starts) < max(3, len(outputs)):
            return []
        middle = median(starts.values())
        return [output for output, start in starts.items() if start > FAR_MORE_TIMES * middle and start > middle + FAR_MORE_PERCENT]

    def worked_out(self, layout: Layout, props: Props, outputs: Mapping[str, OutputRole]) -> WorkedOut:
        """What has to be mended, by the newest answers; of a motor whose wires were exchanged since it is taken that it turns as it should, until it is seen. Raise OrderError."""
        meant = {place.corner: place.wanted(props) or "clockwise" for place in layout}
        hoped = [
            SeenMotor(output=output, corner=corner, turns=meant[corner]) for output, corner in self.placed.items() if output in outputs and corner in meant
        ]
        return motor_mends(layout, props, outputs, [*self.seen(outputs), *hoped])
