"""The other devices of a craft, as they speak on their own wires: GPS, ESCs, flow and range sensors. What they say is read by whatever their wires end on."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import USUAL_BAUD
from linkcore.parts.models import Job, Pad, Peripheral, Screen, Sensor, Serial
from linkcore.protocols import esc, mavlink, nmea, text_frame, ubx
from linkcore.protocols.base import BadFrame, Decoder, Frame, SerialReader, TelemetryFrame
from linkcore.signal.uart import Pieces, UartSettings, toggles_of
from linkcore.standins.board import StandInBoard
from linkcore.standins.wires import grounded

GPS_EVERY_S, ESC_EVERY_S, FLOW_EVERY_S, SIZE_EVERY_S = 0.2, 0.2, 0.4, 0.5
ESC_APART_S = 0.002
SATELLITES_FIX, SATELLITES_HOME = 5, 8  # with fewer there is no fix, no home (ours)
SATELLITES_SEEN, SATELLITES_HIDDEN = 12, 3
AMBIENT_C = 15.0
LISTENS: Mapping[Job, tuple[type[Decoder], ...]] = {  # what a board tries on a port with that job
    "GPS": (ubx.UbxDecoder, nmea.NmeaDecoder),
    "ESC telemetry": (esc.EscDecoder,),
    "flow sensor": (mavlink.MavlinkDecoder,),
    "video link": (text_frame.TextDecoder,),
}
SAYS: Mapping[str, tuple[Sensor, ...]] = {  # which sensors a message can only have come from
    "pvt": ("GPS", "magnetometer"),
    "gga": ("GPS", "magnetometer"),
    "rmc": ("GPS",),
    "esc": ("voltage", "current"),
    "optical_flow_rad": ("flow",),
    "distance_sensor": ("range",),
}
FORGETS_S = 2.0  # what a device has not said for so long a board no longer knows


@dataclass(frozen=True)
class Around:
    """What the devices of a craft meet: `sky`: how many satellites can be had; motors in percent; the pack as it is."""

    latitude_deg: float
    longitude_deg: float
    up_m: float
    speed_mps: float
    course_deg: float
    sky: int
    motors_percent: float
    volts: float
    current_a: float
    used_mah: float
    kv_rpm: float = 900.0


class Device(ABC):
    """Something that speaks by itself at its own pace."""

    every_s: float

    def __init__(self) -> None:
        self._next = 0.0

    def due(self, until: float) -> bool:
        """Whether it says something before `until`."""
        return self._next < until

    def speaks(self, since: float, until: float, around: Around) -> Pieces:
        """What it says in this stretch, and when (s)."""
        self._next = max(self._next, since)
        out: Pieces = []
        while self._next < until:
            out += self.say(self._next, around)
            self._next += self.every_s
        return out

    @abstractmethod
    def say(self, t: float, around: Around) -> Pieces:
        """What it says at `t`."""


class Gps(Device):
    """Satellites come in one after the other, and are lost in the same way; it wakes with what it had."""

    every_s = GPS_EVERY_S

    def __init__(self, *, text: bool) -> None:
        super().__init__()
        self._text = text
        self.satellites: int | None = None

    @property
    def fix(self) -> bool:
        """Whether it has one."""
        return (self.satellites or 0) >= SATELLITES_FIX

    def say(self, t: float, around: Around) -> Pieces:
        """See Device."""
        now = around.sky if self.satellites is None else self.satellites
        self.satellites = now + (around.sky > now) - (around.sky < now)
        where = {"latitude_deg": around.latitude_deg, "longitude_deg": around.longitude_deg, "fix": self.fix}
        if self._text:
            place = nmea.encode_gga(t, **where, satellites=self.satellites, hdop=0.9, altitude_m=around.up_m)  # type: ignore[arg-type]
            return [(t, place + nmea.encode_rmc(t, **where, speed_mps=around.speed_mps, course_deg=around.course_deg))]  # type: ignore[arg-type]
        moves = {"altitude_m": around.up_m, "speed_mps": around.speed_mps, "course_deg": around.course_deg}
        return [(t, ubx.encode_pvt(t, **where, satellites=self.satellites, **moves))]  # type: ignore[arg-type]


class Escs(Device):
    """Several ESCs on one wire, one after the other."""

    every_s = ESC_EVERY_S

    def __init__(self, count: int) -> None:
        super().__init__()
        self._count = max(1, count)

    def say(self, t: float, around: Around) -> Pieces:
        """See Device."""
        share = abs(around.motors_percent) / 100
        said = esc.encode(
            temperature_c=AMBIENT_C + 20 * share,
            voltage_v=around.volts,
            current_a=around.current_a / self._count,
            used_mah=around.used_mah / self._count,
            speed_rpm=share * around.volts * around.kv_rpm,
        )
        return [(t + number * ESC_APART_S, said) for number in range(self._count)]


class FlowSensor(Device):
    """How the ground goes by, and how far it is."""

    every_s = FLOW_EVERY_S

    def __init__(self, *, flow: bool) -> None:
        super().__init__()
        self._flow = flow
        self._turn = 0

    def say(self, t: float, around: Around) -> Pieces:
        """See Device."""
        self._turn += 1
        ms, far = int(t * 1000) & 0xFFFFFFFF, min(600, max(8, round(around.up_m * 100)))
        kind = {"min_distance": 8, "max_distance": 600, "type": 0, "id": 0, "orientation": 25, "covariance": 255}
        said = mavlink.encode("distance_sensor", self._turn, system=1, component=173, time_boot_ms=ms, current_distance=far, **kind)
        if self._flow:
            still = dict.fromkeys(("integrated_x", "integrated_y", "integrated_xgyro", "integrated_ygyro", "integrated_zgyro"), 0.0)
            rest = {"integration_time_us": round(1e6 * self.every_s), "temperature": 1500, "quality": 200, "time_delta_distance_us": 0, "distance": far / 100}
            said += mavlink.encode("optical_flow_rad", self._turn, system=1, component=173, time_usec=ms * 1000, sensor_id=0, **still, **rest)
        return [(t, said)]


class VideoLink(Device):
    """A digital video link says how much text its picture holds."""

    every_s = SIZE_EVERY_S

    def __init__(self, screen: Screen) -> None:
        super().__init__()
        self._said = text_frame.encode_size(screen.columns, screen.rows)

    def say(self, t: float, around: Around) -> Pieces:
        """See Device."""
        return [(t, self._said)]


def device_of(part: Peripheral) -> Device | None:
    """A part that speaks by itself; None where it does not, or nobody knows how."""
    serial = part.serial
    if serial is None or serial.sends is None:
        return None
    if serial.protocol in ("UBX", "NMEA"):
        return Gps(text=serial.protocol == "NMEA")
    if serial.protocol == "ESC telemetry":
        return Escs(part.drives)
    if serial.protocol == "text frame" and part.screens:
        return VideoLink(part.screens[0])
    if serial.protocol == "MAVLink" and part.job == "flow sensor":
        return FlowSensor(flow="flow" in part.sensors)
    return None


@dataclass
class DeviceWire:
    """A device's wire to the board, as metal. `pieces`: what went over it of late, for a tap."""

    name: str
    device: Device
    serial: Serial
    pin: str
    pad: Pad | None
    inverter: bool
    grounded: bool
    pieces: Pieces = field(default_factory=list)

    @property
    def tap(self) -> str:
        """What a tap on it is called."""
        return f"{self.name}: {self.pin}"

    @property
    def uart(self) -> UartSettings:
        """How its bytes leave it."""
        return UartSettings(self.serial.baud, inverted=self.serial.inverted)


