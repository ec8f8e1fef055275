"""How many channels arrive at the board, and what limits them."""

from __future__ import annotations

from pydantic import BaseModel

from linkcore.craft.parts import KitParts


class Arriving(BaseModel):
    """Channels that arrive at the board, and what sets that limit."""

    channels: int
    limit: str


def arriving(parts: KitParts, air_channels: int | None, air_name: str = "") -> Arriving | None:
    """The least of what the transmitter sends, the air carries (None: not known) and the receiver's output says; None while no output is known."""
    if parts.spoken is None:
        return None
    limits = [(parts.spoken.channels, f"{parts.spoken.protocol} on the {parts.receiver.name}")]
    if air_channels is not None:
        limits.append((air_channels, f"the air ({air_name})" if air_name else "the air"))
    if parts.maybe_transmitter:
        limits.append((parts.maybe_transmitter.channels, f"the {parts.maybe_transmitter.name}"))
    channels, limit = min(limits)
    return Arriving(channels=channels, limit=limit)
