"""Users."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser


class User(AbstractUser):
    """Somebody who signs in. Permissions come from workshops alone."""
