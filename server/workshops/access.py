"""Who may do what in a workshop."""

from __future__ import annotations

from typing import Any

from rest_framework.exceptions import NotFound, PermissionDenied
from rest_framework.request import Request

from server.workshops.models import Duty, Membership, Workshop, duties_of

_NEEDED: dict[Duty, str] = {
    "read": "members",
    "check": "checkers, builders and owners",
    "build": "builders and owners",
    "own": "owners",
}


def role_of(user: Any, workshop_id: int) -> str:
    """The user's role; empty for somebody who does not belong to the workshop."""
    return Membership.objects.filter(user_id=user.pk or 0, workshop_id=workshop_id).values_list("role", flat=True).first() or ""


def refusal(role: str, duty: Duty) -> str:
    """Why a role may not do something, in words; empty where it may."""
    return "" if duty in duties_of(role) else f"you are a {role or 'stranger'} in this workshop; this is for {_NEEDED[duty]}. Nothing was changed"


def demand(user: Any, workshop_id: int, duty: Duty) -> None:
    """Raise PermissionDenied where the user's role does not let them."""
    if duty != "read" and (why := refusal(role_of(user, workshop_id), duty)):
        raise PermissionDenied(why)


def find_workshop(request: Request, workshop_id: int, duty: Duty = "read") -> Workshop:
    """The workshop, if the user belongs to it and may do that there."""
    workshop = Workshop.objects.filter(pk=workshop_id, membership__user_id=request.user.pk or 0).first()
    if workshop is None:
        raise NotFound("there is no such workshop of yours")
    demand(request.user, workshop_id, duty)
    return workshop
