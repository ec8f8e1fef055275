"""What has to be seen of the airframe: how the board sits, what it takes for level, and that the pack is what it says."""

from __future__ import annotations

from collections.abc import Collection
from typing import Protocol

import numpy as np

from linkcore.craft.airframes import FLYERS
from linkcore.craft.facing import angle_deg, tilt_deg
from linkcore.devices.attitude import level_pull
from linkcore.hops.airframe.measure import AirframeMeasure
from linkcore.hops.airframe.order import OrderError
from linkcore.hops.airframe.pack import VOLTS_WITHIN, cells_found, current_off, voltage_off
from linkcore.hops.airframe.surfaces import all_right, servos_of
from linkcore.parts.models import Sensor
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View
from linkcore.wiring.netlist import pack_ratings, rail_loads
from linkcore.wiring.outputs import layout_wired, motor_pads, motor_roles, motors_wired, wired_outputs

FACING_WITHIN_DEG = 5.0  # what hands of 3 degrees leave open, and a little (ours)
LEVEL_WITHIN_DEG = 1.0
GRAVITY_WITHIN_G = 0.03


class Held(Protocol):
    """What is looked at of a running bench."""

    @property
    def in_hands(self) -> AirframeMeasure:
        """What was measured of the craft in hands."""
        ...

    @property
    def sensors_seen(self) -> Collection[Sensor]:
        """The sensors that the board sees."""
        ...


def steadied(view: View) -> bool:
    """Whether anything of this craft rests on how the board lies: it flies, or asks for the sensors."""
    return view.craft.airframe in FLYERS or bool({"gyro", "accelerometer"} & set(view.craft.wants.sensors))


def no_accelerometer(view: View) -> str:
    """Why nothing of how it sits can be or need be proven; empty where it has to be."""
    board = view.parts.maybe_board
    if board is not None and "accelerometer" not in board.sensors:
        return f"the {board.name} has no accelerometer"
    return "" if steadied(view) else "nothing steadies this craft"


def facing_off_deg(view: View, seen: AirframeMeasure) -> float | None:
    """How far the facing that counts is from the one that was found; None while none was."""
    return None if seen.found is None else angle_deg(view.craft.settings.facing.matrix, seen.found.facing.matrix)


def facing_seen(view: View, bench: Held) -> dict[str, object] | None:
    """Three poses agree with the facing that the board runs, and eyes with where its socket points."""
    seen = bench.in_hands
    off = facing_off_deg(view, seen)
    if seen.found is None or off is None or off > FACING_WITHIN_DEG or seen.usb_so != seen.found.says[0]:
        return None
    return {"facing": seen.found.says[0].rstrip("."), "within_deg": seen.found.within_deg, "off_deg": round(off, 1)}


def level_off_deg(view: View, seen: AirframeMeasure) -> float | None:
    """How tilted the board believes the craft to be that stood level."""
    return None if seen.level is None else tilt_deg(level_pull(view.craft.settings, seen.level.mean_g))


def gravity_off_g(view: View, seen: AirframeMeasure) -> float | None:
    """How much too long or short gravity reads at level."""
    return None if seen.level is None else float(np.linalg.norm(level_pull(view.craft.settings, seen.level.mean_g))) - 1


def level_seen(view: View, bench: Held) -> dict[str, object] | None:
    """What stood level is level to the board."""
    tilt, gravity = level_off_deg(view, bench.in_hands), gravity_off_g(view, bench.in_hands)
    if tilt is None or gravity is None or tilt > LEVEL_WITHIN_DEG or abs(gravity) > GRAVITY_WITHIN_G:
        return None
    return {"off_deg": round(tilt, 2), "gravity_g": round(1 + gravity, 3)}


def too_much(view: View) -> list[str]:
    """What of the supply carries or bears too little, on a full pack; empty where nothing does."""
    craft, parts = view.craft, view.parts
    pack = parts.pack
    over = [f"the rail {load.rail}" for load in rail_loads(craft, parts) if load.ma > load.limit_ma]
    bears = pack_ratings(craft, parts) if pack is not None else {}
    return [*over, *(f"the {name}" for name, volts in bears.items() if pack is not None and pack.full_volts > volts)]


def power_seen(view: View, bench: Held) -> dict[str, object] | None:
    """The pack that lies there is the chosen one, the board shows what a meter does, and everything bears it full."""
    seen, pack, board, power = bench.in_hands, view.parts.pack, view.parts.maybe_board, view.craft.settings.power
    if pack is None or board is None:
        return None
    found = cells_found(seen, pack)
    if found is None or found.cells != pack.cells or (power.cells or pack.cells) != pack.cells or too_much(view):
        return None
    told: dict[str, object] = {"cells": found.cells, "volts": seen.pack_v}
    if "voltage" in board.sensors:
        off = voltage_off(power, seen)
        if off is None or abs(off) > VOLTS_WITHIN:
            return None
        told["voltage_off_percent"] = round(100 * off, 1)
    if "current" in board.sensors:
        if current_off(power, seen) != "" or power.capacity_mah != pack.capacity_mah:
            return None
        told["current"] = "by the charger" if seen.charge is not None else "by a meter, at two loads"
    return told


def needs_no_power(view: View) -> str:
    """A craft that nothing feeds from a pack needs no proof of it."""
    return "" if view.craft.feed == "pack" or view.parts.pack is not None else "no pack feeds this craft"


