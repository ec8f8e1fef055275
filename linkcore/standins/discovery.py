"""The transmitter's list of sensors: one appears when its first frame comes while it is looked for, and stays until it is taken out."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field

from pydantic import BaseModel, Field

from linkcore.devices.sensors import TELLINGS, Carried, apart_m
from linkcore.parts.sensor_names import SensorName
from linkcore.protocols.base import TelemetryFrame

KEPT = 12  # of the times at which a value came
MOST_FOUND = 60
CLASH_S = 30.0  # two senders with one id within so long


class SensorKept(BaseModel):
    """A sensor in the transmitter's list, as it is kept when the bench stops."""

    protocol: str = Field(max_length=40)
    id: str = Field(max_length=40)


@dataclass
class Found:
    """A sensor in the list. `values`: the last of each, as told; `times`: when it came whole, bench seconds."""

    protocol: str
    carried: Carried
    values: dict[str, float | int | str] = field(default_factory=dict)
    times: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT))
    senders: dict[str, float] = field(default_factory=dict)
    _came: set[str] = field(default_factory=set)

    def take(self, frame: TelemetryFrame, t: float, sender: str) -> bool:
        """A frame came: whether it tells this sensor."""
        wanted = [value for name, value in self.carried.at if name == frame.sensor and value in frame.values]
        if not wanted or (self.carried.sensor == "position" and all(frame.values[value] == 0 for value in wanted)):
            return False  # nought by nought is what is said without a fix
        for value in wanted:
            self.values[value] = frame.values[value]
            self._came.add(value)
        if len(self._came) == len(self.carried.at):
            self._came.clear()
            self.times.append(t)
        self.senders[sender] = t
        return True

    def count_anew(self) -> None:
        """What came before says nothing of how it comes now."""
        self.times.clear()
        self.senders.clear()
        self._came.clear()

    @property
    def sensor(self) -> SensorName:
        """Which one it is."""
        return self.carried.sensor

    @property
    def says(self) -> str:
        """Its values as a transmitter shows them: to the place that it is told in."""
        return ", ".join(_shown(self.values[name], self.carried.step) for _, name in self.carried.at if name in self.values)

    @property
    def every_s(self) -> float | None:
        """How far apart it came of late; None before it came twice."""
        return (self.times[-1] - self.times[0]) / (len(self.times) - 1) if len(self.times) > 1 else None

    def clashes(self) -> list[str]:
        """Who tells it, where more than one does."""
        newest = max(self.senders.values(), default=0.0)
        lately = sorted(sender for sender, t in self.senders.items() if newest - t <= CLASH_S)
        return lately if len(lately) > 1 else []


class SensorList:
    """See the module. `looking`: whether new ones are taken in."""

    def __init__(self) -> None:
        self.looking = False
        self.found: dict[str, Found] = {}
        self.newest_t: float | None = None  # when anything came last
        self._first: dict[str, tuple[float, float]] = {}

    def take(self, protocol: str, frame: TelemetryFrame, t: float, sender: str = "board") -> None:
        """A frame arrived from the receiver."""
        self.newest_t = t
        telling = TELLINGS.get(protocol)
        for carried in telling.carries if telling else ():
            key = f"{protocol} {carried.id}"
            known = self.found.get(key)
            if known is not None:
                known.take(frame, t, sender)
            elif self.looking and len(self.found) < MOST_FOUND:
                new = Found(protocol, carried)
                if new.take(frame, t, sender):
                    self.found[key] = new

    def count_anew(self) -> None:
        """Wires, settings or firmware are others: each has to come again before it counts."""
        for each in self.found.values():
            each.count_anew()

    def forget(self, key: str) -> None:
        """Take one out; all of them where the key is empty. While they are looked for they come back with their next frame."""
        for each in [key] if key else list(self.found):
            taken = self.found.pop(each, None)
            if taken is not None:
                self._first.pop(taken.carried.id, None)

    def numbers(self) -> dict[SensorName, float | str]:
        """The value of each as its alarm sees it, in the unit that it is told in: of a position how far it is from where it was first, m. Of one that is told twice the later in the list."""
        said: dict[SensorName, float | str] = {}
        for each in self.found.values():
            values = [each.values[name] for _, name in each.carried.at if name in each.values]
            if len(values) < len(each.carried.at):
                continue
            if each.sensor != "position":
                said[each.sensor] = values[0]
                continue
            here = [float(value) for value in values]
            said["position"] = apart_m(self._first.setdefault(each.carried.id, (here[0], here[1])), here)
        return said

    def kept(self) -> list[SensorKept]:
        """What to keep."""
        return [SensorKept(protocol=each.protocol, id=each.carried.id) for each in self.found.values()]

    def resume(self, kept: list[SensorKept]) -> None:
        """The list as it was; values are yet to come."""
        for each in kept[:MOST_FOUND]:
            telling = TELLINGS.get(each.protocol)
            carried = next((one for one in telling.carries if one.id == each.id), None) if telling else None
            if carried is not None:
                self.found[f"{each.protocol} {each.id}"] = Found(each.protocol, carried)


def _shown(value: float | str, step: float) -> str:
    if isinstance(value, str):
        return value
    return f"{value:.{max(0, math.ceil(-math.log10(step) - 1e-9)) if step else 0}f}"
