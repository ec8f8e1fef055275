"""Lost link: what happens when the radio dies."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.port import LinkState
from linkcore.hop import Hop
from linkcore.hops.lost_link.codes import CODES
from linkcore.hops.lost_link.proofs import PROOFS
from linkcore.hops.lost_link.rules import check_fix, check_lost_link
from linkcore.hops.lost_link.runs import LossRun
from linkcore.hops.lost_link.view import LostLinkTold, tell
from linkcore.reads import Reads, View


class Lost(Protocol):
    """What is looked at of a running bench."""

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        ...

    @property
    def board_link(self) -> LinkState:
        """What the board makes of its receiver."""
        ...

    @property
    def fix(self) -> bool | None:
        """Whether the GPS has a fix; None where none is fitted."""
        ...

    @property
    def home(self) -> bool | None:
        """Whether that is good enough for a home."""
        ...


def reaction_in_words(_: View, seen: Lost | None) -> str:
    """The one value: what the board does now, or how long it took to react."""
    if seen is None:
        return "–"
    reaction = seen.loss.reaction_s if seen.loss else None
    return f"{reaction:.2f} s" if reaction is not None else {"good": "link good", "grace": "grace", "lost": "link lost"}.get(seen.board_link, "–")


def flows(seen: Lost) -> bool:
    """Whether the board has a link."""
    return seen.board_link in ("good", "grace")


HOP = Hop(
    key="lost link",
    title="Lost link",
    question="What happens when the radio dies, and when?",
    reads=Reads(
        "kit",
        "receiver",
        "receiver's output",
        "settings/lost_link",
        "frame rate",
        "settings/arming",
        "settings/arm_by",
        "settings/stick_arming",
        "settings/stick_lines",
        "settings/channel_map",
        "settings/reversing_drives",
        "settings/rssi_channel",
        "settings/rssi_falls",
        "settings/modes",
        "airframe",
        "place",
        "pack",
        "devices",
        "sensors",
    ),
    rules=lambda view: check_lost_link(view.craft, view.parts) if view.parts.whole else [],
    sees=lambda view, seen: check_fix(view.craft, seen.fix, seen.home) if seen is not None and view.parts.whole else [],
    codes=CODES,
    proofs=PROOFS,
    value=reaction_in_words,
    flows=flows,
    tells=LostLinkTold,
    tell=tell,
)
