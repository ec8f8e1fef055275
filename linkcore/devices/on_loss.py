"""What receiver and board do while no radio frame comes: the one rule, for the stand-ins and for what is predicted of the lost link."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.parts import KitParts
from linkcore.parts.models import OnLoss, Receiver
from linkcore.protocols.base import Wire
from linkcore.protocols.registry import RECEIVER_PROTOCOLS

LAND_S = 4.0  # from the response *land* until the motors stop
BAD_AIR = 0.6  # the share of frames that a link loses which a pilot still brings home (ours)
ONCE_IN_S = 600.0  # in such air the response should not begin by itself more often than once in a long flight
GRACE_GRID_MS = 20
BRIDGED_GRACE_MS = 200  # where the receiver goes on through a gap by itself, the board's grace begins when it has given up: long enough for a few frames of the return to count


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


def wire_to_board(parts: KitParts) -> Wire:
    """By which kind of signal the board hears of the receiver."""
    spec = RECEIVER_PROTOCOLS.get(parts.spoken.protocol) if parts.spoken else None
    return spec.wire if spec else "serial"


def starting_grace_ms(receiver: Receiver, wire: Wire) -> int:
    """A grace to begin with: the gap that is exceeded less than once in ONCE_IN_S where BAD_AIR of the frames are lost at random.

    A gap of n lost frames begins behind every frame that is heard, and so (1 - p) p^n of all slots begin one.
    """
    if said_in_a_gap(receiver, wire).passes_for_link:
        return BRIDGED_GRACE_MS
    hz = 1 / receiver.link_period_s
    frames = math.ceil(math.log(ONCE_IN_S * hz * (1 - BAD_AIR)) / -math.log(BAD_AIR))
    return math.ceil(round(1000 * frames / hz / GRACE_GRID_MS, 6)) * GRACE_GRID_MS
