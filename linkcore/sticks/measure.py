"""What the sticks reach, as the board sees them."""

from __future__ import annotations

from pydantic import BaseModel, Field

from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.findings import Check, Edit, Finding, Mend
from linkcore.parts.axes import AXES, Axis, channel_of
from linkcore.sticks.finder import Found
from linkcore.sticks.lines import Noise
from linkcore.sticks.memory import check_memory, order_of
from linkcore.sticks.mending import check_found, check_order
from linkcore.sticks.surfaces import check_surfaces
from linkcore.sticks.travel import Places, TravelPlan, dials_in_words, plan_travel

CHECK = Check("sticks")
CENTRE_US = 1500.0
CENTRE_TOLERANCE_US = 15.0
REST_S = 0.4
REST_SPREAD_US = 6.0


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

    def verdict(self, axis: Axis, settings: BoardSettings) -> tuple[bool, str]:
        """(whether the axis is proven, what to say of it)."""
        seen, lines = self.reached[axis], settings.stick_lines
        if seen.low is None or seen.high is None:
            return False, "not seen yet"
        if seen.high - seen.low < 40:
            return False, "move it to both ends"
        if seen.low > lines.low:
            return False, f"not below the stick-low line, {lines.low:g}, yet"
        if seen.high < lines.high:
            return False, f"not above the stick-high line, {lines.high:g}, yet"
        if axis != "throttle":
            if seen.centre is None:
                return False, "let it rest in the middle"
            if abs(seen.centre - CENTRE_US) > CENTRE_TOLERANCE_US:
                return False, f"rests {seen.centre - CENTRE_US:+.0f} us off the centre"
        return True, "reaches both lines" if axis == "throttle" else "reaches both lines, rests in the middle"

    def plan(self, axis: Axis, document: CraftDocument, parts: KitParts, channel_map: str) -> TravelPlan | None:
        """What to dial for an axis; None until it was measured."""
        number = channel_of(axis, channel_map)
        places = self.reached[axis].places(axis)
        if places is None or number > len(document.transmitter.channels):
            return None
        return plan_travel(number, document.transmitter.channels[number - 1], parts.transmitter, places)

    def proven(self, settings: BoardSettings) -> bool:
        """Whether every axis has been seen to do all that it must."""
        return all(self.verdict(axis, settings)[0] for axis in AXES)


def check_sticks(document: CraftDocument, settings: BoardSettings, parts: KitParts, measured: SticksMeasure | None = None) -> list[Finding]:
    """Findings on the model memory, the channel order, what the finder has seen, and surfaces that go the wrong way."""
    found = measured.found if measured else Found()
    sent = found.order or order_of(document.transmitter) or document.transmitter.channel_order
    return [
        *check_order(sent, settings, seen=found.order is not None),
        *(check_memory(document, parts.maybe_transmitter) if parts.maybe_transmitter else []),
        *check_found(document, settings, found),
        *(_check_reach(document, settings, parts, measured) if measured and parts.maybe_transmitter else []),
        *check_surfaces(document, parts),
    ]


def _check_reach(document: CraftDocument, settings: BoardSettings, parts: KitParts, measured: SticksMeasure) -> list[Finding]:
    """Sticks that were moved to both ends and still do not cross the lines; a throttle that is never low keeps the craft from arming."""
    findings = []
    lines = settings.stick_lines
    short: list[Axis] = []
    edits: list[Edit] = []
    for axis in AXES:
        places = measured.reached[axis].places(axis)
        if places is None or (places.low <= lines.low and places.high >= lines.high):
            continue
        plan = measured.plan(axis, document, parts, settings.channel_map)
        if axis == "throttle" and places.low > lines.low:
            dial = (Mend(text=f"Dial throttle in on CH{plan.channel}: {dials_in_words(plan)}", edits=tuple(plan.edits)),) if plan and plan.edits else ()
            findings.append(
                CHECK.stop(
                    "sticks.throttle-not-low",
                    axis,
                    f"Throttle low reads {places.low:.0f} us, above the stick-low line, {lines.low:g}.",
                    "The board arms only with the throttle below that line, so arming will be refused.",
                    *dial,
                )
            )
        else:
            short.append(axis)
            edits += plan.edits if plan else []
    if short:
        names = " and ".join(filter(None, (", ".join(short[:-1]), short[-1])))
        findings.append(
            CHECK.warn(
                "sticks.short",
                ", ".join(short),
                f"{names[0].upper()}{names[1:]} {'do' if len(short) > 1 else 'does'} not reach beyond both lines, {lines.low:g} and {lines.high:g}.",
                "The board never sees the whole stick.",
                *((Mend(text=f"Dial {names} in as the card says", edits=tuple(edits)),) if edits else ()),
            )
        )
    return findings
