"""What is told of the Switchboard: the rulers, the modes, what would be suggested, and the truth table."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from pydantic import BaseModel, Field

from linkcore.craft.document import Mode
from linkcore.devices.modes import MODES, Kind, default_in_words, exclude_each_other, needs, switch_channels
from linkcore.hops.switchboard.clearance import CLEARANCE_US, band_clearance, edge_clearance
from linkcore.hops.switchboard.detents import SwitchMeasure, known_detents, shown_detents
from linkcore.hops.switchboard.rules import held_by, misses, named_bands
from linkcore.hops.switchboard.suggest import SCALE_US, STEP_US, Suggestion, runs_of, suggest_all
from linkcore.hops.switchboard.truth import PLACES, TruthTable
from linkcore.kept import Kept
from linkcore.reads import Whole


class BandView(BaseModel):
    """A band of the draft on a switch channel, us. `clear` is its least clearance; None where it holds no known detent. `path`: its place in the craft.

    `clear_low`, `clear_high`: from either edge to the nearest detent, jitter included; `close_low`, `close_high`: whether that is less than is wanted.
    `on_at`: the switch's positions that it holds.
    """

    name: str
    low: float
    high: float
    clear: float | None
    clear_low: float | None
    clear_high: float | None
    close_low: bool
    close_high: bool
    misses: bool
    on_at: list[str]
    path: str


class RunView(BaseModel):
    """Neighbouring positions of a switch, and the band (us) that would hold just them."""

    places: list[str]
    low: float
    high: float


class SwitchView(BaseModel):
    """A switch channel. Each detent as (value, jitter) in us and whether it was seen or is only expected; `measured`: all were. `runs`: what bands could hold."""

    channel: int
    source: str
    positions: int
    detents: list[tuple[float, float, bool]]
    measured: bool
    runs: list[RunView]
    bands: list[BandView]


class ModeView(BaseModel):
    """A mode of the catalogue: under what it is offered, what it does and needs, and why it cannot hold here (empty where it can)."""

    name: Mode
    kind: Kind
    does: str
    needs: str
    lacks: str
    excludes: list[Mode]


class RulerScale(BaseModel):
    """What a ruler shows, and by what steps a band's edge moves on it, us."""

    low: float = SCALE_US[0]
    high: float = SCALE_US[1]
    step: float = STEP_US


class SwitchboardTold(BaseModel):
    """The Switchboard beside its rulers and its table."""

    scale: RulerScale
    switches: list[SwitchView]
    by_default: str = Field(description="What the craft does where no mode is on")
    modes: list[ModeView]
    suggestion: Suggestion
    table: TruthTable | None = Field(None, description="None while it is as it was last told: 729 rows five times a second would be a burden")


class Flipping(Protocol):
    """What is looked at of a running bench."""

    kept: Kept

    @property
    def measured(self) -> SwitchMeasure:
        """The switches as measured."""
        ...

    @property
    def lacking(self) -> Mapping[str, str]:
        """Modes that cannot hold here, and why."""
        ...

    def table(self) -> TruthTable:
        """The truth table of what runs on the board."""
        ...


def tell(whole: Whole, seen: Flipping) -> SwitchboardTold:
    """The Switchboard."""
    document, measured, transmitter = whole.document, seen.measured, whole.parts.transmitter
    detents = {channel: [(each.low, each.high) for each in found] for channel, found in measured.detents.items()}
    same = (document, whole.settings, whole.parts)
    return SwitchboardTold(
        scale=RulerScale(),
        by_default=default_in_words(document.airframe),
        switches=seen.kept.get("switches", same, detents, lambda: _switches(whole, measured)),
        modes=seen.kept.get("modes", (), dict(seen.lacking), lambda: _modes(seen.lacking)),
        suggestion=seen.kept.get("suggestion", same, detents, lambda: suggest_all(document, document.settings, transmitter, measured)),
        table=seen.table(),
    )


def _modes(lacking: Mapping[str, str]) -> list[ModeView]:
    names = [facts.name for facts in MODES]
    return [
        ModeView(
            name=facts.name,
            kind=facts.kind,
            does=facts.does,
            needs=needs(facts.name),
            lacks=lacking.get(facts.name, ""),
            excludes=[name for name in names if exclude_each_other(facts.name, name)],
        )
        for facts in MODES
    ]


def _switches(whole: Whole, measured: SwitchMeasure) -> list[SwitchView]:
    """Every channel that a band of the draft or of the board listens to."""
    document, transmitter = whole.document, whole.parts.transmitter
    positions = {switch.name: switch.positions for switch in transmitter.switches}
    views = []
    for channel in sorted(set(switch_channels(document, whole.settings)) | set(switch_channels(document, document.settings))):
        source = document.transmitter.source(channel)
        known, seen = known_detents(document, transmitter, measured, channel)
        told = shown_detents(document, transmitter, measured, channel)
        shown = [detent for detent, _ in told]
        names = PLACES.get(len(known), ())
        views.append(
            SwitchView(
                channel=channel,
                source=source,
                positions=positions.get(source, 1),
                detents=[(round(detent.value, 1), round(detent.jitter, 1), was_seen) for detent, was_seen in told],
                measured=seen,
                runs=[RunView(places=list(names[first : last + 1]), low=low, high=high) for first, last, low, high in runs_of(known)] if names else [],
                bands=[
                    BandView(
                        name=name,
                        low=band.low,
                        high=band.high,
                        clear=round(band_clearance(band.low, band.high, held), 1) if (held := held_by(band, shown)) else None,
                        clear_low=round(edge_clearance(band.low, shown), 1) if shown else None,
                        clear_high=round(edge_clearance(band.high, shown), 1) if shown else None,
                        close_low=bool(shown) and edge_clearance(band.low, shown) < CLEARANCE_US,
                        close_high=bool(shown) and edge_clearance(band.high, shown) < CLEARANCE_US,
                        misses=misses(band, known),
                        on_at=[names[known.index(detent)] for detent in held_by(band, known)] if names else [],
                        path=path,
                    )
                    for name, band, path in named_bands(document.settings)
                    if band.channel == channel
                ],
            )
        )
    return views
