"""What is told of Sticks: what was measured beside what it should be, and what to dial."""

from __future__ import annotations

from typing import Protocol

from pydantic import BaseModel

from linkcore.devices.model_memory import order_of
from linkcore.hops.sticks.latency import Latency, latency
from linkcore.hops.sticks.lines import DeadbandProposal, propose_deadband, step_us
from linkcore.hops.sticks.measure import LEAST_THROW_US, SticksMeasure
from linkcore.hops.sticks.surfaces import Surface, surfaces_of
from linkcore.hops.sticks.travel import Places, TravelPlan, beside_predicted, near_us
from linkcore.kept import Kept
from linkcore.parts.axes import AXES, Axis, channel_of
from linkcore.reads import Whole


class TravelView(BaseModel):
    """One axis on the Sticks hop: what to dial (None until it was measured, `wait` says what for), what was expected, what is left to mend (us).

    `beside_predicted`: whether it came to what was expected, in words; empty where nothing was.
    """

    axis: Axis
    channel: int
    plan: TravelPlan | None
    wait: str
    expected: Places | None
    left: Places | None
    beside_predicted: str
    near_us: float


class SticksTold(BaseModel):
    """The Sticks hop. `verdicts`: what to say of each axis, and `proven` whether it does all that it must."""

    measured: SticksMeasure
    verdicts: dict[Axis, str]
    proven: dict[Axis, bool]
    travel: list[TravelView]
    resting_s: dict[Axis, float]
    deadband: DeadbandProposal | None
    latency: Latency | None
    surfaces: list[Surface]
    sent_order: str | None


class Moving(Protocol):
    """What is looked at of a running bench."""

    kept: Kept

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks as measured."""
        ...

    @property
    def resting_s(self) -> dict[Axis, float]:
        """How long each stick has rested so far."""
        ...


def tell(whole: Whole, seen: Moving) -> SticksTold:
    """The Sticks hop."""
    document, parts, measured, kept = whole.document, whole.parts, seen.sticks, seen.kept
    verdicts = {axis: measured.verdict(axis, whole.settings.stick_lines) for axis in AXES}
    return SticksTold(
        measured=measured,
        verdicts={axis: text for axis, (_, text) in verdicts.items()},
        proven={axis: proven for axis, (proven, _) in verdicts.items()},
        travel=[_travel(axis, whole, seen) for axis in AXES],
        resting_s=seen.resting_s,
        deadband=propose_deadband(measured.noise, step_us(parts)),
        latency=kept.get("latency", (document, parts), None, lambda: latency(document, parts)),
        surfaces=kept.get("surfaces", (whole.craft, parts), None, lambda: surfaces_of(whole.craft, parts)),
        sent_order=measured.found.order or order_of(document.transmitter),
    )


def _travel(axis: Axis, whole: Whole, seen: Moving) -> TravelView:
    measured, channel_map, transmitter = seen.sticks, whole.settings.channel_map, whole.parts.transmitter
    reached = measured.reached[axis]
    places = reached.places(axis)
    key = (channel_map, places.model_dump_json() if places else None)
    plan: TravelPlan | None = seen.kept.get(
        f"travel {axis}", (whole.document, whole.parts), key, lambda: measured.plan(axis, whole.document, whole.parts, channel_map)
    )
    wait = ""
    if places is None:
        moved = reached.low is not None and reached.high is not None and reached.high - reached.low >= LEAST_THROW_US
        wait = "let it rest in the middle" if moved else "hold it at both ends"
    expected = measured.expected.get(axis)
    left = None
    if places is not None:
        centre = None if places.centre is None else round(1500 - places.centre, 1)
        left = Places(low=round(1000 - places.low, 1), centre=centre, high=round(2000 - places.high, 1))
    return TravelView(
        axis=axis,
        channel=channel_of(axis, channel_map),
        plan=plan,
        wait=wait,
        expected=expected,
        left=left,
        beside_predicted=beside_predicted(expected, places, transmitter) if expected is not None and places is not None else "",
        near_us=round(near_us(transmitter), 2),
    )
