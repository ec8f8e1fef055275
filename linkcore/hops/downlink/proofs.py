"""What has to be seen of the downlink."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from linkcore.craft.document import Alarm, AlarmWay, CraftDocument, ElementName, Notice
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import TELLINGS
from linkcore.hops.downlink.ages import Ages, ages
from linkcore.hops.downlink.causes import Now, known_to_board
from linkcore.hops.downlink.picture import MUST, OF_ELEMENT
from linkcore.hops.signal import SIGNAL
from linkcore.kept import Kept
from linkcore.parts.sensor_names import SENSORS, SensorName
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View
from linkcore.wiring.way_home import way_home

LATE = 1.2  # of what was reckoned, what still counts as in time
SLACK_S = 0.1  # a slot of the way home more or less


@dataclass(frozen=True)
class SensorSeen:
    """A sensor in the transmitter's list. `says`: its values as told, in `unit`; `every_s`: how far apart it came of late; `age_s`: since it came last; `clash`: who tells it, where more than one does."""

    key: str
    id: str
    protocol: str
    sensor: SensorName
    unit: str
    says: str
    zero: bool
    every_s: float | None
    age_s: float | None
    clash: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class AlarmRang:
    """An alarm as it rang last: `after_s`: how long after what it warns of had really happened, `told`: how."""

    alarm: Alarm
    t: float
    after_s: float
    told: tuple[AlarmWay, ...]


@dataclass(frozen=True)
class ValueSeen:
    """A value as the picture showed it: `whole`, with a figure in it; `marked_after_s`: how long after it was over its line it was marked, None where that was not seen."""

    whole: bool
    marked_after_s: float | None


class Come(Protocol):
    """What is looked at of a running bench."""

    kept: Kept

    @property
    def sensors_found(self) -> Sequence[SensorSeen]:
        """The transmitter's list."""
        ...

    @property
    def alarms_rang(self) -> Sequence[AlarmRang]:
        """Alarms that rang, the newest of each."""
        ...

    @property
    def values_seen(self) -> Mapping[ElementName, ValueSeen]:
        """What the picture showed since what it rests on is as it is."""
        ...

    @property
    def downlink_now(self) -> Now:
        """What decides just now whether something comes."""
        ...


def expected(craft: CraftDocument, parts: KitParts) -> list[SensorName]:
    """The sensors that this kit and these settings should bring."""
    way = way_home(craft, parts)
    if way is None:
        return []
    telling, known, off = TELLINGS[way.protocol], known_to_board(parts), set(craft.settings.telemetry.off)
    by_receiver = {sensor for message in telling.messages if message.by == "receiver" for sensor in message.sensors}
    told = {sensor for message in telling.said(known, off) for sensor in message.sensors if sensor in known}
    return [sensor for sensor in SENSORS if sensor in told | by_receiver and telling.of(sensor)]


def expected_now(view: View, seen: Come) -> list[SensorName]:
    """The same of a running bench; worked out once as long as nothing that it rests on changes."""
    return seen.kept.get("downlink: expected", (view.craft, view.parts), None, lambda: expected(view.craft, view.parts))


def reckoned(view: View, seen: Come) -> Ages | None:
    """How often each should come; worked out once as long as nothing that it rests on changes."""
    return seen.kept.get("downlink: ages", (view.craft, view.parts), None, lambda: _reckon(view))


def _reckon(view: View) -> Ages | None:
    way = way_home(view.craft, view.parts)
    return None if way is None else ages(view.craft, view.parts, way.protocol, known_to_board(view.parts))


def in_time(seen: SensorSeen, every_s: float) -> bool:
    """Whether it comes, and as often as was reckoned."""
    if seen.every_s is None or seen.age_s is None or seen.zero:
        return False
    return seen.every_s <= LATE * every_s + SLACK_S and seen.age_s <= 2 * every_s + SLACK_S


def all_come(view: View, seen: Come) -> dict[str, object] | None:
    """Every sensor that should come is in the transmitter's list, fresh, as often as was reckoned, and says something."""
    found = {each.sensor: each for each in seen.sensors_found if each.age_s is not None}
    if not found:
        return None
    wanted, reckons, now = expected_now(view, seen), reckoned(view, seen), seen.downlink_now
    if not wanted or reckons is None or not now.pack or any(each.clash for each in found.values()):
        return None
    told: dict[str, float] = {}
    for sensor in wanted:
        came, every = found.get(sensor), reckons.every_s.get(sensor)
        if came is None or every is None or not in_time(came, every):
            return None
        told[sensor] = round(came.every_s or 0.0, 2)
    return {"every_s": told}


