"""Workshops and who belongs to them."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Workshop(models.Model):
    """The people who share crafts. Nobody sees another workshop's."""

    name = models.CharField(max_length=100, unique=True)
    demo = models.BooleanField(default=False)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, through="Membership", related_name="workshops")

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    """One user in one workshop."""

    class Role(models.TextChoices):
        """A checker signs release sheets; a builder does the rest."""

        BUILDER = "builder"
        CHECKER = "checker"

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    workshop = models.ForeignKey(Workshop, on_delete=models.CASCADE)
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.BUILDER)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "workshop"], name="once_a_workshop")]
