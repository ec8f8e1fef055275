"""What the board's outputs drive: which layout an airframe has, and what is wired to each output."""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.craft.document import Airframe, CraftDocument, OutputRole, ServoRole
from linkcore.craft.parts import KitParts

MOTORS: Mapping[Airframe, tuple[OutputRole, ...]] = {  # as a page is read, from the front: ours
    "quad X": ("front left motor", "front right motor", "rear left motor", "rear right motor"),
    "quad plus": ("front motor", "left motor", "right motor", "rear motor"),
    "tri": ("front left motor", "front right motor", "rear motor"),
    "plane": ("motor",),
    "wing": ("motor",),
    "rover": ("left motor", "right motor"),
    "boat": ("left motor", "right motor"),
}
SURFACES: frozenset[OutputRole] = frozenset(("aileron", "elevator", "rudder", "tail servo", "another servo"))
_OF_SERVO: Mapping[ServoRole | None, OutputRole] = {
    "aileron": "aileron",
    "elevator": "elevator",
    "rudder": "rudder",
    "something else": "another servo",
    None: "another servo",
}


def output_pads(parts: KitParts) -> list[str]:
    """The board's outputs, in its own order."""
    return [pad.name for pad in parts.board.pads if pad.kind == "output"]


def wired_outputs(document: CraftDocument, parts: KitParts) -> dict[str, str]:
    """Which device is wired to each output, in the board's order."""
    wired = {patch.pad: patch.device for patch in document.wiring if (pin := parts.pin(patch.device, patch.pin)) is not None and pin.goes_to == "output"}
    return {pad: wired[pad] for pad in output_pads(parts) if pad in wired}


def outputs_for(document: CraftDocument, parts: KitParts, airframe: Airframe | None = None) -> dict[str, OutputRole]:
    """What each output should drive: motors of the layout in turn on the outputs that ESCs are wired to, and each servo as the pilot has said; before anything is wired, the motors on the first outputs."""
    kind = airframe or document.airframe
    motors, wired = list(MOTORS[kind]), wired_outputs(document, parts)
    if not wired:
        return dict(zip(output_pads(parts), motors, strict=False))
    roles: Mapping[str, ServoRole | None] = {each.name: each.role for each in document.kit.devices}
    told: dict[str, OutputRole] = {}
    for pad, device in wired.items():
        part = parts.devices.get(device)
        if part is not None and part.servo:
            told[pad] = "tail servo" if kind == "tri" else _OF_SERVO[roles.get(device)]
        elif motors:
            told[pad] = motors.pop(0)
    return told


def fits(role: OutputRole, device: str, parts: KitParts) -> bool:
    """Whether what is wired there is of that kind: a motor's ESC, or a servo."""
    part = parts.devices.get(device)
    return part is None or part.servo == (role in SURFACES)
