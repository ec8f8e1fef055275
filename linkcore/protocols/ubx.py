"""UBX as a GPS sends it: B5 62, class, id, length, payload, and two bytes of an 8-bit Fletcher sum. NAV-PVT is read.

The offsets within NAV-PVT are fairly sure facts only; a second source is the field list of the public interface description (92 bytes: iTOW at 0, fixType
at 20, flags at 21, numSV at 23, lon, lat, height, hMSL from 24 on in steps of 4, gSpeed at 60, headMot at 64).
"""

from __future__ import annotations

import struct

from linkcore.protocols.base import Field, Frame, SerialSpec, TelemetryFrame, byte_field
from linkcore.protocols.finding import ScanDecoder
from linkcore.signal.uart import UartSettings

SYNC = bytes((0xB5, 0x62))
NAV_PVT, PVT_BYTES = (0x01, 0x07), 92
MOST_PAYLOAD = 512
GAP_S = 0.02


def checksum(data: bytes) -> bytes:
    """The Fletcher sum over class to payload."""
    one = other = 0
    for byte in data:
        one = (one + byte) & 0xFF
        other = (other + one) & 0xFF
    return bytes((one, other))


def encode(kind: tuple[int, int], payload: bytes) -> bytes:
    """A whole frame."""
    body = bytes(kind) + len(payload).to_bytes(2, "little") + payload
    return SYNC + body + checksum(body)


def encode_pvt(
    t: float, *, latitude_deg: float, longitude_deg: float, fix: bool, satellites: int, altitude_m: float, speed_mps: float, course_deg: float
) -> bytes:
    """Position, speed and time. `t`: seconds of the week."""
    payload = bytearray(PVT_BYTES)
    struct.pack_into("<IHBBBBBB", payload, 0, int(t * 1000) & 0xFFFFFFFF, 2026, 1, 1, int(t) // 3600 % 24, int(t) // 60 % 60, int(t) % 60, 0x07)
    payload[20:22] = bytes((3 if fix else 0, int(fix)))
    payload[23] = satellites
    where = (longitude_deg, latitude_deg) if fix else (0.0, 0.0)
    high = round(altitude_m * 1000)
    struct.pack_into("<iiii", payload, 24, round(where[0] * 1e7), round(where[1] * 1e7), high, high)
    struct.pack_into("<ii", payload, 60, round(speed_mps * 1000), round(course_deg * 1e5))
    return encode(NAV_PVT, bytes(payload))


class UbxDecoder(ScanDecoder):
    """See ScanDecoder."""

    starts = frozenset((SYNC[0],))
    gap_s = GAP_S
    what_fails = "length or checksum do not fit"

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if at + 1 < size and held[at + 1] != SYNC[1]:
            return 0
        if at + 6 > size:
            return None
        length = int.from_bytes(held[at + 4 : at + 6], "little")
        return 8 + length if length <= MOST_PAYLOAD else 0

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        if checksum(frame[2:-2]) != frame[-2:]:
            return None
        payload = frame[6:-2]
        if (frame[2], frame[3]) != NAV_PVT or len(payload) != PVT_BYTES:
            return TelemetryFrame(t, f"ubx_{frame[2]:02x}_{frame[3]:02x}", {})
        fixed = payload[20] in (2, 3) and bool(payload[21] & 1)
        longitude, latitude, _, high = struct.unpack_from("<iiii", payload, 24)
        speed, course = struct.unpack_from("<ii", payload, 60)
        said: dict[str, float | int | str] = {"fix": payload[20] if fixed else 0, "satellites": payload[23]}
        if fixed:
            said |= {"latitude_deg": latitude / 1e7, "longitude_deg": longitude / 1e7, "altitude_m": high / 1000}
            said |= {"speed_mps": speed / 1000, "course_deg": course / 1e5}
        return TelemetryFrame(t, "pvt", said)


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    if len(frame) < 8:
        return [byte_field("sync", frame, 0, ok=False)]
    return [
        byte_field("sync", frame, 0, 2),
        byte_field("class", frame, 2),
        byte_field("id", frame, 3),
        byte_field("length", frame, 4, 2),
        byte_field("payload", frame, 6, len(frame) - 8),
        byte_field("checksum", frame, len(frame) - 2, 2, ok=checksum(frame[2:-2]) == frame[-2:]),
    ]


SPEC = SerialSpec(
    name="UBX",
    role="device",
    uart=UartSettings(57_600),
    channels=0,
    frame_bytes=100,
    periods_s=(0.2, 1.0),
    checksum=True,
    decoder=UbxDecoder,
    explain=explain,
)
