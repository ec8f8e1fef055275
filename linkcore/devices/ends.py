"""The two ends of a bind as state machines. They know time and each other's offers, nothing of wires or frames.

`late`: a bench's time passes so much more slowly than the pilot's that nothing with a time limit for hands counts. Windows are held open meanwhile, and offered whole afterwards.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel

from linkcore.devices.identity import from_model, from_phrase, plain_phrase
from linkcore.devices.outlook import Outlook
from linkcore.parts.models import Binding, Light, LightState

TransmitterMode = Literal["normal", "bind", "register"]
SLOTS = 10
OFFER_S = 30.0  # how long a transmitter stays in bind or register by itself
EXCHANGE_S = 0.8
QUICK_S = 2.0
QUICK_CYCLES = 3
TOO_CLOSE_M = 0.5
TOO_FAR_M = 10.0  # bind is sent at the lowest power
LATE = (
    "the bench runs late, and what has a time limit for hands does not count meanwhile; both ends stay as they are, and their time begins anew once it keeps up"
)


@dataclass(frozen=True)
class Offer:
    """What a transmitter in bind or register hands over."""

    mode: TransmitterMode
    identity: bytes
    serial: bytes


class TransmitterEnd:
    """A transmitter's share: its own number, the model memory that is selected, a link phrase, and the mode it is in."""

    def __init__(self, serial: bytes) -> None:
        self.serial = serial
        self.slot = 1
        self.phrase = ""
        self.mode: TransmitterMode = "normal"
        self.until: float | None = None
        self.late = False

    @property
    def identity(self) -> bytes:
        """What its frames carry."""
        return from_phrase(self.phrase) if self.phrase else from_model(self.serial, self.slot)

    def choose(self, mode: TransmitterMode, t: float) -> None:
        """Go into a mode by its menu."""
        self.mode = mode
        self.until = None if mode == "normal" else t + OFFER_S

    def select(self, slot: int) -> None:
        """Select a model memory. Raise ValueError where there is none."""
        if not 1 <= slot <= SLOTS:
            raise ValueError(f"there is no model memory {slot}; there are 1 to {SLOTS}")
        self.slot = slot

    def take_phrase(self, phrase: str) -> None:
        """Set the link phrase; an empty one takes it away."""
        self.phrase = plain_phrase(phrase) if phrase else ""

    def tick(self, t: float, *, on: bool) -> None:
        """Bind and register end by themselves, and with the supply."""
        if self.late and self.until is not None:
            self.until = t + OFFER_S
        if self.mode != "normal" and (not on or (self.until is not None and t >= self.until)):
            self.mode, self.until = "normal", None

    def offer(self) -> Offer | None:
        """What it hands over now."""
        return None if self.mode == "normal" else Offer(self.mode, self.identity, self.serial)


