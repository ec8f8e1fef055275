"""Made-up sessions of a pilot who moves sticks, for the channel finder and for travel: seeded, with jitter, bumps, mixes and every order, mode and reversal."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from itertools import permutations, product

from linkcore.craft.document import ChannelSetup
from linkcore.devices.gimbals import PLACES, STICKS
from linkcore.devices.model_memory import in_counts, law_us, output_us
from linkcore.hops.sticks.travel import Places, plan_travel, stick_value
from linkcore.parts.axes import STICK_AXES, STICK_OF_LETTER
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import EndsLaw, Transmitter

ORDERS = ["".join(order) for order in permutations("AETR")]
PUSHES = {"aileron": 1, "elevator": 2, "rudder": 3}
PERIOD_S = 0.02


@dataclass
class Session:
    """What is so (`order`, `reversed`, `mode`, `mix`), and what arrives: (t, channels us, thumbs)."""

    order: str
    mode: int
    reversed: set[str]
    mix: tuple[str, str, float] | None
    samples: list[tuple[float, list[float], list[float]]] = field(default_factory=list)

    def channel(self, axis: str) -> int:
        """Where an axis arrives."""
        return next(index + 1 for index, letter in enumerate(self.order) if STICK_OF_LETTER[letter] == axis)


def session(seed: int, jitter_us: float = 4.0) -> Session:
    """One pilot's go at all four sticks."""
    rng = random.Random(seed)
    order, mode = rng.choice(ORDERS), rng.randint(1, 4)
    turned = {axis for axis in STICK_AXES if rng.random() < 0.4}
    mix = None
    if rng.random() < 0.15:
        source, to = rng.sample(["aileron", "elevator", "rudder"], 2)
        mix = (source, to, rng.choice([-1, 1]) * rng.uniform(0.12, 0.4))
    made = Session(order, mode, turned, mix)
    stick = dict.fromkeys(STICK_AXES, 0.0)
    stick["throttle"] = -1.0
    jitter, travel, delay = rng.uniform(0, jitter_us), rng.uniform(380, 520), rng.randint(0, 3)
    queue = [dict(stick)] * (delay + 1)
    switch = 1000.0

    def tick() -> None:
        queue.append(dict(stick))
        seen = queue.pop(0)
        channels = []
        for letter in order:
            axis = STICK_OF_LETTER[letter]
            value = seen[axis] + (mix[2] * seen[mix[0]] if mix and mix[1] == axis else 0.0)
            channels.append(1500 + max(-1.0, min(1.0, value)) * travel * (-1 if axis in turned else 1) + rng.uniform(-jitter, jitter))
        channels += [switch, 1500.0, 2000.0, 1000.0]
        by_place = {place: stick[axis] for axis, place in STICKS[mode].items()}
        made.samples.append((round(len(made.samples) * PERIOD_S, 3), channels, [by_place[place] for place in PLACES]))

    def go(axis: str, to: float, seconds: float, bump: tuple[str, float] | None = None) -> None:
        start, steps = stick[axis], max(2, round(seconds / PERIOD_S))
        rest = stick[bump[0]] if bump else 0.0
        for step in range(1, steps + 1):
            stick[axis] = start + (to - start) * step / steps
            if bump:
                stick[bump[0]] = rest + bump[1] * max(0.0, 1 - abs(2 * step / steps - 1))
            tick()
        if bump:
            stick[bump[0]] = rest

    def still(seconds: float) -> None:
        for _ in range(round(seconds / PERIOD_S)):
            tick()

    still(1.6)
    for axis in rng.sample(sorted(STICK_AXES), 4):
        others = [other for other in STICK_AXES if other != axis]
        bump = (rng.choice(others), rng.choice([-1, 1]) * rng.uniform(0.05, 0.35)) if rng.random() < 0.2 else None
        if bump and bump[0] == "throttle":
            bump = ("throttle", abs(bump[1]) if stick["throttle"] < 0 else -abs(bump[1]))
        pace = rng.uniform(0.12, 0.35)
        if axis == "throttle":
            go(axis, 1.0, 2 * pace, bump)
        else:
            for _ in range(PUSHES[axis]):
                end = rng.uniform(0.85, 1.0)
                go(axis, end, pace, bump)
                bump = None
                still(rng.uniform(0.02, 0.3))
                if rng.random() < 0.5:
                    go(axis, -end, 2 * pace)
                    still(rng.uniform(0.02, 0.2))
                go(axis, 0.0, pace)
                still(rng.uniform(0.04, 0.3))
        still(rng.uniform(1.4, 2.2) + (2.0 if axis == "throttle" else 0.0))
    return made


