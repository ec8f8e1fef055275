"""A pilot who turns motors on a bench, one at a time, and says what is so, now and then what is not."""

from __future__ import annotations

import itertools
import math
import random

from linkcore.craft.layouts import OPPOSITE, layout_of
from linkcore.hops.airframe.motors import MotorAnswer, MotorsSeen
from linkcore.hops.airframe.order import MIRROR_COST, REMAP_COST, REVERSE_COST
from linkcore.standins.drives import DrivesTruth, MotorTruth, felt, kick_dps
from tests.hand import Hand
from tests.in_hands import curlew, take_poses

HOLD_EVERY_S = 0.05
REST_S = 2.4
_presses = itertools.count()


def any_ways(layout):
    """Every way in which the motors of a layout can sit and turn: a truth for outputs M1 and on."""
    corners = [place.corner for place in layout]
    for order in itertools.permutations(corners):
        for turns in itertools.product(("clockwise", "counterclockwise"), repeat=len(corners)):
            yield DrivesTruth(
                motors={f"M{index}": MotorTruth(corner=corner, turns=turn) for index, (corner, turn) in enumerate(zip(order, turns, strict=True), 1)}
            )


def cheapest(layout, props, truth: DrivesTruth) -> tuple[int, int]:
    """(cost, handgrips) of the best way to set motors right, by trying every one: which output drives which role, which motors are reversed, whether props are exchanged."""
    outputs, roles = list(truth.motors), [place.role for place in layout]
    at = {place.corner: place for place in layout}
    best = None
    for taken in itertools.permutations(roles):
        if any(at[truth.motors[output].corner].role != role for output, role in zip(outputs, taken, strict=True)):
            continue  # the board would drive another corner than it means
        moved = [output for output, role, was in zip(outputs, taken, roles, strict=True) if role != was]
        for mirrored in (False, True):
            hand = props if not mirrored else ("out" if props == "in" else "in")
            for reversed_ in itertools.product((False, True), repeat=len(outputs)):
                turns = [
                    OPPOSITE[truth.motors[output].turns] if turned else truth.motors[output].turns for output, turned in zip(outputs, reversed_, strict=True)
                ]
                if any(turn != at[truth.motors[output].corner].wanted(hand) for output, turn in zip(outputs, turns, strict=True)):
                    continue
                cost = REMAP_COST * bool(moved) + MIRROR_COST * mirrored + REVERSE_COST * sum(reversed_)
                grips = len(moved) + mirrored + sum(reversed_)
                best = min(best or (99, 99), (cost, grips))
    return best


def said(truth: MotorTruth, layout, rng: random.Random, wrong: float) -> MotorAnswer:
    """What a pilot says of a motor that has just turned: what is so, or anything else."""
    kick = felt(kick_dps(truth, rng))
    corner, turns = truth.corner, truth.turns
    if rng.random() < wrong:
        others = [(place.corner, turn) for place in layout for turn in (truth.turns, OPPOSITE[truth.turns]) if (place.corner, turn) != (corner, turns)]
        corner, turns = rng.choice(others)
    return MotorAnswer(corner=corner, turns=turns, percent=5, kick=kick)


def proven_by_answers(truth: DrivesTruth, seed: int, wrong: float, most: int = 400):
    """(whether the motors were proven, whether all of them really were right then, how often one was turned), with a pilot who mends what he is told to."""
    layout, rng = layout_of("quad X"), random.Random(seed)
    roles = {f"M{index}": place.role for index, place in enumerate(layout, 1)}
    props, seen = "in", MotorsSeen()
    for turned in range(1, most + 1):
        output = seen.next(roles)
        if output is None:
            worked = seen.worked_out(layout, props, roles)
            if not worked.says and not worked.mends:
                at = {place.role: place for place in layout}
                right = all(truth.motors[each].corner == at[role].corner and truth.motors[each].turns == at[role].wanted(props) for each, role in roles.items())
                return True, right, turned - 1
            for mend in worked.mends:
                if mend.kind == "remap":
                    roles[mend.of] = next(place.role for place in layout if place.corner == mend.to)
                elif mend.kind == "mirror":
                    props = mend.to
                else:
                    truth, seen = truth.swapped(mend.of), seen.without(mend.of)
            if worked.says:
                seen = MotorsSeen()
            continue
        answer = said(truth.motors[output], layout, rng, wrong)
        if not answer.against_the_board:
            seen = seen.with_answer(output, answer)
    return False, False, most


