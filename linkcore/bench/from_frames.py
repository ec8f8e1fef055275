"""What channel frames tell of sticks and switches: the one place where a frame becomes a measurement."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from linkcore.craft.document import CraftDocument
from linkcore.devices.modes import switch_channels
from linkcore.hops.sticks.finder import ChannelFinder
from linkcore.hops.sticks.lines import RestWatch
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.parts.axes import AXES, Axis, channel_of
from linkcore.protocols.base import ChannelFrame, Frame

FINDER_S = 0.02  # how often the channel finder takes a sample


def hear(frame: Frame, channel_map: str, switches_on: Iterable[int], sticks: SticksMeasure, switches: SwitchMeasure, watches: Mapping[Axis, RestWatch]) -> bool:
    """Let one frame count for sticks (by `channel_map`) and for the channels `switches_on`; False where it says nothing: lost, failsafe, or without a time."""
    if not isinstance(frame, ChannelFrame) or frame.failsafe or frame.frame_lost or frame.t is None:
        return False
    for axis in AXES:
        if (us := frame.channel(channel_of(axis, channel_map))) is not None:
            sticks.add(frame.t, axis, us)
            watches[axis].take(frame.t, us)
    for channel in switches_on:
        if (us := frame.channel(channel)) is not None:
            switches.add(frame.t, channel, us)
    for axis, watch in watches.items():
        if watch.noise is not None and sticks.noise.get(axis) is not watch.noise:
            sticks.noise[axis] = watch.noise
    return True


def heard_in(frames: Iterable[Frame], document: CraftDocument) -> tuple[SticksMeasure, SwitchMeasure, int]:
    """(sticks, switches, how many channel frames did not count) of a recording, told by the signal alone. The channels are judged by the draft's map."""
    sticks, switches, left_out = SticksMeasure(), SwitchMeasure(), 0
    watches = {axis: RestWatch() for axis in AXES}
    finder = ChannelFinder(document.transmitter.stick_mode)
    listening = switch_channels(document, document.settings)
    now: dict[int, float] = {}
    sampled = -FINDER_S
    for frame in frames:
        if not hear(frame, document.settings.channel_map, listening, sticks, switches, watches):
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
