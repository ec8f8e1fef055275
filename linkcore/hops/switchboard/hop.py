"""Switchboard: what each combination of switch positions does."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from linkcore.devices.port import LinkState
from linkcore.findings import Finding
from linkcore.hop import Hop
from linkcore.hops.switchboard.codes import CODES
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.hops.switchboard.proofs import EVERY_ROW_SEEN
from linkcore.hops.switchboard.rules import check_switches
from linkcore.hops.switchboard.truth import TruthTable
from linkcore.hops.switchboard.view import SwitchboardTold, tell
from linkcore.proofs import Proof
from linkcore.reads import Reads, View


class Flipped(Protocol):
    """What is looked at of a running bench."""

    @property
    def measured(self) -> SwitchMeasure:
        """The switches as measured."""
        ...

    @property
    def board_link(self) -> LinkState:
        """What the board makes of its receiver."""
        ...

    def table(self) -> TruthTable:
        """The truth table of what runs on the board."""
        ...


def switches(view: View, seen: Flipped | None) -> list[Finding]:
    """What can be said of arming and of every band."""
    return check_switches(view.craft, view.parts, seen.measured if seen is not None else SwitchMeasure()) if view.parts.whole else []


def rows_counted(_: View, seen: Flipped | None) -> str:
    """The one value: how many rows were seen."""
    if seen is None:
        return "–"
    table = seen.table()
    return f"{table.seen} of {len(table.rows)} rows" if table.rows else "no mode bands"


def rows_proven(recorded: Mapping[str, Proof]) -> str:
    """The same while proven, from what was recorded."""
    rows = recorded[EVERY_ROW_SEEN.name].seen.get("rows", [])
    return f"{len(rows)} of {len(rows)} rows" if rows else "proven"


def flows(seen: Flipped) -> bool:
    """Whether the board has a link."""
    return seen.board_link in ("good", "grace")


def to_begin(view: View) -> frozenset[str]:
    """The band that arms, while no mode has one either."""
    return frozenset() if view.craft.settings.modes else frozenset({"switchboard.no-arm-band"})


HOP = Hop(
    key="switchboard",
    title="Switchboard",
    question="What does each combination of switch positions do?",
    reads=Reads(
        "kit",
        "airframe",
        "sensors",
        "transmitter",
        "acro_wanted",
        "settings/arming",
        "settings/arm_by",
        "settings/stick_arming",
        "settings/modes",
        "settings/rssi_channel",
    ),
    judges=switches,
    codes=CODES,
    proofs=(EVERY_ROW_SEEN,),
    to_begin=to_begin,
    value=rows_counted,
    proven_value=rows_proven,
    flows=flows,
    tells=SwitchboardTold,
    tell=tell,
)
