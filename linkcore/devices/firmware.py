"""The three things of a craft that run firmware, and what each of them runs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.factory import build, factory_facts, flashable, program_kilobytes
from linkcore.devices.image_facts import ImageFacts
from linkcore.parts.models import Board, Flash, Module, Radio, Receiver, Region, Transmitter

Role = Literal["board", "receiver", "transmitter"]
ROLES: tuple[Role, ...] = get_args(Role)


@dataclass(frozen=True)
class Device:
    """A part in its role. `radio`: what its hardware speaks over the air; `flash`: None where its firmware is what it was made with."""

    role: Role
    part: Board | Receiver | Module | Transmitter
    radio: Radio | None
    flash: Flash | None

    @property
    def name(self) -> str:
        """How it is called."""
        return self.part.name

    def speaks(self, facts: ImageFacts | None) -> Radio | None:
        """What it speaks with this firmware; None without any, or where it has no radio."""
        if self.flash is None or self.radio is None:
            return self.radio
        if facts is None:
            return None
        told = {"family": facts.family, "band": facts.band, "regions": (facts.region,) if facts.region else (), "channels": facts.channels}
        told["telemetry"] = facts.telemetry if facts.telemetry is None else facts.telemetry and self.radio.telemetry
        return self.radio.model_copy(update={name: value for name, value in told.items() if value not in (None, "", ())})


class Installed(BaseModel):
    """What a device runs. `facts` None where it has no whole firmware; `bootloader` its version."""

    model_config = ConfigDict(frozen=True)
    facts: ImageFacts | None = None
    sha256: str = ""
    bootloader: str = "1.0.0"


def devices_of(parts: KitParts) -> dict[Role, Device]:
    """The board, the receiver, and the transmitter's end: its module where that is the one that the receiver hears."""
    found: dict[Role, Device] = {}
    if parts.maybe_board:
        found["board"] = Device("board", parts.maybe_board, None, parts.maybe_board.flash)
    if parts.maybe_receiver:
        found["receiver"] = Device("receiver", parts.maybe_receiver, parts.maybe_receiver.radio, parts.maybe_receiver.flash)
    if parts.maybe_transmitter:
        radio = parts.shared_radio()
        module = parts.module
        sends: Module | Transmitter = module if module and (radio is None or radio in module.radios) else parts.maybe_transmitter
        if radio is None and sends.radios:
            radio = sends.radios[0]
        found["transmitter"] = Device("transmitter", sends, radio, sends.flash)
    return found


def running(device: Device, facts: ImageFacts) -> Installed:
    """A device that runs one of the scenario's images."""
    assert device.flash is not None
    return Installed(facts=facts, sha256=build(facts, device.flash, program_kilobytes(device.part)).sha256, bootloader=device.flash.bootloader)


def as_made(device: Device, region: Region | None = None) -> Installed:
    """What it runs as it leaves its maker, sold for a region where its hardware has that."""
    made = flashable(device.part)
    return running(device, factory_facts(made, region)) if made else Installed()


def all_as_made(devices: Mapping[Role, Device], document: CraftDocument) -> dict[Role, Installed]:
    """Every device of a craft as its maker sold it there."""
    return {role: as_made(device, document.wants.region) for role, device in devices.items()}


def air(devices: Mapping[Role, Device], installed: Mapping[Role, Installed]) -> tuple[Radio | None, Radio | None]:
    """(what the transmitter's end speaks, what the receiver hears) with the firmware that is on them."""
    ends = [devices[role].speaks(installed[role].facts) if role in devices else None for role in ("transmitter", "receiver")]
    return ends[0], ends[1]


def section_of(installed: Mapping[Role, Installed]) -> dict[str, object]:
    """What proofs rest on: the firmware of both ends and of the board."""
    return {role: each.facts.model_dump(mode="json") if each.facts else None for role, each in sorted(installed.items())}
