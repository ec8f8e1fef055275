"""The craft document, version 1. Its JSON Schema is written to docs/craft.schema.json."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Annotated, Any, Literal, get_args

from jsonpatch import JsonPatch, JsonPatchException
from jsonpointer import JsonPointerException
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError, model_validator

from linkcore.craft.facing import Facing
from linkcore.craft.names import setting_name, value_in_words
from linkcore.findings import Edit
from linkcore.marks import LATER
from linkcore.parts.axes import ChannelOrder, StickAxis
from linkcore.parts.models import MOST_PORTS, DriveKind, Job, OnLoss, PortName, Region, Sensor, VideoFormat
from linkcore.parts.sensor_names import SENSORS, SensorName

FORMAT = "coin-bell/craft"
VERSION = 1


Us = Annotated[float, Field(ge=800, le=2200)]
Mode = Literal[
    "angle",
    "horizon",
    "manual",
    "altitude hold",
    "position hold",
    "return home",
    "loiter",
    "guard",
    "beeper",
    "lost-link test",
    "onboard log",
    "centre learning",
    "throw launch",
]
Airframe = Literal["quad X", "quad plus", "tri", "hexa", "plane", "wing", "rover", "boat"]
Props = Literal["in", "out"]
Response = Annotated[
    Literal["motors off", "land", "return home", "loiter"], BeforeValidator(lambda said: "motors off" if said == "drop" else said)
]  # as it was called before
Layout = Literal["plain", "helicopter", "elevons", "flaps"]


class _Section(BaseModel):
    model_config = ConfigDict(extra="forbid")


class CraftError(ValueError):
    """A craft document cannot be taken. The text says where and what to do."""


RECEIVER = "receiver"  # the receiver's name among the devices
PACK = "pack leads"  # what the board's own feed is called in the wire list
DeviceName = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9 ]{0,29}$", description="Letters, digits and spaces; `receiver` and `pack leads` are taken")]
PartRef = Annotated[str, Field(max_length=60, description="A part's id; empty where none is chosen yet")]


SurfaceRole = Literal[
    "left aileron",
    "right aileron",
    "aileron",
    "elevator",
    "rudder",
    "left elevon",
    "right elevon",
    "left V-tail",
    "right V-tail",
    "tail servo",
]
ServoRole = Literal[SurfaceRole, "something else"]


class Fitted(_Section):
    """A peripheral of this craft: what it is called here, and its part id; `role`: what a servo moves, None until the pilot has chosen it; `format`: what a camera is set to, None: as its maker left it."""

    name: DeviceName
    part: PartRef
    role: ServoRole | None = None
    format: Annotated[VideoFormat | None, LATER] = None


class Kit(_Section):
    """Part ids; an empty one is not chosen yet. `module` sits in the transmitter's bay; `pack` is what it flies on."""

    board: PartRef = ""
    receiver: PartRef = ""
    transmitter: PartRef = ""
    module: Annotated[PartRef, LATER] = ""
    pack: Annotated[PartRef, LATER] = ""
    devices: list[Fitted] = Field(default_factory=list, max_length=32)
    jumper_fitted: Annotated[bool, LATER] = Field(False, description="Whether the receiver's jumper is on")

    @model_validator(mode="after")
    def _names_once(self) -> Kit:
        names = [RECEIVER, PACK, *(device.name for device in self.devices)]
        twice = next((name for name, count in Counter(names).items() if count > 1), None)
        if twice:
            raise ValueError(f"two devices are called {twice}; give one of them another name")
        return self

    @property
    def whole(self) -> bool:
        """Whether board, receiver and transmitter are chosen."""
        return bool(self.board and self.receiver and self.transmitter)


class Wants(_Section):
    """What the craft must be able to do; the kit is judged by it."""

    channels: int = Field(5, ge=1, le=18)
    telemetry: bool = False
    region: Region | None = None
    sensors: list[Sensor] = Field(["gyro", "accelerometer"], max_length=10, description="Each of them once; there are ten kinds")


class Patch(_Section):
    """One wire from a device's pin to a pad. `fixed`: it stays where it is; `inverter`: an external one sits in it."""

    device: DeviceName
    pin: str = Field(min_length=1, max_length=40)
    pad: str = Field(min_length=1, max_length=40)
    fixed: bool = False
    inverter: bool = False


