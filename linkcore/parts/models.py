"""The facts about a part that later hops compute with. Currents in mA, supplies in V, values in us, times in s."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, computed_field, model_validator

from linkcore.marks import LATER
from linkcore.parts.axes import ChannelOrder, StickAxis
from linkcore.parts.renamed import AirNameNow, FamilyNow
from linkcore.parts.sensitivity import sensitivity_dbm

McuClass = Literal["F1", "F3", "F4", "F7", "H7"]
DriveKind = Literal["analog pulses", "shortened pulses", "digital"]
PadKind = Literal["rx", "tx", "input", "output", "buzzer", "camera", "video", "supply", "ground"]
VideoFormat = Literal["PAL", "NTSC", "digital"]
Inverter = Literal["none", "in", "out", "both ways"]
PinKind = Literal["signal out", "signal in", "signal both", "supply", "supply out", "ground"]
OnLoss = Literal["hold", "no pulses", "preset"]
Region = Literal["FCC", "LBT", "868", "915"]
RadioBand = Literal["2.4 GHz", "900 MHz"]
Sensor = Literal["gyro", "accelerometer", "barometer", "magnetometer", "GPS", "flow", "range", "airspeed", "voltage", "current"]
Job = Literal[
    "free",
    "receiver input",
    "telemetry",
    "GPS",
    "video link",
    "video transmitter control",
    "ESC telemetry",
    "flow sensor",
    "bench link",
]

# Wire facts, section 0: only these classes can invert inside the UART.
INVERTING_CLASSES: frozenset[McuClass] = frozenset(("F3", "F7", "H7"))
LEVEL_WITHIN_DEG = 18.0  # a slope of one in three: nothing is set down on a steeper one, so the craft lies on its side or in a hand
SOFTWARE_BAUD = 19200  # what timers and interrupts can follow without losing bits; our figure

# How firmware gets into a device: the board's button or its own program, over the link, through the board, an adapter on the device's pins, a socket of its own.
WayIn = Literal["button", "request", "over the air", "bridge", "adapter", "own port"]
BindWay = Literal["button", "menu", "power cycles", "register", "phrase", "count"]
Colour = Literal["none", "red", "green", "blue", "amber"]
Pattern = Literal["off", "steady", "slow blink", "fast blink", "double blink"]
LightState = Literal["unbound", "bind", "registering", "registered", "bound", "no link", "linked", "bootloader"]

Name = Annotated[str, Field(min_length=1, max_length=40)]
VersionText = Annotated[str, Field(pattern=r"^\d{1,3}\.\d{1,3}\.\d{1,3}$", description="Three numbers with dots between, as in 3.1.0")]
Target = Annotated[str, Field(pattern=r"^[A-Z0-9][A-Z0-9 -]{0,39}$", description="Capital letters, digits, spaces and hyphens")]
# What no part of the trade comes near: a controller has up to ten UARTs and a few soft ones, its largest carries some hundred pads.
MOST_PORTS, MOST_PADS, MOST_RAILS, MOST_PINS = 16, 200, 16, 48
PortName = Annotated[str, Field(min_length=1, max_length=40)]
Sensors = Annotated[tuple[Sensor, ...], Field(max_length=10)]
Regions = Annotated[tuple[Region, ...], Field(min_length=1, max_length=4)]
PartId = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,59}$", description="Lower-case letters, digits and hyphens")]
Volts = Annotated[float, Field(ge=0, le=60)]
Milliamps = Annotated[int, Field(ge=0, le=60000)]


class _Fact(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with some facts otherwise; what was worked out of the old ones is left behind."""
        copied = super().model_copy(update=update, deep=deep)
        for name in copied.__dict__.keys() - type(self).model_fields.keys():
            del copied.__dict__[name]
        return copied


def _once(names: list[str], what: str) -> None:
    twice = [name for name, count in Counter(names).items() if count > 1]
    if twice:
        raise ValueError(f"{what} {twice[0]} is there twice; each needs a name of its own")


