"""What is wrong with how the board sits, what it takes for level, and what it makes of its pack."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

from linkcore.craft.airframes import MULTIROTORS
from linkcore.craft.document import AccelerometerSetup
from linkcore.craft.facing import Facing, angle_deg, in_words
from linkcore.craft.places import place_of
from linkcore.devices.attitude import level_for
from linkcore.devices.body import Body
from linkcore.devices.pack import shown_v
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.airframe.answering import check_answers
from linkcore.hops.airframe.drive_rules import check_drive
from linkcore.hops.airframe.measure import AirframeMeasure
from linkcore.hops.airframe.meters import DIVIDER_OFF, could_show
from linkcore.hops.airframe.motor_rules import check_motors
from linkcore.hops.airframe.pack import VOLTS_WITHIN, cells_found, current_off, line_for, scale_for, voltage_off
from linkcore.hops.airframe.proofs import FACING_WITHIN_DEG, GRAVITY_WITHIN_G, LEVEL_WITHIN_DEG, facing_off_deg, gravity_off_g, level_off_deg, no_accelerometer
from linkcore.hops.airframe.surfaces import check_roles, check_surfaces
from linkcore.parts.models import Pack
from linkcore.reads import View
from linkcore.wiring.outputs import fits, outputs_for, wired_outputs

CHECK = Check("airframe")
COMPASS_MOST_DEG = 10.0  # a return home that is off by more bends into a spiral (ours)
IRON_MOST_DEG = 15.0
MOST_PACKS = 3


def facing_to_set(seen: AirframeMeasure) -> Facing:
    """What is set of what was found: the way that was meant, or, where the board is off it by more than hands leave open, just as found."""
    assert seen.found is not None
    off = angle_deg(seen.found.facing.matrix, seen.found.mounting.matrix)
    return seen.found.mounting if off <= seen.found.within_deg else seen.found.facing


def check_set(view: View) -> list[Finding]:
    """What is set of the pack, against the one that was chosen."""
    pack, power = view.parts.pack, view.craft.settings.power
    found = check_roles(view.craft, view.parts) + (
        [] if view.parts.maybe_board is None else [*_mixing(view), *_escs(view), *check_drive(view), *check_answers(view)]
    )
    if pack is not None and power.cells not in (None, pack.cells):
        found.append(
            CHECK.stop(
                "airframe.cells",
                At.setting("/settings/power/cells", "board"),
                f"The board is set to {power.cells} cells; the {pack.name} has {pack.cells}.",
                "Every warning about the pack comes too early, or never.",
                Mend(text=f"Set {pack.cells} cells", edits=(Edit(path="/settings/power/cells", value=pack.cells),)),
            )
        )
    if pack is not None and power.capacity_mah not in (None, pack.capacity_mah):
        found.append(
            CHECK.warn(
                "airframe.capacity",
                At.setting("/settings/power/capacity_mah", "board"),
                f"The board reckons with {power.capacity_mah} mAh; the {pack.name} holds {pack.capacity_mah}.",
                "What it tells to be left is not what is left.",
                Mend(text=f"Set {pack.capacity_mah} mAh", edits=(Edit(path="/settings/power/capacity_mah", value=pack.capacity_mah),)),
            )
        )
    return found


def _mixing(view: View) -> Iterator[Finding]:
    mixing, craft, parts = view.craft.settings.mixing, view.craft, view.parts
    if mixing.layout not in (None, craft.airframe):
        yield CHECK.stop(
            "airframe.mixing",
            At.setting("/settings/mixing/layout", "mixer"),
            f"The board mixes for a {mixing.layout}; this craft is a {craft.airframe}.",
            "What should roll it drives something else.",
            Mend(text=f"Mix for a {craft.airframe}", edits=(Edit(path="/settings/mixing/layout", value=craft.airframe),)),
        )
    wired = wired_outputs(craft, parts)
    wrong = [(pad, role, wired[pad]) for pad, role in mixing.outputs.items() if pad in wired and not fits(role, wired[pad], parts)]
    if wrong:
        pad, role, device = wrong[0]
        yield CHECK.stop(
            "airframe.outputs",
            At.pads(pad) + At.device(device),
            f"Output {pad} is set to drive {'an ' if role[0] in 'aeiou' else 'the '}{role}; the {device} is wired there.",
            "A motor that gets a servo's pulses runs up, and a servo that gets a motor's goes to its end.",
            Mend(text="Set the outputs as they are wired", edits=(Edit(path="/settings/mixing/outputs", value=outputs_for(craft, parts)),)),
        )
    bears = {name: part.pulse_hz for name, part in parts.devices.items() if part.servo and part.pulse_hz is not None and part.pulse_hz < mixing.servo_hz}
    if bears:
        name, hz = next(iter(bears.items()))
        slow = min(50, *bears.values())
        yield CHECK.stop(
            "airframe.servo-rate",
            At.setting("/settings/mixing/servo_hz", "servo rate") + At.device(name),
            f"Servos get {mixing.servo_hz} pulses a second; the {name} bears {hz}.",
            "An analog servo that is driven faster hums, grows hot, and burns.",
            Mend(text=f"Set {slow} pulses a second", edits=(Edit(path="/settings/mixing/servo_hz", value=slow),)),
        )


class Powered(Protocol):
    """What is looked at of a running bench's pack."""

    @property
    def in_hands(self) -> AirframeMeasure:
        """What was measured of the craft in hands."""
        ...

    @property
    def awake(self) -> bool:
        """Whether the board runs its program."""
        ...

    @property
    def pack_now(self) -> tuple[bool, float, float, float, float, float, float, bool]:
        """(plugged in, volts that the board reads, …, whether motors turn)."""
        ...


