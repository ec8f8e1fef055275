"""The board's way of turning one motor on the bench: two stages that exclude each other. In *turn* a key is held and a motor starts as slowly as it can; in *answer* hands may be on the craft, and no key does anything.

Only stand-in motors turn by it. A real craft's are turned with its board's own means.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.layouts import Turn
from linkcore.devices.motors import TURN_MOST_PERCENT

HOLD_S = 0.25  # without a hold for so long the board stops
MOST_S = 3.0
REST_S = 2.0
LAPSES_S = 600.0
RAMP_PERCENT_S = TURN_MOST_PERCENT / MOST_S
PRESSES = 64

Stage = Literal["turn", "answer"]
PICK_UP = "Drive locked: pick it up, or answer in words."
LIE_STILL = "Drive locked until it has lain still for 2 s, as it was strapped down."
SAY_PROPS = "Drive locked: say first that the props are off and the craft is strapped down."


@dataclass(frozen=True)
class Turned:
    """A turn that is over: which output, how far its command came, percent; whether the board saw speed by the ESC's telemetry, which way the motor turns by the kick that was felt, and why it ended."""

    output: str
    percent: float
    by_telemetry: bool
    kick: Turn | None
    why: str


class Drive:
    """One motor at a time. Times are bench seconds."""

    def __init__(self) -> None:
        self.stage: Stage = "turn"
        self.said_by = ""
        self.said_t: float | None = None
        self.lapsed = ""
        self.rested = False
        self.answered = False
        self.output = ""
        self.press: str | None = None
        self.began_t = self._heard_t = 0.0
        self.seen_percent: float | None = None
        self.kick: Turn | None = None
        self.ended: Turned | None = None
        self._spent: deque[str] = deque(maxlen=PRESSES)

    # --- what is said -----------------------------------------------------------------------------------------------

    def say_props_off(self, by: str, t: float) -> None:
        """The props are off and the craft is strapped down, says somebody."""
        if self.said_by != by:
            self.rested = False
        self.said_by, self.said_t, self.lapsed = by, t, ""

    def lapse(self, why: str, t: float) -> None:
        """What was said of the props counts no more."""
        if self.said_t is None:
            return
        self.stop(t, why)
        self.said_t, self.lapsed = None, why

    @property
    def in_use(self) -> bool:
        """Whether rest and hands have to be watched."""
        return self.said_t is not None or self.stage == "answer"

    @property
    def turning(self) -> bool:
        """Whether a motor is being driven."""
        return self.press is not None

    def locked(self) -> str:
        """Why no key does anything now; empty where a new press would."""
        if self.stage == "answer" and not self.answered:
            return PICK_UP
        if self.said_t is None:
            return f"{SAY_PROPS[:-1]} ({self.lapsed})." if self.lapsed else SAY_PROPS
        return "" if self.rested else LIE_STILL

    # --- the key ----------------------------------------------------------------------------------------------------

    def hold(self, press: str, output: str, by: str, t: float, blocked: str) -> None:
        """The key is held, says the message of a press (its name is new for each); `blocked`: why the board would drive nothing. A press that began while it was locked stays dead."""
        if press in self._spent:
            return
        if self.said_t is not None and by != self.said_by:
            self.lapse("somebody else took the key", t)
        if self.press is None:
            if blocked or self.locked():
                self._spent.append(press)
                return
            self.press, self.output, self.began_t, self._heard_t = press, output, t, t
            self.seen_percent, self.kick, self.ended = None, None, None
        elif press != self.press or output != self.output:
            self._spent.append(press)
            self.stop(t, "it was held by two keys")
        else:
            self._heard_t = t

    def let_go(self, t: float) -> None:
        """The key is up, or whoever held it no longer looks."""
        self.stop(t, "the key was let go")

    def percent(self, t: float) -> float:
        """What the motor is asked; it stays where the board has seen speed."""
        if self.press is None:
            return 0.0
        return self.seen_percent if self.seen_percent is not None else min(TURN_MOST_PERCENT, RAMP_PERCENT_S * (t - self.began_t))

    def run(self, t: float, blocked: str) -> None:
        """Time passes: end what must end."""
        if self.said_t is not None and t - self.said_t >= LAPSES_S:
            self.lapse("ten minutes have passed", t)
        if self.press is None:
            return
        if blocked:
            self.stop(t, blocked)
        elif t >= self._heard_t + HOLD_S:
            self.stop(self._heard_t + HOLD_S, "no hold came for 250 ms")
        elif t >= self.began_t + MOST_S:
            self.stop(self.began_t + MOST_S, "three seconds are over")

    def see_speed(self, t: float) -> None:
        """The ESC tells that its motor turns."""
        if self.press is not None and self.seen_percent is None:
            self.seen_percent = self.percent(t)

    def stop(self, t: float, why: str) -> None:
        """The motor stops, and the drive is locked: hands may be on the craft from now on."""
        if self.press is None:
            return
        self.ended = Turned(self.output, round(self.percent(t), 2), self.seen_percent is not None, self.kick, why)
        self._spent.append(self.press)
        self.press = None
        self.stage, self.answered, self.rested = "answer", False, False

    # --- the answer -------------------------------------------------------------------------------------------------

    def answer(self) -> None:
        """It was answered, or left unanswered on purpose; the craft has to lie still before a key counts again."""
        self.answered, self.rested = True, False

    def moved(self, t: float) -> None:
        """The board feels that it is moved: a hand is on it."""
        self.rested = False
        self.stop(t, "the craft was moved")

    def lies_still(self) -> None:
        """The board has felt it lie still for REST_S."""
        if self.stage == "answer" and not self.answered:
            return
        self.stage, self.rested = "turn", True