class Supply(_Fact):
    """What a device asks of its rail: its range, its usual and its peak current."""

    min_volts: Volts
    max_volts: Volts
    ma: Milliamps
    peak_ma: Milliamps

    @model_validator(mode="after")
    def _possible(self) -> Supply:
        if self.min_volts > self.max_volts:
            raise ValueError(f"a supply from {self.min_volts:g} to {self.max_volts:g} V is no range; the lowest voltage comes first")
        if self.ma > self.peak_ma:
            raise ValueError(f"the peak current, {self.peak_ma} mA, is below the usual one, {self.ma} mA")
        return self

    def bears(self, volts: float) -> bool:
        """Whether the device runs on that voltage and survives it."""
        return self.min_volts <= volts <= self.max_volts


class Pin(_Fact):
    """A device's pin, named from the device's side. `volts`: the level it drives; `max_volts`: the highest level it bears as an input.

    `goes_to` names the pad of a signal that needs no port; `lead` the plug it shares with its supply and ground.
    """

    name: Name
    kind: PinKind
    volts: Volts = 3.3
    max_volts: Volts = 3.6
    goes_to: Literal["port", "output", "buzzer", "camera", "video"] = "port"
    lead: Name | None = None
    bec: Literal["switching", "linear"] | None = None

    @model_validator(mode="after")
    def _possible(self) -> Pin:
        if (self.bec is not None) != (self.kind == "supply out"):
            raise ValueError(f"pin {self.name}: only a pin that gives supply has a BEC, and it says which kind")
        return self


DeviceProtocol = Literal["NMEA", "UBX", "ESC telemetry", "MAVLink", "S.Port", "text frame"]


class Serial(_Fact):
    """A serial line. `sends` and `listens` are pin names; one and the same for half duplex. `protocol`: what its bytes are, where that is known."""

    baud: int = Field(ge=1200, le=5_000_000)
    inverted: bool = False
    protocol: Annotated[DeviceProtocol | None, LATER] = None
    sends: Name | None = None
    listens: Name | None = None

    @property
    def half_duplex(self) -> bool:
        """Both ways on one wire."""
        return self.sends is not None and self.sends == self.listens


class _Device(_Fact):
    id: PartId
    name: Name
    about: str = Field("", max_length=200)
    pins: tuple[Pin, ...] = Field(max_length=MOST_PINS)

    def pin(self, kind: str) -> Pin | None:
        """The first pin of a kind."""
        return next((pin for pin in self.pins if pin.kind == kind), None)

    def pin_called(self, name: str) -> Pin | None:
        """The pin called `name`."""
        return next((pin for pin in self.pins if pin.name == name), None)

    def _pins_possible(self, used: list[str | None]) -> None:
        _once([pin.name for pin in self.pins], "pin")
        for name in used:
            if name is not None and self.pin_called(name) is None:
                raise ValueError(f"there is no pin {name}; it is named as a signal's pin")


class Rail(_Fact):
    """A supply rail of a board: its voltage on the pack and on USB alone (None: dead there), and what it can give."""

    name: Name
    volts: Volts
    usb_volts: Volts | None = None
    limit_ma: Milliamps
    usb_limit_ma: Milliamps = 0
    source: Literal["board", "pack", "outside"] = "board"

    @model_validator(mode="after")
    def _possible(self) -> Rail:
        if self.usb_volts is not None and self.usb_volts > 5.25:
            raise ValueError(f"rail {self.name}: USB gives 5 V, so it cannot stand at {self.usb_volts:g} V on USB alone")
        if self.usb_volts is None and self.usb_limit_ma:
            raise ValueError(f"rail {self.name}: it is dead on USB alone, so it has no limit there")
        return self


class Pad(_Fact):
    """One pad. `side` and `place` (0 to 1 along that side) say where it sits on the board.

    `pin`: the MCU's pin, where another pad shares it; `reads`: pulses that a timer measures here; `inverter`: an inverter that sits on it;
    `max_volts`: the highest level it bears; `column`: which column of a three-row header it is in; `digital`: of an output, whether its timer can send digital commands.
    """

    name: Name
    kind: PadKind
    port: Name | None = None
    rail: Name | None = None
    side: Literal["left", "right"]
    place: float = Field(ge=0, le=1)
    inverter: Inverter = "none"
    pin: Name | None = None
    reads: tuple[Literal["PPM", "PWM"], ...] = Field((), max_length=2)
    max_volts: Volts = 5.5
    column: Name | None = None
    digital: Annotated[bool, LATER] = True
    also: str = Field("", max_length=60)


