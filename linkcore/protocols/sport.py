"""S.Port: the receiver polls an id, the sensor with that id answers on the same wire; and the frames and sums that F.Port shares with it.

A poll is 7E and an id of 5 bits with 3 check bits. An answer has 8 bytes, stuffed, with no 7E of its own. That an empty answer has the first byte
00, and the scales of cells and of the receiver's battery, are fairly sure facts only.
"""

from __future__ import annotations

import struct

from linkcore.protocols.base import BadFrame, Field, Frame, PollFrame, SerialSpec, TelemetryFrame, Values, byte_field, checksum_field, named_values
from linkcore.protocols.finding import FlagDecoder, stuffed
from linkcore.signal.uart import UartSettings

FLAG, ESCAPE, FLIP = 0x7E, 0x7D, 0x20
DATA, EMPTY = 0x10, 0x00
BOARD_ID = 0x1B

# id without its instance digit: (sensor, name with unit, factor)
_SENSORS: dict[int, tuple[str, str, float]] = {
    0x0100: ("altitude", "altitude_m", 0.01),
    0x0110: ("vario", "climb_rate_m_s", 0.01),
    0x0200: ("current", "current_a", 0.1),
    0x0210: ("voltage", "voltage_v", 0.01),
    0x0400: ("temperature_1", "temperature_c", 1),
    0x0410: ("temperature_2", "temperature_c", 1),
    0x0500: ("rpm", "speed_rpm", 1),
    0x0600: ("fuel", "fuel_percent", 1),
    0x0700: ("acceleration_x", "acceleration_g", 0.01),
    0x0710: ("acceleration_y", "acceleration_g", 0.01),
    0x0720: ("acceleration_z", "acceleration_g", 0.01),
    0x0820: ("gps_altitude", "altitude_m", 0.01),
    0x0830: ("gps_speed", "ground_speed_kt", 0.001),
    0x0840: ("heading", "heading_deg", 0.01),
    0x0900: ("a3", "voltage_v", 0.01),
    0x0910: ("a4", "voltage_v", 0.01),
    0x0A00: ("airspeed", "airspeed_kt", 0.1),
}
_SINGLE: dict[int, tuple[str, str, float]] = {
    0xF101: ("rssi", "rssi_percent", 1),
    0xF102: ("a1", "count", 1),
    0xF103: ("a2", "count", 1),
    0xF104: ("receiver_battery", "voltage_v", 13.2 / 255),
    0xF105: ("swr", "count", 1),
}
_SIGNED = frozenset((0x0100, 0x0110, 0x0400, 0x0410, 0x0700, 0x0710, 0x0720, 0x0820))


def poll_id(number: int) -> int:
    """The byte that asks sensor 0 to 27: its number with three check bits."""
    bits = [number >> place & 1 for place in range(5)]
    return number | (bits[0] ^ bits[1] ^ bits[2]) << 5 | (bits[2] ^ bits[3] ^ bits[4]) << 6 | (bits[0] ^ bits[2] ^ bits[4]) << 7


POLL_IDS = {poll_id(number): number for number in range(28)}


def checksum(data: bytes | bytearray) -> int:
    """FF less the sum with the carry taken round at every byte."""
    total = 0
    for byte in data:
        total += byte
        total = (total & 0xFF) + (total >> 8)
    return 0xFF - total


def encode_poll(number: int) -> bytes:
    """The receiver asks sensor 0 to 27."""
    return bytes((FLAG, poll_id(number)))


def encode_data(app_id: int, value: int, prim: int = DATA) -> bytes:
    """The seven bytes of an answer before checksum and stuffing; `value` of 32 bits, negative ones as two's complement."""
    return struct.pack("<BHI", prim, app_id, value & 0xFFFFFFFF)


def encode_answer(app_id: int, value: int) -> bytes:
    """A sensor's answer as it goes over the wire."""
    body = encode_data(app_id, value)
    return stuffed(body + bytes((checksum(body),)), FLAG, ESCAPE, FLIP)


