"""NMEA 0183 as a GPS sends it: lines of text from $ to CR LF, their checksum the XOR of what stands between $ and *. GGA and RMC are read."""

from __future__ import annotations

from collections.abc import Sequence
from functools import reduce

from linkcore.protocols.base import BadFrame, Decoder, Field, Frame, SerialSpec, TelemetryFrame, Values, byte_field
from linkcore.signal.uart import UartSettings

START, END = 0x24, 0x0A
LONGEST = 82  # of a sentence, by the standard


def checksum(text: bytes) -> int:
    """XOR of all characters."""
    return reduce(lambda total, byte: total ^ byte, text, 0)


def sentence(body: str) -> bytes:
    """A whole line of what stands between $ and *."""
    data = body.encode("ascii")
    return b"$" + data + b"*%02X\r\n" % checksum(data)


def _angle(degrees: float, digits: int, letters: str) -> str:
    minutes = round(abs(degrees) * 600_000)
    whole, rest = divmod(minutes, 600_000)
    return f"{whole:0{digits}d}{rest // 10_000:02d}.{rest % 10_000:04d},{letters[degrees < 0]}"


def _place(latitude_deg: float, longitude_deg: float) -> str:
    return f"{_angle(latitude_deg, 2, 'NS')},{_angle(longitude_deg, 3, 'EW')}"


def _clock(seconds: float) -> str:
    whole = int(seconds) % 86_400
    return f"{whole // 3600:02d}{whole // 60 % 60:02d}{whole % 60:02d}.{int(seconds * 100) % 100:02d}"


def encode_gga(t: float, *, latitude_deg: float, longitude_deg: float, fix: bool, satellites: int, hdop: float, altitude_m: float) -> bytes:
    """Place and fix. `t`: seconds of the day."""
    where = _place(latitude_deg, longitude_deg) if fix else ",,,"
    return sentence(f"GPGGA,{_clock(t)},{where},{int(fix)},{satellites:02d},{hdop:.1f},{altitude_m:.1f},M,0.0,M,,")


def encode_rmc(t: float, *, latitude_deg: float, longitude_deg: float, fix: bool, speed_mps: float, course_deg: float) -> bytes:
    """Place, speed and course."""
    where = _place(latitude_deg, longitude_deg) if fix else ",,,"
    return sentence(f"GPRMC,{_clock(t)},{'A' if fix else 'V'},{where},{speed_mps * 3600 / 1852:.2f},{course_deg:.1f},010126,,")


def _degrees(text: str, letter: str) -> float:
    point = text.index(".") - 2
    degrees = int(text[:point] or 0) + float(text[point:]) / 60
    return round(-degrees if letter in "SW" else degrees, 7)


def _read(body: str) -> tuple[str, Values] | None:
    fields = body.split(",")
    kind = fields[0][-3:]
    try:
        if kind == "GGA" and len(fields) >= 10:
            said: Values = {"fix": int(fields[6]), "satellites": int(fields[7] or 0), "hdop": float(fields[8] or 99)}
            if int(fields[6]):
                said |= {"latitude_deg": _degrees(fields[2], fields[3]), "longitude_deg": _degrees(fields[4], fields[5]), "altitude_m": float(fields[9])}
            return "gga", said
        if kind == "RMC" and len(fields) >= 9:
            said = {"valid": int(fields[2] == "A")}
            if fields[2] == "A":
                said |= {"speed_mps": round(float(fields[7] or 0) * 1852 / 3600, 3), "course_deg": float(fields[8] or 0)}
            return "rmc", said
    except (ValueError, IndexError):
        return None
    return kind.lower() or "sentence", {}


class NmeaDecoder(Decoder):
    """Finds sentences between $ and the end of their line. A sentence that is not whole, or whose checksum does not fit, is bad."""

    gap_s = 0.5

    def __init__(self) -> None:
        self._held = bytearray()
        self._t: float | None = None
        self._open = self._wrong = False

    def feed(self, data: bytes, times: Sequence[float] | None = None, errors: Sequence[int] | None = None) -> list[Frame]:
        """See Decoder."""
        frames: list[Frame] = []
        for at, byte in enumerate(data):
            if byte == START:
                if self._open and self._held:
                    frames.append(BadFrame(self._t, "the line has no end"))
                self._open, self._wrong, self._t = True, False, times[at] if times is not None else None
                self._held.clear()
            elif self._open:
                self._wrong = self._wrong or bool(errors is not None and errors[at])
                self._held.append(byte)
                if byte == END or len(self._held) > LONGEST:
                    frames.append(self._judge())
                    self._open = False
                    self._held.clear()
        return frames

    def _judge(self) -> Frame:
        body, star, rest = bytes(self._held).partition(b"*")
        if self._wrong or not star or not self._held.endswith(b"\r\n"):
            return BadFrame(self._t, "the line is not whole")
        if rest[:2].upper() != b"%02X" % checksum(body):
            return BadFrame(self._t, "its checksum does not fit")
        read = _read(body.decode("ascii", "replace"))
        return TelemetryFrame(self._t, *read) if read else BadFrame(self._t, "a field holds no number")


def explain(frame: bytes) -> list[Field]:
    """A line laid open."""
    return [byte_field("line", frame, 0, len(frame), means=frame.decode("ascii", "replace").strip())]


SPEC = SerialSpec(
    name="NMEA",
    role="device",
    uart=UartSettings(9600),
    channels=0,
    frame_bytes=70,
    periods_s=(0.2, 1.0),
    checksum=True,
    decoder=NmeaDecoder,
    explain=explain,
)