Percent = Annotated[float, Field(ge=-150, le=150)]


CURVE_POINTS, MIXES = (
    13,
    24,
)  # what a model memory holds: a curve with a point every sixth of the way to either side; a mix and a half a channel (ours). Longer ones from before stay
_CURVE_POINTS_BEFORE, _MIXES_BEFORE = 17, 32


class ChannelSetup(_Section):
    """How the transmitter makes one channel. Travel in percent of its own 100 %, sub-trim in us; `source` a stick's axis, a switch, or empty.

    `curve`: what leaves for what comes in, at places evenly spaced from -100 to 100 percent; empty: straight.
    """

    source: str = Field(max_length=40)
    reverse: bool = False
    sub_trim_us: float = Field(0, ge=-200, le=200)
    travel_low_percent: float = Field(125, ge=0, le=150)
    travel_high_percent: float = Field(125, ge=0, le=150)
    curve: Annotated[list[Annotated[float, Field(ge=-100, le=100)]], LATER] = Field(default_factory=list, max_length=_CURVE_POINTS_BEFORE)

    @model_validator(mode="after")
    def _two_points(self) -> ChannelSetup:
        if len(self.curve) == 1:
            raise ValueError("a curve needs two points or more, or none for a straight line")
        return self


class Mix(_Section):
    """`percent` of a source is added to channel `to` (from 1)."""

    to: int = Field(ge=1, le=18)
    source: str = Field(max_length=40)
    percent: Percent


class Rate(_Section):
    """A stick's axis is made smaller (`percent`) or softer about its middle (`expo_percent`): always, or while a switch is in a position."""

    axis: StickAxis
    percent: float = Field(100, ge=0, le=150)
    expo_percent: float = Field(0, ge=-100, le=100)
    switch: str = Field("", max_length=40)
    position: int = Field(0, ge=0, le=2)


class TransmitterSetup(_Section):
    """The transmitter's model memory. `made_for`: the part it was made on, where that is known; `slot`: which of its memories it is.

    `layout`: what the memory was begun as; every layout but the plain one mixes channels by itself. `trims_us`: the trims beside the sticks.
    """

    made_for: str = Field("", max_length=40)
    slot: Annotated[int, LATER] = Field(1, ge=1, le=10)
    module: Annotated[Literal["own radio", "module bay"] | None, LATER] = None
    layout: Annotated[Layout, LATER] = "plain"
    stick_mode: Literal[1, 2, 3, 4] = 2
    channel_order: ChannelOrder = "AETR"
    channels: list[ChannelSetup] = Field(min_length=4, max_length=16)
    mixes: Annotated[list[Mix], LATER] = Field(default_factory=list, max_length=_MIXES_BEFORE)
    rates: Annotated[list[Rate], LATER] = Field(default_factory=list, max_length=16)
    trims_us: Annotated[dict[StickAxis, Annotated[float, Field(ge=-200, le=200)]], LATER] = Field(default_factory=dict)

    def source(self, channel: int) -> str:
        """What drives a channel (from 1); empty where nothing does."""
        return self.channels[channel - 1].source if 1 <= channel <= len(self.channels) else ""


class ReceiverSetup(_Section):
    """What the receiver does when the radio link dies."""

    on_loss: OnLoss = "no pulses"
    preset_us: list[Us] = Field(default_factory=list, max_length=16)


class AirSetup(_Section):
    """What the link budget reckons with. None: worked out from the parts and the region."""

    power_dbm: float | None = Field(None, ge=-10, le=40)
    transmitter_gain_dbi: float = Field(2, ge=-10, le=20)
    receiver_gain_dbi: float = Field(2, ge=-10, le=20)
    other_losses_db: float = Field(3, ge=0, le=40)
    frequency_mhz: float | None = Field(None, ge=100, le=6000)
    rate_hz: float | None = Field(None, gt=0, le=1000)


class ReceiverInput(_Section):
    """How the receiver's port is sampled and decoded. `half_duplex`: both ways on the port's TX pad."""

    protocol: str | None = Field(None, max_length=40)
    inverted: bool = False
    half_duplex: bool = False

    def edits(self) -> tuple[Edit, ...]:
        """Edits of a craft document that give the board's receiver input these settings."""
        return tuple(Edit(path=f"/settings/receiver_input/{name}", value=value) for name, value in self.model_dump().items())


