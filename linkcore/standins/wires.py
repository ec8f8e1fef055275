"""What the wires do on the bench: who hears whom, who has which supply, what is destroyed and what browns out."""

from __future__ import annotations

import random
from dataclasses import dataclass

import numpy as np

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.parts.models import Output, Pad, Serial
from linkcore.signal.edges import NO_TIMES, Times
from linkcore.signal.uart import UartSettings, send
from linkcore.wiring.netlist import fed_by_pack, rail_loads, rail_of, rail_volts, usb_load

CHATTER_S = 0.03
CHATTER_BYTES = 10


@dataclass(frozen=True)
class Lead:
    """One signal wire as metal. `pad_name` None where the pin goes nowhere, `pad` None where the board has no such pad."""

    pin: str
    pad_name: str | None
    pad: Pad | None
    inverter: bool

    @classmethod
    def of(cls, document: CraftDocument, parts: KitParts, pin: str) -> Lead:
        """Follow the wire from a pin of the receiver."""
        patch = next((each for each in document.wiring if (each.device, each.pin) == (RECEIVER, pin)), None)
        if patch is None:
            return cls(pin, None, None, False)
        return cls(pin, patch.pad, parts.board.pad(patch.pad), patch.inverter)


@dataclass(frozen=True)
class WireTruth:
    """The craft's wires as metal, whatever the plan says. `leads`: the wires of the output that counts, the first pin first; `telemetry`: the wire
    on which telemetry goes home, where it is one of its own; `rivals`: other devices that drive the first lead."""

    document: CraftDocument
    parts: KitParts
    leads: tuple[Lead, ...]
    telemetry: Lead | None
    grounded: bool
    rivals: tuple[tuple[str, Serial], ...]

    @classmethod
    def of(cls, document: CraftDocument, parts: KitParts, output: Output) -> WireTruth:
        """Read the netlist."""
        leads = tuple(Lead.of(document, parts, pin) for pin in output.pins)
        own = parts.receiver.telemetry.serial if parts.receiver.telemetry else None
        home = Lead.of(document, parts, own.listens) if own and own.listens else None
        rivals = []
        for patch in document.wiring:
            part = parts.devices.get(patch.device)
            if part and part.serial and patch.pad == leads[0].pad_name and part.serial.sends == patch.pin:
                rivals.append((patch.device, part.serial))
        return cls(document, parts, leads, home, grounded(document, parts, RECEIVER), tuple(rivals))

    @property
    def fed(self) -> bool:
        """Whether the pack, once connected, feeds the board."""
        return fed_by_pack(self.document, self.parts)

    @property
    def pin(self) -> str:
        """The first pin of the output."""
        return self.leads[0].pin

    @property
    def pad_name(self) -> str | None:
        """Where the first lead ends."""
        return self.leads[0].pad_name

    def volts(self, device: str, *, usb: bool, pack: bool) -> float:
        """The supply that reaches a device's pin; 0 without supply or ground."""
        if not grounded(self.document, self.parts, device):
            return 0.0
        best = 0.0
        for patch in self.document.wiring:
            pin, rail = self.parts.pin(device, patch.pin), rail_of(self.parts.board, patch)
            if patch.device == device and pin is not None and pin.kind == "supply" and rail is not None:
                fed = self.fed if rail.source != "outside" else _fed(self.document, self.parts, rail.name)
                best = max(best, rail_volts(self.document, self.parts, rail) if pack and fed else (rail.usb_volts or 0.0) if usb else 0.0)
        return best

    def runs(self, device: str, *, usb: bool, pack: bool) -> bool:
        """Whether a device has enough to run on; one without a supply pin runs with the pack."""
        supply = self.parts.supply(device)
        if supply is None:
            return pack
        return self.volts(device, usb=usb, pack=pack) >= supply.min_volts - 1e-9

    def destroyed(self, *, usb: bool, pack: bool) -> set[str]:
        """The devices that this supply destroys."""
        burnt = set()
        for device in self.parts.wired():
            supply = self.parts.supply(device)
            if supply and self.volts(device, usb=usb, pack=pack) > supply.max_volts:
                burnt.add(device)
        return burnt

    def overloaded(self, *, usb: bool, pack: bool) -> str | None:
        """What is asked for more than it gives; None while all is well. On USB alone that browns the board out."""
        for load in rail_loads(self.document, self.parts):
            if pack and self.fed and load.source != "outside" and load.peak_ma > load.limit_ma:
                return f"the {load.rail} rail"
            if usb and not (pack and self.fed) and load.usb_limit_ma is not None and load.peak_ma > load.usb_limit_ma:
                return f"the {load.rail} rail on USB alone"
        socket = usb_load(self.document, self.parts)
        if usb and not (pack and self.fed) and socket.peak_ma > socket.limit_ma:
            return "the USB socket"
        return None


def grounded(document: CraftDocument, parts: KitParts, device: str) -> bool:
    """Whether a device shares the board's ground."""
    part = parts.wired().get(device)
    if part is None or part.pin("ground") is None:
        return part is not None
    for patch in document.wiring:
        pin, pad = parts.pin(device, patch.pin), parts.board.pad(patch.pad)
        if patch.device == device and pin is not None and pin.kind == "ground" and pad is not None and pad.kind == "ground":
            return True
    return False


def _fed(document: CraftDocument, parts: KitParts, rail_name: str) -> bool:
    for patch in document.wiring:
        pin, rail = parts.pin(patch.device, patch.pin), rail_of(parts.board, patch)
        if pin is not None and pin.kind == "supply out" and rail is not None and rail.name == rail_name:
            return True
    return False


class Chatter:
    """Another device's bytes on the receiver's pad."""

    def __init__(self, serial: Serial, rng: random.Random) -> None:
        self.uart = UartSettings(serial.baud, inverted=serial.inverted)
        self._rng = rng
        self._next = 0.0

    def toggles(self, since: float, until: float) -> Times:
        """What it puts on the wire for bursts that begin in this stretch."""
        self._next = max(self._next, since)
        starts = []
        while self._next < until:
            starts.append(self._next)
            self._next += CHATTER_S
        if not starts:
            return NO_TIMES
        times = np.concatenate([start + np.arange(CHATTER_BYTES) * self.uart.byte_s for start in starts])
        return send(self._rng.randbytes(len(times)), times, self.uart).times


def both_drive(one: Times, one_level: int, other: Times, other_level: int, line: int) -> tuple[Times, int]:
    """Two push-pull outputs on one wire: (toggles of the line, its level at the end).

    Where they disagree the wire stands near half the supply, and a Schmitt input keeps what it last saw [F].
    """
    times = np.concatenate([one, other])
    mine = np.concatenate([np.ones(len(one), dtype=bool), np.zeros(len(other), dtype=bool)])
    toggles = []
    for at in np.argsort(times, kind="stable"):
        if mine[at]:
            one_level ^= 1
        else:
            other_level ^= 1
        if one_level == other_level != line:
            line = one_level
            toggles.append(times[at])
    return np.array(toggles) if toggles else NO_TIMES, line
