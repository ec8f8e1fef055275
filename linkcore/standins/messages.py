"""What goes into a bench and what comes out: the message models that the browser's types are made from."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from linkcore.binding.ends import PowerCycle, TransmitterMode
from linkcore.binding.sequence import BindStep, EndView
from linkcore.chain import HopState
from linkcore.craft.document import BoardSettings, CraftDocument, Difference, Mode, ReceiverInput
from linkcore.craft.parts import KitParts
from linkcore.findings import Finding, Hop
from linkcore.images.connection import Seen
from linkcore.images.devices import Installed, Role, all_as_made, devices_of
from linkcore.images.facts import ImageFacts
from linkcore.images.flashing import FlashOrder, JobState
from linkcore.images.outlook import Outlook
from linkcore.line.compare import Reading
from linkcore.lostlink.timeline import LossRun, Prediction
from linkcore.modes.arming import Blocker
from linkcore.modes.detents import SwitchMeasure
from linkcore.modes.suggest import Suggestion
from linkcore.modes.truth import TruthTable
from linkcore.parts.axes import Axis
from linkcore.parts.models import BindWay, Light, LightState, WayIn
from linkcore.signal.uart import Wrong
from linkcore.standins.bootloader import DeviceKept, Fault
from linkcore.sticks.latency import Latency
from linkcore.sticks.lines import DeadbandProposal
from linkcore.sticks.measure import SticksMeasure
from linkcore.sticks.surfaces import Surface
from linkcore.sticks.travel import Places, TravelPlan

Unit = Annotated[float, Field(ge=-1, le=1)]


class _Incoming(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Stick(_Incoming):
    """A gimbal: right and up positive."""

    x: Unit
    y: Unit


class Hands(_Incoming):
    """What the pilot's hands do. Whatever is left out stays as it is."""

    type: Literal["hands"] = "hands"
    left: Stick | None = None
    right: Stick | None = None
    switches: dict[str, Annotated[int, Field(ge=0, le=2)]] | None = None
    transmitter_on: bool | None = None
    usb: bool | None = None
    pack: bool | None = None
    replaced: Annotated[str, Field(max_length=40)] | None = Field(None, description="A device that failed and was replaced by a new one")
    receiver_plugged: bool | None = Field(None, description="Whether the receiver's lead is plugged in; its supply comes through it")
    bind_button: bool | None = Field(None, description="Whether the receiver's bind button is held down")
    transmitter_mode: TransmitterMode | None = None
    model: Annotated[int, Field(ge=1, le=10)] | None = Field(None, description="The model memory that is selected on the transmitter")
    transmitter_phrase: Annotated[str, Field(max_length=64)] | None = None
    receiver_phrase: Annotated[str, Field(max_length=64)] | None = None
    forget_bind: Literal[True] | None = Field(None, description="The receiver is made to forget whom it knew")
    distance_m: Annotated[float, Field(ge=0.05, le=50_000)] | None = None
    satellite_away: bool | None = Field(None, description="Whether the satellite's lead is on the board's bind pad instead of its own")
    way: BindWay | None = Field(None, description="The way to bind that is followed")
    boot_button: bool | None = Field(None, description="Whether the board's bootloader button is held down")
    own_port_plugged: bool | None = Field(None, description="Whether the transmitter's end hangs on its own USB cable")
    adapter_plugged: bool | None = Field(None, description="Whether a serial adapter sits on the receiver's pins")
    fault: Fault | None = None
    tilt_deg: Annotated[float, Field(ge=-180, le=180)] | None = Field(None, description="How far the craft is tilted")
    gps_fix: bool | None = Field(None, description="Whether the GPS, where there is one, has a fix")
    loss_percent: Annotated[float, Field(ge=0, le=100)] | None = None
    tap: Annotated[str, Field(max_length=40)] | None = Field(None, description="The pin of the receiver whose wire the tap listens to")


