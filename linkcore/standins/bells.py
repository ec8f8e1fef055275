"""What rings in flight: the transmitter's alarms, by what telemetry has told it, and the craft's beeper, by what its board knows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from linkcore.craft.document import Alarm, AlarmWay
from linkcore.parts.sensor_names import SensorName

Numbers = Mapping[SensorName, float | str]


@dataclass(frozen=True)
class Rang:
    """An alarm rang: how, when, and how long after what it warns of had really happened, s (None where nobody saw that happen)."""

    alarm: Alarm
    t: float
    after_s: float | None
    told: tuple[AlarmWay, ...]


class _Bell:
    """One alarm as it goes: `happened_t`: since when what it warns of is so, `seen_t`: since when it is known to be."""

    def __init__(self, alarm: Alarm) -> None:
        self.alarm = alarm
        self.happened_t: float | None = None
        self.seen_t: float | None = None
        self.rang_t: float | None = None
        self._mode: tuple[str | None, str | None] = (None, None)

    def over(self, value: float | str | None, *, was: bool) -> bool | None:
        """Whether a value is beyond the limit; None where there is none to judge. One that was stays so until it is back by the hysteresis."""
        alarm = self.alarm
        if not isinstance(value, (int, float)):
            return None
        back = alarm.hysteresis if was else 0.0
        return value > alarm.limit - back if alarm.above else value < alarm.limit + back

    def run(self, t: float, known: float | str | None, truth: float | str | None, newest_t: float | None) -> Rang | None:
        """What is known and what is so at `t`."""
        alarm = self.alarm
        if alarm.notice == "telemetry gone":
            self.happened_t = self.seen_t = newest_t  # from the last value on
            if newest_t is None:
                return None
            due = t - newest_t >= alarm.delay_s
            if not due:
                self.rang_t = None
        elif alarm.notice == "wrong mode":
            return self._changed(t, known, truth)
        else:
            really, seen = self.over(truth, was=self.happened_t is not None), self.over(known, was=self.seen_t is not None)
            if really is not None:
                self.happened_t = (self.happened_t if self.happened_t is not None else t) if really else None
            if seen is not None:
                self.seen_t = (self.seen_t if self.seen_t is not None else t) if seen else None
            due = self.seen_t is not None and t - self.seen_t >= alarm.delay_s
            if self.seen_t is None:
                self.rang_t = None
        again = self.rang_t is not None and (alarm.repeat_s == 0 or t - self.rang_t < alarm.repeat_s)
        if not due or again or not alarm.told:
            return None
        first = self.rang_t is None
        self.rang_t = t
        return self._rings(t, self.happened_t if first else None)

    def _changed(self, t: float, known: float | str | None, truth: float | str | None) -> Rang | None:
        was_known, was_true = self._mode
        if truth != was_true and was_true is not None:
            self.happened_t = t
        self._mode = (str(known) if known is not None else was_known, str(truth) if truth is not None else None)
        if known is None or was_known is None or str(known) == was_known:
            return None
        return self._rings(t, self.happened_t)

    def _rings(self, t: float, happened_t: float | None) -> Rang:
        return Rang(self.alarm, t, None if happened_t is None else t - happened_t, tuple(self.alarm.told))


class Bells:
    """All alarms of one craft. The transmitter's and the board's ways of one alarm ring for themselves."""

    def __init__(self) -> None:
        self._bells: list[_Bell] = []
        self.rang: list[Rang] = []  # the newest of each alarm and way

    def follow(self, alarms: Sequence[Alarm]) -> None:
        """Those that are set now; one that is as it was goes on."""
        parts = []
        for alarm in alarms:
            on_board = [way for way in alarm.told if way == "beeper"]
            by_hand = [way for way in alarm.told if way != "beeper"]
            parts += [alarm.model_copy(update={"told": ways}) for ways in (by_hand, on_board) if ways]
        known = {bell.alarm.model_dump_json(): bell for bell in self._bells}
        self._bells = [known.get(alarm.model_dump_json()) or _Bell(alarm) for alarm in parts]
        self.rang = [rang for rang in self.rang if rang.alarm in parts]

    def forget(self) -> None:
        """What rang before counts no more."""
        self.rang.clear()
        self._bells = [_Bell(bell.alarm) for bell in self._bells]

    def run(self, t: float, told: Numbers, truth: Numbers, newest_t: float | None, *, transmitter_on: bool, board_on: bool) -> list[Rang]:
        """What rings now. `told`: what the transmitter has, `truth`: what is so; both in the units that telemetry has."""
        out = []
        for bell in self._bells:
            on_board = bell.alarm.told == ["beeper"]
            if not (board_on if on_board else transmitter_on):
                continue
            sensor = bell.alarm.sensor
            really = truth.get(sensor) if sensor else None
            rang = bell.run(t, (really if on_board else told.get(sensor)) if sensor else None, really, newest_t)
            if rang is not None:
                out.append(rang)
                if rang.after_s is not None:
                    self.rang = [each for each in self.rang if each.alarm != rang.alarm] + [rang]
        return out

    def __bool__(self) -> bool:
        return bool(self._bells)
