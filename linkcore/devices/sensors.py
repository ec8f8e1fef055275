"""Sensors of telemetry: what there is to tell of a craft, who can tell it, and how each protocol carries it.

Ids, scales and frames are wire facts; how often a board speaks unasked, and in what order, is ours. What a protocol does not carry cannot come.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.parts import KitParts
from linkcore.parts.models import Job, Sensor
from linkcore.parts.sensor_names import SensorName

Provider = Literal["pack", "GPS", "barometer", "compass", "gyro", "ESC", "board", "receiver"]
Value = float | str | tuple[float, ...]
Values = Mapping[SensorName, Value]

KNOT_MPS, KMH_MPS = 1852 / 3600, 1 / 3.6


@dataclass(frozen=True)
class SensorFacts:
    """`provider`: who knows it; `fitted`: any one of these has to be fitted to the craft, or, of an ESC, have a wire for its telemetry; `unit` as the board knows it."""

    name: SensorName
    provider: Provider
    unit: str
    fitted: tuple[Sensor, ...] = ()


FACTS: Mapping[SensorName, SensorFacts] = {
    facts.name: facts
    for facts in (
        SensorFacts("cell voltage", "pack", "V", ("voltage",)),
        SensorFacts("voltage", "pack", "V", ("voltage",)),
        SensorFacts("LQ", "receiver", "%"),
        SensorFacts("RSSI", "receiver", "dBm"),
        SensorFacts("SNR", "receiver", "dB"),
        SensorFacts("charge left", "pack", "%", ("current",)),
        SensorFacts("used", "pack", "mAh", ("current",)),
        SensorFacts("current", "pack", "A", ("current",)),
        SensorFacts("position", "GPS", "deg", ("GPS",)),
        SensorFacts("satellites", "GPS", "", ("GPS",)),
        SensorFacts("height", "barometer", "m", ("barometer",)),
        SensorFacts("climb rate", "barometer", "m/s", ("barometer",)),
        SensorFacts("speed", "GPS", "m/s", ("GPS",)),
        SensorFacts("heading", "compass", "deg", ("magnetometer", "GPS")),
        SensorFacts("attitude", "gyro", "deg", ("gyro",)),
        SensorFacts("flight mode", "board", ""),
        SensorFacts("motor speed", "ESC", "rpm"),
        SensorFacts("ESC temperature", "ESC", "C"),
        SensorFacts("transmitter power", "receiver", "mW"),
    )
}
NEEDS_FIX: frozenset[SensorName] = frozenset(("position", "speed"))
NEEDS_PACK: frozenset[SensorName] = frozenset(("cell voltage", "voltage"))


@dataclass(frozen=True)
class Carried:
    """How a protocol carries a sensor: the `id` that a transmitter lists it by, and where the values stand in decoded frames, (frame, value) each.

    `unit` is what it is told in, `step` its resolution in that, `factor` how many of it are one of the board's own unit.
    """

    sensor: SensorName
    id: str
    at: tuple[tuple[str, str], ...]
    unit: str
    step: float
    factor: float = 1.0


@dataclass(frozen=True)
class Message:
    """What is told at once. The first of its sensors decides whether it is told at all; `size`: bytes over the air; `every_s`: how often a board says it unasked."""

    name: str
    sensors: tuple[SensorName, ...]
    size: int
    every_s: float = 0.0
    by: Literal["board", "receiver"] = "board"


@dataclass(frozen=True)
class Telling:
    """A protocol as it carries telemetry. `turn_s`: one message after the other, so far apart; None where each has its own time, or where it is asked for."""

    carries: tuple[Carried, ...]
    messages: tuple[Message, ...]
    polled: bool = False
    turn_s: float | None = None

    def of(self, sensor: SensorName) -> Carried | None:
        """How a sensor is carried; None where it is not."""
        return next((each for each in self.carries if each.sensor == sensor), None)

    def said(self, there: Iterable[SensorName], off: Iterable[SensorName] = ()) -> list[Message]:
        """The messages that a board says where it knows these sensors; one with a sensor in it that is switched off is not said at all."""
        known, silent = set(there), set(off)
        return [message for message in self.messages if message.by == "board" and message.sensors[0] in known and not silent.intersection(message.sensors)]

    def with_(self, sensor: SensorName) -> list[Message]:
        """The messages that tell a sensor."""
        return [message for message in self.messages if sensor in message.sensors]


def _one(sensor: SensorName, id_: str, frame: str, value: str, unit: str, step: float, factor: float = 1.0) -> Carried:
    return Carried(sensor, id_, ((frame, value),), unit, step, factor)


_RSSI_PERCENT = Message("rssi", ("RSSI",), 4, by="receiver")
_SPORT_SIZE = 7  # id and value, and what says whose they are
_SPORT = (
    _one("cell voltage", "0300", "cells", "cell_a_v", "V", 0.002),
    _one("voltage", "0210", "voltage", "voltage_v", "V", 0.01),
    _one("RSSI", "F101", "rssi", "rssi_percent", "%", 1),
    _one("charge left", "0600", "fuel", "fuel_percent", "%", 1),
    _one("current", "0200", "current", "current_a", "A", 0.1),
    Carried("position", "0800", (("latitude", "latitude_deg"), ("longitude", "longitude_deg")), "deg", 1 / 600_000),
    _one("height", "0100", "altitude", "altitude_m", "m", 0.01),
    _one("climb rate", "0110", "vario", "climb_rate_m_s", "m/s", 0.01),
    _one("speed", "0830", "gps_speed", "ground_speed_kt", "kt", 0.001, 1 / KNOT_MPS),
    _one("heading", "0840", "heading", "heading_deg", "deg", 0.01),
    _one("motor speed", "0500", "rpm", "speed_rpm", "rpm", 1),
    _one("ESC temperature", "0400", "temperature_1", "temperature_c", "C", 1),
)
_SPORT_MESSAGES = (
    Message("cells", ("cell voltage",), _SPORT_SIZE),
    Message("voltage", ("voltage",), _SPORT_SIZE),
    Message("fuel", ("charge left",), _SPORT_SIZE),
    Message("current", ("current",), _SPORT_SIZE),
    Message("latitude", ("position",), _SPORT_SIZE),
    Message("longitude", ("position",), _SPORT_SIZE),
    Message("altitude", ("height",), _SPORT_SIZE),
    Message("vario", ("climb rate",), _SPORT_SIZE),
    Message("gps_speed", ("speed",), _SPORT_SIZE),
    Message("heading", ("heading",), _SPORT_SIZE),
    Message("rpm", ("motor speed",), _SPORT_SIZE),
    Message("temperature_1", ("ESC temperature",), _SPORT_SIZE),
    _RSSI_PERCENT,
)
_HUB_1, _HUB_2 = 0.2, 1.0  # how often its first and its second frame come
TELLINGS: Mapping[str, Telling] = {
    "S.Port": Telling(_SPORT, _SPORT_MESSAGES, polled=True),
    "F.Port": Telling(_SPORT, _SPORT_MESSAGES, polled=True),
    "hub telemetry": Telling(
        (
            _one("cell voltage", "06", "cells", "cell_v", "V", 0.002),
            _one("voltage", "39", "voltage", "voltage_v", "V", 0.1),
            _one("RSSI", "RSSI", "rssi", "rssi_percent", "%", 1),
            _one("charge left", "04", "fuel", "fuel_percent", "%", 1),
            _one("current", "28", "current", "current_a", "A", 0.1),
            Carried("position", "12/13", (("latitude", "latitude_deg"), ("longitude", "longitude_deg")), "deg", 1 / 600_000),
            _one("height", "10", "altitude", "altitude_m", "m", 0.01),
            _one("climb rate", "30", "vario", "climb_rate_m_s", "m/s", 0.01),
            _one("speed", "11", "gps_speed", "ground_speed_kt", "kt", 0.01, 1 / KNOT_MPS),
            _one("heading", "14", "course", "course_deg", "deg", 0.01),
            _one("ESC temperature", "02", "temperature_1", "temperature_c", "C", 1),
        ),
        (
            Message("voltage", ("voltage",), 4, _HUB_1),
            Message("cells", ("cell voltage",), 4, _HUB_1),
            Message("current", ("current",), 4, _HUB_1),
            Message("altitude", ("height",), 8, _HUB_1),
            Message("vario", ("climb rate",), 4, _HUB_1),
            Message("temperature_1", ("ESC temperature",), 4, _HUB_1),
            Message("fuel", ("charge left",), 4, _HUB_2),
            Message("latitude", ("position",), 12, _HUB_2),
            Message("longitude", ("position",), 12, _HUB_2),
            Message("gps_speed", ("speed",), 8, _HUB_2),
            Message("course", ("heading",), 8, _HUB_2),
            _RSSI_PERCENT,
        ),
    ),
    "IBUS telemetry": Telling(
        (
            _one("cell voltage", "04", "cell", "cell_v", "V", 0.01),
            _one("voltage", "03", "voltage", "voltage_v", "V", 0.01),
            _one("RSSI", "RSSI", "rssi", "rssi_percent", "%", 1),
            _one("charge left", "06", "fuel", "fuel_percent", "%", 1),
            _one("current", "05", "current", "current_a", "A", 0.01),
            Carried("position", "80/81", (("latitude", "latitude_deg"), ("longitude", "longitude_deg")), "deg", 1e-7),
            _one("height", "83", "altitude", "altitude_m", "m", 0.01),
            _one("climb rate", "09", "climb_rate", "climb_rate_m_s", "m/s", 0.01),
            _one("speed", "13", "ground_speed", "ground_speed_m_s", "m/s", 0.01),
            _one("heading", "08", "heading", "heading_deg", "deg", 1),
            _one("motor speed", "02", "rpm", "speed_rpm", "rpm", 1),
            _one("ESC temperature", "01", "temperature", "temperature_c", "C", 0.1),
        ),
        (
            Message("voltage", ("voltage",), 3),
            Message("cell", ("cell voltage",), 3),
            Message("fuel", ("charge left",), 3),
            Message("current", ("current",), 3),
            Message("altitude", ("height",), 5),
            Message("climb_rate", ("climb rate",), 3),
            Message("latitude", ("position",), 5),
            Message("longitude", ("position",), 5),
            Message("ground_speed", ("speed",), 3),
            Message("heading", ("heading",), 3),
            Message("rpm", ("motor speed",), 3),
            Message("temperature", ("ESC temperature",), 3),
            _RSSI_PERCENT,
        ),
        polled=True,
    ),
    "CRSF": Telling(
        (
            _one("voltage", "08 voltage", "battery", "voltage_v", "V", 0.1),
            _one("LQ", "14 LQ", "link_statistics", "uplink_lq_percent", "%", 1),
            _one("RSSI", "14 RSSI", "link_statistics", "uplink_rssi_1_dbm", "dBm", 1),
            _one("SNR", "14 SNR", "link_statistics", "uplink_snr_db", "dB", 1),
            _one("charge left", "08 left", "battery", "remaining_percent", "%", 1),
            _one("used", "08 used", "battery", "used_mah", "mAh", 1),
            _one("current", "08 current", "battery", "current_a", "A", 0.1),
            Carried("position", "02 position", (("gps", "latitude_deg"), ("gps", "longitude_deg")), "deg", 1e-7),
            _one("satellites", "02 satellites", "gps", "satellites", "", 1),
            _one("height", "09", "baro_altitude", "altitude_m", "m", 0.1),
            _one("climb rate", "07", "vario", "climb_rate_m_s", "m/s", 0.01),
            _one("speed", "02 speed", "gps", "ground_speed_kmh", "km/h", 0.1, 1 / KMH_MPS),
            _one("heading", "02 heading", "gps", "heading_deg", "deg", 0.01),
            Carried("attitude", "1E", (("attitude", "roll_rad"), ("attitude", "pitch_rad"), ("attitude", "yaw_rad")), "rad", 0.0001, math.radians(1)),
            _one("flight mode", "21", "flight_mode", "mode", "", 0),
            _one("motor speed", "0C", "motor_speeds", "speed_1_rpm", "rpm", 1),
            _one("ESC temperature", "0D", "temperatures", "temperature_1_c", "C", 0.1),
            _one("transmitter power", "14 power", "link_statistics", "tx_power_mw", "mW", 1),
        ),
        (
            Message("battery", ("voltage", "current", "used", "charge left"), 10),
            Message("flight_mode", ("flight mode",), 12),
            Message("gps", ("satellites", "position", "speed", "heading"), 17),
            Message("baro_altitude", ("height",), 5),
            Message("vario", ("climb rate",), 4),
            Message("attitude", ("attitude",), 8),
            Message("motor_speeds", ("motor speed",), 6),
            Message("temperatures", ("ESC temperature",), 5),
            Message("link_statistics", ("RSSI", "LQ", "SNR", "transmitter power"), 12, by="receiver"),
        ),
        turn_s=0.1,
    ),
    "MAVLink": Telling(
        (
            _one("voltage", "147 voltage", "battery_status", "voltage_v", "V", 0.001),
            _one("RSSI", "109", "radio_status", "rssi_count", "of 254", 1),
            _one("charge left", "147 left", "battery_status", "remaining_percent", "%", 1),
            _one("used", "147 used", "battery_status", "used_mah", "mAh", 1),
            _one("current", "147 current", "battery_status", "current_a", "A", 0.01),
            Carried("position", "24 position", (("gps_raw_int", "latitude_deg"), ("gps_raw_int", "longitude_deg")), "deg", 1e-7),
            _one("satellites", "24 satellites", "gps_raw_int", "satellites", "", 1),
            _one("height", "74 height", "vfr_hud", "altitude_m", "m", 0.001),
            _one("climb rate", "74 climb", "vfr_hud", "climb_rate_m_s", "m/s", 0.001),
            _one("speed", "74 speed", "vfr_hud", "ground_speed_m_s", "m/s", 0.001),
            _one("heading", "74 heading", "vfr_hud", "heading_deg", "deg", 1),
            Carried("attitude", "30", (("attitude", "roll_rad"), ("attitude", "pitch_rad"), ("attitude", "yaw_rad")), "rad", 1e-6, math.radians(1)),
        ),
        (
            Message("battery_status", ("voltage", "current", "used", "charge left"), 48, 0.5),
            Message("gps_raw_int", ("satellites", "position"), 42, 0.5),
            Message("vfr_hud", ("height", "climb rate", "speed", "heading"), 32, 0.25),
            Message("attitude", ("attitude",), 40, 0.25),
            Message("radio_status", ("RSSI",), 21, by="receiver"),
        ),
    ),
}
USUAL_BAUD: Mapping[Job, int] = {
    "GPS": 57_600,
    "ESC telemetry": 115_200,
    "flow sensor": 115_200,
    "video link": 115_200,
}  # of a port with that job, unless it is told otherwise (ours)
LINK_EVERY_S = 0.5  # how often a receiver tells of the link by itself


METRES_A_DEGREE = 111_320.0


def apart_m(one: Sequence[float], other: Sequence[float]) -> float:
    """How far two positions (latitude, longitude, degrees) are apart, m; over the flat, which does for what a craft flies."""
    return METRES_A_DEGREE * math.hypot(other[0] - one[0], (other[1] - one[1]) * math.cos(math.radians(one[0])))


def carried_by(protocol: str, sensor: SensorName) -> Carried | None:
    """How a protocol carries a sensor; None where it does not, or is none that carries telemetry."""
    telling = TELLINGS.get(protocol)
    return telling.of(sensor) if telling else None


_ON_BOARD: frozenset[Sensor] = frozenset(("voltage", "current", "barometer", "gyro"))


def provided_by(sensor: SensorName, parts: KitParts) -> list[str]:
    """Who of a kit can tell a sensor, by name: the board by its own, a device by what it is called here. Empty where nobody can."""
    facts = FACTS[sensor]
    if facts.provider == "receiver":
        return [parts.maybe_receiver.name] if parts.maybe_receiver else []
    if facts.provider == "ESC":
        return [name for name, part in parts.devices.items() if part.serial and part.serial.protocol == "ESC telemetry"]
    board = parts.maybe_board
    if not facts.fitted:
        return [board.name] if board else []
    found = [board.name] if board and any(each in board.sensors for each in facts.fitted) else []
    return found + [name for name, part in parts.devices.items() if any(each in part.sensors and each not in _ON_BOARD for each in facts.fitted)]