class Flash(_Fact):
    """The memory that a device's firmware is written to, behind a bootloader that stays. Addresses and sizes in bytes.

    `target`: what its images are built for; `bootloader` and `version`: as it leaves its maker; `sector_ms`, `page_ms`: how long one takes to erase, to write.
    """

    target: Target
    start: int = Field(0, ge=0, le=0xFFFFFFFF)
    size: int = Field(ge=4096, le=16 << 20)
    page: int = Field(256, ge=16, le=4096)
    sector: int = Field(4096, ge=256, le=131072)
    page_ms: float = Field(8, gt=0, le=500)
    sector_ms: float = Field(60, gt=0, le=5000)
    bootloader: VersionText = "1.0.0"
    version: VersionText = "1.0.0"
    ways: tuple[WayIn, ...] = Field(min_length=1, max_length=6)

    @model_validator(mode="after")
    def _possible(self) -> Flash:
        if self.sector % self.page or self.size % self.sector:
            raise ValueError(f"a sector of {self.sector} bytes is made of whole pages of {self.page}, and {self.size} bytes of whole sectors")
        if self.size < 2 * self.sector:
            raise ValueError("its memory needs two sectors at least: one for the program, one for the record that it is whole")
        if self.start + self.size > 1 << 32:
            raise ValueError(f"a memory of {self.size} bytes from {self.start:08X} on ends beyond what 32 bits can address")
        return self

    @property
    def room(self) -> int:
        """Bytes that a program may take: the last sector keeps the record that it is whole."""
        return self.size - self.sector


