"""What has to be seen of the sticks."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.port import LinkState
from linkcore.hops.signal import SIGNAL
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.sticks.surfaces import surfaces_of, undecided
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Moved(Protocol):
    """What is looked at of a running bench."""

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks as measured."""
        ...

    @property
    def board_link(self) -> LinkState:
        """What the board makes of its receiver."""
        ...


def ends_and_middle(view: View, seen: Moved) -> dict[str, object] | None:
    """Every stick was seen beyond both lines, and at rest in the middle."""
    if not seen.sticks.proven(view.craft.settings.stick_lines):
        return None
    return {axis: reached.model_dump() for axis, reached in seen.sticks.reached.items()}


def surfaces_looked_at(view: View, seen: Moved) -> dict[str, object] | None:
    """Somebody has looked at every surface while the board had a link, and as the board runs each goes the right way, with the stick and when it steadies."""
    surfaces = surfaces_of(view.craft, view.parts)
    if seen.board_link != "good" or undecided(view.craft, view.parts) or not all(each.with_stick and each.with_steadying for each in surfaces):
        return None
    return {each.name: {"turned": each.turned, "servo_reversed": each.servo_reversed} for each in surfaces}


def no_surfaces(view: View) -> str:
    """Why a craft needs no look at surfaces; empty where it does."""
    steers = surfaces_of(view.craft, view.parts) or undecided(view.craft, view.parts)
    return "" if steers else "this craft steers with no surfaces"


ENDS_AND_MIDDLE = ProofOf(
    name="ends and middle",
    says="Every stick is seen beyond both stick lines and at rest in the middle, on its own axis.",
    reads=Reads(*SIGNAL, "transmitter", "settings/channel_map", "settings/stick_lines"),
    minutes=2,
    seen=ends_and_middle,
)
SURFACES_LOOKED_AT = ProofOf(
    name="surfaces looked at",
    says="Every surface was looked at while its stick was moved, and goes the right way, with the stick and when the board steadies.",
    reads=Reads("kit", "devices", "servo roles", "airframe", "servos_turned", "transmitter", "settings/servo_reverse"),
    minutes=2,
    seen=surfaces_looked_at,
    source="bench or hand",
    needless=no_surfaces,
)
