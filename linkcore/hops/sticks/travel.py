"""Centre and ends: what to dial into a transmitter so that a channel runs from 1000 over 1500 to 2000 us, and what to expect then.

What was measured is traced back through the transmitter's own law of ends to what the stick itself gives; the same law then says what any other
sub-trim and travels would make of it. So centre and ends are solved together where they pull at each other (docs/sticks.md).
"""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from linkcore.craft.document import ChannelSetup
from linkcore.devices.model_memory import CENTRE_US, in_counts, law_us, output_us
from linkcore.findings import Edit
from linkcore.parts.models import Transmitter

LOW_US, HIGH_US = 1000.0, 2000.0
NARROW, WIDE = 3, 10  # steps of every dial to either side that are tried together
Figures = tuple[float, float, float]
REACHED_US = 1.0
NOISE_US = 1.0  # by how much the extremes of a held stick lie beyond its mean; our figure for gimbals as the bench has them


class Places(BaseModel):
    """Three places of a channel, us; the centre None for a stick that does not spring back."""

    low: float
    centre: float | None
    high: float


TARGET = Places(low=LOW_US, centre=CENTRE_US, high=HIGH_US)


class Dials(BaseModel):
    """Sub-trim (us) and both travels (percent), as they stand on the transmitter."""

    sub_trim_us: float
    travel_low_percent: float
    travel_high_percent: float

    @classmethod
    def of(cls, channel: ChannelSetup) -> Dials:
        """As the model memory has them."""
        return cls(sub_trim_us=channel.sub_trim_us, travel_low_percent=channel.travel_low_percent, travel_high_percent=channel.travel_high_percent)

    @property
    def figures(self) -> tuple[float, float, float]:
        """Sub-trim, low and high travel."""
        return self.sub_trim_us, self.travel_low_percent, self.travel_high_percent


class TravelPlan(BaseModel):
    """What to dial for one channel, what to expect, and what cannot be reached."""

    channel: int
    measured: Places
    now: Dials
    dial: Dials
    predicted: Places
    unreachable: list[str]
    edits: list[Edit]


def predict_dialled(before: ChannelSetup, after: ChannelSetup, part: Transmitter, measured: Places) -> Places | None:
    """Where a channel will be seen that was measured as dialled `before` and is dialled otherwise now; None where more than its dials has changed."""
    if before.model_copy(update=Dials.of(after).model_dump()) != after:
        return None
    low, *rest = (in_counts(law_us(stick_value(us, before, part), Dials.of(after).figures, part), part) for us in _three(measured))
    return Places(low=low, centre=rest[0] if measured.centre is not None else None, high=rest[-1])


def beside_predicted(expected: Places, measured: Places, part: Transmitter) -> str:
    """Whether a channel came to where it was predicted, in words; both were rounded to raw counts."""
    pairs = ((expected.low, measured.low), (expected.centre, measured.centre), (expected.high, measured.high))
    worst = max(abs(wish - us) for wish, us in pairs if wish is not None and us is not None)
    return "as predicted" if worst <= near_us(part) else f"{worst:.0f} us off what was predicted"


def dials_in_words(plan: TravelPlan) -> str:
    """What is to be turned, such as: sub-trim +3 us, low travel 147 %."""
    now, dial = plan.now, plan.dial
    words = [f"sub-trim {dial.sub_trim_us:+g} us"] if dial.sub_trim_us != now.sub_trim_us else []
    words += [f"low travel {dial.travel_low_percent:g} %"] if dial.travel_low_percent != now.travel_low_percent else []
    words += [f"high travel {dial.travel_high_percent:g} %"] if dial.travel_high_percent != now.travel_high_percent else []
    return ", ".join(words)


def stick_value(us: float, channel: ChannelSetup, part: Transmitter) -> float:
    """What a stick gives where its channel is seen at `us`: the law of ends, backwards. Beyond its ends the last slope goes on."""
    rest, low, high = (output_us(channel, value, part) for value in (0.0, -1.0, 1.0))
    far = high - rest if us >= rest else rest - low
    return (us - rest) / far if abs(far) > 1e-9 else 0.0


def tolerance_us(part: Transmitter) -> float:
    """How near every place can be dialled, us: half a step of what moves it, but 1 us at least."""
    return max(_allowed(3, part))


