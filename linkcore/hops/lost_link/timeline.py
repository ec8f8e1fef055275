"""The chain of events when the link dies: predicted from parts and settings, and as measured on the bench."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.on_loss import LAND_S, gap_in_words, said_in_a_gap, said_when_lost, wire_to_board

TOLERANCE_S = 0.1


class Prediction(BaseModel):
    """Seconds after the last radio frame. `board_learns_s` None where the receiver hides the loss from the board; `because`: when the grace begins, and why."""

    last_frame_s: float | None
    board_learns_s: float | None
    reacts_s: float | None
    motors_stop_s: float | None
    because: str


class LossRun(BaseModel):
    """One loss of the link as it was seen, in bench seconds; None for what has not happened."""

    armed: bool
    radio_silent_t: float
    last_frame_t: float | None = None
    flagged_t: float | None = None
    reacted_t: float | None = None
    motors_stopped_t: float | None = None
    back_t: float | None = None
    rearmed_by_itself: bool = False
    state: Literal["running", "done", "broken off"] = "running"

    @property
    def reaction_s(self) -> float | None:
        """Seconds from the last radio frame to the board's reaction."""
        return None if self.reacted_t is None else self.reacted_t - self.radio_silent_t


def predict(craft: CraftDocument, parts: KitParts) -> Prediction:
    """What should happen when, from what the receiver sends in a gap and once it has given the link up."""
    receiver, settings = parts.receiver, craft.settings
    wire = wire_to_board(parts)
    because = gap_in_words(receiver, wire)
    last = receiver.lost_after_s if said_in_a_gap(receiver, wire).passes_for_link else 0.0
    reacts = last + settings.lost_link.grace_ms / 1000
    if said_when_lost(receiver, craft.receiver.on_loss).passes_for_link and reacts > receiver.lost_after_s:
        return Prediction(last_frame_s=None, board_learns_s=None, reacts_s=None, motors_stop_s=None, because=because)
    stop = reacts + (LAND_S if settings.lost_link.response == "land" else 0.0)
    return Prediction(last_frame_s=last, board_learns_s=last, reacts_s=reacts, motors_stop_s=stop, because=because)


def judge(run: LossRun, predicted: Prediction) -> tuple[bool, str]:
    """(whether the run proves the lost link, what to say of it)."""
    if not run.armed:
        return False, "The craft was not armed when the link died. Arm it, props off, and switch the transmitter off."
    if run.state == "broken off":
        return False, "The run was broken off before the link came back."
    if run.reacted_t is None:
        return False, "The board has not reacted yet."
    if run.motors_stopped_t is None:
        return False, "The motors have not stopped yet."
    if predicted.reacts_s is not None and run.reaction_s is not None and abs(run.reaction_s - predicted.reacts_s) > TOLERANCE_S:
        return False, f"The board reacted after {run.reaction_s:.2f} s; {predicted.reacts_s:.2f} s were predicted."
    if run.back_t is None:
        return False, "Now switch the transmitter back on: the link's return belongs to the proof."
    if run.rearmed_by_itself:
        return False, "The motors started by themselves when the link came back."
    return True, "The board reacted as predicted and stayed disarmed when the link came back."
