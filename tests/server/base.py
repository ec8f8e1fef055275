"""What the server's tests share."""

from __future__ import annotations

from django.contrib.auth import get_user_model

from linkcore.craft.document import CraftDocument
from server.bench.models import BenchRecord
from server.crafts.models import Craft
from server.drafts.services import create_craft
from server.workshops.models import Membership, Workshop

PASSWORD = "low-tide-42"


def make_people() -> None:
    """Two workshops: wren and teal in one, dipper in the other."""
    users = get_user_model()
    for name, workshop in (("wren", "Saltings Field Crew"), ("teal", "Saltings Field Crew"), ("dipper", "Upper Weir Survey")):
        user = users.objects.create_user(name, password=PASSWORD)
        Membership.objects.create(user=user, workshop=Workshop.objects.get_or_create(name=workshop)[0])


def make_craft(document: CraftDocument, name: str = "Curlew", owner: str = "wren", *, bound: bool = True) -> Craft:
    """A craft with a new board on its bench; its receiver knows its transmitter, unless that is what the test is about."""
    document.name = name
    user = get_user_model().objects.get(username=owner)
    craft = create_craft(Workshop.objects.get(members=user), document, user)
    if bound:
        state = BenchRecord.first_state(document).model_copy(update={"bound": True})
        BenchRecord.objects.create(craft=craft, state=state.keep())
    return craft
