"""What is told of Sticks: what was measured beside what it should be, and what to dial."""

from __future__ import annotations

from typing import Literal, Protocol

from pydantic import BaseModel

from linkcore.devices.model_memory import order_of
from linkcore.hops.sticks.latency import Latency, MeasuredLatency, latency
from linkcore.hops.sticks.lines import WATCH_S, DeadbandProposal, Noise, propose_deadband, step_us
from linkcore.hops.sticks.measure import LEAST_THROW_US, ROOM_US, UNMOVED_US, SticksMeasure
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
    far: bool


class Room(BaseModel):
    """How far beyond a stick line an end lies, us: short where it does not reach it, narrow where it is less than is wanted."""

    us: float
    says: Literal["short", "narrow", "enough"]


class RestView(BaseModel):
    """One axis at rest and at the lines. `rests_s` so far, of `of_s` that are wanted; `beyond_low`, `beyond_high` None until it was moved."""

    axis: Axis
    rests_s: float
    of_s: float
    noise: Noise | None
    beyond_low: Room | None
    beyond_high: Room | None


class SticksTold(BaseModel):
    """The Sticks hop. `verdicts`: what to say of each axis, and `proven` whether it does all that it must."""

    measured: SticksMeasure
    verdicts: dict[Axis, str]
    proven: dict[Axis, bool]
    travel: list[TravelView]
    rest: list[RestView]
    deadband: DeadbandProposal | None
    latency: Latency | None
    measured_latency: MeasuredLatency | None
    sent_order: str | None


class Moving(Protocol):
    """What is looked at of a running bench."""

    kept: Kept

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks as measured."""
        ...

    @property
    def latency_seen(self) -> MeasuredLatency | None:
        """What movements took so far."""
        ...

    @property
    def resting_s(self) -> dict[Axis, float]:
        """How long each stick has rested so far."""
        ...


def tell(whole: Whole, seen: Moving) -> SticksTold:
    """The Sticks hop."""
    document, parts, measured, kept = whole.document, whole.parts, seen.sticks, seen.kept
    verdicts = {
        axis: measured.verdict(axis, whole.settings.stick_lines, both_ways=whole.settings.reversing_drives, idle_percent=whole.settings.drive.idle_percent)
        for axis in AXES
    }
    return SticksTold(
        measured=measured,
        verdicts={axis: text for axis, (_, text) in verdicts.items()},
        proven={axis: proven for axis, (proven, _) in verdicts.items()},
        travel=[_travel(axis, whole, seen) for axis in AXES],
        rest=[_rest(axis, whole, seen) for axis in AXES],
        deadband=propose_deadband(measured.noise, step_us(parts)),
        latency=kept.get("latency", (document, parts), None, lambda: latency(document, parts)),
        measured_latency=seen.latency_seen,
        sent_order=measured.found.order or order_of(document.transmitter),
    )


def _rest(axis: Axis, whole: Whole, seen: Moving) -> RestView:
    reached, lines = seen.sticks.reached[axis], whole.settings.stick_lines
    moved = reached.low is not None and reached.high is not None and reached.high - reached.low > UNMOVED_US
    return RestView(
        axis=axis,
        rests_s=min(WATCH_S, seen.resting_s[axis]),
        of_s=WATCH_S,
        noise=seen.sticks.noise.get(axis),
        beyond_low=_room(lines.low - reached.low) if moved and reached.low is not None else None,
        beyond_high=_room(reached.high - lines.high) if moved and reached.high is not None else None,
    )


def _room(us: float) -> Room:
    return Room(us=round(us, 1), says="short" if us < 0 else "narrow" if us < ROOM_US else "enough")


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
        wait = "let it rest in the middle" if moved else "keep it at both ends a moment"
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
        far=left is not None and max(abs(each) for each in (left.low, left.centre or 0.0, left.high)) > near_us(transmitter),
    )
