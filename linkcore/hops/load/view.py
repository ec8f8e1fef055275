"""What is told of Load: every device, what it runs, the ways in to it as they look now, and what the link is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from pydantic import BaseModel

from linkcore.devices.arriving import Arriving, arriving
from linkcore.devices.connection import WAY_WORDS, Seen
from linkcore.devices.firmware import Device, Installed, Role
from linkcore.devices.flash_job import Fault
from linkcore.devices.image_facts import ImageFacts
from linkcore.devices.outlook import Outlook
from linkcore.parts.models import WayIn
from linkcore.reads import Whole


class WayThere(BaseModel):
    """One way in to a device: what is seen through it now."""

    way: WayIn
    words: str
    seen: Seen


class DeviceView(BaseModel):
    """A device that runs firmware. `flash` None where it cannot be flashed; `ways` as they look now."""

    role: Role
    name: str
    target: str | None
    runs: ImageFacts | None
    sha256: str
    bootloader: str
    in_bootloader: bool
    can_flash: bool
    flash_size: int
    ways: list[WayThere]


class LoadTold(BaseModel):
    """The Load hop: every device, and what the link between both ends is."""

    devices: list[DeviceView]
    link: Outlook | None
    arrives: Arriving | None
    fault: Fault
    own_port_plugged: bool
    adapter_plugged: bool
    boot_button: bool


class Loaded(Protocol):
    """The devices of a craft and what is on them, wherever that is known from."""

    devices: dict[Role, Device]
    fault: Fault
    own_port_plugged: bool
    adapter_plugged: bool
    boot_button: bool

    @property
    def installed(self) -> Mapping[Role, Installed]:
        """What every device runs."""
        ...

    @property
    def outlook(self) -> Outlook:
        """What the link is with the firmware on both ends."""
        ...

    def in_bootloader(self, role: Role) -> bool:
        """Whether a device waits in its bootloader."""
        ...

    def look(self, role: Role, way: WayIn) -> Seen:
        """What is seen of a device through one way in."""
        ...


class Flashing(Protocol):
    """What is looked at of a running bench."""

    @property
    def loaded(self) -> Loaded:
        """The devices and what is on them."""
        ...


def tell(whole: Whole, seen: Flashing) -> LoadTold:
    """The Load hop."""
    loaded = seen.loaded
    views = []
    for role, device in loaded.devices.items():
        flash, installed = device.flash, loaded.installed[role]
        views.append(
            DeviceView(
                role=role,
                name=device.name,
                target=flash.target if flash else None,
                runs=installed.facts,
                sha256=installed.sha256,
                bootloader=installed.bootloader if flash else "",
                in_bootloader=loaded.in_bootloader(role),
                can_flash=flash is not None,
                flash_size=flash.size if flash else 0,
                ways=[WayThere(way=way, words=WAY_WORDS[way], seen=loaded.look(role, way)) for way in flash.ways] if flash else [],
            )
        )
    both = {"transmitter", "receiver"} <= set(loaded.devices)
    link = loaded.outlook if both else None
    return LoadTold(
        devices=views,
        link=link,
        arrives=arriving(whole.parts, link.channels) if link is not None and link.verdict != "do not match" else None,
        fault=loaded.fault,
        own_port_plugged=loaded.own_port_plugged,
        adapter_plugged=loaded.adapter_plugged,
        boot_button=loaded.boot_button,
    )
