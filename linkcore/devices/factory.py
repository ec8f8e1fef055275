"""What can be flashed about a part, and what it was made with: invented programs with honest headers, the same bytes whenever they are built."""

from __future__ import annotations

import random
from dataclasses import dataclass
from functools import cache

from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import STEP, ImageFacts, header
from linkcore.parts.catalogue import Catalogue
from linkcore.parts.models import Board, Flash, Module, Part, Radio, Receiver, Region, Transmitter

HEADER_AT = 0x100  # behind the vectors
PROGRAM_KB = {"board": 96, "receiver": 32, "module": 40, "transmitter": 40}


@dataclass(frozen=True)
class Flashable:
    """A part whose firmware can be exchanged. `radio`: the one that the firmware runs, where there is one."""

    part: Part
    flash: Flash
    radio: Radio | None


def flashable(part: Part | None) -> Flashable | None:
    """What can be flashed about a part; None where its firmware is what it was made with."""
    if part is None or not isinstance(part, (Board, Receiver, Module, Transmitter)) or part.flash is None:
        return None
    radio = None if isinstance(part, Board) else part.radio if isinstance(part, Receiver) else part.radios[0] if part.radios else None
    return Flashable(part, part.flash, radio)


def flash_of(target: str, catalogue: Catalogue) -> Flash | None:
    """The memory that images for a target are written to; None where no part is one."""
    devices = (device for part in catalogue.values() if (device := flashable(part)) is not None)
    return next((device.flash for device in devices if device.flash.target == target), None)


def factory_facts(device: Flashable, wanted: Region | None = None) -> ImageFacts:
    """What a device runs as it leaves its maker; sold for the region that is wanted, where its hardware has it."""
    region = None
    if device.radio:
        region = wanted if wanted in device.radio.regions else device.radio.regions[0]
    return facts_for(device, device.flash.version, region, device.radio.family if device.radio else "")


def facts_for(device: Flashable, version: str, region: Region | None, family: str, **more: object) -> ImageFacts:
    """What an image for a device says of itself."""
    radio = device.radio
    if radio is None:
        return ImageFacts.model_validate({"target": device.flash.target, "version": version, **more})
    known = {"channels": radio.channels, "telemetry": radio.telemetry, "band": radio.band, "family": family, "region": region}
    return ImageFacts.model_validate({"target": device.flash.target, "version": version, **known, **more})


def build(facts: ImageFacts, flash: Flash, kilobytes: int) -> Content:
    """A program for a target: vectors, header, code. Its bytes follow from what it says."""
    return _built(header(facts), flash.start, min(kilobytes << 10, flash.room))


@cache
def _built(head: bytes, start: int, size: int) -> Content:
    rng = random.Random(head)
    vectors = b"".join((start + 4 * rng.randrange(64, size // 4) + 1).to_bytes(4, "little") for _ in range(HEADER_AT // 4))
    padding = bytes(-len(head) % STEP)
    code = rng.randbytes(size - HEADER_AT - len(head) - len(padding))
    return Content(start, vectors + head + padding + code, start=start)


def program_kilobytes(part: Part) -> int:
    """How large an invented program is for such a part."""
    return PROGRAM_KB.get(part.kind, 32)