class Act(_Incoming):
    """An act on the board. `request` comes back in the answer; `version` is the draft that is meant to be written."""

    type: Literal["act"] = "act"
    act: Literal["write", "read back", "restart", "measure anew", "keep line", "flash", "stop flashing"]
    request: Annotated[str, Field(min_length=1, max_length=64)]
    version: int | None = None
    flash: FlashOrder | None = Field(None, description="What to flash, or whose job to stop")


class Answer(BaseModel):
    """What came of an act."""

    type: Literal["answer"] = "answer"
    request: str
    ok: bool
    text: str
    recording: str | None = Field(None, description="What was heard on the tapped wire, where the act was to keep it: the recording's id")


class Trouble(BaseModel):
    """A message was not understood, or the bench cannot run."""

    type: Literal["trouble"] = "trouble"
    text: str


class BoardLive(BaseModel):
    """The flight controller now. `channels` us as decoded; `axes` us after map and fallback."""

    powered: bool
    booting: bool
    link: Literal["off", "no signal", "good", "grace", "lost"]
    channels: list[float]
    axes: dict[Axis, float | None]
    armed: bool
    mode: str
    motors_percent: float
    blockers: list[Blocker]
    commands: dict[Axis, float] = Field(description="What it makes of the sticks, -1 to 1, the deadband taken off")
    surfaces: dict[str, float] = Field(description="Each servo's surface as it is seen to go, -1 to 1")
    port: str | None
    bytes_per_s: int
    good_per_s: int
    bad_per_s: int
    errors_per_s: int


class Live(BaseModel):
    """A snapshot, 25 a second. `t` bench seconds; `marks` one letter a frame of the last second: g good, b bad, l lost, f failsafe."""

    type: Literal["live"] = "live"
    t: float
    left: Stick
    right: Stick
    switches: dict[str, int]
    transmitter_on: bool
    usb: bool
    pack: bool
    failed: list[str]
    linked: bool
    receiver_plugged: bool
    bind_button: bool
    transmitter_mode: TransmitterMode
    distance_m: float
    tilt_deg: float
    gps_fix: bool
    moving: list[int] = Field(description="Channels that the finder sees on the move")
    jobs: list[JobState]
    loss_percent: float
    lq_percent: int
    light: Light
    light_means: str
    edges_per_s: int
    marks: str
    board: BoardLive


class ReadByte(BaseModel):
    """One byte as a port reads it: when its start bit came (us from the picture's left), its value, what is wrong with it."""

    at_us: float
    value: int
    wrong: Wrong


class Wave(BaseModel):
    """The first bytes of a frame on the wire. `toggles_us` from the picture's left; `bit_us` one bit's width."""

    level: int
    span_us: float
    bit_us: float
    toggles_us: list[float]
    as_sent: list[ReadByte]
    as_read: list[ReadByte]
    byte_us: float
    pulses: list[tuple[float, float]] = Field(default_factory=list, description="Where the line is made of pulses: when each began and how long it lasted, us")


class LineReading(BaseModel):
    """What would read the line. `mends` do it; `why_not` says why the board cannot on this pad."""

    settings: ReceiverInput
    good_share: float
    changes: list[str]
    possible: bool
    why_not: str

    @classmethod
    def of(cls, way: Reading) -> LineReading:
        """As the core found it."""
        return cls(settings=way.settings, good_share=way.good_share, changes=list(way.changes), possible=way.possible, why_not=way.why_not)


class TapWire(BaseModel):
    """A wire that the tap can listen to: the receiver's pin, the pad at its other end, and what runs on it."""

    pin: str
    pad: str | None
    carries: Literal["channels", "telemetry", "both"]


class InputWorkedOut(BaseModel):
    """How parts and wire ask the port to be set, and why."""

    settings: ReceiverInput
    because: list[str]


