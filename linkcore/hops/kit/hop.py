"""Kit: the parts, and what they can do together."""

from __future__ import annotations

from collections.abc import Collection
from typing import Protocol

from pydantic import BaseModel

from linkcore.findings import At, Check, Finding, Mend
from linkcore.hop import Hop
from linkcore.hops.kit.ability import sensor_states
from linkcore.hops.kit.codes import CODES
from linkcore.hops.kit.proofs import SET_ANSWERS
from linkcore.hops.kit.rules import check_kit
from linkcore.kept import Kept
from linkcore.parts.models import Sensor
from linkcore.reads import Reads, View, Whole

CHECK = Check("kit")
WAKES_S = 3.0  # so long a device may take until the board sees it (ours)


class KitTold(BaseModel):
    """What the bench tells of the Kit. `awake`: whether the board runs; `seen`: the sensors that it sees."""

    awake: bool
    seen: list[Sensor]


class Supplied(Protocol):
    """What is looked at of a running bench."""

    kept: Kept

    @property
    def awake_s(self) -> float:
        """How long the board has run its program."""
        ...

    @property
    def sensors_seen(self) -> Collection[Sensor]:
        """The sensors that the board sees."""
        ...

    @property
    def supplied(self) -> bool:
        """Whether the board has supply."""
        ...


def parts_counted(view: View, _: object) -> str:
    """The one value: how many parts."""
    kit = view.craft.kit
    count = sum(bool(each) for each in (kit.board, kit.receiver, kit.transmitter, kit.module, kit.pack)) + len(kit.devices)
    return f"{count} parts" if count != 1 else "1 part"


def flows(seen: Supplied) -> bool:
    """Whether the board has supply."""
    return seen.supplied


def not_seen(view: View, seen: Supplied | None) -> list[Finding]:
    """Sensors that are asked for, fitted, and not seen by the board: a wire, a job, a rate, or no power."""
    if seen is None or seen.awake_s < WAKES_S:
        return []
    unseen: dict[tuple[str, ...], list[Sensor]] = {}
    sees = seen.sensors_seen
    for state in seen.kept.get("kit: sensors", (view.craft, view.parts), None, lambda: sensor_states(view.craft, view.parts)):
        if state.wanted and state.fitted_in and state.sensor not in sees:
            unseen.setdefault(tuple(state.fitted_in), []).append(state.sensor)
    return [
        CHECK.warn(
            "kit.not-seen",
            At.device(fitted[0]),
            f"The board does not see {' and '.join(sensors)}, fitted in {' and '.join(fitted)}.",
            "What is fitted and not seen does nothing: its wire, its port's job or rate, or its supply.",
            Mend(text="Look at its port", go="port plan"),
            Mend(text="Listen to its wire", go="line"),
        )
        for fitted, sensors in unseen.items()
    ]


def tell(_: Whole, seen: Supplied) -> KitTold:
    """The sensors that the board sees."""
    return KitTold(awake=seen.awake_s > 0, seen=sorted(seen.sensors_seen))


def to_begin(view: View) -> frozenset[str]:
    """Parts that are still to be chosen; and the drive, while no device was put in."""
    return frozenset({"kit.incomplete"} | (set() if view.craft.kit.devices else {"kit.no-drive"}))


HOP = Hop(
    key="kit",
    title="Kit",
    question="Which parts lie on the bench, and what can they do together?",
    reads=Reads("kit", "pack", "devices", "wants", "airframe", "receiver's output"),
    rules=lambda view: check_kit(view.craft, view.parts),
    sees=not_seen,
    codes=CODES,
    proofs=(SET_ANSWERS,),
    to_begin=to_begin,
    value=parts_counted,
    flows=flows,
    tells=KitTold,
    tell=tell,
)
