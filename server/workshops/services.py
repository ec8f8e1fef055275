"""What owners do with the people of a workshop. A workshop never loses its last owner."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from server.workshops.models import Membership, Workshop

OWNER = Membership.Role.OWNER


class CannotBe(ValueError):
    """It would leave a workshop without an owner, or names nobody. The text says what to do."""


@transaction.atomic
def put_in(workshop: Workshop, username: str, role: str, password: str = "") -> Membership:
    """Add somebody, or give them another role. With a password somebody is made who does not exist yet."""
    _lock(workshop)
    users = get_user_model()
    user = users.objects.filter(username=username).first()
    if user is not None and password:
        raise CannotBe(f"{username} has a password already; leave the first password empty")
    if user is None:
        if not password:
            raise CannotBe(f"nobody is called {username} yet; give a first password to make them")
        user = _made(username, password)
    member = Membership.objects.filter(workshop=workshop, user=user).first()
    if member is not None and member.role == OWNER and role != OWNER:
        _another_owner(workshop, member)
    membership, _ = Membership.objects.update_or_create(workshop=workshop, user=user, defaults={"role": role})
    return membership


@transaction.atomic
def take_out(workshop: Workshop, username: str) -> None:
    """Somebody leaves the workshop."""
    _lock(workshop)
    member = Membership.objects.filter(workshop=workshop, user__username=username).first()
    if member is None:
        raise CannotBe(f"{username} does not belong to {workshop.name}")
    if member.role == OWNER:
        _another_owner(workshop, member)
    member.delete()


@transaction.atomic
def rename(workshop: Workshop, name: str) -> Workshop:
    """Another name for the workshop."""
    try:
        with transaction.atomic():
            workshop.name = name
            workshop.save(update_fields=["name"])
    except IntegrityError as error:
        raise CannotBe(f"another workshop is called {name}; choose another name") from error
    return workshop


def _lock(workshop: Workshop) -> None:
    """Two owners who step down at one time must not both succeed."""
    Workshop.objects.select_for_update().get(pk=workshop.pk)


def _another_owner(workshop: Workshop, member: Membership) -> None:
    if not Membership.objects.filter(workshop=workshop, role=OWNER).exclude(pk=member.pk).exists():
        raise CannotBe(f"{member.user.get_username()} is the last owner of {workshop.name}; make somebody else an owner first")


def _made(username: str, password: str) -> Any:
    user = get_user_model()(username=username)
    try:
        user.username_validator(username)
        validate_password(password, user)
    except ValidationError as error:
        raise CannotBe(" ".join(error.messages)) from error
    user.set_password(password)
    user.save()
    return user
