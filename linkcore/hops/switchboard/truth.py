"""The truth table: every combination of detents, what each holds, and which rows surprise."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product

from pydantic import BaseModel, Field

from linkcore.craft.airframes import FLYERS
from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.devices.modes import _NOTHING_LACKING, DEFAULT_MODE, Holding, has_guard, resolve, switch_channels
from linkcore.hops.switchboard.detents import MOST_SWITCHES, Detent, SwitchMeasure
from linkcore.hops.switchboard.walk import flips_of, shortest_walk
from linkcore.parts.models import Transmitter

PLACES = {1: ("rest",), 2: ("low", "high"), 3: ("low", "mid", "high")}


class Row(BaseModel):
    """One combination of detents: places by channel, what it should hold, and whether it was seen to. `surprise`: what about it is easily overlooked."""

    places: list[str]
    arm: bool
    mode: str
    seen: bool = False
    surprise: str = ""


class TruthTable(BaseModel):
    """Every combination of the switch channels in use. `next_rows`: indexes of the rows still missing, in the order of fewest flips; `flips_left` in all."""

    channels: list[int]
    switches: list[str]
    rows: list[Row]
    too_many: int = Field(0, description="Switches in use, where they are more than a table can show")
    next_rows: list[int] = []
    flips_left: int = 0

    @property
    def seen(self) -> int:
        """How many rows have been seen."""
        return sum(row.seen for row in self.rows)

    @property
    def proven(self) -> bool:
        """Whether there are rows and all of them were seen."""
        return bool(self.rows) and all(row.seen for row in self.rows)


def surprise(held: Holding, document: CraftDocument, lacking: Mapping[str, str]) -> str:
    """What about a row is easily overlooked; empty where nothing is."""
    said = []
    armed = held.arm and held.guard is not False
    if held.arm and held.guard is False:
        said.append("the guard is off: it does not arm, but stays armed if it was")
    said += [f"{mode} is asked for, but {lacking[mode]}" for mode in held.lacking]
    said += [f"{mode} gives way to {winner}" for mode, winner in held.beaten]
    if armed and held.main == DEFAULT_MODE and not held.lacking and document.airframe in FLYERS and not document.acro_wanted:
        said.append("no mode is on here: it flies acro and does not level itself")
    return "; ".join(said)


def truth_table(
    document: CraftDocument,
    settings: BoardSettings,
    transmitter: Transmitter,
    measured: SwitchMeasure,
    lacking: Mapping[str, str] = _NOTHING_LACKING,
    at: Mapping[int, int] | None = None,
) -> TruthTable:
    """All rows; a switch not measured yet has no detents, and its rows hold nothing that could be said. `at`: the places of the switches now, by channel."""
    channels = switch_channels(document, settings)
    positions = {switch.name: switch.positions for switch in transmitter.switches}
    sources = [document.transmitter.source(channel) for channel in channels]
    if len(channels) > MOST_SWITCHES:
        return TruthTable(channels=channels, switches=sources, rows=[], too_many=len(channels))
    expected = [positions.get(source, 1) for source in sources]
    known = [len(measured.detents.get(channel, [])) == count for channel, count in zip(channels, expected, strict=True)]
    holding = [_asked(settings, channel, measured.detents.get(channel, [])) for channel in channels]
    whole, guarded = all(known), has_guard(settings)
    names = [PLACES[count] for count in expected]
    rows, places_of = [], list(product(*(range(count) for count in expected))) if channels else []
    resolved: dict[tuple[frozenset[str], bool], tuple[Holding, str]] = {}
    for places in places_of:
        shown = [names[index][place] for index, place in enumerate(places)]
        if not whole:
            rows.append(Row.model_construct(places=shown, arm=False, mode="?", seen=False, surprise=""))
            continue
        asked: frozenset[str] = frozenset().union(*(holding[index][place][0] for index, place in enumerate(places)))
        arm = any(holding[index][place][1] for index, place in enumerate(places))
        if (asked, arm) not in resolved:
            held = resolve(set(asked), arm, guarded, lacking)
            resolved[asked, arm] = held, surprise(held, document, lacking)
        held, why = resolved[asked, arm]
        rows.append(Row.model_construct(places=shown, arm=held.arm and held.guard is not False, mode=held.text, seen=places in measured.seen, surprise=why))
    table = TruthTable.model_construct(channels=channels, switches=sources, rows=rows, too_many=0, next_rows=[], flips_left=0)
    if whole and rows:
        missing = [places for places, row in zip(places_of, rows, strict=True) if not row.seen]
        here = tuple((at or {}).get(channel, 0) for channel in channels)
        walk = shortest_walk(missing, here)
        index_of = {places: index for index, places in enumerate(places_of)}
        table.next_rows, table.flips_left = [index_of[places] for places in walk], flips_of(walk, here)
    return table


def _asked(settings: BoardSettings, channel: int, detents: list[Detent]) -> list[tuple[set[str], bool]]:
    """For each detent of a channel: the modes whose bands hold it, and whether the arm band does."""
    arming = settings.arming if settings.arm_by == "switch" else None
    return [
        (
            {band.mode for band in settings.modes if band.channel == channel and band.holds(detent.value)},
            arming is not None and arming.channel == channel and arming.holds(detent.value),
        )
        for detent in detents
    ]
