"""Planes whose surfaces can be wrong."""

from __future__ import annotations

import scenario
from linkcore.craft.document import CraftDocument


def plane() -> CraftDocument:
    """Sandpiper on a port that reads it, with a servo that sits turned and is reversed nowhere."""
    craft = scenario.sandpiper()
    craft.wiring = [patch.model_copy(update={"pad": "T5"}) if patch.pin == "F.Port" else patch for patch in craft.wiring]
    craft.settings.ports |= {"U3": "free", "U5": "receiver input"}
    craft.transmitter.channels[1].reverse = False
    return CraftDocument.model_validate(craft.model_dump())
