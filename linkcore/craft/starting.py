"""A new craft: parts chosen, nothing wired, nothing set."""

from __future__ import annotations

from linkcore.craft.document import BoardSettings, ChannelSetup, CraftDocument, Kit, TransmitterSetup
from linkcore.parts.catalogue import part
from linkcore.parts.models import Board, Receiver, Transmitter

AXES = {"A": "aileron", "E": "elevator", "T": "throttle", "R": "rudder"}


def transmitter_setup(transmitter: Transmitter, order: str = "AETR", stick_mode: int = 2) -> TransmitterSetup:
    """Sticks on the first four channels in `order`, then one switch a channel, travel to 1000 and 2000 us."""
    travel = min(transmitter.max_travel_percent, 50000 / transmitter.us_at_100)
    sources = [AXES[letter] for letter in order] + [switch.name for switch in transmitter.switches]
    return TransmitterSetup.model_validate(
        {
            "stick_mode": stick_mode,
            "channel_order": order,
            "channels": [
                ChannelSetup(source=source, travel_low_percent=travel, travel_high_percent=travel).model_dump() for source in sources[: transmitter.channels]
            ],
        }
    )


def new_craft(name: str, airframe: str, kit: Kit) -> CraftDocument:
    """The document of a craft with these parts; raise UnknownPart for one that is not in the catalogue."""
    board, _receiver = part(Board, kit.board), part(Receiver, kit.receiver)
    return CraftDocument.model_validate(
        {
            "name": name,
            "airframe": airframe,
            "kit": kit.model_dump(),
            "transmitter": transmitter_setup(part(Transmitter, kit.transmitter)).model_dump(),
            "settings": BoardSettings(ports=dict.fromkeys(board.ports, "free")).model_dump(),
        }
    )
