"""What is dangerous in where the craft goes after the link has died: heights, wind, charge, people, and who or what waits at the end of the way."""

from __future__ import annotations

import math
from collections.abc import Iterator

from linkcore.craft.airframes import FLYERS, MULTIROTORS, WINGS
from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.craft.places import place_of
from linkcore.devices.body import Body, carried_mps, charge_left_mah, charge_mah
from linkcore.devices.responses import CLIMB_MPS, hover_thrust, lands_by
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.lost_link.timeline import Prediction

CHECK = Check("lost link")
AIR_ABOVE_M = 10.0  # above what is to be cleared
DRIFT_HPA = 0.5  # by which the air's pressure may change in a flight
M_PER_HPA = 8.0  # near the ground (ISO 2533)
CEILING_M = 120  # EU 2019/947: 120 m; FCC part 107: 400 feet
TOP_SHARE = 0.9  # of what a boat can, that leaves something to steer by (ours)
WIND_SHARE = 0.8
SOFT_MPS = 3.0  # what a landing gear takes, down or along (ours)
DIVE_MPS = 5.0  # how fast a pilot brings it down with throttle low (ours)


def clearance_parts(craft: CraftDocument) -> list[tuple[str, float]]:
    """What the return height must clear, each with what it is: obstacles, rise of the ground, air above, the barometer's drift, and its error in the wind of flight (v² / 2g)."""
    place, speed = place_of(craft), craft.settings.lost_link.return_mps
    parts = [("what stands around", place.obstacle_height_m), ("rise of the ground", max(0.0, place.rise_m)), ("air above it", AIR_ABOVE_M)]
    parts.append(("barometer's drift", DRIFT_HPA * M_PER_HPA))
    if not place.vented:
        parts.append(("barometer in the wind of flight", speed**2 / 2 / 9.81))
    return [(what, round(metres, 1)) for what, metres in parts if metres]


def clear_line_m(craft: CraftDocument) -> float:
    """The lowest height at which a return clears what stands around."""
    return round(sum(metres for _, metres in clearance_parts(craft)), 1)


def charge_home_mah(craft: CraftDocument, parts: KitParts, predicted: Prediction) -> float | None:
    """What the way home takes out of the pack, climb and descent included; None without a pack or where it never comes home."""
    if parts.pack is None or predicted.home_s is None:
        return None
    place, lost = place_of(craft), craft.settings.lost_link
    body = Body.of(craft.airframe, place)
    ends = predicted.down_s if predicted.down_s is not None else predicted.home_s
    climb_s = max(0.0, lost.return_height_m - place.height_m) / CLIMB_MPS
    return charge_mah(parts.pack, body.power_w(lost.return_mps), ends) + charge_mah(
        parts.pack, body.power_w(lost.return_mps, CLIMB_MPS) - body.power_w(lost.return_mps), climb_s
    )


def flies_on_s(craft: CraftDocument, parts: KitParts) -> float | None:
    """How long the pack lasts with nobody at the sticks."""
    if parts.pack is None:
        return None
    place = place_of(craft)
    body = Body.of(craft.airframe, place)
    charge = parts.pack.capacity_mah * place.pack_left_percent / 100
    return charge / charge_mah(parts.pack, body.power_w(place.speed_mps), 1.0)


def check_place(craft: CraftDocument, parts: KitParts, predicted: Prediction) -> list[Finding]:
    """What is dangerous on the way."""
    if _begins_s(predicted) is None:
        return []
    found = [*_ends(craft, predicted), *_late(craft, predicted)]
    if predicted.does == "return home":
        found += [*(_heights(craft) if craft.airframe in FLYERS else ()), *_wind(craft), *_charge(craft, parts, predicted), *_at_home(craft)]
    if predicted.does == "land":
        found += _landing(craft, parts, predicted)
    return found


def _begins_s(predicted: Prediction) -> float | None:
    """When something is done about the loss, by the board or by the receiver's own values."""
    return predicted.reacts_s if predicted.reacts_s is not None else predicted.responds_s


def _setting(name: str, value: object) -> Edit:
    return Edit(path=f"/settings/lost_link/{name}", value=value)


def _at(name: str, what: str) -> At:
    return At.setting(f"/settings/lost_link/{name}", what)


def _place(name: str, what: str) -> At:
    return At.setting(f"/place/{name}", what)


