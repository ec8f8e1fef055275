"""The transmitter's model memory: what it makes of sticks and switches, and what in it would spoil the link."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from linkcore.craft.document import ChannelSetup, Mix, TransmitterSetup
from linkcore.parts.axes import STICK_AXES, spelled
from linkcore.parts.models import Transmitter

CENTRE_US = 1500.0


def order_of(setup: TransmitterSetup) -> str | None:
    """The channel order that the first four channels' sources really give; None where one of the axes is not among them."""
    return spelled(channel.source for channel in setup.channels[:4])


def output_us(channel: ChannelSetup, value: float, part: Transmitter) -> float:
    """What a channel sends (us) for -1 to 1 after mixes, curve and reverse, within the transmitter's limits."""
    trim = max(-part.ends.sub_trim_max_us, min(part.ends.sub_trim_max_us, channel.sub_trim_us))
    low, high = (min(travel, part.max_travel_percent) for travel in (channel.travel_low_percent, channel.travel_high_percent))
    return law_us(value, (trim, low, high), part)


def law_us(value: float, dials: tuple[float, float, float], part: Transmitter) -> float:
    """The transmitter's own law of ends (docs/sticks.md): us for -1 to 1, from sub-trim (us), low and high travel (percent)."""
    trim, low, high = dials
    half = part.us_at_100 / 100
    inwards = 1 - abs(value)
    shift = part.ends.straight * (high - low) / 2 * half * inwards
    return CENTRE_US + value * (high if value >= 0 else low) * half + shift + (trim if part.ends.sub_trim_moves_ends else trim * inwards)


def in_counts(us: float, part: Transmitter) -> float:
    """The nearest value that the transmitter's raw counts can say, us."""
    return CENTRE_US + round((us - CENTRE_US) / part.count_us) * part.count_us


def on_curve(points: list[float], value: float) -> float:
    """`value` (-1 to 1) through a curve of percents at evenly spaced places; straight between them."""
    if not points:
        return value
    place = (max(-1.0, min(1.0, value)) + 1) / 2 * (len(points) - 1)
    at = min(int(place), len(points) - 2)
    return (points[at] + (place - at) * (points[at + 1] - points[at])) / 100


def layout_mixes(setup: TransmitterSetup) -> Iterator[Mix]:
    """What a layout mixes by itself; the plain one nothing."""
    places = {channel.source: index + 1 for index, channel in enumerate(setup.channels)}
    aileron, elevator, throttle = places.get("aileron"), places.get("elevator"), places.get("throttle")
    if setup.layout == "elevons" and aileron and elevator:
        yield Mix(to=aileron, source="elevator", percent=50)
        yield Mix(to=elevator, source="aileron", percent=-50)
    if setup.layout == "helicopter" and throttle and len(setup.channels) >= 6:
        yield Mix(to=6, source="throttle", percent=100)
        if rudder := places.get("rudder"):
            yield Mix(to=rudder, source="throttle", percent=15)
    if setup.layout == "flaps" and aileron and len(setup.channels) >= 6:
        yield Mix(to=6, source="aileron", percent=-100)


@dataclass
class Memory:
    """A model memory at work. `value_of`: a source's value, -1 to 1; `switches`: the places of the switches, from 0."""

    setup: TransmitterSetup
    part: Transmitter
    mixes: dict[int, list[Mix]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for mix in [*layout_mixes(self.setup), *self.setup.mixes]:
            self.mixes.setdefault(mix.to, []).append(mix)

    def output(self, channel: int, value_of: Callable[[str], float], switches: Mapping[str, int]) -> float:
        """What channel `channel` (from 1) sends, us, before it is rounded to counts."""
        setup = self.setup.channels[channel - 1]
        value = self._shaped(setup.source, value_of, switches)
        value += sum(mix.percent / 100 * self._shaped(mix.source, value_of, switches) for mix in self.mixes.get(channel, ()))
        value = on_curve(setup.curve, max(-1.0, min(1.0, value)))
        if reversed_wrongly(setup, self.part):
            value = -value
        return output_us(setup, value, self.part)

    def _shaped(self, source: str, value_of: Callable[[str], float], switches: Mapping[str, int]) -> float:
        value = value_of(source)
        for rate in self.setup.rates:
            if rate.axis == source and (not rate.switch or switches.get(rate.switch) == rate.position):
                soft = rate.expo_percent / 100
                value = rate.percent / 100 * ((1 - soft) * value + soft * value**3)
        trim = self.setup.trims_us.get(source, 0.0) if source in STICK_AXES else 0.0
        return value + trim / self.part.us_at_100


def reversed_wrongly(channel: ChannelSetup, part: Transmitter) -> bool:
    """Whether a channel runs against its stick."""
    return channel.reverse != (part.throttle_reversed and channel.source == "throttle")
