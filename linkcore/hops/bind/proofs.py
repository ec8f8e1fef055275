"""What has to be seen of the bind."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.ends import TOO_CLOSE_M, PowerCycle
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Cycled(Protocol):
    """What is looked at of a running bench."""

    @property
    def satellite_away(self) -> bool:
        """Whether the satellite's lead is on the bind pad."""
        ...

    @property
    def knows(self) -> bool:
        """Whether the receiver listens for what the transmitter sends."""
        ...

    @property
    def cycle(self) -> PowerCycle:
        """What both ends were seen to do since they were last off."""
        ...

    @property
    def distance_m(self) -> float:
        """How far apart both ends are."""
        ...

    @property
    def count_held(self) -> int:
        """The bind count that the board keeps."""
        ...


def came_back(view: View, seen: Cycled) -> tuple[bool, str]:
    """Whether both ends were off and on again and found each other by themselves, and what that says, or what is missing."""
    after, within = seen.cycle.back_after_s, view.parts.receiver.binding.back_s
    if not seen.knows:
        return False, "Not bound to this transmitter yet."
    if seen.count_held or view.craft.settings.bind_count:
        return False, "The bind count is not back at 0."
    if seen.satellite_away:
        return False, "The satellite is not back on its own pad."
    if seen.distance_m < TOO_CLOSE_M:
        return False, "The ends lie right beside each other; two steps apart it counts."
    if after is None:
        return False, "Bound counts once both ends were off and on again and the link came back by itself."
    if after > within:
        return False, f"The link came back after {after:.2f} s; its kind takes {within:g} s at most. Off and on again."
    return True, f"The link came back by itself after {after:.2f} s; {within:g} s are allowed."


def link_comes_back(view: View, seen: Cycled) -> dict[str, object] | None:
    """The cycle that proves it."""
    if not came_back(view, seen)[0]:
        return None
    return {"cycle": seen.cycle.model_dump(), "back_after_s": seen.cycle.back_after_s, "distance_m": seen.distance_m}


LINK_COMES_BACK = ProofOf(
    name="the link comes back",
    says="Both ends were off and on again, and the link came back by itself in the time that its kind allows.",
    reads=Reads("kit", "firmware", "bind", "air", "settings/bind_count"),
    minutes=2,
    seen=link_comes_back,
)