def _heights(craft: CraftDocument) -> Iterator[Finding]:
    lost, place, line = craft.settings.lost_link, place_of(craft), clear_line_m(craft)
    sums = " + ".join(f"{metres:g}" for _, metres in clearance_parts(craft))
    if lost.return_height_m < line and place.height_m < line:
        wanted = math.ceil(line)
        yield CHECK.stop(
            "lostlink.low-return",
            _at("return_height_m", "return height"),
            f"The return height is {lost.return_height_m} m; {line:g} m clear what stands around ({sums}).",
            "It flies into what stands around, or counts on a barometer that is righter than barometers are.",
            Mend(text=f"Set the return height to {wanted} m", edits=(_setting("return_height_m", wanted),)),
        )
    elif place.height_m < line and place.obstacle_height_m > 0 and (craft.airframe in WINGS or not lost.climb_first):
        low_s = (line - place.height_m) / CLIMB_MPS
        mends = [] if craft.airframe in WINGS else [Mend(text="Climb first, then turn home", edits=(_setting("climb_first", True),))]
        yield CHECK.warn(
            "lostlink.low-path",
            _at("return_height_m", "return height"),
            f"It climbs on the way: for {low_s:.0f} s, {low_s * lost.return_mps:.0f} m long, it is lower than {line:g} m.",
            "What stands in that stretch is not cleared.",
            *(mends or [Mend(text=f"Fly no lower than {line:.0f} m where something stands between you and the craft")]),
        )
    if max(lost.return_height_m, place.height_m) > CEILING_M:
        yield CHECK.warn(
            "lostlink.over-ceiling",
            _at("return_height_m", "return height"),
            f"It returns at {max(lost.return_height_m, place.height_m):g} m; the ceiling is {CEILING_M} m above the ground.",
            "Above it other aircraft count on free air.",
            Mend(text=f"Set the return height to {CEILING_M} m", edits=(_setting("return_height_m", CEILING_M),))
            if place.height_m <= CEILING_M and line <= CEILING_M
            else Mend(text=f"Fly no higher than {CEILING_M} m, where nothing higher stands around"),
        )


def _wind(craft: CraftDocument) -> Iterator[Finding]:
    lost, place = craft.settings.lost_link, place_of(craft)
    top = Body.of(craft.airframe, place).top_mps
    if lost.return_mps > TOP_SHARE * top:
        slower = max(2.0, math.floor(10 * TOP_SHARE * top) / 10)  # the slowest that can be set
        mends = (Mend(text=f"Set the return speed to {slower:g} m/s", edits=(_setting("return_mps", slower),)),) if slower <= TOP_SHARE * top else ()
        yield CHECK.warn(
            "lostlink.too-fast",
            _at("return_mps", "return speed"),
            f"It shall come home at {lost.return_mps:g} m/s; at full power it makes {top:.1f} m/s through the water.",
            "It comes home later than that, if the current lets it.",
            *(mends or (Mend(text="Give it more thrust, or stay where the current brings it home"),)),
        )
        if place.wind_mps >= top:
            yield CHECK.stop(
                "lostlink.never-home",
                _place("wind_mps", "current"),
                f"The current is {place.wind_mps:g} m/s; at full power it makes {top:.1f} m/s through the water.",
                "Against that current it never comes home.",
                Mend(text="Give it more thrust, or stay downstream of it"),
            )
        return
    faster = math.ceil(place.wind_mps / WIND_SHARE) + 1
    mend = Mend(text=f"Set the return speed to {faster} m/s", edits=(_setting("return_mps", faster),))
    if place.wind_mps >= lost.return_mps:
        yield CHECK.stop(
            "lostlink.never-home",
            _at("return_mps", "return speed"),
            f"The wind is {place.wind_mps:g} m/s, the return speed {lost.return_mps:g} m/s.",
            "Against that wind it never comes home.",
            mend,
        )
    elif place.wind_mps >= WIND_SHARE * lost.return_mps:
        yield CHECK.warn(
            "lostlink.slow-home",
            _at("return_mps", "return speed"),
            f"The wind is {place.wind_mps:g} m/s, the return speed {lost.return_mps:g} m/s: it comes home at {lost.return_mps - place.wind_mps:.1f} m/s.",
            "A little more wind, and it never arrives.",
            mend,
        )


def _charge(craft: CraftDocument, parts: KitParts, predicted: Prediction) -> Iterator[Finding]:
    needs = charge_home_mah(craft, parts, predicted)
    if needs is None or parts.pack is None or predicted.home_s is None:
        return
    left = charge_left_mah(parts.pack, place_of(craft))
    if needs > left:
        yield CHECK.warn(
            "lostlink.charge",
            _place("pack_left_percent", "pack"),
            f"Coming home takes {predicted.home_s:.0f} s and {needs:.0f} mAh; {left:.0f} are left above the reserve.",
            "It comes down on the way, where nobody looks.",
            Mend(text="Turn round earlier, or take a larger pack", go="kit"),
        )


def _at_home(craft: CraftDocument) -> Iterator[Finding]:
    lost, place = craft.settings.lost_link, place_of(craft)
    if craft.airframe in WINGS and lost.at_home == "land" and not place.somebody_home:
        yield CHECK.warn(
            "lostlink.nobody-home",
            _at("at_home", "at home"),
            "It lands at home, and nobody is there.",
            "A wing that comes down without its motor goes where the wind has it.",
            Mend(text="Let it circle at home", edits=(_setting("at_home", "circle"),)),
        )
    if lost.without_home == "motors off":
        yield CHECK.warn(
            "lostlink.no-home",
            _at("without_home", "without a home"),
            "While there is no home it arms all the same, and its motors stop when the link dies.",
            "You have said so. Under open sky a home takes a minute.",
            Mend(text="Do not arm without a home", edits=(_setting("without_home", "no arming"),)),
        )


