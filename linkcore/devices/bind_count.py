"""Bind pulses that a board sends to a satellite, and what each count asks for (wire facts, section 3)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class SatelliteSpeech:
    """How a satellite speaks once it was bound by a count. `internal`: with a system byte; else it counts its fades in 16 bits there, as one beside an internal receiver does."""

    protocol: str
    period_s: float
    internal: bool
    system: int


_KINDS = (("DSM2", 0.022, 0x01), ("DSM2", 0.011, 0x12), ("DSMX", 0.022, 0xA2), ("DSMX", 0.011, 0xB2))
SPEECH: dict[int, SatelliteSpeech] = {
    3 + 2 * at + external: SatelliteSpeech(protocol, period_s, not external, system)
    for at, (protocol, period_s, system) in enumerate(_KINDS)
    for external in (0, 1)
}
ALONE: dict[str, tuple[int, ...]] = {"DSMX": (9, 7), "DSM2": (5, 3)}  # odd: the satellite is alone on the board


def counts_for(protocol: str) -> tuple[int, ...]:
    """The bind counts that make a satellite speak a protocol, the usual one first."""
    usual = ALONE.get(protocol, ())
    return (*usual, *(count for count, speech in SPEECH.items() if speech.protocol == protocol and count not in usual))


def speech_after(count: int, can: Iterable[str]) -> SatelliteSpeech | None:
    """How a satellite speaks that was bound by this count; `can`: the protocols that it knows. One that knows no DSMX comes down to DSM2.

    None for a count that asks for nothing.
    """
    asked, known = SPEECH.get(count), set(can)
    if asked is None or asked.protocol in known:
        return asked
    below = next((each for each in SPEECH.values() if each.protocol == "DSM2" and (each.period_s, each.internal) == (asked.period_s, asked.internal)), asked)
    return below if asked.protocol == "DSMX" and "DSM2" in known else asked
