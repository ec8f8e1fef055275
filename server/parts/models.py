"""A workshop's own parts."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from linkcore.parts.catalogue import Catalogue, PartError, read_part, shipped
from linkcore.parts.models import Part
from server.workshops.models import Workshop


class OwnPart(models.Model):
    """One part that a workshop added. `facts` is the part as the core knows it; `version` counts its saves."""

    workshop = models.ForeignKey(Workshop, on_delete=models.CASCADE, related_name="own_parts")
    part_id = models.CharField(max_length=60)
    facts = models.JSONField()
    version = models.PositiveIntegerField(default=1)
    updated_at = models.DateTimeField(auto_now=True)
    updated_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workshop", "part_id"], name="own_part_once")]
        ordering = ["part_id"]

    def read(self) -> Part | None:
        """As the core knows it; None where its facts no longer pass the check."""
        try:
            return read_part(self.facts)
        except PartError:
            return None


def catalogue_of(workshop_id: int) -> Catalogue:
    """What a workshop can choose from: the shipped parts and its own."""
    own = [part for each in OwnPart.objects.filter(workshop_id=workshop_id) if (part := each.read()) is not None]
    return shipped().with_own(own)
