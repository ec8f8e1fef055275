"""What the Load hop shows, as models that the browser's types are made from."""

from __future__ import annotations

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.carry_over import Carried
from linkcore.devices.firmware import Installed, Role, devices_of
from linkcore.devices.flash_job import JobState
from linkcore.devices.image_facts import ImageFacts
from linkcore.devices.outlook import Outlook, WayOut, ways_to_talk
from linkcore.hops.load.rules import Judged, fitting, judge, then_flash
from server.shelf.models import FlashRecord, Image


class ImageRow(BaseModel):
    """An image on the shelf."""

    id: str
    name: str
    facts: ImageFacts
    sha256: str
    crc32: str
    size: int
    address: int
    start: int | None
    gaps: list[tuple[int, int]]
    made_at: str
    made_by: str | None


class ReadView(BaseModel):
    """A file that was read and is not on the shelf (yet). `inside`: what its header says; `on_shelf`: the image that it is already."""

    name: str
    inside: ImageFacts | None
    sha256: str
    crc32: str
    size: int
    address: int | None
    start: int | None
    remarks: list[str]
    on_shelf: str | None


class WayOutStep(BaseModel):
    """An image to flash onto a device."""

    role: Role
    image: str
    name: str
    said: str


class WayOutView(BaseModel):
    """Images that would make both ends understand each other, and what the link is then."""

    steps: list[WayOutStep]
    then: Outlook


class JudgedImage(BaseModel):
    """An image and whether it may go on; `then`: what would make the link talk after it, where it would part the ends."""

    image: ImageRow
    judged: Judged
    then: WayOutView | None


class LoadView(BaseModel):
    """A device's choice of images: those for its target first; `others`: how many are for other targets. And the shortest ways to a link that talks."""

    images: list[JudgedImage]
    others: int
    ways_out: list[WayOutView]


class FlashView(BaseModel):
    """A job in the log; `carried` while settings that were kept wait to be put back."""

    id: int
    job: JobState
    began_at: str
    ended_at: str | None
    by: str | None
    settings_state: str
    carried: Carried | None


def image_row(image: Image) -> ImageRow:
    """For the screen."""
    return ImageRow(
        id=str(image.pk),
        name=image.name,
        facts=image.read(),
        sha256=image.sha256,
        crc32=image.crc32,
        size=image.size,
        address=image.address,
        start=image.start,
        gaps=[(first, length) for first, length in image.gaps],
        made_at=image.made_at.isoformat(),
        made_by=image.made_by.get_username() if image.made_by else None,
    )


def load_view(images: list[Image], role: Role, document: CraftDocument, parts: KitParts, installed: dict[Role, Installed], *, every: bool) -> LoadView:
    """The images for one device, judged: those that may go on first, newer ones before older."""
    devices = devices_of(parts)
    shelf = {str(image.pk): image for image in images}
    on_shelf = {key: image.on_shelf() for key, image in shelf.items()}
    device = devices.get(role)
    target = device.flash.target if device and device.flash else None
    mine = [each for each in on_shelf.values() if every or each.facts.target == target]
    judged = [judge(each, device, document, devices, installed) for each in mine] if device and target else []

    def rank(each: Judged) -> tuple[int, int, list[int]]:
        silent = each.link is not None and each.link.verdict == "do not match"
        version = [-int(part) for part in on_shelf[each.image].facts.version.split(".")]
        return ("yes", "yes, but", "no").index(each.may), int(silent), version

    fits = fitting(on_shelf.values(), document, devices, installed)
    found = ways_to_talk(devices, installed, fits) if {"transmitter", "receiver"} <= set(devices) else []

    def shown(way: WayOut) -> WayOutView:
        steps = [WayOutStep(role=step.role, image=step.image.key, name=shelf[step.image.key].name, said=step.image.facts.said()) for step in way.steps]
        return WayOutView(steps=steps, then=way.then)

    def then(each: Judged) -> WayOutView | None:
        parts_them = each.may != "no" and each.link is not None and each.link.verdict == "do not match"
        way = then_flash(on_shelf[each.image], role, devices, installed, fits) if parts_them else None
        return shown(way) if way else None

    return LoadView(
        images=[JudgedImage(image=image_row(shelf[each.image]), judged=each, then=then(each)) for each in sorted(judged, key=rank)],
        others=len(on_shelf) - len(mine),
        ways_out=[shown(way) for way in found] if all(way.steps for way in found) else [],
    )


def flash_view(record: FlashRecord, put_back: Carried | None) -> FlashView:
    """For the screen."""
    return FlashView(
        id=record.pk,
        job=record.read(),
        began_at=record.began_at.isoformat(),
        ended_at=record.ended_at.isoformat() if record.ended_at else None,
        by=record.by.get_username() if record.by else None,
        settings_state=record.settings_state,
        carried=put_back,
    )
