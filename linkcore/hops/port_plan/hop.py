"""Port plan: every device on a pad and port that can serve it."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.port import PULSE_INPUTS, PortReading
from linkcore.hop import Hop
from linkcore.hops.port_plan.codes import CODES
from linkcore.hops.port_plan.proofs import PAD_IS_HEARD
from linkcore.hops.port_plan.rules import check_ports
from linkcore.reads import Reads, View


class Wired(Protocol):
    """What is looked at of a running bench."""

    @property
    def wire_passes(self) -> bool:
        """Whether the receiver's wire reaches the pad that is listened on."""
        ...

    def port_reading(self) -> PortReading:
        """The last second at the receiver port."""
        ...


def port_that_listens(_: View, seen: Wired | None) -> str:
    """The one value: what listens."""
    port = seen.port_reading().port if seen is not None else None
    if seen is None:
        return "–"
    if port is None:
        return "receiver on no port"
    return "on pulse inputs" if port == PULSE_INPUTS else f"receiver on {port}"


def flows(seen: Wired) -> bool:
    """Whether the receiver's wire reaches the pad that is listened on."""
    return seen.wire_passes


def to_begin(view: View) -> frozenset[str]:
    """That the receiver is not heard, while no wire was planned at all."""
    return frozenset() if view.craft.wiring else frozenset({"ports.not-wired", "ports.no-receiver-job", "ports.no-protocol"})


HOP = Hop(
    key="port plan",
    title="Port plan",
    question="Which device on which pad?",
    reads=Reads("kit", "devices", "wants", "wiring", "wiring of devices", "receiver's output", "settings/ports", "settings/receiver_input"),
    rules=lambda view: check_ports(view.craft, view.parts),
    codes=CODES,
    proofs=(PAD_IS_HEARD,),
    to_begin=to_begin,
    value=port_that_listens,
    flows=flows,
)