@dataclass
class PortEar:
    """A port with a device's job. `sampled`: bytes that came, and `frames` that were whole, since it began to listen."""

    uart: UartSettings
    decoders: list[Decoder]
    level: int
    reader: SerialReader | None = None
    sampled: int = 0
    frames: int = 0
    edges: bool = False


@dataclass
class Heard:
    """What the board has from its devices: the newest of each kind, and when it came."""

    said: dict[str, tuple[float, TelemetryFrame]] = field(default_factory=dict)

    def newest(self, kind: str, t: float) -> TelemetryFrame | None:
        """What came last, unless it is too old to go by."""
        known = self.said.get(kind)
        return known[1] if known is not None and t - known[0] <= FORGETS_S else None


class _Raw(Decoder):
    """Several decoders on one port: whatever makes sense to one of them counts."""

    def __init__(self, decoders: list[Decoder]) -> None:
        self._decoders = decoders

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        return [frame for decoder in self._decoders for frame in decoder.feed(data, times, errors)]


class DeviceWires:
    """All of them on one craft."""

    def __init__(self) -> None:
        self.wires: dict[str, DeviceWire] = {}
        self.ears: dict[str, PortEar] = {}
        self.heard = Heard()

    def follow(self, document: CraftDocument, parts: KitParts) -> None:
        """Read the netlist anew; a device that is still the same goes on."""
        before, self.wires = self.wires, {}
        for name, part in parts.devices.items():
            known = before.get(name)
            device = known.device if known is not None and known.serial is part.serial else device_of(part)
            if device is None or part.serial is None:
                continue
            pin = str(part.serial.sends)
            patch = next((each for each in document.wiring if (each.device, each.pin) == (name, pin)), None)
            pad = parts.board.pad(patch.pad) if patch and parts.maybe_board else None
            self.wires[name] = DeviceWire(name, device, part.serial, pin, pad, bool(patch and patch.inverter), grounded(document, parts, name))
        self.ears.clear()
        self.heard = Heard()

    def due(self, until: float) -> bool:
        """Whether any of them says something before `until`."""
        return any(wire.device.due(until) for wire in self.wires.values())

    def cross(self, since: float, until: float, board: StandInBoard, around: Around, runs: Mapping[str, bool], *, tapped: str = "") -> None:
        """Let what the devices say in this stretch cross their wires. `tapped`: the wire that somebody listens to."""
        awake = board.powered and not board.booting(until)
        if not awake:
            self.ears.clear()
            self.heard.said.clear()
        on_pads: dict[str, list[tuple[DeviceWire, Pieces]]] = {}
        for name, wire in self.wires.items():
            if not runs.get(name, False):
                continue
            pieces = wire.device.speaks(since, until, around)
            wire.pieces = [piece for piece in wire.pieces if piece[0] > until - 1.5] + pieces if wire.tap == tapped else pieces
            if awake and pieces and wire.pad is not None and wire.grounded:
                on_pads.setdefault(wire.pad.name, []).append((wire, pieces))
        for said in on_pads.values():
            self._arrive(said, until, board)

    def drives(self, pad: Pad | None, runs: Mapping[str, bool]) -> DeviceWire | None:
        """A device whose output is on a pad, and which runs."""
        return next((wire for name, wire in self.wires.items() if pad is not None and wire.pad is pad and runs.get(name, False)), None)

    def _arrive(self, said: list[tuple[DeviceWire, Pieces]], until: float, board: StandInBoard) -> None:
        """What was said on one pad in this stretch."""
        wire, pieces = said[0]
        pad = wire.pad
        assert pad is not None
        job = board.running.ports.get(pad.port or "", "free")
        if pad.kind != "rx" or job not in LISTENS or pad.port is None:
            return
        here = [each for each in self.wires.values() if each.pad is pad]
        uart = UartSettings(board.running.port_baud.get(pad.port, USUAL_BAUD[job]))
        ear = self.ears.get(pad.port)
        if ear is None or ear.uart != uart:
            ear = self.ears[pad.port] = PortEar(uart, [decoder() for decoder in LISTENS[job]], 1)
        ear.edges = True
        sent = wire.uart.with_inversion(wire.uart.inverted != wire.inverter)
        if len(here) == 1 and sent == uart:  # what is sampled as it was sent arrives as it was sent
            data = b"".join(piece for _, piece in pieces)
            times = np.concatenate([t + np.arange(len(piece)) * uart.byte_s for t, piece in pieces]).tolist()
            frames = []
            for decoder in ear.decoders:
                read = decoder.feed(data, times)
                frames += read
                if len(ear.decoders) > 1 and any(isinstance(frame, TelemetryFrame) for frame in read):
                    ear.decoders[:] = [decoder]  # what it speaks is known now
                    break
            ear.sampled += len(data)
        else:
            if ear.reader is None:
                ear.reader = SerialReader(uart, _Raw(ear.decoders), sent.idle_level)
            edges = [toggles_of(pieces, each.uart) for each, pieces in said]  # two that speak at once spoil each other
            received, frames = ear.reader.feed(np.sort(np.concatenate(edges)), until)
            ear.sampled += len(received)
        for frame in frames:
            if isinstance(frame, TelemetryFrame) and not isinstance(frame, BadFrame):
                ear.frames += 1
                self.heard.said[frame.sensor] = (frame.t if frame.t is not None else until, frame)