class Turner:
    """Hands at the drive of a bench."""

    def __init__(self, hand: Hand, by: str = "1") -> None:
        self.hand, self.by = hand, by

    @property
    def drive(self):
        return self.hand.bench.turning.drive

    def make_ready(self) -> None:
        """Props off, and the craft lies still."""
        self.hand.do(REST_S, props_off=True, by=self.by)

    def hold(self, output: str, seconds: float, press: str | None = None) -> str:
        """Hold the key for so long; the press's name."""
        press = press or f"press {next(_presses)}"
        for _ in range(round(seconds / HOLD_EVERY_S)):
            self.hand.do(HOLD_EVERY_S, turn=output, press=press, by=self.by)
        return press

    def turn(self, output: str) -> None:
        """Hold until it turns, then let go."""
        press = f"press {next(_presses)}"
        for _ in range(60):
            self.hand.do(HOLD_EVERY_S, turn=output, press=press, by=self.by)
            if self.hand.bench.turning.share(self.hand.bench.t) > 0:
                break
        self.hand.do(0.1, let_go=True, by=self.by)

    def by_craft(self, corner: str, turns: str) -> None:
        """Tip it towards the corner, twist it, put it down."""
        place = next(each for each in layout_of(self.hand.bench.document.airframe) if each.corner == corner)
        start = self.hand.bench.held.turn_deg
        towards = math.degrees(math.atan2(place.right, place.forward))
        for tilt in (12, 24, 36):
            self.hand.do(0.1, tilt_deg=tilt, towards_deg=towards)
        for step in (15, 30, 45):
            turn = start + (step if turns == "clockwise" else -step)
            self.hand.do(0.1, turn_deg=(turn + 180) % 360 - 180)
        self.hand.do(REST_S, tilt_deg=0)

    def by_words(self, corner: str, turns: str | None = None) -> None:
        self.hand.do(REST_S, moved=corner, **({"moved_turns": turns} if turns else {}))

    def answer_truly(self, output: str, *, craft: bool = True) -> None:
        truth = self.hand.bench.turning.truth.motors[output]
        if truth.open_phase:
            self.by_words("nothing")
        elif craft:
            self.by_craft(truth.corner, truth.turns)
        else:
            self.by_words(truth.corner, truth.turns)

    def all_of_them(self, *, craft: bool = True, most: int = 40) -> int:
        """Turn what comes next and answer, until nothing comes next; how often one was turned."""
        for count in range(most):
            output = self.hand.report().told.airframe.motors.next
            if not output:
                return count
            self.turn(output)
            self.answer_truly(output, craft=craft)
        raise AssertionError(f"still not done: {self.hand.bench.measuring.airframe.seen.motors}")


def swapped_and_reversed(hand) -> DrivesTruth:
    """What is so of Curlew since a repair: the motors on M1 and M3 are exchanged, the one on M2 turns the wrong way."""
    right = DrivesTruth.usual(4, hand.bench.document, hand.bench.parts).motors
    return DrivesTruth(motors=right | {"M1": right["M3"], "M3": right["M1"]}).swapped("M2")


def usual_but(change):
    """A truth for `ready`: motors as they should be, but for what `change` says of an output."""

    def truth(hand) -> DrivesTruth:
        usual = DrivesTruth.usual(4, hand.bench.document, hand.bench.parts).motors
        return DrivesTruth(motors={pad: each.model_copy(update=change(pad)) for pad, each in usual.items()})

    return truth


def ready(truth=swapped_and_reversed, *, facing: bool = True) -> Turner:
    """Curlew's pilot with props off, and its facing proven."""
    hand = curlew()
    if facing:
        take_poses(hand)
        hand.do(0.4, usb_so=True)
        assert "facing" in hand.proven("airframe")
    if truth is not None:
        hand.do(0, drives=truth(hand).model_dump())
    turner = Turner(hand)
    turner.make_ready()
    return turner


def learn_ends(turner: Turner, output: str) -> None:
    """The whole sequence: USB in, pack out, full asked, pack in, both tones."""
    hand = turner.hand
    hand.do(0.2, pack=False, usb=True)
    hand.passes(2)
    hand.do(0.1, props_off=True, by="1")
    hand.do(0.2, learn_ends=output)
    hand.do(2.5, pack=True)
    hand.do(2, usb=False)
