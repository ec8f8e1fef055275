"""Write the schemas that are kept in the repository."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from server.crafts.schemas import CRAFT_SCHEMA, OPENAPI, craft_schema, openapi


class Command(BaseCommand):
    """See the module."""

    help = __doc__
    requires_system_checks: list[str] = []

    def handle(self, *args: Any, **options: Any) -> None:
        """Write both."""
        CRAFT_SCHEMA.write_text(craft_schema())
        OPENAPI.write_text(openapi())
