"""Sticks: four axes in their order, to both ends, at rest in the middle."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from linkcore.devices.port import LinkState
from linkcore.findings import Finding
from linkcore.hop import Hop
from linkcore.hops.sticks.codes import CODES
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.sticks.proofs import ENDS_AND_MIDDLE
from linkcore.hops.sticks.rules import check_sticks
from linkcore.hops.sticks.view import SticksTold, tell
from linkcore.parts.axes import AXES
from linkcore.proofs import Proof
from linkcore.reads import Reads, View


class Moved(Protocol):
    """What is looked at of a running bench."""

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks as measured."""
        ...

    @property
    def board_link(self) -> LinkState:
        """What the board makes of its receiver."""
        ...


def sticks(view: View, seen: Moved | None) -> list[Finding]:
    """What can be said of model memory, order, and reach."""
    return check_sticks(view.craft, view.parts, seen.sticks if seen is not None else None) if view.parts.whole else []


def axes_counted(view: View, seen: Moved | None) -> str:
    """The one value: how many axes do all that they must."""
    if seen is None:
        return "–"
    return f"{sum(seen.sticks.verdict(axis, view.craft.settings.stick_lines)[0] for axis in AXES)} of {len(AXES)} axes"


def axes_proven(recorded: Mapping[str, Proof]) -> str:
    """The same while proven, from what was recorded."""
    count = sum(axis in recorded[ENDS_AND_MIDDLE.name].seen for axis in AXES)
    return f"{count} of {len(AXES)} axes" if count else "proven"


def flows(seen: Moved) -> bool:
    """Whether the board has a link."""
    return seen.board_link in ("good", "grace")


HOP = Hop(
    key="sticks",
    title="Sticks",
    question="Does every stick reach the board, in its order, to both ends and at rest in the middle?",
    reads=Reads(
        "kit",
        "devices",
        "airframe",
        "transmitter",
        "made for",
        "settings/channel_map",
        "settings/drive",
        "settings/reversing_drives",
        "settings/stick_lines",
    ),
    judges=sticks,
    codes=CODES,
    proofs=(ENDS_AND_MIDDLE,),
    value=axes_counted,
    proven_value=axes_proven,
    flows=flows,
    tells=SticksTold,
    tell=tell,
)
