"""The firmware images that ship with the scenario."""

from __future__ import annotations

from collections.abc import Iterator

from linkcore.devices.factory import Flashable, build, factory_facts, facts_for, flashable, program_kilobytes
from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import ImageFacts, SettingsFormat
from linkcore.parts.catalogue import Catalogue
from linkcore.parts.models import Radio, Region


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
    yield facts_for(device, "4.3.1", None, "")
    newer = SettingsFormat(dropped=("lost_link/throttle_fallback",), renamed={"stick_lines": "stick ends", "lost_link/grace_ms": "link grace"})
    yield facts_for(device, "5.0.0", None, "", least_bootloader="1.2.0", settings=newer)


# Of each firmware family the one before and the one after it: ends of different families do not understand each other, whatever their versions.
_BEFORE = {"Haar": "Fret", "Tine": "Spike", "Stile 3": "Stile 2"}
_AFTER = {"Haar": "Brume", "Tine": "Rake", "Spike": "Tine", "Stile 3": "Stile 4"}


def _radio_versions(device: Flashable, radio: Radio) -> Iterator[ImageFacts]:
    """The maker's family in each region; an older family; a lean version with less; and one for a region that the hardware does not have."""
    version = device.flash.version
    major = int(version.split(".")[0])
    for region in radio.regions:
        yield facts_for(device, version, region, radio.family)
        yield facts_for(device, f"{major}.1.0", region, radio.family) if version != f"{major}.1.0" else facts_for(device, f"{major}.2.0", region, radio.family)
    if older := _BEFORE.get(radio.family):
        for region in radio.regions:
            yield facts_for(device, f"{major - 1}.4.1", region, older)
    lean = f"{major}.0.0" if version != f"{major}.0.0" else f"{major}.0.1"
    yield facts_for(device, lean, radio.regions[0], radio.family, channels=min(8, radio.channels), telemetry=False)
    wrong: Region = "915" if radio.band == "2.4 GHz" else "FCC"
    yield facts_for(device, f"{major}.1.1", wrong, radio.family)
    yield facts_for(device, f"{major}.1.2", radio.regions[0], radio.family, band="900 MHz" if radio.band == "2.4 GHz" else "2.4 GHz")
    yield facts_for(device, f"{major + 1}.0.0", radio.regions[0], _AFTER.get(radio.family, f"{radio.family} 2"), least_bootloader="2.0.0")