class Board(_Fact):
    """A flight controller. The stand-in keeps band edges in steps of `band_step_us`, the grace in `grace_step_ms`.

    `usb_ma`: what its USB socket may draw in all; `own_ma`: what the board takes of that by itself; `link_port`: the port that its USB hangs on
    through a bridge chip (None: USB of its own). `level_within_deg`: it arms at no steeper tilt. `bind_pads`: the only pads on which it sends bind pulses (empty: on any that listens to the receiver).
    `text_screen`: it writes text over the picture that comes on its camera pad, and gives it out on its video pad.
    `failsafe_at_once`: a frame with the failsafe flag ends the link there and then, without a grace. `least_home_m`: nearer to home than this it does not fly back, but lands or circles where it is.
    """

    kind: Literal["board"] = "board"
    id: PartId
    name: Name
    about: str = Field("", max_length=200)
    mcu: McuClass
    ports: tuple[PortName, ...] = Field(max_length=MOST_PORTS)
    software_ports: tuple[PortName, ...] = Field((), max_length=MOST_PORTS)
    pads: tuple[Pad, ...] = Field(max_length=MOST_PADS)
    rails: tuple[Rail, ...] = Field(max_length=MOST_RAILS)
    link_port: PortName | None = None
    usb_ma: Milliamps = 500
    own_ma: Milliamps = 120
    sensors: Sensors = ("gyro", "accelerometer")
    band_step_us: int = Field(5, ge=1, le=50)
    grace_step_ms: int = Field(20, ge=1, le=500)
    failsafe_at_once: bool = False
    least_home_m: Annotated[float, LATER] = Field(20, ge=0, le=500)
    boot_s: float = Field(1.2, ge=0.1, le=30)
    loop_hz: int = 1000
    bind_pads: tuple[Name, ...] = Field((), max_length=MOST_PADS)
    level_within_deg: float = Field(LEVEL_WITHIN_DEG, ge=5, le=180)
    text_screen: Annotated[bool, LATER] = False
    usb: Annotated[Literal["front", "rear", "left", "right"], LATER] = Field(
        "rear", description="Which way its USB socket points where it sits as its maker meant"
    )
    flash: Flash | None = None

    @model_validator(mode="after")
    def _possible(self) -> Board:
        _once([pad.name for pad in self.pads], "pad")
        _once(list(self.ports), "port")
        _once([rail.name for rail in self.rails], "rail")
        rails = {rail.name for rail in self.rails}
        for pad in self.pads:
            if pad.kind in ("rx", "tx") and pad.port not in self.ports:
                raise ValueError(f"pad {pad.name}: an RX or TX pad belongs to one of the ports {', '.join(self.ports)}, not to {pad.port}")
            if pad.kind not in ("rx", "tx") and pad.port is not None:
                raise ValueError(f"pad {pad.name}: only RX and TX pads belong to a port")
            if (pad.kind == "supply") != (pad.rail is not None) or (pad.rail is not None and pad.rail not in rails):
                raise ValueError(f"pad {pad.name}: a supply pad, and no other, names one of the rails {', '.join(sorted(rails))}")
            if pad.reads and pad.kind not in ("rx", "input"):
                raise ValueError(f"pad {pad.name}: only an RX pad or an input can measure pulses")
        _once([f"{pad.port} {pad.kind}" for pad in self.pads if pad.port], "port and kind")
        for kind in ("camera", "video"):
            if any(pad.kind == kind for pad in self.pads) != self.text_screen:
                raise ValueError(f"a board that writes text on the picture has a {kind} pad, and no other has one")
        for port in self.ports:
            if not any(pad.port == port for pad in self.pads):
                raise ValueError(f"port {port} has no pad; a port that leads nowhere is left out")
        for port in self.software_ports:
            if port not in self.ports:
                raise ValueError(f"software port {port} is none of the ports {', '.join(self.ports)}")
        for name in self.bind_pads:
            if self.pad_kind(name) != "rx":
                raise ValueError(f"bind pad {name}: bind pulses go out on an RX pad, and it is none")
        if self.link_port is not None and self.link_port not in self.ports:
            raise ValueError(f"USB hangs on {self.link_port}, which is none of the ports {', '.join(self.ports)}")
        return self

    @computed_field  # type: ignore[prop-decorator]
    @property
    def inverting_pads(self) -> list[str]:
        """The RX pads on which a signal can be inverted before the UART samples it."""
        return [pad.name for pad in self.pads if pad.kind == "rx" and self.can_invert(pad)]

    def pad_kind(self, name: str) -> PadKind | None:
        """What kind of pad it is; None where there is none of that name."""
        found = self.pad(name)
        return found.kind if found else None

    @cached_property
    def outputs(self) -> tuple[str, ...]:
        """The pads that drive motors and servos, in its own order."""
        return tuple(pad.name for pad in self.pads if pad.kind == "output")

    def pad(self, name: str) -> Pad | None:
        """The pad called `name`."""
        return next((pad for pad in self.pads if pad.name == name), None)

    def pad_of(self, port: str, kind: PadKind) -> Pad | None:
        """A port's RX or TX pad; None where the port lacks it."""
        return next((pad for pad in self.pads if pad.port == port and pad.kind == kind), None)

    def rail(self, name: str | None) -> Rail | None:
        """The rail called `name`."""
        return next((rail for rail in self.rails if rail.name == name), None)

    def rails_for(
        self, supply: Supply, loads: Mapping[str, int] | None = None, *, outside: bool = False, volts: Mapping[str, float] | None = None
    ) -> list[Rail]:
        """The rails that a device can run on, best first; those fed from outside only where `outside`, but the board's own where there is none.

        Best is one that carries it on the pack, then on USB, then one that wakes on USB at all, then the board's rather than the pack's.
        `loads` are the peak currents that the rails carry already, mA; `volts`: what rails really have, where that is not their own.
        """
        bearing = [rail for rail in self.rails if supply.bears((volts or {}).get(rail.name, rail.volts))]
        fit = [rail for rail in bearing if (rail.source == "outside") == outside] or [rail for rail in bearing if outside]

        def rank(rail: Rail) -> tuple[bool, bool, bool, bool]:
            load = (loads or {}).get(rail.name, 0) + supply.peak_ma
            on_usb = rail.usb_volts is not None
            return load > rail.limit_ma, on_usb and load > rail.usb_limit_ma, (rail.usb_volts or 0) < supply.min_volts, rail.source == "pack"

        return sorted(fit, key=rank)

    def inverts(self, pad: Pad, way: Literal["in", "out", "both ways"]) -> Literal["native", "fixed", "no"]:
        """How a signal on this pad is inverted: in the UART itself, by an inverter that sits there, or not at all."""
        if pad.port in self.software_ports or self.mcu in INVERTING_CLASSES:
            return "native"
        return "fixed" if pad.inverter in (way, "both ways") else "no"

    def can_invert(self, pad: Pad) -> bool:
        """Whether a signal that arrives on this pad can be inverted before the UART samples it."""
        return self.inverts(pad, "both ways" if pad.kind == "tx" else "in") != "no"

    def full(self, port: str) -> bool:
        """Whether a port both listens and sends."""
        return self.pad_of(port, "rx") is not None and self.pad_of(port, "tx") is not None


