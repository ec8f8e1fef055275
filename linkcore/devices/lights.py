"""What a receiver's light says, and what to do next."""

from __future__ import annotations

from typing import get_args

from pydantic import BaseModel

from linkcore.parts.models import Binding, BindWay, Colour, Light, LightState, Pattern

STATE_WORDS: dict[LightState, tuple[str, str]] = {
    "unbound": ("It knows no transmitter.", "Bind it."),
    "bind": ("It waits in bind.", "Put the transmitter into bind while it waits, two steps away from it."),
    "registering": ("It waits to be registered.", "Choose register in the transmitter's menu while it waits."),
    "registered": ("It knows the transmitter's number; it is not bound yet.", "Remove its supply and give it back, then choose bind on the transmitter."),
    "bound": ("It has just been bound.", "Take the transmitter out of bind, then switch both ends off and on again: only then it counts."),
    "no link": (
        "It knows a transmitter and hears nothing of it.",
        "Switch the transmitter on with the right model memory. Where it is on: look whether both ends' firmware still fits, and bind anew.",
    ),
    "linked": ("The link stands: frames arrive.", "Nothing. If the board sees no signal, look at the Line hop."),
    "bootloader": ("It has no whole firmware and waits in its bootloader.", "Flash it again, in Load."),
}
_NO_SUPPLY = ("It has no supply.", "Look at its supply and ground in the Loom, and at USB and pack.")
_ASK: dict[BindWay, str] = {
    "button": "Remove its supply, hold its bind button, and give it supply.",
    "menu": "Give it supply, then choose bind in the transmitter's menu.",
    "power cycles": "Give it supply three times, each for less than two seconds.",
    "register": "Hold its button at power-up, and choose register on the transmitter first.",
    "phrase": "Set the same link phrase on both ends.",
    "count": "Set the bind count, write it, and give board and satellite supply together.",
}


class Meaning(BaseModel):
    """What a light can mean: the state (None: no supply), in words, and what to do."""

    state: LightState | None
    says: str
    do: str


def meanings(binding: Binding, light: Light) -> list[Meaning]:
    """Everything that this receiver may mean with that light; empty where it never shows it."""
    found: list[Meaning] = []
    for state, (says, do) in STATE_WORDS.items():
        if state in binding.lights and binding.light(state) == light:
            more = " " + _ASK[binding.ways[0]] if state == "unbound" else ""
            found.append(Meaning(state=state, says=says, do=do + more))
    if light.pattern == "off":
        found.append(Meaning(state=None, says=_NO_SUPPLY[0], do=_NO_SUPPLY[1]))
    return found


def shown(binding: Binding) -> tuple[list[Colour], list[Pattern]]:
    """The colours and patterns that this receiver's light knows, always in one order."""
    lights = binding.lights.values()
    colours, patterns = {light.colour for light in lights}, {light.pattern for light in lights}
    return [each for each in get_args(Colour) if each in colours and each != "none"], [each for each in get_args(Pattern) if each in patterns]


def in_words(light: Light) -> str:
    """A light as one would say it."""
    return "dark" if light.pattern == "off" else f"{light.colour}, {light.pattern}"
