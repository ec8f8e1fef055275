"""When a bench is run and told of: often while something moves, seldom at rest, not at all while nobody looks. Times in s, on the owner's clock."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.findings import HopKey

REST_TICK_S = 0.2
SLOWER_UNDER_LOAD = ((0.7, 1), (0.9, 2), (2.0, 5))  # up to which share of the worker's time: how many times as long between two looks
LIVELY_S = 1.0  # after the last stir
REST_REPORT_S, WAITING_REPORT_S = 0.4, 1.0
WHOLE_S = 5.0  # a report now and then says everything again, for whoever has missed one
GONE_S = 10.0  # who has not been heard of for so long no longer looks, though nobody said so
LINGER_S = 20.0  # a page that is loaded anew finds its bench as it left it


@dataclass(frozen=True)
class Rates:
    """How often a bench on which something moves is looked at, each time with a snapshot, and reported of: times a second."""

    ticks: float = 25.0
    reports: float = 5.0

    @property
    def tick_s(self) -> float:
        """From one look to the next."""
        return 1 / self.ticks

    @property
    def report_s(self) -> float:
        """From one report to the next."""
        return 1 / self.reports


class Watchers:
    """Who looks at a bench, by the channel of each."""

    def __init__(self, now: float) -> None:
        self._seen: dict[str, float] = {}
        self._hops: dict[str, HopKey] = {}
        self._last = now

    def look(self, who: str, now: float, hop: HopKey | None = None) -> None:
        """Somebody looks (still), at a hop where that is said."""
        self._seen[who] = self._last = now
        if hop is not None:
            self._hops[who] = hop

    def hops(self) -> set[HopKey] | None:
        """The hops that are looked at; None where somebody has not said which."""
        return {self._hops[who] for who in self._seen} if all(who in self._hops for who in self._seen) else None

    def leave(self, who: str, now: float) -> None:
        """Somebody has gone."""
        self._hops.pop(who, None)
        if self._seen.pop(who, None) is not None:
            self._last = now

    def any(self, now: float) -> bool:
        """Whether anybody looks."""
        self._seen = {who: seen for who, seen in self._seen.items() if now - seen < GONE_S}
        self._hops = {who: hop for who, hop in self._hops.items() if who in self._seen}
        if self._seen:
            self._last = now
        return bool(self._seen)

    def may_return(self, now: float) -> bool:
        """Whether anybody looks, or has looked so lately that the bench is not put away yet."""
        return self.any(now) or now - self._last < LINGER_S


class Beat:
    """How soon the next look at a bench is due, and the next report."""

    def __init__(self, now: float, rates: Rates) -> None:
        self.rates = rates
        self._stirred_at = now
        self._reported_at = self._whole_at = -WHOLE_S
        self._shown: object = None
        self.report_now = True
        self.whole = True

    def stir(self, now: float) -> None:
        """Somebody has touched something."""
        self._stirred_at = now

    def see(self, shown: object, now: float) -> None:
        """Take into account what is shown: where that is another than last time, it is a stir as well."""
        if shown != self._shown:
            self._shown = shown
            self.stir(now)

    def lively(self, now: float) -> bool:
        """Whether something has moved of late."""
        return now - self._stirred_at < LIVELY_S

    def tick_s(self, now: float, load: float = 0.0) -> float:
        """How long until the next look: often while something moves, less often where the machine has its hands full, before time slips."""
        if not self.lively(now):
            return REST_TICK_S
        return min(REST_TICK_S, self.rates.tick_s * next(times for most, times in SLOWER_UNDER_LOAD if load < most))

    def due(self, now: float, every: float | None = None) -> bool:
        """Whether to report now; `every`: how often, where not by what moves. A report that is due counts as made."""
        period = every or (self.rates.report_s if self.lively(now) else REST_REPORT_S)
        if not self.report_now and now - self._reported_at < period - self.rates.tick_s / 2:
            return False
        self.report_now, self._reported_at = False, now
        return True

    def take_whole(self, now: float) -> bool:
        """Whether this report says everything; it then counts as said."""
        whole = self.whole or now - self._whole_at >= WHOLE_S
        if whole:
            self.whole, self._whole_at = False, now
        return whole
