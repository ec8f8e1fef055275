"""What would read this line? Settings near those of the port, tried by sampling the line with them; and what to do where the board cannot."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import ReceiverInput
from linkcore.findings import Mend
from linkcore.hops.line.identify import read_with
from linkcore.parts.models import Board, Pad
from linkcore.protocols.base import Wire
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.signal.edges import Edges

READS_SHARE = 0.5


@dataclass(frozen=True)
class Reading:
    """Settings that read the line, and what they differ in from the port's. `possible`: whether the board can do that on this pad; else `why_not`."""

    settings: ReceiverInput
    good_share: float
    changes: tuple[str, ...]
    possible: bool = True
    why_not: str = ""

    @property
    def protocol(self) -> str:
        """The protocol that reads it."""
        return str(self.settings.protocol)

    @property
    def inverted(self) -> bool:
        """Whether the levels must be turned over."""
        return self.settings.inverted


def what_would_read(edges: Edges, end_s: float, chosen: ReceiverInput, board: Board | None = None, pad: Pad | None = None) -> list[Reading]:
    """Settings under which at least half of the frames at the pad are whole, fewest changes first, then the greatest share.

    The wire decides on half duplex: it runs on a TX pad. Without a board every inversion counts as possible.
    """
    found = []
    half = chosen.half_duplex if pad is None else pad.kind == "tx"
    for spec in RECEIVER_PROTOCOLS.values():
        tried = [(polarity, read_with(edges, end_s, spec, polarity)) for polarity in (False, True)]
        if spec.wire == "PPM":  # either polarity reads alike; the one that is set needs no change
            tried.sort(key=lambda pair: pair[0] != chosen.inverted)
            tried = tried[:1]
        for polarity, tally in tried:
            if tally.good_share >= READS_SHARE:
                settings = ReceiverInput(protocol=spec.name, inverted=polarity, half_duplex=half and spec.wire == "serial")
                why_not = _cannot(board, pad, settings, spec.wire)
                found.append(Reading(settings, tally.good_share, _changes(chosen, settings), not why_not, why_not))
    if any(reading.protocol == "PPM" for reading in found):  # the spaces between separators are as wide as PWM's pulses
        found = [reading for reading in found if reading.protocol != "PWM"]
    return sorted(found, key=lambda reading: (len(reading.changes), -reading.good_share))


def _changes(chosen: ReceiverInput, settings: ReceiverInput) -> tuple[str, ...]:
    changes = []
    if settings.protocol != chosen.protocol:
        changes.append(f"protocol {settings.protocol}")
    if settings.inverted != chosen.inverted:
        changes.append("inverted" if settings.inverted else "not inverted")
    if settings.half_duplex != chosen.half_duplex:
        changes.append("half duplex" if settings.half_duplex else "full duplex")
    return tuple(changes)


def _cannot(board: Board | None, pad: Pad | None, settings: ReceiverInput, wire: Wire) -> str:
    """Why the board cannot do it on this pad; empty where it can."""
    if board is None or pad is None:
        return ""
    if wire != "serial":
        able = [each.name for each in board.pads if wire in each.reads]
        return "" if wire in pad.reads else f"{pad.name} has no timer to measure {wire} with" + (f"; {', '.join(able)} can" if able else "")
    if pad.kind == "input":
        return f"{pad.name} measures pulses; bytes need a port"
    if not settings.inverted or board.can_invert(pad):
        return ""
    if pad.kind == "tx" and pad.inverter != "none":
        return f"the inverter on {pad.name} passes one way only"
    return f"{pad.name} cannot invert: an {board.mcu} class UART has no inversion of its own, and no inverter sits on this pad"


def set_so(way: Reading) -> tuple[Mend, ...]:
    """The settings that read it, as a mend; none where nothing changes."""
    text = f"Set the port to {' and '.join(way.changes)} (tried: {way.good_share:.0%} whole)"
    return (Mend(text=text, edits=way.settings.edits()),) if way.changes else ()
