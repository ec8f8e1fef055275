"""The stand-in bootloader: flash memory that is erased by sectors and written by pages, each in its own time, and faults as the pilot sets them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

from pydantic import BaseModel

from linkcore.devices.connection import Seen
from linkcore.devices.factory import build, program_kilobytes
from linkcore.devices.firmware import Device, Installed
from linkcore.devices.flash_job import Broken, FaultKind
from linkcore.devices.hexfile import ERASED
from linkcore.devices.image_facts import ImageError, ImageFacts, facts_in
from linkcore.parts.models import WayIn

ON_THE_WAY: tuple[FaultKind, ...] = ("cable pulled", "power lost", "bad page")
RECORD = b"WHOLE\x01"
ASK_S = 0.4
RESTART_S = 0.3
READ_SHARE = 0.25  # reading a page back takes a quarter of writing it
SLOWER: dict[WayIn, float] = {"bridge": 1.6, "over the air": 2.5}
WEAK_BITS = 0x18


class DeviceKept(BaseModel):
    """What is kept of a device while no bench runs. `part`: whose firmware it is."""

    part: str
    installed: Installed
    in_bootloader: bool = False


class StandInFlash:
    """A device's memory. It is made when it is first written to; until then only what it runs is known."""

    def __init__(self, device: Device, kept: DeviceKept) -> None:
        assert device.flash is not None
        self.device, self.flash = device, device.flash
        self.installed = kept.installed
        self.in_bootloader = kept.in_bootloader or kept.installed.facts is None
        self._memory: bytearray | None = None
        self._weak_page: int | None = None

    def kept(self) -> DeviceKept:
        """What to keep."""
        return DeviceKept(part=self.device.part.id, installed=self.installed, in_bootloader=self.in_bootloader)

    @property
    def runs(self) -> bool:
        """Whether its program runs."""
        return not self.in_bootloader

    def power_up(self, *, button: bool = False) -> None:
        """Supply comes: a whole program starts, unless the bootloader is asked for by its button."""
        self.in_bootloader = button or self.installed.facts is None

    @property
    def memory(self) -> bytearray:
        """Its bytes. What was on it before this bench began is rebuilt from what it runs, as far as that is known."""
        if self._memory is None:
            self._memory = bytearray(self.flash.size)  # unknown, and not erased
            facts = self.installed.facts
            if facts is not None:
                program = build(facts, self.flash, program_kilobytes(self.device.part)).data
                self._memory[: len(program)] = program
        return self._memory

    def erase(self, sector: int) -> None:
        """Set a sector's bits; a program that lost its record no longer counts."""
        size = self.flash.sector
        self.memory[sector * size : (sector + 1) * size] = bytes([ERASED]) * size
        self.installed = self.installed.model_copy(update={"facts": None, "sha256": ""})
        if self._weak_page is not None and self._weak_page * self.flash.page // size == sector:
            self._weak_page = None  # a fresh erase mends it

    def write(self, page: int, data: bytes) -> None:
        """Clear bits, as flash does: what was not erased before does not come out right."""
        at, memory = page * self.flash.page, self.memory
        for offset, byte in enumerate(data):
            memory[at + offset] &= byte
        if page == self._weak_page:
            memory[at] ^= WEAK_BITS

    def read(self, page: int) -> bytes:
        """A page."""
        at = page * self.flash.page
        return bytes(self.memory[at : at + self.flash.page])

    def weaken(self, page: int) -> None:
        """This page takes what is written to it wrongly, until its sector is erased anew."""
        self._weak_page = page

    def finish(self, size: int, sha256: str, told: ImageFacts) -> bool:
        """Record that the program is whole, if it is. What it says of itself counts; `told` where it has no header."""
        program = bytes(self.memory[:size])
        if hashlib.sha256(program).hexdigest() != sha256:
            return False
        record = RECORD + size.to_bytes(4, "little") + bytes.fromhex(sha256)
        at = self.flash.size - self.flash.sector
        for offset, byte in enumerate(record):
            self.memory[at + offset] &= byte
        try:
            facts = facts_in(program) or told
        except ImageError:
            facts = told
        self.installed = self.installed.model_copy(update={"facts": facts, "sha256": sha256})
        return True


class StandInBootloader:
    """A device's bootloader at the end of one way in. `look` tells what is seen there now; `strikes` lets a fault of the pilot's happen."""

    def __init__(
        self,
        memory: StandInFlash,
        way: WayIn,
        told: ImageFacts,
        look: Callable[[], Seen],
        strikes: Callable[[int], None],
        finished: Callable[[float], None],
    ) -> None:
        self._memory, self._told, self._look, self._strikes, self._finished = memory, told, look, strikes, finished
        self._slower = SLOWER.get(way, 1.0)

    def _reach(self) -> None:
        seen = self._look()
        if seen.sight != "ready":
            raise Broken(f"{seen.says} {seen.do}".strip())

    def ask(self, t: float) -> float:
        """See images.flashing.Bootloader."""
        self._reach()
        self._memory.in_bootloader = True
        return t + ASK_S

    def erase(self, sector: int, t: float) -> float:
        """See images.flashing.Bootloader."""
        self._strikes(0)
        self._reach()
        self._memory.erase(sector)
        return t + self._memory.flash.sector_ms / 1000

    def write(self, page: int, data: bytes, t: float) -> float:
        """See images.flashing.Bootloader."""
        self._strikes(page)
        self._reach()
        self._memory.write(page, data)
        return t + self._slower * self._memory.flash.page_ms / 1000

    def read(self, page: int, t: float) -> tuple[bytes, float]:
        """See images.flashing.Bootloader."""
        self._strikes(page)
        self._reach()
        return self._memory.read(page), t + self._slower * READ_SHARE * self._memory.flash.page_ms / 1000

    def finish(self, size: int, sha256: str, t: float) -> float:
        """See images.flashing.Bootloader."""
        self._reach()
        if not self._memory.finish(size, sha256, self._told):
            raise Broken("the firmware in the memory is not the one that was sent; it was not started")
        self._finished(t + RESTART_S)
        return t + RESTART_S