class ReceiverEnd:
    """A receiver's share: whom it knows, and whether it waits in bind."""

    def __init__(self, binding: Binding) -> None:
        self.binding = binding
        self.identity: bytes | None = None
        self.registered: bytes | None = None
        self.state: LightState | None = None
        self.until: float | None = None
        self.open_until: float | None = None
        self.quick = 0
        self.late = False
        self.bind_count = 0  # the pulses by which it was bound, and so how it speaks; 0: as it came
        self._asked = 0
        self._on_t = self._off_t = -1e9
        self._since: float | None = None

    def power(self, on: bool, t: float, *, button: bool = False, pulses: int = 0) -> None:
        """Supply comes or goes. `button`: its bind button is held; `pulses`: what the board sent on its line at that moment."""
        self.until = self.open_until = self._since = None
        if not on:
            self._off_t, self.state = t, None
            return
        quick_gap, quick_before = t - self._off_t <= QUICK_S and not self.late, self._off_t - self._on_t <= QUICK_S
        self.quick = (self.quick + 1 if self.quick == 0 or quick_before else 1) if quick_gap else 0
        self._on_t, self._asked = t, pulses
        ways = self.binding.ways
        if ("button" in ways and button) or ("power cycles" in ways and self.quick >= QUICK_CYCLES) or ("count" in ways and pulses):
            self._wait("bind", t)
        elif "register" in ways and button:
            self._wait("registering", t)
        else:
            self.state = self._resting()
            if "menu" in ways or ("register" in ways and self.registered):
                self.open_until = t + self.binding.wait_s

    def _wait(self, state: LightState, t: float) -> None:
        self.state, self.until, self.quick = state, t + self.binding.wait_s, 0

    def _resting(self) -> LightState:
        return "no link" if self.identity else "unbound"

    def tick(self, t: float) -> None:
        """What ends by itself: waiting in bind."""
        if self.late:
            self.until = None if self.until is None else t + self.binding.wait_s
            self.open_until = t + self.binding.wait_s if self.open_until is not None and t < self.open_until else None
        if self.state in ("bind", "registering") and self.until is not None and t >= self.until:
            self.state, self.until = self._resting(), None

    def waits(self, t: float) -> bool:
        """Whether it would take a bind now."""
        return self.state == "bind" or (self.state in ("no link", "unbound") and self.open_until is not None and t < self.open_until)

    def hear(self, offer: Offer | None, t: float) -> bool:
        """A transmitter hands something over, or nobody does. True once it has been taken."""
        takes = offer is not None and ((offer.mode == "bind" and self.waits(t)) or (offer.mode == "register" and self.state == "registering"))
        if not takes or offer is None:
            self._since = None
            return False
        if "register" in self.binding.ways and offer.mode == "bind" and self.registered != offer.serial:
            return False
        if self._since is None:
            self._since = t
        if t - self._since < EXCHANGE_S:
            return False
        self._since = self.until = self.open_until = None
        if offer.mode == "register":
            self.registered, self.state = offer.serial, "registered"
        else:
            self.identity, self.state = offer.identity, "bound"
            self.bind_count = self._asked or self.bind_count
        return True

    def link(self, linked: bool) -> None:
        """The link came or went; while it waits or has just been bound it listens to no link."""
        if self.listens:
            self.state = "linked" if linked else self._resting()

    @property
    def listens(self) -> bool:
        """Whether it hears ordinary frames."""
        return self.state in ("no link", "linked", "unbound") and self.identity is not None

    def take_phrase(self, phrase: str) -> None:
        """Set the link phrase on it. Raise ValueError where it takes none."""
        if "phrase" not in self.binding.ways:
            raise ValueError("this receiver takes no link phrase")
        self.identity = from_phrase(phrase)
        if self.state is not None:
            self.state = self._resting()

    def forget(self) -> None:
        """Forget whom it knew."""
        self.identity = self.registered = None
        self.bind_count = 0
        if self.state is not None:
            self.state = "unbound"

    @property
    def light(self) -> Light:
        """What it shows."""
        return self.binding.light(self.state)


def hindrances(link: Outlook, distance_m: float, *, transmitter_on: bool, receiver_on: bool, late: bool = False) -> list[str]:
    """What keeps two ends from binding now, whatever mode they are in."""
    against = [LATE] if late else []
    if not transmitter_on:
        against.append("the transmitter is off")
    if not receiver_on and link.lacks != "receiver":
        against.append("the receiver has no power")
    if link.verdict == "do not match":
        against.append(link.because[0])
    if distance_m < TOO_CLOSE_M:
        against.append(f"the ends are {distance_m:g} m apart: nearer than {TOO_CLOSE_M:g} m the transmitter drowns the receiver")
    if distance_m > TOO_FAR_M:
        against.append(f"the ends are {distance_m:g} m apart: bind is sent at low power and carries {TOO_FAR_M:g} m")
    return against


class PowerCycle(BaseModel):
    """Both ends off and on again since the last bind, and the link back by itself. Times in bench seconds."""

    receiver_off_t: float | None = None
    receiver_on_t: float | None = None
    transmitter_off_t: float | None = None
    transmitter_on_t: float | None = None
    back_t: float | None = None

    def see(self, t: float, *, receiver_on: bool, transmitter_on: bool, linked: bool, binding: bool) -> None:
        """A look at both ends. `binding`: they are not bound to each other, or are just being bound."""
        if binding:  # whatever came before no longer counts
            self.receiver_off_t = self.receiver_on_t = self.transmitter_off_t = self.transmitter_on_t = self.back_t = None
            return
        self._edge("receiver", receiver_on, t)
        self._edge("transmitter", transmitter_on, t)
        if self.back_t is None and self.last_on_t is not None and linked:
            self.back_t = t

    def _edge(self, end: Literal["receiver", "transmitter"], on: bool, t: float) -> None:
        off_t, on_t = getattr(self, f"{end}_off_t"), getattr(self, f"{end}_on_t")
        if not on and (off_t is None or on_t is not None):
            setattr(self, f"{end}_off_t", t)
            setattr(self, f"{end}_on_t", None)
            self.back_t = None
        elif on and off_t is not None and on_t is None:
            setattr(self, f"{end}_on_t", t)

    @property
    def last_on_t(self) -> float | None:
        """When the second end came on; None until both did."""
        if self.receiver_on_t is None or self.transmitter_on_t is None:
            return None
        return max(self.receiver_on_t, self.transmitter_on_t)

    @property
    def back_after_s(self) -> float | None:
        """How long the link took to come back."""
        return None if self.back_t is None or self.last_on_t is None else round(self.back_t - self.last_on_t, 3)