def coming(view: View, seen: Come) -> list[SensorName]:
    """Those of the expected sensors that come, and in time."""
    reckons = reckoned(view, seen)
    found = {each.sensor: each for each in seen.sensors_found}
    wanted = expected_now(view, seen) if reckons else []
    return [sensor for sensor in wanted if sensor in found and reckons is not None and in_time(found[sensor], reckons.every_s.get(sensor, 0.0))]


def needless(view: View) -> str:
    """A craft without telemetry that wants none needs no proof of it."""
    if view.parts.maybe_board is None or view.parts.maybe_receiver is None or view.craft.wants.telemetry:
        return ""
    return "" if expected(view.craft, view.parts) else "no telemetry is wanted, and none can come"


def promised_s(alarm: Alarm, reckons: Ages | None) -> float:
    """By when an alarm has to ring: its delay, and the age that its value may have."""
    every = 0.0 if alarm.sensor is None or alarm.told == ["beeper"] or reckons is None else reckons.every_s.get(alarm.sensor, 0.0)
    return alarm.delay_s + LATE * every + RING_SLACK_S


def rings_in_time(alarm: Alarm, seen: Come, reckons: Ages | None) -> AlarmRang | None:
    """How an alarm rang, all its ways, and in time; None where that was not seen."""
    parts = [ways for ways in ([way for way in alarm.told if way != "beeper"], [way for way in alarm.told if way == "beeper"]) if ways]
    rang = [next((each for each in seen.alarms_rang if each.alarm == alarm.model_copy(update={"told": ways})), None) for ways in parts]
    if not rang or any(each is None or each.after_s > promised_s(each.alarm, reckons) for each in rang):
        return None
    return max((each for each in rang if each is not None), key=lambda each: each.after_s)


def all_ring(view: View, seen: Come) -> dict[str, object] | None:
    """Pack, signal and lost telemetry: each alarm for them rang once, as soon as it should."""
    wanted = [alarm for alarm in view.craft.alarms if alarm.notice in RUNG and alarm.told]
    if {alarm.notice for alarm in wanted} < set(RUNG):
        return None
    reckons = reckoned(view, seen)
    rang = [rings_in_time(alarm, seen, reckons) for alarm in wanted]
    if any(each is None for each in rang):
        return None
    return {
        "after_s": {f"{alarm.notice} by {alarm.sensor or 'time'}": round(each.after_s, 2) for alarm, each in zip(wanted, rang, strict=True) if each is not None}
    }


def picture_shows(view: View, seen: Come) -> dict[str, object] | None:
    """Every value that is arranged came on the picture, and those of pack and signal were marked once they were over their line."""
    elements, found = view.craft.settings.screen.elements, seen.values_seen
    if not elements:
        return None
    marked: dict[str, float] = {}
    for each in elements:
        came = found.get(each.element)
        if came is None or not came.whole:
            return None
        if each.line is not None and OF_ELEMENT[each.element].notice in MUST:
            if came.marked_after_s is None:
                return None
            marked[each.element] = round(came.marked_after_s, 2)
    return {"marked_after_s": marked}


def no_picture(view: View) -> str:
    """A craft on whose picture nothing is arranged needs no proof of it."""
    return "" if view.craft.settings.screen.elements else "no value is arranged on a picture"


RUNG: tuple[Notice, ...] = ("pack low", "signal weak", "telemetry gone")
RING_SLACK_S = 0.5  # a slot, a slice and a word (ours)
READS = (
    *SIGNAL,
    "firmware",
    "bind",
    "devices",
    "wants",
    "wiring of devices",
    "frame rate",
    "pack",
    "settings/telemetry",
    "settings/port_baud",
    "settings/power",
)
ALL_COME = ProofOf(
    name="every sensor comes",
    says="Every sensor that this kit should bring is in the transmitter's list, as often as was reckoned, and says something.",
    reads=Reads(*READS),
    minutes=1,
    seen=all_come,
    needless=needless,
)
ALL_RING = ProofOf(
    name="each alarm rings",
    says="The alarms for the pack, the signal and lost telemetry rang once each, as soon as was reckoned.",
    reads=Reads(*READS, "alarms"),
    minutes=3,
    seen=all_ring,
    needless=needless,
)
PICTURE_READS = (*READS, "settings/screen", "video format")
SHOWS = ProofOf(
    name="the picture shows it",
    says="Every value that is arranged came on the picture, and those of pack and signal were marked once they were over their line.",
    reads=Reads(*PICTURE_READS),
    minutes=2,
    seen=picture_shows,
    needless=no_picture,
)
PROOFS = (ALL_COME, ALL_RING, SHOWS)
MADE_WITH = {"sensors": ALL_COME.reads, "alarms": ALL_RING.reads, "picture": SHOWS.reads}  # what came, rang and was shown counts for the one each
