"""What an image says of itself, in a header inside it or in a form beside it.

The header is ours: eight letters `CBELLIMG`, two bytes layout (1) and two bytes length, little endian, JSON in UTF-8, and the CRC-32 of that JSON, little endian.
It may stand anywhere in the first 64 kB, at a multiple of 16 bytes.
"""

from __future__ import annotations

import json
import zlib
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from linkcore.parts.models import RadioBand, Region, Target, VersionText
from linkcore.parts.renamed import FamilyNow

MAGIC = b"CBELLIMG"
LAYOUT = 1
WITHIN = 1 << 16
STEP = 16
MOST_BYTES = 16 << 20

Path = Annotated[str, Field(pattern=r"^[a-z_]+(/[A-Za-z0-9_]+)*$", max_length=80)]


class ImageError(ValueError):
    """An image cannot be taken. The text says where and what to do."""


class SettingsFormat(BaseModel):
    """How a board's firmware keeps settings: those that it no longer has, and those that are called otherwise on it. Paths within the settings."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    dropped: tuple[Path, ...] = Field((), max_length=64)
    renamed: dict[Path, Annotated[str, Field(min_length=1, max_length=60)]] = Field(default_factory=dict, max_length=64)


class ImageFacts(BaseModel):
    """What an image is for. `family`, `band` and `region` are those of its radio; None and empty for a board's."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    target: Target
    version: VersionText
    family: FamilyNow = Field("", max_length=40)
    band: RadioBand | None = None
    region: Region | None = None
    least_bootloader: VersionText = "1.0.0"
    channels: int | None = Field(None, ge=1, le=18)
    telemetry: bool | None = None
    settings: SettingsFormat = SettingsFormat()

    def said(self) -> str:
        """In short: target, version, and what its radio speaks."""
        radio = ", ".join(str(each) for each in (self.family, self.band, self.region) if each)
        return f"{self.target} {self.version}" + (f" ({radio})" if radio else "")


def number(version: str) -> tuple[int, ...]:
    """A version to compare by."""
    return tuple(int(part) for part in version.split("."))


def header(facts: ImageFacts) -> bytes:
    """The header that says this."""
    text = json.dumps(facts.model_dump(mode="json", exclude_defaults=True), separators=(",", ":"), sort_keys=True).encode()
    return MAGIC + LAYOUT.to_bytes(2, "little") + len(text).to_bytes(2, "little") + text + zlib.crc32(text).to_bytes(4, "little")


def facts_in(content: bytes) -> ImageFacts | None:
    """What the header inside an image says; None where it has none. Raise ImageError for one that is damaged or cannot be read."""
    at = content.find(MAGIC, 0, WITHIN + len(MAGIC))
    while at >= 0 and at % STEP:
        at = content.find(MAGIC, at + 1, WITHIN + len(MAGIC))
    if at < 0:
        return None
    where = f"the header at byte {at} of the image"
    layout, length = (int.from_bytes(content[at + step : at + step + 2], "little") for step in (8, 10))
    if layout != LAYOUT:
        raise ImageError(f"{where} has layout {layout}; this Coin Bell reads layout {LAYOUT}. Take an image made for it, or a newer Coin Bell")
    text, told = content[at + 12 : at + 12 + length], content[at + 12 + length : at + 16 + length]
    if len(told) < 4 or zlib.crc32(text) != int.from_bytes(told, "little"):
        raise ImageError(f"{where} is damaged: its CRC does not fit; fetch the image again")
    try:
        return ImageFacts.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        raise ImageError(f"{where} says something that cannot be: {'/'.join(map(str, first['loc']))}: {first['msg']}") from error


def settle(inside: ImageFacts | None, beside: ImageFacts | None) -> ImageFacts:
    """One set of facts from header and form. Raise ImageError where they contradict each other, or where there is neither."""
    if inside is None and beside is None:
        raise ImageError("the image has no header that says what it is for: fill in target and version")
    if inside is None or beside is None:
        facts = inside or beside
        assert facts is not None
        return facts
    told, found = beside.model_dump(exclude_defaults=True), inside.model_dump()
    for name, value in told.items():
        if found[name] != value:
            raise ImageError(
                f"the form says {name.replace('_', ' ')} {value}, the image's own header says {found[name] or 'none'}; the header is inside the image"
            )
    return inside
