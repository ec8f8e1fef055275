"""Crafts and their revisions."""

from __future__ import annotations

import uuid
from typing import Any

from django.conf import settings
from django.db import models

from linkcore.craft.document import CraftDocument, load


class CraftQuerySet(models.QuerySet["Craft"]):
    """Crafts, seen by their workshops."""

    def seen_by(self, user: Any) -> CraftQuerySet:
        """Those of the user's own workshops."""
        return self.filter(workshop__membership__user=user)


class Craft(models.Model):
    """One craft: its newest draft. `version` counts its saves, so that a second editor is told."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    workshop = models.ForeignKey("workshops.Workshop", on_delete=models.CASCADE, related_name="crafts")
    name = models.CharField(max_length=60)
    document = models.JSONField()
    version = models.PositiveIntegerField(default=1)
    demo = models.BooleanField(default=False)
    updated_at = models.DateTimeField(auto_now=True)
    updated_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    objects = CraftQuerySet.as_manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workshop", "name"], name="craft_name_once")]

    def __str__(self) -> str:
        return self.name

    def read(self) -> CraftDocument:
        """The draft, validated."""
        return load(self.document)


class Revision(models.Model):
    """A saved draft, what was written to the board, or what was read from it and kept before a flash."""

    class Kind(models.TextChoices):
        """What made it."""

        SAVED = "saved"
        WRITTEN = "written"
        KEPT = "kept"

    craft = models.ForeignKey(Craft, on_delete=models.CASCADE, related_name="revisions")
    version = models.PositiveIntegerField()
    kind = models.CharField(max_length=10, choices=Kind.choices)
    document = models.JSONField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]
