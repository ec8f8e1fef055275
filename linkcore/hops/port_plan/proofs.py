"""What has to be seen of the Port plan."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.port import LinkState, PortReading
from linkcore.hops.signal import SIGNAL
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Heard(Protocol):
    """What is looked at of a running bench."""

    @property
    def board_link(self) -> LinkState:
        """What the board makes of its receiver."""
        ...

    def port_reading(self) -> PortReading:
        """The last second at the receiver port."""
        ...


def pad_is_heard(_: View, seen: Heard) -> dict[str, object] | None:
    """Edges at the pad that the board listens on, and a good link from them."""
    reading = seen.port_reading()
    if reading.edges_at_pad == 0 or seen.board_link != "good":
        return None
    return {"port": reading.port, "pad": reading.pad, "edges_in_1_s": reading.edges_at_pad}


PAD_IS_HEARD = ProofOf(
    name="the pad is heard",
    says="The receiver's signal arrives at the pad that the board listens on.",
    reads=Reads(*SIGNAL, "devices", "wiring of devices"),
    minutes=1,
    seen=pad_is_heard,
)
