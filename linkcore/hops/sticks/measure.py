"""What the sticks reach, as the board sees them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from pydantic import BaseModel, Field

from linkcore.craft.document import CraftDocument, StickLines
from linkcore.craft.parts import KitParts
from linkcore.devices.motors import motor_percent
from linkcore.hops.sticks.finder import Found
from linkcore.hops.sticks.lines import Noise
from linkcore.hops.sticks.travel import Places, TravelPlan, plan_travel
from linkcore.kept import T
from linkcore.parts.axes import AXES, Axis, channel_of

CENTRE_US = 1500.0
CENTRE_TOLERANCE_US = 15.0
REST_S = 0.4
REST_SPREAD_US = 6.0
UNMOVED_US = 40.0  # an axis that has gone no farther was not moved
ROOM_US = 20.0  # wanted beyond either stick line
MARGIN_US = 5.0  # wanted of throttle low below its line, besides twice the noise


HELD_NEAR_US = 8.0  # a rest that near an extreme was the stick held at its stop
LEAST_THROW_US = 400.0


class Reached(BaseModel):
    """One axis as measured, us: extremes, where it last rested near its middle (None until it did), and the rests nearest to both ends."""

    low: float | None = None
    high: float | None = None
    centre: float | None = None
    jitter: float | None = None
    held_low: float | None = None
    held_high: float | None = None

    def places(self, axis: Axis) -> Places | None:
        """Low, centre and high for travel: where the stick was held, else the extremes of a sweep; None until it has moved through."""
        if self.low is None or self.high is None or self.high - self.low < LEAST_THROW_US or (axis != "throttle" and self.centre is None):
            return None
        low = self.held_low if self.held_low is not None and self.held_low - self.low <= HELD_NEAR_US else self.low
        high = self.held_high if self.held_high is not None and self.high - self.held_high <= HELD_NEAR_US else self.high
        return Places(low=low, centre=None if axis == "throttle" else self.centre, high=high)


class SticksMeasure(BaseModel):
    """Extremes and resting points of the four axes, gathered as the sticks move."""

    reached: dict[Axis, Reached] = Field(default_factory=lambda: {axis: Reached() for axis in AXES})
    since: dict[Axis, float] = Field(default_factory=dict)
    rest_low: dict[Axis, float] = Field(default_factory=dict)
    rest_high: dict[Axis, float] = Field(default_factory=dict)
    found: Found = Field(default_factory=Found)
    noise: dict[str, Noise] = Field(default_factory=dict)
    expected: dict[Axis, Places] = Field(default_factory=dict, description="What was predicted for the dials as they are now")

    def without(self, axes: Iterable[Axis], expected: dict[Axis, Places], found: Found) -> SticksMeasure:
        """The same without what was measured of some axes; `expected`: where those should come to by now, `found`: what is still known of their channels."""
        gone = set(axes)

        def kept(values: dict[Any, T]) -> dict[Any, T]:
            return {axis: value for axis, value in values.items() if axis not in gone}

        return SticksMeasure(
            reached=kept(self.reached) | {axis: Reached() for axis in gone},
            since=kept(self.since),
            rest_low=kept(self.rest_low),
            rest_high=kept(self.rest_high),
            found=found,
            noise=kept(self.noise),
            expected=expected,
        )

    def add_all(self, axis: Axis, times: Sequence[float], heard: Sequence[float]) -> None:
        """Take values of an axis (us) and when they came (s), in their order; those of a stick that rests where it is known to rest change nothing."""
        seen, low, high = self.reached[axis], min(heard), max(heard)
        known = seen.low is not None and seen.high is not None and seen.low <= low and high <= seen.high
        if known and axis in self.since and times[-1] - self.since[axis] < REST_S and self.rest_low[axis] <= low and high <= self.rest_high[axis]:
            return
        for t, us in zip(times, heard, strict=True):
            self.add(t, axis, us)

    def add(self, t: float, axis: Axis, us: float) -> None:
        """Take a value (us) seen at `t` seconds."""
        seen = self.reached[axis]
        if seen.low is None or us < seen.low:
            seen.low = us
        if seen.high is None or us > seen.high:
            seen.high = us
        low, high = self.rest_low.get(axis, us), self.rest_high.get(axis, us)
        if us < low:
            self.rest_low[axis] = low = us
        elif us > high:
            self.rest_high[axis] = high = us
        if axis not in self.since or high - low > REST_SPREAD_US:
            self.since[axis], self.rest_low[axis], self.rest_high[axis] = t, us, us
        elif t - self.since[axis] >= REST_S:
            middle = (low + high) / 2
            seen.jitter = round((high - low) / 2, 2)
            if abs(middle - CENTRE_US) < 150:
                seen.centre = round(middle, 1)
            seen.held_low = round(middle if seen.held_low is None else min(seen.held_low, middle), 1)
            seen.held_high = round(middle if seen.held_high is None else max(seen.held_high, middle), 1)
            # a long rest must not remember every flicker for ever
            self.since[axis], self.rest_low[axis], self.rest_high[axis] = t, us, us

    def verdict(self, axis: Axis, lines: StickLines, *, both_ways: bool = False, idle_percent: float = 0.0) -> tuple[bool, str]:
        """(whether the axis is proven, what to say of it). `both_ways`: whether the drives stand still with the throttle in the middle; `idle_percent`: of the armed motors."""
        seen = self.reached[axis]
        if seen.low is None or seen.high is None:
            return False, "not seen yet"
        if seen.high - seen.low < UNMOVED_US:
            return False, "move it to both ends"
        if seen.low > lines.low:
            return False, f"not below the floor line, {lines.low:g}, yet"
        if seen.high < lines.high:
            return False, f"not above the ceiling line, {lines.high:g}, yet"
        if axis != "throttle":
            if seen.centre is None:
                return False, "let it rest in the middle"
            if abs(seen.centre - CENTRE_US) > CENTRE_TOLERANCE_US:
                return False, f"rests {seen.centre - CENTRE_US:+.0f} us off the centre"
        if axis == "throttle" and both_ways:
            return True, "reaches both lines; stick down, the armed drives turn full astern"
        if axis == "throttle":
            return True, f"reaches both lines; stick down, the armed motors turn at {motor_percent(seen.low, idle_percent):.0f} %"
        return True, "reaches both lines, rests in the middle"

    def plan(self, axis: Axis, document: CraftDocument, parts: KitParts, channel_map: str) -> TravelPlan | None:
        """What to dial for an axis; None until it was measured."""
        number = channel_of(axis, channel_map)
        places = self.reached[axis].places(axis)
        if places is None or number > len(document.transmitter.channels):
            return None
        return plan_travel(number, document.transmitter.channels[number - 1], parts.transmitter, places)

    def proven(self, lines: StickLines) -> bool:
        """Whether every axis has been seen to do all that it must."""
        return all(self.verdict(axis, lines)[0] for axis in AXES)
