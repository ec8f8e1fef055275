"""What channel frames tell of sticks and switches: the one place where a frame becomes a measurement."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from linkcore.craft.document import CraftDocument
from linkcore.devices.modes import switch_channels
from linkcore.hops.sticks.finder import ChannelFinder
from linkcore.hops.sticks.lines import RestWatch
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.parts.axes import AXES, Axis, channel_of
from linkcore.protocols.base import ChannelFrame, Frame

Stretch = tuple[Sequence[float], Sequence[float]]  # when, s, and what came then, us
NOTHING: Stretch = ((), ())
FINDER_S = 0.02  # how often the channel finder takes a sample


class Ear:
    """Lets frames count for sticks, by a channel map, and for switches. `watches`: noise at rest, for each axis that is listened to for it."""

    def __init__(self, sticks: SticksMeasure, switches: SwitchMeasure, watches: Mapping[Axis, RestWatch]) -> None:
        self.sticks, self.switches, self.watches = sticks, switches, watches

    def hear(self, frames: Iterable[Frame], channel_map: str, switches_on: Iterable[int]) -> int:
        """Take frames in their order; returns how many counted. Those say nothing that were lost, carry failsafe, or have no time."""
        counted = [frame for frame in frames if isinstance(frame, ChannelFrame) and not frame.failsafe and not frame.frame_lost and frame.t is not None]
        if not counted:
            return 0
        whole = counted[0].numbers is None and all(frame.numbers is None and len(frame.channels) == len(counted[0].channels) for frame in counted)
        columns = list(zip(*[frame.channels for frame in counted], strict=True)) if whole else None
        times = [frame.t or 0.0 for frame in counted]
        by_number = None if whole else [frame.numbered() for frame in counted]

        def values(channel: int) -> Stretch:
            if columns is not None:
                return (times, columns[channel - 1]) if channel <= len(columns) else NOTHING
            heard = [(t, known[channel]) for t, known in zip(times, by_number or (), strict=True) if channel in known]
            return [t for t, _ in heard], [us for _, us in heard]

        for axis in AXES:
            at, seen = values(channel_of(axis, channel_map))
            if seen:
                self.sticks.add_all(axis, at, seen)
                watch = self.watches.get(axis)
                if watch is not None:
                    watch.take_all(at, seen)
                    if watch.noise is not None and self.sticks.noise.get(axis) is not watch.noise:
                        self.sticks.noise[axis] = watch.noise
        for channel in switches_on:
            at, seen = values(channel)
            if seen:
                self.switches.add_all(channel, at, seen)
        return len(counted)


def heard_in(frames: Iterable[Frame], document: CraftDocument) -> tuple[SticksMeasure, SwitchMeasure, int]:
    """(sticks, switches, how many channel frames did not count) of a recording, told by the signal alone. The channels are judged by the draft's map."""
    sticks, switches, left_out = SticksMeasure(), SwitchMeasure(), 0
    ear = Ear(sticks, switches, {axis: RestWatch() for axis in AXES})
    finder = ChannelFinder(document.transmitter.stick_mode)
    listening = switch_channels(document, document.settings)
    now: dict[int, float] = {}
    sampled = -FINDER_S
    for frame in frames:
        if not ear.hear([frame], document.settings.channel_map, listening):
            left_out += isinstance(frame, ChannelFrame)
            continue
        assert isinstance(frame, ChannelFrame), "hear() counts no other"
        assert frame.t is not None, "nor one without a time"
        now |= frame.numbered()
        if frame.t - sampled >= FINDER_S - 1e-9:
            sampled = frame.t
            finder.take(frame.t, [now.get(number, 0.0) for number in range(1, max(now) + 1)])
    sticks.found = finder.found
    return sticks, switches, left_out
