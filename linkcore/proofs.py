"""Proofs: what has to be seen, what that rests on, and what was recorded once it was seen."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, Field

from linkcore.craft.names import section_name
from linkcore.findings import HopKey
from linkcore.reads import Reads, View, Whole

Want = Literal["pack", "transmitter", "armed", "props off"]
Source = Literal["bench", "bench or hand"]
Standing = Literal["holds", "changed", "missing"]
UNKNOWN = "not known"  # the one key of a proof of which nobody can say any more what it rested on


class Proof(BaseModel):
    """A recorded test of a hop: which of its proofs, what was seen, and the hashes of all that it rests on."""

    hop: HopKey
    name: str
    rests_on: dict[str, str]
    seen: dict[str, Any] = Field(default_factory=dict)

    def changed(self, now: Mapping[str, str]) -> list[str]:
        """The sections that have changed since; those that were not known when it was made count as changed."""
        return [key for key in {**self.rests_on, **now} if self.rests_on.get(key) != now.get(key)]

    def why_not(self, now: Mapping[str, str]) -> str:
        """Why it no longer holds, in words; empty where it does."""
        if self.rests_on == now:
            return ""
        if UNKNOWN in self.rests_on:
            return f"proven before, but {self.rests_on[UNKNOWN]}"
        changed = self.changed(now)
        return f"proven before; changed since: {', '.join(dict.fromkeys(map(section_name, changed)))}" if changed else ""


@dataclass(frozen=True)
class ProofOf:
    """One proof that a hop declares. `reads` is all that it is judged by, and so all that it rests on.

    `seen`: what was seen that proves it (None where nothing does yet), from its view and from what the bench has measured; None where somebody else records it.
    `needless`: why this craft can do without it, empty where it needs it. `wants`: what has to be in place; `minutes`: how long it takes.
    """

    name: str
    says: str
    reads: Reads
    minutes: float
    seen: Callable[[View, Any], dict[str, object] | None] | None
    wants: tuple[Want, ...] = ("pack", "transmitter")
    source: Source = "bench"
    needless: Callable[[View], str] = lambda _: ""


class ProofState(BaseModel):
    """How one proof of a hop stands: what has to be seen for it, whether this craft needs it (else why not), and why it stands so."""

    name: str
    says: str
    needed: bool
    standing: Standing
    why: str
    minutes: float
    wants: list[Want]
    source: Source


def state_of(declared: ProofOf, whole: Whole, recorded: Proof | None) -> ProofState:
    """How a proof stands for a craft as it is now."""
    needless = declared.needless(declared.reads.view(whole))
    why_not = recorded.why_not(declared.reads.foundation(whole)) if recorded else "not proven yet"
    return ProofState(
        name=declared.name,
        says=declared.says,
        needed=not needless,
        standing="missing" if recorded is None else "changed" if why_not else "holds",
        why=needless or why_not or "proven",
        minutes=declared.minutes,
        wants=list(declared.wants),
        source=declared.source,
    )