def _landing(craft: CraftDocument, parts: KitParts, predicted: Prediction) -> Iterator[Finding]:
    place, lost = place_of(craft), craft.settings.lost_link
    if lands_by(lost, craft.airframe, parts.sensors) == "hover":
        held = Body.of(craft.airframe, place).thrust_by_weight(hover_thrust(lost))
        if held >= 1:
            yield CHECK.stop(
                "lostlink.climbs",
                _at("hover_percent", "hover throttle"),
                f"At a hover throttle of {lost.hover_percent:g} % its motors pull {held:.2f} times its weight.",
                "It climbs instead of coming down, until its pack is empty.",
                Mend(text="Measure the throttle at which it hovers, and set that", go="lost link"),
            )
            return
    if place.water and craft.airframe in MULTIROTORS:
        yield CHECK.warn(
            "lostlink.water", _place("water", "water"), "It lands, and below it is water.", "Nobody finds it again.", _another_response(craft, parts)
        )
    if predicted.down_mps > SOFT_MPS and craft.airframe in MULTIROTORS:
        yield CHECK.warn(
            "lostlink.hard-landing",
            _at("descent_mps", "rate of descent"),
            f"It comes down at {predicted.down_mps:.1f} m/s.",
            f"Above {SOFT_MPS:g} m/s legs and propellers break.",
            Mend(text="Fit a barometer, so that it knows how fast it comes down", go="kit"),
        )
    if predicted.along_mps > SOFT_MPS and craft.airframe in MULTIROTORS:
        yield CHECK.warn(
            "lostlink.fast-landing",
            _place("wind_mps", "wind"),
            f"It comes down level and is carried along: it touches the ground at {predicted.along_mps:.1f} m/s, {_drift_m(predicted):.0f} m from where it began.",
            "At that speed it tumbles.",
            _another_response(craft, parts),
        )


def _drift_m(predicted: Prediction) -> float:
    begun = next((point.distance_m for point in predicted.path if predicted.reacts_s is not None and point.t >= predicted.reacts_s - 1e-3), 0.0)
    return abs(predicted.path[-1].distance_m - begun) if predicted.path else 0.0


def _another_response(craft: CraftDocument, parts: KitParts) -> Mend:
    can_return = "GPS" in parts.sensors and "magnetometer" in parts.sensors and "barometer" in parts.sensors
    if can_return:
        return Mend(text="Let it return home", edits=(_setting("response", "return home"),))
    return Mend(text="Fit what a return home needs, GPS and magnetometer; or fly where it may come down")


def _ends(craft: CraftDocument, predicted: Prediction) -> Iterator[Finding]:
    """Where and how it comes to the ground, or is carried to."""
    place = place_of(craft)
    home_m = place.home_m
    if place.people_m is not None and predicted.down_s is not None and predicted.does in ("motors off", "land"):
        footprint = abs(predicted.path[-1].distance_m - home_m)
        if footprint > place.people_m:
            yield CHECK.warn(
                "lostlink.people",
                _place("people_m", "people"),
                f"It comes down up to {footprint:.0f} m from where the link dies; people are {place.people_m:g} m away.",
                "It may come down among them.",
                Mend(text="Fly lower, slower, or farther from people"),
            )
    if place.energy_limit_j is not None and predicted.down_s is not None and predicted.does in ("motors off", "land"):
        strikes = Body.of(craft.airframe, place).energy_j(predicted.down_mps, predicted.along_mps)
        if strikes > place.energy_limit_j:
            yield CHECK.warn(
                "lostlink.energy",
                _place("energy_limit_j", "energy"),
                f"It strikes the ground with {strikes:.0f} J; you allow {place.energy_limit_j:g} J.",
                "Energy is what hurts.",
                Mend(text="Fly lower, or let it come down by a response that is slower than a fall"),
            )
    if craft.airframe == "boat" and place.obstacle_m is not None and place.wind_mps > 0 and predicted.does == "motors off":
        yield CHECK.warn(
            "lostlink.drift",
            _place("obstacle_m", "shore"),
            f"The current takes it to shore or obstacle, {place.obstacle_m:g} m away, in {place.obstacle_m / place.wind_mps / 60:.0f} min.",
            "It drifts from the moment in which its drives stop.",
            Mend(text="Have a second boat or a line at hand, or go upstream of where you stand"),
        )


def _late(craft: CraftDocument, predicted: Prediction) -> Iterator[Finding]:
    """It goes on straight ahead until the board reacts."""
    place = place_of(craft)
    speed = place.speed_mps + carried_mps(craft.airframe, place)
    begins = _begins_s(predicted)
    if place.obstacle_m is not None and begins is not None and begins * speed > place.obstacle_m:
        yield CHECK.warn(
            "lostlink.late",
            _place("obstacle_m", "obstacle"),
            f"It goes on for {begins:.1f} s, {begins * speed:.0f} m; the next obstacle is {place.obstacle_m:g} m ahead.",
            "It gets there before the board reacts.",
            Mend(text="Shorten the grace, or keep farther away"),
        )
