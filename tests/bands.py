"""Small made-up cases for suggested bands, and the best that trying every band on the grid can find."""

from __future__ import annotations

import random
from itertools import combinations, pairwise

from linkcore.devices.modes import exclude_each_other
from linkcore.hops.switchboard.clearance import band_clearance
from linkcore.hops.switchboard.detents import Detent
from linkcore.hops.switchboard.suggest import STEP_US

SCALE = (950.0, 1250.0)
LEAST_GAP_US = 45


def case(seed: int) -> tuple[list[Detent], dict[str, set[int]]]:
    """Detents of one switch, and at which of them two or three modes are to hold."""
    rng = random.Random(seed)
    count = rng.choice([2, 3])
    values = [0, 0]
    while min(b - a for a, b in pairwise(values)) < LEAST_GAP_US:
        values = sorted(rng.sample(range(1000, 1200, 2), count))
    detents = [Detent(low=us - rng.uniform(0, 4), high=us + rng.uniform(0, 4)) for us in values]
    names = rng.choice([("angle", "horizon"), ("angle", "beeper"), ("angle", "horizon", "beeper"), ("manual", "angle", "horizon")])[:count]
    places = rng.sample(range(count), count)
    return detents, {name: {places[index]} for index, name in enumerate(names)}


def best_by_trying_all(detents: list[Detent], wanted: dict[str, set[int]], scale: tuple[float, float] = SCALE) -> float | None:
    """The greatest least clearance of any set of bands on the grid that holds just what is wanted; None where there is none."""
    grid = [scale[0] + STEP_US * step for step in range(round((scale[1] - scale[0]) / STEP_US) + 1)]
    options = []
    for name, places in wanted.items():
        holding = [
            (band_clearance(low, high, detents), low, high, name)
            for low, high in combinations(grid, 2)
            if {index for index, detent in enumerate(detents) if low <= detent.value < high} == places
        ]
        options.append(sorted((each for each in holding if each[0] > 0), reverse=True))
    best = 0.0

    def go_on(chosen: list[tuple[float, float, float, str]]) -> None:
        nonlocal best
        if len(chosen) == len(options):
            best = max(best, min(each[0] for each in chosen))
            return
        for option in options[len(chosen)]:
            if option[0] <= best:
                return  # those that follow are no clearer
            if all(not exclude_each_other(option[3], other[3]) or option[2] <= other[1] or other[2] <= option[1] for other in chosen):
                go_on([*chosen, option])

    go_on([])
    return best or None
