"""What is told of the Line: the tapped wire, and what the receiver's port makes of its own."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, Protocol

from pydantic import BaseModel, Field

from linkcore.craft.document import ReceiverInput
from linkcore.devices.port import PortReading
from linkcore.hops.line.compare import Reading
from linkcore.hops.line.identify import Identified
from linkcore.protocols.base import TelemetryFrame
from linkcore.reads import Whole
from linkcore.signal.uart import Wrong

STALE_S = 8.0  # a value that has not come for so long is said to be old: a dozen of them on one id of a strict round take 4 s


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
    carries: Literal["channels", "telemetry", "both", "device"]


class InputWorkedOut(BaseModel):
    """How parts and wire ask the port to be set, and why."""

    settings: ReceiverInput
    because: list[str]


class HomeLine(BaseModel):
    """The wire on which telemetry goes home, where it is one of its own: what the receiver listens for, what the board speaks there, and what comes of it."""

    pin: str
    pad: str | None
    listens: str
    speaks: str
    reads: bool
    says: str


class DeviceLine(BaseModel):
    """The tapped wire of a device: where it ends, and what the board's port makes of what comes; `reads`: whole messages come."""

    device: str
    pad: str | None
    port: str | None
    reads: bool
    says: str


class DownlinkValue(BaseModel):
    """What the receiver heard from the board: one sensor, `t` in bench seconds."""

    sensor: str
    values: dict[str, float | int | str]
    t: float
    old_s: float | None = Field(description="How old it is, s, where that is too long ago to go by; None while it is fresh")


class LineTold(BaseModel):
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
    home: HomeLine | None
    device: DeviceLine | None


@dataclass(frozen=True)
class Named:
    """The tapped wire as it was last looked at; `would_read`: what would read the receiver's own wire where it ends, tried while the port does not."""

    identified: Identified
    would_read: list[Reading]
    wave: Wave | None


class Listening(Protocol):
    """What is looked at of a running bench."""

    @property
    def t(self) -> float:
        """Bench seconds."""
        ...

    @property
    def tap(self) -> str:
        """The pin whose wire is tapped."""
        ...

    @property
    def wires(self) -> list[TapWire]:
        """The wires that can be tapped."""
        ...

    @property
    def downlink(self) -> Iterable[TelemetryFrame]:
        """What the receiver has heard from the board, the newest of each sensor."""
        ...

    @property
    def home_line(self) -> HomeLine | None:
        """The wire of telemetry's own."""
        ...

    @property
    def device_line(self) -> DeviceLine | None:
        """The tapped wire, where it is a device's."""
        ...

    @property
    def port_says(self) -> str:
        """What the port is set to, in words."""
        ...

    @property
    def worked_out(self) -> InputWorkedOut | None:
        """How parts and wire ask the port to be set."""
        ...

    def named_wire(self) -> Named:
        """What is on the tapped wire."""
        ...

    def port_reading(self) -> PortReading:
        """The last second at the receiver port."""
        ...


def tell(whole: Whole, seen: Listening) -> LineTold:
    """The Line hop."""
    named, reading, wires = seen.named_wire(), seen.port_reading(), seen.wires
    identified = named.identified
    return LineTold(
        wires=wires,
        tap=seen.tap,
        wire_pad=next((wire.pad for wire in wires if wire.pin == seen.tap), None),
        protocol=identified.protocol,
        what=identified.what,
        confidence=identified.confidence,
        idle=identified.idle,
        baud=identified.baud,
        measured_baud=identified.measured_baud,
        framing=identified.framing,
        inverted=identified.inverted,
        frames_per_s=identified.frames_per_s,
        good_share=identified.good_share,
        why=identified.why,
        port=reading.port,
        port_pad=reading.pad,
        port_says=seen.port_says,
        port_good_share=reading.good_share,
        port_reads=reading.reads,
        set_to=whole.settings.receiver_input,
        worked_out=seen.worked_out,
        would_read=[LineReading.of(way) for way in named.would_read],
        wave=named.wave,
        downlink=[
            DownlinkValue(sensor=each.sensor, values=each.values, t=round(each.t or seen.t, 2), old_s=_too_old(seen.t - (each.t or seen.t)))
            for each in seen.downlink
        ],
        home=seen.home_line,
        device=seen.device_line,
    )


def _too_old(age_s: float) -> float | None:
    return round(age_s) if age_s > STALE_S else None
