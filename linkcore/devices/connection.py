"""What the tool sees at the end of a cable, and what to do where it sees nothing."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from linkcore.devices.firmware import Role
from linkcore.parts.models import WayIn

Sight = Literal["ready", "not plugged in", "supply only", "no driver", "busy", "no answer"]


class Seen(BaseModel):
    """One look at a device through one way in: what was seen, in words, and what to do about it."""

    sight: Sight
    says: str
    do: str = ""


def look(*, plugged: bool, device_shows: bool, port_shows: bool, held_by: str, answers: bool, name: str) -> Seen:
    """Tell apart why a device cannot be reached, from what the computer sees.

    `plugged`: something draws supply; `device_shows`: a device announces itself; `port_shows`: the system made a port of it; `held_by`: the program that has
    the port open (empty: none); `answers`: the device answers there.
    """
    if not plugged:
        return Seen(sight="not plugged in", says=f"Nothing is plugged in: the {name} draws no supply here.", do="Plug the cable in.")
    if not device_shows:
        return Seen(
            sight="supply only",
            says=f"The {name} has supply, but no device shows: the cable carries supply and no data.",
            do="Take a data cable; a charge-only one has no data wires.",
        )
    if not port_shows:
        return Seen(
            sight="no driver",
            says=f"The {name} shows as a device, but the system makes no port of it: its driver is missing.",
            do="Install the driver for its USB chip, then plug it in again.",
        )
    if held_by:
        return Seen(
            sight="busy", says=f"The port is there, but {held_by} has it open, and one program has a port at a time.", do=f"Close {held_by}, then try again."
        )
    if not answers:
        return Seen(sight="no answer", says=f"The port opens, but the {name} does not answer.", do="See what it runs and whether it has supply.")
    return Seen(sight="ready", says=f"The {name} answers.")


WAY_WORDS: dict[WayIn, str] = {
    "request": "asked for over USB",
    "button": "bootloader button held while USB is plugged in",
    "over the air": "over the air, through the link",
    "bridge": "through the board's USB and port",
    "adapter": "serial adapter on the receiver's own pins",
    "own port": "its own USB socket",
}


def recovery(role: Role, name: str, ways: tuple[WayIn, ...], *, has_program: bool) -> list[str]:
    """What brings a device back after a job that ended early. Its bootloader was never overwritten, so there always is a way."""
    if has_program:
        return [f"The {name} still runs what it ran before: nothing was erased. Try again when the cause is gone."]
    said = [f"The {name} has no whole firmware now and waits in its bootloader, which was not touched. It is not lost."]
    if role == "board":
        said.append("Plug USB in again (hold the bootloader button where it is not asked for by itself), then flash it once more.")
    elif role == "receiver":
        way = "through the board" if "bridge" in ways else "with a serial adapter on its own pins"
        said.append(f"Give it supply and flash it once more, {way}: over the air needs firmware that runs.")
    else:
        said.append("Plug its own USB cable in again, then flash it once more.")
    return said
