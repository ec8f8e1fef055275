"""DSM2 and DSMX satellites: 16 bytes after a rest, 7 words of a channel's id and value, no header and no checksum.

Where byte 1 is a system byte, it tells DSM2 from DSMX and 10 bits from 11. An external satellite sends 16 bits of fades there instead; then the
width is taken under which the ids make sense (a sure fact), and which of the two systems it is cannot be told. That the phase bit stands in the
first word of a pair's second frame is fairly sure only. Values follow relation B: us = 903 + 0.583 * raw with 11 bits, 903 + 1.166 * raw with 10.
"""

from __future__ import annotations

from linkcore.protocols.base import ChannelFrame, Encoder, Field, Frame, Sent, SerialSpec, byte_field
from linkcore.protocols.finding import GapDecoder
from linkcore.signal.uart import UartSettings

LENGTH = 16
GAP_S = 0.005
UNUSED = 0xFFFF
LAST_ID = 11
SYSTEMS = {0x01: ("DSM2", 10), 0x12: ("DSM2", 11), 0xA2: ("DSMX", 11), 0xB2: ("DSMX", 11)}
_PERIOD = {0x01: "22 ms", 0x12: "11 ms", 0xA2: "22 ms", 0xB2: "11 ms"}
_STEP_US = {10: 1.166, 11: 0.583}
_FIRST, _SECOND = (1, 5, 2, 3, 0, 6, 4), (7, 8, 9, 10, 11)


def us_from_raw(raw: int, bits: int) -> float:
    """Relation B."""
    return round(903 + _STEP_US[bits] * raw, 3)


def raw_from_us(us: float, bits: int) -> int:
    """The nearest count; beyond the ends the nearest end."""
    return min((1 << bits) - 1, max(0, round((us - 903) / _STEP_US[bits])))


def encode(values: dict[int, int], system: int = 0xB2, fades: int = 0, second: bool = False, *, internal: bool = True) -> bytes:
    """A frame of up to 7 ids (0 to 11) and raw values, in the order given. Not `internal`: 16 bits of fades stand in the place of fades and system."""
    bits = SYSTEMS[system][1]
    words = [(channel << bits) | value for channel, value in values.items()]
    if len(words) > 7 or any(not 0 <= channel <= LAST_ID for channel in values) or any(not 0 <= value < 1 << bits for value in values.values()):
        raise ValueError(f"a frame takes 7 ids from 0 to {LAST_ID} with values of {bits} bits")
    if second and words:
        words[0] |= 0x8000
    words += [UNUSED] * (7 - len(words))
    head = bytes((fades & 0xFF, system)) if internal else (fades & 0xFFFF).to_bytes(2, "big")
    return head + b"".join(word.to_bytes(2, "big") for word in words)


def _words(frame: bytes | bytearray) -> list[int]:
    return [int.from_bytes(frame[at : at + 2], "big") for at in range(2, LENGTH, 2)]


def _ids(frame: bytes | bytearray, bits: int) -> list[int] | None:
    """The ids of a frame read with this width; None where they make no sense."""
    used = [(place, word) for place, word in enumerate(_words(frame)) if word != UNUSED]
    ids = [word >> bits & 0xF for _, word in used]
    phase_elsewhere = any(word & 0x8000 for place, word in used if place)
    spare = bits == 10 and any(word & 0x4000 for _, word in used)  # 1024 counts: bit 14 belongs to no field that is used [F]
    if not ids or phase_elsewhere or spare or len(set(ids)) != len(ids) or max(ids) > LAST_ID:
        return None
    return ids


def width_of(frame: bytes | bytearray) -> int | None:
    """10 or 11 bits a value; None where these bytes are no frame."""
    known = SYSTEMS.get(frame[1])
    if known and _ids(frame, known[1]) is not None:
        return known[1]
    fitting = [bits for bits in (11, 10) if (ids := _ids(frame, bits)) is not None and {0, 1, 2, 3} <= set(ids)]
    return fitting[0] if fitting else None


