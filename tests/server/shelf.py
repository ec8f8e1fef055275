"""Images of the scenario, put on a workshop's shelf for tests."""

from __future__ import annotations

from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images
from server.crafts.models import Craft
from server.shelf.services import ReadImage, put_on_shelf


def shelve(craft: Craft, *names: str) -> str:
    """Put images on the craft's shelf; the id of the last."""
    last = None
    for name, facts, content in scenario_images(shipped()):
        if name in names:
            last, _ = put_on_shelf(craft.workshop_id, ReadImage(name, content, facts), None, None)
    assert last is not None
    return str(last.pk)
