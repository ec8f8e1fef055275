"""Recordings of lines: what was heard, kept in pieces in the database, so that every server process can read them."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Iterator
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import models, transaction
from django.utils import timezone

from server.pieces import PIECE_BYTES, in_pieces
from server.room import counted, full, left_bytes

LOOSE_FOR = timedelta(days=1)


class RecordingQuerySet(models.QuerySet["Recording"]):
    """Recordings, seen by the workshops of their crafts."""

    def seen_by(self, user: Any) -> RecordingQuerySet:
        """Those of crafts of the user's own workshops."""
        return self.filter(craft__workshop__membership__user=user)


class Recording(models.Model):
    """One recording. Until `kept`, it is only lent: it goes away after a day. `kind` is its file's ending without the dot."""

    class Source(models.TextChoices):
        """Where it was heard."""

        FILE = "file"
        STAND_IN = "stand-in"
        SERIAL = "serial"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    craft = models.ForeignKey("crafts.Craft", on_delete=models.CASCADE, related_name="recordings")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=3)
    source = models.CharField(max_length=10, choices=Source.choices)
    what = models.CharField(max_length=60, default="", blank=True)
    size = models.PositiveBigIntegerField(default=0)
    kept = models.BooleanField(default=False)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    objects = RecordingQuerySet.as_manager()

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return self.name

    @classmethod
    @transaction.atomic
    def store(cls, pieces: Iterable[bytes], **fields: Any) -> Recording:
        """Keep a recording whole or not at all; lent ones that nobody kept are cleared away. Raise RoomFull where the workshop has no room for it."""
        cls.objects.filter(kept=False, made_at__lt=timezone.now() - LOOSE_FOR).delete()
        recording = cls.objects.create(**fields)
        room = left_bytes(recording.craft.workshop_id)
        for number, piece in enumerate(in_pieces(pieces)):
            RecordingPiece.objects.create(recording=recording, number=number, data=piece)
            recording.size += len(piece)
            if recording.size > room:
                raise full()
        recording.save(update_fields=["size"])
        return recording

    def pieces(self) -> Iterator[bytes]:
        """The file's bytes, a piece at a time."""
        for number in self.parts.values_list("number", flat=True).order_by("number"):
            yield bytes(self.parts.values_list("data", flat=True).get(number=number))


@counted
def recorded_bytes(workshop_id: int) -> int:
    """What the recordings of a workshop come to."""
    return Recording.objects.filter(craft__workshop_id=workshop_id).aggregate(sum=models.Sum("size"))["sum"] or 0


class RecordingPiece(models.Model):
    """A stretch of a recording's file."""

    recording = models.ForeignKey(Recording, on_delete=models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField()
    data = models.BinaryField(max_length=PIECE_BYTES + 1)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["recording", "number"], name="recording_piece_once")]
