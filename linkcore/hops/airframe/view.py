"""What is told of the Airframe: hands and the board's idea beside each other, what is being taken, and the pack as it is read and as it is."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from typing import Protocol

import numpy as np
from pydantic import BaseModel

from linkcore.craft.airframes import MULTIROTORS, WINGS
from linkcore.craft.document import AccelerometerSetup, LevelTrim
from linkcore.craft.facing import Facing, Matrix, Vector, in_words, tilt_deg
from linkcore.craft.places import place_of
from linkcore.devices.attitude import level_for
from linkcore.devices.body import RESERVE_PERCENT
from linkcore.devices.pack import open_volts, shown_a, shown_mah, shown_v
from linkcore.findings import Edit, Mend
from linkcore.hops.airframe.answering import AnswerTold, TurnsNow, answers_told
from linkcore.hops.airframe.facing import LEAST_TIP_DEG
from linkcore.hops.airframe.measure import REST_S, AirframeMeasure, Asking
from linkcore.hops.airframe.motor_view import MotorsTold, Turning, motors_told
from linkcore.hops.airframe.pack import cells_found, current_off, voltage_off
from linkcore.hops.airframe.proofs import Held, facing_off_deg, level_off_deg, no_accelerometer, no_surfaces, too_much
from linkcore.hops.airframe.rules import COMPASS_MOST_DEG, IRON_MOST_DEG, facing_to_set, full_a, hover_a
from linkcore.hops.airframe.six_positions import DIRECTIONS, Direction
from linkcore.hops.airframe.surfaces import CentreTold, Surface, centres_learnt, keep_centres, surfaces_of
from linkcore.kept import Kept
from linkcore.parts.models import CELL_VOLTS, Sensor
from linkcore.reads import Reads, View, Whole
from linkcore.wiring.netlist import pack_ratings, rail_loads
from linkcore.wiring.outputs import outputs_for

LIES_DEG = 25.0  # so near a position the craft lies in it, for words


class Attitude(BaseModel):
    """Degrees: roll right side down, pitch nose up, heading clockwise from north; `tilt` how far from level, `towards` which way: 0 nose down, 90 right side down."""

    roll: float
    pitch: float
    heading: float
    tilt: float
    towards: float


class Mark(BaseModel):
    """A direction of gravity on the map: which way the craft is tipped there, what that is called, whether it is taken, and whether it comes next."""

    says: str
    tilt: float
    towards: float
    taken: bool
    next: bool


class FacingTold(BaseModel):
    """`found`: as measured, in words, with the exact turns and what hands leave open; `believes`: what the board runs, in words; `off_deg`: how far both are apart; `set`: what sets it, None where the draft has it."""

    found: str
    exact: Facing | None
    within_deg: float | None
    believes: str
    runs: Facing
    off_deg: float | None
    set: Mend | None
    usb_so: bool
    usb_not: bool


class LevelTold(BaseModel):
    """`off_deg`: how tilted the board believes what stood level, `runs`: what it takes for level, `take`: what sets that, None where it is set in the draft; `in_flight`: what it changes in level flight, in words."""

    taken: bool
    scatter_g: float | None
    off_deg: float | None
    runs: LevelTrim
    take: Mend | None
    in_flight: str


class PositionsTold(BaseModel):
    """Six positions: how many are taken, which one is to be taken again, what is left of 1 g at worst, and what sets the result."""

    taken: int
    again: str
    residual_g: float | None
    offset_g: list[float] | None
    scale: list[float] | None
    runs: AccelerometerSetup
    set: Mend | None


class CompassTold(BaseModel):
    """Compass against gyro: `off_deg` now, `spread_deg` over a turn of the craft, `deg_per_a` by the motors, `in_flight_deg` at what they draw in flight; `says`: what is to be done next."""

    off_deg: float
    spread_deg: float | None
    deg_per_a: float | None
    in_flight_deg: float | None
    in_flight_a: float | None
    most_deg: float
    says: str


class RailTold(BaseModel):
    """A rail with its full voltage, what it carries and what it gives, mA."""

    name: str
    volts: float
    ma: int
    peak_ma: int
    limit_ma: int
    on: list[str]


class RatedTold(BaseModel):
    """Who hangs on the pack itself, and what it bears."""

    device: str
    bears_v: float


class PackTold(BaseModel):
    """The chosen pack with its limits a cell (full, reserve, empty), and what is known of the one that lies there.

    `full_a`: what each motor draws at full throttle by mass and thrust, `escs`: what ESCs bear.
    `shows_v`, `shows_a`, `counted_mah`: what the board makes of it; `meter_v`, `clamp_a`, `charger_mah`: what the bench's meter and charger show just now.
    `counts`: cells that are possible; `ask`: they have to be
    counted. `voltage_off_percent`, `current_wrong`: None where nobody has compared.
    """

    name: str
    cells: int
    chemistry: str
    full_v: float
    per_cell: list[float]
    capacity_mah: int
    usable_mah: int
    minutes: float | None
    full_a: float | None
    escs: dict[str, float]
    plugged: bool
    shows_v: float | None
    shows_a: float | None
    counted_mah: float | None
    meter_v: float
    clamp_a: float
    charger_mah: float
    told_v: float | None
    counts: list[int]
    cells_found: int | None
    ask: bool
    voltage_off_percent: float | None
    points: int
    current_wrong: str | None
    motors_turn: bool


class AirframeTold(BaseModel):
    """`hands`: the craft as it is held, `idea`: what the board makes of it (None while it does not run). `why_none`: why nothing of how it sits need be found. `still_s`: for how long it has been at rest while
    something is asked, of `rest_s`. `outputs`: what sets them as they are wired; `unseen`: sensors that are fitted and that the board does not see.

    `motors`, `surfaces`: what was seen of them, a row for each corner, and for each axis of a surface; `surfaces_none`: why there are none.

    `centres`: what centre learning came to, `learns_by`: whether a switch turns it on.
    """

    hands: Attitude
    idea: Attitude | None
    shape: str
    wing: bool
    why_none: str
    asking: Asking | None
    asks: str
    said: str
    rest_s: float
    read_s: float
    marks: list[Mark]
    facing: FacingTold
    level: LevelTold
    positions: PositionsTold
    compass: CompassTold | None
    pack: PackTold | None
    rails: list[RailTold]
    rated: list[RatedTold]
    too_much: list[str]
    outputs: Mend | None
    motors: MotorsTold
    surfaces: list[Surface]
    surfaces_none: str
    centres: list[CentreTold]
    keep_centres: Mend | None
    learns_by: bool
    answers: list[AnswerTold]
    turns_now: list[TurnsNow]
    unseen: list[Sensor]


class Shown(Held, Turning, Protocol):
    """What is looked at of a running bench to tell of it."""

    kept: Kept

    @property
    def pose(self) -> Matrix:
        """What takes the ground's axes to the craft's."""
        ...

    @property
    def believed(self) -> tuple[float, float, float, Vector] | None:
        """(roll, pitch, heading, the pull along the craft's axes) as the board has them; None while it does not run."""
        ...

    @property
    def compass_off_deg(self) -> float | None:
        """How far compass and gyro are apart now; None where no compass is seen."""
        ...

    @property
    def read_s(self) -> float:
        """How long the sensors have been read for what is asked."""
        ...

    @property
    def pack_now(self) -> tuple[bool, float, float, float, float, float, float, bool]:
        """(plugged in, volts that the board reads, amperes, mAh and hours of its sensor; what a meter shows at the pack, what flows, whether motors turn)."""
        ...

    @property
    def turns_now(self) -> list[TurnsNow]:
        """What the sticks ask of the craft, and what it does."""
        ...

    @property
    def switches_now(self) -> Mapping[str, int]:
        """Where the transmitter's switches are."""
        ...

    @property
    def put_back_mah(self) -> float:
        """What a charger would put back."""
        ...


READS = Reads(
    "board",
    "kit",
    "pack",
    "devices",
    "servo roles",
    "transmitter",
    "feed",
    "wiring",
    "wiring of devices",
    "airframe",
    "wants",
    "place",
    "sensors",
    *(
        f"settings/{name}"
        for name in ("facing", "level", "accelerometer", "power", "mixing", "drive", "servos", "servo_reverse", "channel_map", "modes", "deadband", "answer")
    ),
    "receiver's output",
)
_POSES = {"level": (0.0, 0.0), "nose down": (60.0, 0.0), "right side down": (60.0, 90.0)}
_NAMES = {
    0: "nose down",
    45: "nose and right side down",
    90: "right side down",
    135: "right side down, nose up",
    180: "nose up",
    -135: "nose up, left side down",
    -90: "left side down",
    -45: "left side and nose down",
}


def lies(tilt: float, towards: float) -> str:
    """How a craft is tipped, in words."""
    if tilt < LIES_DEG:
        return "level"
    if tilt > 180 - LIES_DEG:
        return "on its back"
    eighth = round(towards / 45) * 45
    return _NAMES[180 if eighth == -180 else eighth]


def _towards(pull: Vector) -> tuple[float, float]:
    tilt = tilt_deg(pull)
    towards = math.degrees(math.atan2(-float(pull[1]), -float(pull[0]))) if 1 < tilt < 179 else 0.0
    return round(tilt, 1), round(towards, 1)


def _attitude(roll: float, pitch: float, heading: float, pull: Vector) -> Attitude:
    tilt, towards = _towards(pull)
    return Attitude(roll=round(roll, 1), pitch=round(pitch, 1), heading=round(heading % 360, 1), tilt=tilt, towards=towards)


def tell(whole: Whole, bench: Shown) -> AirframeTold:
    """All of it, by what the board runs; what sets something is compared with the draft."""
    view, draft = READS.view(whole), whole.document.settings
    seen, board = bench.in_hands, view.parts.board
    pose = bench.pose
    held = Facing.of(pose)
    believed = bench.believed
    craft = view.craft
    rails, rated, over = bench.kept.get("airframe: supply", (craft, view.parts), None, lambda: _supply(view))
    return AirframeTold(
        hands=_attitude(held.roll_deg, held.pitch_deg, held.yaw_deg, pose @ np.array((0.0, 0.0, -1.0))),
        idea=None if believed is None else _attitude(*believed),
        shape=craft.airframe,
        wing=craft.airframe in WINGS,
        why_none=no_accelerometer(view),
        asking=seen.asking,
        asks=_asks(seen),
        said=seen.said,
        rest_s=REST_S,
        read_s=round(bench.read_s, 1),
        marks=_marks(view, seen),
        facing=FacingTold(
            found=seen.found.says[0].rstrip(".") if seen.found else "",
            exact=seen.found.facing if seen.found else None,
            within_deg=seen.found.within_deg if seen.found else None,
            believes=bench.kept.get("airframe: believes", (craft.settings.facing, board), None, lambda: in_words(craft.settings.facing.matrix, board.usb)),
            runs=craft.settings.facing,
            off_deg=None if (off := facing_off_deg(view, seen)) is None else round(off, 1),
            set=_mend("Set it", "/settings/facing", facing_to_set(seen).model_dump(), draft.facing.model_dump()) if seen.found else None,
            usb_so=seen.found is not None and seen.usb_so == seen.found.says[0],
            usb_not=seen.found is not None and seen.usb_not == seen.found.says[0],
        ),
        level=_level(view, whole, seen),
        positions=_positions(view, whole, seen),
        compass=_compass(view, seen, bench.compass_off_deg),
        pack=_pack(view, bench),
        rails=rails,
        rated=rated,
        too_much=over,
        outputs=bench.kept.get("airframe: outputs", (craft, view.parts, draft), None, lambda: _outputs(view, whole)),
        motors=motors_told(view, seen.motors, bench.motors_now, seen.ends, bench.kept),
        surfaces=surfaces_of(craft, view.parts, seen.surfaces),
        surfaces_none=no_surfaces(view),
        centres=centres_learnt(craft, seen.surfaces),
        keep_centres=keep_centres(whole.document, seen.surfaces),
        learns_by=any(band.mode == "centre learning" for band in craft.settings.modes),
        turns_now=bench.turns_now,
        answers=bench.kept.get("airframe: answers", (craft, view.parts), bench.switches_now, lambda: answers_told(view, bench.switches_now)),
        unseen=[] if believed is None else _unseen(view, bench.sensors_seen),
    )


def _unseen(view: View, seen: Collection[Sensor]) -> list[Sensor]:
    return [sensor for sensor in view.parts.sensors if sensor not in seen]


def _supply(view: View) -> tuple[list[RailTold], list[RatedTold], list[str]]:
    """Rails with something on them, who hangs on the pack itself, and what is too much; the same as long as no wire and no part changes."""
    rails = [
        RailTold(name=load.rail, volts=load.volts, ma=load.ma, peak_ma=load.peak_ma, limit_ma=load.limit_ma, on=load.devices)
        for load in rail_loads(view.craft, view.parts)
        if load.devices
    ]
    return rails, [RatedTold(device=name, bears_v=volts) for name, volts in pack_ratings(view.craft, view.parts).items()], too_much(view)


def _mend(text: str, path: str, value: object, now: object) -> Mend | None:
    return None if value == now else Mend(text=text, edits=(Edit(path=path, value=value),))


def _outputs(view: View, whole: Whole) -> Mend | None:
    """What sets the outputs as they are wired; None where the draft has it, or nothing is known."""
    wanted = outputs_for(view.craft, view.parts)
    return _mend("Set them as they are wired", "/settings/mixing/outputs", wanted, whole.document.settings.mixing.outputs) if wanted else None


def _asks(seen: AirframeMeasure) -> str:
    """What the hands have to do next."""
    if seen.asking == "facing":
        pose = seen.next_pose
        if pose == "level":
            return "Hold the craft level, or set it down, until it has rested."
        return f"Now {pose}: by {LEAST_TIP_DEG + 10:.0f} degrees or more, the other side as it was. Hold it against something firm."
    if seen.asking == "level":
        return "Set the craft as it shall fly level, and take the hands off."
    if seen.asking == "six positions":
        again = seen.calibration.worst if seen.calibration else None
        return "Take the marked position once more, better upright." if again else "Set the craft on another side, any that is open, and let it rest."
    return ""


def _marks(view: View, seen: AirframeMeasure) -> list[Mark]:
    if seen.asking == "six positions" or (seen.asking is None and seen.positions and not seen.poses):
        again = seen.calibration.worst if seen.calibration else None
        facing = seen.found.facing if seen.found else view.craft.settings.facing
        return [_position_mark(each, facing, seen.positions, again) for each in DIRECTIONS]
    return [
        Mark(says=name, tilt=tilt, towards=towards, taken=name in seen.poses, next=seen.asking == "facing" and name == seen.next_pose)
        for name, (tilt, towards) in _POSES.items()
    ]


def _position_mark(
    direction: Direction, facing: Facing, taken: dict[Direction, tuple[float, float, float]] | dict[Direction, Sequence[float]], again: Direction | None
) -> Mark:
    axis, sign = DIRECTIONS.index(direction) // 2, 1 - 2 * (DIRECTIONS.index(direction) % 2)
    pull = np.zeros(3)
    pull[axis] = sign
    tilt, towards = _towards(facing.matrix.T @ pull)
    return Mark(says=lies(tilt, towards), tilt=tilt, towards=towards, taken=direction in taken and direction != again, next=direction == again)


def _level(view: View, whole: Whole, seen: AirframeMeasure) -> LevelTold:
    draft, off = whole.document.settings, level_off_deg(view, seen)
    trim = level_for(draft, seen.level.mean_g) if seen.level else None
    take = None
    if trim is not None and (abs(trim.roll_deg - draft.level.roll_deg) > 0.05 or abs(trim.pitch_deg - draft.level.pitch_deg) > 0.05):
        take = _mend("Take that for level", "/settings/level", trim.model_dump(), draft.level.model_dump())
    return LevelTold(
        taken=seen.level is not None,
        scatter_g=seen.level.scatter_g if seen.level else None,
        off_deg=None if off is None else round(off, 2),
        runs=view.craft.settings.level,
        take=take,
        in_flight=_in_flight(view, trim if trim is not None else view.craft.settings.level),
    )


def _in_flight(view: View, trim: LevelTrim) -> str:
    """What a plane's trim changes in level flight."""
    if view.craft.airframe not in WINGS or abs(trim.pitch_deg) < 0.05:
        return ""
    speed = place_of(view.craft).speed_mps
    climbs = speed * math.sin(math.radians(trim.pitch_deg))
    ends = "sink" if climbs > 0 else "climb"
    return (
        f"Level flight is {abs(trim.pitch_deg):.1f} degrees {'nose up' if trim.pitch_deg > 0 else 'nose down'} to the board's own level. "
        f"Without that, let go at {speed:g} m/s it would {ends} by {abs(climbs):.1f} m/s."
    )


def _positions(view: View, whole: Whole, seen: AirframeMeasure) -> PositionsTold:
    found, setup = seen.calibration, None
    if found is not None and found.offset_g is not None and found.scale is not None and found.worst is None:
        setup = AccelerometerSetup(offset_g=[round(each, 4) for each in found.offset_g], scale=[round(each, 4) for each in found.scale])
    again = ""
    if found is not None and found.worst is not None:
        again = _position_mark(found.worst, seen.found.facing if seen.found else view.craft.settings.facing, {}, None).says
    return PositionsTold(
        taken=len(seen.positions),
        again=again,
        residual_g=None if found is None or found.residual_g is None else round(found.residual_g, 4),
        offset_g=None if setup is None else setup.offset_g,
        scale=None if setup is None else setup.scale,
        runs=view.craft.settings.accelerometer,
        set=None
        if setup is None
        else _mend("Set offsets and scales", "/settings/accelerometer", setup.model_dump(), whole.document.settings.accelerometer.model_dump()),
    )


def _compass(view: View, seen: AirframeMeasure, off_deg: float | None) -> CompassTold | None:
    if off_deg is None:
        return None
    amps, per_a, spread = hover_a(view), seen.deg_per_a, seen.compass_spread_deg
    flight = "the first hover" if view.craft.airframe in MULTIROTORS else "the first flight"
    if spread is None:
        says = "Turn the craft round once, level and with its motors off."
    elif spread > IRON_MOST_DEG:
        says = "Mend that first; then turn the craft round once more."
    elif per_a is None:
        says = "Props off, arm, and give it throttle where it has been seen at rest: that tells what the motors do to the compass."
    elif amps is not None and abs(per_a * amps) > COMPASS_MOST_DEG:
        says = "Mend that first; then turn the craft round and run the motors once more."
    elif seen.heading_flown is None:
        says = f"Reckoned from the bench; confirm it at {flight}."
    else:
        says = "In flight the heading stayed with the craft." if seen.heading_flown else "In flight the heading swung off."
    return CompassTold(
        off_deg=round(off_deg, 1),
        spread_deg=None if spread is None else round(spread, 1),
        deg_per_a=None if per_a is None else round(per_a, 2),
        in_flight_deg=None if per_a is None or amps is None else round(abs(per_a * amps), 1),
        in_flight_a=None if amps is None else round(amps, 1),
        most_deg=COMPASS_MOST_DEG,
        says=says,
    )


def _pack(view: View, bench: Shown) -> PackTold | None:
    pack, board, power, seen = view.parts.pack, view.parts.board, view.craft.settings.power, bench.in_hands
    if pack is None:
        return None
    plugged, read_v, read_a, read_mah, hours, meter_v, clamp_a, turns = bench.pack_now
    found, off, amps = cells_found(seen, pack), voltage_off(power, seen), hover_a(view)
    usable = round(pack.capacity_mah * (1 - RESERVE_PERCENT / 100))
    full, _, empty = CELL_VOLTS[pack.chemistry]
    has_v, has_a = "voltage" in board.sensors, "current" in board.sensors
    return PackTold(
        name=pack.name,
        cells=pack.cells,
        chemistry=pack.chemistry,
        full_v=pack.full_volts,
        per_cell=[full, round(open_volts(pack, RESERVE_PERCENT / 100) / pack.cells, 2), empty],
        capacity_mah=pack.capacity_mah,
        usable_mah=usable,
        minutes=None if not amps else round(usable / 1000 / amps * 60, 1),
        full_a=None if (most := full_a(view)) is None else round(most, 1),
        escs={name: part.motor_a for name, part in view.parts.devices.items() if part.drives and part.motor_a is not None},
        plugged=plugged,
        shows_v=round(shown_v(power, read_v), 2) if has_v and plugged else None,
        shows_a=round(shown_a(power, read_a), 1) if has_a and plugged else None,
        counted_mah=round(shown_mah(power, read_mah, hours)) if has_a else None,
        meter_v=round(meter_v, 2),
        clamp_a=round(clamp_a, 1),
        charger_mah=round(bench.put_back_mah),
        told_v=seen.pack_v,
        counts=found.counts if found else [],
        cells_found=found.cells if found else None,
        ask=found is not None and found.ask,
        voltage_off_percent=None if off is None else round(100 * off, 1),
        points=len(seen.amps),
        current_wrong=current_off(power, seen),
        motors_turn=turns,
    )
