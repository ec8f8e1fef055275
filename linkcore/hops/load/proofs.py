"""What has to be seen of Load."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.outlook import Outlook
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Talks(Protocol):
    """What is looked at of a running bench."""

    @property
    def awake(self) -> bool:
        """Whether the board runs its program."""
        ...

    @property
    def linked(self) -> bool:
        """Whether the receiver has a link."""
        ...

    @property
    def outlook(self) -> Outlook:
        """What the link is with the firmware on both ends."""
        ...


def both_ends_talk(view: View, seen: Talks) -> dict[str, object] | None:
    """The board runs, and the two ends have a link with the firmware that is on them."""
    if not seen.awake or not seen.linked or seen.outlook.verdict == "do not match":
        return None
    return {"runs": {role: each.facts.said() for role, each in view.installed.items() if each.facts}, "link": seen.outlook.verdict}


BOTH_ENDS_TALK = ProofOf(
    name="both ends talk",
    says="Every device runs its firmware, and the two ends have a link with what is on them.",
    reads=Reads("kit", "firmware"),
    minutes=1,
    seen=both_ends_talk,
)
