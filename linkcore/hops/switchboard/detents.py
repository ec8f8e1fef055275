"""The resting positions of the switches, as measured or as the model memory lets expect them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from pydantic import BaseModel, Field

from linkcore.craft.document import CraftDocument
from linkcore.devices.model_memory import Memory, in_counts
from linkcore.parts.models import Transmitter

SAME_DETENT_US = 25.0
REST_S = 0.2
MOST_SWITCHES = 6


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


class RowSample(BaseModel):
    """A row as it was seen: when (bench seconds), the channels' values (us), and what the board reported."""

    t: float
    values: dict[int, float]
    armed: bool
    mode: str


class SwitchMeasure(BaseModel):
    """Detents learned from channel values, and the rows that the board was seen to hold."""

    detents: dict[int, list[Detent]] = Field(default_factory=dict)
    seen: set[tuple[int, ...]] = Field(default_factory=set)
    samples: dict[str, RowSample] = Field(default_factory=dict, description="Of each row seen, by its places with commas between")
    resting: dict[int, tuple[float, float]] = Field(default_factory=dict)  # channel: (since, value)

    def add_all(self, channel: int, times: Sequence[float], heard: Sequence[float]) -> None:
        """Take values of a switch channel (us) and when they came (s), in their order; those that lie in the detent where it has rested for long change nothing."""
        low, high = min(heard), max(heard)
        since, value = self.resting.get(channel, (times[0], low))
        if times[0] - since >= REST_S and abs(low - value) <= SAME_DETENT_US and abs(high - value) <= SAME_DETENT_US:
            near = [each for each in self.detents.get(channel, ()) if abs(each.value - low) <= SAME_DETENT_US or abs(each.value - high) <= SAME_DETENT_US]
            if len(near) == 1 and near[0].low <= low and high <= near[0].high:
                return
        for t, us in zip(times, heard, strict=True):
            self.add(t, channel, us)

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
        self.forget_rows()  # the places have been renumbered, so no row can be told apart from another

    def forget_rows(self) -> None:
        """What was seen counts no more; the detents stay."""
        self.seen.clear()
        self.samples.clear()

    def see(self, places: tuple[int, ...], sample: RowSample) -> None:
        """A row was seen; the first sight of it is kept."""
        if places not in self.seen:
            self.seen.add(places)
            self.samples[",".join(map(str, places))] = sample

    def place(self, channel: int, us: float) -> int | None:
        """Which detent (from 0, lowest first) a value rests in."""
        for index, detent in enumerate(self.detents.get(channel, [])):
            if abs(detent.value - us) <= SAME_DETENT_US:
                return index
        return None

    def rested(self, t: float, channel: int) -> bool:
        """Whether a channel has rested long enough to count."""
        return channel in self.resting and t - self.resting[channel][0] >= REST_S


def expected_detents(document: CraftDocument, transmitter: Transmitter, channel: int) -> list[Detent]:
    """Where a switch channel will rest by the model memory, before anything was measured; lowest first, empty where no switch drives it."""
    return [Detent(low=us, high=us) for us in sorted(set(by_position(document, transmitter, channel)))]


def by_position(document: CraftDocument, transmitter: Transmitter, channel: int) -> list[float]:
    """The same by the switch's positions, us."""
    source = document.transmitter.source(channel)
    switch = next((each for each in transmitter.switches if each.name == source), None)
    if switch is None or channel > transmitter.channels:
        return []
    memory = Memory(document.transmitter, transmitter)
    places = [-1 + 2 * place / (switch.positions - 1) for place in range(switch.positions)]
    return [round(in_counts(memory.output(channel, lambda name, at=at: at if name == source else 0.0, {}), transmitter), 1) for at in places]  # type: ignore[misc]


def known_detents(document: CraftDocument, transmitter: Transmitter | None, measured: SwitchMeasure, channel: int) -> tuple[list[Detent], bool]:
    """(detents of a channel, whether all of them were measured): until every position was seen, those that the model memory lets expect."""
    seen = measured.detents.get(channel, [])
    expected = expected_detents(document, transmitter, channel) if transmitter else []
    return (seen, True) if seen and len(seen) >= len(expected) else (expected or seen, False)


def shown_detents(document: CraftDocument, transmitter: Transmitter | None, measured: SwitchMeasure, channel: int) -> list[tuple[Detent, bool]]:
    """Every detent of a channel and whether it was seen, lowest first: those measured, and those that the model memory lets expect besides."""
    known, whole = known_detents(document, transmitter, measured, channel)
    if whole:
        return [(each, True) for each in known]
    seen = measured.detents.get(channel, [])
    unseen = [each for each in known if each not in seen and all(abs(each.value - other.value) > SAME_DETENT_US for other in seen)]
    return sorted([*((each, True) for each in seen), *((each, False) for each in unseen)], key=lambda pair: pair[0].value)


def as_known(document: CraftDocument, transmitter: Transmitter, measured: SwitchMeasure, channels: Iterable[int]) -> SwitchMeasure:
    """A measurement that holds, for every one of these channels, what is known of it so far: for the truth table of a craft that was not flipped through yet."""
    return SwitchMeasure(detents={channel: known_detents(document, transmitter, measured, channel)[0] for channel in channels})
