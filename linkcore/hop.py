"""What a hop is: one declared thing. The chain, the bench, the server and the front end go through these declarations."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel

from linkcore.findings import Finding, HopKey
from linkcore.proofs import Proof, ProofOf, ProofState
from linkcore.reads import Reads, View, Whole

Coin = Literal["blank", "rings true", "cracked", "tarnished"]


class HopState(BaseModel):
    """One hop on the chain. `value` is the one thing that passes there; `flows` whether a signal passes now."""

    hop: HopKey
    coin: Coin
    why: str
    value: str = "–"
    flows: bool = False
    proofs: list[ProofState] = []


Standing = Mapping[HopKey, HopState]


def _nothing(*_: Any) -> list[Finding]:
    return []


@dataclass(frozen=True)
class Hop:
    """A hop of the chain.

    `codes`: what its findings can say. `reads`: the only part of craft and devices that its rules are handed. `rules` judge that alone. `judges` also what was measured so far (None where no
    bench runs), for the draft as for what the board runs. `sees` is about what is seen just now, and is not compared with the draft.
    `stands` is handed the states of all hops before this one. `to_begin`: the codes that, for this craft, only say that nothing has been done here yet: they do not crack the coin of a hop that was never proven.
    `tells`: the model of what is told of it, and `tell` makes it; `value`: the one value that passes there, from the view and the running bench (None where none runs); `proven_value`: the same
    while every proof holds, from what was recorded, where `value` counts what was measured: that may have begun anew since; `flows`: whether a signal passes now.
    """

    key: HopKey
    title: str
    question: str
    reads: Reads
    codes: tuple[str, ...]
    proofs: tuple[ProofOf, ...]
    rules: Callable[[View], list[Finding]] = _nothing
    judges: Callable[[View, Any], list[Finding]] = _nothing
    sees: Callable[[View, Any], list[Finding]] = _nothing
    stands: Callable[[View, Standing], list[Finding]] = _nothing
    to_begin: Callable[[View], frozenset[str]] = lambda _: frozenset()
    tells: type[BaseModel] | None = None
    tell: Callable[[Whole, Any], BaseModel] | None = None
    value: Callable[[View, Any], str] = lambda _view, _seen: "–"
    proven_value: Callable[[Mapping[str, Proof]], str] | None = None
    flows: Callable[[Any], bool] = lambda _: False

    def judged(self, view: View, findings: list[Finding]) -> list[Finding]:
        """Findings of its rules, with those told apart that only say that nothing has been begun."""
        codes = self.to_begin(view)
        return [finding.model_copy(update={"severity": "begin"}) if finding.code in codes else finding for finding in findings]

    @property
    def field(self) -> str:
        """Its name in code."""
        return self.key.replace(" ", "_")

    def proof(self, name: str) -> ProofOf | None:
        """A proof by its name."""
        return next((each for each in self.proofs if each.name == name), None)