class DownlinkValue(BaseModel):
    """What the receiver heard from the board: one sensor, `t` in bench seconds."""

    sensor: str
    values: dict[str, float | int | str]
    t: float


class LineReport(BaseModel):
    """The Line hop: the tapped wire, and what the receiver's port makes of its own."""

    wires: list[TapWire]
    tap: str
    wire_pad: str | None
    protocol: str | None
    what: str
    confidence: float
    idle: str | None
    baud: int | None
    measured_baud: float | None
    framing: str | None
    inverted: bool | None
    frames_per_s: float | None
    good_share: float
    why: list[str]
    port: str | None
    port_pad: str | None
    port_says: str
    port_good_share: float
    port_reads: bool
    set_to: ReceiverInput
    worked_out: InputWorkedOut | None
    would_read: list[LineReading]
    wave: Wave | None
    downlink: list[DownlinkValue]


class BandView(BaseModel):
    """A band of the draft on a switch channel, us. `clear` is its least clearance; None where it holds no known detent. `path`: its place in the craft.

    `clear_low`, `clear_high`: from either edge to the nearest detent, jitter included.
    """

    name: str
    low: float
    high: float
    clear: float | None
    clear_low: float | None
    clear_high: float | None
    misses: bool
    path: str


class RunView(BaseModel):
    """Neighbouring positions of a switch, and the band (us) that would hold just them."""

    places: list[str]
    low: float
    high: float


class SwitchView(BaseModel):
    """A switch channel. Each detent as (value, jitter) in us and whether it was seen or is only expected; `measured`: all were. `runs`: what bands could hold."""

    channel: int
    source: str
    positions: int
    detents: list[tuple[float, float, bool]]
    measured: bool
    runs: list[RunView]
    bands: list[BandView]


class ModeView(BaseModel):
    """A mode of the catalogue: what it does, whether a band turns it on, and why it cannot hold here (empty where it can)."""

    name: Mode
    does: str
    lacks: str
    excludes: list[Mode]


class SwitchboardReport(BaseModel):
    """The Switchboard beside its rulers and its table."""

    modes: list[ModeView]
    suggestion: Suggestion


class TravelView(BaseModel):
    """One axis on the Sticks hop: what to dial (None until it was measured, `wait` says what for), what was expected, what is left to mend (us).

    `beside_predicted`: whether it came to what was expected, in words; empty where nothing was.
    """

    axis: Axis
    channel: int
    plan: TravelPlan | None
    wait: str
    expected: Places | None
    left: Places | None
    beside_predicted: str
    near_us: float


class SticksReport(BaseModel):
    """The Sticks hop beside what was measured."""

    travel: list[TravelView]
    resting_s: dict[Axis, float]
    deadband: DeadbandProposal | None
    latency: Latency | None
    surfaces: list[Surface]
    sent_order: str | None


class WayThere(BaseModel):
    """One way in to a device: what is seen through it now."""

    way: WayIn
    words: str
    seen: Seen


class DeviceView(BaseModel):
    """A device that runs firmware. `flash` None where it cannot be flashed; `ways` as they look now."""

    role: Role
    name: str
    target: str | None
    runs: ImageFacts | None
    sha256: str
    bootloader: str
    in_bootloader: bool
    can_flash: bool
    flash_size: int
    ways: list[WayThere]


class LoadReport(BaseModel):
    """The Load hop: every device, and what the link between both ends is."""

    devices: list[DeviceView]
    link: Outlook | None
    fault: Fault
    own_port_plugged: bool
    adapter_plugged: bool
    boot_button: bool


