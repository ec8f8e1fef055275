"""Telemetry on the wire: what a board tells, in which protocol's bytes, and how receiver and board take their turns."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from linkcore.devices.sensors import TELLINGS, Message, Value, Values
from linkcore.parts.models import ReceiverTelemetry
from linkcore.parts.sensor_names import SensorName
from linkcore.protocols import crsf, fport, hub, ibus, mavlink, sport
from linkcore.protocols.base import Frame, PollFrame, SerialSpec, TelemetryFrame
from linkcore.protocols.registry import SERIAL_PROTOCOLS
from linkcore.signal.uart import Pieces

SPORT_POLL_S = 0.012
IBUS_POLL_S = 0.007
SPORT_ANSWER_AFTER_S = 0.0006
IBUS_ANSWER_AFTER_S = 0.0004
IBUS_FORGETS = 20  # questions without an answer, and an address is looked for anew
IBUS_IDS = 15


class Asker:
    """The receiver's side of a wire of telemetry's own, where it is the receiver that asks."""

    def __init__(self, telemetry: ReceiverTelemetry) -> None:
        self.spec: SerialSpec = SERIAL_PROTOCOLS[telemetry.protocol]
        self._found_first = telemetry.asks == "found first"
        self._ids = min(telemetry.ids, IBUS_IDS) if telemetry.protocol == "IBUS telemetry" else telemetry.ids
        self._period = {"S.Port": SPORT_POLL_S, "IBUS telemetry": IBUS_POLL_S}.get(telemetry.protocol)
        self._next = 0.0
        self._search = self._turn = 0
        self._silent: dict[int, int] = {}  # ids that have answered, and how many questions ago
        self._typed: set[int] = set()
        self._polled = ("", 0.0)

    def asks(self, since: float, until: float) -> Pieces:
        """The questions that begin in this stretch, with their times (s)."""
        if self._period is None:
            return []
        self._next = max(self._next, since)
        out = []
        while self._next < until:
            out.append((self._next, self._ask()))
            self._next += self._period
        return out

    def _ask(self) -> bytes:
        known = sorted(self._silent)
        self._turn += 1
        if self._found_first and known and self._turn % 2:
            index = known[self._turn // 2 % len(known)]
        else:
            index = self._search = (self._search + 1) % self._ids
        if self.spec is sport.SPEC:
            return sport.encode_poll(27 - index)  # a board answers on the last of the 28, so a receiver that asks fewer begins there
        address = index + 1
        if index not in self._silent:
            return ibus.encode_poll(ibus.DISCOVER, address)
        self._silent[index] += 1
        if self._silent[index] > IBUS_FORGETS:
            del self._silent[index]
            self._typed.discard(index)
        return ibus.encode_poll(ibus.VALUE if index in self._typed else ibus.TYPE, address)

    def heard(self, frames: list[Frame]) -> list[TelemetryFrame]:
        """What of the frames on the wire is a value; the rest tells who is there."""
        values = []
        for frame in frames:
            if isinstance(frame, PollFrame) and frame.t is not None:
                asks, t = self._polled
                if frame.asks == asks and asks.startswith("discover") and frame.t - t < IBUS_POLL_S / 2:
                    self._silent.setdefault(self._index(asks), 0)  # the same bytes came back
                self._polled = (frame.asks, frame.t)
            elif isinstance(frame, TelemetryFrame):
                if frame.sensor == "sensor_type":
                    self._typed.add(int(frame.values["address"]) - 1)
                elif frame.sensor != "link_statistics":
                    values.append(frame)
                if self._period is not None and self._polled[0]:
                    self._silent[self._index(self._polled[0])] = 0
        return values

    def _index(self, asks: str) -> int:
        number = int(asks.rpartition(" ")[2])
        return 27 - number if self.spec is sport.SPEC else number - 1


class Teller:
    """A board as it tells what it knows, in one protocol. Values are in the catalogue's units (devices/sensors.py); what is not among them, or is `off`, is not told."""

    def __init__(self, spec: SerialSpec, off: frozenset[SensorName] = frozenset()) -> None:
        if spec.name not in TELLINGS:
            raise ValueError(f"{spec.name} carries no telemetry")
        self.spec, self.telling, self._off = spec, TELLINGS[spec.name], off
        self._next: dict[str, float] = {}
        self._turn = 0

    def due(self, frames: list[Frame], until: float) -> bool:
        """Whether it has anything to say: asked by one of these frames, or by itself before `until`."""
        if not self.telling.polled:
            return not self._next or min(self._next.values()) < until
        board = f"sensor {sport.BOARD_ID}"
        return any(isinstance(frame, PollFrame) and (self.spec is not sport.SPEC or frame.asks == board) for frame in frames)

    def unasked(self, since: float, until: float, says: Values) -> Pieces:
        """What a board sends by itself on a wire of its own."""
        make = _UNASKED.get(self.spec.name)
        if make is None:
            return []
        messages = self.telling.said(says, self._off)
        if self.telling.turn_s is not None:
            return [
                (t, make([messages[self._took_turn() % len(messages)]], says, self._turn))
                for t in self._times("", self.telling.turn_s, since, until)
                if messages
            ]
        groups: dict[float, list[Message]] = {}
        for message in messages:
            groups.setdefault(message.every_s, []).append(message)
        apart = self.spec is mavlink.SPEC
        out: Pieces = []
        for every, together in groups.items():
            for t in self._times(str(every), every, since, until):
                for piece in [[each] for each in together] if apart else [together]:
                    out.append((t, make(piece, says, self._took_turn())))
        out.sort(key=lambda piece: piece[0])
        return self._one_after_the_other(out)

    def _one_after_the_other(self, pieces: Pieces) -> Pieces:
        free, out = 0.0, []
        for t, data in pieces:
            t = max(t, free)
            out.append((t, data))
            free = t + (len(data) + 2) * self.spec.uart.byte_s
        return out

    def _took_turn(self) -> int:
        self._turn += 1
        return self._turn

    def _times(self, key: str, every_s: float, since: float, until: float) -> list[float]:
        t, out = max(self._next.get(key, 0.0), since), []
        while t < until:
            out.append(t)
            t += every_s
        self._next[key] = t
        return out

    def answers(self, frames: list[Frame], says: Values) -> Pieces:
        """The board's answers to the questions among the frames it has read."""
        out = []
        byte_s = self.spec.uart.byte_s
        messages = self.telling.said(says, self._off) if self.telling.polled else []
        for frame in frames if messages else []:
            if not isinstance(frame, PollFrame) or frame.t is None:
                continue
            if self.spec is sport.SPEC and frame.asks == f"sensor {sport.BOARD_ID}":
                out.append((frame.t + 2 * byte_s + SPORT_ANSWER_AFTER_S, self._next_value(messages, says, sport.encode_answer)))
            elif self.spec is fport.SPEC and frame.end is not None:
                out.append((frame.end + 2 * byte_s + fport.ANSWER_AFTER_S, self._next_value(messages, says, fport.encode_answer)))
            elif self.spec is ibus.TELEMETRY:
                kind, _, number = frame.asks.rpartition(" ")
                address = int(number)
                if 1 <= address <= len(messages):
                    out.append((frame.t + 4 * byte_s + IBUS_ANSWER_AFTER_S, _ibus_answer(kind, address, messages[address - 1], says)))
        return out

    def _next_value(self, messages: list[Message], says: Values, encode: Callable[[int, int], bytes]) -> bytes:
        return encode(*_sport_value(messages[self._took_turn() % len(messages)].name, says))


