"""The firmware side of the bench: every device's memory, the ways in to it, the faults on the way, and the jobs that run."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, Field

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.board_api import Refused
from linkcore.devices.connection import WAY_WORDS, Seen, look, recovery
from linkcore.devices.firmware import Installed, Role, air, all_as_made, as_made, devices_of
from linkcore.devices.flash_job import Fault, FlashJob, FlashOrder, JobState
from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import ImageFacts, number
from linkcore.devices.outlook import Outlook, outlook
from linkcore.parts.models import WayIn
from linkcore.standins.bootloader import ON_THE_WAY, DeviceKept, StandInBootloader, StandInFlash
from linkcore.standins.hands import HandsPart

_AS_MADE = Installed()
HOLDER = "another program (a terminal that was left open)"
LINK_CARRIES_PERCENT = 70  # over the air needs most of its frames


class LoadHands(HandsPart):
    """What hands do to cables, bootloader button and faults."""

    boot_button: bool | None = Field(None, description="Whether the board's bootloader button is held down")
    own_port_plugged: bool | None = Field(None, description="Whether the transmitter's end hangs on its own USB cable")
    adapter_plugged: bool | None = Field(None, description="Whether a serial adapter sits on the receiver's pins")
    fault: Fault | None = None


class LoadKept(BaseModel):
    """What is kept of it when a bench stops."""

    devices: dict[Role, DeviceKept] = Field(default_factory=dict)
    fault: Fault = Field(default_factory=Fault)
    own_port_plugged: bool = False
    adapter_plugged: bool = False

    def installed(self, document: CraftDocument, parts: KitParts) -> dict[Role, Installed]:
        """What the craft's devices run; a part that was exchanged since comes as its maker sold it."""
        runs = all_as_made(devices := devices_of(parts), document)
        return runs | {role: kept.installed for role, kept in self.devices.items() if role in devices and devices[role].part.id == kept.part}


@dataclass(frozen=True)
class Surroundings:
    """What the ways in depend on, as the bench has it now."""

    usb: bool
    armed: bool
    receiver_supplied: bool
    transmitter_on: bool
    linked: bool
    lq_percent: int
    bridge_blocked: str  # why the board cannot pass bytes on to the receiver; empty where it can