class FrameRate(_Fact):
    """Radio frames a second, and the weakest signal that still carries them, dBm."""

    hz: float = Field(gt=0, le=1000)
    sensitivity_dbm: float = Field(ge=-140, le=-40)


class Radio(_Fact):
    """What an end speaks over the air. Ends understand each other when name, family and one region agree.

    What the law asks (devices/legal.py): on how many channels it hops (1: it does not), how wide one is, how much of an hour an end sends at most, and whether it listens before it talks (`polite`).
    `downlink_every`: behind one radio frame in so many something comes home, `downlink_bytes` of telemetry, sent with `downlink_dbm`.
    `powers_dbm`: what the transmitter can send with; `rates`: what the receiver follows. With a noise figure a rate needs no sensitivity: it is reckoned (linkcore/parts/sensitivity.py).
    """

    name: Annotated[AirNameNow, Field(min_length=1, max_length=40)]
    band: RadioBand
    family: Annotated[FamilyNow, Field(min_length=1, max_length=40)]
    regions: Regions
    channels: int = Field(16, ge=1, le=18)
    telemetry: bool = True
    downlink_every: Annotated[int, LATER] = Field(4, ge=1, le=256)
    downlink_bytes: Annotated[int, LATER] = Field(8, ge=1, le=60)
    downlink_dbm: Annotated[float, LATER] = Field(14, ge=-10, le=40)
    powers_dbm: tuple[float, ...] = Field((20.0,), min_length=1, max_length=16)
    noise_figure_db: float | None = Field(None, ge=0, le=30)
    hop_channels: int = Field(1, ge=1, le=2000)
    width_mhz: float = Field(1.0, gt=0, le=100)
    duty_percent: float = Field(100, gt=0, le=100)
    polite: bool = False
    rates: tuple[FrameRate, ...] = Field((FrameRate(hz=100, sensitivity_dbm=-98),), min_length=1, max_length=16)

    @model_validator(mode="before")
    @classmethod
    def _reckon_sensitivities(cls, data: Any) -> Any:
        noise = data.get("noise_figure_db") if isinstance(data, dict) else None
        if not isinstance(noise, int | float) or not isinstance(data.get("rates"), list | tuple):
            return data
        rates = [
            {**rate, "sensitivity_dbm": sensitivity_dbm(rate["hz"], noise)}
            if isinstance(rate, dict) and "sensitivity_dbm" not in rate and isinstance(rate.get("hz"), int | float) and rate["hz"] > 0
            else rate
            for rate in data["rates"]
        ]
        return data | {"rates": rates}


class Light(_Fact):
    """What a light shows."""

    colour: Colour
    pattern: Pattern


DARK = Light(colour="none", pattern="off")


