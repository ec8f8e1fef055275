"""MAVLink 2 (and version 1): frames are found here, messages are read by the pymavlink library, which also knows each message's extra CRC byte.

The library's table of messages is large, so it is loaded when the first frame is in sight.
"""

from __future__ import annotations

import functools
from typing import Any

from fastcrc import crc16

from linkcore.protocols.base import ChannelFrame, Field, Frame, SerialSpec, TelemetryFrame, Values, byte_field, checksum_field
from linkcore.protocols.finding import ScanDecoder
from linkcore.signal.uart import UartSettings

MAGIC_2, MAGIC_1 = 0xFD, 0xFE
SIGNED = 0x01
RC_CHANNELS, RADIO_STATUS, BATTERY_STATUS, HEARTBEAT = 65, 109, 147, 0
UNUSED = 65535
GAP_S = 0.002


@functools.cache
def _dialect() -> Any:
    from pymavlink.dialects.v20 import common

    return common


def encode(message: str, sequence: int = 0, system: int = 1, component: int = 1, **fields: Any) -> bytes:
    """A version 2 frame of a message by its name in small letters, such as `heartbeat`."""
    link = _dialect().MAVLink(None, srcSystem=system, srcComponent=component)
    link.seq = sequence & 0xFF
    return bytes(getattr(link, f"{message}_encode")(**fields).pack(link))


class MavlinkDecoder(ScanDecoder):
    """See ScanDecoder. Messages other than those of the common set cannot be checked and count as bad."""

    starts = frozenset((MAGIC_2, MAGIC_1))
    gap_s = GAP_S
    what_fails = "length or CRC do not fit"

    def __init__(self) -> None:
        super().__init__()
        self._link: Any = None

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if held[at] == MAGIC_1:
            return 8 + held[at + 1] if at + 1 < size else None
        if at + 2 >= size:
            return None
        if held[at + 2] & ~SIGNED:
            return 0
        return 12 + held[at + 1] + (13 if held[at + 2] & SIGNED else 0)

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        common = _dialect()
        known = common.mavlink_map.get(_message_id(frame))
        if known is None or _reckoned(frame, known.crc_extra) != _sent_crc(frame):
            return None
        self._link = self._link or common.MAVLink(None)
        try:
            message = self._link.decode(bytearray(frame))
        except common.MAVError:
            return None
        return _frame(message, t)


def _frame(message: Any, t: float | None) -> Frame:
    kind = message.get_type()
    if kind == "RC_CHANNELS":
        raw = [getattr(message, f"chan{number}_raw") for number in range(1, 19)]
        there = tuple(number for number, value in enumerate(raw, 1) if value != UNUSED)
        values = tuple(raw[number - 1] for number in there)
        plain = there == tuple(range(1, len(there) + 1))
        return ChannelFrame(t, tuple(float(value) for value in values), values, numbers=None if plain else there)
    values_of: dict[str, Values] = {}
    if kind == "HEARTBEAT":
        values_of[kind] = {"vehicle_type": message.type, "base_mode": message.base_mode, "system_status": message.system_status}
    elif kind == "RADIO_STATUS":
        values_of[kind] = {
            "rssi_count": message.rssi,
            "remote_rssi_count": message.remrssi,
            "buffer_free_percent": message.txbuf,
            "noise_count": message.noise,
            "remote_noise_count": message.remnoise,
            "receive_errors": message.rxerrors,
            "corrected_packets": message.fixed,
        }
    elif kind == "BATTERY_STATUS":
        cells = [value / 1000 for value in message.voltages if value != UNUSED]
        found: Values = {"voltage_v": round(sum(cells), 3), "cells": len(cells)}
        if message.current_battery != -1:
            found["current_a"] = message.current_battery / 100
        if message.current_consumed != -1:
            found["used_mah"] = message.current_consumed
        if message.battery_remaining != -1:
            found["remaining_percent"] = message.battery_remaining
        if message.temperature != 32767:
            found["temperature_c"] = message.temperature / 100
        values_of[kind] = found
    elif kind == "GPS_RAW_INT":
        values_of[kind] = {"fix": message.fix_type, "satellites": message.satellites_visible}
        if message.fix_type >= 2:
            values_of[kind] |= {"latitude_deg": message.lat / 1e7, "longitude_deg": message.lon / 1e7}
    elif kind == "VFR_HUD":
        values_of[kind] = {
            "altitude_m": round(message.alt, 3),
            "climb_rate_m_s": round(message.climb, 3),
            "ground_speed_m_s": round(message.groundspeed, 3),
            "heading_deg": message.heading,
        }
    elif kind == "ATTITUDE":
        values_of[kind] = {"roll_rad": round(message.roll, 6), "pitch_rad": round(message.pitch, 6), "yaw_rad": round(message.yaw, 6)}
    elif kind == "DISTANCE_SENSOR":
        values_of[kind] = {"distance_m": message.current_distance / 100}
    elif kind == "OPTICAL_FLOW_RAD":
        values_of[kind] = {"quality": message.quality, "distance_m": round(message.distance, 3)}
    return TelemetryFrame(t, kind.lower(), values_of.get(kind, {"message_id": message.get_msgId()}))


