"""ESC telemetry on one wire: ten bytes an ESC, temperature, volts, amperes, what was used and electrical speed, with a CRC-8 of polynomial 07. All fairly sure facts only.

Several ESCs answer one after the other in the order in which their motors' outputs ask; who says what is told by that order, not by the bytes.
"""

from __future__ import annotations

import struct

from fastcrc import crc8

from linkcore.protocols.base import Field, Frame, SerialSpec, TelemetryFrame, byte_field, checksum_field
from linkcore.protocols.finding import GapDecoder
from linkcore.signal.uart import UartSettings

LENGTH = 10
GAP_S = 0.0006
POLES = 14


def checksum(data: bytes) -> int:
    """CRC-8 of polynomial 07, start 00: the one that is called SMBus."""
    return int(crc8.smbus(data))


def encode(*, temperature_c: float, voltage_v: float, current_a: float, used_mah: float, speed_rpm: float, poles: int = POLES) -> bytes:
    """What one ESC says; `speed_rpm` of the motor itself."""
    electrical = round(speed_rpm * poles / 2 / 100)
    numbers = [min(0xFFFF, max(0, round(value))) for value in (voltage_v * 100, current_a * 100, used_mah, electrical)]
    body = struct.pack(">BHHHH", max(0, min(255, round(temperature_c))), *numbers)
    return body + bytes((checksum(body),))


class EscDecoder(GapDecoder):
    """See GapDecoder."""

    length = LENGTH
    gap_s = GAP_S

    def _whole(self, frame: bytes | bytearray) -> bool:
        return checksum(bytes(frame[:-1])) == frame[-1]

    def _read(self, frame: bytes | bytearray, t: float | None) -> Frame:
        temperature, volts, amperes, used, electrical = struct.unpack(">BHHHH", bytes(frame[:-1]))
        values = {"temperature_c": temperature, "voltage_v": volts / 100, "current_a": amperes / 100, "used_mah": used}
        return TelemetryFrame(t, "esc", {**values, "speed_rpm": round(electrical * 100 / (POLES / 2))})

    def _why_not(self, frame: bytearray) -> str:
        return "its CRC does not fit"


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    if len(frame) != LENGTH:
        return [byte_field("length", frame, 0, ok=False)]
    names = (("voltage", 1, "0.01 V"), ("current", 3, "0.01 A"), ("used", 5, "mAh"), ("electrical speed", 7, "100 turns a minute"))
    fields = [byte_field("temperature", frame, 0, means=f"{frame[0]} C")]
    fields += [byte_field(name, frame, at, 2, order="big", means=unit) for name, at, unit in names]
    return [*fields, checksum_field(frame, 9, checksum(frame[:9]))]


SPEC = SerialSpec(
    name="ESC telemetry",
    role="device",
    uart=UartSettings(115_200),
    channels=0,
    frame_bytes=LENGTH,
    periods_s=(0.02, 0.1),
    checksum=True,
    decoder=EscDecoder,
    explain=explain,
)
