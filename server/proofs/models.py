"""Recorded tests."""

from __future__ import annotations

from collections.abc import Iterable

from django.db import models

from linkcore.chain import Proof
from linkcore.findings import Hop


class ProofRecord(models.Model):
    """A proof as the bench gave it. Proofs are only ever added."""

    craft = models.ForeignKey("crafts.Craft", on_delete=models.CASCADE, related_name="proofs")
    hop = models.CharField(max_length=20)
    rests_on = models.JSONField()
    seen = models.JSONField()
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["craft", "hop", "id"])]

    def read(self) -> Proof:
        """As the core knows it."""
        return Proof.model_validate({"hop": self.hop, "rests_on": self.rests_on, "seen": self.seen})

    @classmethod
    def newest(cls, records: Iterable[ProofRecord]) -> dict[Hop, Proof]:
        """The newest proof of each hop, from records in the order of their making."""
        return {proof.hop: proof for proof in (record.read() for record in records)}
