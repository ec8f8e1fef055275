"""Crafts that are wired, and wired otherwise."""

from __future__ import annotations

from linkcore.craft.document import CraftDocument, Patch, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.parts.catalogue import Catalogue, shipped
from linkcore.parts.files import facts_of
from linkcore.parts.models import Board, Peripheral, Receiver
from linkcore.wiring.netlist import plan_edits
from linkcore.wiring.planner import work_out


def planned(craft: CraftDocument) -> CraftDocument:
    parts = KitParts.of(craft)
    return apply_edits(craft, plan_edits(craft, parts, work_out(craft, parts).plans[0]))


def moved(craft: CraftDocument, device: str, pin: str, pad: str | None) -> CraftDocument:
    """One wire elsewhere, or off."""
    kept = [patch for patch in craft.wiring if (patch.device, patch.pin) != (device, pin)]
    return craft.model_copy(update={"wiring": kept if pad is None else [*kept, Patch(device=device, pin=pin, pad=pad)]})


def other(part: Board | Receiver | Peripheral, **changes: object) -> Catalogue:
    """The catalogue with one part's facts changed."""
    facts = facts_of(part) | changes
    return Catalogue([*(each for each in shipped().values() if each.id != part.id), type(part).model_validate(facts)])