def _message_id(frame: bytes) -> int:
    return int.from_bytes(frame[7:10], "little") if frame[0] == MAGIC_2 else frame[5]


def _body_end(frame: bytes) -> int:
    return (10 if frame[0] == MAGIC_2 else 6) + frame[1]


def _sent_crc(frame: bytes) -> int:
    end = _body_end(frame)
    return int.from_bytes(frame[end : end + 2], "little")


def _reckoned(frame: bytes, extra: int) -> int:
    return crc16.mcrf4xx(frame[1 : _body_end(frame)] + bytes((extra,)))


def _channel_fields(frame: bytes, begin: int, end: int) -> list[Field]:
    """RC_CHANNELS in wire order; zeros at its end are not sent."""
    names = [("time since start", 4, " ms"), *((f"CH{number}", 2, " us") for number in range(1, 19)), ("channels", 1, ""), ("RSSI", 1, " of 254")]
    fields, at = [], begin
    for name, size, unit in names:
        size = min(size, end - at)
        if size <= 0:
            break
        value = int.from_bytes(frame[at : at + size], "little")
        fields.append(byte_field(name, frame, at, size, means="unused" if size == 2 and value == UNUSED else f"{value}{unit}"))
        at += size
    return fields


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    second = frame[0] == MAGIC_2
    if len(frame) < (12 if second else 8):
        return [byte_field("magic", frame, 0, ok=False)]
    known = _dialect().mavlink_map.get(_message_id(frame))
    name = known.msgname if known else "not of the common set"
    fields = [byte_field("magic", frame, 0, means="version 2" if second else "version 1"), byte_field("length", frame, 1, means="bytes of payload")]
    if second:
        fields += [byte_field("incompatible flags", frame, 2, means="signed" if frame[2] & SIGNED else ""), byte_field("compatible flags", frame, 3)]
    at = 4 if second else 2
    fields += [byte_field("sequence", frame, at), byte_field("system", frame, at + 1), byte_field("component", frame, at + 2)]
    fields.append(byte_field("message", frame, at + 3, 3 if second else 1, means=name))
    end = _body_end(frame)
    begin = 10 if second else 6
    if _message_id(frame) == RC_CHANNELS:
        fields += _channel_fields(frame, begin, end)
    else:
        fields.append(byte_field("payload", frame, begin, frame[1]))
    fields.append(checksum_field(frame, end, _reckoned(frame, known.crc_extra if known else 0), 2))
    return fields


SPEC = SerialSpec(
    name="MAVLink",
    role="telemetry",
    uart=UartSettings(57_600),
    channels=18,
    frame_bytes=54,
    periods_s=(0.02, 0.2, 1.0),
    step_us=1.0,
    one_way=False,
    checksum=True,
    late=True,
    decoder=MavlinkDecoder,
    explain=explain,
)
