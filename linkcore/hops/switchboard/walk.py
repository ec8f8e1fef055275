"""The order of fewest flips through the rows of a truth table that are still to be seen."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

Places = tuple[int, ...]
EXACT = 8


def flips(one: Sequence[int], other: Sequence[int]) -> int:
    """How many switches differ."""
    return sum(a != b for a, b in zip(one, other, strict=True))


def shortest_walk(missing: Sequence[Places], at: Places) -> list[Places]:
    """All missing rows in an order that takes few flips from `at`: the fewest possible for up to eight rows; beyond, always the nearest, and of the
    nearest the one with fewest neighbours left, so that no row is left behind alone."""
    left = sorted(set(missing))
    return _exact(tuple(left), at) if len(left) <= EXACT else _nearest(left, at)


def flips_of(walk: Sequence[Places], at: Places) -> int:
    """How many flips a walk takes."""
    return sum(flips(here, there) for here, there in zip([at, *walk], walk, strict=False))


def _exact(rows: tuple[Places, ...], at: Places) -> list[Places]:
    @cache
    def best(here: int, left: int) -> tuple[int, tuple[int, ...]]:
        if not left:
            return 0, ()
        place = at if here < 0 else rows[here]
        options = []
        for index in range(len(rows)):
            if left >> index & 1:
                cost, order = best(index, left & ~(1 << index))
                options.append((cost + flips(place, rows[index]), (index, *order)))
        return min(options)

    return [rows[index] for index in best(-1, (1 << len(rows)) - 1)[1]]


def _nearest(rows: list[Places], at: Places) -> list[Places]:
    left, walk = set(rows), []
    size = [max(row[index] for row in (*rows, at)) + 1 for index in range(len(at))]

    @cache
    def neighbours(row: Places) -> list[Places]:
        return [(*row[:index], place, *row[index + 1 :]) for index in range(len(row)) for place in range(size[index]) if place != row[index]]

    open_beside = {row: sum(other in left for other in neighbours(row)) for row in left}
    while left:
        near = [at] if at in left else [row for row in neighbours(at) if row in left]
        at = min(near, key=lambda row: (open_beside[row], row)) if near else _closest(left, at)
        left.discard(at)
        walk.append(at)
        for row in neighbours(at):
            if row in left:
                open_beside[row] -= 1
    return walk


def _closest(rows: set[Places], at: Places) -> Places:
    return min(rows, key=lambda row: (flips(row, at), row))
