"""What Sticks and Switchboard show of a bench. What is dear and seldom changes is kept until what it rests on changes."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from linkcore.modes.catalogue import MODES, exclude_each_other
from linkcore.modes.clearance import band_clearance, edge_clearance
from linkcore.modes.detents import known_detents, shown_detents
from linkcore.modes.rules import held_by, misses, named_bands
from linkcore.modes.suggest import Suggestion, runs_of, suggest_all
from linkcore.modes.truth import PLACES, TruthTable, switch_channels, truth_table
from linkcore.parts.axes import AXES, Axis, channel_of
from linkcore.standins.bench import Bench
from linkcore.standins.messages import BandView, ModeView, RunView, SticksReport, SwitchboardReport, SwitchView, TravelView
from linkcore.sticks.latency import latency
from linkcore.sticks.lines import propose_deadband, step_us
from linkcore.sticks.memory import order_of
from linkcore.sticks.surfaces import surfaces_of
from linkcore.sticks.travel import Places, TravelPlan, beside_predicted, near_us

T = TypeVar("T")


class HandsView:
    """Works the views out; keeps each with the key that it was worked out for."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._kept: dict[str, tuple[object, object]] = {}
        self._numbered: dict[str, tuple[object, int]] = {}

    def _keep(self, name: str, key: object, work_out: Callable[[], T]) -> T:
        kept = self._kept.get(name)
        if kept is None or kept[0] != key:
            kept = self._kept[name] = (key, work_out())
        return kept[1]  # type: ignore[return-value]

    def _number(self, name: str, thing: object) -> int:
        """A number that changes when `thing` is another object than before; what it is kept by, since an id may come again."""
        kept = self._numbered.get(name)
        if kept is None or kept[0] is not thing:
            kept = self._numbered[name] = (thing, kept[1] + 1 if kept else 0)
        return kept[1]

    @property
    def _draft(self) -> int:
        return self._number("draft", self.bench.document)

    def table(self) -> TruthTable:
        """The truth table of what runs on the board."""
        bench, running = self.bench, self.bench.board.running
        measured = bench.measured
        at = bench.measuring.places_now(switch_channels(bench.document, running))
        detents = {channel: [(each.low, each.high) for each in found] for channel, found in measured.detents.items()}
        key = (self._draft, self._number("running", running), detents, len(measured.seen), at, tuple(bench.lacking))
        return self._keep("table", key, lambda: truth_table(bench.document, running, bench.transmitter_part, measured, bench.lacking, at))

    def sticks(self) -> SticksReport:
        """Travel, rest, deadband, latency and surfaces."""
        bench = self.bench
        document, parts, measured = bench.document, bench.parts, bench.sticks
        return SticksReport(
            travel=[self._travel(axis) for axis in AXES],
            resting_s=bench.measuring.watched_s(),
            deadband=propose_deadband(measured.noise, step_us(document, parts)),
            latency=self._keep("latency", self._draft, lambda: latency(document, parts)),
            surfaces=self._keep("surfaces", self._draft, lambda: surfaces_of(document, parts)),
            sent_order=measured.found.order or order_of(document.transmitter),
        )

    def _travel(self, axis: Axis) -> TravelView:
        bench = self.bench
        measured, channel_map = bench.sticks, bench.board.running.channel_map
        reached = measured.reached[axis]
        places = reached.places(axis)
        key = (self._draft, channel_map, places.model_dump_json() if places else None)
        plan: TravelPlan | None = self._keep(f"travel {axis}", key, lambda: measured.plan(axis, bench.document, bench.parts, channel_map))
        wait = ""
        if places is None:
            moved = reached.low is not None and reached.high is not None and reached.high - reached.low >= 400
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
            beside_predicted=beside_predicted(expected, places, bench.transmitter_part) if expected is not None and places is not None else "",
            near_us=round(near_us(bench.transmitter_part), 2),
        )

    def switches(self) -> list[SwitchView]:
        """Every channel that a band of the draft or of the board listens to."""
        bench = self.bench
        document, running = bench.document, bench.board.running
        positions = {switch.name: switch.positions for switch in bench.transmitter_part.switches}
        views = []
        for channel in sorted(set(switch_channels(document, running)) | set(switch_channels(document, document.settings))):
            source = document.transmitter.source(channel)
            known, seen = known_detents(document, bench.transmitter_part, bench.measured, channel)
            told = shown_detents(document, bench.transmitter_part, bench.measured, channel)
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
                            misses=misses(band, known),
                            path=path,
                        )
                        for name, band, path in named_bands(document.settings)
                        if band.channel == channel
                    ],
                )
            )
        return views

    def switchboard(self) -> SwitchboardReport:
        """The modes there are, and every band as it would be suggested."""
        bench = self.bench
        names = [facts.name for facts in MODES]
        modes = [
            ModeView(
                name=facts.name,
                does=facts.does,
                lacks=bench.lacking.get(facts.name, ""),
                excludes=[name for name in names if exclude_each_other(facts.name, name)],
            )
            for facts in MODES
        ]
        detents = {channel: [(each.low, each.high) for each in found] for channel, found in bench.measured.detents.items()}
        key = (self._draft, detents)
        suggestion: Suggestion = self._keep(
            "suggestion", key, lambda: suggest_all(bench.document, bench.document.settings, bench.transmitter_part, bench.measured)
        )
        return SwitchboardReport(modes=modes, suggestion=suggestion)
