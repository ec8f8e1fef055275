"""A flash job: the steps from asking for the bootloader to the restart, over whatever bootloader it is given, under a clock that its owner drives."""

from __future__ import annotations

import hashlib
from collections import deque
from typing import Any, Literal, Protocol

from pydantic import BaseModel, ConfigDict, Field

from linkcore.devices.firmware import Role
from linkcore.devices.hexfile import ERASED, Content
from linkcore.parts.models import Flash, WayIn

Running = Literal["asking", "erasing", "writing", "verifying", "restarting"]
Ended = Literal["done", "failed", "stopped", "interrupted"]
RUNNING: tuple[Running, ...] = ("asking", "erasing", "writing", "verifying", "restarting")
RATE_OVER_S = 1.0
SAFE_TO_STOP: tuple[Running, ...] = ("asking", "verifying")


FaultKind = Literal["none", "cable pulled", "power lost", "bad page", "busy port", "charge-only cable", "no driver"]


class Fault(BaseModel):
    """Something that goes wrong. `at_percent` of a job's steps, for what happens on the way; the others stand until they are put right."""

    model_config = ConfigDict(extra="forbid")
    kind: FaultKind = "none"
    at_percent: float = Field(40, ge=0, le=100)


class Broken(Exception):
    """The bootloader cannot be reached (any more). The text says what was seen."""


class Bootloader(Protocol):
    """A device's bootloader at the end of some way in. Each call begins at `t` (s) and returns when it is over; all raise Broken where the way is cut."""

    def ask(self, t: float) -> float:
        """Get it to listen."""

    def erase(self, sector: int, t: float) -> float:
        """Set a sector to erased; it can be written after that."""

    def write(self, page: int, data: bytes, t: float) -> float:
        """Write a page of an erased sector."""

    def read(self, page: int, t: float) -> tuple[bytes, float]:
        """A page's bytes, and when they have arrived."""

    def finish(self, size: int, sha256: str, t: float) -> float:
        """Record that the program of this size is whole, and start it."""


class FlashOrder(BaseModel):
    """What is to be done. `image`: its key on the shelf; `keep_settings` counts for boards only."""

    model_config = {"extra": "forbid"}
    role: Role
    image: str = Field(min_length=1, max_length=64)
    way: WayIn
    full_erase: bool = False
    keep_settings: bool = True


class JobState(BaseModel):
    """How far a job is. `done` of `total` pages (sectors while it erases), `percent` of all its steps; `ended` and `recover` once it is over; times in s of its own clock."""

    order: FlashOrder
    device: str
    image_said: str
    size: int
    state: Running | Ended = "asking"
    done: int = 0
    total: int = 0
    percent: float = 0.0
    rate_bytes_s: float = 0.0
    says: str = ""
    can_stop: bool = True
    began_t: float = 0.0
    ended_t: float | None = None
    recover: list[str] = Field(default_factory=list)

    @property
    def over(self) -> bool:
        """Whether it has ended, however."""
        return self.state not in RUNNING

    def record(self) -> dict[str, Any]:
        """As JSON data."""
        return self.model_dump(mode="json")