def _number(says: Values, name: SensorName) -> float:
    value = says.get(name, 0.0)
    return value if isinstance(value, (int, float)) else 0.0


def _several(says: Values, name: SensorName, count: int) -> tuple[float, ...]:
    value: Value = says.get(name, 0.0)
    return value if isinstance(value, tuple) else (0.0,) * count


def cells_of(says: Values) -> int:
    """How many cells the board reckons with."""
    cell = _number(says, "cell voltage")
    return max(1, round(_number(says, "voltage") / cell)) if cell else 1


def _sport_value(message: str, says: Values) -> tuple[int, int]:
    """(id, value) of a message."""
    if message in ("latitude", "longitude"):
        latitude, longitude = _several(says, "position", 2)
        degrees = latitude if message == "latitude" else longitude
        return 0x0800, round(abs(degrees) * 600_000) | (1 << 30 if degrees < 0 else 0) | (1 << 31 if message == "longitude" else 0)
    if message == "cells":
        volts = min(0xFFF, round(_number(says, "cell voltage") * 500))
        return 0x0300, cells_of(says) << 4 | volts << 8 | volts << 20
    app_id, name, scale = _SPORT[message]
    return app_id, round(_number(says, name) * scale)


_SPORT: Mapping[str, tuple[int, SensorName, float]] = {
    "voltage": (0x0210, "voltage", 100),
    "fuel": (0x0600, "charge left", 1),
    "current": (0x0200, "current", 10),
    "altitude": (0x0100, "height", 100),
    "vario": (0x0110, "climb rate", 100),
    "gps_speed": (0x0830, "speed", 1000 * 3600 / 1852),
    "heading": (0x0840, "heading", 100),
    "rpm": (0x0500, "motor speed", 1),
    "temperature_1": (0x0400, "ESC temperature", 1),
}
_IBUS: Mapping[str, tuple[int, SensorName]] = {
    "voltage": (0x03, "voltage"),
    "cell": (0x04, "cell voltage"),
    "fuel": (0x06, "charge left"),
    "current": (0x05, "current"),
    "altitude": (0x83, "height"),
    "climb_rate": (0x09, "climb rate"),
    "latitude": (0x80, "position"),
    "longitude": (0x81, "position"),
    "ground_speed": (0x13, "speed"),
    "heading": (0x08, "heading"),
    "rpm": (0x02, "motor speed"),
    "temperature": (0x01, "ESC temperature"),
}


