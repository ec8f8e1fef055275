"""Bind: both ends know each other, and find each other again by themselves."""

from __future__ import annotations

from typing import Protocol

from linkcore.findings import Finding
from linkcore.hop import Hop
from linkcore.hops.bind.codes import CODES
from linkcore.hops.bind.proofs import LINK_COMES_BACK
from linkcore.hops.bind.rules import EndsNow, check_bind, check_ends
from linkcore.hops.bind.view import BindTold, tell
from linkcore.parts.models import LightState
from linkcore.reads import Reads, View


class Bound(Protocol):
    """What is looked at of a running bench."""

    @property
    def ends_now(self) -> EndsNow | None:
        """What both ends say of each other; None where the receiver cannot say anything."""
        ...

    @property
    def receiver_state(self) -> LightState | None:
        """What the receiver is doing; None without supply."""
        ...

    @property
    def linked(self) -> bool:
        """Whether the receiver has a link."""
        ...


def ends(_: View, seen: Bound | None) -> list[Finding]:
    """What both ends say of each other now."""
    now = seen.ends_now if seen is not None else None
    return check_ends(**vars(now)) if now is not None else []


def state_in_words(_: View, seen: Bound | None) -> str:
    """The one value: what the receiver is doing."""
    if seen is None:
        return "–"
    return {None: "no supply", "bootloader": "no firmware", "bind": "in bind"}.get(seen.receiver_state, seen.receiver_state or "")


def flows(seen: Bound) -> bool:
    """Whether the receiver has a link."""
    return seen.linked


HOP = Hop(
    key="bind",
    title="Bind",
    question="Do the two ends know each other, and do they find each other again by themselves?",
    reads=Reads("kit", "wiring", "receiver's output", "firmware", "bind", "air", "settings/bind_count"),
    rules=lambda view: check_bind(view.craft, view.parts) if view.parts.whole else [],
    sees=ends,
    codes=CODES,
    proofs=(LINK_COMES_BACK,),
    value=state_in_words,
    flows=flows,
    tells=BindTold,
    tell=tell,
)
