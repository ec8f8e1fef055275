"""What can be done with a workshop's own parts."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from linkcore.parts.catalogue import PartError
from linkcore.parts.files import facts_of, own_part, read_parts, write_parts
from server.bench.news import tell_bench
from server.crafts.models import Craft
from server.parts.models import OwnPart
from server.workshops.models import Workshop

MOST_PARTS = 500


class StalePart(Exception):
    """Somebody else saved this part meanwhile."""

    def __init__(self, part: OwnPart) -> None:
        super().__init__(f"version {part.version}")
        self.part = part


class PartInUse(ValueError):
    """A craft has this part in its kit."""


@transaction.atomic
def save(workshop: Workshop, data: Any, version: int | None, author: Any) -> OwnPart:
    """Add a part (`version` None) or save a newer state of one. Raise PartError or StalePart; the old state stays then."""
    part = own_part(data)
    there = OwnPart.objects.select_for_update().filter(workshop=workshop, part_id=part.id).first()
    if there is None:
        if version is not None:
            raise PartError([("id", f"there is no part {part.id} any more; add it as a new one")])
        if workshop.own_parts.count() >= MOST_PARTS:
            raise PartError([("", f"a workshop keeps at most {MOST_PARTS} parts of its own; delete some that no craft uses")])
        try:
            with transaction.atomic():
                return OwnPart.objects.create(workshop=workshop, part_id=part.id, facts=facts_of(part), updated_by=author)
        except IntegrityError as error:
            raise PartError([("id", f"somebody has just added a part {part.id}; look at that one")]) from error
    if version is None:
        raise PartError([("id", f"this workshop already has a part {part.id}; choose another id, or open that one to change it")])
    if there.version != version:
        raise StalePart(there)
    there.facts, there.version, there.updated_by, there.updated_at = (
        facts_of(part),
        version + 1,
        author,
        timezone.now(),
    )
    there.save()
    _tell_benches(workshop, part.id)
    return there


def _tell_benches(workshop: Workshop, part_id: str) -> None:
    """Running benches with this part follow its new facts, once they are saved."""
    users = [craft.pk for craft in Craft.objects.filter(workshop=workshop) if part_id in used_parts(craft.document)]

    def tell() -> None:
        for craft_id in users:
            tell_bench(craft_id, "draft")

    transaction.on_commit(tell)


def delete(workshop: Workshop, part_id: str) -> None:
    """Take a part out; raise PartInUse where a craft still has it."""
    users = [craft.name for craft in Craft.objects.filter(workshop=workshop) if part_id in used_parts(craft.document)]
    if users:
        raise PartInUse(f"{', '.join(users)} {'has' if len(users) == 1 else 'have'} it in the kit; exchange it there first")
    OwnPart.objects.filter(workshop=workshop, part_id=part_id).delete()


def used_parts(document: Any) -> set[str]:
    """The part ids that a stored document names."""
    kit = document.get("kit", {}) if isinstance(document, dict) else {}
    ids = {kit.get(role, "") for role in ("board", "receiver", "transmitter", "module")}
    return ids | {device.get("part", "") for device in kit.get("devices", [])}


def exported(workshop: Workshop) -> dict[str, Any]:
    """All own parts as an open document."""
    return write_parts(each.facts for each in workshop.own_parts.all())


@transaction.atomic
def import_parts(workshop: Workshop, data: Any, author: Any) -> tuple[list[str], list[str]]:
    """Take every part of an exported document, or none: (added, replaced) ids. Raise PartError with every fault's place."""
    parts = read_parts(data)
    versions = dict(workshop.own_parts.values_list("part_id", "version"))
    for part in parts:
        save(workshop, facts_of(part), versions.get(part.id), author)
    ids = [part.id for part in parts]
    return [each for each in ids if each not in versions], [each for each in ids if each in versions]
