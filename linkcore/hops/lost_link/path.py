"""Where the craft is after the link has died: height and distance from home over time, in closed formulae (docs/calculations.md). What flies on the bench is integrated from forces and shares none of this."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace

from pydantic import BaseModel

from linkcore.craft.airframes import MULTIROTORS, WINGS
from linkcore.craft.document import CraftDocument, LostLink, Place, Response
from linkcore.devices.body import LAG_S, ROLLING, SPEEDING_MPS2, Body, G, carried_mps
from linkcore.devices.responses import ALONG_MPS2, BANK_DEG, CIRCLE_M, CLIMB_MPS, GROUND_MPS2, REACHED_M, UP_MPS2, Way, hover_thrust, turn_radius_m

LOOK_S = 15.0  # how much is shown of what has no end
NEAR_M = 0.05  # from its height: reached
POINTS = 14  # of each leg
FOREVER = math.inf

Of = Callable[[float], float]


class Whereabouts(BaseModel):
    """Where it is at a moment: s since the last radio frame, m above the ground, m from home."""

    t: float
    height_m: float
    distance_m: float


@dataclass
class Leg:
    """A stretch of the way, s from the last radio frame; `height` and `along` by the time since it began."""

    began: float
    ends: float
    height: Of
    along: Of


@dataclass
class WayOn:
    """The whole way: its legs, and when what happens; None for what never does. `down_mps`, `along_mps`: with which it comes to the ground."""

    legs: list[Leg] = field(default_factory=list)
    at_height_s: float | None = None
    home_s: float | None = None
    down_s: float | None = None
    motors_stop_s: float | None = None
    down_mps: float = 0.0
    along_mps: float = 0.0

    def at(self, t: float) -> tuple[float, float]:
        """(height, distance from home along the way) at a moment."""
        leg = next((each for each in self.legs if t <= each.ends), self.legs[-1])
        since = min(t, leg.ends) - leg.began
        return max(0.0, leg.height(since)), leg.along(since)

    def points(self, until: float) -> list[Whereabouts]:
        """The way as points, closer where legs are short."""
        times = sorted({0.0, *(t for leg in self.legs for t in _spread(leg.began, min(leg.ends, until), 2 * POINTS if leg.ends == FOREVER else POINTS))})
        return [Whereabouts(t=round(t, 3), height_m=round(height, 2), distance_m=round(abs(along), 2)) for t in times for height, along in (self.at(t),)]


def _spread(began: float, ends: float, points: int) -> Iterator[float]:
    return (began + (ends - began) * index / points for index in range(points + 1)) if ends > began else iter(())


def way_of(craft: CraftDocument, place: Place, does: Response, by: Way | None, *, from_s: float | None, least_home_m: float) -> WayOn:
    """The way of a craft whose board does `does` from `from_s` on (None: never; it flies on)."""
    body = Body.of(craft.airframe, place)
    way, speed = WayOn(), place.speed_mps + carried_mps(craft.airframe, place)
    until = FOREVER if from_s is None else from_s
    way.legs.append(Leg(0.0, until, lambda _: place.height_m, lambda t: place.home_m + speed * t))
    if from_s is None:
        return way
    start = _Start(from_s, place.height_m, place.home_m + speed * from_s, place)
    if craft.airframe in MULTIROTORS:
        _rotors(way, body, start, craft.settings.lost_link, does, by, least_home_m)
    elif craft.airframe in WINGS:
        _wing(way, body, start, craft.settings.lost_link, does, least_home_m)
    elif does in ("return home", "loiter"):
        _drive_home(way, body, start, craft.settings.lost_link, does, least_home_m)
    else:
        way.motors_stop_s = from_s
        way.legs.append(Leg(from_s, FOREVER, lambda _: 0.0, _drift(body, start)))
    return way


def cut_short(way: WayOn, craft: CraftDocument, place: Place, at_s: float) -> None:
    """The motors stop in the middle of a response: from there on it falls, or glides."""
    if way.motors_stop_s is not None and way.motors_stop_s <= at_s:
        return
    (height, along), (_, before) = way.at(at_s), way.at(at_s - 0.1)
    speed = abs((along - before) / 0.1 - carried_mps(craft.airframe, place))
    way.legs = [replace(leg, ends=min(leg.ends, at_s)) for leg in way.legs if leg.began < at_s]
    way.at_height_s, way.home_s = ((t if t is not None and t <= at_s else None) for t in (way.at_height_s, way.home_s))
    body, start = Body.of(craft.airframe, place), _Start(at_s, height, along, place.model_copy(update={"speed_mps": speed}))
    way.motors_stop_s, way.down_s = at_s, None
    if craft.airframe in MULTIROTORS:
        _fall(way, body, start, 1.0)
    elif craft.airframe in WINGS:
        _glide(way, body, start, banked=False, heading=0.0)


@dataclass(frozen=True)
class _Start:
    """Where a leg begins."""

    t: float
    height_m: float
    along_m: float
    place: Place


# --- multirotors ------------------------------------------------------------------------------------------------


def carried_along(body: Body, airspeed_mps: float, wind_mps: float) -> Of:
    """How far a body gets whose speed through the air drag takes away: w t + L ln(1 + u t / L), L = 2 m / (rho Cd A)."""
    length = body.drag_length_m
    return lambda t: wind_mps * t + math.copysign(length * math.log1p(abs(airspeed_mps) * t / length), airspeed_mps)


def _carried_mps(body: Body, place: Place, t: float) -> float:
    """How fast it is over the ground by then: w + u / (1 + u t / L)."""
    return place.wind_mps + place.speed_mps / (1 + place.speed_mps * t / body.drag_length_m)


def fall_s(height_m: float, terminal_mps: float, pull_mps2: float = G) -> float:
    """How long a fall with drag takes: (v/g) arcosh(e^(g h / v²)); `pull_mps2`: gravity less what holds it up."""
    if height_m <= 0:
        return 0.0
    if pull_mps2 <= 0:
        return FOREVER
    steps = pull_mps2 * height_m / terminal_mps**2
    grown = steps + math.log(2) if steps > 30 else math.acosh(math.exp(steps))
    return terminal_mps / pull_mps2 * grown


def fallen_m(terminal_mps: float, pull_mps2: float, t: float) -> float:
    """How far it has fallen: (v²/g) ln cosh(g t / v)."""
    at = pull_mps2 * t / terminal_mps
    return terminal_mps**2 / pull_mps2 * (at - math.log(2) if at > 20 else math.log(math.cosh(at)))


def _rotors(way: WayOn, body: Body, start: _Start, lost: LostLink, does: Response, by: Way | None, least_home_m: float) -> None:
    place = start.place
    if does == "motors off":
        way.motors_stop_s = start.t
        _fall(way, body, start, 1.0)
    elif does == "land" and by == "hover":
        held_up = body.thrust_by_weight(hover_thrust(lost))
        _fall(way, body, start, 1 - held_up)
        way.motors_stop_s = way.down_s
    elif does == "land":
        drift = carried_along(body, place.speed_mps, place.wind_mps)
        _come_down(way, lost, start.t, start.height_m, lambda t: start.along_m + drift(t))
        way.along_mps = _carried_mps(body, place, (way.down_s or start.t) - start.t)
    elif does == "return home":
        _fly_home(way, lost, start, least_home_m)


def _fall(way: WayOn, body: Body, start: _Start, heavy: float) -> None:
    """Down under its weight, `heavy` of which nothing holds up; at nothing or less it never comes down."""
    pull = G * heavy
    terminal = body.fall_mps * math.sqrt(max(0.0, heavy))
    takes = fall_s(start.height_m, terminal, pull) if heavy > 0 else FOREVER
    drift = carried_along(body, start.place.speed_mps, start.place.wind_mps)
    if heavy > 0:
        way.legs.append(Leg(start.t, start.t + takes, lambda t: start.height_m - fallen_m(terminal, pull, t), lambda t: start.along_m + drift(t)))
        way.down_s = start.t + takes
        way.down_mps = terminal * math.tanh(pull * takes / terminal)
        way.along_mps = _carried_mps(body, start.place, takes)
    else:
        rising = body.fall_mps * math.sqrt(-heavy)
        way.legs.append(Leg(start.t, FOREVER, lambda t: start.height_m + rising * t, lambda t: start.along_m + drift(t)))


def _come_down(way: WayOn, lost: LostLink, began: float, height_m: float, along: Of, up_mps: float = 0.0) -> None:
    """At the rate that is set, which it takes up evenly: h / r + r / 2a, where it did not climb before (`up_mps`)."""
    rate = lost.descent_mps
    evenly_s = (rate + up_mps) / UP_MPS2

    def height(t: float) -> float:
        if t < evenly_s:
            return height_m + up_mps * t - UP_MPS2 * t * t / 2
        return height_m + up_mps * evenly_s - UP_MPS2 * evenly_s**2 / 2 - rate * (t - evenly_s)

    left = height(evenly_s)
    takes = evenly_s + left / rate if left >= 0 else (up_mps + math.sqrt(up_mps**2 + 2 * UP_MPS2 * height_m)) / UP_MPS2
    way.legs.append(Leg(began, began + takes, height, along))
    way.down_s = way.motors_stop_s = began + takes
    way.down_mps = rate if left >= 0 else math.sqrt(up_mps**2 + 2 * UP_MPS2 * height_m)


def _speed(of: Of, t: float) -> float:
    """How fast a height changes at a moment, m/s."""
    return (of(t) - of(t - 1e-3)) / 1e-3 if t > 1e-3 else 0.0


def stretch_s(way_m: float, speed: float, quicker: float, near: float = 0.0) -> float:
    """How long a stretch takes from rest to rest with a greatest speed; `near`: of its end, what need not be covered."""
    if way_m <= near:
        return 0.0
    whole = way_m / speed + speed / quicker if way_m >= speed**2 / quicker else 2 * math.sqrt(way_m / quicker)
    return whole - math.sqrt(2 * near / quicker)


def covered_m(way_m: float, speed: float, quicker: float, t: float) -> float:
    """How much of such a stretch is behind it after t."""
    top = min(speed, math.sqrt(way_m * quicker)) if way_m > 0 else 0.0
    whole = stretch_s(way_m, speed, quicker)
    if t >= whole or way_m <= 0:
        return way_m
    up = top / quicker
    if t < up:
        return quicker * t * t / 2
    if t > whole - up:
        return way_m - quicker * (whole - t) ** 2 / 2
    return top * (t - up / 2)


def _fly_home(way: WayOn, lost: LostLink, start: _Start, least_home_m: float) -> None:
    place = start.place
    speed = place.speed_mps + place.wind_mps
    braked_s, braked_m = speed / ALONG_MPS2, start.along_m + speed**2 / (2 * ALONG_MPS2)

    def braking(t: float) -> float:
        return braked_m if t >= braked_s else start.along_m + speed * t - ALONG_MPS2 * t * t / 2

    if abs(start.along_m) <= least_home_m:
        _come_down(way, lost, start.t, start.height_m, braking)
        return
    target = max(start.height_m, float(lost.return_height_m))
    climb_m = target - start.height_m

    def climbing(t: float) -> float:
        return start.height_m + covered_m(climb_m, CLIMB_MPS, UP_MPS2, t)

    first = max(braked_s, stretch_s(climb_m, CLIMB_MPS, UP_MPS2, NEAR_M)) if lost.climb_first else braked_s
    turns = start.t + first
    way.at_height_s = turns if lost.climb_first else start.t + stretch_s(climb_m, CLIMB_MPS, UP_MPS2, NEAR_M)
    way.legs.append(Leg(start.t, turns, climbing, braking))
    ground = lost.return_mps - place.wind_mps
    if ground <= 0:
        way.legs.append(Leg(turns, FOREVER, lambda t: climbing(t + first), lambda t: braked_m - ground * t))
        return
    flies = stretch_s(braked_m, ground, ALONG_MPS2, REACHED_M)
    way.legs.append(Leg(turns, turns + flies, lambda t: climbing(t + first), lambda t: braked_m - covered_m(braked_m, ground, ALONG_MPS2, t)))
    home = way.home_s = turns + flies
    if lost.at_home == "land":
        _come_down(way, lost, home, climbing(first + flies), lambda _: 0.0, _speed(climbing, first + flies))
    else:
        way.legs.append(Leg(home, FOREVER, lambda _: target, lambda _: 0.0))


# --- wings ------------------------------------------------------------------------------------------------------


def _wing(way: WayOn, body: Body, start: _Start, lost: LostLink, does: Response, least_home_m: float) -> None:
    place = start.place
    if does in ("motors off", "land"):
        way.motors_stop_s = start.t
        _glide(way, body, start, banked=does == "land", heading=0.0)
    elif does == "loiter" or abs(start.along_m) <= least_home_m:
        climbs = does == "return home"
        way.legs.append(Leg(start.t, FOREVER, _climb(start, lost) if climbs else lambda _: start.height_m, _circle(start.along_m, place.speed_mps, 0.0)))
    else:
        _wing_home(way, body, start, lost)


def _glide(way: WayOn, body: Body, start: _Start, *, banked: bool, heading: float, up_mps: float = 0.0) -> None:
    """Without its motor it keeps its airspeed by going down, once it has taken that path."""
    speed, wind = start.place.speed_mps, start.place.wind_mps
    sink = body.sink_mps(speed, BANK_DEG if banked else 0.0)

    def height(t: float) -> float:
        bends = LAG_S * (1 - math.exp(-t / LAG_S))
        return start.height_m - sink * (t - bends) + up_mps * bends

    takes = _when(lambda t: -height(t), 0.0, (start.height_m + up_mps * LAG_S) / sink + 2 * LAG_S) if start.height_m > 0 else 0.0
    round_ = _circle(0.0, speed, heading)
    along = (lambda t: start.along_m + round_(t) + wind * t) if banked else (lambda t: start.along_m + (speed + wind) * t)
    way.legs.append(Leg(start.t, start.t + takes, height, along))
    way.down_s, way.down_mps, way.along_mps = start.t + takes, sink, speed + wind


def _circle(centre_m: float, airspeed_mps: float, heading: float) -> Of:
    """A wing that turns in a gentle bank: R (sin(heading + omega t) - sin(heading)), R = v² / (g tan phi)."""
    radius = turn_radius_m(airspeed_mps)
    omega = airspeed_mps / radius if radius else 0.0
    return lambda t: centre_m + radius * (math.sin(heading + omega * t) - math.sin(heading))


def _climb(start: _Start, lost: LostLink) -> Of:
    rise = max(0.0, lost.return_height_m - start.height_m)
    return lambda t: start.height_m + covered_m(rise, CLIMB_MPS, UP_MPS2, t)


def _wing_home(way: WayOn, body: Body, start: _Start, lost: LostLink) -> None:
    """Half a circle, then straight home, climbing from the first moment on."""
    place, speed = start.place, start.place.speed_mps
    radius = turn_radius_m(speed)
    turn_s = math.pi * radius / speed if speed else 0.0
    climb = _climb(start, lost)
    way.at_height_s = start.t + stretch_s(max(0.0, lost.return_height_m - start.height_m), CLIMB_MPS, UP_MPS2, NEAR_M)
    circle = _circle(start.along_m, speed, 0.0)
    way.legs.append(Leg(start.t, start.t + turn_s, climb, lambda t: circle(t) + place.wind_mps * t))
    turned_m = start.along_m + place.wind_mps * turn_s

    def back(t: float) -> float:
        """How far it has come towards home since it has turned."""
        other = lost.return_mps - speed
        changing = abs(other) / SPEEDING_MPS2
        quicker = math.copysign(SPEEDING_MPS2, other)
        through = speed * t + quicker * t * t / 2 if t < changing else (speed + lost.return_mps) / 2 * changing + lost.return_mps * (t - changing)
        return through - place.wind_mps * t

    if lost.return_mps <= place.wind_mps:
        way.legs.append(Leg(start.t + turn_s, FOREVER, lambda t: climb(t + turn_s), lambda t: turned_m - back(t)))
        return
    to_go = turned_m - CIRCLE_M
    slowest = min(speed, lost.return_mps) - place.wind_mps
    flies = _when(back, to_go, to_go / max(0.1, slowest) + 4 * abs(lost.return_mps - speed) + 1) if to_go > 0 else 0.0
    way.legs.append(Leg(start.t + turn_s, start.t + turn_s + flies, lambda t: climb(t + turn_s), lambda t: turned_m - back(t)))
    home = way.home_s = start.t + turn_s + flies
    here = _Start(home, climb(turn_s + flies), turned_m - back(flies), place)
    if lost.at_home == "land":
        way.motors_stop_s = home
        other = lost.return_mps - speed
        airspeed = speed + math.copysign(min(abs(other), SPEEDING_MPS2 * flies), other)  # as far as it has changed by then
        slow = replace(here, place=place.model_copy(update={"speed_mps": airspeed}))
        _glide(way, body, slow, banked=True, heading=math.pi, up_mps=_speed(climb, turn_s + flies))
    else:
        way.legs.append(Leg(home, FOREVER, lambda t: climb(t + turn_s + flies), _circle(here.along_m, lost.return_mps, math.pi)))


def _when(of: Of, reaches: float, at_most: float) -> float:
    """When a growing function reaches a value."""
    low, high = 0.0, at_most
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (low, middle) if of(middle) >= reaches else (middle, high)
    return high


# --- boats and rovers -------------------------------------------------------------------------------------------


def _drive_home(way: WayOn, body: Body, start: _Start, lost: LostLink, does: Response, least_home_m: float) -> None:
    """Braked evenly, then it stays, or goes back the same way; at home its motors stop, or it stays there."""
    carried = carried_mps(body.airframe, start.place)
    speed, ground = start.place.speed_mps + carried, min(lost.return_mps, body.top_mps) - carried
    braked_s, braked_m = speed / GROUND_MPS2, start.along_m + speed**2 / (2 * GROUND_MPS2)

    def braking(t: float) -> float:
        return braked_m if t >= braked_s else start.along_m + speed * t - GROUND_MPS2 * t * t / 2

    if does == "loiter" or abs(start.along_m) <= least_home_m:
        way.legs.append(Leg(start.t, FOREVER, lambda _: 0.0, braking))
        return
    turns = start.t + braked_s
    way.legs.append(Leg(start.t, turns, lambda _: 0.0, braking))
    if ground <= 0:
        way.legs.append(Leg(turns, FOREVER, lambda _: 0.0, lambda t: braked_m - ground * t))
        return
    home = way.home_s = turns + stretch_s(braked_m, ground, GROUND_MPS2, REACHED_M)
    way.legs.append(Leg(turns, home, lambda _: 0.0, lambda t: braked_m - covered_m(braked_m, ground, GROUND_MPS2, t)))
    if lost.at_home == "land":
        way.motors_stop_s = home
        here = replace(start, t=home, along_m=REACHED_M, place=start.place.model_copy(update={"speed_mps": 0.0}))
        way.legs.append(Leg(home, FOREVER, lambda _: 0.0, _drift(body, here)))
    else:
        way.legs.append(Leg(home, FOREVER, lambda _: 0.0, lambda _: 0.0))


def _drift(body: Body, start: _Start) -> Of:
    """A boat is carried off by the current once its own way is spent; a rover rolls until it stands: v t - a t² / 2."""
    place = start.place
    if body.airframe == "boat":
        carried = carried_along(body, place.speed_mps, place.wind_mps)
        return lambda t: start.along_m + carried(t)
    slower = ROLLING * G / 4
    stands = place.speed_mps / slower

    def rolled(t: float) -> float:
        t = min(t, stands)
        return start.along_m + place.speed_mps * t - slower * t * t / 2

    return rolled
