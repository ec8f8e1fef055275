"""The receiver's own wire: where it ends, and how a port reads what comes through it."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import RECEIVER, CraftDocument, ReceiverInput
from linkcore.craft.parts import KitParts
from linkcore.parts.models import Output, Pad


@dataclass(frozen=True)
class ReceiverWire:
    """Where the receiver's signal arrives: its pin, the pad, and what that pad belongs to (None where it leads nowhere)."""

    pin: str
    pad_name: str | None
    pad: Pad | None
    inverter: bool = False


def receiver_wire(document: CraftDocument, parts: KitParts) -> ReceiverWire:
    """Follow the wire from the receiver's output to the board."""
    output = parts.spoken
    pin = output.pins[0] if output else parts.receiver.outputs[0].pins[0]
    patch = next((each for each in document.wiring if each.device == RECEIVER and each.pin == pin), None)
    if patch is None:
        return ReceiverWire(pin, None, None)
    return ReceiverWire(pin, patch.pad, parts.board.pad(patch.pad), patch.inverter)


def reading_of(output: Output, *, through_inverter: bool) -> ReceiverInput:
    """How a port reads an output: an inverter in the wire turns its levels over once more."""
    return ReceiverInput(protocol=output.protocol, inverted=output.inverted != through_inverter, half_duplex=output.half_duplex)
