"""An ESC learns the end points: it wakes under full command, hears the lowest, and says each with a tone. One at a time, a hand on the plug."""

from __future__ import annotations

from linkcore.bench.seen import SeenBench
from linkcore.hops.airframe.motor_view import EndsStep
from linkcore.standins.drives import DrivesTruth

TONE_S = 1.0
NO_TONE_S = 3.0


class EndsWatch:
    """The sequence on one bench; `output` is empty while nobody is at it."""

    def __init__(self, bench: SeenBench) -> None:
        self._bench = bench
        self.output = ""
        self.step: EndsStep = "plug it in"
        self._since = 0.0

    def refuse(self, output: str, *, props_off: bool) -> None:
        """Raise ValueError where it must not begin; nothing is done then."""
        bench = self._bench
        if self.output:
            raise ValueError(f"{self.output} is at it: one ESC at a time")
        if not props_off:
            raise ValueError("say first that the props are off and the craft is strapped down: an ESC that misses its tone runs its motor up")
        if bench.pack:
            raise ValueError("pull the pack first: the ESC has to wake while the board already asks for full")
        if not bench.usb or bench.board.booting(bench.t):
            raise ValueError("the board must run from USB before the pack goes in, so that it asks for full from the first moment on")

    def begin(self, output: str, t: float) -> None:
        """The board asks this output for full; the pack may go in."""
        self.output, self.step, self._since = output, "plug it in", t

    def leave(self) -> None:
        """It is given up."""
        self.output = ""

    def run(self, t: float, truth: DrivesTruth) -> str:
        """Up to `t`: the output that has just learnt its ends; empty where none has."""
        if not self.output:
            return ""
        bench = self._bench
        if not bench.board.powered or bench.board.booting(t):
            self.leave()
            return ""
        if self.step == "plug it in":
            if bench.read_v() > 0:
                self.step, self._since = "wait for its tone", t
            return ""
        if bench.read_v() <= 0:
            self.leave()
            return ""
        motor = truth.motors[self.output]
        if motor.open_phase:  # an ESC sings through its motor
            if t - self._since >= NO_TONE_S:
                self.step = "no tone"
            return ""
        if t - self._since < TONE_S:
            return ""
        if self.step == "wait for its tone":
            self.step, self._since = "wait for the second tone", t
            return ""
        learnt, self.output = self.output, ""
        return learnt