def values_of(app_id: int, value: int) -> tuple[str, Values]:
    """(sensor, values) of an id and its 32 bits."""
    single = _SINGLE.get(app_id)
    if single:
        sensor, name, factor = single
        return sensor, {name: round((value & 0xFF) * factor, 2) if factor != 1 else value & 0xFF}
    kind = app_id & 0xFFF0
    if kind == 0x0800:
        degrees = (value & 0x3FFFFFFF) / 600_000 * (-1 if value & 1 << 30 else 1)
        return ("longitude", {"longitude_deg": round(degrees, 6)}) if value & 1 << 31 else ("latitude", {"latitude_deg": round(degrees, 6)})
    if kind == 0x0300:
        first, count = value & 0xF, value >> 4 & 0xF
        return "cells", {"first_cell": first + 1, "cells": count, "cell_a_v": round((value >> 8 & 0xFFF) / 500, 3), "cell_b_v": round((value >> 20) / 500, 3)}
    known = _SENSORS.get(kind)
    if known is None:
        return f"id_{app_id:04x}", {"count": value}
    sensor, name, factor = known
    number = value - (1 << 32) if kind in _SIGNED and value & 1 << 31 else value
    return sensor, {name: round(number * factor, 3) if factor != 1 else number}


def data_frame(body: bytes, t: float | None) -> TelemetryFrame:
    """The frame of the seven bytes of an answer."""
    _, app_id, value = struct.unpack("<BHI", body)
    return TelemetryFrame(t, *values_of(app_id, value))


class SportDecoder(FlagDecoder):
    """See FlagDecoder. An answer's time is that of its first byte."""

    flag, escape, flip, longest = FLAG, ESCAPE, FLIP, 9

    def _segment(self, data: bytes, flag_t: float | None, times: list[float]) -> list[Frame]:
        if data[0] not in POLL_IDS:
            return [BadFrame(flag_t, "no sensor has this id")]
        answer, t = data[1:], times[1] if len(times) > 1 else None
        if not answer:
            return []
        if len(answer) != 8 or checksum(answer[:7]) != answer[7] or answer[0] not in (DATA, EMPTY):
            return [BadFrame(t, "length or checksum of the answer do not fit")]
        return [] if answer[0] == EMPTY else [data_frame(answer[:7], t)]

    def _first(self, byte: int, flag_t: float | None, times: list[float]) -> list[Frame]:
        return [PollFrame(flag_t, f"sensor {POLL_IDS[byte]}", times[0] if times else None)] if byte in POLL_IDS else []


def explain(frame: bytes) -> list[Field]:
    """A poll or an answer laid open; stuffing is already out."""
    if frame[:1] == bytes((FLAG,)) and len(frame) >= 2:
        number = POLL_IDS.get(frame[1])
        return [
            byte_field("flag", frame, 0),
            byte_field("poll", frame, 1, means=f"asks sensor {number}" if number is not None else "no such id", ok=number is not None),
        ]
    if len(frame) != 8:
        return [byte_field("first byte", frame, 0)]
    sensor, values = values_of(*struct.unpack("<HI", frame[1:7]))
    return [
        byte_field("kind", frame, 0, means="data" if frame[0] == DATA else "empty"),
        byte_field("id", frame, 1, 2, means=sensor.replace("_", " ")),
        byte_field("value", frame, 3, 4, means=named_values(values)),
        checksum_field(frame, 7, checksum(frame[:7]), name="checksum"),
    ]


SPEC = SerialSpec(
    name="S.Port",
    role="telemetry",
    uart=UartSettings(57_600, inverted=True),
    channels=0,
    frame_bytes=8,
    periods_s=(0.012,),
    one_way=False,
    half_duplex=True,
    checksum=True,
    decoder=SportDecoder,
    explain=explain,
    stuffing=(FLAG, ESCAPE, FLIP),
    flagged_poll=True,
)
