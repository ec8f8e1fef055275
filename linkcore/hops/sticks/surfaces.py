"""Which way a control surface goes: with the stick, and when the board steadies; and on which side of the chain a wrong one is mended.

A stick's channel may be reversed in the transmitter, a surface at the board's servo. Both together look right while the stick is moved, and
are wrong when the board steadies: it then pushes the craft further over.
"""

from __future__ import annotations

from pydantic import BaseModel

from linkcore.craft.airframes import WINGS
from linkcore.craft.document import CraftDocument, Fitted, ServoRole
from linkcore.craft.parts import KitParts
from linkcore.devices.model_memory import reversed_wrongly
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.parts.axes import StickAxis

CHECK = Check("sticks")
WORDS: dict[StickAxis, tuple[str, str]] = {
    "aileron": ("roll stick right", "the right aileron goes up, the left one down"),
    "elevator": ("pitch stick forward", "the elevator goes down"),
    "rudder": ("yaw stick right", "the rudder goes right"),
}


ROLE_WORDS: dict[ServoRole, str] = {"aileron": "an aileron", "elevator": "the elevator", "rudder": "the rudder", "something else": "something else"}


class Surface(BaseModel):
    """A servo that moves a control surface. `turned`: whether it sits the other way round, None until somebody has looked.

    `with_stick`, `with_steadying`: whether the surface goes the right way then; None where that is not known.
    `if_right`, `if_wrong`: what to note in the craft when it is seen to go so.
    """

    name: str
    axis: StickAxis
    channel: int | None
    move: str
    should: str
    turned: bool | None
    servo_reversed: bool
    channel_reversed: bool
    with_stick: bool | None
    with_steadying: bool | None
    if_right: Edit
    if_wrong: Edit


def servos_of(document: CraftDocument, parts: KitParts) -> list[tuple[int, Fitted]]:
    """The servos of a plane or wing, each with its place among the kit's devices."""
    if document.airframe not in WINGS:
        return []
    return [(index, each) for index, each in enumerate(document.kit.devices) if each.name in parts.devices and parts.devices[each.name].servo]


def undecided(document: CraftDocument, parts: KitParts) -> list[tuple[int, Fitted]]:
    """Servos of which nobody has said what they move."""
    return [(index, each) for index, each in servos_of(document, parts) if each.role is None]


def surfaces_of(document: CraftDocument, parts: KitParts) -> list[Surface]:
    """Every servo of a plane or wing that was said to move a control surface."""
    transmitter = parts.maybe_transmitter
    if transmitter is None:
        return []
    found = []
    for _, device in servos_of(document, parts):
        axis = device.role
        if axis is None or axis == "something else":
            continue
        channel = next((index for index, each in enumerate(document.transmitter.channels) if each.source == axis), None)
        against = channel is not None and reversed_wrongly(document.transmitter.channels[channel], transmitter)
        turned = document.servos_turned.get(device.name)
        servo = device.name in document.settings.servo_reverse
        steadies = None if turned is None else turned == servo
        noted = {name: each for name, each in document.servos_turned.items() if name != device.name}
        right = servo != against  # so mounted, the surface goes right with the stick
        found.append(
            Surface(
                name=device.name,
                axis=axis,
                channel=None if channel is None else channel + 1,
                move=WORDS[axis][0],
                should=WORDS[axis][1],
                turned=turned,
                servo_reversed=servo,
                channel_reversed=against,
                with_stick=None if steadies is None else steadies != against,
                with_steadying=steadies,
                if_right=Edit(path="/servos_turned", value={**noted, device.name: right}),
                if_wrong=Edit(path="/servos_turned", value={**noted, device.name: not right}),
            )
        )
    return found


def check_surfaces(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """Servos that nobody knows the use of, and surfaces that go the wrong way, with the mend on the side where it belongs."""
    findings = [
        CHECK.warn(
            "sticks.servo-role",
            At.device(each.name),
            f"What {each.name} moves is not chosen.",
            "Until somebody says so, nobody can tell whether it moves as it should, and the surfaces are not proven.",
            *(Mend(text=f"It moves {words}", edits=(Edit(path=f"/kit/devices/{index}/role", value=role),)) for role, words in ROLE_WORDS.items()),
        )
        for index, each in undecided(document, parts)
    ]
    for each in surfaces_of(document, parts):
        if each.turned is None or each.channel is None:
            continue
        wanted = [name for name in document.settings.servo_reverse if name != each.name] + ([each.name] if each.turned else [])
        servo = Edit(path="/settings/servo_reverse", value=wanted)
        reverse = document.transmitter.channels[each.channel - 1].reverse
        channel = Edit(path=f"/transmitter/channels/{each.channel - 1}/reverse", value=not reverse)
        name = f"{each.name[0].upper()}{each.name[1:]}"
        if each.channel_reversed and not each.with_steadying:
            findings.append(
                CHECK.stop(
                    "sticks.reversed-in-the-wrong-place",
                    At.device(each.name),
                    f"{name} is reversed in the transmitter (CH{each.channel}), where its servo should be reversed on the board.",
                    "It follows the stick; when the board steadies it moves against what is needed, and throws the craft over.",
                    Mend(text=f"Reverse the servo on the board, remove the reverse from CH{each.channel}", edits=(servo, channel)),
                )
            )
        elif not each.with_steadying:
            findings.append(
                CHECK.stop(
                    "sticks.surface",
                    At.device(each.name),
                    f"{name} moves the other way, with the stick and when the board steadies.",
                    "The board sees the stick as it should; the servo sits the other way round, so it is mended at the board's servo, never in the transmitter.",
                    Mend(text="Reverse the servo on the board", edits=(servo,)),
                )
            )
        elif each.channel_reversed:
            findings.append(
                CHECK.stop(
                    "sticks.channel-reversed",
                    At.device(each.name),
                    f"{name} moves the other way with the stick, and as it should when the board steadies.",
                    f"CH{each.channel} is reversed in the transmitter; the servo is right as it is.",
                    Mend(text=f"Remove the reverse from CH{each.channel}", edits=(channel,)),
                )
            )
    return findings
