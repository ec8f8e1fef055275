"""Load the demo scenario; what is there already stays as it is."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from server.demo.services import NameTaken, load


class Command(BaseCommand):
    """See the module."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Load it."""
        try:
            made = load()
        except NameTaken as error:
            raise CommandError(str(error)) from error
        if made:
            self.stdout.write(f"bell: demo scenario: made {', '.join(made)}")
