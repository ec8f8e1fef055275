"""What a bench measures of the craft in hands: poses, level, six positions as they come to rest, compass against gyro, and what meter and charger say beside what the board reads."""

from __future__ import annotations

from collections.abc import Collection

from linkcore.bench.messages import Hands
from linkcore.bench.seen import SeenBench
from linkcore.bench.surface_watch import SurfaceWatch
from linkcore.craft.airframes import MULTIROTORS
from linkcore.devices.pack import shown_mah, shown_v
from linkcore.hops.airframe.first_flight import FlownSaid
from linkcore.hops.airframe.measure import AirframeMeasure, AmpsRead, ChargeRead, CompassAt, VoltsRead
from linkcore.hops.airframe.meters import APART_A, CurrentLine, MeterError, could_have, current_line, slope_by_charge, voltage_scale
from linkcore.hops.airframe.motors import MotorsSeen
from linkcore.reads import Handled

COMPASS_EVERY_S = 0.4


class HandsWatch:
    """All of that on one bench."""

    def __init__(self, bench: SeenBench, seen: AirframeMeasure) -> None:
        self._bench = bench
        self.seen = seen
        self._compass_t = 0.0
        self._surfaces = SurfaceWatch(bench)

    def forget(self, *, body: bool, compass: bool, power: bool, motors: bool, surfaces: bool, ends: bool) -> None:
        """What was measured counts no more: of how the craft sits, of its compass, of its pack, of its motors, of its surfaces, of its ESCs' ends."""
        self.seen = self._without(self.seen, body=body, compass=compass, power=power, motors=motors, surfaces=surfaces, ends=ends)

    @staticmethod
    def _without(
        seen: AirframeMeasure,
        *,
        body: bool = False,
        compass: bool = False,
        power: bool = False,
        motors: bool = False,
        surfaces: bool = False,
        ends: bool = False,
    ) -> AirframeMeasure:
        fresh = AirframeMeasure()
        names = (
            *(_BODY if body else ()),
            *(_COMPASS if compass or body else ()),
            *(_POWER if power else ()),
            *(("motors", "idle_flown") if motors else ()),
            *(("surfaces",) if surfaces else ()),
            *(("ends",) if ends else ()),
        )
        return seen.model_copy(update={name: getattr(fresh, name) for name in names})

    def told(self, hands: Hands, at_hand: Collection[Handled]) -> AirframeMeasure:
        """What is known with what the pilot says, and without what they have mounted or wired otherwise. Raise ValueError where it cannot be so; nothing is taken then."""
        seen, bench = self.seen, self._bench
        if hands.body is not None:
            seen = AirframeMeasure(motors=seen.motors, idle_flown=seen.idle_flown)
        if hands.compass is not None and not bench.sees_compass:
            raise ValueError("the board sees no compass that could be mended or measured")
        seen = self._without(
            seen,
            body="board" in at_hand,
            compass=hands.compass is not None or self._replaces_a_compass(hands),
            motors="ESCs" in at_hand,
            ends="ESCs" in at_hand,
            surfaces="servos" in at_hand,
        )
        if hands.forget_centre:
            seen = seen.model_copy(update={"surfaces": seen.surfaces.model_copy(update={"learnt_us": {}})})
        if hands.surface_seen is not None:
            seen = seen.model_copy(update={"surfaces": self._surfaces.told(hands.surface_seen, seen.surfaces)})
        if hands.flown is not None:
            seen = self._flown(seen, hands.flown)
        if hands.pack_here is not None:
            seen = self._without(seen, power=True)
        if hands.asking is not None:
            what = None if hands.asking == "nothing" else hands.asking
            if what is not None and "accelerometer" not in bench.board_part.sensors:
                raise ValueError(f"the {bench.board_part.name} has no accelerometer: how it sits is for eyes to tell")
            seen = seen.ask(what)
        if hands.usb_so is not None:
            if seen.found is None:
                raise ValueError("it has not been found yet how the board sits: take the poses first")
            words = seen.found.says[0]
            seen = seen.model_copy(update={"usb_so": words if hands.usb_so else "", "usb_not": "" if hands.usb_so else words})
        if hands.forget_power:
            seen = self._without(seen, power=True)
        if hands.cells_told is not None:
            seen = seen.model_copy(update={"cells_told": hands.cells_told or None})
        if hands.meter_v is not None:
            seen = seen.model_copy(update={"pack_v": hands.meter_v, "volts": self._volts(hands.meter_v), "cells_told": None})
        if hands.clamp_a is not None:
            seen = seen.model_copy(update={"amps": self._amps(seen, hands.clamp_a)})
        if hands.put_back_mah is not None:
            seen = seen.model_copy(update={"charge": self._charge(hands.put_back_mah)})
        return seen

    def _replaces_a_compass(self, hands: Hands) -> bool:
        part = self._bench.parts.devices.get(hands.replaced or "") if hands.replaced in self._bench.failed else None
        return part is not None and "magnetometer" in part.sensors

    def _flown(self, seen: AirframeMeasure, said: FlownSaid) -> AirframeMeasure:
        """What the pilot saw in flight, of the settings that the board runs."""
        bench = self._bench
        if said in ("the heading stayed", "the heading swung"):
            if not bench.sees_compass:
                raise ValueError("the board sees no compass, so no flight can tell of it")
            return seen.model_copy(update={"heading_flown": said == "the heading stayed"})
        if bench.document.airframe not in MULTIROTORS:
            raise ValueError(f"the motors of a {bench.document.airframe} may stop in flight: it has no idle that a hover could confirm")
        idle = bench.board.running.drive.idle_percent
        return seen.model_copy(update={"idle_flown": seen.idle_flown.with_said(idle, stopped=said == "a motor stopped")})

    def _volts(self, true_v: float) -> VoltsRead | None:
        """The board's reading beside the meter's; None where it has none, or where the pack is another than the one chosen: then a scale would be made of nothing."""
        bench = self._bench
        if true_v <= 0:
            raise MeterError("the meter reads 0 V: hold it to the pack's own leads, and read it again")
        if bench.motors_a > 0:
            raise MeterError("the motors turn, and the pack sags under them: stop them, and read the meter at rest")
        read, power, chosen = bench.read_v(), bench.board.running.power, bench.parts.pack
        if "voltage" not in bench.board_part.sensors or read <= 0 or not bench.board.powered:
            return None
        if chosen is not None and not could_have(chosen, true_v):
            return None
        voltage_scale(power.voltage_scale, shown_v(power, read), true_v, chosen)
        return VoltsRead(read_v=round(read, 4), true_v=true_v)

    def _amps(self, seen: AirframeMeasure, true_a: float) -> list[AmpsRead]:
        bench = self._bench
        if "current" not in bench.board_part.sensors:
            raise MeterError(f"the {bench.board_part.name} has no current sensor that could be set right")
        if not bench.board.powered or bench.read_v() <= 0:
            raise MeterError("no pack is plugged in: plug it in, and read both at the same moment")
        new = AmpsRead(read_a=round(bench.read_a(), 3), true_a=true_a)
        points = [each for each in seen.amps if abs(each.read_a - new.read_a) >= APART_A]  # a reading at about the same load takes the place of the older one
        points = sorted([*points[-1:], new], key=lambda each: each.read_a)
        if len(points) == 2:
            current_line((points[0].read_a, points[1].read_a), (points[0].true_a, points[1].true_a))
        return points

    def _charge(self, put_back_mah: float) -> ChargeRead:
        bench = self._bench
        if "current" not in bench.board_part.sensors:
            raise MeterError(f"the {bench.board_part.name} has no current sensor that could be set right")
        power, hours = bench.board.running.power, bench.drawn_s / 3600
        counted = shown_mah(power, bench.read_mah, hours)
        slope_by_charge(CurrentLine(slope=power.current_slope, offset_a=power.current_offset_a), counted, put_back_mah)
        return ChargeRead(read_mah=round(bench.read_mah, 1), hours=round(hours, 4), put_back_mah=put_back_mah)

    def seen_of_motors(self, motors: MotorsSeen) -> None:
        """What was seen of motors, where that is news."""
        if motors is not self.seen.motors:
            self.seen = self.seen.model_copy(update={"motors": motors})

    def see_surfaces(self, t: float) -> None:
        """Let the board feel how it is moved, and look at what its surfaces do."""
        seen = self._surfaces.watch(t, self.seen.surfaces)
        if seen is not self.seen.surfaces:
            self.seen = self.seen.model_copy(update={"surfaces": seen})

    def watch(self, t: float) -> None:
        """Take what is asked for once it has rested, and look at the compass, up to `t` (bench seconds)."""
        bench = self._bench
        awake = bench.board.powered and not bench.board.booting(t)
        came = (self.seen.asking is not None or bench.turning.drive.in_use) and bench.held.sample(t, awake=awake)
        if self.seen.asking is not None and came and len(bench.held.accelerometer) == bench.held.accelerometer.maxlen:
            before = self.seen
            self.seen = before.held(tuple(bench.held.accelerometer), tuple(bench.held.gyro), bench.board_part.usb)
            if self.seen is not before:
                bench.held.forget_samples()
        if not awake or t < self._compass_t:
            return
        self._compass_t = t + COMPASS_EVERY_S
        if bench.sees_compass:
            idea = bench.idea()
            if idea.tilt < 20:
                off = (idea.compass - idea.heading + 180) % 360 - 180
                self.seen = self.seen.compass(CompassAt(off_deg=round(off, 2), heading_deg=round(idea.heading, 1), motors_a=round(bench.motors_a, 2)))


_BODY = ("asking", "said", "poses", "found", "usb_so", "usb_not", "level", "positions", "calibration")
_COMPASS = ("compass_rest", "compass_motors", "heading_flown")
_POWER = ("pack_v", "volts", "cells_told", "amps", "charge")
