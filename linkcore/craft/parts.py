"""A craft's parts, looked up once: every rule works from these facts."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TypeVar

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.parts.catalogue import Catalogue, P, UnknownPart, shipped
from linkcore.parts.models import Board, Module, Output, Pack, Peripheral, Pin, Radio, Receiver, Sensor, Supply, Transmitter

Q = TypeVar("Q", Board, Receiver, Transmitter)


@dataclass(frozen=True)
class Missing:
    """A part that the craft names and the catalogue lacks, or that is not chosen (`part_id` empty)."""

    role: str
    part_id: str


@dataclass(frozen=True)
class KitParts:
    """The parts of one craft. `board`, `receiver` and `transmitter` raise UnknownPart where there is none; `spoken`: the receiver's output that counts, with wires and jumper as they are."""

    catalogue: Catalogue
    maybe_board: Board | None = None
    maybe_receiver: Receiver | None = None
    maybe_transmitter: Transmitter | None = None
    module: Module | None = None
    pack: Pack | None = None
    devices: dict[str, Peripheral] = field(default_factory=dict)
    missing: tuple[Missing, ...] = ()
    spoken: Output | None = None

    @classmethod
    def of(cls, document: CraftDocument, catalogue: Catalogue | None = None) -> KitParts:
        """Look the parts up; those that are not there are listed in `missing`."""
        known = shipped() if catalogue is None else catalogue
        kit = document.kit
        missing: list[Missing] = []

        def find(kind: type[P], role: str, part_id: str) -> P | None:
            try:
                return known.of(kind, part_id)
            except UnknownPart:
                missing.append(Missing(role, part_id))
                return None

        board, receiver = find(Board, "board", kit.board), find(Receiver, RECEIVER, kit.receiver)
        transmitter = find(Transmitter, "transmitter", kit.transmitter)
        module = find(Module, "module", kit.module) if kit.module else None
        pack = find(Pack, "pack", kit.pack) if kit.pack else None
        devices = {each.name: part for each in kit.devices if (part := find(Peripheral, each.name, each.part)) is not None}
        spoken = spoken_output(document, receiver) if receiver else None
        return cls(known, board, receiver, transmitter, module, pack, devices, tuple(missing), spoken)

    def speaking(self, document: CraftDocument) -> KitParts:
        """The same parts where wires, jumper or wished protocol are those of another document."""
        return replace(self, spoken=spoken_output(document, self.maybe_receiver) if self.maybe_receiver else None)

    @cached_property
    def sensors(self) -> dict[Sensor, list[str]]:
        """Every sensor that is fitted, and which parts have it: the board by its own name, a device by what it is called here."""
        fitted: dict[Sensor, list[str]] = {}
        with_sensors: dict[str, Board | Peripheral] = {**({self.maybe_board.name: self.maybe_board} if self.maybe_board else {}), **self.devices}
        for name, part in with_sensors.items():
            for sensor in part.sensors:
                fitted.setdefault(sensor, []).append(name)
        return fitted

    @property
    def whole(self) -> bool:
        """Whether board, receiver and transmitter are all known."""
        return None not in (self.maybe_board, self.maybe_receiver, self.maybe_transmitter)

    def _there(self, part: Q | None, role: str) -> Q:
        if part is None:
            named = next((each.part_id for each in self.missing if each.role == role), "")
            raise UnknownPart(f"the catalogue has no {role} {named!r}" if named else f"no {role} is chosen yet; pick one in the Kit")
        return part

    @property
    def board(self) -> Board:
        """The flight controller."""
        return self._there(self.maybe_board, "board")

    @property
    def receiver(self) -> Receiver:
        """The receiver."""
        return self._there(self.maybe_receiver, RECEIVER)

    @property
    def transmitter(self) -> Transmitter:
        """The transmitter."""
        return self._there(self.maybe_transmitter, "transmitter")

    @property
    def radios(self) -> tuple[Radio, ...]:
        """What the transmitter can speak, its module's radios first."""
        own = self.maybe_transmitter.radios if self.maybe_transmitter else ()
        return (*(self.module.radios if self.module else ()), *own)

    def shared_radio(self) -> Radio | None:
        """The transmitter's radio that the receiver understands: same air protocol, band, family and a common region."""
        if self.maybe_receiver is None:
            return None
        heard = self.maybe_receiver.radio
        return next((radio for radio in self.radios if understand(radio, heard)), None)

    def wired(self) -> dict[str, Receiver | Peripheral]:
        """Every device that has pins, by its name in the craft; the receiver first."""
        receiver = {RECEIVER: self.maybe_receiver} if self.maybe_receiver else {}
        return {**receiver, **self.devices}

    def pin(self, device: str, pin: str) -> Pin | None:
        """A device's pin by name."""
        part = self.wired().get(device)
        return part.pin_called(pin) if part else None

    def supply(self, device: str) -> Supply | None:
        """What a device asks of its rail."""
        part = self.wired().get(device)
        return part.supply if part else None

    def label(self, device: str) -> str:
        """How a device is called to the pilot."""
        part = self.wired().get(device)
        return f"{device}, {part.name}" if part else device


def foreign_ports(document: CraftDocument, parts: KitParts, before: CraftDocument | None) -> str | None:
    """What is wrong with ports that a draft names anew and its board lacks; None where there are none. Those that an exchange of boards has left over stay until they are mended."""
    known = {*(parts.maybe_board.ports if parts.maybe_board else ()), *(before.settings.ports if before else ())}
    foreign = [port for port in document.settings.ports if port not in known]
    if not foreign:
        return None
    if parts.maybe_board is None:
        return f"settings/ports: {', '.join(foreign[:3])}: no board is chosen yet, so there are no ports; choose one in the Kit"
    return f"settings/ports: {', '.join(foreign[:3])}: the {parts.maybe_board.name} has no such port; it has {', '.join(parts.maybe_board.ports)}"


def understand(one: Radio, other: Radio) -> bool:
    """Whether two ends understand each other over the air."""
    return (one.name, one.band, one.family) == (other.name, other.band, other.family) and bool(set(one.regions) & set(other.regions))


def spoken_output(document: CraftDocument, receiver: Receiver) -> Output | None:
    """The output that counts: of those the jumper lets send, the wired one, or the one the board is set to, or the first."""
    active = receiver.active(document.kit.jumper_fitted)
    wired = {patch.pin for patch in document.wiring if patch.device == RECEIVER}
    by_wire = [output for output in active if wired & set(output.pins)]
    wanted = document.settings.receiver_input.protocol
    for choice in (by_wire, active):
        set_to = [output for output in choice if output.protocol == wanted]
        if set_to or choice:
            return (set_to or choice)[0]
    return None
