"""What a link will be with the firmware on both ends, and the shortest way to one that talks."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, Field

from linkcore.devices.firmware import Device, Installed, Role, air
from linkcore.devices.image_facts import ImageFacts, number
from linkcore.parts.models import Radio

Verdict = Literal["talks", "talks with less", "do not match"]


class Outlook(BaseModel):
    """What the link between two ends is. `because`: what they share, or why they do not hear each other; `channels` that cross the air."""

    verdict: Verdict
    because: list[str]
    channels: int = 0
    telemetry: bool = False
    lacks: Literal["", "transmitter", "receiver"] = Field("", description="The end that has no whole firmware: nothing else can be said then")


def outlook(sends: Radio | None, hears: Radio | None) -> Outlook:
    """Worked out from what both ends speak."""
    if sends is None or hears is None:
        lacks, named = ("transmitter", "transmitter's end") if sends is None else ("receiver", "receiver")
        return Outlook(verdict="do not match", because=[f"the {named} has no whole firmware"], lacks=lacks)
    against = []
    if (sends.name, sends.band) != (hears.name, hears.band):
        against.append(f"the transmitter's end speaks {sends.name} on {sends.band}, the receiver hears {hears.name} on {hears.band}")
    if sends.family != hears.family:
        against.append(f"the transmitter's end is of the family {sends.family}, the receiver of {hears.family}")
    if not set(sends.regions) & set(hears.regions):
        against.append(f"the transmitter's end is set for {', '.join(sends.regions)}, the receiver for {', '.join(hears.regions)}")
    if against:
        return Outlook(verdict="do not match", because=against)
    channels, telemetry = min(sends.channels, hears.channels), sends.telemetry and hears.telemetry
    less = []
    for mine, other, name in ((sends, hears, "transmitter's end"), (hears, sends, "receiver")):
        if mine.channels > other.channels:
            less.append(f"{channels} channels cross the air, though the {name} can do {mine.channels}")
        if mine.telemetry and not other.telemetry:
            less.append(f"no telemetry, though the {name} has it")
    shared = f"both speak {sends.family} on {sends.band}, {', '.join(sorted(set(sends.regions) & set(hears.regions)))}"
    return Outlook(verdict="talks with less" if less else "talks", because=[shared, *less], channels=channels, telemetry=telemetry)


@dataclass(frozen=True)
class OnShelf:
    """An image that could be flashed: its key on the shelf, and what it is. `start`: where its program begins, if its file says so."""

    key: str
    facts: ImageFacts
    size: int = 0
    address: int = 0
    sha256: str = ""
    start: int | None = None


@dataclass(frozen=True)
class Flashing:
    """One step: this image onto that device."""

    role: Role
    image: OnShelf


@dataclass(frozen=True)
class WayOut:
    """Images that make both ends understand each other, and what the link is then."""

    steps: tuple[Flashing, ...]
    then: Outlook


def ways_to_talk(devices: Mapping[Role, Device], installed: Mapping[Role, Installed], fits: Mapping[Role, Iterable[OnShelf]], most: int = 3) -> list[WayOut]:
    """The shortest first: fewest images, then the fuller link, then newer versions. `fits`: the images that may go on each end.

    The first place is empty where the ends talk as they are.
    """
    sends_now, hears_now = air(devices, installed)
    choices: dict[Role, list[tuple[OnShelf | None, Radio | None]]] = {"transmitter": [(None, sends_now)], "receiver": [(None, hears_now)]}
    for role, known in choices.items():
        known += [(image, devices[role].speaks(image.facts)) for image in fits.get(role, ())] if role in devices else []
    ways = []
    for sender, sends in choices["transmitter"]:
        for listener, hears in choices["receiver"]:
            then = outlook(sends, hears)
            if then.verdict != "do not match":
                steps = [Flashing(role, image) for role, image in (("transmitter", sender), ("receiver", listener)) if image is not None]  # type: ignore[arg-type]
                ways.append(WayOut(tuple(steps), then))

    def rank(way: WayOut) -> tuple[int, int, bool, list[tuple[int, ...]]]:
        newest = [tuple(-part for part in number(step.image.facts.version)) for step in way.steps]
        return len(way.steps), -way.then.channels, not way.then.telemetry, newest

    return sorted(ways, key=rank)[:most]
