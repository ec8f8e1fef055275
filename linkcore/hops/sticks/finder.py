"""Which channel follows which stick, learned from what arrives while the pilot moves one stick at a time.

The pilot needs no order and presses nothing: a move is told by itself, from the first channel that leaves its rest until all rest again.
Which stick it was is known in one of two ways. Where the thumbs are seen (the bench's own gimbals), by them. Where only a signal is
heard, by how it was moved: roll is pushed to the right once, pitch forward twice, yaw to the right three times, and throttle goes up from
low and stays. The first push tells the direction.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel, Field

from linkcore.devices.gimbals import PLACES, axis_at
from linkcore.parts.axes import AXIS_OF, StickAxis, spelled

START_US = 60.0
QUIET_US = 30.0  # two samples of a resting channel may differ by twice the jitter, and by a little more
QUIET_S = 0.4
QUIET_UNSEEN_S = 1.0
LEFT_THERE_S = 2.5
GAP_S = 0.25
LEAST_MOVE_US = 250.0
LEAST_THUMB = 0.5
TWO_AT_ONCE = 0.6
STILL_THUMB = 0.05
COUPLED_PERCENT = 4.0
COUPLED_US = 24.0
ALIKE = 0.97
LONGEST_S = 30.0
BEFORE = 8  # samples kept from before a move, so that its beginning is in it
STRETCH_S = 0.1
MOST_STRETCHES = 300  # half a minute of rest says where the channels rest; more need not be kept
LAGS = range(7)  # samples by which the signal may come behind the thumbs
PUSHES: dict[int, StickAxis] = {1: "aileron", 2: "elevator", 3: "rudder"}


_Sample = tuple[float, tuple[float, ...], tuple[float, ...] | None]


class Coupling(BaseModel):
    """Another channel that follows the same stick: by how much, percent of the main one."""

    channel: int
    percent: float


class FoundAxis(BaseModel):
    """The channel that follows an axis. `direction` 1 where right, forward and up are high; `span_us` between the extremes of the move."""

    channel: int
    direction: int
    span_us: float
    coupled: list[Coupling] = Field(default_factory=list)


class Found(BaseModel):
    """What the channel finder knows. `moving`: channels on the move now; `says`: what the last move was taken for."""

    axes: dict[StickAxis, FoundAxis] = Field(default_factory=dict)
    bumped: list[int] = Field(default_factory=list)
    says: str = ""
    trouble: bool = False

    @property
    def order(self) -> str | None:
        """The channel order, once all four axes are known and lie on CH1 to CH4."""
        at: dict[int, str] = {each.channel: axis for axis, each in self.axes.items()}
        return spelled(at.get(number, "") for number in range(1, 5))

    @property
    def whole(self) -> bool:
        """Whether all four axes are known."""
        return len(self.axes) == 4


@dataclass
class _Stretch:
    """A short stretch of samples: when it began, each channel's extremes and sum."""

    t: float
    low: list[float]
    high: list[float]
    sum: list[float]
    count: int = 1

    def take(self, values: tuple[float, ...]) -> None:
        self.low = [min(pair) for pair in zip(self.low, values, strict=True)]
        self.high = [max(pair) for pair in zip(self.high, values, strict=True)]
        self.sum = [both + us for both, us in zip(self.sum, values, strict=True)]
        self.count += 1


class _Quiet:
    """How long all channels have rested, and where. It looks back in short stretches, so that the tail of a movement falls out of it.

    `_low` and `_high` are the extremes of all stretches together: while they lie close there is nothing to look back for.
    """

    def __init__(self) -> None:
        self._stretches: list[_Stretch] = []
        self._low: list[float] = []
        self._high: list[float] = []

    @property
    def since(self) -> float | None:
        """When the rest began; None where nothing was heard yet."""
        return self._stretches[0].t if self._stretches else None

    def take(self, t: float, values: tuple[float, ...]) -> None:
        """One sample more."""
        if self._stretches and t - self._stretches[-1].t < STRETCH_S - 1e-9:
            self._stretches[-1].take(values)
            return
        if self._stretches:
            self._low, self._high = self._with(self._stretches[-1], self._low, self._high)
        else:
            self._low, self._high = list(values), list(values)
        self._stretches.append(_Stretch(t, list(values), list(values), list(values)))
        self._low, self._high = self._with(self._stretches[-1], self._low, self._high)
        if self._spread(self._low, self._high) > QUIET_US:
            self._look_back()
        elif len(self._stretches) > MOST_STRETCHES:
            del self._stretches[0]

    def _look_back(self) -> None:
        """Keep the latest stretches that lie close together."""
        low, high = self._stretches[-1].low, self._stretches[-1].high
        for index in range(len(self._stretches) - 1, -1, -1):
            wider_low, wider_high = self._with(self._stretches[index], low, high)
            if self._spread(wider_low, wider_high) > QUIET_US:
                del self._stretches[: index + 1]
                break
            low, high = wider_low, wider_high
        self._low, self._high = list(low), list(high)

    @staticmethod
    def _with(stretch: _Stretch, low: list[float], high: list[float]) -> tuple[list[float], list[float]]:
        return [min(pair) for pair in zip(low, stretch.low, strict=True)], [max(pair) for pair in zip(high, stretch.high, strict=True)]

    @staticmethod
    def _spread(low: list[float], high: list[float]) -> float:
        return max([most - least for least, most in zip(low, high, strict=True)])

    def rest(self, t: float, wait: float) -> list[float] | None:
        """The mean of a rest of at least `wait` seconds."""
        if self.since is None or t - self.since < wait - 1e-9:
            return None
        count = sum(each.count for each in self._stretches)
        rest = [sum(totals) / count for totals in zip(*(each.sum for each in self._stretches), strict=True)]
        last = self._stretches[-1]
        stirred = max([max(high - us, us - low) for us, low, high in zip(rest, last.low, last.high, strict=True)]) > QUIET_US
        return None if stirred else rest


