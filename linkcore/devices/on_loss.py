"""What receiver and board do while no radio frame comes: the one rule, for the stand-ins and for what is predicted of the lost link."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from linkcore.parts.models import OnLoss, Receiver
from linkcore.protocols.base import Wire

LAND_S = 4.0  # from the response *land* until the motors stop


@dataclass(frozen=True)
class Said:
    """What goes out. `values`: the last that were heard, or the preset; None where nothing is sent. The flags are those of a protocol that has them."""

    values: Literal["last", "preset"] | None
    frame_lost: bool = False
    failsafe: bool = False

    @property
    def passes_for_link(self) -> bool:
        """Whether a board takes it for a signal: frames without a failsafe flag, be they old or preset."""
        return self.values is not None and not self.failsafe


def said_in_a_gap(receiver: Receiver, wire: Wire) -> Said:
    """Before the link is given up: flagged frames with the last values, or none; pulses go on in a period of their own."""
    if receiver.flags_loss:
        return Said("last", frame_lost=True)
    return Said(None if wire == "serial" else "last")


def gap_in_words(receiver: Receiver, wire: Wire) -> str:
    """What said_in_a_gap means for the board's grace, for people."""
    if receiver.flags_loss:
        return (
            f"The {receiver.name} sends marked frames with the last values for {receiver.lost_after_s:g} s before it gives the link up; "
            "only then does the grace begin."
        )
    if wire == "serial":
        return f"The {receiver.name} has nothing to send between radio frames, so the grace begins with the last one."
    return f"The {receiver.name} repeats its last pulses for {receiver.lost_after_s:g} s before it gives the link up; only then does the grace begin."


def said_when_lost(receiver: Receiver, on_loss: OnLoss) -> Said:
    """Once the link is given up (`lost_after_s`), by what the receiver is set to."""
    if on_loss == "no pulses":
        return Said(None)
    if on_loss == "preset":
        return Said("preset", frame_lost=receiver.flags_loss, failsafe=receiver.flags_loss)
    return Said("last")
