"""Centre and ends: what to dial into a transmitter so that a channel runs from 1000 over 1500 to 2000 us, and what to expect then.

What was measured is traced back through the transmitter's own law of ends to what the stick itself gives; the same law then says what any other
sub-trim and travels would make of it. So centre and ends are solved together where they pull at each other (docs/sticks.md).
"""

from __future__ import annotations

from itertools import product

from pydantic import BaseModel

from linkcore.craft.document import ChannelSetup
from linkcore.devices.model_memory import CENTRE_US, in_counts, law_us, output_us
from linkcore.findings import Edit
from linkcore.parts.models import Transmitter

LOW_US, HIGH_US = 1000.0, 2000.0
REACHED_US = 1.0
NOISE_US = 1.0  # by how much the extremes of a held stick lie beyond its mean; our figure for gimbals as the bench has them
LEAST_GAIN = 0.05  # of what a place may be off; less is not worth a turn of a dial


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
    """What to dial for channel `number` (from 1), from where it was measured with the present model memory."""
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
    off, left = (_shares(_predict(values, dials.figures, part), wanted, part) for dials in (now, dial))
    better = max(off) > 1 and sum(left) < sum(off) - LEAST_GAIN
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


def _shares(seen: list[float], wanted: list[float], part: Transmitter) -> list[float]:
    """How far each place is off, in shares of what it may be."""
    return [abs(us - wish) / may for us, wish, may in zip(seen, wanted, _allowed(len(seen), part), strict=True)]


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

    def rank(dials: tuple[float, float, float]) -> tuple[float, ...]:
        shares = _shares(_predict(values, dials, part), wanted, part)
        beyond = [max(0.0, share - 1) for share in shares]
        centre = 0.0 if fixed_centre else beyond[1]
        return round(centre, 6), round(beyond[0] + beyond[-1], 6), round(max(shares), 6), sum(shares)

    choices: list[tuple[float, float, float]] = []
    for stepped in [now.sub_trim_us] if fixed_centre else _near(trim, part.ends.sub_trim_step_us, -most_trim, most_trim, 3):
        lows, highs = (_near(travel, part.ends.travel_step_percent, 0, most, 1) for travel in _ends_for(stepped, ends, values, wanted, part, rounds=20))
        choices += product([stepped], lows, highs)
    trim, low, high = min(choices, key=rank)
    return Dials(sub_trim_us=trim, travel_low_percent=low, travel_high_percent=high)


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


def _near(value: float, step: float, least: float, most: float, reach: int) -> list[float]:
    """Steps of a dial about a value, within its limits."""
    middle = round(value / step)
    return sorted({round(max(least, min(most, (middle + away) * step)), 6) for away in range(-reach, reach + 1)})
