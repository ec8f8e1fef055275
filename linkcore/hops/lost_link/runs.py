"""What was seen of a lost link on the bench: whole losses, short gaps, bad air, and the switch of the lost-link test; each by what the board said, and judged against what was predicted."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from linkcore.hops.lost_link.timeline import Prediction

TOLERANCE_S = 0.1
AT_ONCE_S = 0.3  # motors that stop so soon behind the reaction do nothing else first
WAY_S, WAY_SHARE = 0.5, 0.02  # how far a place on the way may be reached otherwise than predicted, s, and by which share of the time
FIRST = "Arm the craft, props off, push the throttle up, then switch the transmitter off."


class LossRun(BaseModel):
    """One loss of the link as it was seen, in bench seconds; None for what has not happened. `fooled_t`: when the board was seen to take the link for good although it should have known better.

    `throttle_up`: whether the throttle asked for something when the link died, `low_s`: for how long it had asked for nothing before; `turned`: whether the motors were seen to turn while disarmed;
    `switch_on`: whether the arm switch was on when the link came back; `rssi_before`, `rssi_low_t`: RSSI before it died, percent, and when it was seen at its lowest.
    `path`: of the simulated flight: s since the last radio frame, m up, m from home, percent of the motors and of the surface that is farthest out.
    """

    armed: bool
    radio_silent_t: float
    last_frame_t: float | None = None
    flagged_t: float | None = None
    reacted_t: float | None = None
    responded_t: float | None = None
    motors_stopped_t: float | None = None
    back_t: float | None = None
    fooled_t: float | None = None
    rearmed_by_itself: bool = False
    state: Literal["running", "done", "broken off"] = "running"
    throttle_up: bool = True
    low_s: float = 0.0
    turned: bool = False
    counted_landed: bool = False
    at_height_t: float | None = None
    home_t: float | None = None
    down_t: float | None = None
    control_t: float | None = None
    switch_on: bool | None = None
    rssi_low_t: float | None = None
    rssi_before: float | None = None
    path: list[tuple[float, float, float, float, float]] = []

    @property
    def reaction_s(self) -> float | None:
        """Seconds from the last radio frame to the board's reaction."""
        return None if self.reacted_t is None else self.reacted_t - self.radio_silent_t

    def since(self, t: float | None) -> float | None:
        """Seconds from the last radio frame."""
        return None if t is None else t - self.radio_silent_t


class Gap(BaseModel):
    """The air was silent for a moment, while armed. `lost`: whether the board gave the link up; `motors_as_before`: whether they turned as before when it was over."""

    began_t: float
    gap_s: float
    armed: bool
    lost: bool = False
    motors_as_before: bool = False
    over: bool = False


class BadAir(BaseModel):
    """Frames were lost at random for a while, while armed. `losses`: how often the board gave the link up."""

    began_t: float
    share: float
    lasted_s: float = 0.0
    losses: int = 0


SECTORS = 8  # headings that a range walk goes through, 45 degrees each
SECTOR_S = 1.5  # so long the craft is held to each
LEAST_WALK_M, LEAST_CUT_DB = 25.0, 10.0


class RangeWalk(BaseModel):
    """The craft held away with the transmitter's power cut, motors running, turned through all headings. `lq`: the lowest link quality of each, percent; None where it has not been held for long enough."""

    distance_m: float
    cut_db: float
    lq: list[float | None]
    held_s: list[float]

    @property
    def whole(self) -> bool:
        """Whether every heading was seen."""
        return None not in self.lq

    @property
    def stands_for_m(self) -> float:
        """The distance at which full power would come as weak: d 10^(cut / 20)."""
        return round(float(self.distance_m * 10 ** (self.cut_db / 20)))


class OutingSeen(BaseModel):
    """A flight by distance that is logged: how far it is, s and m, and how many frames were sent and lost."""

    t: float
    seconds: float
    distance_m: float
    frames: int
    lost: int
    done: bool


class SwitchTest(BaseModel):
    """The switch of the lost-link test, while armed. `reacted_s`: how long after it was switched on; `back`: whether the link was good again after it was switched off."""

    began_t: float
    armed: bool
    reacted_s: float | None = None
    back: bool = False


def as_long_as(seen_s: float, predicted_s: float) -> bool:
    """Whether a place on the way was reached when it was predicted to be."""
    return abs(seen_s - predicted_s) <= WAY_S + WAY_SHARE * predicted_s


