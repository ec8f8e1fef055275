"""Putting images on the shelf, judging them for a craft, and the log of flash jobs."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from pathlib import PurePath
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.board_api import Refused
from linkcore.devices.carry_over import Carried, carry_over
from linkcore.devices.connection import recovery
from linkcore.devices.factory import flash_of
from linkcore.devices.firmware import Device, Installed, Role
from linkcore.devices.flash_job import RUNNING, FlashOrder, JobState
from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import ImageError, ImageFacts, settle
from linkcore.hops.load.rules import judge
from linkcore.parts.catalogue import Catalogue
from server.apart.keeper import read_image
from server.bench.models import BenchRecord
from server.crafts.models import Craft, Revision
from server.parts.models import catalogue_of
from server.pieces import in_pieces
from server.room import full, left_bytes
from server.shelf.models import FlashRecord, Image, ImagePiece

INTERRUPTED = "Coin Bell stopped while it ran"


@dataclass(frozen=True)
class ReadImage:
    """A file as it was read: its bytes, and what its header says (None where it has none)."""

    name: str
    content: Content
    inside: ImageFacts | None


def read_file(name: str, data: bytes) -> ReadImage:
    """Read a file as its ending says. Raise ImageError that says where and what to do."""
    plain = PurePath(name.replace("\\", "/")).name[-120:] or "image"
    content, inside = read_image(plain, data)
    return ReadImage(plain, content, inside)


def placed(content: Content, facts: ImageFacts, catalogue: Catalogue) -> Content:
    """A raw binary goes where its target's flash begins."""
    flash = flash_of(facts.target, catalogue)
    return content.at(flash.start if flash else 0)


@transaction.atomic
def _store(workshop_id: int, name: str, content: Content, facts: ImageFacts, by: Any) -> Image:
    if len(content.data) > left_bytes(workshop_id):
        raise full()
    image = Image.objects.create(
        workshop_id=workshop_id,
        name=name,
        facts=facts.model_dump(mode="json", exclude_defaults=True),
        sha256=content.sha256,
        crc32=content.crc32,
        size=len(content.data),
        address=content.address,
        start=content.start,
        gaps=[list(gap) for gap in content.gaps],
        made_by=by,
    )
    ImagePiece.objects.bulk_create([ImagePiece(image=image, number=number, data=piece) for number, piece in enumerate(in_pieces([content.data]))])
    return image


def put_on_shelf(workshop_id: int, read: ReadImage, beside: ImageFacts | None, by: Any) -> tuple[Image, bool]:
    """(the image, whether it is new there). Raise ImageError where form and header contradict each other."""
    facts = settle(read.inside, beside)
    content = placed(read.content, facts, catalogue_of(workshop_id))
    there = Image.objects.filter(workshop_id=workshop_id, sha256=content.sha256, address=content.address)
    found = there.first()
    if found is None:
        try:
            return _store(workshop_id, read.name, content, facts, by), True
        except IntegrityError:
            found = there.get()  # somebody else put it there at the same moment
    if found.read() != facts:
        raise ImageError(f"these very bytes are on the shelf already as {found.name}, {found.read().said()}; what the form says differs: {facts.said()}")
    return found, False


# --- flash jobs ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Prepared:
    """An image that may go on a device, fetched from the shelf."""

    image: Image
    content: Content
    facts: ImageFacts


def prepare(craft_id: uuid.UUID, order: FlashOrder, document: CraftDocument, devices: dict[Role, Device], installed: dict[Role, Installed]) -> Prepared:
    """Fetch the image and judge it. Raise Refused where it may not go on the device."""
    craft = Craft.objects.get(pk=craft_id)
    try:
        image = Image.objects.filter(workshop_id=craft.workshop_id, pk=uuid.UUID(order.image)).first()
    except ValueError:
        image = None
    if image is None:
        raise Refused("that image is not on the shelf (any more)")
    if order.role not in devices:
        raise Refused(f"no {order.role} is chosen yet")
    judged = judge(image.on_shelf(), devices[order.role], document, devices, installed)
    stop = next((finding for finding in judged.findings if finding.severity == "stop"), None)
    if stop is not None:
        raise Refused(f"{stop.what} {stop.why}")
    return Prepared(image, image.content(), image.read())


@transaction.atomic
def begin_record(craft_id: uuid.UUID, version: int, job: JobState, image: Image, user: Any, document: CraftDocument, kept: BoardSettings | None) -> int:
    """Write down that a job has begun, with the settings that were kept before it as a revision."""
    revision = None
    if kept is not None:
        data = document.model_copy(update={"settings": kept}).model_dump(mode="json")
        revision = Revision.objects.create(craft_id=craft_id, version=version, kind=Revision.Kind.KEPT, document=data, author=user)
    record = FlashRecord.objects.create(craft_id=craft_id, image=image, job=job.record(), state=job.state, by=user, kept=revision)
    return record.pk


def go_on_record(record_id: int, job: JobState) -> None:
    """How far it is, or how it ended. One that has ended already stays as it ended."""
    values: dict[str, Any] = {"job": job.record(), "state": job.state}
    running = FlashRecord.objects.filter(pk=record_id, state__in=RUNNING)
    if job.over:
        values["ended_at"] = timezone.now()
        if running.filter(kept__isnull=False).exists():  # however it ended: what was kept is offered until it is taken or declined
            values["settings_state"] = FlashRecord.Settings.OFFERED
    running.update(**values)


def end_orphans(craft_id: uuid.UUID) -> None:
    """Jobs that nobody runs any more are interrupted: their process ended without a word."""
    for record in FlashRecord.objects.filter(craft_id=craft_id, state__in=RUNNING):
        job = record.read()
        erased = job.state != "asking"
        ways = (job.order.way,)
        recover = recovery(job.order.role, job.device, ways, has_program=not erased)
        job = job.model_copy(update={"state": "interrupted", "says": f"{INTERRUPTED}: {job.says}", "recover": recover, "can_stop": False, "rate_bytes_s": 0.0})
        offered = FlashRecord.Settings.OFFERED if record.kept_id else FlashRecord.Settings.NONE
        values = {"job": job.record(), "state": "interrupted", "ended_at": timezone.now(), "settings_state": offered}
        FlashRecord.objects.filter(pk=record.pk, state__in=RUNNING).update(**values)


def log_of(craft: Craft) -> list[FlashRecord]:
    """The newest fifty jobs of a craft; what is said to run without a bench that runs is interrupted."""
    records = list(craft.flashes.select_related("by", "image", "kept")[:50])
    if any(record.running for record in records):
        bench = BenchRecord.objects.filter(pk=craft.pk).first()
        if bench is None or not bench.held:
            end_orphans(craft.pk)
            records = list(craft.flashes.select_related("by", "image", "kept")[:50])
    return records


def carried(record: FlashRecord, document: CraftDocument, parts: KitParts) -> Carried | None:
    """The settings that were kept before a job, beside what the board holds now; None where none were."""
    bench = BenchRecord.objects.filter(pk=record.craft_id).first()
    if record.kept is None or bench is None:
        return None
    state = bench.state_for(document, parts)
    facts = state.installed(document, parts)["board"].facts
    form = facts.settings if facts else None
    kept = BoardSettings.model_validate(record.kept.document["settings"])
    if form is None:
        return None  # a board without a program takes no settings yet
    found = carry_over(kept, state.stored, form)
    return found.beside(document.settings) if any(line.says != "as it is" for line in found.lines) else None
