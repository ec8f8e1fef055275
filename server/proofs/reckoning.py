"""What a proof from before proofs had names rests on: reckoned anew from the revision and the board's settings that held when it was made.

The old hashes tell for certain whether these are the right ones. Where none can be found that come to them, the proof is marked so, and holds no more.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from itertools import product
from typing import Any

from linkcore.bench.messages import BenchState
from linkcore.craft.document import BoardSettings, CraftDocument, CraftError, load
from linkcore.craft.parts import KitParts
from linkcore.devices.image_facts import SettingsFormat
from linkcore.devices.memory import as_kept
from linkcore.hops.registry import HOPS
from linkcore.parts.catalogue import Catalogue
from linkcore.proofs import UNKNOWN
from linkcore.reads import SECTIONS, Whole

ASKS_MORE = {"lost link": "throttle and arm switch were not looked at then; see it once more"}  # hops whose first proof asks for more than it did
LOST = "what it rested on is not to be had any more; see it once more"


def first_proof_of(hop: str) -> str:
    """The name of the one proof that a hop had before proofs had names; empty for a hop that is not known."""
    return next((each.proofs[0].name for each in HOPS if each.key == hop), "")


def reckon_anew(hop: str, rests_on: Mapping[str, str], documents: Iterable[Any], settings: Iterable[Any], state: Any, catalogue: Catalogue) -> dict[str, str]:
    """The hashes under today's keys. `documents`, `settings`: those that may have held when it was made, as JSON data, the likeliest first; `state`: the bench's."""
    if hop in ASKS_MORE:
        return {UNKNOWN: ASKS_MORE[hop]}
    proof = next((proof for each in HOPS if each.key == hop for proof in each.proofs[:1]), None)
    if proof is None or any(key not in SECTIONS for key in rests_on):
        return {UNKNOWN: LOST}
    for whole in _candidates(list(documents), list(settings), state, catalogue):
        if all(whole.digest(key) == digest for key, digest in rests_on.items()):
            return proof.reads.foundation(whole)
    return {UNKNOWN: LOST}


def _candidates(documents: list[Any], settings: list[Any], state: Any, catalogue: Catalogue) -> Iterator[Whole]:
    kept = _read(BenchState, state)
    ran = [each for each in (_read(BoardSettings, each) for each in settings) if each is not None]
    crafts = [each for each in (_craft(each) for each in documents) if each is not None]
    for craft, identity in product(crafts, dict.fromkeys([kept.bound_to if kept else "", ""])):
        parts = KitParts.of(craft, catalogue)
        for installed in (kept.installed(craft, parts) if kept else None, None):
            for each in ([kept.running] if kept else []) + [craft.settings, *ran]:
                yield Whole(craft, each, parts, installed, identity)
                if parts.maybe_board is not None:
                    yield Whole(craft, as_kept(each, parts.board, SettingsFormat()), parts, installed, identity)


def _read(kind: type[Any], data: Any) -> Any:
    try:
        return kind.model_validate(data)
    except ValueError:
        return None


def _craft(data: Any) -> CraftDocument | None:
    try:
        return load(data)
    except CraftError:
        return None
