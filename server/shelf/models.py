"""The shelf: a workshop's firmware images; and the log of what was flashed."""

from __future__ import annotations

import uuid
from typing import Any

from django.conf import settings
from django.db import models

from linkcore.devices.flash_job import RUNNING, JobState
from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import ImageFacts
from linkcore.devices.outlook import OnShelf
from server.pieces import PIECE_BYTES
from server.room import counted


class ImageQuerySet(models.QuerySet["Image"]):
    """Images, seen by their workshops."""

    def seen_by(self, user: Any) -> ImageQuerySet:
        """Those of the user's own workshops."""
        return self.filter(workshop__membership__user=user)


class Image(models.Model):
    """One image. The same bytes at the same address are on a workshop's shelf once."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    workshop = models.ForeignKey("workshops.Workshop", on_delete=models.CASCADE, related_name="images")
    name = models.CharField(max_length=120)
    facts = models.JSONField()
    sha256 = models.CharField(max_length=64)
    crc32 = models.CharField(max_length=8)
    size = models.PositiveIntegerField()
    address = models.BigIntegerField()
    start = models.BigIntegerField(null=True)
    gaps = models.JSONField(default=list)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    objects = ImageQuerySet.as_manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workshop", "sha256", "address"], name="image_once")]
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def read(self) -> ImageFacts:
        """What it is for."""
        return ImageFacts.model_validate(self.facts)

    def on_shelf(self) -> OnShelf:
        """As the core's checks know it."""
        return OnShelf(key=str(self.pk), facts=self.read(), size=self.size, address=self.address, sha256=self.sha256, start=self.start)

    def content(self) -> Content:
        """Its bytes."""
        data = b"".join(bytes(piece) for piece in self.parts.order_by("number").values_list("data", flat=True))
        return Content(self.address, data, tuple((first, length) for first, length in self.gaps), self.start)


@counted
def shelved_bytes(workshop_id: int) -> int:
    """What the images of a workshop come to."""
    return Image.objects.filter(workshop_id=workshop_id).aggregate(sum=models.Sum("size"))["sum"] or 0


class ImagePiece(models.Model):
    """A stretch of an image's bytes."""

    image = models.ForeignKey(Image, on_delete=models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField()
    data = models.BinaryField(max_length=PIECE_BYTES + 1)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["image", "number"], name="image_piece_once")]


class FlashRecord(models.Model):
    """One flash job: what was to be done, how far it came, how it ended. `kept`: the settings read from the board before it."""

    class Settings(models.TextChoices):
        """What becomes of the settings that were kept."""

        NONE = "none"
        OFFERED = "offered"
        PUT_BACK = "put back"
        SKIPPED = "skipped"

    craft = models.ForeignKey("crafts.Craft", on_delete=models.CASCADE, related_name="flashes")
    image = models.ForeignKey(Image, null=True, on_delete=models.SET_NULL)
    job = models.JSONField()
    state = models.CharField(max_length=12)
    began_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    kept = models.ForeignKey("crafts.Revision", null=True, on_delete=models.SET_NULL)
    settings_state = models.CharField(max_length=10, choices=Settings.choices, default=Settings.NONE)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["craft", "state"])]

    def read(self) -> JobState:
        """As the core knows it."""
        return JobState.model_validate(self.job)

    @property
    def running(self) -> bool:
        """Whether it is said to run."""
        return self.state in RUNNING