_SITS = ("board", "hands at board", "airframe", "wants", "settings/facing")
FACING = ProofOf(
    name="facing",
    says="Three poses of the craft agree with the facing that the board runs, and its USB socket is seen to point there.",
    reads=Reads(*_SITS),
    minutes=2,
    seen=facing_seen,
    wants=("pack",),
    needless=no_accelerometer,
)
LEVEL = ProofOf(
    name="level",
    says="The craft stood as it shall fly level, at rest for 2 s, and the board takes that for level.",
    reads=Reads(*_SITS, "settings/level", "settings/accelerometer"),
    minutes=1,
    seen=level_seen,
    wants=("pack",),
    needless=no_accelerometer,
)
POWER = ProofOf(
    name="power",
    says="The pack has the cells of the one that was chosen, the board shows what meter and charger do, and everything bears it full.",
    reads=Reads("board", "kit", "pack", "devices", "feed", "wiring", "wiring of devices", "settings/power"),
    minutes=4,
    seen=power_seen,
    wants=("pack", "props off"),
    needless=needs_no_power,
)


def motors_seen(view: View, bench: Held) -> dict[str, object] | None:
    """Every output was seen to turn the motor that the board takes it for, the way that it should, as often as it takes."""
    seen, craft, parts = bench.in_hands.motors, view.craft, view.parts
    layout, roles = layout_wired(craft, parts), motor_roles(craft, parts)
    if not layout or set(roles.values()) != {place.role for place in layout} or not all(seen.settled(output) for output in roles):
        return None
    if seen.still(roles) or craft.settings.mixing.layout not in (None, craft.airframe):
        return None
    try:
        worked = seen.worked_out(layout, craft.settings.mixing.props, roles)
    except OrderError:
        return None
    if worked.says or worked.mends:
        return None
    return {output: f"{last.corner}, {last.turns}" for output in roles if (last := seen.last(output)) is not None}


def no_motors(view: View) -> str:
    """Why no motor need be looked at; empty where some have to be."""
    if view.parts.maybe_board is None:
        return ""
    return "" if motors_wired(wired_outputs(view.craft, view.parts), view.parts) else "no ESC hangs on an output of this board"


MOTORS = ProofOf(
    name="motors",
    says="Each output turns the motor that the board takes it for, the way that it should, answered twice and as the board felt it, or three times.",
    reads=Reads("board", "devices", "hands at motors", "wiring of devices", "airframe", "settings/mixing", "settings/facing"),
    minutes=5,
    seen=motors_seen,
    wants=("pack", "props off"),
    needless=no_motors,
)
_MIXES = (
    "kit",
    "devices",
    "servo roles",
    "hands at servos",
    "wiring of devices",
    "airframe",
    "transmitter",
    "settings/channel_map",
    "settings/servo_reverse",
    "settings/servos",
    "settings/mixing",
)


def surfaces_seen(view: View, bench: Held) -> dict[str, object] | None:
    """Every surface was seen to follow its stick."""
    return all_right(view.craft, view.parts, bench.in_hands.surfaces, "stick")


def steadying_seen(view: View, bench: Held) -> dict[str, object] | None:
    """Every surface was seen to steady against what the craft did, on a board whose facing is right."""
    off = facing_off_deg(view, bench.in_hands)
    if off is not None and off > FACING_WITHIN_DEG:
        return None
    return all_right(view.craft, view.parts, bench.in_hands.surfaces, "steadying")


def no_surfaces(view: View) -> str:
    """Why a craft needs no look at surfaces; empty where it does."""
    return "" if servos_of(view.craft, view.parts) else "this craft steers with no surfaces"


def no_steadying(view: View) -> str:
    """The same, and where the board could not."""
    board = view.parts.maybe_board
    if board is not None and "gyro" not in board.sensors:
        return f"the {board.name} has no gyro, and steadies nothing"
    return no_surfaces(view)


SURFACES = ProofOf(
    name="surfaces",
    says="Every surface was seen to go the right way with its stick, as the board runs.",
    reads=Reads(*_MIXES),
    minutes=2,
    seen=surfaces_seen,
    source="bench or hand",
    needless=no_surfaces,
)
STEADYING = ProofOf(
    name="steadying",
    says="Every surface was seen to steady the right way when the craft was moved, as the board runs.",
    reads=Reads(*_MIXES, "board", "hands at board", "settings/facing", "settings/level", "settings/modes"),
    minutes=2,
    seen=steadying_seen,
    wants=("pack",),
    source="bench or hand",
    needless=no_steadying,
)


def ends_seen(view: View, bench: Held) -> dict[str, object] | None:
    """Every ESC has said with both its tones that it knows the board's end points."""
    pads = motor_pads(view.craft, view.parts)
    return {"outputs": pads} if pads and set(pads) <= set(bench.in_hands.ends) else None


def no_ends(view: View) -> str:
    """Why no ESC has to learn end points; empty where they do."""
    if view.craft.settings.drive.kind == "digital":
        return "digital commands are numbers, and have no end points"
    return no_motors(view)


ENDS = ProofOf(
    name="end points",
    says="Each ESC was woken under full command and heard the lowest, and said both with its tone.",
    reads=Reads("board", "devices", "hands at ESCs", "wiring of devices", "kind of drive"),
    minutes=6,
    seen=ends_seen,
    wants=("pack", "props off"),
    needless=no_ends,
)
PROOFS = (FACING, LEVEL, POWER, MOTORS, ENDS, SURFACES, STEADYING)
MADE_WITH = {  # what was read of board, compass, motors and pack counts for these
    "airframe": Reads("board"),
    "compass": Reads("board", "compass"),
    "motors": Reads("board", "devices", "wiring of devices", "airframe", "settings/facing"),
    "pack": Reads("board", "pack", "feed"),
    "surfaces": STEADYING.reads,
    "end points": Reads("board", "devices", "wiring of devices", "kind of drive"),
}
