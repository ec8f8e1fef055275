"""Traffic that is no receiver's: what a GPS or a console puts on a wire, told by its checksums or its letters."""

from __future__ import annotations

import re
from dataclasses import dataclass

_NMEA = re.compile(rb"\$([A-Z]{2}[A-Z0-9]{3,5}[^*\r\n$]{0,82})\*([0-9A-F]{2})")
_UBX_HEAD = b"\xb5\x62"
_TEXT_SHARE = 0.95
_FEWEST_BYTES = 20


@dataclass(frozen=True)
class Foreign:
    """`name` as the trade calls it; `says` a sentence for the pilot; `good` whole sentences or packets."""

    name: str
    says: str
    good: int


def nmea_sentences(data: bytes) -> int:
    """Sentences whose checksum fits (NMEA 0183: XOR of what stands between $ and *)."""
    count = 0
    for match in _NMEA.finditer(data):
        total = 0
        for byte in match[1]:
            total ^= byte
        count += total == int(match[2], 16)
    return count


def ubx_packets(data: bytes) -> int:
    """UBX packets whose 8-bit Fletcher checksum fits: B5 62, class, id, length (little endian), payload, two sums."""
    count, at = 0, data.find(_UBX_HEAD)
    while at >= 0 and at + 8 <= len(data):
        length = int.from_bytes(data[at + 4 : at + 6], "little")
        end = at + 6 + length
        if end + 2 <= len(data):
            one = two = 0
            for byte in data[at + 2 : end]:
                one = (one + byte) & 0xFF
                two = (two + one) & 0xFF
            if (one, two) == (data[end], data[end + 1]):
                count += 1
                at = data.find(_UBX_HEAD, end + 2)
                continue
        at = data.find(_UBX_HEAD, at + 1)
    return count


def foreign(data: bytes) -> Foreign | None:
    """What these bytes are, where they are plainly no receiver's; None otherwise."""
    sentences, packets = nmea_sentences(data), ubx_packets(data)
    if sentences:
        return Foreign("NMEA", f"Not a receiver: {sentences} whole NMEA sentences, as a GPS sends them.", sentences)
    if packets:
        return Foreign("UBX", f"Not a receiver: {packets} whole UBX packets, as a GPS sends them.", packets)
    printable = sum(32 <= byte < 127 or byte in b"\r\n\t" for byte in data)
    if len(data) >= _FEWEST_BYTES and printable >= _TEXT_SHARE * len(data):
        return Foreign("text", "Not a receiver: this is plain text.", 0)
    return None
