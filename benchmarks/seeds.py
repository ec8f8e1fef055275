"""The seeds of what is seeded: `./bell bench --seed N` takes others."""

from __future__ import annotations

_first = 0


def begin_at(seed: int) -> None:
    """Let every seeded measure take seeds of its own, by this number."""
    global _first
    _first = seed


def seeds(count: int) -> range:
    """As many seeds; other numbers give others."""
    return range(_first * 100_000, _first * 100_000 + count)
