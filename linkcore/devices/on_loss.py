"""What receiver and board do while no radio frame comes: the one rule, for the stand-ins and for what is predicted of the lost link."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.parts import KitParts
from linkcore.parts.models import OnLoss, Receiver
from linkcore.protocols.base import ProtocolSpec, SerialSpec, Wire
from linkcore.protocols.registry import RECEIVER_PROTOCOLS

PROCESSING_S = 0.0008  # what a receiver takes from a radio frame to its first byte (ours)
PULSE_S = 0.0015
FACTORY_PRESET_US = (1500.0, 1500.0, 1000.0, 1500.0)  # until others are stored: the third channel low
STEADY_S = 0.2  # a link that comes back counts for the board after this long
BAD_AIR = 0.6  # the share of frames that a link loses which a pilot still brings home (ours)
ONCE_IN_S = 600.0  # in such air the response should not begin by itself more often than once in a long flight
GRACE_GRID_MS = 20
BRIDGED_GRACE_MS = 200  # where the receiver goes on through a gap by itself, the board's grace begins when it has given up: long enough for a few frames of the return to count


RSSI_US = (1000.0, 2000.0)  # from none to full, on a channel that carries it
RSSI_DBM = (-110.0, -50.0)  # what a receiver calls none, and full (ours)


def rssi_percent(dbm: float) -> float:
    """A signal as a share of what a receiver calls full."""
    return 100 * min(1.0, max(0.0, (dbm - RSSI_DBM[0]) / (RSSI_DBM[1] - RSSI_DBM[0])))


def dbm_of_percent(percent: float) -> float:
    """The signal that is told so; of none and full the end of the scale."""
    return RSSI_DBM[0] + percent / 100 * (RSSI_DBM[1] - RSSI_DBM[0])


def rssi_on_channel_us(percent: float) -> float:
    """How that stands on a channel."""
    return RSSI_US[0] + percent / 100 * (RSSI_US[1] - RSSI_US[0])


def rssi_of_channel(us: float) -> float:
    """What a channel says of it, percent."""
    return min(100.0, max(0.0, 100 * (us - RSSI_US[0]) / (RSSI_US[1] - RSSI_US[0])))


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


def said_in_a_gap(receiver: Receiver, on_loss: OnLoss, wire: Wire) -> Said:
    """Before the link is given up: marked frames with the last values, or none; pulses go on in a period of their own, and one that holds repeats from the first missed frame."""
    if receiver.flags_loss:
        return Said("last", frame_lost=True)
    return Said("last" if on_loss == "hold" or wire != "serial" else None)


def gap_in_words(receiver: Receiver, on_loss: OnLoss, wire: Wire) -> str:
    """What said_in_a_gap means for the board's grace, for people."""
    if on_loss == "hold":
        return f"The {receiver.name} repeats its last values for ever, unmarked: to the board the link goes on."
    if receiver.flags_loss:
        return (
            f"The {receiver.name} sends marked frames with the last values for {receiver.lost_after_s:g} s before it gives the link up; "
            "only then does the grace begin."
        )
    if wire == "serial":
        return f"The {receiver.name} has nothing to send between radio frames, so the grace begins with the last one."
    return f"The {receiver.name} repeats its last pulses for {receiver.lost_after_s:g} s before it gives the link up; only then does the grace begin."


@dataclass(frozen=True)
class Course:
    """What a board decodes after the last radio frame, s from the start of that frame.

    `silent_from`: the last frame that passes for a signal before there is none; None where they never cease. `again_from`: the first that passes for one again, with
    nobody at the sticks; None where none does. `flagged_from`: the first that carries the failsafe flag. `given_up`: when the receiver says for the first time what it says once it has given the link up.
    """

    silent_from: float | None
    again_from: float | None
    flagged_from: float | None
    given_up: float

    @property
    def hidden(self) -> bool:
        """Whether the board takes what it hears for a link, from some moment on or all the time."""
        return self.silent_from is None or self.again_from is not None


def course(receiver: Receiver, on_loss: OnLoss, wire: Wire, period_s: float, delay_s: float) -> Course:
    """By slots: a receiver speaks at the slots of its radio frames, and gives the link up at the first of them that comes `lost_after_s` or later. `period_s`: of radio frames; `delay_s`: from a slot to the decoder."""
    slots = math.ceil((receiver.lost_after_s - 1e-9) / period_s)
    given_up = slots * period_s + delay_s
    gap, lost = said_in_a_gap(receiver, on_loss, wire), said_when_lost(receiver, on_loss)
    last = given_up - period_s if gap.passes_for_link else delay_s
    flagged = given_up if lost.failsafe else None
    if not lost.passes_for_link:
        return Course(last, None, flagged, given_up)
    return Course(None if gap.passes_for_link else last, None if gap.passes_for_link else given_up, flagged, given_up)


def delay_to_decoder_s(spec: ProtocolSpec) -> float:
    """From a radio frame to the decoded frame: the receiver's own time and the wire's. Pulses: one of them, or a whole train, at rest in the middle."""
    if isinstance(spec, SerialSpec):
        return PROCESSING_S + spec.frame_bytes * spec.uart.byte_s
    return PROCESSING_S + PULSE_S * (spec.channels if spec.wire == "PPM" else 1)


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


def bridges_gaps(receiver: Receiver, wire: Wire) -> bool:
    """Whether it goes on through a gap by itself, whatever it is set to."""
    return receiver.flags_loss or wire != "serial"


def starting_grace_ms(receiver: Receiver, wire: Wire, period_s: float) -> int:
    """A grace to begin with: the gap that is exceeded less than once in ONCE_IN_S where BAD_AIR of the frames are lost at random.

    A gap of n lost frames begins behind every frame that is heard, and so (1 - p) p^n of all slots begin one.
    """
    if bridges_gaps(receiver, wire):
        return BRIDGED_GRACE_MS
    hz = 1 / period_s
    frames = math.ceil(math.log(ONCE_IN_S * hz * (1 - BAD_AIR)) / -math.log(BAD_AIR))
    return math.ceil(round(1000 * frames / hz / GRACE_GRID_MS, 6)) * GRACE_GRID_MS
