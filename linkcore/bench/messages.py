"""What goes into a bench and what comes out: the message models that the browser's types are made from."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, create_model

from linkcore.craft.document import BoardSettings, Difference
from linkcore.craft.layouts import Corner, Turn
from linkcore.devices.arming import Blocker
from linkcore.devices.ends import TransmitterMode
from linkcore.devices.flash_job import FlashOrder, JobState
from linkcore.findings import Finding, HopKey
from linkcore.hop import HopState
from linkcore.hops.airframe.first_flight import FlownSaid
from linkcore.hops.airframe.measure import AirframeMeasure, Asking
from linkcore.hops.lost_link.runs import LossRun
from linkcore.hops.registry import HOPS
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.parts.axes import Axis
from linkcore.parts.models import Light
from linkcore.reads import Handled
from linkcore.standins.drives import DrivesTruth
from linkcore.standins.hands import HandsPart, Stick
from linkcore.standins.held import BodyTruth, CompassMended
from linkcore.standins.link import LinkHands, LinkKept
from linkcore.standins.loading import LoadHands, LoadKept


class SurfaceTold(HandsPart):
    """A servo's surface as the pilot has seen it go, with the stick of an axis or as the craft was moved about it."""

    name: Annotated[str, Field(max_length=40)]
    axis: Axis
    when: Literal["stick", "steadying"]
    went: Literal["right", "wrong", "still"]


class Hands(LinkHands, LoadHands):
    """What the pilot's hands do. Whatever is left out stays as it is."""

    type: Literal["hands"] = "hands"
    usb: bool | None = None
    pack: bool | None = None
    replaced: Annotated[str, Field(max_length=40)] | None = Field(None, description="A device that failed and was replaced by a new one")
    satellite_away: bool | None = Field(None, description="Whether the satellite's lead is on the board's bind pad instead of its own")
    tilt_deg: Annotated[float, Field(ge=-180, le=180)] | None = Field(None, description="How far the craft is tilted")
    towards_deg: Annotated[float, Field(ge=-180, le=180)] | None = Field(None, description="Which way it is tilted: 0 nose down, 90 right side down")
    turn_deg: Annotated[float, Field(ge=-180, le=180)] | None = Field(None, description="Which way its nose points, clockwise from north")
    unsteady: bool | None = Field(None, description="Whether the hands shake that hold it")
    asking: Asking | Literal["nothing"] | None = Field(
        None, description="What is to be taken from the craft in hands: each as soon as it has been at rest for 2 s"
    )
    usb_so: bool | None = Field(None, description="Whether the pilot sees the USB socket point where it was found to")
    meter_v: Annotated[float, Field(ge=0, le=100)] | None = Field(None, description="What a meter shows at the pack, while the board reads it")
    clamp_a: Annotated[float, Field(ge=-10, le=500)] | None = Field(None, description="What a meter shows of the pack's current, while the board reads it")
    put_back_mah: Annotated[float, Field(ge=0, le=100_000)] | None = Field(None, description="What the charger has put back of what was used")
    cells_told: Annotated[int, Field(ge=0, le=14)] | None = Field(None, description="How many cells the pilot has counted; 0 takes that back")
    forget_power: bool | None = Field(None, description="What meter and charger said is forgotten")
    body: BodyTruth | None = Field(None, description="How the craft on the bench really is: its board's seat, its sensors")
    pack_here: Annotated[str, Field(max_length=60)] | None = Field(None, description="The pack that really lies there; empty: the one that was chosen")
    by: Annotated[str, Field(max_length=40)] = Field("", description="Whose hands these are; the server says it")
    props_off: bool | None = Field(None, description="The props are off and the craft is strapped down, says the pilot")
    turn: Annotated[str, Field(max_length=40)] | None = Field(
        None, description="The output whose motor turns while the key is held; said anew 20 times a second"
    )
    press: Annotated[str, Field(max_length=40)] | None = Field(None, description="Which press of the key this is, new for each")
    let_go: bool | None = Field(None, description="The key is up")
    moved: Corner | Literal["nothing"] | None = Field(None, description="Where a motor turned, in words")
    moved_turns: Turn | None = Field(None, description="And which way, seen from above")
    not_seen: bool | None = Field(None, description="Nobody saw it: turn it once more")
    forget_motors: bool | None = Field(None, description="What was answered for motors is forgotten")
    swap_wires: Annotated[str, Field(max_length=40)] | None = Field(None, description="The output of whose motor two of three wires are exchanged")
    solder_phase: Annotated[str, Field(max_length=40)] | None = Field(None, description="The output whose motor's open phase is soldered")
    learn_ends: Annotated[str, Field(max_length=40)] | None = Field(
        None, description="The output whose ESC is to learn the board's end points: the board asks it for full, and the pack goes in"
    )
    leave_ends: bool | None = Field(None, description="That is given up")
    drives: DrivesTruth | None = Field(None, description="How motors and servos on the bench really are")
    forget_centre: bool | None = Field(None, description="What centre learning came to is not kept")
    handled: Handled | None = Field(None, description="Hands were at it: what was proven of it before says nothing any more")
    compass: CompassMended | Literal["measured anew"] | None = Field(
        None, description="What hands did to the compass: what was seen of it before says nothing any more"
    )
    flown: FlownSaid | None = Field(None, description="What the pilot has seen at the first flight")
    surface_seen: SurfaceTold | None = Field(None, description="What the pilot has seen a surface do")
    gps_fix: bool | None = Field(None, description="Whether the GPS, where there is one, has a fix")
    home: bool | None = Field(None, description="Whether the fix is good enough for a home")
    pack_left_percent: Annotated[float, Field(ge=0, le=100)] | None = Field(None, description="The pack is as full as this from now on")
    tap: Annotated[str, Field(max_length=40)] | None = Field(None, description="The pin of the receiver whose wire the tap listens to")


