"""What has to be seen of the sticks."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.port import LinkState
from linkcore.hops.signal import SIGNAL
from linkcore.hops.sticks.measure import SticksMeasure
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


ENDS_AND_MIDDLE = ProofOf(
    name="ends and middle",
    says="Every stick is seen beyond both stick lines and at rest in the middle, on its own axis.",
    reads=Reads(*SIGNAL, "transmitter", "settings/channel_map", "settings/stick_lines"),
    minutes=2,
    seen=ends_and_middle,
)