class Band(_Section):
    """A stretch of a channel's travel, us: `low` is in it, `high` is not, so that bands which touch share nothing. `channel` counts from 1."""

    channel: int = Field(ge=1, le=18)
    low: Us
    high: Us

    @model_validator(mode="after")
    def _ordered(self) -> Band:
        if self.low >= self.high:
            raise ValueError(f"a band from {self.low:g} to {self.high:g} us is empty; low must be below high")
        return self

    def holds(self, us: float) -> bool:
        """Whether a channel value lies in the band."""
        return self.low <= us < self.high


class ModeBand(Band):
    """A band that turns a flight mode on."""

    mode: Mode


class StickLines(_Section):
    """Values below and above which a stick counts as fully low or high, us."""

    low: Us = 1080
    high: Us = 1920


class Deadband(_Section):
    """How far a stick may be from the centre and still count as there, us."""

    sticks_us: int = Field(0, ge=0, le=100)
    yaw_us: int = Field(0, ge=0, le=100)


class StickArming(_Section):
    """Arming with the yaw stick at its right stop and throttle low. `timeout_s`: with throttle low for so long it disarms by itself; 0: never."""

    hold_ms: int = Field(800, ge=200, le=5000)
    timeout_s: int = Field(10, ge=0, le=60)


SwitchChannel = Annotated[int, Field(ge=5, le=18)]


class LostLink(_Section):
    """Grace in ms, what the channels fall back to, what the craft does, and what ends that.

    Fallback: roll, pitch and yaw rest in the middle; throttle goes *low* (to where the motors stop), holds, or takes `throttle_us`; every switch channel holds, or takes its value in `switches_us`.
    `descent_mps`, `return_height_m`, `return_mps`: how fast it comes down, how high and how fast through the air it flies home. `hover_percent`: the motors' share at which it hovers, None where nobody
    has measured it. `without_home`: what stands in for a return while there is no home. `throttle_low_s`: throttle low for so long before the loss counts as landed; 0: never.
    `ends`: what ends a response once the link is back; `moved_us`: how far a stick must have moved for it.
    """

    grace_ms: int = Field(400, ge=40, le=5000)
    throttle_fallback: Literal["low", "hold", "value"] = "low"
    throttle_us: Annotated[Us, LATER] = 1300
    switches_us: Annotated[dict[SwitchChannel, Us], LATER] = Field(default_factory=dict, max_length=14)
    response: Response = "motors off"
    descent_mps: Annotated[float, LATER] = Field(1.5, ge=0.3, le=3)
    hover_percent: Annotated[float | None, LATER] = Field(None, ge=10, le=90)
    return_height_m: Annotated[int, LATER] = Field(40, ge=5, le=500)
    return_mps: Annotated[float, LATER] = Field(10, ge=2, le=40)
    climb_first: Annotated[bool, LATER] = True
    at_home: Annotated[Literal["land", "circle"], LATER] = "land"
    without_home: Annotated[Literal["no arming", "motors off"], LATER] = "no arming"
    throttle_low_s: Annotated[int, LATER] = Field(0, ge=0, le=60)
    ends: Annotated[Literal["at once", "sticks moved"], LATER] = "sticks moved"
    moved_us: Annotated[int, LATER] = Field(60, ge=20, le=300)


class TelemetrySetup(_Section):
    """What the board tells, and how it speaks on the port with the telemetry job. On the receiver's own wire (CRSF, F.Port) it answers as it is spoken to: there only `on` and `off` count.

    `protocol`: None where none is chosen, and then nothing is said on that port; `inverted`: it idles low; `half_duplex`: both ways on the port's TX pad. `off`: sensors that are not told.
    """

    on: bool = True
    protocol: str | None = Field(None, max_length=40)
    inverted: bool = False
    half_duplex: bool = False
    off: list[SensorName] = Field(default_factory=list, max_length=len(SENSORS))

    def edits(self) -> tuple[Edit, ...]:
        """Edits of a craft document that have the board speak so."""
        return tuple(Edit(path=f"/settings/telemetry/{name}", value=getattr(self, name)) for name in ("protocol", "inverted", "half_duplex"))