def reaction_fault(run: LossRun, predicted: Prediction) -> str:
    """What keeps the reaction of an armed craft from being as predicted, so far; empty where it is."""
    if predicted.responds_s is not None:
        begun = run.since(run.responded_t)
        if begun is None:
            return "The receiver's own values have not turned its mode on yet."
        return "" if abs(begun - predicted.responds_s) <= TOLERANCE_S else f"Its mode came on after {begun:.2f} s; {predicted.responds_s:.2f} s were predicted."
    if run.fooled_t is not None and not predicted.preset_disarms:
        after = f"{run.fooled_t - run.radio_silent_t:.1f} s after the last radio frame"
        return f"The board still took the link for good {after}, with nobody at the sticks: the receiver hides the loss."
    if run.reacted_t is None and not predicted.preset_disarms:
        return "The board has not reacted yet."
    stopped = run.since(run.motors_stopped_t)
    if predicted.reacts_s is None or predicted.does == "motors off":
        if stopped is None:
            return "The motors have not stopped yet."
        if predicted.motors_stop_s is not None and abs(stopped - predicted.motors_stop_s) > TOLERANCE_S:
            return f"The motors stopped after {stopped:.2f} s; {predicted.motors_stop_s:.2f} s were predicted."
    if predicted.reacts_s is not None and run.reaction_s is not None and abs(run.reaction_s - predicted.reacts_s) > TOLERANCE_S:
        return f"The board reacted after {run.reaction_s:.2f} s; {predicted.reacts_s:.2f} s were predicted."
    flies_on = predicted.does != "motors off" and predicted.reacts_s is not None and predicted.motors_stop_s != predicted.reacts_s
    if flies_on and not run.counted_landed and stopped is not None and run.reaction_s is not None and stopped - run.reaction_s < AT_ONCE_S:
        return f"The motors stopped at once; {predicted.does} was predicted. Had it a fix, and a home?"
    if run.counted_landed:
        return "Throttle had been low for so long that the board took it for landed."
    return ""


def way_fault(run: LossRun, predicted: Prediction) -> str:
    """What keeps the way from being as predicted, so far; empty where it is."""
    for what, seen, should in (
        ("at its return height", run.at_height_t, predicted.at_height_s if predicted.does == "return home" and predicted.home_s is not None else None),
        ("at home", run.home_t, predicted.home_s),
        ("on the ground", run.down_t, predicted.down_s if predicted.does in ("land", "return home") else None),
    ):
        if should is None:
            continue
        after = run.since(seen)
        if after is None and (what != "at its return height" or run.home_t is None):
            return f"So far as predicted. It should be {what} after {should:.1f} s."
        if after is not None and not as_long_as(after, should):
            return f"It was {what} after {after:.1f} s; {should:.1f} s were predicted."
    return ""


def judge(run: LossRun, predicted: Prediction) -> tuple[bool, str]:
    """(whether the run went as predicted to its end, what to say of it)."""
    if not run.armed:
        if run.state == "running" and run.back_t is None:
            return (
                False,
                "The craft was not armed when the link died: the motors must stand still, now and when the link comes back. Switch the transmitter on again.",
            )
        if run.state == "done":
            return False, "Disarmed, the motors stood still." if not run.turned else "The motors turned although the craft was not armed."
        return False, FIRST
    fault = reaction_fault(run, predicted)
    if fault:
        return False, "The run was broken off before the link came back." if run.state == "broken off" and run.fooled_t is None else fault
    if run.state == "broken off":
        return False, "The run was broken off before the link came back."
    flies = predicted.does != "motors off" and (predicted.reacts_s is not None or predicted.responds_s is not None)
    if flies and run.motors_stopped_t is None and run.back_t is None:
        way = way_fault(run, predicted)
        if not way:
            return False, "It does as predicted. Now switch the transmitter back on: the link's return is a proof too."
        return False, f"{way} Wait for it, or switch the transmitter back on: the link's return is a proof too."
    if run.back_t is None:
        return False, "Now switch the transmitter back on: the link's return belongs to the proof."
    if run.rearmed_by_itself:
        return False, "The motors started by themselves when the link came back."
    if flies and run.control_t is None and run.motors_stopped_t is None:
        return False, "The link is back and the board goes on by itself: move a stick, and it must obey."
    if run.state != "done":
        return False, "The link is back: a moment yet, whether the motors stay as they are."
    if run.control_t is not None:
        return True, "The board reacted as predicted, stayed armed, and obeyed the sticks once they had moved."
    if run.reacted_t is None:
        return True, "The receiver's own values stopped the motors as predicted, and the craft stayed disarmed when the link came back."
    return True, "The board reacted as predicted and stayed disarmed when the link came back."
