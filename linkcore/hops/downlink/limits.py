"""At which value to be warned, and why: worked out from the pack, the alarm line and the place, never a number from nowhere."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from pydantic import BaseModel

from linkcore.craft.document import Alarm, AlarmSet, CraftDocument, Notice
from linkcore.craft.parts import KitParts
from linkcore.craft.places import place_of
from linkcore.devices.body import RESERVE_PERCENT, Body
from linkcore.devices.pack import open_volts
from linkcore.devices.sensors import TELLINGS
from linkcore.hops.downlink.ages import Ages
from linkcore.parts.models import Pack
from linkcore.parts.sensor_names import SensorName
from linkcore.wiring.way_home import way_home

CALM_S = 3.0  # a punch of throttle is over by then (ours)
GONE_S = 2.0  # no telemetry for so long is no gap any more (ours)
FULL_THROTTLE = 4.0  # of the current under way, what a punch of throttle draws (ours)


CEILING_M = 120.0
SIGNALS: Mapping[str, tuple[SensorName, str]] = {"rssi_dbm": ("RSSI", "dBm"), "rssi_percent": ("RSSI", "%"), "lq_percent": ("LQ", "%")}


class Limit(BaseModel):
    """An alarm as worked out, `alarm` None where it cannot be; `because`: why so, or why not."""

    notice: Notice
    alarm: Alarm | None
    because: str


def current_a(craft: CraftDocument, pack: Pack) -> float:
    """What the craft draws under way, by its body."""
    place = place_of(craft)
    return Body.of(craft.airframe, place).power_w(place.speed_mps) / pack.nominal_volts


def far_m(craft: CraftDocument) -> float:
    """Where a craft is farther than was meant: twice what the pilot said."""
    home_m = place_of(craft).home_m
    return float(round(2 * home_m)) if home_m else 200.0


def flight_s(craft: CraftDocument, pack: Pack) -> float:
    """How long the pack lasts under way until only its reserve is left."""
    return 3600 * pack.capacity_mah / 1000 * (1 - RESERVE_PERCENT / 100) / max(0.1, current_a(craft, pack))


def sag_v(pack: Pack, amperes: float) -> float:
    """By how much a cell stands lower under a load."""
    return amperes * pack.cell_mohm / 1000 / pack.parallel


def limits(craft: CraftDocument, parts: KitParts, reckoned: Ages | None) -> list[Limit]:
    """For all that a pilot may have to notice."""
    way = way_home(craft, parts)
    if way is None:
        return []
    carried = [each.sensor for each in TELLINGS[way.protocol].carries if reckoned is None or each.sensor in reckoned.every_s]
    found = [pack_limit(craft, parts, carried), _signal(craft, carried, way.protocol)]
    slowest = (
        max((every for sensor, every in reckoned.every_s.items() if sensor in ("cell voltage", "voltage", "LQ", "RSSI")), default=1.0) if reckoned else 1.0
    )
    often = min(reckoned.every_s.values(), default=1.0) if reckoned else 1.0
    gone = round(max(GONE_S, 3 * often), 1)
    found.append(
        Limit(
            notice="telemetry gone",
            alarm=Alarm(notice="telemetry gone", delay_s=gone, told=["spoken"], repeat_s=5),
            because=f"Something comes every {often:.1f} s; after {gone:g} s without anything it is gone. Turn back: control may still hold. Until then no other alarm can ring, the slowest for up to {slowest:.1f} s.",
        )
    )
    if "flight mode" in carried:
        found.append(
            Limit(
                notice="wrong mode",
                alarm=Alarm(notice="wrong mode", sensor="flight mode", told=["spoken"], repeat_s=0),
                because="The board tells its mode; each change is spoken.",
            )
        )
    else:
        found.append(
            Limit(notice="wrong mode", alarm=None, because=f"{way.protocol} does not carry the flight mode: what a switch says is not what the board does.")
        )
    place = place_of(craft)
    if "position" in carried:
        found.append(
            Limit(
                notice="too far",
                alarm=Alarm(notice="too far", sensor="position", limit=far_m(craft), above=True, hysteresis=10, told=["spoken"]),
                because=f"Twice as far as you said that you fly, {place.home_m:g} m.",
            )
        )
    if "height" in carried:
        found.append(
            Limit(
                notice="too high",
                alarm=Alarm(notice="too high", sensor="height", limit=CEILING_M, above=True, hysteresis=2, told=["spoken"]),
                because=f"{CEILING_M:g} m above the ground is the ceiling of the open category (Regulation (EU) 2019/947).",
            )
        )
    return found


def pack_limit(craft: CraftDocument, parts: KitParts, carried: Collection[SensorName]) -> Limit:
    """When the pack runs low, by the first of what can be told of it."""
    pack = parts.pack
    if pack is None:
        return Limit(notice="pack low", alarm=None, because="No pack is chosen in the Kit, so nobody knows its cells.")
    amperes = current_a(craft, pack)
    cell = open_volts(pack, RESERVE_PERCENT / 100) / pack.cells
    sag = sag_v(pack, amperes)
    rest_s = 3600 * pack.capacity_mah / 1000 * RESERVE_PERCENT / 100 / max(0.1, amperes)
    last = f"{rest_s:.0f} s" if rest_s < 100 else f"{rest_s / 60:.0f} min"
    stands = f"a {pack.chemistry} cell stands at {cell:.2f} V, and {sag:.2f} V lower at the {amperes:.1f} A of steady flight"
    why = f"With {RESERVE_PERCENT:.0f} % left {stands}; that lasts {last} more. A punch of throttle is over in {CALM_S:g} s."
    if "cell voltage" in carried:
        return Limit(
            notice="pack low",
            alarm=Alarm(notice="pack low", sensor="cell voltage", limit=round(cell - sag, 2), hysteresis=0.1, delay_s=CALM_S, told=["spoken"]),
            because=why,
        )
    if "voltage" in carried:
        limit = round(pack.cells * (cell - sag), 1)
        return Limit(
            notice="pack low",
            alarm=Alarm(notice="pack low", sensor="voltage", limit=limit, hysteresis=0.1 * pack.cells, delay_s=CALM_S, told=["spoken"]),
            because=f"{why} Times {pack.cells} cells.",
        )
    if "charge left" in carried:
        return Limit(notice="pack low", alarm=Alarm(notice="pack low", sensor="charge left", limit=RESERVE_PERCENT, hysteresis=5, told=["spoken"]), because=why)
    return Limit(notice="pack low", alarm=None, because="Nothing that is told says how far the pack is down.")


def _signal(craft: CraftDocument, carried: list[SensorName], protocol: str) -> Limit:
    line = craft.alarm
    if line is None:
        return Limit(notice="signal weak", alarm=None, because="No flight's log has given an alarm line yet: Lost link works one out.")
    sensor, unit = SIGNALS[line.signal]
    told = TELLINGS[protocol].of(sensor)
    if told is None or sensor not in carried:
        return Limit(notice="signal weak", alarm=None, because=f"The alarm line is one of {sensor} in {unit}, and {protocol} does not carry that.")
    if told.unit != unit:
        return Limit(
            notice="signal weak",
            alarm=None,
            because=f"The alarm line is in {unit}; {protocol} tells {sensor} in {told.unit}. A log with {sensor} in {told.unit} would give one.",
        )
    return Limit(
        notice="signal weak",
        alarm=Alarm(notice="signal weak", sensor=sensor, limit=line.line, hysteresis=3, delay_s=0.5, told=["spoken"]),
        because=said_of(line),
    )


def said_of(line: AlarmSet) -> str:
    """Where an alarm line comes from."""
    unit = SIGNALS[line.signal][1]
    begins = f"loss begins at {line.begins_at:g} {unit}" + (" or lower, for the log gave only a bound" if line.only_a_bound else "")
    return f"By {line.log or 'a flight'}: {begins}; the line stands {abs(line.line - line.begins_at):g} {'points' if unit == '%' else 'dB'} above."


def same_scale(line: AlarmSet, alarm: Alarm, craft: CraftDocument, parts: KitParts) -> bool:
    """Whether an alarm's limit is told as the alarm line is: the same sensor, in the same unit."""
    way, (sensor, unit) = way_home(craft, parts), SIGNALS[line.signal]
    carried = TELLINGS[way.protocol].of(sensor) if way else None
    return alarm.sensor == sensor and carried is not None and carried.unit == unit
