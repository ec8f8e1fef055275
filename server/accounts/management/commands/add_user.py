"""Add a user to a workshop; both are made where they do not exist yet."""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from server.workshops.models import Membership, Workshop
from server.workshops.services import CannotBe, put_in


class Command(BaseCommand):
    """See the module."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """See Django."""
        parser.add_argument("name")
        parser.add_argument("--workshop", required=True)
        parser.add_argument("--role", choices=Membership.Role.values, help="owner for the first of a workshop, else builder")

    @transaction.atomic
    def handle(self, *args: Any, **options: Any) -> None:
        """Ask for a password where the user is new (a line on standard input where that is no terminal)."""
        users = get_user_model()
        user = users.objects.filter(username=options["name"]).first()
        if user is None:
            password = getpass.getpass(f"Password for {options['name']}: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
            user = users(username=options["name"])
            try:
                validate_password(password, user)
            except ValidationError as error:
                raise CommandError(" ".join(error.messages)) from error
            user.set_password(password)
            user.save()
        workshop, _ = Workshop.objects.get_or_create(name=options["workshop"])
        first = not Membership.objects.filter(workshop=workshop).exists()
        role = options["role"] or (Membership.Role.OWNER if first else Membership.Role.BUILDER)
        if first and role != Membership.Role.OWNER:
            raise CommandError(f"{workshop.name} is new and needs an owner first: leave --role out")
        try:
            put_in(workshop, user.get_username(), role)
        except CannotBe as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"{user.get_username()} belongs to {workshop.name} as {role}")
