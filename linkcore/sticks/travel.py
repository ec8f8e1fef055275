"""Centre and ends: what to dial into a transmitter so that a channel runs from 1000 over 1500 to 2000 us, and what to expect then.

What was measured is traced back through the transmitter's own law of ends to what the stick itself gives; the same law then says what any other
sub-trim and travels would make of it. So centre and ends are solved together where they pull at each other (docs/sticks.md).
"""

from __future__ import annotations

from itertools import product

from pydantic import BaseModel

from linkcore.craft.document import ChannelSetup
from linkcore.findings import Edit
from linkcore.parts.models import Transmitter
from linkcore.sticks.memory import CENTRE_US, in_counts, law_us, output_us

LOW_US, HIGH_US = 1000.0, 2000.0
REACHED_US = 1.0


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

    @property
    def right_already(self) -> bool:
        """Whether nothing is left to mend."""
        return not self.edits


def stick_value(us: float, channel: ChannelSetup, part: Transmitter) -> float:
    """What a stick gives where its channel is seen at `us`: the law of ends, backwards. Beyond its ends the last slope goes on."""
    rest, low, high = (output_us(channel, value, part) for value in (0.0, -1.0, 1.0))
    far = high - rest if us >= rest else rest - low
    return (us - rest) / far if abs(far) > 1e-9 else 0.0


def tolerance_us(part: Transmitter) -> float:
    """How near a place can be dialled, us: half a step of what moves it, but 1 us at least."""
    return max(REACHED_US, part.ends.travel_step_percent * part.us_at_100 / 200, part.ends.sub_trim_step_us / 2)


def plan_travel(number: int, channel: ChannelSetup, part: Transmitter, measured: Places, target: Places = TARGET) -> TravelPlan:
    """What to dial for channel `number` (from 1), from where it was measured with the present model memory."""
    values = [stick_value(us, channel, part) for us in _three(measured)]
    wanted = _three(target if measured.centre is not None else target.model_copy(update={"centre": None}))
    now = Dials.of(channel)
    dial = _solve(values, wanted, now, part, fixed_centre=measured.centre is None)
    seen = [in_counts(us, part) for us in _predict(values, dial.figures, part)]
    predicted = Places(low=seen[0], centre=seen[1] if measured.centre is not None else None, high=seen[-1])
    near = tolerance_us(part) + part.count_us / 2
    unreachable = []
    for name, us, wish, dialled, most in (
        ("low end", predicted.low, target.low, dial.travel_low_percent, part.max_travel_percent),
        ("high end", predicted.high, target.high, dial.travel_high_percent, part.max_travel_percent),
    ):
        if abs(us - wish) > near:
            limit = f"travel is at its limit of {most} %" if dialled >= most else "its steps are too coarse"
            unreachable.append(f"the {name} comes to {us:.0f} us and not to {wish:.0f}: {limit}")
    if predicted.centre is not None and abs(predicted.centre - CENTRE_US) > near:
        at_limit = abs(dial.sub_trim_us) >= part.ends.sub_trim_max_us
        limit = f"sub-trim is at its limit of {part.ends.sub_trim_max_us:g} us" if at_limit else "its steps are too coarse"
        unreachable.append(f"the centre comes to {predicted.centre:.0f} us and not to 1500: {limit}")
    better = _worst(_predict(values, now.figures, part), wanted) - _worst(_predict(values, dial.figures, part), wanted) > 0.3
    path = f"/transmitter/channels/{number - 1}"
    changed = [name for name in Dials.model_fields if getattr(dial, name) != getattr(now, name)] if better else []
    edits = [Edit(path=f"{path}/{name}", value=getattr(dial, name)) for name in changed]
    if not edits:
        dial, predicted = now, measured
    return TravelPlan(channel=number, measured=measured, now=now, dial=dial, predicted=predicted, unreachable=unreachable, edits=edits)


def _three(places: Places) -> list[float]:
    return [places.low, places.high] if places.centre is None else [places.low, places.centre, places.high]


def _predict(values: list[float], dials: tuple[float, float, float], part: Transmitter) -> list[float]:
    return [law_us(value, dials, part) for value in values]


def _worst(seen: list[float], wanted: list[float]) -> float:
    return max(abs(us - wish) for us, wish in zip(seen, wanted, strict=True))


def _solve(values: list[float], wanted: list[float], now: Dials, part: Transmitter, *, fixed_centre: bool) -> Dials:
    """The dials within this transmitter's steps and limits whose worst place is nearest to what is wanted; among equals the smallest sum of errors."""
    step, most_trim, most = part.ends.travel_step_percent, part.ends.sub_trim_max_us, float(part.max_travel_percent)
    trim, low, high = now.figures
    for _ in range(40):  # centre and ends in turn; each pulls less at the others with every round
        if not fixed_centre:
            trim += wanted[1] - _predict(values, (trim, low, high), part)[1]
            trim = max(-most_trim, min(most_trim, trim))
        seen = _predict(values, (trim, low, high), part)
        per_percent = part.us_at_100 / 100
        low += (seen[0] - wanted[0]) / max(0.2, -values[0]) / per_percent
        high += (wanted[-1] - seen[-1]) / max(0.2, values[-1]) / per_percent
        low, high = (max(0.0, min(most, travel)) for travel in (low, high))
    trims = [now.sub_trim_us] if fixed_centre else _near(trim, part.ends.sub_trim_step_us, -most_trim, most_trim, 3)
    lows, highs = (_near(travel, step, 0, most, 2) for travel in (low, high))

    def rank(dials: tuple[float, float, float]) -> tuple[float, float]:
        errors = [abs(us - wish) for us, wish in zip(_predict(values, dials, part), wanted, strict=True)]
        return round(max(errors), 6), sum(errors)

    trim, low, high = min(product(trims, lows, highs), key=rank)
    return Dials(sub_trim_us=trim, travel_low_percent=low, travel_high_percent=high)


def _near(value: float, step: float, least: float, most: float, reach: int) -> list[float]:
    """Steps of a dial about a value, within its limits."""
    middle = round(value / step)
    return sorted({round(max(least, min(most, (middle + away) * step)), 6) for away in range(-reach, reach + 1)})
