"""Recorded tests, and wires rung out."""

from __future__ import annotations

from collections.abc import Iterable

from django.conf import settings
from django.db import models

from linkcore.chain import ProofKey
from linkcore.proofs import Proof


class ProofRecord(models.Model):
    """A proof as the bench gave it. Proofs are only ever added; one whose evidence was taken back is marked so."""

    craft = models.ForeignKey("crafts.Craft", on_delete=models.CASCADE, related_name="proofs")
    hop = models.CharField(max_length=20)
    name = models.CharField(max_length=40)
    rests_on = models.JSONField()
    seen = models.JSONField()
    at = models.DateTimeField(auto_now_add=True)
    withdrawn = models.BooleanField(default=False)

    class Meta:
        indexes = [models.Index(fields=["craft", "hop", "name", "id"])]

    def read(self) -> Proof:
        """As the core knows it."""
        return Proof.model_validate({"hop": self.hop, "name": self.name, "rests_on": self.rests_on, "seen": self.seen})

    @classmethod
    def newest(cls, records: Iterable[ProofRecord]) -> dict[ProofKey, Proof]:
        """The newest of each of a hop's proofs, from records in the order of their making."""
        return {(proof.hop, proof.name): proof for proof in (record.read() for record in records if not record.withdrawn)}


class WireRing(models.Model):
    """One wire that was rung out. It counts until the wire is changed or the tick taken back (`until`)."""

    class How(models.TextChoices):
        """By whom."""

        HAND = "hand"
        SIGNAL = "signal"

    craft = models.ForeignKey("crafts.Craft", on_delete=models.CASCADE, related_name="rings")
    wire = models.CharField(max_length=120)
    how = models.CharField(max_length=10, choices=How.choices)
    initials = models.CharField(max_length=6, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    until = models.DateTimeField(null=True)

    class Meta:
        indexes = [models.Index(fields=["craft", "until"])]

    def says(self) -> str:
        """Who and when, in short."""
        when = f"{self.at:%Y-%m-%d %H:%M} UTC"
        return f"signal, {when}" if self.how == self.How.SIGNAL else f"{self.initials}, {when}"
