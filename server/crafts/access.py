"""Which crafts a person may reach, and edits as they are sent."""

from __future__ import annotations

import uuid
from typing import Any

from pydantic import TypeAdapter, ValidationError
from rest_framework.exceptions import NotFound
from rest_framework.request import Request

from linkcore.craft.document import CraftError
from linkcore.findings import Edit
from server.crafts.models import Craft
from server.workshops.access import demand
from server.workshops.models import Duty

MOST_EDITS = 500  # no mend and no exchange has a tenth of it


def find_craft(request: Request, craft_id: uuid.UUID, duty: Duty = "read") -> Craft:
    """The craft, if the user's workshops have it; otherwise the same answer as for one that does not exist. Raise PermissionDenied where their role there is too little."""
    craft = Craft.objects.seen_by(request.user).select_related("workshop", "updated_by").filter(pk=craft_id).first()
    if craft is None:
        raise NotFound("there is no such craft in your workshops")
    demand(request.user, craft.workshop_id, duty)
    return craft


def read_edits(data: Any) -> list[Edit]:
    """Edits from JSON data; raise CraftError where they are none, or too many."""
    if isinstance(data, list) and len(data) > MOST_EDITS:
        raise CraftError(f"edits: {len(data)} at once are too many; {MOST_EDITS} may come together")
    try:
        return TypeAdapter(list[Edit]).validate_python(data)
    except ValidationError as error:
        raise CraftError("edits: each needs a path and a plain value") from error