def _ibus_answer(kind: str, address: int, message: Message, says: Values) -> bytes:
    code, name = _IBUS[message.name]
    if kind == "discover":
        return ibus.encode_discovered(address)
    if kind == "type of":
        return ibus.encode_type(address, code)
    value = _several(says, "position", 2)[message.name == "longitude"] if name == "position" else _number(says, name)
    return ibus.encode_value(address, code, value)


def _hub(messages: list[Message], says: Values, _turn: int) -> bytes:
    """One frame of several values; those in two parts as two records."""
    records: dict[int, int] = {}
    for message in messages:
        name = message.name
        if name == "voltage":
            records[hub.VOLTAGE] = round(_number(says, "voltage") * 10)
        elif name == "cells":
            volts = min(0xFFF, round(_number(says, "cell voltage") * 500))
            records[hub.CELLS] = volts >> 8 | (volts & 0xFF) << 8
        elif name == "current":
            records[hub.CURRENT] = round(_number(says, "current") * 10)
        elif name == "vario":
            records[hub.VARIO] = round(_number(says, "climb rate") * 100)
        elif name == "temperature_1":
            records[hub.TEMPERATURE_1] = round(_number(says, "ESC temperature"))
        elif name == "fuel":
            records[hub.FUEL] = round(_number(says, "charge left"))
        elif name == "altitude":
            before, after = _parted(_number(says, "height"))
            records |= {hub.ALTITUDE: before, 0x21: after}
        elif name == "gps_speed":
            before, after = _parted(_number(says, "speed") * 3600 / 1852)
            records |= {hub.GPS_SPEED: before, 0x19: after}
        elif name == "course":
            before, after = _parted(_number(says, "heading"))
            records |= {hub.COURSE: before, 0x1C: after}
        else:
            latitude, longitude = _several(says, "position", 2)
            if name == "latitude":
                records |= _degrees(latitude, hub.LATITUDE, 0x1B, 0x23, "NS")
            else:
                records |= _degrees(longitude, hub.LONGITUDE, 0x1A, 0x22, "EW")
    return hub.encode(records)