ElementName = Literal[
    "cell voltage",
    "voltage",
    "charge left",
    "used",
    "LQ",
    "RSSI",
    "flight mode",
    "armed for",
    "distance",
    "height",
    "climb rate",
    "speed",
    "current",
    "satellites",
    "heading",
    "motor speed",
    "ESC temperature",
]
ELEMENTS: tuple[ElementName, ...] = get_args(ElementName)  # what can kill comes first


class ScreenElement(_Section):
    """A value on the picture: where its first character stands, counted from 1 at the top left; `line`: marked once the value is below it, or `above`; None: never."""

    element: ElementName
    column: int = Field(ge=1, le=99)
    row: int = Field(ge=1, le=99)
    line: float | None = Field(None, ge=-1000, le=100_000)
    above: bool = False


class ScreenSetup(_Section):
    """The on-screen display: what the board writes on the picture."""

    elements: list[ScreenElement] = Field(default_factory=list, max_length=2 * len(ELEMENTS))


Baud = Annotated[int, Field(ge=1200, le=1_000_000)]


class LevelTrim(_Section):
    """What the board takes for level, against its facing: roll right side down, pitch nose up."""

    roll_deg: float = Field(0, ge=-20, le=20)
    pitch_deg: float = Field(0, ge=-20, le=20)


_Axes = Annotated[list[float], Field(min_length=3, max_length=3)]


class AccelerometerSetup(_Section):
    """What is taken off each of the board's axes, g, and what the rest is multiplied by: true = scale x (read - offset)."""

    offset_g: _Axes = Field(default_factory=lambda: [0.0, 0.0, 0.0])
    scale: _Axes = Field(default_factory=lambda: [1.0, 1.0, 1.0])

    @model_validator(mode="after")
    def _possible(self) -> AccelerometerSetup:
        if not all(abs(each) <= 0.5 for each in self.offset_g) or not all(0.5 <= each <= 1.5 for each in self.scale):
            raise ValueError("an accelerometer's offset is within 0.5 g, and its scale from 0.5 to 1.5")
        return self


OutputRole = Literal[
    "front left motor",
    "front right motor",
    "rear left motor",
    "rear right motor",
    "front motor",
    "rear motor",
    "left motor",
    "right motor",
    "motor",
    SurfaceRole,
    "another servo",
]


class ServoSetup(_Section):
    """How the board drives one servo: its pulse in the middle, and how far it goes to either side, us."""

    neutral_us: int = Field(1500, ge=1300, le=1700)
    low_us: int = Field(1000, ge=800, le=1500)
    high_us: int = Field(2000, ge=1500, le=2200)

    @model_validator(mode="after")
    def _ordered(self) -> ServoSetup:
        if not self.low_us < self.neutral_us < self.high_us:
            raise ValueError(f"a servo's neutral lies between its ends: {self.low_us}, {self.neutral_us}, {self.high_us} us do not")
        return self


class MixingSetup(_Section):
    """What the board makes of its commands: for which layout it mixes (None: what its craft is), what each output drives, and how often its servos get a pulse.

    `props`: which way a multirotor's propellers turn; *in*: the front left one clockwise, seen from above.
    """

    layout: Airframe | None = None
    props: Annotated[Props, LATER] = "in"
    outputs: dict[Annotated[str, Field(max_length=40)], OutputRole] = Field(default_factory=dict, max_length=24)
    servo_hz: int = Field(50, ge=40, le=400)


MOST_IDLE_PERCENT = 20


class DriveSetup(_Section):
    """How the board speaks to its ESCs. `pulse_hz`: how often, where it sends pulses; `loop_hz`: how often it steadies, None: as often as its maker meant; `idle_percent`: what armed motors are asked at the least."""

    kind: DriveKind = "analog pulses"
    pulse_hz: int = Field(400, ge=50, le=32_000)
    loop_hz: int | None = Field(None, ge=250, le=32_000)
    idle_percent: float = Field(6, ge=2, le=MOST_IDLE_PERCENT)


class AxisAnswer(_Section):
    """How fast full stick turns the craft about an axis, degrees a second (None: as fast as its airframe gives), and how much softer it is about the middle."""

    most_dps: int | None = Field(None, ge=10, le=2000)
    soft_percent: int = Field(0, ge=0, le=100)


