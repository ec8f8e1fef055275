"""What the sticks reach, as the board sees them."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.findings import Edit, Finding, Mend

Axis = Literal["roll", "pitch", "throttle", "yaw"]
AXES: tuple[Axis, ...] = ("roll", "pitch", "throttle", "yaw")
LETTERS: dict[Axis, str] = {"roll": "A", "pitch": "E", "throttle": "T", "yaw": "R"}
CENTRE_US = 1500.0
CENTRE_TOLERANCE_US = 15.0
REST_S = 0.4
REST_SPREAD_US = 6.0


def channel_of(axis: Axis, channel_map: str) -> int:
    """The channel (from 1) that carries an axis under a channel order."""
    return channel_map.index(LETTERS[axis]) + 1


class Reached(BaseModel):
    """One axis as measured, us: extremes, and where it last rested near its middle (None until it did)."""

    low: float | None = None
    high: float | None = None
    centre: float | None = None
    jitter: float | None = None


class SticksMeasure(BaseModel):
    """Extremes and resting points of the four axes, gathered as the sticks move."""

    reached: dict[Axis, Reached] = Field(default_factory=lambda: {axis: Reached() for axis in AXES})
    since: dict[Axis, float] = Field(default_factory=dict)
    rest_low: dict[Axis, float] = Field(default_factory=dict)
    rest_high: dict[Axis, float] = Field(default_factory=dict)

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

    def proven(self, settings: BoardSettings) -> bool:
        """Whether every axis has been seen to do all that it must."""
        return all(self.verdict(axis, settings)[0] for axis in AXES)


def check_sticks(document: CraftDocument, settings: BoardSettings) -> list[Finding]:
    """Findings on the channel order and on outputs that cannot reach the lines."""
    findings = []
    sent = document.transmitter.channel_order
    if sent != settings.channel_map:
        findings.append(
            Finding(
                code="sticks.order",
                severity="stop",
                hop="sticks",
                where="channel map",
                what=f"The transmitter sends {sent}; the board expects {settings.channel_map}.",
                why="A stick would move another axis than the one it is for.",
                mends=(Mend(text=f"Set the board's map to {sent}", edits=(Edit(path="/settings/channel_map", value=sent),)),),
            )
        )
    for index, channel in enumerate(document.transmitter.channels[:4]):
        if channel.reverse and channel.source == "throttle":
            findings.append(
                Finding(
                    code="sticks.throttle-reversed",
                    severity="stop",
                    hop="sticks",
                    where=f"CH{index + 1}",
                    what="Throttle is reversed in the transmitter.",
                    why="Stick low would be full power.",
                    mends=(Mend(text=f"Take the reverse off CH{index + 1}", edits=(Edit(path=f"/transmitter/channels/{index}/reverse", value=False),)),),
                )
            )
    return findings
