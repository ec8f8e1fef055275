"""CRSF: address, length, type, payload, CRC-8/DVB-S2 over type and payload; channels one way, telemetry the other.

The CRC covers neither address nor length, so a frame of a known type counts only at that type's own length; a frame of
an unknown type counts only right behind a good one. Vario, GPS speed in 0.1 km/h as deployed, and the flight mode's
longest text are fairly sure facts only.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Sequence

from fastcrc import crc8

from linkcore.protocols.base import (
    BadFrame,
    ChannelFrame,
    Decoder,
    Frame,
    ProtocolSpec,
    TelemetryFrame,
    pack_channels,
    unpack_channels,
)
from linkcore.signal.uart import UartSettings

FLIGHT_CONTROLLER = 0xC8
ADDRESSES = frozenset((0xC8, 0xEA, 0xEC, 0xEE))
CHANNELS = 0x16
LINK_STATISTICS = 0x14
GAP_S = 0.0003  # a pause inside a frame; a byte takes 24 us
TX_POWER_MW = (0, 10, 25, 100, 500, 1000, 2000, 250, 50)

Values = dict[str, float | int | str]


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
    LINK_STATISTICS: ("link_statistics", 10, _link_statistics),
    0x1E: ("attitude", 6, _attitude),
    0x21: ("flight_mode", None, _flight_mode),
}
_FIXED_LENGTH = {kind: length + 2 for kind, (_, length, _) in _TELEMETRY.items() if length is not None} | {CHANNELS: 24}


class CrsfDecoder(Decoder):
    """See Decoder."""

    def __init__(self) -> None:
        self._bytes = bytearray()
        self._times: list[float] = []
        self._errors: list[int] = []
        self._timed = False
        self._in_step = False  # the byte before belonged to a good frame
        self._seen_good = False
        self._seen_gap = False
        self._skipping = False
        self._last: float | None = None

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        self._bytes += data
        self._errors.extend(errors if errors is not None else bytes(len(data)))
        if times is not None:
            self._timed = True
            self._times.extend(times)
        return self._scan()

    def finish(self) -> list[Frame]:
        """See Decoder."""
        return self._scan(at_end=True)

    def _scan(self, at_end: bool = False) -> list[Frame]:
        held = self._bytes
        frames: list[Frame] = []
        at = 0
        size = len(held)
        while at < size:
            self._notice_gap(at)
            outcome = self._frame_at(at, size, at_end)
            if outcome is None:
                break
            length, frame = outcome
            if length:
                frames.append(frame) if frame else None
                self._in_step, self._seen_good, self._skipping = True, True, False
                at += length
            else:
                cut_by_the_end = at_end and held[at] in ADDRESSES
                if not self._skipping and not cut_by_the_end and (self._seen_good or self._seen_gap):
                    frames.append(BadFrame(self._times[at] if self._timed else None, "address, length or CRC do not fit"))
                self._skipping, self._in_step = True, False
                at += 1
            if self._timed:
                self._last = self._times[at - 1]
        del held[:at], self._errors[:at]
        if self._timed:
            del self._times[:at]
        return frames

    def _notice_gap(self, at: int) -> None:
        """Silence ends a run of skipped bytes: what follows is a frame of its own."""
        if self._timed and self._last is not None and self._times[at] - self._last > GAP_S:
            self._seen_gap = True
            self._skipping = False

    def _frame_at(self, at: int, size: int, at_end: bool) -> tuple[int, Frame | None] | None:
        """(length, frame) of the frame that begins at `at`; length 0 where none does; None where more bytes are needed."""
        held = self._bytes
        if held[at] not in ADDRESSES:
            return 0, None
        if at + 1 == size:
            return (0, None) if at_end else None
        length = held[at + 1]
        if not 2 <= length <= 62:
            return 0, None
        end = at + 2 + length
        there = min(end, size)
        if self._timed and there - at > 1 and self._has_pause(at, there):
            return 0, None
        if at + 2 < size:
            kind = held[at + 2]
            if _FIXED_LENGTH.get(kind, length) != length:
                return 0, None
            if kind not in _FIXED_LENGTH and kind not in _TELEMETRY and not self._in_step:
                return 0, None
        if end > size:
            return (0, None) if at_end else None
        body = bytes(held[at + 2 : end - 1])
        if any(self._errors[at:end]) or crc8.dvb_s2(body) != held[end - 1]:
            return 0, None
        return 2 + length, self._read(body, self._times[at] if self._timed else None)

    def _has_pause(self, start: int, end: int) -> bool:
        times = self._times
        if times[end - 1] - times[start] <= (end - start) * 60e-6:  # the common case, settled at one glance
            return False
        return any(times[i + 1] - times[i] > GAP_S for i in range(start, end - 1))

    @staticmethod
    def _read(body: bytes, t: float | None) -> Frame:
        kind, payload = body[0], body[1:]
        if kind == CHANNELS:
            raw, us = unpack_channels(payload)
            return ChannelFrame(t, us, raw)
        if kind in _TELEMETRY:
            sensor, _, read = _TELEMETRY[kind]
            return TelemetryFrame(t, sensor, read(payload))
        return TelemetryFrame(t, f"type_{kind:02x}", {"payload_hex": payload.hex()})


SPEC = ProtocolSpec(
    name="CRSF",
    uart=UartSettings(420_000),
    channels=16,
    frame_bytes=26,
    periods_s=(0.02, 1 / 150, 0.004, 0.002, 0.001),
    carries_failsafe=False,
    step_us=0.625,
    decoder=CrsfDecoder,
)