class Loading:
    """Devices, ways in and jobs of one bench. `on_loaded` is told when a device starts a new program, `on_cut` when a fault takes supply or cable away."""

    def __init__(
        self,
        document: CraftDocument,
        parts: KitParts,
        kept: Mapping[Role, DeviceKept],
        around: Callable[[], Surroundings],
        on_loaded: Callable[[Role, ImageFacts, bool, float], None],
        on_cut: Callable[[WayIn, bool], None],
    ) -> None:
        self._around, self._on_loaded, self._on_cut = around, on_loaded, on_cut
        self.fault = Fault()
        self.own_port_plugged = self.adapter_plugged = self.boot_button = False
        self.jobs: dict[Role, FlashJob] = {}
        self.memories: dict[Role, StandInFlash] = {}
        self._kept = dict(kept)
        self.follow(document, parts)

    def follow(self, document: CraftDocument, parts: KitParts) -> None:
        """The draft has gone on: a device that was exchanged comes as its maker sold it."""
        self._document = document
        self.devices = devices_of(parts)
        for role, device in self.devices.items():
            before = self.memories.get(role)
            if before is not None and before.device.part == device.part:
                before.device = device
                continue
            if device.flash is None:
                self.memories.pop(role, None)
                continue
            kept = self._kept.pop(role, None)
            if kept is None or kept.part != device.part.id:
                kept = DeviceKept(part=device.part.id, installed=as_made(device, document.wants.region))
            self.memories[role] = StandInFlash(device, kept)
            job = self.jobs.get(role)
            if job is not None and not job.state.over:
                job.end("interrupted", "the device was exchanged for another one meanwhile", job.state.began_t)
        self._outlook: tuple[tuple[Installed, ...], Outlook] | None = None

    def kept(self) -> dict[str, Any]:
        """What to keep, as values of a LoadKept."""
        return {
            "devices": {role: memory.kept() for role, memory in self.memories.items()},
            "fault": self.fault,
            "own_port_plugged": self.own_port_plugged,
            "adapter_plugged": self.adapter_plugged,
        }

    @property
    def installed(self) -> dict[Role, Installed]:
        """What every device runs."""
        return {role: self.memories[role].installed if role in self.memories else _AS_MADE for role in self.devices}

    def runs(self, role: Role) -> bool:
        """Whether a device's program runs."""
        return role not in self.memories or self.memories[role].runs

    def power_up(self, role: Role, *, button: bool = False) -> None:
        """A device's supply comes, its bootloader button held or not; one that is being flashed stays in its bootloader."""
        if role in self.memories and not self.busy(role):
            self.memories[role].power_up(button=button)

    @property
    def outlook(self) -> Outlook:
        """What the link is with the firmware on both ends; reckoned anew when that changes."""
        installed = self.installed
        key = tuple(installed.values())
        if self._outlook is None or self._outlook[0] != key:
            self._outlook = (key, outlook(*air(self.devices, installed)))
        return self._outlook[1]

    # --- ways in ------------------------------------------------------------------------------------------------

    def look(self, role: Role, way: WayIn) -> Seen:
        """What is seen of a device through one way in."""
        around, name, memory = self._around(), self.devices[role].name, self.memories[role]
        if way in ("bridge", "over the air"):
            if way == "over the air":
                return self._over_the_air(around, name)
            return self._through_the_board(around, name)
        plugged = {"request": around.usb, "button": around.usb, "adapter": self.adapter_plugged, "own port": self.own_port_plugged}[way]
        if way == "button" and plugged and not memory.in_bootloader:
            do = "Hold its bootloader button, unplug USB and plug it in again."
            return Seen(sight="no answer", says=f"The {name} runs its firmware: its bootloader was not asked for.", do=do)
        return self._through_cable(plugged, name)

    def _through_cable(self, plugged: bool, name: str, *, answers: bool = True) -> Seen:
        kind = self.fault.kind
        held = HOLDER if kind == "busy port" else ""
        return look(plugged=plugged, device_shows=kind != "charge-only cable", port_shows=kind != "no driver", held_by=held, answers=answers, name=name)

    def _through_the_board(self, around: Surroundings, name: str) -> Seen:
        board = self._through_cable(around.usb, self.devices["board"].name)
        if board.sight != "ready":
            return board
        if not self.runs("board"):
            return Seen(sight="no answer", says="The board runs no firmware, and the bridge is a part of it.", do="Flash the board first.")
        if around.bridge_blocked:
            return Seen(sight="no answer", says=around.bridge_blocked, do="Look at the Port plan.")
        if not around.receiver_supplied:
            return Seen(sight="no answer", says=f"The {name} has no supply.", do="Look at its supply in the Loom; some rails are dead on USB alone.")
        return Seen(sight="ready", says=f"The {name} answers through the board.")

    def _over_the_air(self, around: Surroundings, name: str) -> Seen:
        job = self.jobs.get("receiver")
        flashing = job is not None and not job.state.over and job.state.order.way == "over the air" and job.state.state != "asking"
        if not flashing and not self.runs("receiver"):
            do = "Take the bridge or an adapter."
            return Seen(sight="no answer", says=f"The {name} runs no firmware, and a flash over the air needs it.", do=do)
        if not around.transmitter_on or not around.receiver_supplied:
            return Seen(sight="not plugged in", says="Over the air needs both ends switched on.", do="Switch both on.")
        if not flashing and not around.linked:
            do = "Where both ends' firmware does not fit, take the bridge or an adapter; else see Bind."
            return Seen(sight="no answer", says="There is no link, and over the air goes through it.", do=do)
        if not flashing and around.lq_percent < LINK_CARRIES_PERCENT:
            return Seen(
                sight="no answer",
                says=f"The link carries {around.lq_percent} % of its frames; {LINK_CARRIES_PERCENT} % are needed.",
                do="Bring both ends nearer.",
            )
        return Seen(sight="ready", says=f"The {name} answers over the air.")

    # --- jobs ---------------------------------------------------------------------------------------------------

    def start(self, order: FlashOrder, content: Content, facts: ImageFacts, t: float) -> JobState:
        """Begin a job. Raise Refused where a device is busy with one, or has no such way in."""
        memory = self.memories.get(order.role)
        if self._around().armed:
            raise Refused("the board is armed, and a flash takes the link or the board away; disarm first")
        if memory is None:
            raise Refused(f"the {self.devices[order.role].name if order.role in self.devices else order.role} cannot be flashed")
        if order.way not in memory.flash.ways:
            raise Refused(f"the {memory.device.name} cannot be flashed {WAY_WORDS[order.way]}; its ways are {', '.join(memory.flash.ways)}")
        for role in ("board", "receiver") if order.way == "bridge" else (order.role,):
            if self.busy(role):
                raise Refused(f"the {self.devices[role].name} is being flashed already; one flash at a time for each device")
        other = self.jobs.get("receiver")
        if order.role == "board" and other is not None and not other.state.over and other.state.order.way == "bridge":
            raise Refused("the receiver is being flashed through the board; let that end first")
        if order.role == "transmitter" and other is not None and not other.state.over and other.state.order.way == "over the air":
            raise Refused("the receiver is being flashed over the air; let that end first")
        before = memory.installed.facts

        def finished(at: float) -> None:
            now = memory.installed.facts or facts
            wiped = order.full_erase or before is None or number(before.version)[0] != number(now.version)[0]
            memory.in_bootloader = False
            self._on_loaded(order.role, now, wiped if order.role == "board" else order.full_erase, at)

        bootloader = StandInBootloader(
            memory, order.way, facts, lambda: self.look(order.role, order.way), lambda page: self._strike(order.role, page), finished
        )
        job = FlashJob(order, content, memory.flash, bootloader, device=memory.device.name, image_said=facts.said(), t=t)
        self.jobs[order.role] = job
        return job.state

    def replace(self, role: Role) -> None:
        """A new one of the same part, as its maker sold it."""
        if role in self.memories:
            device = self.devices[role]
            self.memories[role] = StandInFlash(device, DeviceKept(part=device.part.id, installed=as_made(device, self._document.wants.region)))

    def busy(self, role: str) -> bool:
        """Whether a job runs on a device."""
        job = next((job for each, job in self.jobs.items() if each == role), None)
        return job is not None and not job.state.over

    @property
    def running(self) -> bool:
        """Whether any job runs."""
        return any(not job.state.over for job in self.jobs.values())

    def stop(self, role: Role) -> None:
        """Stop a job. Raise Refused where that is not safe now, or there is none."""
        job = self.jobs.get(role)
        if job is None or job.state.over:
            raise Refused("there is no flash to stop")
        if not job.stop():
            raise Refused("stopping now would leave the device without firmware; let it go on, it is nearly there")

    def run_until(self, t: float) -> None:
        """Let the jobs go on."""
        for role, job in self.jobs.items():
            if job.state.over:
                continue
            job.run_until(t)
            if job.state.state in ("failed", "stopped"):
                self._after_an_early_end(role, job)

    def interrupt(self, says: str, t: float) -> None:
        """Coin Bell itself stops: whatever runs ends here."""
        for role, job in self.jobs.items():
            if not job.state.over:
                job.end("interrupted", says, t)
                self._after_an_early_end(role, job)

    def _after_an_early_end(self, role: Role, job: FlashJob) -> None:
        memory = self.memories[role]
        whole = memory.installed.facts is not None
        if whole:
            memory.in_bootloader = False
        job.state.recover = recovery(role, memory.device.name, memory.flash.ways, has_program=whole)

    def _strike(self, role: Role, page: int) -> None:
        """Let what the pilot has set go wrong, once."""
        fault, job = self.fault, self.jobs[role]
        if fault.kind not in ON_THE_WAY or job.state.percent < fault.at_percent:
            return
        memory = self.memories[role]
        if fault.kind == "bad page":
            if job.state.state != "writing":
                return
            memory.weaken(page)
        self.fault = Fault()
        if fault.kind != "bad page":
            self._on_cut(job.state.order.way, fault.kind == "power lost")

    # --- what is told -------------------------------------------------------------------------------------------

    def in_bootloader(self, role: Role) -> bool:
        """Whether a device waits in its bootloader."""
        return role in self.memories and self.memories[role].in_bootloader

    def states(self) -> list[JobState]:
        """Jobs that run, and the last that ended on each device."""
        return [job.state for job in self.jobs.values()]

    def hands(self, hands: LoadHands) -> None:
        """Cables, the bootloader button and faults; a button that is let go is let go by the bench, once supply has come."""
        self.own_port_plugged = self.own_port_plugged if hands.own_port_plugged is None else hands.own_port_plugged
        self.adapter_plugged = self.adapter_plugged if hands.adapter_plugged is None else hands.adapter_plugged
        self.boot_button = self.boot_button or bool(hands.boot_button)
        self.fault = hands.fault or self.fault


def bridge_blocked(document: CraftDocument, parts: KitParts, running_port: str | None, rival: str | None) -> str:
    """Why the board cannot pass bytes between its USB and the receiver; empty where it can."""
    pads = [patch.pad for patch in document.wiring if patch.device == RECEIVER]
    ports = {(pad.port, pad.kind) for name in pads if (pad := parts.board.pad(name)) is not None and pad.port is not None}
    whole = [port for port in parts.board.ports if {(port, "rx"), (port, "tx")} <= ports]
    name = parts.receiver.name
    if not whole:
        return f"The bridge needs both of the {name}'s wires on one port with an RX and a TX pad."
    if running_port not in whole:
        return f"The bridge goes through the port that has the receiver job; the board runs {running_port or 'none'}, and the {name} is wired to {whole[0]}."
    if rival:
        return f"{rival} drives the same wire; the bridge's answers would be garbled."
    return ""
