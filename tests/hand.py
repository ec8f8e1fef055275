"""A pilot at a bench in hand, whose time passes only as the test lets it; and what pilots do there."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from linkcore.bench.bench import Bench
from linkcore.bench.messages import BenchState, Hands
from linkcore.bench.report import Reporter
from linkcore.craft.document import CraftDocument


class Hand:
    """A pilot at a bench, under a time that the test drives."""

    def __init__(self, craft: CraftDocument, state: BenchState | None = None) -> None:
        self.bench = Bench(craft, state, seed=3)
        self.to = self.bench.t
        self.reporter = Reporter(self.bench)
        self.passes(0.6)

    def passes(self, seconds: float) -> None:
        """Let so much bench time pass."""
        self.to += seconds
        self.bench.run_until(self.to)

    def until(self, true: Callable[[], Any], *, within_s: float = 60.0, step_s: float = 0.2) -> Any:
        """Let bench time pass until something holds, and return it."""
        end = self.to + within_s
        while not (holds := true()):
            if self.to > end:
                raise AssertionError(f"not in {within_s:g} s of the bench")
            self.passes(step_s)
        return holds

    def do(self, seconds: float = 0.5, **hands: Any) -> None:
        self.bench.hands(Hands.model_validate(hands))
        self.passes(seconds)

    def report(self):
        return self.reporter.report(1)

    def coins(self) -> dict[str, str]:
        return {state.hop: state.coin for state in self.report().chain}

    def codes(self) -> list[str]:
        return [finding.code for finding in self.report().findings]

    def proven(self, hop: str) -> list[str]:
        """The proofs of a hop that hold."""
        state = next(state for state in self.report().chain if state.hop == hop)
        return [proof.name for proof in state.proofs if proof.standing == "holds"]

    @property
    def board(self):
        return self.bench.live().board


def fly(hand: Hand) -> None:
    hand.do(switches={"S1": 0})
    hand.do(switches={"S1": 1})
    assert hand.board.armed


def prove_the_rest(hand: Hand) -> None:
    """What a lost link asks for besides the loss while armed and its return: a loss while disarmed, a gap shorter than the grace, and half a minute of bad air."""
    hand.do(switches={"S1": 0}, left={"x": 0, "y": -1})
    hand.do(3.0, transmitter_on=False)
    hand.do(2.5, transmitter_on=True)
    fly(hand)
    hand.do(left={"x": 0, "y": 0.2})
    how = {each.name: each for each in hand.report().told.lost_link.how}
    hand.do(2.0, **how["shorter than the grace"].hands)
    hand.do(31.0, **how["one frame in five lost"].hands)
    hand.do(loss_percent=0)
    walk_round(hand)
    hand.do(switches={"S1": 0}, left={"x": 0, "y": -1})


def walk_round(hand: Hand, **more: Any) -> None:
    """A range walk, armed as it is: away, power cut, through all headings, and back."""
    hand.do(**({"distance_m": 30, "power_cut_db": 30} | more))
    for heading in range(0, 360, 45):
        hand.do(4.0, heading_deg=heading)
    hand.do(distance_m=2, power_cut_db=0, heading_deg=0)
