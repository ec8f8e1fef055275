"""Loom: the wires, drawn, checked and rung out."""

from __future__ import annotations

from typing import Protocol

from linkcore.findings import At, Finding, Mend
from linkcore.hop import Hop
from linkcore.hops.loom.codes import CODES
from linkcore.hops.loom.proofs import EVERY_WIRE_RUNG
from linkcore.hops.loom.rules import CHECK, check_loom
from linkcore.hops.loom.view import LoomTold, tell
from linkcore.kept import Kept
from linkcore.reads import Reads, View
from linkcore.wiring.netlist import every_wire, wire_key


class Wired(Protocol):
    """What is looked at of a running bench: what its supply has done, and whether the receiver's wire passes."""

    kept: Kept

    @property
    def overload(self) -> str | None:
        """What is over its limit."""
        ...

    @property
    def damaged(self) -> list[str]:
        """Devices that the supply has destroyed."""
        ...

    @property
    def on_usb_alone(self) -> bool:
        """Whether USB is the only supply."""
        ...

    @property
    def wire_passes(self) -> bool:
        """Whether the receiver's wire reaches the pad that is listened on."""
        ...


def wires_rung(view: View, seen: Wired | None) -> str:
    """The one value: how many wires are rung out."""

    def count() -> str:
        wires = every_wire(view.craft, view.parts)
        return f"{sum(wire_key(patch) in view.rung for patch in wires)} of {len(wires)} rung" if view.craft.wiring else "no wires"

    return count() if seen is None else seen.kept.get("wires rung", (view,), None, count)


def damage(_: View, seen: Wired | None) -> list[Finding]:
    """What the supply has done on this bench."""
    if seen is None:
        return []
    found = [
        CHECK.stop(
            "loom.failed",
            At.device(device),
            f"{device[0].upper()}{device[1:]} has failed on this bench.",
            "Its supply was higher than it bears. It stays dead until it is replaced.",
            Mend(text="Mend its supply, then replace it on the bench"),
        )
        for device in seen.damaged
    ]
    if seen.overload:
        why = f"{seen.overload[0].upper()}{seen.overload[1:]} is over its limit."
        mends = (Mend(text="Connect the pack, props off", hands={"pack": True}),) if seen.on_usb_alone else ()
        found.append(CHECK.stop("loom.brown-out", At("supply"), "The board browns out and restarts.", why, *mends))
    return found


def flows(seen: Wired) -> bool:
    """Whether the receiver's wire reaches the pad that is listened on."""
    return seen.wire_passes


HOP = Hop(
    key="loom",
    title="Loom",
    question="Which wire goes where, what does it carry, and is it proven?",
    reads=Reads(
        "kit", "pack", "devices", "wants", "wiring", "wiring of devices", "feed", "receiver's output", "settings/ports", "settings/receiver_input", "rung"
    ),
    rules=lambda view: check_loom(view.craft, view.parts),
    sees=damage,
    codes=CODES,
    proofs=(EVERY_WIRE_RUNG,),
    value=wires_rung,
    flows=flows,
    tells=LoomTold,
    tell=tell,
)