def check_measured(view: View, seen: AirframeMeasure) -> list[Finding]:
    """What was measured, against what is set."""
    if view.parts.maybe_board is None:
        return []
    sits = [] if no_accelerometer(view) else [*_facing(view, seen), *_level(view, seen)]
    return [*sits, *_pack(view, seen), *_meters(view, seen), *_compass(view, seen), *check_motors(view, seen.motors, seen.idle_flown), *_surfaces(view, seen)]


def _surfaces(view: View, seen: AirframeMeasure) -> Iterator[Finding]:
    off = facing_off_deg(view, seen)
    return check_surfaces(view, seen.surfaces, facing_right=None if off is None else off <= FACING_WITHIN_DEG)


def _facing(view: View, seen: AirframeMeasure) -> Iterator[Finding]:
    if seen.found is None:
        return
    words, usb = seen.found.says[0].rstrip("."), view.parts.board.usb
    if seen.usb_not == seen.found.says[0]:
        yield CHECK.stop(
            "airframe.eyes",
            At.device("board"),
            f"By the poses {_first_lower(words)}, and you see it otherwise.",
            "Nose up with the left side down reads like a board that is turned half round: a pose was held the other way.",
            Mend(text="Take the poses anew", hands={"asking": "facing"}),
        )
        return
    off = facing_off_deg(view, seen)
    if off is not None and off > FACING_WITHIN_DEG:
        believes = in_words(view.craft.settings.facing.matrix, usb)
        said = f"{words}; the board believes that {_first_lower(believes)}" if believes != words else f"{words}, {off:.0f} degrees off what the board believes"
        yield CHECK.stop(
            "airframe.facing",
            At.setting("/settings/facing", "board"),
            f"{said}.",
            "What tips the craft one way is steadied another way: it rolls over as it leaves the ground.",
            Mend(text=f"Set it: {_first_lower(words)}", edits=(Edit(path="/settings/facing", value=facing_to_set(seen).model_dump()),)),
        )


def _level(view: View, seen: AirframeMeasure) -> Iterator[Finding]:
    tilt, gravity = level_off_deg(view, seen), gravity_off_g(view, seen)
    if seen.level is None or tilt is None or gravity is None:
        return
    if abs(gravity) > GRAVITY_WITHIN_G:
        calibrated = seen.calibration
        if calibrated is not None and calibrated.offset_g is not None and calibrated.scale is not None and calibrated.worst is None:
            setup = AccelerometerSetup(offset_g=[round(each, 4) for each in calibrated.offset_g], scale=[round(each, 4) for each in calibrated.scale])
            mend = Mend(text="Set what the six positions gave", edits=(Edit(path="/settings/accelerometer", value=setup.model_dump()),))
        else:
            mend = Mend(text="Take the six positions", hands={"asking": "six positions"})
        yield CHECK.warn(
            "airframe.gravity",
            At.setting("/settings/accelerometer", "board"),
            f"At rest the board reads {1 + gravity:.3f} g.",
            "Its idea of level moves with every tilt, since an axis is off by more than what is left of it.",
            mend,
        )
    trim = level_for(view.craft.settings, seen.level.mean_g)
    if tilt > LEVEL_WITHIN_DEG and trim is not None:
        yield CHECK.warn(
            "airframe.level",
            At.setting("/settings/level", "board"),
            f"The board believes the craft to be tilted by {tilt:.1f} degrees where it stood level.",
            "With the sticks let go it drifts that way.",
            Mend(text="Take that for level", edits=(Edit(path="/settings/level", value=trim.model_dump()),)),
        )


