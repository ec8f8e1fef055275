"""Detents as measured, the truth table they span, and what each row holds."""

from __future__ import annotations

from itertools import product

from pydantic import BaseModel, Field

from linkcore.craft.document import Band, BoardSettings, CraftDocument
from linkcore.findings import Check, Edit, Finding, Mend
from linkcore.parts.models import Transmitter

CHECK = Check("switchboard")

DEFAULT_MODE = "acro"
SAME_DETENT_US = 25.0
REST_S = 0.2
CLEARANCE_US = 40.0
PLACES = {1: ("rest",), 2: ("low", "high"), 3: ("low", "mid", "high")}


class Detent(BaseModel):
    """One resting position of a switch, us: the extremes seen while it rested."""

    low: float
    high: float

    @property
    def value(self) -> float:
        """The middle of what was seen."""
        return (self.low + self.high) / 2

    @property
    def jitter(self) -> float:
        """Half the spread."""
        return (self.high - self.low) / 2


class Row(BaseModel):
    """One combination of detents: places by channel, what it should hold, and whether it was seen to."""

    places: list[str]
    values: list[float | None]
    arm: bool
    mode: str
    seen: bool = False


class TruthTable(BaseModel):
    """Every combination of the switch channels in use."""

    channels: list[int]
    switches: list[str]
    rows: list[Row]

    @property
    def seen(self) -> int:
        """How many rows have been seen."""
        return sum(row.seen for row in self.rows)

    @property
    def proven(self) -> bool:
        """Whether there are rows and all of them were seen."""
        return bool(self.rows) and all(row.seen for row in self.rows)


class SwitchMeasure(BaseModel):
    """Detents learned from channel values, and the rows that the board was seen to hold."""

    detents: dict[int, list[Detent]] = Field(default_factory=dict)
    seen: set[tuple[int, ...]] = Field(default_factory=set)
    resting: dict[int, tuple[float, float]] = Field(default_factory=dict)  # channel: (since, value)

    def add(self, t: float, channel: int, us: float) -> None:
        """Take a value (us) of a switch channel at `t` seconds."""
        since, value = self.resting.get(channel, (t, us))
        if abs(us - value) > SAME_DETENT_US:
            self.resting[channel] = (t, us)
            return
        self.resting[channel] = (since, value)
        if t - since < REST_S:
            return
        known = self.detents.setdefault(channel, [])
        for detent in known:
            if abs(detent.value - us) <= SAME_DETENT_US:
                detent.low, detent.high = min(detent.low, us), max(detent.high, us)
                return
        known.append(Detent(low=us, high=us))
        known.sort(key=lambda detent: detent.value)
        self.seen.clear()  # the places have been renumbered, so no row can be told apart from another

    def place(self, channel: int, us: float) -> int | None:
        """Which detent (from 0, lowest first) a value rests in."""
        for index, detent in enumerate(self.detents.get(channel, [])):
            if abs(detent.value - us) <= SAME_DETENT_US:
                return index
        return None

    def rested(self, t: float, channel: int) -> bool:
        """Whether a channel has rested long enough to count."""
        return channel in self.resting and t - self.resting[channel][0] >= REST_S


def switch_channels(document: CraftDocument, settings: BoardSettings) -> list[int]:
    """The channels that arming or a mode listens to, ascending."""
    bands = ([settings.arming] if settings.arming else []) + list(settings.modes)
    count = len(document.transmitter.channels)
    return sorted({band.channel for band in bands if 4 < band.channel <= count})


def holds(settings: BoardSettings, values: dict[int, float]) -> tuple[bool, str]:
    """(arm switch on, flight mode) for channel values in us."""
    arm = settings.arming is not None and settings.arming.holds(values.get(settings.arming.channel, 0.0))
    mode = next((band.mode for band in settings.modes if band.holds(values.get(band.channel, 0.0))), DEFAULT_MODE)
    return arm, mode


def truth_table(document: CraftDocument, settings: BoardSettings, transmitter: Transmitter, measured: SwitchMeasure) -> TruthTable:
    """All rows; a detent not measured yet has no value, and its rows hold nothing that could be said."""
    channels = switch_channels(document, settings)
    positions = {switch.name: switch.positions for switch in transmitter.switches}
    sources = [document.transmitter.channels[channel - 1].source for channel in channels]
    spans = []
    for channel, source in zip(channels, sources, strict=True):
        expected = positions.get(source, 1)
        detents = measured.detents.get(channel, [])
        spans.append([detents[place].value if len(detents) == expected else None for place in range(expected)])
    rows = []
    for places in product(*(range(len(span)) for span in spans)) if channels else ():
        values = [span[place] for span, place in zip(spans, places, strict=True)]
        known = {channel: value for channel, value in zip(channels, values, strict=True) if value is not None}
        arm, mode = holds(settings, known) if len(known) == len(channels) else (False, "?")
        names = [PLACES[len(span)][place] for span, place in zip(spans, places, strict=True)]
        rows.append(Row(places=names, values=values, arm=arm, mode=mode, seen=tuple(places) in measured.seen and len(known) == len(channels)))
    return TruthTable(channels=channels, switches=sources, rows=rows)


