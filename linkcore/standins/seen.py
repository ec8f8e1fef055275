"""What of a bench is looked at by those who measure and prove, so that none of them needs to know the bench itself."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.line.rules import PortReading
from linkcore.lostlink.timeline import LossRun
from linkcore.modes.detents import SwitchMeasure
from linkcore.parts.models import Receiver, Transmitter
from linkcore.standins.board import StandInBoard
from linkcore.standins.link import RadioLink
from linkcore.standins.loading import Loading
from linkcore.standins.path import SignalPath
from linkcore.standins.radio import StandInReceiver, StandInTransmitter
from linkcore.standins.wires import WireTruth
from linkcore.sticks.measure import SticksMeasure


class SeenBench(Protocol):
    """The craft, its stand-ins and what was measured, as they are at `t` (bench seconds)."""

    t: float
    document: CraftDocument
    parts: KitParts
    receiver_part: Receiver
    transmitter_part: Transmitter
    board: StandInBoard
    transmitter: StandInTransmitter
    receiver: StandInReceiver
    link: RadioLink
    loading: Loading
    path: SignalPath
    satellite_away: bool
    rung: dict[str, str]

    @property
    def wire(self) -> WireTruth:
        """The wires as metal."""
        ...

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks as measured."""
        ...

    @property
    def measured(self) -> SwitchMeasure:
        """The switches as measured."""
        ...

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        ...

    @property
    def lacking(self) -> Mapping[str, str]:
        """Modes that cannot hold here, and why."""
        ...

    def port_reading(self) -> PortReading:
        """The last second at the receiver port."""
        ...
