"""Airframe: does what leaves the board move the craft the right way?"""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.findings import Finding
from linkcore.hop import Hop
from linkcore.hops.airframe.codes import CODES
from linkcore.hops.airframe.proofs import PROOFS, Held
from linkcore.hops.airframe.rules import Powered, check_measured, check_seen, check_set
from linkcore.hops.airframe.view import READS, AirframeTold, Shown, tell
from linkcore.proofs import Proof
from linkcore.reads import View


def judges(view: View, seen: Held | None) -> list[Finding]:
    """What was measured, against what is set."""
    return [] if seen is None else check_measured(view, seen.in_hands)


def sees(view: View, seen: Powered | None) -> list[Finding]:
    """What the board sees just now, against what was chosen."""
    return [] if seen is None else check_seen(view, seen)


def usb_in_words(_: View, seen: Held | None) -> str:
    """The one value: where the board's USB socket was found to point."""
    found = seen.in_hands.found if seen is not None else None
    return "–" if found is None else _short(found.says[0])


def proven_words(proofs: Mapping[str, Proof]) -> str:
    """The same as it was proven."""
    facing = proofs.get("facing")
    return _short(str(facing.seen.get("facing", "–"))) if facing else "–"


def _short(words: str) -> str:
    """*USB left* for *USB points left, upside down.*"""
    return words.rstrip(".").replace(" points", "").split(",")[0]


def flows(seen: Shown) -> bool:
    """Whether the board knows how it lies."""
    return seen.believed is not None


HOP = Hop(
    key="airframe",
    title="Airframe",
    question="Does what leaves the board move the craft the right way?",
    reads=READS,
    codes=CODES,
    proofs=PROOFS,
    rules=check_set,
    judges=judges,
    sees=sees,
    value=usb_in_words,
    proven_value=proven_words,
    flows=flows,
    tells=AirframeTold,
    tell=tell,
)