class FlashJob:
    """One job. `run_until` does as much as fits before a time; nothing else moves it on."""

    def __init__(self, order: FlashOrder, content: Content, flash: Flash, bootloader: Bootloader, *, device: str, image_said: str, t: float) -> None:
        self.flash, self._boot = flash, bootloader
        offset = content.address - flash.start
        program = bytes([ERASED]) * offset + content.data
        padded = program + bytes([ERASED]) * (-len(program) % flash.page)
        self._pages = [padded[at : at + flash.page] for at in range(0, len(padded), flash.page)]
        self._sectors = self._to_erase(order.full_erase)
        self._size, self._sha256 = len(program), hashlib.sha256(program).hexdigest()
        self._begun_before = 0
        self._finished = False
        self.state = JobState(
            order=order, device=device, image_said=image_said, size=len(content.data), began_t=t, says=f"asking the {device} for its bootloader"
        )
        self._free_at = t
        self._stop = False
        self._recent: deque[tuple[float, int]] = deque()

    def _to_erase(self, everything: bool) -> list[int]:
        """The sector with the record that a program is whole comes first: from there on the old one no longer counts."""
        last = self.flash.size // self.flash.sector - 1
        if everything:
            return [last, *range(last)]
        return [last, *range(-(-len(self._pages) * self.flash.page // self.flash.sector))]

    def stop(self) -> bool:
        """Ask it to stop; False where that would leave the device without firmware."""
        if self.state.state not in SAFE_TO_STOP:
            return False
        self._stop = True
        return True

    def run_until(self, t: float) -> None:
        """Go on up to `t` (s)."""
        while not self.state.over and self._free_at <= t:
            if self._stop:
                self._stopped(self._free_at)
                return
            try:
                self._step(self._free_at)
            except Broken as broken:
                far = f" at {self.state.percent:.0f} %" if self.state.state != "asking" else ""
                self.end("failed", f"failed{far}, {self.state.says}. {broken}", self._free_at)

    def end(self, state: Ended, says: str, t: float) -> None:
        """Over, for a reason."""
        self.state.state, self.state.says, self.state.ended_t = state, says, t
        self.state.can_stop, self.state.rate_bytes_s = False, 0.0

    def _stopped(self, t: float) -> None:
        verifying = self.state.state == "verifying"
        self.end("stopped", "stopped while it was read back: written, not verified, not started" if verifying else "stopped before anything was erased", t)

    def _step(self, t: float) -> None:
        state = self.state
        if state.state == "asking":
            self._free_at = self._boot.ask(t)
            self._next("erasing", len(self._sectors), "erasing")
        elif state.state == "erasing":
            self._free_at = self._boot.erase(self._sectors[state.done], t)
            self._advance(self._free_at, self.flash.sector)
            if state.done == state.total:
                self._next("writing", len(self._pages), "writing")
        elif state.state == "writing":
            self._free_at = self._boot.write(state.done, self._pages[state.done], t)
            self._advance(self._free_at, self.flash.page)
            if state.done == state.total:
                self._next("verifying", len(self._pages), "reading back and comparing")
        elif state.state == "verifying":
            page = state.done
            found, self._free_at = self._boot.read(page, t)
            wrong = next((at for at, (is_, should) in enumerate(zip(found, self._pages[state.done], strict=True)) if is_ != should), None)
            if wrong is not None:
                address = self.flash.start + page * self.flash.page + wrong
                should, is_ = self._pages[state.done][wrong], found[wrong]
                raise Broken(f"page {page} reads back wrong: {address:08X} holds {is_:02X}, {should:02X} was written; the firmware was not started")
            self._advance(self._free_at, self.flash.page)
            if state.done == state.total:
                self._next("restarting", 0, "recording that it is whole, and starting it")
        elif not self._finished:
            self._free_at = self._boot.finish(self._size, self._sha256, t)
            self._finished = True
        else:
            self.state.percent = 100.0
            self.end("done", f"{state.image_said} is on the {state.device}, read back and compared", t)

    def _next(self, what: Running, total: int, says: str) -> None:
        self._begun_before += self.state.done
        self.state.state, self.state.done, self.state.total, self.state.says = what, 0, total, says
        self.state.can_stop = what in SAFE_TO_STOP
        self._recent.clear()

    def _advance(self, t: float, size: int) -> None:
        self.state.done += 1
        self.state.percent = round(100 * (self._begun_before + self.state.done) / (len(self._sectors) + 2 * len(self._pages)), 1)
        self._recent.append((t, size))
        while self._recent and self._recent[0][0] < t - RATE_OVER_S:
            self._recent.popleft()
        span = self._recent[-1][0] - self._recent[0][0]
        self.state.rate_bytes_s = round(sum(size for _, size in list(self._recent)[1:]) / span) if span > 0 else 0.0
