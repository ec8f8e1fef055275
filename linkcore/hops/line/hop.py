"""Line: what is on the wire, and whether the port reads it."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.port import PortReading
from linkcore.findings import Finding
from linkcore.hop import Hop
from linkcore.hops.line.codes import CODES
from linkcore.hops.line.proofs import PORT_READS
from linkcore.hops.line.rules import LineNow, check_line
from linkcore.hops.line.view import LineTold, tell
from linkcore.hops.signal import SIGNAL
from linkcore.reads import Reads, View


class Listened(Protocol):
    """What is looked at of a running bench."""

    @property
    def line_now(self) -> LineNow | None:
        """What can be said of the wire and the port; None before the board has run for a moment."""
        ...

    def port_reading(self) -> PortReading:
        """The last second at the receiver port."""
        ...


def line(_: View, seen: Listened | None) -> list[Finding]:
    """Can the board read its receiver?"""
    now = seen.line_now if seen is not None else None
    return check_line(**vars(now)) if now is not None else []


def frames_a_second(_: View, seen: Listened | None) -> str:
    """The one value: good frames a second."""
    if seen is None:
        return "–"
    reading = seen.port_reading()
    return f"{reading.good} good/s" if reading.good or reading.bad or reading.bytes else "silent"


def flows(seen: Listened) -> bool:
    """Whether good frames come."""
    return seen.port_reading().good > 0


def to_begin(view: View) -> frozenset[str]:
    """That nothing is heard, while no wire was planned at all."""
    return frozenset() if view.craft.wiring else frozenset({"line.no-port", "line.dead"})


HOP = Hop(
    key="line",
    title="Line",
    question="What is on the wire, and can the port read it?",
    reads=Reads(*SIGNAL, "firmware"),
    sees=line,
    codes=CODES,
    proofs=(PORT_READS,),
    to_begin=to_begin,
    value=frames_a_second,
    flows=flows,
    tells=LineTold,
    tell=tell,
)