class ChannelFinder:
    """Takes samples as they arrive; `found` is what is known so far, `moving` the channels on the move now."""

    def __init__(self, stick_mode: int = 2, found: Found | None = None) -> None:
        self.stick_mode = stick_mode
        self.found = found or Found()
        self.moving: list[int] = []
        self._quiet = _Quiet()
        self._before: deque[_Sample] = deque(maxlen=BEFORE)
        self._move: list[_Sample] = []
        self._rest: list[float] | None = None
        self._lost = False
        self._count = 0
        self._last_t: float | None = None

    def take(self, t: float, channels: Sequence[float], thumbs: Sequence[float] | None = None) -> None:
        """A sample at `t` (s): all channels (us), and the thumbs where they are seen: left x and y, right x and y, each -1 to 1."""
        values = tuple(channels)
        if len(values) != self._count:
            self._begin_anew()
            self._count = len(values)
        if self._last_t is not None and t - self._last_t > GAP_S:
            self._lost = bool(self._move)
            self._quiet = _Quiet()
        self._last_t = t
        self._quiet.take(t, values)
        sample = (t, values, tuple(thumbs) if thumbs is not None else None)
        wait = QUIET_S if thumbs is not None else QUIET_UNSEEN_S
        if self._move:
            self._move.append(sample)
            self._see_end(t, values, wait, thumbs is not None)
            return
        self._before.append(sample)
        if self._rest is None:
            self._rest = self._quiet.rest(t, wait)
        elif max([abs(us - rest) for us, rest in zip(values, self._rest, strict=True)]) > START_US:
            self._move, self._lost = list(self._before), False

    def _begin_anew(self) -> None:
        self._quiet = _Quiet()
        self._before.clear()
        self._move, self._rest, self.moving, self._lost = [], None, [], False

    def _see_end(self, t: float, values: tuple[float, ...], wait: float, seen: bool) -> None:
        assert self._rest is not None, "a move begins from a rest"
        self.moving = [index + 1 for index, us in enumerate(values) if abs(us - self._rest[index]) > START_US]
        resting = self._quiet.rest(t, wait)
        if resting is None:
            if t - self._move[0][0] > LONGEST_S:
                self._begin_anew()
                self._say("The channels have not come to rest for half a minute: does a cable or a stick shake? Let go of both sticks.", trouble=True)
            return
        home = max(abs(us - rest) for us, rest in zip(resting, self._rest, strict=True)) <= START_US
        if not seen and not home and t - (self._quiet.since or t) < LEFT_THERE_S:
            return
        self._judge(np.array(resting), seen)
        self._rest, self._move, self.moving = resting, [], []
        self._before.clear()

    def _say(self, text: str, *, trouble: bool = False) -> None:
        self.found = self.found.model_copy(update={"says": text, "trouble": trouble})

    # --- one move -----------------------------------------------------------------------------------------------

    def _judge(self, resting: np.ndarray, seen: bool) -> None:
        assert self._rest is not None
        values = np.array([each for _, each, _ in self._move]) - np.array(self._rest)
        spans = np.ptp(values, axis=0)
        if self._lost:
            self._say("Frames were lost while you moved; that move does not count. Move it once more.", trouble=True)
            return
        if float(spans.max()) < LEAST_MOVE_US:
            return  # a touch
        if seen:
            self._judge_seen(values, spans)
        else:
            self._judge_unseen(values, spans, resting)

    def _judge_seen(self, values: np.ndarray, spans: np.ndarray) -> None:
        thumbs = np.array([each if each is not None else (0.0,) * 4 for _, _, each in self._move])
        reach = np.ptp(thumbs, axis=0)
        if float(reach.max()) < LEAST_THUMB:
            return  # a switch
        first, second = np.argsort(reach)[::-1][:2]
        if reach[second] > TWO_AT_ONCE * reach[first]:
            self._say("Two sticks moved at once. Move one at a time.", trouble=True)
            return
        moved = [index for index in range(4) if reach[index] > STILL_THUMB]
        gains = _gains(thumbs[:, moved], values)[moved.index(int(first))]
        self._learn(axis_at(PLACES[int(first)], self.stick_mode), gains * float(reach[first]), spans, [])

    def _judge_unseen(self, values: np.ndarray, spans: np.ndarray, resting: np.ndarray) -> None:
        assert self._rest is not None
        main = int(np.argmax(spans))
        course = values[:, main]
        others = []
        effects = np.zeros(len(spans))
        for index in range(len(spans)):
            if spans[index] < COUPLED_US:
                continue
            gain = float(np.dot(course, values[:, index]) / np.dot(course, course))
            alike = abs(float(np.corrcoef(course, values[:, index])[0, 1])) if index != main else 1.0
            if alike >= ALIKE:
                effects[index] = gain * float(spans[main])
            elif spans[index] > START_US:
                others.append(index + 1)
        stays = abs(float(resting[main]) - self._rest[main]) > 0.5 * float(spans[main])
        pushes, side = count_pushes(course)
        axis = "throttle" if stays else PUSHES.get(pushes)
        if axis is None:
            self._say(f"CH{main + 1} was pushed {pushes} times; roll is pushed once, pitch twice, yaw three times. Once more.", trouble=True)
            return
        if stays and "throttle" in self.found.axes and self.found.axes["throttle"].channel == main + 1:
            return  # on its way back: the first move, from low, told the direction
        direction = float(np.sign(float(resting[main]) - self._rest[main])) if stays else side
        if effects[main] * direction < 0:
            effects = -effects
        self._learn(axis, effects, spans, others)

    def _learn(self, axis: StickAxis, effects: np.ndarray, spans: np.ndarray, bumped: list[int]) -> None:
        main = int(np.argmax(np.abs(effects)))
        whole = abs(float(effects[main]))
        if whole < LEAST_MOVE_US / 2:
            self._say(f"No channel followed {AXIS_OF[axis]}.", trouble=True)
            return
        coupled = [
            Coupling(channel=index + 1, percent=round(100 * float(effects[index] / effects[main]), 1))
            for index in range(len(effects))
            if index != main and abs(effects[index]) > max(COUPLED_US, COUPLED_PERCENT / 100 * whole)
        ]
        learned = FoundAxis(channel=main + 1, direction=1 if effects[main] > 0 else -1, span_us=round(float(spans[main]), 1), coupled=coupled)
        others = {name: each for name, each in self.found.axes.items() if name != axis}
        same = [name for name, each in others.items() if each.channel == learned.channel]
        text = f"{AXIS_OF[axis][0].upper()}{AXIS_OF[axis][1:]} arrives on CH{learned.channel}{'' if learned.direction > 0 else ', the wrong way round'}."
        if same:
            text += f" That was taken for {AXIS_OF[same[0]]} before: move {AXIS_OF[same[0]]} once more."
        kept = {name: each for name, each in others.items() if name not in same}
        self.found = Found(axes={**kept, axis: learned}, bumped=bumped, says=text, trouble=bool(same))


