"""What a bench learns from its signal: sticks, switches, rows of the truth table, and how the link was lost."""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.bench.from_frames import FINDER_S, Ear
from linkcore.bench.in_hands import HandsWatch
from linkcore.bench.latency import LatencyWatch
from linkcore.bench.losses import LossWatch
from linkcore.bench.messages import BenchState
from linkcore.bench.seen import SeenBench
from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.devices.board_api import BoardApi
from linkcore.devices.gimbals import PLACES
from linkcore.devices.modes import holds, switch_channels
from linkcore.hops.airframe.proofs import MADE_WITH as AIRFRAME_MADE_WITH
from linkcore.hops.downlink.proofs import MADE_WITH as DOWNLINK_MADE_WITH
from linkcore.hops.line.proofs import PORT_READS
from linkcore.hops.lost_link.proofs import MADE_WITH as LOSS_MADE_WITH
from linkcore.hops.lost_link.runs import LossRun
from linkcore.hops.signal import SIGNAL
from linkcore.hops.sticks.finder import ChannelFinder
from linkcore.hops.sticks.lines import RestWatch
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.sticks.travel import Places, predict_dialled
from linkcore.hops.switchboard.detents import RowSample, SwitchMeasure
from linkcore.parts.axes import AXES, AXIS_OF, Axis, channel_of
from linkcore.protocols.base import Frame
from linkcore.reads import LATER_SECTIONS, Reads

MADE_WITH: Mapping[str, Reads] = {  # what a measurement counts for, by the hop that it is made for
    "line": PORT_READS.reads,
    "sticks": Reads(*SIGNAL, "transmitter", "settings/channel_map", "settings/stick_lines"),
    "switchboard": Reads(
        *SIGNAL,
        "transmitter",
        "settings/channel_map",
        "settings/arming",
        "settings/arm_by",
        "settings/stick_arming",
        "settings/modes",
        "settings/rssi_channel",
        "airframe",
        "sensors",
    ),
    "lost link": LOSS_MADE_WITH,
    **DOWNLINK_MADE_WITH,
    **AIRFRAME_MADE_WITH,
}
Foundations = Mapping[str, Mapping[str, str]]


