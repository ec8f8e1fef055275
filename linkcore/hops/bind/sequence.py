"""The steps of each way to bind, and which of them is next."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from pydantic import BaseModel

from linkcore.devices.ends import OFFER_S, SLOTS, PowerCycle, TransmitterMode
from linkcore.devices.lights import in_words
from linkcore.findings import HopKey
from linkcore.parts.models import Binding, BindWay, LightState

Who = Literal["receiver", "transmitter", "board", "both"]


class BindStep(BaseModel):
    """One step: who acts, what to do, whether it is done, and whether it is the next. `hop`: where it is done, if not here."""

    who: Who
    text: str
    done: bool
    next: bool = False
    hop: HopKey | None = None


class EndView(BaseModel):
    """One end now: its state in words, what it waits for, and for how long still (s)."""

    name: str
    state: str
    waits_for: str = ""
    left_s: float | None = None


@dataclass(frozen=True)
class Situation:
    """All that the steps are judged by."""

    way: BindWay
    binding: Binding
    receiver: LightState | None
    transmitter: TransmitterMode
    transmitter_on: bool
    knows: bool  # the receiver listens for what the transmitter sends
    registered: bool
    phrase_set: bool
    count_on_board: int
    count_wanted: tuple[int, ...]
    satellite_home: bool
    fits: bool  # the firmware on both ends
    plugged: bool  # the receiver's lead
    waits: bool  # the receiver would take a bind now
    bind_pad: str | None  # where the board sends its pulses, where that is not the satellite's own pad
    cycle: PowerCycle = field(default_factory=PowerCycle)


_TAKE_SUPPLY: tuple[BindWay, ...] = ("button", "register")  # ways whose steps take the receiver's supply and give it back


def steps(now: Situation) -> list[BindStep]:
    """The steps in order; the first that is not done is the next."""
    firmware = [] if now.fits else [BindStep(who="both", text="Make the firmware of both ends fit", done=False, hop="load")]
    lead = [] if now.plugged or now.way in _TAKE_SUPPLY else [BindStep(who="receiver", text="Plug the receiver's lead in", done=False)]
    found = [*firmware, *lead, *_opening(now), *_back_in_order(now), *_proving(now)]
    first = next((step for step in found if not step.done), None)
    return [step.model_copy(update={"next": step is first}) for step in found]


def _opening(now: Situation) -> list[BindStep]:
    waits, bound = in_words(now.binding.light("bind")), in_words(now.binding.light("bound"))
    knows, in_bind = now.knows, now.receiver == "bind"

    def step(who: Who, text: str, done: bool) -> BindStep:
        return BindStep(who=who, text=text, done=done or knows)

    offers = step("transmitter", f"Choose bind in the transmitter's menu; it offers itself for {OFFER_S:.0f} s", now.transmitter == "bind")
    wait = step("both", f"Wait until the receiver shows {bound}", False)
    if now.way == "button":
        return [
            step("receiver", "Remove the receiver's supply", now.receiver is None or in_bind),
            step("receiver", f"Hold its bind button and give it supply: it shows {waits}", in_bind),
            offers,
            wait,
        ]
    if now.way == "power cycles":
        return [step("receiver", f"Give it supply three times, each for less than two seconds: it shows {waits}", in_bind), offers, wait]
    if now.way == "menu":
        powered = f"Remove the receiver's supply and give it back: for {now.binding.wait_s:.0f} s it takes a bind"
        return [step("receiver", powered, now.waits), offers, wait]
    if now.way == "register":
        return [
            step(
                "receiver",
                f"Hold its button at power-up: it shows {in_words(now.binding.light('registering'))}",
                now.registered or now.receiver == "registering",
            ),
            step("transmitter", "Choose register in the transmitter's menu", now.registered),
            step("transmitter", "Take the transmitter out of register", now.registered and now.transmitter != "register"),
            step("receiver", f"Remove its supply and give it back: for {now.binding.wait_s:.0f} s it takes a bind", now.registered and now.waits),
            offers,
            wait,
        ]
    if now.way == "phrase":
        return [
            step("transmitter", "Set the link phrase on the transmitter", now.phrase_set),
            step("receiver", "Set the same phrase on the receiver", False),
        ]
    counts = " or ".join(str(each) for each in now.count_wanted[:2]) or "a count"
    moved = [step("receiver", f"Plug the satellite into {now.bind_pad}, the only pad that sends bind pulses", not now.satellite_home)] if now.bind_pad else []
    return [
        *moved,
        step("board", f"Set the bind count to {counts} and write it", now.count_on_board in now.count_wanted),
        step("board", f"Remove the supply of board and satellite together, and give it back: the satellite shows {waits}", in_bind),
        offers,
        wait,
    ]


def _back_in_order(now: Situation) -> list[BindStep]:
    found = [BindStep(who="transmitter", text="Take the transmitter out of bind", done=now.knows and now.transmitter == "normal")]
    if now.way == "count":
        found.append(BindStep(who="board", text="Set the bind count back to 0 and write it", done=now.knows and now.count_on_board == 0))
    if now.bind_pad:
        found.append(BindStep(who="receiver", text="Plug the satellite back into its own pad", done=now.knows and now.satellite_home))
    return found


def _proving(now: Situation) -> list[BindStep]:
    cycle = now.cycle
    off_on = "off and on again, two steps apart"
    return [
        BindStep(who="receiver", text=f"Receiver {off_on}", done=cycle.receiver_on_t is not None),
        BindStep(who="transmitter", text=f"Transmitter {off_on}", done=cycle.transmitter_on_t is not None),
        BindStep(who="both", text=f"The link comes back by itself within {now.binding.back_s:g} s", done=cycle.back_after_s is not None),
    ]


def receiver_view(name: str, now: Situation, left_s: float | None, *, waits: bool) -> EndView:
    """What the receiver is doing."""
    words: dict[LightState | None, tuple[str, str]] = {
        None: ("no supply", "supply"),
        "unbound": ("knows no transmitter", "to be bound"),
        "bind": ("in bind", "a transmitter in bind"),
        "registering": ("registering", "a transmitter in register"),
        "registered": ("registered, not bound yet", "its supply to go off and on"),
        "bound": ("just bound", "its supply to go off and on"),
        "no link": ("bound, no link", "its transmitter's frames"),
        "linked": ("linked", ""),
        "bootloader": ("in its bootloader", "firmware: see Load"),
    }
    state, waits_for = words[now.receiver]
    if waits and now.receiver in ("unbound", "no link"):
        waits_for = "its transmitter's frames, or a bind"
    return EndView(name=name, state=state, waits_for=waits_for, left_s=left_s)


def transmitter_view(name: str, now: Situation, slot: int, left_s: float | None) -> EndView:
    """What the transmitter is doing."""
    if not now.transmitter_on:
        return EndView(name=name, state="off", waits_for="to be switched on")
    if now.transmitter == "normal":
        return EndView(name=name, state=f"sending, model memory {slot} of {SLOTS}")
    return EndView(
        name=name,
        state=f"in {now.transmitter}, model memory {slot} of {SLOTS}",
        waits_for=f"a receiver in {'bind' if now.transmitter == 'bind' else 'register'}",
        left_s=left_s,
    )