class BindReport(BaseModel):
    """The Bind hop: both ends, the steps of the way that is followed, and what keeps them from binding now."""

    way: BindWay
    ways: list[BindWay]
    steps: list[BindStep]
    transmitter: EndView
    receiver: EndView
    hindrances: list[str]
    knows: bool
    identity: str = Field(description="What the receiver listens for, hexadecimal; empty where it knows nobody")
    sends_identity: str = Field(description="What the transmitter's frames carry now")
    model: int
    transmitter_phrase: str
    lights: dict[LightState, Light]
    cycle: PowerCycle
    back_after_s: float | None
    back_within_s: float
    proven: bool
    verdict: str
    bind_pad: str | None
    satellite_away: bool
    count: int
    count_wanted: list[int]
    distance_m: float
    margin_db: float | None
    loss_percent: float


class LogLine(BaseModel):
    """Something that happened, in bench seconds."""

    t: float
    text: str


class Report(BaseModel):
    """What is worked out from the signal, five times a second and at once after an act."""

    type: Literal["report"] = "report"
    t: float
    draft_version: int
    chain: list[HopState]
    findings: list[Finding]
    differences: list[Difference]
    on_board: BoardSettings | None
    restart_due: bool
    load: LoadReport
    bind: BindReport
    line: LineReport
    sticks: SticksMeasure
    stick_verdicts: dict[Axis, str]
    sticks_proven: dict[Axis, bool]
    stick_work: SticksReport
    switches: list[SwitchView]
    switchboard: SwitchboardReport
    table: TruthTable | None = Field(description="None while it is as in the last report: 729 rows five times a second would be a burden")
    prediction: Prediction
    loss: LossRun | None
    loss_proven: bool
    loss_verdict: str
    log: list[LogLine]
    rung: dict[str, str] = Field(description="Wires rung out: their keys, and whether by hand or by signal")


class Waiting(BaseModel):
    """There is no bench for this craft yet: what can be said without one, and what is needed."""

    type: Literal["waiting"] = "waiting"
    draft_version: int
    why: str
    chain: list[HopState]
    findings: list[Finding]


class BenchState(BaseModel):
    """What a bench keeps when it stops, so that the next one goes on from there."""

    stored: BoardSettings
    running: BoardSettings
    read_back: BoardSettings | None = None
    usb: bool = False
    pack: bool = True
    failed: dict[str, str] = Field(default_factory=dict, description="Devices that were destroyed, with the part that each of them was")
    foundations: dict[Hop, dict[str, str]] = Field(default_factory=dict, description="What the measurements were made with")
    transmitter_on: bool = True
    bound: bool = Field(True, description="Whether the receiver came bound to this transmitter, where no identity is kept")
    sends_part: str = Field("", description="Which transmitter model memory and phrase belong to")
    hears_part: str = Field("", description="Which receiver the identity belongs to")
    identity: str = ""
    registered: str = ""
    model: int = 1
    transmitter_phrase: str = ""
    distance_m: float = 2.0
    receiver_plugged: bool = True
    satellite_away: bool = False
    way: BindWay | None = None
    cycle: PowerCycle = Field(default_factory=PowerCycle)
    devices: dict[Role, DeviceKept] = Field(default_factory=dict)
    fault: Fault = Field(default_factory=Fault)
    own_port_plugged: bool = False
    adapter_plugged: bool = False
    loss_percent: float = 0.0
    switches: dict[str, int] = Field(default_factory=dict)
    gimbals: dict[str, dict[str, float]] = Field(default_factory=dict)
    tilt_deg: float = 0.0
    gps_fix: bool = True
    sticks: SticksMeasure = Field(default_factory=SticksMeasure)
    measured: SwitchMeasure = Field(default_factory=SwitchMeasure)
    loss: LossRun | None = None
    t: float = 0.0

    def keep(self) -> dict[str, Any]:
        """As JSON data."""
        return self.model_dump(mode="json")

    def installed(self, document: CraftDocument, parts: KitParts) -> dict[Role, Installed]:
        """What the craft's devices run; a part that was exchanged since comes as its maker sold it."""
        runs = all_as_made(devices := devices_of(parts), document)
        return runs | {role: kept.installed for role, kept in self.devices.items() if role in devices and devices[role].part.id == kept.part}
