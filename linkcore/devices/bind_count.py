"""Bind pulses that a board sends to a satellite, and what each count asks for."""

from __future__ import annotations

DSM_COUNTS: dict[str, tuple[int, ...]] = {"DSMX": (7, 8, 9, 10), "DSM2": (3, 4, 5, 6)}  # wire facts, section 3


ALONE: dict[str, tuple[int, ...]] = {"DSMX": (9, 7), "DSM2": (5, 3)}  # odd: the satellite is alone on the board


def counts_for(protocol: str) -> tuple[int, ...]:
    """The bind counts that make a satellite speak a protocol, the usual one first."""
    usual = ALONE.get(protocol, ())
    return (*usual, *(count for count in DSM_COUNTS.get(protocol, ()) if count not in usual))
