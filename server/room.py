"""How much a workshop may keep: the bytes of its recordings and images. Whoever keeps something says here how much it comes to."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings

_counted: list[Callable[[int], int]] = []


class RoomFull(ValueError):
    """A workshop has no room for it. The text says how much there is and what to do."""


def counted(work: Callable[[int], int]) -> Callable[[int], int]:
    """Count what this tells of a workshop, in bytes, as well."""
    _counted.append(work)
    return work


def used_bytes(workshop_id: int) -> int:
    """What a workshop keeps."""
    return sum(work(workshop_id) for work in _counted)


def left_bytes(workshop_id: int) -> int:
    """What it may still keep."""
    return max(0, settings.WORKSHOP_QUOTA_BYTES - used_bytes(workshop_id))


def full() -> RoomFull:
    """What is said of something for which there is no room left."""
    return RoomFull(
        f"this workshop may keep {settings.WORKSHOP_QUOTA_BYTES >> 20} MB of recordings and images, and there is no room left for this; "
        "remove what nobody needs, or ask the operator for more"
    )
