"""A new craft: parts chosen, nothing wired, nothing set."""

from __future__ import annotations

from linkcore.craft.document import BoardSettings, ChannelSetup, CraftDocument, Kit, TransmitterSetup
from linkcore.parts.axes import STICK_AXES, STICK_OF_LETTER
from linkcore.parts.catalogue import Catalogue, shipped
from linkcore.parts.models import Board, Receiver, Transmitter


def transmitter_setup(transmitter: Transmitter, order: str = "AETR", stick_mode: int = 2) -> TransmitterSetup:
    """Sticks on the first four channels in `order`, then one switch a channel, travel to 1000 and 2000 us, throttle the right way round."""
    travel = min(transmitter.max_travel_percent, 50000 / transmitter.us_at_100)
    sources = [STICK_OF_LETTER[letter] for letter in order] + [switch.name for switch in transmitter.switches]
    return TransmitterSetup.model_validate(
        {
            "stick_mode": stick_mode,
            "channel_order": order,
            "made_for": transmitter.id,
            "channels": [
                ChannelSetup(
                    source=source,
                    reverse=transmitter.throttle_reversed and source == "throttle",
                    travel_low_percent=travel,
                    travel_high_percent=travel,
                ).model_dump()
                for source in sources[: transmitter.channels]
            ],
        }
    )


def factory_setup(transmitter: Transmitter, stick_mode: int = 2) -> TransmitterSetup:
    """A model memory as it is when the transmitter comes out of its box: its own order, every travel 100 %, nothing reversed by hand."""
    setup = transmitter_setup(transmitter, transmitter.factory_order, stick_mode)
    channels = [channel.model_copy(update={"travel_low_percent": 100.0, "travel_high_percent": 100.0, "reverse": False}) for channel in setup.channels]
    return setup.model_copy(update={"channels": channels})


PLAIN = {
    "stick_mode": 2,
    "channel_order": "AETR",
    "channels": [{"source": source, "travel_low_percent": 100, "travel_high_percent": 100} for source in STICK_AXES],
}


def new_craft(name: str, airframe: str, kit: Kit, catalogue: Catalogue | None = None) -> CraftDocument:
    """The document of a craft with these parts, chosen or not; raise UnknownPart for one that is not in the catalogue."""
    known = shipped() if catalogue is None else catalogue
    ports = known.of(Board, kit.board).ports if kit.board else ()
    receiver = known.of(Receiver, kit.receiver) if kit.receiver else None
    transmitter = transmitter_setup(known.of(Transmitter, kit.transmitter)).model_dump() if kit.transmitter else PLAIN
    return CraftDocument.model_validate(
        {
            "name": name,
            "airframe": airframe,
            "kit": kit.model_dump(),
            "feed": "nothing",
            "transmitter": transmitter,
            "receiver": {"on_loss": receiver.on_loss[0] if receiver else "no pulses"},
            "settings": BoardSettings(ports=dict.fromkeys(ports, "free")).model_dump(),
        }
    )
