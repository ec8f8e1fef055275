"""The craft in the pilot's hands: how it is held, asked and mended."""

from __future__ import annotations

import scenario
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.hops.airframe.codes import CODES
from linkcore.standins.held import BodyTruth
from tests.hand import Hand

HELD_S = 2.4


LEVEL, NOSE, RIGHT = {"tilt_deg": 0}, {"tilt_deg": 62, "towards_deg": 3}, {"tilt_deg": 55, "towards_deg": 88}


def curlew(body: BodyTruth | None = None, pack_here: str = "", craft: CraftDocument | None = None) -> Hand:
    """A pilot with Curlew, and what is so of it."""
    craft = scenario.curlew() if craft is None else craft
    return Hand(craft, BenchState(stored=craft.settings, running=craft.settings, read_back=craft.settings, body=body, pack_here=pack_here))


def take_poses(hand: Hand, *poses: dict) -> None:
    hand.do(0, asking="facing")
    for pose in poses or (LEVEL, NOSE, RIGHT):
        hand.do(HELD_S, **pose)
    hand.do(0.2, tilt_deg=0)


def findings(hand: Hand) -> dict:
    return {each.code: each for each in hand.report().findings if each.code in CODES}


def told(hand: Hand):
    return hand.report().told.airframe


def mend(hand: Hand, code: str, number: int = 0) -> None:
    """What a button does: edits of the draft are saved and written, hands are done."""
    each = findings(hand)[code].mends[number]
    assert each.edits or each.hands, each
    if each.edits:
        hand.bench.take_document(apply_edits(hand.bench.document, each.edits))
        hand.bench.write(hand.bench.document.settings)
    else:
        hand.bench.hands(Hands.model_validate(each.hands))
    hand.passes(0.4)
