"""Bands worked out from detents: as far as can be from every detent, on a grid of 10 us, exclusive modes apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

from pydantic import BaseModel, computed_field

from linkcore.craft.document import Band, BoardSettings, CraftDocument
from linkcore.devices.modes import exclude_each_other
from linkcore.findings import Edit
from linkcore.hops.switchboard.clearance import band_clearance
from linkcore.hops.switchboard.detents import Detent, SwitchMeasure, known_detents
from linkcore.parts.models import Transmitter

STEP_US = 10.0
SCALE_US = (850.0, 2150.0)
WORTH_US = 1.0


class Suggested(BaseModel):
    """One band, us; `clear`: its least clearance, to the detents inside as to those outside."""

    name: str
    low: float
    high: float
    clear: float


def suggest_bands(detents: Sequence[Detent], wanted: Mapping[str, set[int]], scale: tuple[float, float] = SCALE_US) -> list[Suggested]:
    """The bands of one channel. `wanted`: for each mode the places (from 0, lowest first) at which it is to hold; neighbours become one band.

    Modes that exclude each other may touch: a band does not hold its upper edge. Raise ValueError where two of them are wanted at one place, or where
    detents run into each other.
    """
    for name, places in wanted.items():
        for other, others in wanted.items():
            if name < other and exclude_each_other(name, other) and places & others:
                raise ValueError(f"{name} and {other} exclude each other; they cannot share a position of the switch")
        if any(not 0 <= place < len(detents) for place in places):
            raise ValueError(f"{name}: the switch has {len(detents)} positions")
    for lower, upper in pairwise(detents):
        if lower.high >= upper.low:
            raise ValueError(f"the detents at {lower.value:.0f} and {upper.value:.0f} us run into each other: give the switch's channel more travel")
    edges = _edges(detents, scale)
    found = []
    for name, places in wanted.items():
        for first, last in _runs(places):
            low, high = edges[first], edges[last + 1]
            found.append(Suggested(name=name, low=low, high=high, clear=round(band_clearance(low, high, detents), 1)))
    return sorted(found, key=lambda band: (band.name, band.low))


def _runs(places: set[int]) -> list[tuple[int, int]]:
    runs: list[tuple[int, int]] = []
    for place in sorted(places):
        if runs and runs[-1][1] == place - 1:
            runs[-1] = (runs[-1][0], place)
        else:
            runs.append((place, place))
    return runs


def _edges(detents: Sequence[Detent], scale: tuple[float, float]) -> list[float]:
    """Where bands begin and end: both ends of the scale, and one edge in each gap between detents."""
    return [scale[0], *(edge_between(one.high, other.low) for one, other in pairwise(detents)), scale[1]]


def edge_between(lower: float, higher: float) -> float:
    """The edge on the grid that is farthest from both detents, us; where the gap is narrower than the grid, or there is none, its middle."""
    middle = (lower + higher) / 2
    edge = round(middle / STEP_US) * STEP_US
    return edge if lower < edge < higher else middle


class Suggestion(BaseModel):
    """Every band of a craft worked out anew: what it would take, the least clearance now and then; `why_not` where it cannot be."""

    edits: list[Edit] = []
    clear_now: float | None = None
    clear: float | None = None
    measured: bool = False
    why_not: str = ""

    @computed_field  # type: ignore[prop-decorator]
    @property
    def better(self) -> bool:
        """Whether it clears the detents by so much more that it is worth taking for that."""
        return self.clear is not None and self.clear - (self.clear_now or 0.0) > WORTH_US


def suggest_all(document: CraftDocument, settings: BoardSettings, transmitter: Transmitter, measured: SwitchMeasure) -> Suggestion:
    """Keeps every band at the detents that it holds (or at the nearest, where it misses all), and moves its edges as far from all detents as can be."""
    arming = settings.arming if settings.arm_by == "switch" else None
    bands: list[tuple[str, Band]] = [*([("arm", arming)] if arming else []), *((band.mode, band) for band in settings.modes)]
    now: list[float] = []
    then: list[float] = []
    moved: dict[tuple[int, str], list[Suggested]] = {}
    measured_all = True
    try:
        for channel in sorted({band.channel for _, band in bands}):
            detents, seen = known_detents(document, transmitter, measured, channel)
            measured_all &= seen
            if len(detents) < 2:
                return Suggestion(why_not=f"no switch with known detents drives CH{channel}")
            wanted: dict[str, set[int]] = {}
            for name, band in bands:
                if band.channel == channel:
                    wanted.setdefault(name, set()).update(places_of(band, detents))
                    now.append(band_clearance(band.low, band.high, detents))
            for each in suggest_bands(detents, wanted):
                then.append(each.clear)
                moved.setdefault((channel, each.name), []).append(each)
    except ValueError as error:
        return Suggestion(why_not=str(error))
    if not bands:
        return Suggestion(why_not="no mode band is in use yet")
    edits = []
    new_arm = next((each for (channel, name), found in moved.items() if name == "arm" for each in found), None)
    if arming and new_arm and (new_arm.low, new_arm.high) != (arming.low, arming.high):
        edits.append(Edit(path="/settings/arming", value={"channel": arming.channel, "low": new_arm.low, "high": new_arm.high}))
    order = list(dict.fromkeys((band.channel, band.mode) for band in settings.modes))
    modes = [{"channel": channel, "low": each.low, "high": each.high, "mode": mode} for channel, mode in order for each in moved[channel, mode]]
    if modes != [band.model_dump() for band in settings.modes]:
        edits.append(Edit(path="/settings/modes", value=modes))
    return Suggestion(edits=edits, clear_now=round(min(now), 1), clear=min(then), measured=measured_all)


def places_of(band: Band, detents: Sequence[Detent]) -> set[int]:
    """The detents that a band holds; the nearest where it holds none."""
    held = {index for index, detent in enumerate(detents) if band.holds(detent.value)}
    return held or {min(range(len(detents)), key=lambda index: min(abs(detents[index].value - band.low), abs(detents[index].value - band.high)))}


def runs_of(detents: Sequence[Detent]) -> list[tuple[int, int, float, float]]:
    """Every stretch of neighbouring places and the band that would hold just them: (first, last, low, high)."""
    last = len(detents) - 1
    edges = _edges(detents, SCALE_US)
    return [(first, end, edges[first], edges[end + 1]) for size in range(last + 1) for first in range(last + 1 - size) for end in (first + size,)]
