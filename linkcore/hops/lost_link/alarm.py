"""The alarm line: where frames begin to be lost, from a flight's log, and how far above that a pilot should be warned.

The share of lost frames is fitted as 1 / (1 + exp(k (signal - middle))) by maximum likelihood; loss *begins* where it comes to 1 %. Losses come in bursts: a frame behind a
lost one is lost as well with a chance of its own, whatever the signal is by then. Where a log has a row a frame that is fitted too, so that a burst which outlasts its shadow
does not pass for loss at a good signal. How sure the result is follows from drawing blocks of the log anew (bootstrap over blocks), not from counting frames as if each were
by itself. With fewer than 20 losses there is only a bound, by Poisson's law. Formulae: docs/calculations.md.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel

from linkcore.signal.flight_log import FlightLog, SignalKind

Floats = npt.NDArray[np.float64]

BEGINS_SHARE = 0.01
BLOCK_S = 2.0
BLOCK_ROWS = 200  # where a log has no time
FEWEST_LOSSES = 20
DRAWS = 600
MOST_BLOCKS = 5000
MARGINS: dict[SignalKind, float] = {"rssi_dbm": 6.0, "rssi_percent": 10.0, "lq_percent": 10.0}
FREE_SPACE, OVER_GROUND = 2.0, 4.0  # exponents of the signal's fall with distance
MOST_BINS = 160
HELD_S = 10.0
JUMP_S = 5.0
SURE = 0.95


class Curve(BaseModel):
    """The fitted share of lost frames: 1 / (1 + exp(steepness (signal - middle)))."""

    middle: float
    steepness: float

    def at(self, share: float) -> float:
        """The signal at which that share is lost."""
        return self.middle + math.log(1 / share - 1) / self.steepness


class Point(BaseModel):
    """What was lost about one signal."""

    signal: float
    frames: float
    lost: float


class AlarmLine(BaseModel):
    """Where loss begins, with its 95 % interval; None for what the log cannot tell. `only_a_bound`: loss begins no higher than that. `range_factor`: the distance of the alarm as a share of that where loss begins."""

    signal: SignalKind
    rows: int
    losses: float
    begins_at: float | None = None
    interval: tuple[float, float] | None = None
    only_a_bound: bool = False
    margin: float
    alarm_line: float | None = None
    range_factor: float | None = None
    exponent: float | None = None
    curve: Curve | None = None
    points: list[Point] = []
    says: list[str] = []


RARE_S = 1000 * 60.0  # a gap that outlasts the grace, once in so long


def lq_by_grace(reacts_s: float, period_s: float) -> float:
    """The link quality, percent, at which a gap that makes the board give the link up comes once in 1,000 minutes where frames are lost at random: (1 - p) p^n / T = 1 / 60,000 s, n = the frames until it reacts."""
    frames = max(1, math.floor(reacts_s / period_s + 1e-9))
    low, high = 0.0, frames / (frames + 1)  # beyond that share gaps come no oftener, since there is hardly a frame between them
    for _ in range(60):
        share = (low + high) / 2
        low, high = (share, high) if (1 - share) * share**frames / period_s < 1 / RARE_S else (low, share)
    return math.ceil(1000 * (1 - low)) / 10


def alarm_line(log: FlightLog, margin: float | None = None, seed: int = 0) -> AlarmLine:
    """Worked out from a log. `margin`: dB, or points of percent."""
    margin = MARGINS[log.kind] if margin is None else margin
    says = [*log.says, *_oddities(log)]
    found = AlarmLine(signal=log.kind, rows=len(log.value), losses=float(log.lost.sum()), margin=margin)
    bins = _Bins(log)
    frames, lost = bins.counted(log.expected).sum(0), bins.counted(log.lost).sum(0)
    found.points = [Point(signal=float(at), frames=float(n), lost=float(k)) for at, n, k in zip(bins.signals, frames, lost, strict=True) if n]
    if found.losses < FEWEST_LOSSES:
        found.only_a_bound = True
        found.begins_at = _bound(bins.signals, frames, lost)
        says.append(
            f"only {found.losses:g} frames were lost, so there is only a bound: loss begins at {found.begins_at:g} or lower"
            if found.begins_at is not None
            else f"only {found.losses:g} frames were lost of {log.expected.sum():g}: too few to say where loss begins. Fly further out, or with less power"
        )
    else:
        says += _fit_into(found, bins, log, seed)
    if found.begins_at is not None:
        found.alarm_line = round(found.begins_at + margin, 2)
        if log.kind == "rssi_dbm":
            says += _range(found, log, margin)
        else:
            found.alarm_line = min(100.0, found.alarm_line)
    found.says = says
    return found


class _Bins:
    """A log by signal and by blocks of time, so that it can be counted, and drawn anew block by block."""

    def __init__(self, log: FlightLog) -> None:
        signals, where = np.unique(log.value, return_inverse=True)
        if len(signals) > MOST_BINS:
            edges = np.linspace(signals[0], signals[-1], MOST_BINS + 1)
            where = np.clip(np.digitize(log.value, edges) - 1, 0, MOST_BINS - 1)
            there = np.bincount(where, minlength=MOST_BINS)
            signals = np.where(there > 0, np.bincount(where, log.value, MOST_BINS) / np.maximum(1, there), (edges[:-1] + edges[1:]) / 2)
        rows = np.arange(len(log.value), dtype=np.float64)
        block = rows // BLOCK_ROWS if log.time_s is None else (log.time_s - log.time_s[0]) // BLOCK_S
        block //= max(1.0, math.ceil(float(block[-1] + 1) / MOST_BLOCKS))  # of a very long log, longer ones
        _, block = np.unique(block, return_inverse=True)
        self.signals: Floats = signals.astype(np.float64)
        self.blocks = int(block[-1]) + 1
        self._cell = block * len(signals) + where

    def counted(self, counts: Floats) -> Floats:
        """Sums of what each row counts: a row for each block, a column for each signal."""
        shape = self.blocks, len(self.signals)
        return np.bincount(self._cell, counts, shape[0] * shape[1]).reshape(shape).astype(np.float64)


def _fit_into(found: AlarmLine, bins: _Bins, log: FlightLog, seed: int) -> list[str]:
    sums = _transitions(bins, log)
    intercept, slope = fit(bins.signals, *(each.sum(0)[None] for each in sums))
    if slope[0] >= 0:
        return ["frames are lost no oftener when the signal is weak: something else than distance loses them, such as interference or a bad wire"]
    found.curve = Curve(middle=float(-intercept[0] / slope[0]), steepness=float(-slope[0]))
    found.begins_at = round(found.curve.at(BEGINS_SHARE), 2)
    drawn = np.random.default_rng(seed).multinomial(bins.blocks, np.full(bins.blocks, 1 / bins.blocks), size=DRAWS).astype(np.float64)
    a, b = fit(bins.signals, *(drawn @ each for each in sums))
    good = b < 0
    begins = (-math.log(1 / BEGINS_SHARE - 1) - a[good]) / b[good]
    low, high = np.quantile(begins, [(1 - SURE) / 2, (1 + SURE) / 2])
    found.interval = (round(float(low), 2), round(float(high), 2))
    lowest, highest = float(bins.signals[0]), float(bins.signals[-1])
    if found.begins_at > highest:
        return [f"loss begins above the strongest signal of the log ({highest:g}); fly nearer as well"]
    if found.begins_at < lowest:
        return [f"loss begins below the weakest signal of the log ({lowest:g}), which is reckoned beyond what was seen"]
    return []


def _transitions(bins: _Bins, log: FlightLog) -> tuple[Floats, Floats, Floats, Floats]:
    """(frames behind a heard one, lost of them, frames behind a lost one, lost of them). Rows that count several frames say nothing of bursts: all theirs stand behind heard ones."""
    nothing = np.zeros((bins.blocks, len(bins.signals)))
    if not (np.all(log.expected == 1) and np.all((log.lost == 0) | (log.lost == 1))):
        return bins.counted(log.expected), bins.counted(log.lost), nothing, nothing
    behind_lost = np.concatenate(([0.0], log.lost[:-1]))
    if log.time_s is not None:
        steps = np.diff(log.time_s, prepend=log.time_s[0])
        behind_lost[steps > 3 * float(np.median(steps))] = 0.0
    heard = 1 - behind_lost
    return bins.counted(heard), bins.counted(heard * log.lost), bins.counted(behind_lost), bins.counted(behind_lost * log.lost)


def fit(signals: Floats, frames: Floats, lost: Floats, behind: Floats, again: Floats) -> tuple[Floats, Floats]:
    """Intercepts and slopes of ln(p / (1 - p)) against the signal; a row for each fit, a column for each signal.

    A frame behind a heard one is lost with (1 - s) p, one behind a lost one with s + (1 - s) p, so that the share lost in the long run is p. By turns s follows from `again`
    of `behind`, and p from `lost` of `frames` by Fisher's scoring. A ridge of a hundredth of a loss keeps a fit finite where one signal divides all losses from all others.
    """
    middle, wide = float(signals.mean()), max(1e-9, float(signals.std()))
    x = (signals - middle) / wide
    share = np.clip((lost.sum(1) + again.sum(1)) / np.maximum(1.0, frames.sum(1) + behind.sum(1)), 1e-9, 1 - 1e-9)
    a, b, stays = np.log(share / (1 - share)), np.zeros(len(share)), np.zeros(len(share))
    for turn in range(80):
        p = 1 / (1 + np.exp(-np.clip(a[:, None] + b[:, None] * x, -30, 30)))
        if turn % 4 == 0:
            free = (behind * (1 - p)).sum(1)
            stays = np.where(free > 1, np.clip((again.sum(1) - (behind * p).sum(1)) / np.maximum(1.0, free), 0.0, 0.98), 0.0)
        begins = (1 - stays[:, None]) * p
        turns = begins * (1 - p)  # how fast that grows with the exponent
        likely = np.maximum(1e-12, begins * (1 - begins))
        weight = frames * turns * turns / likely
        off = (lost - frames * begins) * turns / likely
        ga, gb = off.sum(1), (off * x).sum(1) - 0.01 * b
        haa, hab, hbb = weight.sum(1) + 1e-9, (weight * x).sum(1), (weight * x * x).sum(1) + 0.01
        det = haa * hbb - hab * hab
        da, db = (hbb * ga - hab * gb) / det, (haa * gb - hab * ga) / det
        step = np.minimum(1.0, 3.0 / np.maximum(1e-12, np.abs(da) + np.abs(db)))
        a, b = a + step * da, b + step * db
        if turn > 8 and max(np.abs(da).max(), np.abs(db).max()) < 1e-6:
            break
    return a - b * middle / wide, b / wide


def _bound(signals: Floats, frames: Floats, lost: Floats) -> float | None:
    """The lowest signal down to which so many frames came that, with what was lost of them, no more than 1 % can be lost there, 95 % sure."""
    seen, gone = np.cumsum(frames), np.cumsum(lost)
    for at, n, k in zip(signals, seen, gone, strict=True):
        if most_losses(float(k)) <= BEGINS_SHARE * n:
            return round(float(at), 2)
    return None


def most_losses(seen: float) -> float:
    """The highest mean of a Poisson count that leaves 5 % for as few as were seen: 3.00 for none, 4.74 for one."""
    low, high = seen, seen + 30 + 4 * math.sqrt(seen)
    for _ in range(60):
        middle = (low + high) / 2
        share = sum(math.exp(k * math.log(middle) - middle - math.lgamma(k + 1)) for k in range(int(seen) + 1)) if middle > 0 else 1.0
        low, high = (middle, high) if share > 1 - SURE else (low, middle)
    return high


def _range(found: AlarmLine, log: FlightLog, margin: float) -> list[str]:
    fitted = _exponent(log)
    found.exponent = FREE_SPACE if fitted is None else round(fitted, 2)
    found.range_factor = round(10 ** (-margin / (10 * found.exponent)), 3)
    if fitted is not None:
        return []
    beyond = 10 ** (-margin / (10 * OVER_GROUND))
    return [
        f"the log has no distances to fit: in free space the alarm comes at {found.range_factor:.0%} of the way, far out over ground at {beyond:.0%}; the smaller is promised"
    ]


def _exponent(log: FlightLog) -> float | None:
    """How fast the signal falls with distance, n of 10 n log10(d), by least squares over steps of distance; None where the log spans less than a factor of three."""
    if log.distance_m is None:
        return None
    far = np.isfinite(log.distance_m) & (log.distance_m >= 1)
    if far.sum() < FEWEST_LOSSES:
        return None
    steps = np.round(10 * np.log10(log.distance_m[far])).astype(np.int64)  # so that a long hover weighs no more than a pass
    at, which = np.unique(steps, return_inverse=True)
    if at[-1] - at[0] < 10 * math.log10(3):
        return None
    means = np.bincount(which, log.value[far]) / np.bincount(which)
    slope = float(np.polyfit(at / 10, means, 1)[0])
    return min(6.0, max(1.5, -slope / 10)) if slope < 0 else None


def _oddities(log: FlightLog) -> list[str]:
    said = []
    if log.time_s is None:
        said.append(f"the log has no time: blocks of {BLOCK_ROWS} rows were drawn instead of {BLOCK_S:g} s")
        return said
    steps = np.diff(log.time_s)
    usual = float(np.median(steps)) if len(steps) else 0.0
    jumps = np.flatnonzero(steps > max(JUMP_S, 20 * usual))
    if len(jumps):
        said.append(f"time jumps {len(jumps)} times, first by {steps[jumps[0]]:.1f} s after {log.time_s[jumps[0]] - log.time_s[0]:.1f} s")
    held = _longest_held(log)
    if held is not None:
        start, end = held
        from_s, for_s, gone = log.time_s[start] - log.time_s[0], log.time_s[end] - log.time_s[start], log.lost[start : end + 1].sum()
        said.append(f"from {from_s:.1f} s the signal stays the same for {for_s:.1f} s while {gone:g} frames are lost: it is held, and says nothing there")
    return said


def _longest_held(log: FlightLog) -> tuple[int, int] | None:
    """The longest stretch of one and the same signal in which frames were lost, where it is too long to be a measurement."""
    assert log.time_s is not None
    cuts: Any = np.flatnonzero(np.diff(log.value) != 0)
    starts, ends = np.concatenate(([0], cuts + 1)), np.concatenate((cuts, [len(log.value) - 1]))
    gone = np.concatenate(([0.0], np.cumsum(log.lost)))
    long = log.time_s[ends] - log.time_s[starts]
    long[gone[ends + 1] - gone[starts] < FEWEST_LOSSES] = 0.0
    worst = int(long.argmax())
    return (int(starts[worst]), int(ends[worst])) if long[worst] >= HELD_S else None