class Act(HandsPart):
    """An act on the board. `request` comes back in the answer; `version` is the draft that is meant to be written."""

    type: Literal["act"] = "act"
    act: Literal["write", "read back", "restart", "measure anew", "keep line", "keep flight", "flash", "stop flashing"]
    request: Annotated[str, Field(min_length=1, max_length=64)]
    version: int | None = None
    flash: FlashOrder | None = Field(None, description="What to flash, or whose job to stop")


class Look(HandsPart):
    """Which hop is looked at; of the others nothing need be worked out but coin and findings."""

    type: Literal["look"] = "look"
    hop: Annotated[HopKey, Field(max_length=20)]


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


class Outage(BaseModel):
    """Nothing can be recorded since then (seconds since 1970, UTC), None: any more. The bench goes on; what it proves waits."""

    type: Literal["outage"] = "outage"
    since: float | None


class TurnLive(BaseModel):
    """What a key does just now: the output that turns (empty: none) and how far its command is, percent; `locked`: why no key does anything (empty: one would).

    `sight`: what eyes see of the craft on the bench, or saw before they answered.
    """

    output: str
    percent: float
    locked: str
    sight: str


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
    rssi_percent: float | None = Field(description="RSSI on its channel; None where none carries it")
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
    towards_deg: float
    turn_deg: float
    unsteady: bool
    gps_fix: bool | None = Field(description="Whether the GPS has a fix; None where none is fitted")
    home: bool | None = Field(description="Whether that is good enough for a home")
    moving: list[int] = Field(description="Channels that the finder sees on the move")
    jobs: list[JobState]
    loss_percent: float
    lq_percent: int
    light: Light
    light_means: str
    edges_per_s: int
    marks: str
    turn: TurnLive
    pace: float = Field(description="Bench time as a share of real time of late; under 1 where the machine cannot keep up")
    board: BoardLive

    def gist(self) -> str:
        """What of it changes by itself other than by noise: two that are alike show the same."""
        board = self.board
        hands = (self.left, self.right, self.switches, self.transmitter_on, self.usb, self.pack, self.failed, self.linked, self.light, self.transmitter_mode)
        seen = (self.moving, [(job.state, job.done) for job in self.jobs], self.loss_percent)
        held = (
            self.turn.output,
            self.turn.locked,
            self.turn.sight,
            board.powered,
            board.booting,
            board.link,
            board.armed,
            board.mode,
            board.port,
            [blocker.what for blocker in board.blockers],
        )
        return repr((hands, seen, held))


class LogLine(BaseModel):
    """Something that happened, in bench seconds."""

    t: float
    text: str


Told: Any = create_model(  # type: ignore[call-overload]
    "Told",
    __doc__="What is told of each hop; None of those that nobody looks at.",
    **{hop.field: (hop.tells | None, None) for hop in HOPS if hop.tells is not None},
)


class Report(BaseModel):
    """What is worked out from the signal, five times a second and at once after an act: of the whole chain, and of the hops that somebody looks at."""

    type: Literal["report"] = "report"
    t: float
    draft_version: int
    chain: list[HopState]
    findings: list[Finding]
    differences: list[Difference]
    on_board: BoardSettings | None
    restart_due: bool
    told: Told
    log: list[LogLine]


class Waiting(BaseModel):
    """There is no bench for this craft yet: what can be said without one, and what is needed."""

    type: Literal["waiting"] = "waiting"
    draft_version: int
    why: str
    judged: bool = Field(description="Whether findings were looked for: where not, none says nothing")
    chain: list[HopState]
    findings: list[Finding]


class BenchState(LinkKept, LoadKept):
    """What a bench keeps when it stops, so that the next one goes on from there: what each of its parts keeps, side by side."""

    stored: BoardSettings
    running: BoardSettings
    read_back: BoardSettings | None = None
    usb: bool = False
    pack: bool = True
    failed: dict[str, str] = Field(default_factory=dict, description="Devices that were destroyed, with the part that each of them was")
    foundations: dict[str, dict[str, str]] = Field(default_factory=dict, description="What the measurements were made with")
    satellite_away: bool = False
    tilt_deg: float = 0.0
    towards_deg: float = 90.0
    turn_deg: float = 0.0
    body: BodyTruth | None = None
    handled: dict[Handled, int] = Field(default_factory=dict, description="How often hands were at each")
    pack_here: str = ""
    drives: DrivesTruth | None = None
    airframe: AirframeMeasure = Field(default_factory=AirframeMeasure)
    read_mah: float = 0.0
    drawn_s: float = 0.0
    gps_fix: bool = True
    home: bool = True
    used_mah: float = 0.0
    sticks: SticksMeasure = Field(default_factory=SticksMeasure)
    measured: SwitchMeasure = Field(default_factory=SwitchMeasure)
    loss: LossRun | None = None

    def keep(self) -> dict[str, Any]:
        """As JSON data."""
        return self.model_dump(mode="json")
