"""What has to be seen of the Line."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.port import PortReading
from linkcore.hops.signal import SIGNAL
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Read(Protocol):
    """What is looked at of a running bench."""

    def port_reading(self) -> PortReading:
        """The last second at the receiver port."""
        ...


def port_reads(view: View, seen: Read) -> dict[str, object] | None:
    """A second of whole frames at the receiver port."""
    reading = seen.port_reading()
    if not reading.reads:
        return None
    return {"protocol": view.craft.settings.receiver_input.protocol, "good_frames_in_1_s": reading.good, "good_share": round(reading.good_share, 4)}


PORT_READS = ProofOf(
    name="the port reads",
    says="For a second the port reads whole frames, hardly one of them damaged.",
    reads=Reads(*SIGNAL, "firmware"),
    minutes=1,
    seen=port_reads,
)
