"""The chain of events when the link dies: predicted from parts and settings, and as measured on the bench."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import frame_period_s
from linkcore.devices.on_loss import FACTORY_PRESET_US, LAND_S, PROCESSING_S, STEADY_S, course, delay_to_decoder_s, gap_in_words, wire_to_board
from linkcore.parts.axes import channel_of
from linkcore.protocols.registry import RECEIVER_PROTOCOLS

TOLERANCE_S = 0.1
FIRST = "Arm the craft, props off, then switch the transmitter off."


class Prediction(BaseModel):
    """Seconds from the start of the last radio frame; None for what never happens.

    `last_frame_s`: the last frame that passes for a signal; `board_learns_s`: when the board has reason to know of the loss. `hidden`: it takes what the receiver says for a link, all the time or again from
    `fooled_s` on. `given_up_s`: when the receiver begins to say what it says on loss.
    `returns_s`: from the first radio frame after a loss until the link counts again. `preset_disarms`: its values disarm the craft by themselves. `because`: when the grace begins, and why.
    """

    last_frame_s: float | None
    board_learns_s: float | None
    reacts_s: float | None
    motors_stop_s: float | None
    hidden: bool = False
    fooled_s: float | None = None
    given_up_s: float = 0.0
    returns_s: float = 0.0
    preset_disarms: bool = False
    because: str


class LossRun(BaseModel):
    """One loss of the link as it was seen, in bench seconds; None for what has not happened. `fooled_t`: when the board was seen to take the link for good although it should have known better."""

    armed: bool
    radio_silent_t: float
    last_frame_t: float | None = None
    flagged_t: float | None = None
    reacted_t: float | None = None
    motors_stopped_t: float | None = None
    back_t: float | None = None
    fooled_t: float | None = None
    rearmed_by_itself: bool = False
    state: Literal["running", "done", "broken off"] = "running"

    @property
    def reaction_s(self) -> float | None:
        """Seconds from the last radio frame to the board's reaction."""
        return None if self.reacted_t is None else self.reacted_t - self.radio_silent_t


def predict(craft: CraftDocument, parts: KitParts) -> Prediction:
    """What should happen when, from what the receiver sends in a gap and once it has given the link up."""
    receiver, settings, on_loss = parts.receiver, craft.settings, craft.receiver.on_loss
    wire = wire_to_board(parts)
    spec = RECEIVER_PROTOCOLS.get(parts.spoken.protocol) if parts.spoken else None
    period_s, delay_s = frame_period_s(craft.air, receiver), delay_to_decoder_s(spec) if spec else PROCESSING_S
    goes = course(receiver, on_loss, wire, period_s, delay_s)
    grace_s = settings.lost_link.grace_ms / 1000
    over = None if goes.silent_from is None else goes.silent_from + grace_s
    at_once = goes.flagged_from if parts.board.failsafe_at_once else None
    if over is not None and at_once is not None:
        over = min(over, at_once)
    reacts = over if over is not None and (goes.again_from is None or over < goes.again_from) else None
    disarms = disarmed_by_preset_s(craft) if on_loss == "preset" and goes.hidden else None
    stop = None
    if reacts is not None:
        stop = reacts + (LAND_S if settings.lost_link.response == "land" else 0.0)
        if goes.again_from is not None and disarms == 0.0:
            stop = min(stop, goes.again_from + STEADY_S)  # the link seems back, with the arm channel off
    elif disarms is not None:
        stop = goes.given_up + disarms
    return Prediction(
        last_frame_s=goes.silent_from,
        board_learns_s=None if reacts is None else goes.silent_from if at_once is None else at_once,
        reacts_s=reacts,
        motors_stop_s=stop,
        hidden=goes.hidden,
        fooled_s=goes.again_from,
        given_up_s=goes.given_up,
        returns_s=math.ceil(STEADY_S / period_s - 1e-9) * period_s + delay_s,
        preset_disarms=disarms is not None,
        because=gap_in_words(receiver, on_loss, wire) + (f" The {parts.board.name} acts on its failsafe flag at once." if at_once is not None else ""),
    )


def disarmed_by_preset_s(craft: CraftDocument) -> float | None:
    """How long the receiver's own values take to disarm the craft, s: at once where they take the arm channel out of its mode band, or by a throttle that stays low; None where they never do."""
    settings = craft.settings
    if settings.arm_by == "stick":
        low = preset_value(craft, channel_of("throttle", settings.channel_map)) <= settings.stick_lines.low
        return float(settings.stick_arming.timeout_s) if low and settings.stick_arming.timeout_s else None
    off = settings.arming is not None and not settings.arming.holds(preset_value(craft, settings.arming.channel))
    return 0.0 if off else None


def preset_value(craft: CraftDocument, channel: int) -> float:
    """What a receiver's preset says on a channel, us; a channel that was given none rests at the centre."""
    values = craft.receiver.preset_us or FACTORY_PRESET_US
    return values[channel - 1] if channel <= len(values) else 1500.0


def preset_with(craft: CraftDocument, wanted: Mapping[int, float]) -> list[float]:
    """The receiver's own values with some channels otherwise; as many as it takes to say them."""
    count = max(4, len(craft.receiver.preset_us), *wanted)
    return [wanted.get(number, preset_value(craft, number)) for number in range(1, count + 1)]


def judge(run: LossRun, predicted: Prediction) -> tuple[bool, str]:
    """(whether the run proves the lost link, what to say of it)."""
    if not run.armed:
        if run.state == "running":
            return (
                False,
                "The craft was not armed when the link died, so this proves nothing. Switch the transmitter on, arm, props off, and switch it off again.",
            )
        return False, f"{FIRST} The last loss, while disarmed, does not count."
    if run.fooled_t is not None and not predicted.preset_disarms:
        after = f"{run.fooled_t - run.radio_silent_t:.1f} s after the last radio frame"
        return False, f"The board still took the link for good {after}, with nobody at the sticks: the receiver hides the loss."
    if run.state == "broken off":
        return False, "The run was broken off before the link came back."
    if run.reacted_t is None and not predicted.preset_disarms:
        return False, "The board has not reacted yet."
    if run.motors_stopped_t is None:
        return False, "The motors have not stopped yet."
    if predicted.reacts_s is None and predicted.motors_stop_s is not None:
        stopped = run.motors_stopped_t - run.radio_silent_t
        if abs(stopped - predicted.motors_stop_s) > TOLERANCE_S:
            return False, f"The motors stopped after {stopped:.2f} s; {predicted.motors_stop_s:.2f} s were predicted."
    if predicted.reacts_s is not None and run.reaction_s is not None and abs(run.reaction_s - predicted.reacts_s) > TOLERANCE_S:
        return False, f"The board reacted after {run.reaction_s:.2f} s; {predicted.reacts_s:.2f} s were predicted."
    if run.back_t is None:
        return False, "Now switch the transmitter back on: the link's return belongs to the proof."
    if run.rearmed_by_itself:
        return False, "The motors started by themselves when the link came back."
    if run.reacted_t is None:
        return True, "The receiver's own values stopped the motors as predicted, and the craft stayed disarmed when the link came back."
    return True, "The board reacted as predicted and stayed disarmed when the link came back."
