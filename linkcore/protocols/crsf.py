"""CRSF: address, length, type, payload, CRC-8/DVB-S2 over type and payload; channels one way, telemetry the other.

The CRC covers neither address nor length, so a frame of a known type counts only at that type's own length; a frame of
an unknown type counts only right behind a good one. Vario, GPS speed in 0.1 km/h as deployed, and the flight mode's
longest text are fairly sure facts only; so are motor speeds (0C) and temperatures (0D), and
the barometer's packed height, of which only the first two bytes are read.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Sequence

from fastcrc import crc8

from linkcore.protocols.base import ChannelFrame, Encoder, Field, Frame, Sent, SerialSpec, TelemetryFrame, Values, byte_field, checksum_field, named_values
from linkcore.protocols.counts import channel_fields, pack_channels, pack_us, unpack_channels
from linkcore.protocols.finding import ScanDecoder
from linkcore.signal.uart import UartSettings

FLIGHT_CONTROLLER = 0xC8
ADDRESSES = frozenset((0xC8, 0xEA, 0xEC, 0xEE))
CHANNELS = 0x16
LINK_STATISTICS = 0x14
GAP_S = 0.0003  # a pause inside a frame; a byte takes 24 us
TX_POWER_MW = (0, 10, 25, 100, 500, 1000, 2000, 250, 50)


def encode(kind: int, payload: bytes, address: int = FLIGHT_CONTROLLER) -> bytes:
    """A whole frame. `payload` holds at most 60 bytes."""
    if len(payload) > 60:
        raise ValueError(f"a payload of {len(payload)} bytes does not fit; 60 do")
    body = bytes((kind,)) + payload
    return bytes((address, len(body) + 1)) + body + bytes((crc8.dvb_s2(body),))


def encode_channels(raw: Sequence[int]) -> bytes:
    """A channel frame from 16 counts (0..2047)."""
    return encode(CHANNELS, pack_channels(raw))


def encode_link_statistics(
    *, rssi_dbm: int, lq_percent: int, snr_db: int, rf_mode: int = 2, tx_power_mw: int = 100, downlink_rssi_dbm: int = -60, downlink_lq_percent: int = 100
) -> bytes:
    """A link statistics frame; both antennas report the same RSSI."""
    antenna = min(255, max(0, -rssi_dbm))
    payload = struct.pack(
        "BBBbBBBBBb",
        antenna,
        antenna,
        lq_percent,
        snr_db,
        0,
        rf_mode,
        TX_POWER_MW.index(tx_power_mw),
        min(255, max(0, -downlink_rssi_dbm)),
        downlink_lq_percent,
        snr_db,
    )
    return encode(LINK_STATISTICS, payload)


def encode_battery(*, voltage_v: float, current_a: float, used_mah: int, remaining_percent: int) -> bytes:
    """A battery frame."""
    return encode(0x08, struct.pack(">HH", round(voltage_v * 10), round(current_a * 10)) + used_mah.to_bytes(3, "big") + bytes((remaining_percent,)))


def encode_attitude(*, pitch_rad: float, roll_rad: float, yaw_rad: float) -> bytes:
    """An attitude frame."""
    return encode(0x1E, struct.pack(">hhh", *(round(value * 10000) for value in (pitch_rad, roll_rad, yaw_rad))))


def encode_flight_mode(mode: str) -> bytes:
    """A flight mode frame; at most 15 letters go."""
    return encode(0x21, mode.encode("ascii", "replace")[:15] + b"\0")


def encode_gps(*, latitude_deg: float, longitude_deg: float, ground_speed_kmh: float, heading_deg: float, altitude_m: float, satellites: int) -> bytes:
    """A GPS frame."""
    place = (round(latitude_deg * 1e7), round(longitude_deg * 1e7), round(ground_speed_kmh * 10), round(heading_deg * 100) % 36000)
    return encode(0x02, struct.pack(">iiHHHB", *place, min(65535, max(0, round(altitude_m) + 1000)), satellites))


def encode_vario(climb_m_s: float) -> bytes:
    """A climb rate frame."""
    return encode(0x07, struct.pack(">h", max(-32768, min(32767, round(climb_m_s * 100)))))


def encode_speeds(speeds_rpm: Sequence[float], source: int = 0) -> bytes:
    """A frame of motor speeds, 1 to 19 of them, in rpm of the motors themselves."""
    return encode(0x0C, bytes((source,)) + b"".join(round(speed).to_bytes(3, "big", signed=True) for speed in speeds_rpm))


def encode_temperatures(temperatures_c: Sequence[float], source: int = 0) -> bytes:
    """A frame of temperatures, in tenths of a degree."""
    return encode(0x0D, bytes((source,)) + b"".join(round(each * 10).to_bytes(2, "big", signed=True) for each in temperatures_c))


def encode_altitude(altitude_m: float) -> bytes:
    """A barometer frame without its speed: in dm up to 2276 m, beyond that in m."""
    decimetres = round(altitude_m * 10) + 10000
    return encode(0x09, struct.pack(">H", decimetres if 0 <= decimetres < 0x8000 else 0x8000 | min(0x7FFF, max(0, round(altitude_m)))))


def _link_statistics(payload: bytes) -> Values:
    rssi1, rssi2, lq, snr, antenna, mode, power, down_rssi, down_lq, down_snr = struct.unpack("BBBbBBBBBb", payload)
    return {
        "uplink_rssi_1_dbm": -rssi1,
        "uplink_rssi_2_dbm": -rssi2,
        "uplink_lq_percent": lq,
        "uplink_snr_db": snr,
        "antenna": antenna + 1,
        "rf_mode": mode,
        "tx_power_mw": TX_POWER_MW[power] if power < len(TX_POWER_MW) else -1,
        "downlink_rssi_dbm": -down_rssi,
        "downlink_lq_percent": down_lq,
        "downlink_snr_db": down_snr,
    }


def _battery(payload: bytes) -> Values:
    voltage, current = struct.unpack(">HH", payload[:4])
    return {
        "voltage_v": voltage / 10,
        "current_a": current / 10,
        "used_mah": int.from_bytes(payload[4:7], "big"),
        "remaining_percent": payload[7],
    }


def _gps(payload: bytes) -> Values:
    latitude, longitude, speed, heading, altitude, satellites = struct.unpack(">iiHHHB", payload)
    return {
        "latitude_deg": latitude / 1e7,
        "longitude_deg": longitude / 1e7,
        "ground_speed_kmh": speed / 10,
        "heading_deg": heading / 100,
        "altitude_m": altitude - 1000,
        "satellites": satellites,
    }


def _vario(payload: bytes) -> Values:
    return {"climb_rate_m_s": int.from_bytes(payload, "big", signed=True) / 100}


def _altitude(payload: bytes) -> Values:
    packed = int.from_bytes(payload[:2], "big")
    return {"altitude_m": float(packed & 0x7FFF) if packed & 0x8000 else (packed - 10000) / 10}


def _speeds(payload: bytes) -> Values:
    return {f"speed_{at // 3 + 1}_rpm": int.from_bytes(payload[at : at + 3], "big", signed=True) for at in range(1, len(payload) - 2, 3)}


def _temperatures(payload: bytes) -> Values:
    return {f"temperature_{at // 2 + 1}_c": int.from_bytes(payload[at : at + 2], "big", signed=True) / 10 for at in range(1, len(payload) - 1, 2)}


def _attitude(payload: bytes) -> Values:
    pitch, roll, yaw = struct.unpack(">hhh", payload)
    return {"pitch_rad": pitch / 10000, "roll_rad": roll / 10000, "yaw_rad": yaw / 10000}


def _flight_mode(payload: bytes) -> Values:
    return {"mode": payload.split(b"\0")[0].decode("ascii", "replace")}


# type: (sensor, payload length or None where it varies, reader)
_TELEMETRY: dict[int, tuple[str, int | None, Callable[[bytes], Values]]] = {
    0x02: ("gps", 15, _gps),
    0x07: ("vario", 2, _vario),
    0x08: ("battery", 8, _battery),
    0x09: ("baro_altitude", None, _altitude),
    0x0C: ("motor_speeds", None, _speeds),
    0x0D: ("temperatures", None, _temperatures),
    LINK_STATISTICS: ("link_statistics", 10, _link_statistics),
    0x1E: ("attitude", 6, _attitude),
    0x21: ("flight_mode", None, _flight_mode),
}
_FIXED_LENGTH = {kind: length + 2 for kind, (_, length, _) in _TELEMETRY.items() if length is not None} | {CHANNELS: 24}


class CrsfDecoder(ScanDecoder):
    """See ScanDecoder."""

    starts = ADDRESSES
    gap_s = GAP_S
    what_fails = "address, length or CRC do not fit"

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if at + 1 == size:
            return None
        length = held[at + 1]
        if not 2 <= length <= 62:
            return 0
        if at + 2 == size:
            return None
        kind = held[at + 2]
        if _FIXED_LENGTH.get(kind, length) != length:
            return 0
        if kind not in _FIXED_LENGTH and kind not in _TELEMETRY and not self._in_step:
            return 0
        return 2 + length

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        body = frame[2:-1]
        if crc8.dvb_s2(body) != frame[-1]:
            return None
        kind, payload = body[0], body[1:]
        if kind == CHANNELS:
            raw, us = unpack_channels(payload)
            return ChannelFrame(t, us, raw)
        if kind in _TELEMETRY and len(payload) >= 1 + (kind == 0x09):
            sensor, _, read = _TELEMETRY[kind]
            return TelemetryFrame(t, sensor, read(payload))
        return TelemetryFrame(t, f"type_{kind:02x}", {"payload_hex": payload.hex()})


class CrsfEncoder(Encoder):
    """See Encoder. The loss of the link is not in the frame: a receiver stops, or sends its preset."""

    def frame(self, sent: Sent) -> bytes:
        """See Encoder."""
        return encode(CHANNELS, pack_us(sent.us))


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    if len(frame) < 2:
        return [byte_field("address", frame, 0, ok=False)]
    fields = [byte_field("address", frame, 0, means=_ADDRESS_NAMES.get(frame[0], "")), byte_field("length", frame, 1, means=f"{frame[1]} bytes follow")]
    if len(frame) < 4:
        return fields
    body = frame[2:-1]
    kind, payload = body[0], body[1:]
    if kind == CHANNELS and len(payload) == 22:
        fields += [byte_field("type", frame, 2, means="channels"), *channel_fields(3, payload)]
    elif kind in _TELEMETRY and _TELEMETRY[kind][1] in (None, len(payload)):
        sensor, _, read = _TELEMETRY[kind]
        fields.append(byte_field("type", frame, 2, means=sensor.replace("_", " ")))
        fields.append(byte_field("payload", frame, 3, len(payload), order="big", means=named_values(read(payload))))
    else:
        fields += [byte_field("type", frame, 2), byte_field("payload", frame, 3, len(payload), order="big")]
    return [*fields, checksum_field(frame, len(frame) - 1, crc8.dvb_s2(body))]


_ADDRESS_NAMES = {0xC8: "flight controller", 0xEA: "handset", 0xEC: "receiver", 0xEE: "transmitter module"}

SPEC = SerialSpec(
    name="CRSF",
    uart=UartSettings(420_000),
    channels=16,
    frame_bytes=26,
    periods_s=(0.02, 1 / 150, 0.004, 0.002, 0.001),
    step_us=0.625,
    one_way=False,
    checksum=True,
    decoder=CrsfDecoder,
    encoder=CrsfEncoder,
    explain=explain,
)