def _usual_lights() -> dict[LightState, Light]:
    return {
        "unbound": Light(colour="red", pattern="fast blink"),
        "bind": Light(colour="red", pattern="double blink"),
        "registering": Light(colour="amber", pattern="fast blink"),
        "registered": Light(colour="amber", pattern="steady"),
        "bound": Light(colour="green", pattern="slow blink"),
        "no link": Light(colour="red", pattern="slow blink"),
        "linked": Light(colour="green", pattern="steady"),
        "bootloader": Light(colour="blue", pattern="fast blink"),
    }


class Binding(_Fact):
    """How a receiver is bound. `wait_s`: how long it waits in bind; `back_s`: how soon its link comes back after power-up; `lights`: what it shows when."""

    ways: tuple[BindWay, ...] = Field(("button",), min_length=1, max_length=6)
    wait_s: float = Field(30, ge=1, le=600)
    back_s: float = Field(2, ge=0.1, le=30)
    lights: dict[LightState, Light] = Field(default_factory=_usual_lights)

    def light(self, state: LightState | None) -> Light:
        """What it shows in a state; dark where it has no light for it, or no power (None)."""
        return self.lights.get(state, DARK) if state else DARK


class Output(_Fact):
    """One way a receiver puts channels on its pins: all on one, or in PWM one pin a channel in channel order.

    `jumper`: True where it needs the jumper fitted, False where it needs it away, None where the jumper does not matter.
    """

    protocol: Name
    pins: tuple[Name, ...] = Field(min_length=1, max_length=18)
    inverted: bool = False
    channels: int = Field(16, ge=1, le=18)
    half_duplex: bool = False
    jumper: bool | None = None


class ReceiverTelemetry(_Fact):
    """Telemetry back to the receiver. `protocol` by name; `serial` where it has a line of its own besides the channels'.

    Where it asks: `asks` its ids in a strict round, or every other time one that has answered before; `ids`: how many it asks, from the first on.
    """

    protocol: Name
    serial: Serial | None = None
    asks: Annotated[Literal["strict round", "found first"], LATER] = "strict round"
    ids: Annotated[int, LATER] = Field(28, ge=1, le=28)


class Receiver(_Device):
    """A receiver. `link_period_s`: how often a radio frame comes; `lost_after_s`: silence until it gives the link up.

    `rssi_channel`: the channel that it fills with RSSI by itself, and `rssi_holds` whether that stays as it was once the link is given up.
    `preset_by`: how it is given a preset, by its own button or from the transmitter's menu.
    """

    kind: Literal["receiver"] = "receiver"
    outputs: tuple[Output, ...] = Field(min_length=1, max_length=12)
    telemetry: ReceiverTelemetry | None = None
    radio: Radio
    supply: Supply
    jumper: str = Field("", max_length=60)
    link_period_s: float = Field(ge=0.001, le=0.1)
    lost_after_s: float = Field(ge=0.01, le=10)
    flags_loss: bool
    on_loss: tuple[OnLoss, ...] = Field(min_length=1, max_length=3)
    reports_link: bool
    rssi_channel: Annotated[int | None, LATER] = Field(None, ge=5, le=18)
    rssi_holds: Annotated[bool, LATER] = False
    preset_by: Annotated[Literal["button", "menu"], LATER] = "button"
    binding: Binding = Binding()
    flash: Flash | None = None

    @model_validator(mode="after")
    def _possible(self) -> Receiver:
        serial = self.telemetry.serial if self.telemetry else None
        used = [name for output in self.outputs for name in output.pins]
        self._pins_possible([*used, serial.sends if serial else None, serial.listens if serial else None])
        if any(output.jumper is not None for output in self.outputs) and not self.jumper:
            raise ValueError("an output needs the jumper, but nothing says where that jumper sits")
        return self

    @property
    def channels(self) -> int:
        """The most channels that any output carries."""
        return max(output.channels for output in self.outputs)

    def active(self, jumper_fitted: bool) -> list[Output]:
        """The outputs that send with the jumper as it is."""
        return [output for output in self.outputs if output.jumper in (None, jumper_fitted)]


class Screen(_Fact):
    """How much text a picture holds: characters in a row, and rows. Of the analog formats (ITU-R BT.1700) the one with 625 lines holds three rows more than the one with 525."""

    format: VideoFormat
    columns: int = Field(ge=20, le=99)
    rows: int = Field(ge=8, le=60)


