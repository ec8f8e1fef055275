"""The craft's beeper, where one can really be heard: fitted, and on a pad that drives it."""

from __future__ import annotations

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts


def beepers(parts: KitParts) -> list[str]:
    """Devices that beep, wired or not."""
    return [name for name, part in parts.devices.items() if any(pin.goes_to == "buzzer" for pin in part.pins)]


def wired_beeper(craft: CraftDocument, parts: KitParts) -> str | None:
    """The one that the board drives; None where none is, or its wire ends elsewhere."""
    for patch in craft.wiring:
        pin = parts.pin(patch.device, patch.pin) if patch.device in parts.devices else None
        pad = parts.board.pad(patch.pad) if parts.maybe_board else None
        if pin is not None and pad is not None and pin.goes_to == "buzzer" and pad.kind == "buzzer":
            return patch.device
    return None