def near_us(part: Transmitter) -> float:
    """How near a place is seen that is dialled as well as can be, us: a raw count is rounded on top."""
    return tolerance_us(part) + part.count_us


def plan_travel(number: int, channel: ChannelSetup, part: Transmitter, measured: Places, target: Places = TARGET) -> TravelPlan:
    """What to dial for channel `number` (from 1), from where it was measured with the present model memory.

    Where a place cannot be reached whatever is dialled, only a gain that no reading's flicker explains is worth a turn: else advice would follow advice.
    """
    values = [stick_value(us, channel, part) for us in _three(measured)]
    wanted = _three(target if measured.centre is not None else target.model_copy(update={"centre": None}))
    now = Dials.of(channel)
    near = near_us(part) + NOISE_US  # a reading that flickers about the line asks for nothing
    if all(abs(us - wish) <= near for us, wish in zip(_three(measured), wanted, strict=True)):
        return TravelPlan(channel=number, measured=measured, now=now, dial=now, predicted=measured, unreachable=[], edits=[])
    dial = _solve(values, wanted, now, part, fixed_centre=measured.centre is None)
    seen = [in_counts(us, part) for us in _predict(values, dial.figures, part)]
    predicted = Places(low=seen[0], centre=seen[1] if measured.centre is not None else None, high=seen[-1])
    unreachable = _out_of_reach(predicted, dial, part, target)
    off, left = ([abs(us - wish) for us, wish in zip(_predict(values, dials.figures, part), wanted, strict=True)] for dials in (now, dial))
    better = max(off) > near if all(us <= near for us in left) else _gains(off, left, near)
    path = f"/transmitter/channels/{number - 1}"
    changed = [name for name in Dials.model_fields if getattr(dial, name) != getattr(now, name)] if better else []
    edits = [Edit(path=f"{path}/{name}", value=getattr(dial, name)) for name in changed]
    if not edits:
        dial, predicted = now, measured
    return TravelPlan(channel=number, measured=measured, now=now, dial=dial, predicted=predicted, unreachable=unreachable, edits=edits)


def _gains(off: list[float], left: list[float], near: float) -> bool:
    """Whether what is left is less than what was off by more than `near`: at the centre, and where that stays, at both ends together. All us."""
    centre = off[1] - left[1] if len(off) == 3 else 0.0
    ends = off[0] + off[-1] - left[0] - left[-1]
    return centre > near or (centre >= -near and ends > near)


def _three(places: Places) -> list[float]:
    return [places.low, places.high] if places.centre is None else [places.low, places.centre, places.high]


def _predict(values: list[float], dials: tuple[float, float, float], part: Transmitter) -> list[float]:
    return [law_us(value, dials, part) for value in values]


def _out_of_reach(predicted: Places, dial: Dials, part: Transmitter, target: Places) -> list[str]:
    """What comes out farther off than steps and raw counts excuse, and which limit keeps it there."""
    ends, most = part.ends, part.max_travel_percent
    travels = (("low", dial.travel_low_percent), ("high", dial.travel_high_percent))
    limits = [f"{name} travel is at its limit of {most} %" for name, at in travels if at > most - ends.travel_step_percent]
    limits += [f"sub-trim is at its limit of {ends.sub_trim_max_us:g} us"] if abs(dial.sub_trim_us) > ends.sub_trim_max_us - ends.sub_trim_step_us else []
    otherwise = "on this transmitter the ends shift the centre" if ends.straight else "its steps are too coarse"
    why = " and ".join(limits) or otherwise
    low, centre, high = (may + part.count_us / 2 for may in _allowed(3, part))
    places = (("low end", predicted.low, target.low, low), ("centre", predicted.centre, target.centre, centre), ("high end", predicted.high, target.high, high))
    return [
        f"the {name} comes to {us:.0f} us and not to {wish:.0f}: {why}"
        for name, us, wish, may in places
        if us is not None and wish is not None and abs(us - wish) > may
    ]


