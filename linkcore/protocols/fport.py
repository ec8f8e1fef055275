"""F.Port: SBUS's channels and S.Port's telemetry in turns on one wire, between 7E flags.

Control: length 19, type 00, channels, flags, RSSI. Poll: length 08, type 01, then what S.Port says. The board answers, without flags, behind a
poll frame that asks for it. The order of frames, their period and the answer's time limit are fairly sure facts only.
"""

from __future__ import annotations

from collections.abc import Sequence

from linkcore.protocols.base import BadFrame, ChannelFrame, Encoder, Field, Frame, PollFrame, Sent, SerialSpec, byte_field, checksum_field, named_values
from linkcore.protocols.counts import channel_fields, pack_channels, pack_us, unpack_channels
from linkcore.protocols.finding import FlagDecoder, stuffed
from linkcore.protocols.sbus import FAILSAFE, FRAME_LOST, flag_fields, flags_byte
from linkcore.protocols.sport import DATA, EMPTY, ESCAPE, FLAG, FLIP, checksum, data_frame, encode_data, values_of
from linkcore.signal.uart import UartSettings

CONTROL, POLL, ANSWER = 0x00, 0x01, 0x81
_LENGTHS = {CONTROL: 0x19, POLL: 0x08, ANSWER: 0x08}
ANSWER_AFTER_S = 0.0005
READ, WRITE = 0x30, 0x31


def _closed(body: bytes, flags: bool) -> bytes:
    inside = stuffed(body + bytes((checksum(body),)), FLAG, ESCAPE, FLIP)
    return bytes((FLAG,)) + inside + bytes((FLAG,)) if flags else inside


def encode(raw: Sequence[int], *, frame_lost: bool = False, failsafe: bool = False, rssi_percent: int = 100) -> bytes:
    """A control frame from 16 counts (0..2047)."""
    return _control(pack_channels(raw), frame_lost, failsafe, rssi_percent)


def _control(channels: bytes, frame_lost: bool, failsafe: bool, rssi_percent: int) -> bytes:
    return _closed(bytes((_LENGTHS[CONTROL], CONTROL)) + channels + bytes((flags_byte(frame_lost, failsafe), rssi_percent)), flags=True)


def encode_poll() -> bytes:
    """The receiver's poll frame, which asks for an answer."""
    return _closed(bytes((_LENGTHS[POLL], POLL)) + encode_data(0, 0, EMPTY), flags=True)


def encode_answer(app_id: int, value: int) -> bytes:
    """The board's answer, as it goes over the wire."""
    return _closed(bytes((_LENGTHS[ANSWER], ANSWER)) + encode_data(app_id, value), flags=False)


class FportDecoder(FlagDecoder):
    """See FlagDecoder. A frame's time is that of its opening flag; an answer, which has none, begins with its first byte."""

    flag, escape, flip, longest = FLAG, ESCAPE, FLIP, 27

    def _segment(self, data: bytes, flag_t: float | None, times: list[float]) -> list[Frame]:
        kind = data[1] if len(data) > 1 else -1
        t = flag_t if kind != ANSWER else times[0] if times else None
        if _LENGTHS.get(kind) != data[0] or len(data) != data[0] + 2:
            return [BadFrame(t, f"length {data[0]:02X} does not fit {len(data)} bytes between flags")]
        if checksum(data[:-1]) != data[-1]:
            return [BadFrame(t, f"checksum {data[-1]:02X}, reckoned {checksum(data[:-1]):02X}")]
        if kind == CONTROL:
            raw, us = unpack_channels(data[2:24])
            return [ChannelFrame(t, us, raw, failsafe=bool(data[24] & FAILSAFE), frame_lost=bool(data[24] & FRAME_LOST))]
        if data[2] == DATA:
            return [data_frame(data[2:9], t)]
        return [PollFrame(t, "telemetry" if data[2] == EMPTY else f"command {data[2]:02X}", times[-1] if times else None)]


class FportEncoder(Encoder):
    """See Encoder. The poll behind each control frame is the bench's matter, since an answer follows it."""

    def frame(self, sent: Sent) -> bytes:
        """See Encoder."""
        return _control(pack_us(sent.us), sent.frame_lost, sent.failsafe, sent.rssi_percent)


def explain(frame: bytes) -> list[Field]:
    """A frame laid open: what stands between the flags, stuffing already out."""
    if len(frame) < 3 or len(frame) != frame[0] + 2:
        return [byte_field("length", frame, 0, ok=False)]
    names = {CONTROL: "control: channels", POLL: "poll frame: the receiver", ANSWER: "answer frame: the board"}
    fields = [
        byte_field("length", frame, 0, means=f"{frame[0]} bytes, then the checksum"),
        byte_field("type", frame, 1, means=names.get(frame[1], "not known")),
    ]
    if frame[1] == CONTROL and len(frame) == 27:
        fields += [*channel_fields(2, frame[2:24]), *flag_fields(24, frame), byte_field("RSSI", frame, 25, means=f"{frame[25]} %")]
    elif len(frame) == 10:
        sensor, values = values_of(int.from_bytes(frame[3:5], "little"), int.from_bytes(frame[5:9], "little"))
        data = frame[2] == DATA
        fields.append(byte_field("kind", frame, 2, means="data" if data else "asks for an answer" if frame[2] == EMPTY else "command"))
        fields.append(byte_field("id", frame, 3, 2, means=sensor.replace("_", " ") if data else ""))
        fields.append(byte_field("value", frame, 5, 4, means=named_values(values) if data else ""))
    return [*fields, checksum_field(frame, len(frame) - 1, checksum(frame[:-1]), name="checksum")]


SPEC = SerialSpec(
    name="F.Port",
    uart=UartSettings(115_200, inverted=True),
    channels=16,
    frame_bytes=29,
    periods_s=(0.007, 0.009, 0.020),
    carries_failsafe=True,
    step_us=0.625,
    one_way=False,
    half_duplex=True,
    checksum=True,
    decoder=FportDecoder,
    encoder=FportEncoder,
    explain=explain,
    stuffing=(FLAG, ESCAPE, FLIP),
)