class Peripheral(_Device):
    """Any other device: what job its port needs (None: no port), its serial line, its sensors. `reverses`: a drive that turns both ways, and so stands still in the middle.

    `bec_ma`: what its BEC gives; `pack_max_volts`: the most that it bears at leads of its own to the pack; `idle_ma`: what a servo takes while it holds still, beside its supply's, which is moving and stalled;
    `motor_a`: what an ESC bears for long at each of its motors, A; `pulse_hz`: how many pulses a second a servo bears at most; `takes`: the kinds of drive that an ESC hears.
    `screens`: of a camera the formats that it can be set to, of a digital video link the one that it shows text in; the first is how it leaves its maker.
    """

    kind: Literal["peripheral"] = "peripheral"
    job: Job | None = None
    serial: Serial | None = None
    supply: Supply | None = None
    sensors: Sensors = ()
    reverses: Annotated[bool, LATER] = False
    screens: Annotated[tuple[Screen, ...], LATER] = Field((), max_length=3)
    bec_ma: Annotated[Milliamps | None, LATER] = None
    pack_max_volts: Annotated[Volts | None, LATER] = None
    idle_ma: Annotated[Milliamps | None, LATER] = None
    motor_a: Annotated[float | None, LATER] = Field(None, gt=0, le=500)
    pulse_hz: Annotated[int | None, LATER] = Field(None, ge=40, le=1000)
    takes: Annotated[tuple[DriveKind, ...], LATER] = Field(("analog pulses",), max_length=3)

    @property
    def films(self) -> bool:
        """Whether it is a camera: its picture goes to the board's camera pad."""
        return any(pin.goes_to == "camera" for pin in self.pins)

    @property
    def airs(self) -> bool:
        """Whether it is an analog video transmitter: it sends what comes from the board's video pad."""
        return any(pin.goes_to == "video" for pin in self.pins)

    @cached_property
    def driven_by_outputs(self) -> frozenset[str]:
        """The pins that go to outputs of a board."""
        return frozenset(pin.name for pin in self.pins if pin.goes_to == "output")

    @cached_property
    def servo(self) -> bool:
        """Whether it is a servo: an output moves it, and it takes its supply by the same lead."""
        moved = {pin.lead for pin in self.pins if pin.goes_to == "output" and pin.lead}
        return any(pin.kind == "supply" and pin.lead in moved for pin in self.pins)

    @property
    def drives(self) -> int:
        """How many outputs it turns motors by; none for a servo."""
        return 0 if self.servo else len(self.driven_by_outputs)

    @model_validator(mode="after")
    def _possible(self) -> Peripheral:
        self._pins_possible([self.serial.sends, self.serial.listens] if self.serial else [])
        if (self.job in (None, "free")) != (self.serial is None):
            raise ValueError("a device with a serial line names the job its port needs, and one without names none")
        if self.serial and not (self.serial.sends or self.serial.listens):
            raise ValueError("its serial line neither sends nor listens")
        if self.bec_ma is not None and self.pin("supply out") is None:
            raise ValueError("what has no pin that gives supply has no BEC, and so no current of it")
        if self.films != bool(self.screens) and self.job != "video link":
            raise ValueError("a camera names the formats that it sends, and what is neither camera nor video link names none")
        return self


class Switch(_Fact):
    """A switch of the transmitter with two or three positions."""

    name: Name
    positions: Literal[2, 3]


class EndsLaw(_Fact):
    """How a transmitter turns sub-trim and the two travels into an output (docs/sticks.md has the formula).

    `sub_trim_step_us`, `travel_step_percent`: what its dials step by. `sub_trim_moves_ends`: whether both ends go along with the centre.
    `straight`: 0 where each half has a slope of its own, so that the centre stays; 1 where one straight line joins both ends, so that they shift it.
    """

    sub_trim_step_us: float = Field(1, gt=0, le=20)
    sub_trim_max_us: float = Field(150, ge=0, le=200)
    travel_step_percent: float = Field(1, gt=0, le=10)
    sub_trim_moves_ends: bool = True
    straight: float = Field(0, ge=0, le=1)