class AnswerSetup(_Section):
    """The same of each axis."""

    roll: AxisAnswer = Field(default_factory=AxisAnswer)
    pitch: AxisAnswer = Field(default_factory=AxisAnswer)
    yaw: AxisAnswer = Field(default_factory=AxisAnswer)


class PowerSetup(_Section):
    """How the board reads its pack. True volts = voltage_scale x read; true amperes = current_slope x read + current_offset_a.

    `cells`: None: it counts them by itself as the pack is plugged in; `capacity_mah`: None: it does not tell what is left.
    """

    voltage_scale: float = Field(1, ge=0.5, le=2)
    current_slope: float = Field(1, ge=0.2, le=5)
    current_offset_a: float = Field(0, ge=-20, le=20)
    cells: int | None = Field(None, ge=1, le=14)
    capacity_mah: int | None = Field(None, ge=50, le=100_000)


class BoardSettings(_Section):
    """All that is written to the board and read back from it."""

    ports: dict[PortName, Job] = Field(max_length=MOST_PORTS)
    receiver_input: ReceiverInput = Field(default_factory=ReceiverInput)
    channel_map: ChannelOrder = "AETR"
    stick_lines: StickLines = Field(default_factory=StickLines)
    deadband: Deadband = Field(default_factory=Deadband)
    arm_by: Literal["switch", "stick"] = "switch"
    arming: Band | None = None
    stick_arming: StickArming = Field(default_factory=StickArming)
    modes: list[ModeBand] = Field(default_factory=list, max_length=40)
    servo_reverse: list[DeviceName] = Field(default_factory=list, max_length=16, description="Servos that the board turns the other way")
    servos: Annotated[dict[DeviceName, ServoSetup], LATER] = Field(
        default_factory=dict, max_length=16, description="Servos whose middle or ends are not the usual ones"
    )
    lost_link: LostLink = Field(default_factory=LostLink)
    rssi_channel: Annotated[int | None, LATER] = Field(None, ge=5, le=18, description="The channel on which the receiver tells RSSI")
    rssi_falls: Annotated[bool, LATER] = Field(True, description="Whether RSSI falls to its lowest once the link is lost; else it stays as it was")
    telemetry: Annotated[TelemetrySetup, LATER] = Field(default_factory=TelemetrySetup)
    port_baud: Annotated[dict[PortName, Baud], LATER] = Field(
        default_factory=dict, max_length=MOST_PORTS, description="Ports that listen at another rate than what is usual for their job"
    )
    screen: Annotated[ScreenSetup, LATER] = Field(default_factory=ScreenSetup, description="The on-screen display")
    facing: Annotated[Facing, LATER] = Field(default_factory=Facing, description="How the board sits in the craft")
    level: Annotated[LevelTrim, LATER] = Field(default_factory=LevelTrim, description="What the board takes for level")
    accelerometer: Annotated[AccelerometerSetup, LATER] = Field(default_factory=AccelerometerSetup, description="What makes its readings right")
    mixing: Annotated[MixingSetup, LATER] = Field(default_factory=MixingSetup, description="Layout, outputs and servo rate")
    drive: Annotated[DriveSetup, LATER] = Field(default_factory=DriveSetup, description="How the board speaks to its ESCs")
    answer: Annotated[AnswerSetup, LATER] = Field(default_factory=AnswerSetup, description="How the craft answers its sticks")
    power: Annotated[PowerSetup, LATER] = Field(default_factory=PowerSetup, description="How the board reads its pack")
    reversing_drives: Annotated[bool, LATER] = Field(False, description="Drives turn both ways: they stand still at 1500 us, not at 1000")
    bind_count: int = Field(0, ge=0, le=10, description="Bind pulses for a satellite at power-up; 0 in use")

    def receiver_ports(self) -> list[str]:
        """The ports that have the receiver job."""
        return [port for port, job in self.ports.items() if job == "receiver input"]


Feed = Literal["pack", "nothing"]


