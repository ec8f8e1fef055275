"""Hub telemetry: records of an id and 16 bits between 5E bytes, one way from the board to the receiver, no checksum.

A value in two parts (before and after the point) is given when its second part comes. The period of the frames and the units of speed in rpm, of
cells and of accelerations are fairly sure facts only.
"""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.protocols.base import BadFrame, Field, Frame, SerialSpec, TelemetryFrame, Values, byte_field
from linkcore.protocols.finding import FlagDecoder, stuffed
from linkcore.signal.uart import UartSettings

FLAG, ESCAPE, FLIP = 0x5E, 0x5D, 0x60
GPS_ALTITUDE, TEMPERATURE_1, RPM, FUEL, TEMPERATURE_2, CELLS = 0x01, 0x02, 0x03, 0x04, 0x05, 0x06
ALTITUDE, GPS_SPEED, LONGITUDE, LATITUDE, COURSE = 0x10, 0x11, 0x12, 0x13, 0x14
CURRENT, VARIO, VOLTAGE, VOLTAGE_BEFORE, VOLTAGE_AFTER = 0x28, 0x30, 0x39, 0x3A, 0x3B
_FRACTION_OF = {0x09: GPS_ALTITUDE, 0x19: GPS_SPEED, 0x1A: LONGITUDE, 0x1B: LATITUDE, 0x1C: COURSE, 0x21: ALTITUDE, VOLTAGE_AFTER: VOLTAGE_BEFORE}
_HALVES = frozenset(_FRACTION_OF.values())
_IDS = frozenset((*range(1, 7), 9, *range(0x10, 0x1D), 0x21, 0x22, 0x23, 0x24, 0x25, 0x26, CURRENT, VARIO, VOLTAGE, VOLTAGE_BEFORE, VOLTAGE_AFTER))
_SIGNED = frozenset((GPS_ALTITUDE, TEMPERATURE_1, TEMPERATURE_2, ALTITUDE, 0x24, 0x25, 0x26, VARIO))
_WHOLE: Mapping[int, tuple[str, str, float]] = {
    TEMPERATURE_1: ("temperature_1", "temperature_c", 1),
    TEMPERATURE_2: ("temperature_2", "temperature_c", 1),
    RPM: ("rpm", "revolutions_per_s_and_blade", 1),
    FUEL: ("fuel", "fuel_percent", 1),
    0x24: ("acceleration_x", "acceleration_g", 0.001),
    0x25: ("acceleration_y", "acceleration_g", 0.001),
    0x26: ("acceleration_z", "acceleration_g", 0.001),
    CURRENT: ("current", "current_a", 0.1),
    VARIO: ("vario", "climb_rate_m_s", 0.01),
    VOLTAGE: ("voltage", "voltage_v", 0.1),
}


def encode_record(sensor_id: int, value: int) -> bytes:
    """One record without the 5E that closes it: the next record's 5E does."""
    return bytes((FLAG, sensor_id)) + stuffed((value & 0xFFFF).to_bytes(2, "little"), FLAG, ESCAPE, FLIP)


def encode(records: Mapping[int, int]) -> bytes:
    """A whole frame of ids and 16-bit values."""
    return b"".join(encode_record(sensor_id, value) for sensor_id, value in records.items()) + bytes((FLAG,))


class HubDecoder(FlagDecoder):
    """See FlagDecoder."""

    flag, escape, flip, longest = FLAG, ESCAPE, FLIP, 4

    def __init__(self) -> None:
        super().__init__()
        self._before: dict[int, int] = {}
        self._degrees: dict[int, float] = {}

    def _segment(self, data: bytes, flag_t: float | None, times: list[float]) -> list[Frame]:
        if len(data) != 3 or data[0] not in _IDS:
            return [BadFrame(flag_t, f"{len(data)} bytes between flags instead of 3" if len(data) != 3 else f"no value has the id {data[0]:02X}")]
        sensor_id, value = data[0], int.from_bytes(data[1:], "little", signed=data[0] in _SIGNED)
        if sensor_id in _HALVES:
            self._before[sensor_id] = value
            return []
        whole = _FRACTION_OF.get(sensor_id)
        if whole is not None:
            return self._joined(whole, value, flag_t) if whole in self._before else []
        if sensor_id in (0x22, 0x23):
            return self._placed(sensor_id, value & 0xFF, flag_t)
        if sensor_id == CELLS:
            return [TelemetryFrame(flag_t, "cells", {"cell": (data[1] >> 4) + 1, "cell_v": ((data[1] & 0xF) << 8 | data[2]) / 500})]
        known = _WHOLE.get(sensor_id)
        if known is None:
            return [TelemetryFrame(flag_t, "clock", {f"part_{sensor_id:02x}": value})]
        sensor, name, factor = known
        return [TelemetryFrame(flag_t, sensor, {name: round(value * factor, 3) if factor != 1 else value})]

    def _joined(self, whole: int, after: int, t: float | None) -> list[Frame]:
        before = self._before[whole]
        sign = -1 if before < 0 else 1
        values: tuple[str, Values]
        if whole in (LONGITUDE, LATITUDE):
            self._degrees[whole] = round(before // 100 + (before % 100 + after / 10_000) / 60, 6)
            return []
        if whole == VOLTAGE_BEFORE:
            values = "voltage", {"voltage_v": round((before + after / 10) * 21 / 11, 2)}
        elif whole == GPS_SPEED:
            values = "gps_speed", {"ground_speed_kt": round(before + after / 100, 2)}
        elif whole == COURSE:
            values = "course", {"course_deg": round(before + after / 100, 2)}
        else:
            name = "altitude" if whole == ALTITUDE else "gps_altitude"
            values = name, {"altitude_m": round(before + sign * after / 100, 2)}
        return [TelemetryFrame(t, *values)]

    def _placed(self, sensor_id: int, letter: int, t: float | None) -> list[Frame]:
        whole, name, south = (LONGITUDE, "longitude", "W") if sensor_id == 0x22 else (LATITUDE, "latitude", "S")
        degrees = self._degrees.get(whole)
        if degrees is None:
            return []
        return [TelemetryFrame(t, name, {f"{name}_deg": -degrees if chr(letter) == south else degrees})]


def explain(frame: bytes) -> list[Field]:
    """A record laid open: what stands between two flags, stuffing already out."""
    if len(frame) != 3:
        return [byte_field("record", frame, 0, len(frame), ok=False)]
    known = _WHOLE.get(frame[0])
    return [byte_field("id", frame, 0, means=known[0].replace("_", " ") if known else "", ok=frame[0] in _IDS), byte_field("value", frame, 1, 2)]


SPEC = SerialSpec(
    name="hub telemetry",
    role="telemetry",
    uart=UartSettings(9600, inverted=True),
    channels=0,
    frame_bytes=4,
    periods_s=(0.2, 1.0),
    decoder=HubDecoder,
    explain=explain,
    stuffing=(FLAG, ESCAPE, FLIP),
)
