"""What of a bench is looked at by those who measure and prove, so that none of them needs to know the bench itself."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from linkcore.bench.flight import Flight
from linkcore.bench.latency import LatencyWatch
from linkcore.bench.traffic import HomeTraffic, PortTraffic
from linkcore.craft.document import CraftDocument
from linkcore.craft.layouts import Corner, Turn
from linkcore.craft.parts import KitParts
from linkcore.hops.airframe.measure import AirframeMeasure
from linkcore.hops.airframe.motor_view import EndsStep
from linkcore.hops.lost_link.runs import BadAir, Gap, LossRun, RangeWalk, SwitchTest
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.parts.axes import Axis
from linkcore.parts.models import Board, Receiver, Transmitter
from linkcore.protocols.base import ProtocolSpec, TelemetryFrame
from linkcore.reads import Whole
from linkcore.signal.edges import Edges
from linkcore.standins.bells import Bells
from linkcore.standins.board import StandInBoard
from linkcore.standins.drive import Drive
from linkcore.standins.held import HeldCraft, Idea
from linkcore.standins.link import RadioLink
from linkcore.standins.loading import Loading
from linkcore.standins.path import SignalPath
from linkcore.standins.peripherals import DeviceWires
from linkcore.standins.picture import VideoWay
from linkcore.standins.radio import StandInReceiver, StandInTransmitter
from linkcore.standins.turned import TurningCraft
from linkcore.standins.wires import WireTruth

EDGE_WINDOW_S = 0.4


class Measured(Protocol):
    """What was measured."""

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks."""
        ...

    @property
    def switches(self) -> SwitchMeasure:
        """The switches."""
        ...

    @property
    def losses(self) -> Losses:
        """Lost links."""
        ...

    @property
    def airframe(self) -> InHands:
        """The craft in hands."""
        ...

    latency: LatencyWatch

    def watched_s(self) -> dict[Axis, float]:
        """How long each stick has rested so far, s."""
        ...

    def places_now(self, channels: list[int]) -> dict[int, int]:
        """Which detent each switch channel is in, where that is known."""
        ...


class Losses(Protocol):
    """What was seen of lost links."""

    run: LossRun | None
    gap: Gap | None
    bad_air: BadAir | None
    switch_test: SwitchTest | None
    walk: RangeWalk | None


class InHands(Protocol):
    """What was measured of the craft in hands."""

    seen: AirframeMeasure


class HandsSaid(Protocol):
    """What hands have said with the craft so far."""

    corner: Corner | None

    @property
    def turns(self) -> Turn | None:
        """Which way it was twisted."""
        ...


class Learns(Protocol):
    """An ESC that learns its end points."""

    output: str
    step: EndsStep


class Turns(Protocol):
    """Motors that are turned one at a time."""

    drive: Drive
    said: str

    @property
    def ends(self) -> Learns:
        """An ESC that learns its end points."""
        ...

    @property
    def answers(self) -> HandsSaid:
        """What hands have said with the craft so far."""
        ...

    def locked(self) -> str:
        """Why no key does anything now; empty where one would, or does."""
        ...

    def why_by_words(self) -> str:
        """Why the craft itself cannot answer; empty where it can."""
        ...


class SeenBench(Protocol):
    """The craft, its stand-ins and what was measured, as they are at `t` (bench seconds)."""

    t: float
    document: CraftDocument
    parts: KitParts
    receiver_part: Receiver
    transmitter_part: Transmitter
    board: StandInBoard
    flight: Flight
    transmitter: StandInTransmitter
    receiver: StandInReceiver
    link: RadioLink
    loading: Loading
    path: SignalPath

    @property
    def whole(self) -> Whole:
        """All that is known of the craft, judged by what the board runs."""
        ...

    satellite_away: bool
    rung: dict[str, str]
    usb: bool
    pack: bool
    failed: dict[str, str]
    overload: str | None
    tap: str
    gps_fix: bool
    home: bool
    held: HeldCraft
    read_mah: float
    drawn_s: float
    turned: TurningCraft | None

    @property
    def turning(self) -> Turns:
        """Motors that are turned one at a time."""
        ...

    @property
    def facing_proven(self) -> bool:
        """Whether it is proven, and still, how the board sits."""
        ...

    def idea(self) -> Idea:
        """What the board makes of how it lies."""
        ...

    def read_v(self) -> float:
        """What the board's divider reads of the pack, unscaled."""
        ...

    def read_a(self) -> float:
        """What its current sensor reads, unscaled."""
        ...

    def pack_volts(self) -> float:
        """What stands at the pack's own leads."""
        ...

    def current_a(self) -> float:
        """What is drawn from the pack."""
        ...

    @property
    def used_mah(self) -> float:
        """What was taken out of the pack."""
        ...

    @property
    def motors_a(self) -> float:
        """What the motors draw of the pack."""
        ...

    @property
    def sees_compass(self) -> bool:
        """Whether the board sees a compass, its own or a device's."""
        ...

    @property
    def spec(self) -> ProtocolSpec:
        """What the receiver speaks on the wires that count."""
        ...

    board_part: Board
    downlink: dict[str, TelemetryFrame]
    devices: DeviceWires
    bells: Bells
    video: VideoWay
    traffic: PortTraffic
    home_traffic: HomeTraffic

    @property
    def measuring(self) -> Measured:
        """What was measured."""
        ...

    @property
    def bind_pad(self) -> str | None:
        """Where the board sends bind pulses, where that is not the satellite's own pad."""
        ...

    @property
    def rival_on_the_wire(self) -> str | None:
        """Another device that drives the receiver's wire now."""
        ...

    def wire_edges(self, pin: str | None = None, seconds: float = EDGE_WINDOW_S) -> tuple[Edges, float]:
        """The last stretch of a wire of the receiver (by default the tapped one)."""
        ...

    @property
    def wire(self) -> WireTruth:
        """The wires as metal."""
        ...

    @property
    def lacking(self) -> Mapping[str, str]:
        """Modes that cannot hold here, and why."""
        ...