def _pack(view: View, seen: AirframeMeasure) -> Iterator[Finding]:
    pack = view.parts.pack
    found = cells_found(seen, pack) if pack is not None else None
    if pack is None or found is None or found.ask or found.cells == pack.cells:
        return
    if found.cells is None:
        yield CHECK.stop(
            "airframe.no-count",
            At.device("pack"),
            f"{seen.pack_v:g} V is no count of {pack.chemistry} cells: of a {pack.name} it would be {(seen.pack_v or 0) / pack.cells:.2f} V a cell.",
            "A pack that is emptier than empty, or has a dead cell, burns as it is charged.",
            Mend(text="Measure each cell at the balance lead before anything else"),
        )
        return
    others = [part for part in view.parts.catalogue.all_of(Pack) if part.cells == found.cells]
    yield CHECK.stop(
        "airframe.pack",
        At.device("pack"),
        f"{_cells(found.cells)} lie there, at {seen.pack_v:g} V; the {pack.name} that was chosen has {pack.cells}.",
        "Motors, limits and every warning are reckoned for another pack.",
        *(Mend(text=f"It is a {part.name}: choose it", edits=(Edit(path="/kit/pack", value=part.id),)) for part in others[:MOST_PACKS]),
        Mend(text=f"Plug the {pack.name} in instead", hands={"pack_here": ""}),
    )


def check_seen(view: View, bench: Powered) -> list[Finding]:
    """What the board sees just now of the pack that lies there, against the one that was chosen."""
    pack, board, seen = view.parts.pack, view.parts.maybe_board, bench.in_hands
    plugged, read_v, *_, turns = bench.pack_now
    if pack is None or board is None or "voltage" not in board.sensors or not plugged or turns or not bench.awake:
        return []
    found = cells_found(seen, pack)
    power = view.craft.settings.power
    off, shown = voltage_off(power, seen), shown_v(power, read_v)
    if (found is not None and found.cells != pack.cells) or could_show(
        pack, shown, VOLTS_WITHIN if off is not None and abs(off) <= VOLTS_WITHIN else DIVIDER_OFF
    ):
        return []  # a meter tells it better, or nothing is odd
    low, high = pack.empty_volts, pack.full_volts
    return [
        CHECK.stop(
            "airframe.pack-seen",
            At.device("pack"),
            f"The board shows {shown:.1f} V at rest; a {pack.name} has {low:g} to {high:g} V.",
            "Another pack lies there than the one that was chosen, or the voltage scale is far off: warnings and limits are reckoned for the chosen one.",
            Mend(text="Hold a meter to the pack's leads, and say what it shows under *The pack*"),
            Mend(text=f"Plug the {pack.name} in instead", hands={"pack_here": ""}),
        )
    ]


def _meters(view: View, seen: AirframeMeasure) -> Iterator[Finding]:
    power, board = view.craft.settings.power, view.parts.board
    off, scale = voltage_off(power, seen), scale_for(seen)
    if off is not None and scale is not None and abs(off) > VOLTS_WITHIN and "voltage" in board.sensors:
        yield CHECK.warn(
            "airframe.voltage",
            At.setting("/settings/power/voltage_scale", "board"),
            f"The board shows {abs(100 * off):.1f} % {'more' if off > 0 else 'less'} than the meter.",
            "It warns too late of an empty pack." if off > 0 else "It warns while the pack is half full.",
            Mend(text=f"Set the voltage scale to {scale:g}", edits=(Edit(path="/settings/power/voltage_scale", value=scale),)),
        )
    wrong, line = current_off(power, seen), line_for(power, seen)
    if wrong and "current" in board.sensors:
        if line is None:
            mend = Mend(text="Forget what meter and charger said, and read them again", hands={"forget_power": True})
        else:
            slope, offset = round(line.slope, 4), round(line.offset_a, 3)
            edits = (Edit(path="/settings/power/current_slope", value=slope), Edit(path="/settings/power/current_offset_a", value=offset))
            mend = Mend(text=f"Set slope {slope:g} and offset {offset:g} A", edits=edits)
        yield CHECK.warn(
            "airframe.current",
            At.setting("/settings/power/current_slope", "board"),
            f"The current is not what the board shows: {wrong}{', and a meter says otherwise' if line is None else ''}.",
            "What it counts to be used, and what it tells to be left, are wrong by as much.",
            mend,
        )


