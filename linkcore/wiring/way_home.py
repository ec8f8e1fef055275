"""The way home: on which wire telemetry goes back to the receiver, and how the board has to speak on it."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import RECEIVER, CraftDocument, TelemetrySetup
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import TELLINGS
from linkcore.parts.models import Pad
from linkcore.protocols.registry import SERIAL_PROTOCOLS


@dataclass(frozen=True)
class WayHome:
    """`pin`: of the receiver; `pad` where its wire ends, None where it goes nowhere or to no pad of the board. `shared`: with the channels, on one wire or one port.

    `inverted`, `half_duplex`: how the line is at the receiver; `inverter`: an external one stands in the wire.
    """

    protocol: str
    pin: str
    pad: Pad | None
    baud: int
    inverted: bool
    half_duplex: bool
    shared: bool
    inverter: bool

    @property
    def port(self) -> str | None:
        """The port that its pad belongs to."""
        return self.pad.port if self.pad else None

    @property
    def turns(self) -> str:
        """Who sends when, in a sentence."""
        if self.protocol == "F.Port":
            return "Behind its channels the receiver asks, and the board answers with one value on the same wire."
        if TELLINGS[self.protocol].polled:
            return "The receiver asks, and the board answers with one value on the same wire."
        return "The board speaks by itself, on the receiver's own port." if self.shared else "The board speaks by itself, on a wire of its own."

    @property
    def asked(self) -> TelemetrySetup:
        """How a port of its own has to be set for it."""
        return TelemetrySetup(protocol=self.protocol, inverted=self.inverted != self.inverter, half_duplex=self.half_duplex)


def none_because(parts: KitParts) -> str:
    """Why no telemetry can come back with these parts; empty where it can."""
    receiver = parts.maybe_receiver
    if receiver is None:
        return "no receiver is chosen yet"
    if receiver.telemetry is None or not receiver.radio.telemetry:
        return f"the {receiver.name} sends none back"
    if receiver.telemetry.protocol not in TELLINGS:
        return f"nobody here knows how {receiver.telemetry.protocol} carries it"
    radio = parts.shared_radio()
    if radio is not None and not radio.telemetry:
        return "the transmitter's radio hears none"
    return ""


def way_home(document: CraftDocument, parts: KitParts) -> WayHome | None:
    """The way of this kit as it is wired; None where there is none."""
    if none_because(parts) or parts.maybe_board is None:
        return None
    telemetry = parts.receiver.telemetry
    assert telemetry is not None
    serial, spoken = telemetry.serial, parts.spoken
    spec = SERIAL_PROTOCOLS[telemetry.protocol]
    if serial is None:
        if spoken is None or spoken.protocol != telemetry.protocol:
            return None
        pin, inverted, half = spoken.pins[0], spoken.inverted, spoken.half_duplex
    else:
        pin, inverted, half = str(serial.listens or serial.sends), serial.inverted, serial.half_duplex
    patch = next((each for each in document.wiring if (each.device, each.pin) == (RECEIVER, pin)), None)
    pad = parts.board.pad(patch.pad) if patch else None
    channels = next((each for each in document.wiring if spoken and (each.device, each.pin) == (RECEIVER, spoken.pins[0])), None)
    channel_pad = parts.board.pad(channels.pad) if channels else None
    same_line = spoken is not None and spoken.protocol == telemetry.protocol
    shared = same_line and (serial is None or pad is None or (channel_pad is not None and channel_pad.port == pad.port))
    return WayHome(telemetry.protocol, pin, pad, spec.uart.baud, inverted, half, shared, bool(patch and patch.inverter))