def check_switches(document: CraftDocument, settings: BoardSettings, measured: SwitchMeasure) -> list[Finding]:
    """Findings on bands, alone and against the detents measured so far."""
    findings: list[Finding] = []
    sent = len(document.transmitter.channels)
    named = named_bands(settings)
    if settings.arming is None:
        findings.append(
            CHECK.stop(
                "switchboard.no-arm-band", "arm", "No band arms the craft.", "The motors can never start.", Mend(text="Give arming a switch channel and a band")
            )
        )
    for name, band, path in named:
        if band.channel <= 4:
            findings.append(
                CHECK.stop(
                    "switchboard.stick-channel",
                    name,
                    f"{name} listens to CH{band.channel}, a stick.",
                    "Moving the stick would switch it.",
                    Mend(text="Choose a switch's channel"),
                )
            )
        elif band.channel > sent:
            findings.append(
                CHECK.stop("switchboard.no-channel", name, f"{name} listens to CH{band.channel}; the transmitter sends {sent}.", "It can never switch.")
            )
        detents = measured.detents.get(band.channel, [])
        held = held_by(band, detents)
        if misses(band, detents):
            nearest = min(detents, key=lambda detent: min(abs(detent.value - band.low), abs(detent.value - band.high)))
            gap = min(abs(nearest.value - band.low), abs(nearest.value - band.high))
            low, high = around(nearest, detents)
            findings.append(
                CHECK.stop(
                    "switchboard.band-misses",
                    name,
                    f"{name}'s band misses every detent of CH{band.channel}, the nearest by {gap:.0f} us.",
                    "Flipping the switch will do nothing.",
                    Mend(text=f"Set the band to {low:g} to {high:g} us", edits=(Edit(path=f"{path}/low", value=low), Edit(path=f"{path}/high", value=high))),
                )
            )
        for detent in held:
            clear = clearance(band.low, band.high, detent)
            if clear < CLEARANCE_US:
                findings.append(
                    Finding(
                        code="switchboard.clearance",
                        severity="warn",
                        hop="switchboard",
                        where=name,
                        what=f"{name}'s band clears the detent at {detent.value:.0f} us by only {clear:.0f} us.",
                        why=f"Jitter or a new trim could push it out; {CLEARANCE_US:.0f} us are wanted.",
                    )
                )
    for index, band in enumerate(settings.modes):
        for other in settings.modes[index + 1 :]:
            if band.channel == other.channel and band.low <= other.high and other.low <= band.high:
                findings.append(
                    CHECK.stop(
                        "switchboard.overlap",
                        f"{band.mode}, {other.mode}",
                        f"The bands of {band.mode} and {other.mode} overlap.",
                        "Only the first of them would hold where they do.",
                    )
                )
    return findings


def named_bands(settings: BoardSettings) -> list[tuple[str, Band, str]]:
    """Every band with its name and its place in the craft document, arm first."""
    arming = [("arm", settings.arming, "/settings/arming")] if settings.arming else []
    return [*arming, *((band.mode, band, f"/settings/modes/{index}") for index, band in enumerate(settings.modes))]


def held_by(band: Band, detents: list[Detent]) -> list[Detent]:
    """The detents that a band touches, jitter included."""
    return [detent for detent in detents if band.low <= detent.high and detent.low <= band.high]


def misses(band: Band, detents: list[Detent]) -> bool:
    """Whether a band touches no detent of a switch that has been flipped."""
    return len(detents) >= 2 and not held_by(band, detents)


def clearance(low: float, high: float, detent: Detent) -> float:
    """How many us lie between a detent, jitter included, and the nearest band edge; negative where it lies outside."""
    return min(detent.low - low, high - detent.high)


def around(detent: Detent, detents: list[Detent], step: float = 10.0) -> tuple[float, float]:
    """A band that reaches half way to the detents on both sides, or 150 us beyond where there is none; in `step` us."""
    below = [other.value for other in detents if other.value < detent.value - SAME_DETENT_US]
    above = [other.value for other in detents if other.value > detent.value + SAME_DETENT_US]
    low = (max(below) + detent.value) / 2 if below else detent.value - 150
    high = (min(above) + detent.value) / 2 if above else detent.value + 150
    return max(800.0, round(low / step) * step), min(2200.0, round(high / step) * step)
