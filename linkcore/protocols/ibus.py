"""IBUS: 32 bytes, 14 channels of 16 bits whose value is us, a 16-bit sum; and its telemetry, master and sensors on one wire.

The older 31-byte variant (header 55, plain sum) and the channels 15 to 18 in the top nibbles are fairly sure facts only; so are the telemetry's
type numbers from 04 up and the poll every 7 ms.
"""

from __future__ import annotations

from collections.abc import Sequence

from linkcore.protocols.base import ChannelFrame, Encoder, Field, Frame, PollFrame, Sent, SerialSpec, TelemetryFrame, byte_field, checksum_field
from linkcore.protocols.finding import ScanDecoder
from linkcore.signal.uart import UartSettings

LENGTH, COMMAND = 0x20, 0x40
OLD_HEADER, OLD_LENGTH = 0x55, 31
CHANNELS = 14
GAP_S = 0.001


def checksum(data: bytes | bytearray) -> int:
    """FFFF less the sum of the bytes."""
    return (0xFFFF - sum(data)) & 0xFFFF


def encode(us: Sequence[int]) -> bytes:
    """A frame from 14 to 18 values (us, 0 to 4095); those above the 14th go into the top nibbles."""
    if not CHANNELS <= len(us) <= 18 or any(not 0 <= value <= 0x0FFF for value in us):
        raise ValueError("14 to 18 channels of 0 to 4095 us are needed")
    words = list(us[:CHANNELS])
    for extra, value in enumerate(us[CHANNELS:]):
        for nibble in range(3):
            words[3 * extra + nibble] |= (value >> 4 * nibble & 0xF) << 12
    body = bytes((LENGTH, COMMAND)) + b"".join(word.to_bytes(2, "little") for word in words)
    return body + checksum(body).to_bytes(2, "little")


def _channels(words: Sequence[int]) -> tuple[int, ...]:
    """14 values, and the 4 of the top nibbles where any of them is there."""
    values = [word & 0x0FFF for word in words]
    extra = [sum((words[3 * channel + nibble] >> 12) << 4 * nibble for nibble in range(3)) for channel in range(4)]
    return (*values, *extra) if any(extra) else tuple(values)


def _words(frame: bytes, at: int) -> list[int]:
    return [int.from_bytes(frame[place : place + 2], "little") for place in range(at, at + 2 * CHANNELS, 2)]


class IbusDecoder(ScanDecoder):
    """See ScanDecoder."""

    starts = frozenset((LENGTH, OLD_HEADER))
    gap_s = GAP_S

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if held[at] == OLD_HEADER:
            return OLD_LENGTH
        if at + 1 == size:
            return None
        return LENGTH if held[at + 1] == COMMAND else 0

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        sent = int.from_bytes(frame[-2:], "little")
        if frame[0] == OLD_HEADER:
            words = _words(frame, 1)
            if sum(words) & 0xFFFF != sent or max(words) > 0x0FFF:
                return None
        else:
            if checksum(frame[:-2]) != sent:
                return None
            words = _words(frame, 2)
        values = _channels(words)
        return ChannelFrame(t, tuple(float(value) for value in values), values)


class IbusEncoder(Encoder):
    """See Encoder."""

    def frame(self, sent: Sent) -> bytes:
        """See Encoder."""
        return encode([min(2500, max(500, round(value))) for value in [*sent.us, *[1500.0] * CHANNELS][:CHANNELS]])


def explain(frame: bytes) -> list[Field]:
    """A frame laid open."""
    old = frame[0] == OLD_HEADER
    begin = 1 if old else 2
    if len(frame) < begin + 2 * CHANNELS + 2:
        return [byte_field("length", frame, 0, ok=False)]
    fields = [byte_field("header", frame, 0)] if old else [byte_field("length", frame, 0, means="bytes in all"), byte_field("command", frame, 1)]
    words = _words(frame, begin)
    values = _channels(words)
    more = len(values) > CHANNELS
    for index, value in enumerate(values[:CHANNELS]):
        bit = 8 * (begin + 2 * index)
        fields.append(Field(f"CH{index + 1}", bit, 12 if more else 16, value, f"{value} us"))
        if more:
            fields.append(Field("top nibble", bit + 12, 4, words[index] >> 12, f"part of CH{15 + index // 3}" if index < 12 else ""))
    reckoned = sum(words) & 0xFFFF if old else checksum(frame[:-2])
    return [*fields, checksum_field(frame, len(frame) - 2, reckoned, 2, name="checksum")]


SPEC = SerialSpec(
    name="IBUS",
    uart=UartSettings(115_200),
    channels=CHANNELS,
    frame_bytes=LENGTH,
    periods_s=(0.007, 0.0077),
    step_us=1.0,
    checksum=True,
    decoder=IbusDecoder,
    encoder=IbusEncoder,
    explain=explain,
)

# --- telemetry ------------------------------------------------------------------------------------------------------