def dialling_case(seed: int) -> tuple[Transmitter, ChannelSetup, tuple[float, float, float]]:
    """A transmitter with a law of ends of its own, a channel as it is dialled, and what its stick gives low, let go and high."""
    rng = random.Random(seed)
    law = EndsLaw(
        sub_trim_step_us=rng.choice([1, 2, 4]),
        travel_step_percent=rng.choice([0.5, 1]),
        sub_trim_moves_ends=rng.random() < 0.5,
        straight=rng.choice([0, 0, 0.5, 1]),
    )
    part = shipped().of(Transmitter, "harrow-16").model_copy(update={"ends": law, "us_at_100": rng.choice([400, 450, 512]), "count_us": rng.choice([0.5, 1.0])})
    channel = ChannelSetup(
        source="aileron", sub_trim_us=rng.choice([0, -40, 30]), travel_low_percent=rng.randint(70, 120), travel_high_percent=rng.randint(70, 120)
    )
    return part, channel, (rng.uniform(-1, -0.84), rng.uniform(-0.05, 0.05), rng.uniform(0.84, 1))


def better_dials(seed: int, reach: int = 5) -> tuple[float, float, float] | None:
    """Dials about those that were worked out that bring centre, then ends, nearer to where they may be: found by trying all. None where there are none."""
    part, channel, stick = dialling_case(seed)
    if seed % 2:
        stick = (stick[0] * 0.7, *stick[1:])  # an end that no travel reaches
    low, centre, high = (in_counts(output_us(channel, value, part), part) for value in stick)
    plan = plan_travel(1, channel, part, Places(low=low, centre=centre, high=high))
    if not plan.edits:
        return None
    values, ends = [stick_value(us, channel, part) for us in (low, centre, high)], part.ends
    end, middle = max(1.0, ends.travel_step_percent * part.us_at_100 / 200), max(1.0, ends.sub_trim_step_us / 2)

    def left(dials: tuple[float, float, float]) -> tuple[float, float]:
        seen = [law_us(value, dials, part) for value in values]
        beyond = [max(0.0, abs(us - wish) / may - 1) for us, wish, may in zip(seen, (1000, 1500, 2000), (end, middle, end), strict=True)]
        return round(beyond[1], 5), round(beyond[0] + beyond[2], 5)

    found, most = plan.dial.figures, part.max_travel_percent
    best = left(found)
    for turns in product(range(-reach, reach + 1), repeat=3):
        trim, *travels = (dial + turn * step for dial, turn, step in zip(found, turns, (ends.sub_trim_step_us, *[ends.travel_step_percent] * 2), strict=True))
        if abs(trim) <= ends.sub_trim_max_us and all(0 <= each <= most for each in travels) and left((trim, *travels)) < best:
            return trim, travels[0], travels[1]
    return None


def advice_repeats(seed: int) -> bool:
    """Whether dials that were recommended and turned are recommended again, after others: measured each time with counts and jitter."""
    rng = random.Random(seed)
    part = rng.choice(shipped().all_of(Transmitter))
    ends, most = part.ends, part.max_travel_percent
    dialled = [float(rng.randint(70, most)) for _ in range(2)]
    channel = ChannelSetup(source="aileron", sub_trim_us=round(rng.randint(-60, 60) / ends.sub_trim_step_us) * ends.sub_trim_step_us)
    channel = channel.model_copy(update={"travel_low_percent": dialled[0], "travel_high_percent": dialled[1]})
    stick, springs = (-rng.uniform(0.85, 1.05), rng.uniform(-0.06, 0.06), rng.uniform(0.85, 1.05)), rng.random() < 0.8
    turned: list[tuple[float, float, float]] = []
    for _ in range(8):
        low, centre, high = (in_counts(output_us(channel, value, part) + rng.gauss(0, 0.35), part) for value in stick)
        plan = plan_travel(1, channel, part, Places(low=low - rng.random(), centre=centre if springs else None, high=high + rng.random()))
        if not plan.edits:
            return False
        if plan.dial.figures in turned:
            return True
        turned.append(plan.dial.figures)
        channel = channel.model_copy(update=plan.dial.model_dump())
    return True