def full_a(view: View) -> float | None:
    """What each motor draws at full throttle, at the pack's nominal voltage; None without a pack or motors."""
    pack, motors = view.parts.pack, sum(part.drives for part in view.parts.devices.values())
    return None if pack is None or not motors else Body.of(view.craft.airframe, place_of(view.craft)).full_power_w / pack.nominal_volts / motors


def _escs(view: View) -> Iterator[Finding]:
    full = full_a(view)
    for name, part in view.parts.devices.items():
        if full is not None and part.drives and part.motor_a is not None and full > part.motor_a:
            yield CHECK.warn(
                "airframe.esc-current",
                At.device(name),
                f"At full throttle about {full:.0f} A flow at each motor, by mass and thrust; the {name} bears {part.motor_a:g} A.",
                "It grows hot, cuts back, or burns, and the motor stops.",
                Mend(text="Fit an ESC that bears more, or smaller propellers, and say so in the place's thrust"),
            )


def hover_a(view: View) -> float | None:
    """What the motors draw in steady flight, at the pack's nominal voltage; None without a pack."""
    place, pack = place_of(view.craft), view.parts.pack
    return None if pack is None else Body.of(view.craft.airframe, place).power_w(place.speed_mps) / pack.nominal_volts


def _compass(view: View, seen: AirframeMeasure) -> Iterator[Finding]:
    amps, per_a = hover_a(view), seen.deg_per_a
    if amps is not None and per_a is not None and abs(per_a * amps) > COMPASS_MOST_DEG:
        flight = "hover" if view.craft.airframe in MULTIROTORS else "cruise"
        yield CHECK.warn(
            "airframe.motors-turn-compass",
            At.device("board"),
            f"Each ampere of the motors turns the compass by {abs(per_a):.1f} degrees: {abs(per_a * amps):.0f} degrees at the {amps:.0f} A of a {flight}.",
            f"More than {COMPASS_MOST_DEG:.0f} degrees, and a return home bends into a spiral.",
            Mend(text="Move the compass away from the pack's leads, and twist those", hands={"compass": "moved away"}),
        )
    elif amps is not None and per_a is not None and seen.compass_spread_deg is not None and not seen.heading_flown:
        yield _heading_flown(view, seen, abs(per_a * amps), amps)
    spread = seen.compass_spread_deg
    if spread is not None and spread > IRON_MOST_DEG:
        yield CHECK.warn(
            "airframe.craft-turns-compass",
            At.device("board"),
            f"Turned round, compass and gyro part by {spread:.0f} degrees.",
            "Something magnetic turns with the craft, or the compass sits another way than it is told.",
            Mend(text="Take magnets and steel away from it, and calibrate it", hands={"compass": "calibrated"}),
        )


def _heading_flown(view: View, seen: AirframeMeasure, deg: float, amps: float) -> Finding:
    """What the bench reckons of the compass in flight: not confirmed yet, or not confirmed by the flight."""
    flight = "hover" if view.craft.airframe in MULTIROTORS else "level flight"
    followed = Mend(text="It followed", hands={"flown": "the heading stayed"})
    if seen.heading_flown is None:
        return CHECK.note(
            "airframe.compass-flown",
            At.device("board"),
            f"By the bench the motors turn the compass by {_degrees(deg)} at the {amps:.0f} A of a {flight}; no flight has confirmed it yet.",
            "A return home goes by this heading.",
            Mend(text=f"At the first {flight} turn it round once, slowly: the heading has to follow"),
            followed,
            Mend(text="It swung off", hands={"flown": "the heading swung"}),
        )
    return CHECK.warn(
        "airframe.compass-flown",
        At.device("board"),
        f"In flight the heading swung off, though by the bench the motors turn the compass by {_degrees(deg)} only.",
        "A return home bends into a spiral. In the air more current flows, or its leads lie otherwise than they did on the bench.",
        Mend(text="Move the compass away from the pack's leads, twist those, and fasten them", hands={"compass": "moved away"}),
        followed,
    )


def _degrees(deg: float) -> str:
    return "a degree" if round(deg) == 1 else f"{deg:.0f} degrees"


def _cells(count: int) -> str:
    return "One cell" if count == 1 else f"{count} cells"


def _first_lower(text: str) -> str:
    return text if text.startswith("USB") else text[0].lower() + text[1:]