class Place(_Section):
    """Where the craft flies, what it weighs, and how it is under way when the link dies: away from home, with the wind (for a boat the current) in its back, which is the worst.

    `speed_mps`: through the air, or the water; `height_m`: above the ground; `obstacle_height_m`: of what stands around, and `obstacle_m` how far ahead the nearest of it is (a shore, too), None where nothing is;
    `rise_m`: how much higher the ground is towards home; `home_m`: how far home is; `thrust_ratio`: the most that its motors pull, by its weight. `people_m`, `energy_limit_j`: how far people are, and
    what a blow may have at most, where the pilot gave them.
    """

    mass_kg: float = Field(ge=0.05, le=25)
    thrust_ratio: float = Field(ge=0.1, le=15)
    speed_mps: float = Field(ge=0, le=60)
    height_m: float = Field(ge=0, le=3000)
    wind_mps: float = Field(0, ge=0, le=25)
    obstacle_height_m: float = Field(0, ge=0, le=300)
    obstacle_m: float | None = Field(None, ge=0, le=50_000)
    rise_m: float = Field(0, ge=-200, le=500)
    home_m: float = Field(ge=0, le=50_000)
    pack_left_percent: float = Field(70, ge=0, le=100)
    people_m: float | None = Field(None, ge=0, le=50_000)
    energy_limit_j: float | None = Field(None, ge=0, le=100_000)
    water: bool = Field(False, description="Whether it flies over water")
    somebody_home: bool = Field(True, description="Whether somebody stands where it was armed")
    vented: bool = Field(False, description="Whether the barometer is shielded from the wind of flight")


class AlarmSet(_Section):
    """The alarm line that this craft has, and where it comes from: loss begins at `begins_at` (or lower, where that is only a bound), by a flight's log of that name."""

    signal: Literal["rssi_dbm", "rssi_percent", "lq_percent"]
    begins_at: float = Field(ge=-200, le=100)
    only_a_bound: bool = False
    line: float = Field(ge=-200, le=160)
    log: str = Field("", max_length=120)


Notice = Literal["pack low", "signal weak", "telemetry gone", "wrong mode", "too far", "too high"]
AlarmWay = Literal["spoken", "tone", "buzz", "beeper"]


class Alarm(_Section):
    """What is told in flight, and when. The transmitter tells it (`spoken`, `tone`, `buzz`), from telemetry; the craft's `beeper` the board, from what it knows itself.

    `sensor`: whose value crosses `limit` (in the unit that it is told in; of a position the distance from where it was first, m), `above` or below it; of *telemetry gone* and *wrong mode* there is no
    limit. It has to stay so for `delay_s`, ends once it is back by `hysteresis`, and is told again every `repeat_s` (0: once).
    """

    notice: Notice
    sensor: SensorName | None = None
    limit: float = Field(0, ge=-1000, le=100_000)
    above: bool = False
    hysteresis: float = Field(0, ge=0, le=1000)
    delay_s: float = Field(0, ge=0, le=60)
    told: list[AlarmWay] = Field(default_factory=list, max_length=4)
    repeat_s: float = Field(10, ge=0, le=300)


MOST_ALARMS = 16


class CraftDocument(_Section):
    """One craft: its parts, its wires, both ends' set-up, and the settings meant for its board."""

    format: Literal["coin-bell/craft"] = "coin-bell/craft"
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=60)
    airframe: Airframe = "quad X"
    about: str = Field("", max_length=200)
    kit: Kit = Field(default_factory=Kit)
    wants: Wants = Field(default_factory=Wants)
    wiring: list[Patch] = Field(default_factory=list, max_length=200)
    feed: Annotated[Feed, LATER] = Field("pack", description="What feeds the board in flight: the pack, by its own leads, or nothing yet")
    transmitter: TransmitterSetup
    receiver: ReceiverSetup = Field(default_factory=ReceiverSetup)
    air: AirSetup = Field(default_factory=AirSetup)
    servos_turned: dict[DeviceName, bool] = Field(
        default_factory=dict, max_length=16, description="As was noted of the craft: whether a servo sits the other way round"
    )
    place: Annotated[Place | None, LATER] = Field(None, description="Where it flies; none: what is usual for its airframe")
    alarm: Annotated[AlarmSet | None, LATER] = Field(None, description="The alarm line of the link, from a flight's log")
    alarms: Annotated[list[Alarm], LATER] = Field(default_factory=list, max_length=MOST_ALARMS, description="What is told in flight, and when")
    acro_wanted: bool = Field(False, description="The pilot has said that acro where no mode is on is what they want")
    settings: BoardSettings

    def pad_of(self, pin: str, device: str = RECEIVER) -> str | None:
        """The pad that a device's pin is soldered to."""
        return next((patch.pad for patch in self.wiring if patch.device == device and patch.pin == pin), None)