def _solve(values: list[float], wanted: list[float], now: Dials, part: Transmitter, *, fixed_centre: bool) -> Dials:
    """The dials within this transmitter's steps and limits that bring the centre, then the ends to where they may be; of those the nearest.

    The centre comes first: the board steadies about it, and an end that cannot be reached must not drag it off.
    """
    most_trim, most = part.ends.sub_trim_max_us, float(part.max_travel_percent)
    trim, ends = now.sub_trim_us, (now.travel_low_percent, now.travel_high_percent)
    for _ in range(0 if fixed_centre else 40):  # centre and ends in turn; each pulls less at the others with every round
        trim = max(-most_trim, min(most_trim, trim + wanted[1] - _predict(values, (trim, *ends), part)[1]))
        ends = _ends_for(trim, ends, values, wanted, part, rounds=1)

    steps = (part.ends.sub_trim_step_us, part.ends.travel_step_percent, part.ends.travel_step_percent)
    limits = ((-most_trim, most_trim), (0.0, most), (0.0, most))
    kept = now.sub_trim_us if fixed_centre else trim
    exact = (kept, *_ends_for(kept, ends, values, wanted, part, rounds=20))
    start = [max(least, min(limit, round(dial / step) * step)) for dial, step, (least, limit) in zip(exact, steps, limits, strict=True)]
    trim, low, high = _best_near((kept if fixed_centre else start[0], start[1], start[2]), values, wanted, part, fixed_trim=fixed_centre)
    return Dials(sub_trim_us=trim, travel_low_percent=low, travel_high_percent=high)


def _best_near(dials: Figures, values: list[float], wanted: list[float], part: Transmitter, *, fixed_trim: bool) -> Figures:
    """The best on the dials' steps in a window about these; the window follows for as long as something better is in it.

    Where a limit holds one dial the others can give way to it, by more than a step. The law is linear in the dials, so a whole window is one product.
    """
    ends, most = part.ends, float(part.max_travel_percent)
    steps = np.array([ends.sub_trim_step_us, ends.travel_step_percent, ends.travel_step_percent])
    least, limit = np.array([-ends.sub_trim_max_us, 0.0, 0.0]), np.array([ends.sub_trim_max_us, most, most])
    base = np.array([law_us(value, (0.0, 0.0, 0.0), part) for value in values])
    units: list[Figures] = [(1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)]
    slopes = np.array([[law_us(value, unit, part) for value in values] for unit in units]) - base
    may, target, middle = np.array(_allowed(len(values), part)), np.array(wanted), 0 if fixed_trim else 1
    reach, best = NARROW, np.round(np.array(dials), 6)
    while True:
        turns = np.arange(-reach, reach + 1)
        grid = best + steps * np.stack(np.meshgrid([0] if fixed_trim else turns, turns, turns, indexing="ij"), axis=-1).reshape(-1, 3)
        grid = np.round(grid[np.all((grid >= least - 1e-9) & (grid <= limit + 1e-9), axis=1)], 6)
        shares = np.abs(base + grid @ slopes - target) / may
        beyond = np.maximum(0.0, shares - 1)
        centre = beyond[:, middle] if not fixed_trim else np.zeros(len(grid))
        keys = (shares.sum(axis=1), shares.max(axis=1).round(6), (beyond[:, 0] + beyond[:, -1]).round(6), centre.round(6))
        first = int(np.lexsort(keys)[0])
        if np.array_equal(grid[first], best):
            if reach == WIDE or beyond[first].max() == 0.0:
                return float(best[0]), float(best[1]), float(best[2])
            reach = WIDE
        best = grid[first]


def _ends_for(trim: float, ends: tuple[float, float], values: list[float], wanted: list[float], part: Transmitter, *, rounds: int) -> tuple[float, float]:
    """Both travels, percent, that bring the ends to where they are wanted with this sub-trim; steps aside, limits kept."""
    low, high = ends
    per_percent, most = part.us_at_100 / 100, float(part.max_travel_percent)
    for _ in range(rounds):
        seen = _predict(values, (trim, low, high), part)
        low += (seen[0] - wanted[0]) / max(0.2, -values[0]) / per_percent
        high += (wanted[-1] - seen[-1]) / max(0.2, values[-1]) / per_percent
        low, high = (max(0.0, min(most, travel)) for travel in (low, high))
    return low, high


def _allowed(places: int, part: Transmitter) -> list[float]:
    """What each place may be off, us: half a step of what moves it, but 1 us at least."""
    end, centre = max(REACHED_US, part.ends.travel_step_percent * part.us_at_100 / 200), max(REACHED_US, part.ends.sub_trim_step_us / 2)
    return [end, end] if places == 2 else [end, centre, end]