def _parted(value: float) -> tuple[int, int]:
    """Before and after the point, two digits; a value between 0 and -1 loses its sign, as the format has it."""
    hundredths = round(abs(value) * 100)
    return int(math.copysign(hundredths // 100, value)), hundredths % 100


def _degrees(degrees: float, before: int, after: int, letter: int, letters: str) -> dict[int, int]:
    minutes = round(abs(degrees) * 600_000)  # of 1/10000 minute
    whole, rest = divmod(minutes, 600_000)
    return {before: whole * 100 + rest // 10_000, after: rest % 10_000, letter: ord(letters[degrees < 0])}


def _crsf(messages: list[Message], says: Values, _turn: int) -> bytes:
    name = messages[0].name
    if name == "battery":
        left, used = round(_number(says, "charge left")), round(_number(says, "used"))
        return crsf.encode_battery(voltage_v=_number(says, "voltage"), current_a=_number(says, "current"), used_mah=used, remaining_percent=left)
    if name == "flight_mode":
        return crsf.encode_flight_mode(str(says.get("flight mode", "")))
    if name == "baro_altitude":
        return crsf.encode_altitude(_number(says, "height"))
    if name == "motor_speeds":
        return crsf.encode_speeds([_number(says, "motor speed")])
    if name == "temperatures":
        return crsf.encode_temperatures([_number(says, "ESC temperature")])
    if name == "vario":
        return crsf.encode_vario(_number(says, "climb rate"))
    if name == "attitude":
        roll, pitch, yaw = map(math.radians, _several(says, "attitude", 3))
        return crsf.encode_attitude(pitch_rad=pitch, roll_rad=roll, yaw_rad=yaw)
    latitude, longitude = _several(says, "position", 2)
    return crsf.encode_gps(
        latitude_deg=latitude,
        longitude_deg=longitude,
        ground_speed_kmh=_number(says, "speed") * 3.6,
        heading_deg=_number(says, "heading"),
        altitude_m=_number(says, "height"),
        satellites=round(_number(says, "satellites")),
    )


def _mavlink(messages: list[Message], says: Values, turn: int) -> bytes:
    name = messages[0].name
    fields: dict[str, Any]
    if name == "battery_status":
        millivolts = round(_number(says, "voltage") * 1000)
        fields = {
            "id": 0,
            "battery_function": 0,
            "type": 1,
            "temperature": 32767,
            "voltages": [min(millivolts, 65534), *[mavlink.UNUSED] * 9],
            "current_battery": round(_number(says, "current") * 100) if "current" in says else -1,
            "current_consumed": round(_number(says, "used")) if "used" in says else -1,
            "energy_consumed": -1,
            "battery_remaining": round(_number(says, "charge left")) if "charge left" in says else -1,
        }
    elif name == "gps_raw_int":
        latitude, longitude = _several(says, "position", 2)
        fields = {
            "time_usec": 0,
            "fix_type": 3 if "position" in says else 1,
            "lat": round(latitude * 1e7),
            "lon": round(longitude * 1e7),
            "alt": round(_number(says, "height") * 1000),
            "eph": 100,
            "epv": 100,
            "vel": round(_number(says, "speed") * 100),
            "cog": round(_number(says, "heading") * 100) % 36000,
            "satellites_visible": round(_number(says, "satellites")),
        }
    elif name == "vfr_hud":
        fields = {
            "airspeed": 0.0,
            "groundspeed": _number(says, "speed"),
            "heading": round(_number(says, "heading")) % 360,
            "throttle": 0,
            "alt": _number(says, "height"),
            "climb": _number(says, "climb rate"),
        }
    else:
        roll, pitch, yaw = map(math.radians, _several(says, "attitude", 3))
        fields = {"time_boot_ms": 0, "roll": roll, "pitch": pitch, "yaw": yaw, "rollspeed": 0.0, "pitchspeed": 0.0, "yawspeed": 0.0}
    return mavlink.encode(name, turn, **fields)


_UNASKED: Mapping[str, Callable[[list[Message], Values, int], bytes]] = {"CRSF": _crsf, "hub telemetry": _hub, "MAVLink": _mavlink}
