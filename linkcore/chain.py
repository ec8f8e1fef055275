"""The chain's findings and coins, from the hops' declarations: each follows from findings and from recorded proofs, never from a click. No hop is known by name."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from typing import Any

from linkcore.findings import SEVERITIES, Finding, HopKey, Mend
from linkcore.hop import Coin, Hop, HopState
from linkcore.hops.registry import HOPS
from linkcore.kept import made_of
from linkcore.proofs import Proof, ProofState, state_of
from linkcore.reads import Whole

ProofKey = tuple[HopKey, str]
Proofs = Mapping[ProofKey, Proof]


def settled_findings(whole: Whole, hops: Iterable[Hop] = HOPS) -> list[Finding]:
    """Those that rest on nothing measured: they stay until draft, settings or firmware are others."""
    return [finding for hop in hops for finding in _judged(hop, whole, hop.rules)]


def measured_findings(whole: Whole, seen: Any, hops: Iterable[Hop] = HOPS) -> list[Finding]:
    """Those that rest on what was measured; `seen` None where no bench runs."""
    return [finding for hop in hops for finding in _judged(hop, whole, hop.judges, seen)]


def _judged(hop: Hop, whole: Whole, rule: Callable[..., list[Finding]], *seen: Any) -> list[Finding]:
    view = hop.reads.view(whole)
    return hop.judged(view, rule(view, *seen))


def seen_findings(whole: Whole, seen: Any, hops: Iterable[Hop] = HOPS) -> list[Finding]:
    """Those about what is seen just now on a running bench, or what its devices hold."""
    return [finding for hop in hops for finding in _judged(hop, whole, hop.sees, seen)]


def still_findings(whole: Whole, hops: Sequence[Hop] = HOPS) -> list[Finding]:
    """What can be said without a running bench. While the kit is not whole only kit, plan, wires and firmware can be judged."""
    return in_order([*settled_findings(whole, hops), *measured_findings(whole, None, hops), *seen_findings(whole, None, hops)], hops)


def in_order(findings: Iterable[Finding], hops: Sequence[Hop] = HOPS) -> list[Finding]:
    """The gravest first, then along the chain."""
    place = {hop.key: index for index, hop in enumerate(hops)}
    return sorted(findings, key=lambda finding: (SEVERITIES.index(finding.severity), place[finding.hop]))


def coin(findings: Iterable[Finding], proofs: Sequence[ProofState]) -> tuple[Coin, str]:
    """(a hop's coin, why it is what it is) from its findings and how its proofs stand. What was proven once and is undone now is wrong, not to be begun."""
    found = list(findings)
    undone = any(proof.standing != "missing" for proof in proofs if proof.needed)
    stop = next((finding for finding in found if finding.severity == "stop" or (undone and finding.severity == "begin")), None)
    if stop is not None:
        return "cracked", stop.what
    if any(finding.severity == "begin" for finding in found):
        return "blank", "not begun yet"
    needed = [proof for proof in proofs if proof.needed]
    if not needed:
        return "blank", "nothing has to be proven here"
    holding = sum(proof.standing == "holds" for proof in needed)
    counted = f"{holding} of {len(needed)}: " if len(needed) > 1 else ""
    if holding == len(needed):
        return "rings true", "proven"
    worst = next((proof for proof in needed if proof.standing == "changed"), None)
    if worst is not None:
        return "tarnished", f"{counted}{worst.why}"
    missing = next(proof for proof in needed if proof.standing == "missing")
    return "blank", f"{counted}{missing.name} is not proven yet" if counted else "not proven yet"


def chain(whole: Whole, proofs: Proofs, findings: Iterable[Finding], seen: Any = None, hops: Sequence[Hop] = HOPS) -> tuple[list[HopState], list[Finding]]:
    """(every hop as it stands, the findings with those that look at the hops before). A signal flows as far as it flows at every hop before."""
    found = list(findings)
    of_hop: dict[HopKey, list[Finding]] = {hop.key: [] for hop in hops}
    for finding in found:
        of_hop[finding.hop].append(finding)
    states: dict[HopKey, HopState] = {}
    flowing = seen is not None
    for hop in hops:
        view = hop.reads.view(whole)
        for finding in hop.stands(view, states):
            found.append(finding)
            of_hop[finding.hop].append(finding)
        standing = whole.kept.get(
            f"proofs of {hop.key}", tuple(proofs.get((hop.key, proof.name)) for proof in hop.proofs), None, partial(_standing, hop, whole, proofs)
        )
        mark, why = coin(of_hop[hop.key], standing)
        flowing = flowing and hop.flows(seen)
        recorded = {proof.name: proofs[hop.key, proof.name] for proof in hop.proofs if (hop.key, proof.name) in proofs}
        value = hop.proven_value(recorded) if hop.proven_value is not None and mark == "rings true" else hop.value(view, seen)
        states[hop.key] = made_of(HopState, hop=hop.key, coin=mark, why=why, value=value, flows=flowing, proofs=standing)
    return list(states.values()), found


def _standing(hop: Hop, whole: Whole, proofs: Proofs) -> list[ProofState]:
    return [state_of(proof, whole, proofs.get((hop.key, proof.name))) for proof in hop.proofs]


def foundations(whole: Whole, hops: Iterable[Hop] = HOPS) -> dict[ProofKey, dict[str, str]]:
    """What each proof would rest on now."""
    return {(hop.key, proof.name): proof.reads.foundation(whole) for hop in hops for proof in hop.proofs}


def newly_proven(whole: Whole, proofs: Proofs, seen: Any, hops: Iterable[Hop] = HOPS) -> list[Proof]:
    """What has just been seen and is not recorded yet, or was recorded when something was otherwise."""
    found = []
    for hop in hops:
        for proof in hop.proofs:
            if proof.seen is None:
                continue
            recorded, now = proofs.get((hop.key, proof.name)), proof.reads.foundation(whole)
            if recorded is not None and not recorded.why_not(now):
                continue
            evidence = proof.seen(proof.reads.view(whole), seen)
            if evidence is not None:
                found.append(Proof(hop=hop.key, name=proof.name, rests_on=now, seen=evidence))
    return found


MENDED_IN_DRAFT = Mend(text="Mended in the draft: write it to the board", act="write")
MENDED_ON_BOARD = Mend(text="Written to the board, which takes it when it starts: restart it", act="restart")
WRITTEN_FIRST = Mend(text="Write it to the board first", act="write")
OTHERWISE_IN_DRAFT = Mend(text="Otherwise in the draft, with a finding of its own there")


def draft_against_board(draft: list[Finding], board: list[Finding], stored: list[Finding] | None = None) -> list[Finding]:
    """One list from both: what holds on the board first; what the draft already mends says so; what it adds comes last.

    `stored`: the findings with what the board keeps, where it runs something else until it starts again; None where it runs that.
    """
    in_draft, on_board, kept = ({(finding.code, finding.where) for finding in each} for each in (draft, board, stored or []))
    added = [finding for finding in draft if (finding.code, finding.where) not in on_board]

    def instead(finding: Finding) -> Mend | None:
        key = (finding.code, finding.where)
        if key in in_draft:
            return None
        if any(
            other.hop == finding.hop and SEVERITIES.index(other.severity) <= SEVERITIES.index(finding.severity) and _share(other, finding) for other in added
        ):
            return OTHERWISE_IN_DRAFT  # a band that holds nothing any more has no clearance either: that is not mended
        return MENDED_ON_BOARD if stored is not None and key not in kept else MENDED_IN_DRAFT

    of_draft = {(finding.code, finding.where): finding.mends for finding in draft}  # a mend edits the draft, so it is the draft's that is offered
    merged = [
        finding.model_copy(update={"mends": (mend,) if (mend := instead(finding)) else of_draft.get((finding.code, finding.where), finding.mends)})
        for finding in board
    ]
    return [*merged, *(finding.model_copy(update={"what": f"In the draft: {finding.what}", "mends": _not_by_hands(finding.mends)}) for finding in added)]


def _not_by_hands(mends: tuple[Mend, ...]) -> tuple[Mend, ...]:
    """The mends of what only the draft has: what hands do, and what eyes have seen, is of what the board runs, so that is written before."""
    others = tuple(mend for mend in mends if not mend.hands)
    return others if len(others) == len(mends) else (*others, WRITTEN_FIRST)


def _share(one: Finding, other: Finding) -> bool:
    """Whether two findings are about one thing."""
    return bool(set(one.about) & set(other.about))


def still_chain(whole: Whole, proofs: Proofs, hops: Sequence[Hop] = HOPS) -> list[HopState]:
    """The chain of a craft whose bench is not running."""
    return chain(whole, proofs, still_findings(whole, hops), None, hops)[0]