def load(data: Any) -> CraftDocument:
    """Validate a document from JSON data; raise CraftError that names the place and what to do."""
    if not isinstance(data, Mapping) or data.get("format") != FORMAT:
        raise CraftError(f"this is no craft document: its format is not {FORMAT!r}")
    version = data.get("version")
    if isinstance(version, int) and version > VERSION:
        raise CraftError(
            f"this craft was written by a newer Coin Bell (document version {version}; this one reads up to {VERSION}). Update Coin Bell, then open it again; nothing was changed"
        )
    try:
        return CraftDocument.model_validate(data)
    except ValidationError as error:
        raise CraftError(first_fault(error)) from error


def first_fault(error: ValidationError) -> str:
    """The first thing that does not fit, with its place, and how many more there are."""
    first = error.errors()[0]
    place = "/".join(str(step) for step in first["loc"]) or "document"
    more = f" ({error.error_count() - 1} more)" if error.error_count() > 1 else ""
    return f"{place}: {first['msg'].removeprefix('Value error, ')}{more}"


def apply_edits(document: CraftDocument, edits: Iterable[Edit]) -> CraftDocument:
    """A new document with the edits made; raise CraftError where a path leads nowhere or a value does not fit.

    Each edit is the operation *replace* of a JSON Patch (RFC 6902): what is at its path must be there.
    """
    data = document.model_dump(mode="json")
    for edit in edits:
        try:
            data = JsonPatch([{"op": "replace", "path": edit.path, "value": edit.value}]).apply(data, in_place=True)
        except (JsonPatchException, JsonPointerException) as error:
            raise CraftError(f"{edit.path}: no such place in the craft document") from error
    return load(data)


class Difference(BaseModel):
    """One setting that differs: its path within the settings, the draft's value and the board's; and all three in words."""

    path: str
    draft: Any
    on_board: Any
    name: str
    draft_says: str
    on_board_says: str
    because: Literal["rounded", "not in this firmware", "not written"]
    take: Edit = Field(description="Takes the board's value into the draft")


def differences(draft: BoardSettings, on_board: BoardSettings, as_kept: BoardSettings | None = None) -> list[Difference]:
    """Which settings differ, leaf by leaf, in the order of the document. `as_kept`: what the board's memory makes of the draft, which tells why."""
    kept = (as_kept or draft).model_dump(mode="json")
    held, plain = on_board.model_dump(mode="json"), BoardSettings(ports=draft.ports).model_dump(mode="json")
    found: list[Difference] = []

    def walk(path: str, left: Any, right: Any) -> None:
        if isinstance(left, dict) and isinstance(right, dict):
            for key in list(left) + [key for key in right if key not in left]:
                walk(f"{path}/{key}", left.get(key), right.get(key))
        elif isinstance(left, list) and isinstance(right, list):
            for index in range(max(len(left), len(right))):
                walk(f"{path}/{index}", left[index] if index < len(left) else None, right[index] if index < len(right) else None)
        elif left != right:
            words = {"name": setting_name(path), "draft_says": value_in_words(left, path), "on_board_says": value_in_words(right, path)}
            would_be = _at(kept, path)
            rounded = "not in this firmware" if would_be == _at(plain, path) and not isinstance(right, (int, float)) else "rounded"
            because = "not written" if would_be != right or would_be == left else rounded
            section = path.split("/")[1]
            whole = isinstance(left, type(None)) or isinstance(right, type(None))
            take = Edit(path=f"/settings/{section}", value=held[section]) if whole else Edit(path=f"/settings{path}", value=right)
            found.append(Difference(path=path, draft=left, on_board=right, **words, because=because, take=take))

    walk("", draft.model_dump(mode="json"), on_board.model_dump(mode="json"))
    return found


def _at(data: Any, path: str) -> Any:
    """What stands at a path of JSON data; None where it leads nowhere."""
    for step in path.strip("/").split("/"):
        inside = {str(index): each for index, each in enumerate(data)} if isinstance(data, list) else data
        data = inside.get(step) if isinstance(inside, dict) else None
    return data
