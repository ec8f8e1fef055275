"""Kit: the parts, and what they can do together."""

from __future__ import annotations

from typing import Protocol

from linkcore.hop import Hop
from linkcore.hops.kit.codes import CODES
from linkcore.hops.kit.proofs import SET_ANSWERS
from linkcore.hops.kit.rules import check_kit
from linkcore.reads import Reads, View


class Supplied(Protocol):
    """What is looked at of a running bench."""

    @property
    def supplied(self) -> bool:
        """Whether the board has supply."""
        ...


def parts_counted(view: View, _: object) -> str:
    """The one value: how many parts."""
    kit = view.craft.kit
    count = sum(bool(each) for each in (kit.board, kit.receiver, kit.transmitter, kit.module, kit.pack)) + len(kit.devices)
    return f"{count} parts" if count != 1 else "1 part"


def flows(seen: Supplied) -> bool:
    """Whether the board has supply."""
    return seen.supplied


def to_begin(view: View) -> frozenset[str]:
    """Parts that are still to be chosen; and the drive, while no device was put in."""
    return frozenset({"kit.incomplete"} | (set() if view.craft.kit.devices else {"kit.no-drive"}))


HOP = Hop(
    key="kit",
    title="Kit",
    question="Which parts lie on the bench, and what can they do together?",
    reads=Reads("kit", "pack", "devices", "wants", "airframe", "receiver's output"),
    rules=lambda view: check_kit(view.craft, view.parts),
    codes=CODES,
    proofs=(SET_ANSWERS,),
    to_begin=to_begin,
    value=parts_counted,
    flows=flows,
)