class GimbalReach(_Fact):
    """What one axis of a gimbal gives at its low stop, let go, and at its high stop; 1 is what full travel is reckoned from."""

    low: float = Field(-1, ge=-1, le=-0.5)
    rest: float = Field(0, ge=-0.3, le=0.3)
    high: float = Field(1, ge=0.5, le=1)

    def value(self, place: float) -> float:
        """What it gives where the stick stands at `place`, -1 to 1 between its stops."""
        return self.rest + place * (self.high - self.rest if place >= 0 else self.rest - self.low)


class Transmitter(_Fact):
    """A transmitter. At 100 % travel an output moves `us_at_100` to each side of the centre; `module_bay` takes a module.

    `count_us`: one raw count of what it sends; `frame_s`: how often it mixes anew; `factory_order`: the channel order of a fresh model memory.
    `ends`: how it reckons its ends; `gimbals`: axes whose stops or rest are not where they should be.
    """

    kind: Literal["transmitter"] = "transmitter"
    id: PartId
    name: Name
    about: str = Field("", max_length=200)
    radios: tuple[Radio, ...] = Field(max_length=8)
    module_bay: bool = False
    channels: int = Field(ge=1, le=18)
    us_at_100: float = Field(gt=0, le=700)
    max_travel_percent: int = Field(ge=1, le=200)
    throttle_reversed: bool = False
    factory_order: ChannelOrder = "AETR"
    count_us: float = Field(0.5, gt=0, le=10)
    frame_s: float = Field(0.007, gt=0, le=0.05)
    ends: EndsLaw = EndsLaw()
    gimbals: dict[StickAxis, GimbalReach] = Field(default_factory=dict)
    switches: tuple[Switch, ...] = Field(max_length=32)
    flash: Flash | None = None

    def gimbal(self, axis: StickAxis) -> GimbalReach:
        """What an axis gives at its stops."""
        return self.gimbals.get(axis, GimbalReach())


class Module(_Fact):
    """A radio module for a transmitter's bay."""

    kind: Literal["module"] = "module"
    id: PartId
    name: Name
    about: str = Field("", max_length=200)
    radios: tuple[Radio, ...] = Field(min_length=1, max_length=8)
    flash: Flash | None = None


Chemistry = Literal["LiPo", "LiHV", "Li-ion"]
CELL_VOLTS: Mapping[Chemistry, tuple[float, float, float]] = {  # full, nominal, empty at rest: what the cells' makers give
    "LiPo": (4.2, 3.7, 3.5),
    "LiHV": (4.35, 3.8, 3.5),
    "Li-ion": (4.2, 3.6, 3.0),
}


class Pack(_Fact):
    """A pack: cells in a row, `parallel` rows of them, their chemistry, what charge it gives, and the resistance of one cell."""

    kind: Literal["pack"] = "pack"
    id: PartId
    name: Name
    about: str = Field("", max_length=200)
    cells: int = Field(ge=1, le=14)
    chemistry: Chemistry = "LiPo"
    capacity_mah: int = Field(ge=50, le=100_000)
    parallel: Annotated[int, LATER] = Field(1, ge=1, le=20)
    cell_mohm: Annotated[float, LATER] = Field(5, ge=0.5, le=100)

    @computed_field  # type: ignore[prop-decorator]
    @property
    def full_volts(self) -> float:
        """Charged, at rest."""
        return round(self.cells * CELL_VOLTS[self.chemistry][0], 2)

    @computed_field  # type: ignore[prop-decorator]
    @property
    def nominal_volts(self) -> float:
        """In the middle of its charge."""
        return round(self.cells * CELL_VOLTS[self.chemistry][1], 2)

    @computed_field  # type: ignore[prop-decorator]
    @property
    def empty_volts(self) -> float:
        """At rest, when nothing more should be taken."""
        return round(self.cells * CELL_VOLTS[self.chemistry][2], 2)


Part = Board | Receiver | Transmitter | Module | Peripheral | Pack