DISCOVER, TYPE, VALUE = 0x80, 0x90, 0xA0
# type: (sensor, name with unit, factor, offset, signed); 00 to 03 are sure, the others fairly sure
_TYPES: dict[int, tuple[str, str, float, float, bool]] = {
    0x00: ("internal_voltage", "voltage_v", 0.01, 0, False),
    0x01: ("temperature", "temperature_c", 0.1, -40, False),
    0x02: ("rpm", "speed_rpm", 1, 0, False),
    0x03: ("voltage", "voltage_v", 0.01, 0, False),
    0x04: ("cell", "cell_v", 0.01, 0, False),
    0x05: ("current", "current_a", 0.01, 0, False),
    0x06: ("fuel", "fuel_percent", 1, 0, False),
    0x07: ("rpm", "speed_rpm", 1, 0, False),
    0x08: ("heading", "heading_deg", 1, 0, False),
    0x09: ("climb_rate", "climb_rate_m_s", 0.01, 0, True),
    0x13: ("ground_speed", "ground_speed_m_s", 0.01, 0, False),
    0x14: ("gps_distance", "distance_m", 1, 0, False),
    0x80: ("latitude", "latitude_deg", 1e-7, 0, True),
    0x81: ("longitude", "longitude_deg", 1e-7, 0, True),
    0x82: ("gps_altitude", "altitude_m", 0.01, 0, True),
    0x83: ("altitude", "altitude_m", 0.01, 0, True),
}
_WIDE = frozenset((0x41, 0x80, 0x81, 0x82, 0x83))


_ASKS = {DISCOVER: "discover", TYPE: "type of", VALUE: "value of"}


def _message(command: int, data: bytes = b"") -> bytes:
    body = bytes((len(data) + 4, command)) + data
    return body + checksum(body).to_bytes(2, "little")


def encode_poll(kind: int, address: int) -> bytes:
    """The receiver's question: DISCOVER, TYPE or VALUE to an address of 0 to 15."""
    return _message(kind | address)


def encode_discovered(address: int) -> bytes:
    """A sensor's answer to DISCOVER: the same bytes."""
    return encode_poll(DISCOVER, address)


def encode_type(address: int, kind: int) -> bytes:
    """A sensor's answer to TYPE."""
    return _message(TYPE | address, bytes((kind, 4 if kind in _WIDE else 2)))


def encode_value(address: int, kind: int, value: float) -> bytes:
    """A sensor's answer to VALUE, in the unit of its type; raise ValueError for a type that is not known."""
    known = _TYPES.get(kind)
    if known is None:
        raise ValueError(f"no sensor type {kind:02X}")
    _, _, factor, offset, signed = known
    size = 4 if kind in _WIDE else 2
    return _message(VALUE | address, round((value - offset) / factor).to_bytes(size, "little", signed=signed))


class IbusTelemetryDecoder(ScanDecoder):
    """See ScanDecoder. A value counts once the sensor at its address has told its type; before that its raw count is given."""

    starts = frozenset((4, 6, 8))
    gap_s = GAP_S

    def __init__(self) -> None:
        super().__init__()
        self._types: dict[int, int] = {}

    def _length(self, held: bytearray, at: int, size: int) -> int | None:
        if at + 1 == size:
            return None
        length, command = held[at], held[at + 1] & 0xF0
        wanted = {DISCOVER: (4,), TYPE: (4, 6), VALUE: (4, 6, 8)}.get(command, ())
        return length if length in wanted else 0

    def _read(self, frame: bytes, t: float | None) -> Frame | None:
        if checksum(frame[:-2]) != int.from_bytes(frame[-2:], "little"):
            return None
        command, address, data = frame[1] & 0xF0, frame[1] & 0x0F, frame[2:-2]
        if not data:
            return PollFrame(t, f"{_ASKS[command]} {address}")
        if command == TYPE:
            self._types[address] = data[0]
            return TelemetryFrame(t, "sensor_type", {"address": address, "type_hex": f"{data[0]:02x}", "value_bytes": data[1]})
        known = _TYPES.get(self._types.get(address, -1))
        if known is None:
            return TelemetryFrame(t, f"sensor_{address}", {"count": int.from_bytes(data, "little")})
        sensor, name, factor, offset, signed = known
        digits = 7 if factor < 1e-6 else 2
        return TelemetryFrame(t, sensor, {name: round(int.from_bytes(data, "little", signed=signed) * factor + offset, digits)})


def explain_telemetry(frame: bytes) -> list[Field]:
    """A telemetry frame laid open."""
    if len(frame) < 4:
        return [byte_field("length", frame, 0, ok=False)]
    names = {DISCOVER: "discover", TYPE: "type", VALUE: "value"}
    command = Field("command", 12, 4, frame[1] >> 4, names.get(frame[1] & 0xF0, ""))
    fields: list[Field] = [byte_field("length", frame, 0, means="bytes in all"), Field("address", 8, 4, frame[1] & 0xF, "of the sensor"), command]
    if len(frame) > 4:
        fields.append(byte_field("data", frame, 2, len(frame) - 4))
    return [*fields, checksum_field(frame, len(frame) - 2, checksum(frame[:-2]), 2, name="checksum")]


TELEMETRY = SerialSpec(
    name="IBUS telemetry",
    role="telemetry",
    uart=UartSettings(115_200),
    channels=0,
    frame_bytes=4,
    periods_s=(0.007,),
    one_way=False,
    half_duplex=True,
    checksum=True,
    decoder=IbusTelemetryDecoder,
    explain=explain_telemetry,
)