class Measuring:
    """Everything that is measured on one bench, and when it counts no more."""

    def __init__(self, bench: SeenBench, state: BenchState) -> None:
        self._bench = bench
        self.sticks = state.sticks
        self.switches = state.measured
        self.losses = LossWatch(bench, state.loss)
        self.airframe = HandsWatch(bench, state.airframe)
        self.latency = LatencyWatch()
        self.finder = ChannelFinder(bench.document.transmitter.stick_mode, state.sticks.found)
        self._watches: dict[Axis, RestWatch] = {axis: RestWatch() for axis in AXES}
        self._finder_t = 0.0
        self._listening: tuple[CraftDocument, BoardSettings, list[int]] | None = None
        self.sticks_in_sight = True  # which channel a stick moves, and its noise at rest, are looked for only while somebody looks at that

    def anew(self) -> None:
        """Forget what was measured."""
        self.sticks, self.switches = SticksMeasure(), SwitchMeasure()
        self.losses.forget()
        self._bench.link.sensors.count_anew()
        self._bench.bells.forget()
        self._bench.video.count_anew()
        self.airframe.forget(body=True, compass=True, power=True, motors=True, surfaces=True, ends=True)
        self._find_anew()

    def _find_anew(self) -> None:
        self.finder = ChannelFinder(self._bench.document.transmitter.stick_mode, self.sticks.found)
        self._watches = {axis: RestWatch() for axis in AXES}

    def forget(self, before: Foundations, now: Foundations, old: CraftDocument) -> None:
        """A measurement counts only for what it was made with; or an old one would prove the new settings. `old`: the craft as it was."""
        document = self._bench.document
        axes = self._only_dials(old, document) if changed(before, now, "sticks") == {"transmitter"} else None
        if axes is not None:
            turned = {axis for axis in axes if _routed(old, self._number(axis)) != _routed(document, self._number(axis))}
            known = {name: each for name, each in self.sticks.found.axes.items() if AXIS_OF[name] not in turned}
            self.sticks = self.sticks.without(axes, self._expected(old, document), self.sticks.found.model_copy(update={"axes": known}))
            self._find_anew()
        elif _differ(before, now, "sticks"):
            same_kit = not _differ(before, now, "sticks", "kit", "parts")
            self.sticks = SticksMeasure(
                found=self.sticks.found if same_kit and routing(document) == routing(old) else SticksMeasure().found,
                noise=self.sticks.noise if same_kit else {},
                expected=self._expected(old, document),
            )
            self._find_anew()
        if _differ(before, now, "switchboard"):
            self.switches.forget_rows()
        if _differ(before, now, "switchboard", "kit", "parts", "transmitter"):
            self.switches.detents.clear()
        if _differ(before, now, "line") or _differ(before, now, "sticks"):
            self.latency = LatencyWatch()
        if _differ(before, now, "lost link"):
            self.losses.forget()
        self.airframe.forget(
            body=_differ(before, now, "airframe"),
            compass=_differ(before, now, "compass"),
            power=_differ(before, now, "pack"),
            motors=_differ(before, now, "motors"),
            surfaces=_differ(before, now, "surfaces"),
            ends=_differ(before, now, "end points"),
        )
        if _differ(before, now, "sensors"):
            self._bench.link.sensors.count_anew()
        if _differ(before, now, "alarms"):
            self._bench.bells.forget()
        if _differ(before, now, "picture"):
            self._bench.video.count_anew()

    def _only_dials(self, old: CraftDocument, document: CraftDocument) -> set[Axis] | None:
        """The axes whose channels alone were set up otherwise; None where more of the model memory is another."""
        before, after = old.transmitter, document.transmitter
        if before.model_copy(update={"channels": []}) != after.model_copy(update={"channels": []}) or len(before.channels) != len(after.channels):
            return None
        if any(one.source != other.source for one, other in zip(before.channels, after.channels, strict=True)):
            return None
        numbers = {number for number, pair in enumerate(zip(before.channels, after.channels, strict=True), 1) if pair[0] != pair[1]}
        return {axis for axis in AXES if self._number(axis) in numbers}

    def _number(self, axis: Axis) -> int:
        return channel_of(axis, self._bench.board.running.channel_map)

    def _expected(self, old: CraftDocument, document: CraftDocument) -> dict[Axis, Places]:
        """Where the sticks should be seen after other figures were dialled in, whoever worked them out; kept while nothing of a channel changes."""
        found: dict[Axis, Places] = {}
        for axis in AXES:
            number = channel_of(axis, self._bench.board.running.channel_map)
            if number > min(len(old.transmitter.channels), len(document.transmitter.channels)):
                continue
            before, after = (each.transmitter.channels[number - 1] for each in (old, document))
            expected = self.sticks.expected.get(axis)
            if before != after:
                places = self.sticks.reached[axis].places(axis) or expected  # not measured since the last turn of a dial: then from what that predicted
                expected = predict_dialled(before, after, self._bench.transmitter_part, places) if places else None
            if expected is not None:
                found[axis] = expected
        return found

    # --- sticks and switches ------------------------------------------------------------------------------------

    def take(self, frames: list[Frame]) -> None:
        """Good frames, as the board decoded them."""
        board: BoardApi = self._bench.board
        running = board.running
        self.latency.take(frames)
        channels = self._switch_channels(running)
        Ear(self.sticks, self.switches, self._watches if self.sticks_in_sight else {}).hear(frames, running.channel_map, channels)
        if self.sticks_in_sight:
            self._find()
        self._see_row(channels, running)

    def _switch_channels(self, running: BoardSettings) -> list[int]:
        known, document = self._listening, self._bench.document
        if known is None or known[0] is not document or known[1] is not running:
            known = self._listening = (document, running, switch_channels(document, running))
        return known[2]

    def watched_s(self) -> dict[Axis, float]:
        """How long each stick has rested so far, s."""
        return {axis: round(watch.watched_s(self._bench.t), 1) for axis, watch in self._watches.items()}

    def _find(self) -> None:
        board: BoardApi = self._bench.board
        t = board.last_frame_t
        if t is None or t - self._finder_t < FINDER_S or not board.channels:
            return
        self._finder_t = t
        gimbals = self._bench.transmitter.gimbals
        rssi = board.running.rssi_channel
        channels = tuple(1500.0 if number == rssi else us for number, us in enumerate(board.channels, 1)) if rssi else board.channels  # it moves by itself
        self.finder.take(t, channels, [gimbals[stick][way] for stick, way in PLACES])
        self.sticks.found = self.finder.found

    def _see_row(self, channels: list[int], running: BoardSettings) -> None:
        """A row counts as seen while every switch rests and the board reports just what the bands promise."""
        board: BoardApi = self._bench.board
        switches = self.switches
        if not channels or board.last_frame_t is None or not all(switches.rested(board.last_frame_t, channel) for channel in channels):
            return
        if max(channels) > len(board.channels):
            return  # a switch's channel never arrived
        values = {channel: board.channels[channel - 1] for channel in channels}
        places = tuple(place for channel in channels if (place := switches.place(channel, values[channel])) is not None)
        if len(places) < len(channels) or places in switches.seen:
            return
        held = holds(running, values, self._bench.lacking)
        armed_right = board.armed == held.arm or running.arm_by == "stick" or (held.guard is False and not board.armed)
        if armed_right and board.mode == held.text:
            sample = RowSample(
                t=round(board.last_frame_t, 3), values={channel: round(us, 1) for channel, us in values.items()}, armed=board.armed, mode=board.mode
            )
            switches.see(places, sample)

    def places_now(self, channels: list[int]) -> dict[int, int]:
        """Which detent each switch channel is in, where that is known."""
        board: BoardApi = self._bench.board
        known = {channel: self.switches.place(channel, board.channels[channel - 1]) for channel in channels if channel <= len(board.channels)}
        return {channel: place for channel, place in known.items() if place is not None}

    # --- the lost link ------------------------------------------------------------------------------------------

    def broken_off(self) -> None:
        """The supply came or went in the middle of it."""
        self.losses.broken_off()

    def watch_loss(self, t: float) -> None:
        """Follow a lost link."""
        self.losses.watch(t)

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        return self.losses.run


def routing(document: CraftDocument) -> object:
    """What of a model memory decides which channel a stick drives, and which way round."""
    setup = document.transmitter
    return setup.stick_mode, setup.layout, setup.mixes, setup.rates, [(channel.source, channel.reverse, channel.curve) for channel in setup.channels]


def _routed(document: CraftDocument, number: int) -> object:
    channel = document.transmitter.channels[number - 1]
    return channel.reverse, channel.curve


def changed(before: Foundations, now: Foundations, name: str) -> set[str]:
    """The sections of what a measurement was made with that have changed; one that was not known of then counts as it is now, unless it is one that is left out while nobody uses it."""
    old, new = before.get(name, {}), now[name]
    came_or_went = (old.keys() ^ new.keys()) & LATER_SECTIONS
    return {section for section in old.keys() & new.keys() if old[section] != new[section]} | came_or_went


def _differ(before: Foundations, now: Foundations, name: str, *sections: str) -> bool:
    """Whether what a measurement was made with has changed, or nobody knows what that was."""
    if not before.get(name):
        return True
    news = changed(before, now, name)
    return bool(news & set(sections)) if sections else bool(news)