def _gains(thumbs: np.ndarray, values: np.ndarray) -> np.ndarray:
    """What each thumb does to each channel, us for one, by least squares, at the lag where it explains them best."""
    best: tuple[float, np.ndarray] | None = None
    for lag in LAGS[: len(thumbs)]:
        late = np.vstack([np.repeat(thumbs[:1], lag, axis=0), thumbs[: len(thumbs) - lag]])  # no sample of the signal is left out, or a step could be
        moved = np.column_stack([late, np.ones(len(late))])
        gains, *_ = np.linalg.lstsq(moved, values, rcond=None)
        error = float(((values - moved @ gains) ** 2).mean())
        if best is None or error < best[0]:
            best = (error, gains)
    assert best is not None
    return best[1]


def count_pushes(course: np.ndarray) -> tuple[int, int]:
    """(how often a channel left its rest towards its first side, that side as 1 or -1) in one move, both ends of a push being one."""
    most = float(np.abs(course).max())
    beyond = np.flatnonzero(np.abs(course) > 0.5 * most)
    side = 1 if course[beyond[0]] > 0 else -1
    pushes, out = 0, False
    for us in course * side:
        if not out and us > 0.5 * most:
            pushes, out = pushes + 1, True
        elif out and us < 0.25 * most:
            out = False
    return pushes, side