class DsmDecoder(GapDecoder):
    """See GapDecoder."""

    length = LENGTH
    gap_s = GAP_S
    looks_ahead = 2  # the second byte is the system

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name
        self._external = False  # a second byte was seen that is no system: this satellite counts fades there
        self._bits: int | None = None  # how wide its values are, once a frame with the first four ids has told

    def _whole(self, frame: bytes | bytearray) -> bool:
        known = SYSTEMS.get(frame[1])
        if self._last is None and known is None:
            return False  # without times the system byte is all there is to hold on to
        if known is None:
            width = width_of(frame)
            self._bits = width or self._bits
            self._external |= width is not None
            return width is not None or self._second_of_pair(frame)
        if known[0] == self.name:
            return width_of(frame) is not None
        return self._counts_fades(frame, known[1])

    def _counts_fades(self, frame: bytes | bytearray, told_bits: int) -> bool:
        """Whether a second byte that names the other system is a count of fades: the ids make no sense as it says, or it has been none before; and as ours they do."""
        if self._last is None:
            return False
        own = (11,) if self.name == "DSMX" else (10, 11)
        as_ours = any((ids := _ids(frame, bits)) is not None and {0, 1, 2, 3} <= set(ids) for bits in own) or self._second_of_pair(frame)
        return as_ours and (self._external or _ids(frame, told_bits) is None)

    def _second_of_pair(self, frame: bytes | bytearray) -> bool:
        """Whether a frame without a system byte and without the first four ids fits to one with them that came before."""
        return self._bits is not None and _ids(frame, self._bits) is not None

    def _width(self, frame: bytes | bytearray) -> int:
        known = SYSTEMS.get(frame[1])
        if known is not None and (known[0] != self.name or self._external):  # a count of fades says nothing of the width
            return next((bits for bits in (11, 10) if (bits == 11 or self.name == "DSM2") and _ids(frame, bits) is not None), 11)
        return width_of(frame) or self._bits or 11

    def _followed(self, held: bytearray, end: int) -> bool:
        return end + 1 >= len(held) or held[end + 1] in SYSTEMS

    def _why_not(self, frame: bytearray) -> str:
        known = SYSTEMS.get(frame[1])
        return f"its system byte says {known[0]}" if known and known[0] != self.name else "ids twice or out of range"

    def _read(self, frame: bytes | bytearray, t: float | None) -> Frame:
        bits = self._width(frame)
        mask = (1 << bits) - 1
        values = sorted((word >> bits & 0xF, word & mask) for word in _words(frame) if word != UNUSED)
        numbers = tuple(channel + 1 for channel, _ in values)
        plain = numbers == tuple(range(1, len(numbers) + 1))
        return ChannelFrame(t, tuple(us_from_raw(raw, bits) for _, raw in values), tuple(raw for _, raw in values), numbers=None if plain else numbers)


class DsmEncoder(Encoder):
    """See Encoder. More than 7 channels go in two frames by turns."""

    def __init__(self, system: int, channels: int, *, internal: bool = True) -> None:
        self._system, self._channels, self._internal = system, channels, internal
        self._second = False

    def frame(self, sent: Sent) -> bytes:
        """See Encoder."""
        bits = SYSTEMS[self._system][1]
        ids = [channel for channel in (_SECOND if self._second else _FIRST) if channel < min(self._channels, len(sent.us))]
        values = {channel: raw_from_us(sent.us[channel], bits) for channel in ids}
        frame = encode(values, self._system, sent.fades, self._second, internal=self._internal)
        self._second = not self._second and self._channels > 7 and len(sent.us) > 7
        return frame


def explain(frame: bytes) -> list[Field]:
    """A frame laid open. Words are big endian, so each is one field with its id named."""
    if len(frame) < LENGTH:
        return [byte_field("fades", frame, 0)]
    known = SYSTEMS.get(frame[1])
    fields = [byte_field("fades", frame, 0, means="missed radio frames, counted round")]
    means = f"{known[0]}, {known[1]} bits, {_PERIOD[frame[1]]}" if known else "no system byte: the low half of 16 bits of fades"
    fields.append(byte_field("system", frame, 1, means=means))
    bits = width_of(frame) or 11
    for place, word in enumerate(_words(frame)):
        at = 2 + 2 * place
        if word == UNUSED:
            fields.append(byte_field("unused", frame, at, 2, order="big", means="no channel in this place"))
            continue
        channel, raw = (word >> bits & 0xF) + 1, word & (1 << bits) - 1
        phase = ", second frame of a pair" if word & 0x8000 else ""
        sense = channel <= LAST_ID + 1
        fields.append(
            byte_field(f"CH{channel}", frame, at, 2, order="big", means=f"id {channel - 1}, raw {raw}, {us_from_raw(raw, bits):g} us{phase}", ok=sense)
        )
    return fields


def _spec(name: str, system: int, period_s: float, channels: int) -> SerialSpec:
    return SerialSpec(
        name=name,
        uart=UartSettings(115_200),
        channels=channels,
        frame_bytes=LENGTH,
        periods_s=(0.011, 0.022),
        step_us=_STEP_US[SYSTEMS[system][1]],
        decoder=lambda: DsmDecoder(name),
        encoder=lambda: DsmEncoder(system, channels),
        explain=explain,
        frame_channels=7,
    )


DSM2 = _spec("DSM2", 0x01, 0.022, 7)
DSMX = _spec("DSMX", 0xB2, 0.011, 12)
