"""Workshops and who belongs to them."""

from __future__ import annotations

from typing import Literal, get_args

from django.conf import settings
from django.db import models

Duty = Literal["read", "check", "build", "own"]
DUTIES: tuple[Duty, ...] = get_args(Duty)


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
        """What somebody may do; each what those below it may as well."""

        OWNER = "owner"  # people and settings
        BUILDER = "builder"  # edits
        CHECKER = "checker"  # proves by eye, signs
        READER = "reader"  # reads

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    workshop = models.ForeignKey(Workshop, on_delete=models.CASCADE)
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.BUILDER)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "workshop"], name="once_a_workshop")]

    def may(self, duty: Duty) -> bool:
        """Whether the role lets them."""
        return duty in duties_of(self.role)


def duties_of(role: str) -> tuple[Duty, ...]:
    """What a role lets somebody do."""
    ranks = [each.value for each in reversed(Membership.Role)]
    return DUTIES[: ranks.index(role) + 1] if role in ranks else ()
