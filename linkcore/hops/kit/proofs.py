"""What has to be seen of the Kit."""

from __future__ import annotations

from collections.abc import Collection
from typing import Protocol

from linkcore.hops.kit.ability import sensor_states
from linkcore.parts.models import Sensor
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Answers(Protocol):
    """What is looked at of a running bench."""

    @property
    def awake(self) -> bool:
        """Whether the board runs its program."""
        ...

    @property
    def sensors_seen(self) -> Collection[Sensor]:
        """The sensors that the board sees."""
        ...

    @property
    def linked(self) -> bool:
        """Whether the receiver has a link."""
        ...


def set_answers(view: View, seen: Answers) -> dict[str, object] | None:
    """The board runs, the receiver has a link, and the board sees every sensor that is asked for."""
    if not seen.awake or not seen.linked:
        return None
    states = sensor_states(view.craft, view.parts)
    if any(state.says == "missing" or (state.wanted and state.sensor not in seen.sensors_seen) for state in states):
        return None
    return {"sensors": [state.sensor for state in states if state.fitted_in], "link": view.parts.receiver.radio.name}


SET_ANSWERS = ProofOf(
    name="the set answers",
    says="The board runs, the receiver has a link, and the board sees every sensor that is asked for.",
    reads=Reads("kit", "devices", "wants"),
    minutes=1,
    seen=set_answers,
)
