"""The images that ship with the scenario: invented programs with honest headers, the same bytes whenever they are built."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

from linkcore.images.facts import STEP, ImageFacts, SettingsFormat, header
from linkcore.images.hexfile import Content
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
    return _facts(device, device.flash.version, region, device.radio.family if device.radio else "")


def _facts(device: Flashable, version: str, region: Region | None, family: str, **more: object) -> ImageFacts:
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


def scenario_images(catalogue: Catalogue) -> Iterator[tuple[str, ImageFacts, Content]]:
    """(file name, facts, content) of every image that ships: for each flashable part several versions, regions and bands, wrong ones among them."""
    for part in catalogue.values():
        device = flashable(part)
        if device is None:
            continue
        for facts in _board_versions(device) if device.radio is None else _radio_versions(device, device.radio):
            what = "-".join(str(each) for each in (part.id, facts.version, facts.region) if each).lower()
            yield f"{what}.hex", facts, build(facts, device.flash, program_kilobytes(part))


def _board_versions(device: Flashable) -> Iterator[ImageFacts]:
    yield factory_facts(device)
    yield _facts(device, "4.3.1", None, "")
    newer = SettingsFormat(dropped=("lost_link/throttle_fallback",), renamed={"stick_lines": "stick ends", "lost_link/grace_ms": "link grace"})
    yield _facts(device, "5.0.0", None, "", least_bootloader="1.2.0", settings=newer)


def _radio_versions(device: Flashable, radio: Radio) -> Iterator[ImageFacts]:
    """The maker's family in each region; an older family; a lean version with less; and one for a region that the hardware does not have."""
    name, _, generation = radio.family.rpartition(" ")
    version = device.flash.version
    major = int(version.split(".")[0])
    for region in radio.regions:
        yield _facts(device, version, region, radio.family)
        yield _facts(device, f"{major}.1.0", region, radio.family) if version != f"{major}.1.0" else _facts(device, f"{major}.2.0", region, radio.family)
    if generation.isdigit() and int(generation) > 1 and name:
        for region in radio.regions:
            yield _facts(device, f"{major - 1}.4.1", region, f"{name} {int(generation) - 1}")
    lean = f"{major}.0.0" if version != f"{major}.0.0" else f"{major}.0.1"
    yield _facts(device, lean, radio.regions[0], radio.family, channels=min(8, radio.channels), telemetry=False)
    wrong: Region = "915" if radio.band == "2.4 GHz" else "FCC"
    yield _facts(device, f"{major}.1.1", wrong, radio.family)
    yield _facts(device, f"{major}.1.2", radio.regions[0], radio.family, band="900 MHz" if radio.band == "2.4 GHz" else "2.4 GHz")
    yield _facts(
        device, f"{major + 1}.0.0", radio.regions[0], f"{name or radio.family} {int(generation) + 1 if generation.isdigit() else 2}", least_bootloader="2.0.0"
    )
