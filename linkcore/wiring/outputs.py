"""What the board's outputs drive: which layout an airframe has, and what is wired to each output."""

from __future__ import annotations

from collections.abc import Mapping
from typing import get_args

from linkcore.craft.document import Airframe, CraftDocument, OutputRole, ServoRole
from linkcore.craft.layouts import Layout, layout_of
from linkcore.craft.parts import KitParts
from linkcore.devices.mixers import MIXES

SURFACES: frozenset[OutputRole] = frozenset(role for role in get_args(OutputRole) if role in MIXES or role == "another servo")


def output_pads(parts: KitParts) -> tuple[str, ...]:
    """The board's outputs, in its own order."""
    return parts.board.outputs


def wired_outputs(document: CraftDocument, parts: KitParts) -> dict[str, str]:
    """Which device is wired to each output, in the board's order."""
    devices = parts.devices
    wired = {patch.pad: patch.device for patch in document.wiring if patch.device in devices and patch.pin in devices[patch.device].driven_by_outputs}
    return {pad: wired[pad] for pad in output_pads(parts) if pad in wired} if wired else {}


def motors_wired(wired: Mapping[str, str], parts: KitParts) -> int:
    """How many of the outputs that are wired (by their devices) drive motors."""
    return sum(not part.servo for device in wired.values() if (part := parts.devices.get(device)) is not None)


def motor_pads(document: CraftDocument, parts: KitParts) -> list[str]:
    """The outputs that an ESC is wired to, in the board's order."""
    wired = wired_outputs(document, parts)
    return [pad for pad, device in wired.items() if (part := parts.devices.get(device)) is not None and not part.servo]


def layout_wired(document: CraftDocument, parts: KitParts) -> Layout:
    """The layout of a craft, by how many motors are wired."""
    return layout_of(document.airframe, motors_wired(wired_outputs(document, parts), parts))


def outputs_for(document: CraftDocument, parts: KitParts, airframe: Airframe | None = None) -> dict[str, OutputRole]:
    """What each output should drive: motors of the layout in turn on the outputs that ESCs are wired to, and each servo as the pilot has said; before anything is wired, the motors on the first outputs."""
    kind, wired = airframe or document.airframe, wired_outputs(document, parts)
    motors = [place.role for place in layout_of(kind, motors_wired(wired, parts))]
    if not wired:
        return dict(zip(output_pads(parts), motors, strict=False))
    roles: Mapping[str, ServoRole | None] = {each.name: each.role for each in document.kit.devices}
    told: dict[str, OutputRole] = {}
    for pad, device in wired.items():
        part = parts.devices.get(device)
        if part is not None and part.servo:
            told[pad] = "tail servo" if kind == "tri" else _as_output(roles.get(device))
        elif motors:
            told[pad] = motors.pop(0)
    return told


def _as_output(role: ServoRole | None) -> OutputRole:
    return "another servo" if role is None or role == "something else" else role


def fits(role: OutputRole, device: str, parts: KitParts) -> bool:
    """Whether what is wired there is of that kind: a motor's ESC, or a servo."""
    part = parts.devices.get(device)
    return part is None or part.servo == (role in SURFACES)


def motor_roles(document: CraftDocument, parts: KitParts) -> dict[str, OutputRole]:
    """Which motor of the layout the board takes each output for, by its settings; where they say nothing, as its maker meant: in turn."""
    layout, taken = layout_wired(document, parts), document.settings.mixing.outputs
    motors = {place.role for place in layout}
    if taken:
        return {pad: role for pad, role in taken.items() if role in motors}
    return dict(zip(motor_pads(document, parts), (place.role for place in layout), strict=False))
