"""What is told of the Downlink: the way home with what passes at each place, every sensor with its age beside what is reckoned, and why one is missing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, Protocol

from pydantic import BaseModel

from linkcore.craft.document import Alarm, CraftDocument, ElementName, Notice, ScreenElement, TelemetrySetup
from linkcore.devices.on_loss import dbm_of_percent
from linkcore.devices.sensors import FACTS, TELLINGS, provided_by
from linkcore.devices.text_screen import AHEAD, GLANCE, MORE_IS_WORSE, Shown, Zone, arrange, crosses, known_on_screen, on_the_right, zone
from linkcore.devices.text_screen import FACTS as FACTS_ON_SCREEN
from linkcore.findings import Mend
from linkcore.hops.downlink.ages import Ages, ages
from linkcore.hops.downlink.causes import Cause, Code, causes, known_to_board, told_now
from linkcore.hops.downlink.limits import limits
from linkcore.hops.downlink.noticing import Sense, in_words, noticed
from linkcore.hops.downlink.picture import (
    ANSWERS,
    MUST,
    OF_ELEMENT,
    Answer,
    ElementFault,
    added,
    element_faults,
    element_for,
    falls_short,
    line_for,
    set_to,
    with_line,
)
from linkcore.hops.downlink.proofs import AlarmRang, Come, SensorSeen, expected, in_time, promised_s, rings_in_time
from linkcore.kept import made_of
from linkcore.parts.models import Screen
from linkcore.parts.sensor_names import SENSORS, SensorName
from linkcore.reads import Whole
from linkcore.wiring.picture import picture_way, video_devices
from linkcore.wiring.way_home import WayHome, none_because, way_home

Stop = Literal["transmitter", "air", "receiver", "wire", "board", "devices"]
_STOPS: dict[Code, Stop] = {
    "receiver has none": "receiver",
    "no link": "air",
    "job": "board",
    "protocol": "board",
    "wire": "wire",
    "ground": "wire",
    "two senders": "wire",
    "inversion": "board",
    "not asked": "board",
    "switched off": "board",
    "not looked for": "transmitter",
}


class Place(BaseModel):
    """A place on the way home. `passes`: what goes through it, in words; `why`: what stops it there, empty where nothing does."""

    place: Stop
    name: str
    passes: str
    why: str = ""


class SensorTold(BaseModel):
    """One sensor. `reckoned_s`: how often it should come, None where it should not; `every_s`, `age_s`: as it came; `told_by`: who knows it; `by_board`: it is the board that tells it; `cause`: why it does not come."""

    sensor: SensorName
    by_board: bool
    carried: bool
    expected: bool
    off: bool
    unit: str
    says: str
    told_by: list[str]
    reckoned_s: float | None
    every_s: float | None
    age_s: float | None
    comes: bool
    cause: Cause | None
    key: str
    clash: list[str]


class AlarmTold(BaseModel):
    """One alarm of the craft: its place in the document, what it does in words, by when it has to ring, and how long it took when it rang; None where it has not."""

    index: int
    alarm: Alarm
    words: str
    promised_s: float
    rang_s: float | None
    in_time: bool


class NoticeTold(BaseModel):
    """One thing to notice. `ways`: by which senses it reaches the pilot, and how; `blind`: why the picture does not tell it though it should; `marked_s`: how long after it was so the picture marked it;
    `offer`: an alarm as worked out, None where it cannot be, `because` why; `hands`: what makes it ring on the bench."""

    notice: Notice
    says: str
    ways: dict[Sense, str]
    deaf: list[str]
    blind: str
    marked_s: float | None
    must: bool
    alarms: list[AlarmTold]
    offer: Alarm | None
    offer_says: str
    because: str
    hands: dict[str, float]
    hands_say: str
    back: dict[str, float]


class Room(BaseModel):
    """What the way home has room for. `taken`: how much of it is asked for, 1 for all; `ids`, `asked_s`: values that take turns on one id, and how often that is asked."""

    bytes_per_s: float
    slots_per_s: float
    taken: float
    ids: int
    asked_s: float | None


class ElementTold(BaseModel):
    """A value on the picture as the draft arranges it: its place in the list, what it says just now, whether its line is crossed upwards where it has none yet (`rises`),
    what of it cannot be seen (or, `elsewhere`, only not in another format), and what is known of where it is marked."""

    index: int
    element: ElementName
    column: int
    row: int
    width: int
    zone: Zone
    text: str
    over: bool
    line: float | None
    above: bool
    rises: bool
    unit: str
    because: str
    fault: str
    elsewhere: bool
    seen: bool


class AnswerTold(BaseModel):
    """Something that eyes may have to tell. `given`: it is arranged on the picture; `falls_short`: why it does not tell it all the same;
    `toggle`: what takes it on the picture, or off, None where the board knows nothing of it, and then `cannot` says why."""

    says: str
    given: bool
    falls_short: str
    toggle: Mend | None
    cannot: str


class PictureTold(BaseModel):
    """The on-screen display as the draft arranges it, beside what is seen now.

    `device`: whose format it is, with its place in the kit; `formats`: all that it can be set to; `stops`: what keeps it from the pilot; `rows`: the text that is seen now; `why`: why there is no picture now;
    `sight`: how far from the middle the view ahead and what is seen at a glance go, of half the picture;
    `on_board`: whether the board writes just what the draft arranges; `arrange`: places all of them anew, None where that changes nothing.
    """

    kind: Literal["analog", "digital"]
    device: str
    device_index: int
    screen: Screen
    formats: list[Screen]
    stops: list[Cause]
    elements: list[ElementTold]
    answers: list[AnswerTold]
    arrange: Mend | None
    rows: list[str]
    why: str
    sight: tuple[float, float]
    on_board: bool


class DownlinkTold(BaseModel):
    """The Downlink hop.

    `none`: why nothing can come at all; `places`: from what knows something to the pilot; `stopped`: what stops all of it at one place; `come`, `of`: how many of the expected sensors come; `strangers`: sensors in
    the transmitter's list that this kit does not bring any more; `set_to`: how the board speaks, `asked`: how its wire asks it to (None where it shares the
    receiver's port).
    """

    none: str
    protocol: str
    shared: bool
    port: str | None
    pad: str | None
    places: list[Place]
    sensors: list[SensorTold]
    stopped: Cause | None
    come: int
    of: int
    looking: bool
    strangers: list[SensorTold]
    room: Room | None
    notices: list[NoticeTold]
    picture: PictureTold | None
    no_picture: str
    turns: str
    set_to: TelemetrySetup
    asked: TelemetrySetup | None


class Passing(Protocol):
    """What went over each place of late, a second: questions that the board read, values that the receiver heard, and those that the transmitter got."""

    @property
    def asked_per_s(self) -> float:
        """Questions."""
        ...

    @property
    def heard_per_s(self) -> float:
        """Values at the receiver."""
        ...

    @property
    def came_per_s(self) -> float:
        """Values at the transmitter."""
        ...


class Told(Come, Protocol):
    """What is looked at of a running bench."""

    @property
    def distance_m(self) -> float:
        """How far apart both ends are."""
        ...

    @property
    def rssi_dbm(self) -> float:
        """What arrives at the receiver."""
        ...

    @property
    def values_shown(self) -> Shown:
        """What the board has for the picture."""
        ...

    @property
    def on_picture(self) -> tuple[str, Sequence[str]]:
        """(why there is no picture, the text on it)."""
        ...

    @property
    def home_traffic(self) -> Passing:
        """What passes on the way home."""
        ...


def tell(whole: Whole, seen: Told) -> DownlinkTold:
    """The Downlink hop."""
    craft, parts, now = whole.craft, whole.parts, seen.downlink_now
    way, found = seen.kept.get("downlink: way", (craft, parts), None, lambda: way_home(craft, parts)), {each.sensor: each for each in seen.sensors_found}
    wanted = seen.kept.get("downlink: expected", (craft, parts), None, lambda: expected(craft, parts))
    why = seen.kept.get("downlink: causes", (craft, parts), now, lambda: causes(craft, parts, now))
    known = seen.kept.get("downlink: known", (parts,), None, lambda: known_to_board(parts))
    told = told_now(known, why)
    reckons = seen.kept.get("downlink: ages as told", (craft, parts), told, lambda: ages(craft, parts, way.protocol, told)) if way else None
    telling = TELLINGS.get(way.protocol) if way else None
    by = seen.kept.get("downlink: told by", (parts,), None, lambda: {sensor: provided_by(sensor, parts) for sensor in SENSORS})
    rows = [
        _row(sensor, whole, way, found.get(sensor), sensor in wanted, why[sensor], reckons.every_s.get(sensor) if reckons else None, by) for sensor in SENSORS
    ]
    stopped = _stopped(rows)
    if stopped is not None:  # said once, and not again beside each
        rows = [row.model_copy(update={"cause": None}) if row.cause is stopped or row.cause == stopped else row for row in rows]
    carried = {row.sensor for row in rows if row.carried}
    return DownlinkTold(
        none="" if way else none_because(parts),
        protocol=way.protocol if way else "",
        shared=bool(way and way.shared),
        port=way.port if way else None,
        pad=way.pad.name if way and way.pad else None,
        places=_places(whole, way, seen, rows, stopped),
        stopped=stopped,
        sensors=[row for row in rows if telling is None or row.carried or row.sensor in known],
        come=sum(row.comes for row in rows if row.expected),
        of=len(wanted),
        looking=now.looking,
        strangers=[
            _row(each.sensor, whole, way, each, False, None, None, by)
            for each in found.values()
            if each.sensor not in carried or (way and each.protocol != way.protocol)
        ],
        room=Room(
            bytes_per_s=round(reckons.capacity.bytes_per_s, 1),
            slots_per_s=round(reckons.capacity.slots_per_s, 1),
            taken=round(reckons.capacity.taken, 3),
            ids=reckons.ids,
            asked_s=reckons.asked_s,
        )
        if reckons
        else None,
        turns=way.turns if way else "",
        notices=_notices(whole, seen, why, reckons, way.protocol) if way else [],
        picture=picture_told(whole, seen),
        no_picture=_no_picture(whole),
        set_to=craft.settings.telemetry,
        asked=way.asked if way and not way.shared else None,
    )


def _row(
    sensor: SensorName,
    whole: Whole,
    way: WayHome | None,
    found: SensorSeen | None,
    wanted: bool,
    cause: Cause | None,
    every: float | None,
    by: Mapping[SensorName, list[str]],
) -> SensorTold:
    carried = TELLINGS[way.protocol].of(sensor) if way else None
    comes = found is not None and every is not None and in_time(found, every)
    fresh = found is not None and found.age_s is not None and not found.zero and every is not None and found.age_s <= 3 * every
    return made_of(
        SensorTold,
        sensor=sensor,
        by_board=FACTS[sensor].provider != "receiver",
        carried=carried is not None,
        expected=wanted,
        off=sensor in whole.settings.telemetry.off,
        unit=found.unit if found else carried.unit if carried else FACTS[sensor].unit,
        says=found.says if found else "",
        told_by=by[sensor],
        reckoned_s=round(every, 2) if every is not None and wanted else None,
        every_s=round(found.every_s, 2) if found and found.every_s is not None else None,
        age_s=round(found.age_s, 1) if found and found.age_s is not None else None,
        comes=comes,
        cause=None if fresh else cause,
        key=found.key if found else "",
        clash=found.clash if found else [],
    )


def _stopped(rows: Sequence[SensorTold]) -> Cause | None:
    """What keeps all that the board tells from the pilot, where it is one thing at one place."""
    told = [row for row in rows if row.carried and row.told_by and FACTS[row.sensor].provider != "receiver"]
    found = next((row.cause for row in told if row.cause and row.cause.code in _STOPS and row.cause.code not in ("not carried", "switched off")), None)
    off = [row.cause for row in told if row.cause and row.cause.code == "switched off"]
    if found is None and off and len(off) == len(told):
        found = off[0]
    return found or next((row.cause for row in rows if row.cause and row.cause.code in ("receiver has none", "no link")), None)


def _places(whole: Whole, way: WayHome | None, seen: Told, rows: Sequence[SensorTold], stopped: Cause | None) -> list[Place]:
    craft, parts = whole.craft, whole.parts
    passing, telemetry = seen.home_traffic, craft.settings.telemetry
    stop = _STOPS[stopped.code] if stopped else None

    def why(place: Stop) -> str:
        return stopped.says if stopped and stop == place else ""

    device_causes = [row.cause for row in rows if row.carried and row.told_by and row.cause and row.cause.code.startswith(("device", "no fix", "no pack"))]
    known = [row for row in rows if row.expected and FACTS[row.sensor].provider != "receiver"]
    speaks = (way.protocol if way and way.shared else telemetry.protocol) if telemetry.on else None
    wire = f"{way.baud} baud, {'inverted' if way.inverted else 'not inverted'}{', half duplex' if way.half_duplex else ''}" if way else ""
    come = f"{sum(row.comes for row in rows if row.expected)} of {sum(row.expected for row in rows)} come"
    asked = f"asked {passing.asked_per_s:.0f}/s" if way and TELLINGS[way.protocol].polled else ""
    return [
        Place(place="devices", name="sensors", passes=f"{len(known)} known", why=device_causes[0].says if device_causes else ""),
        Place(
            place="board",
            name=parts.board.name if parts.maybe_board else "board",
            passes=f"{speaks or 'nothing'}{f' on {way.port}' if way and way.port else ''}",
            why=why("board"),
        ),
        Place(place="wire", name=way.pad.name if way and way.pad else "no wire", passes=asked or wire, why=why("wire")),
        Place(
            place="receiver", name=parts.receiver.name if parts.maybe_receiver else "receiver", passes=f"hears {passing.heard_per_s:.1f}/s", why=why("receiver")
        ),
        Place(place="air", name="air", passes=f"{passing.came_per_s:.1f}/s arrive", why=why("air")),
        Place(
            place="transmitter",
            name=parts.transmitter.name if parts.maybe_transmitter else "transmitter",
            passes=come,
            why=why("transmitter"),
        ),
    ]


_CALLED: Mapping[Notice, str] = {
    "pack low": "The pack runs low",
    "signal weak": "The signal gets weak",
    "telemetry gone": "Telemetry is gone",
    "wrong mode": "The mode is another",
    "too far": "It is too far",
    "too high": "It is too high",
}
NEAR_M = 2.0


def _notices(whole: Whole, seen: Told, why: Mapping[SensorName, Cause | None], reckons: Ages | None, protocol: str) -> list[NoticeTold]:
    craft, parts = whole.craft, whole.parts
    lasting = {sensor: None if cause is None or cause.code in ("no link", "not looked for", "no pack", "no fix") else cause for sensor, cause in why.items()}
    offers = seen.kept.get("downlink: offers", (craft, parts, reckons), None, lambda: {each.notice: each for each in limits(craft, parts, reckons)})
    told = []
    for each in noticed(craft, parts, lasting):
        offer = offers.get(each.notice)
        alarms = [
            AlarmTold(
                index=index,
                alarm=alarm,
                words=in_words(alarm, protocol),
                promised_s=round(promised_s(alarm, reckons), 1),
                rang_s=round(rang.after_s, 1) if (rang := _last(alarm, seen)) is not None else None,
                in_time=rings_in_time(alarm, seen, reckons) is not None,
            )
            for index, alarm in enumerate(craft.alarms)
            if alarm.notice == each.notice
        ]
        if offer is None and not alarms and not each.ways:
            continue
        hands, say, back = _to_ring(craft, alarms[0].alarm if alarms else _as_alarm(each.notice, craft), seen, whole)
        told.append(
            NoticeTold(
                notice=each.notice,
                says=_CALLED[each.notice],
                ways=each.ways,
                deaf=each.deaf,
                blind=each.blind,
                marked_s=_marked_s(each.notice, craft, seen),
                must=each.notice in MUST,
                alarms=alarms,
                offer=offer.alarm if offer else None,
                offer_says=in_words(offer.alarm, protocol) if offer and offer.alarm else "",
                because=offer.because if offer else "",
                hands=hands,
                hands_say=say,
                back=back,
            )
        )
    return told


def _marked_s(notice: Notice, craft: CraftDocument, seen: Told) -> float | None:
    """How long it took until the picture marked it."""
    came = [seen.values_seen.get(each.element) for each in craft.settings.screen.elements if OF_ELEMENT[each.element].notice == notice]
    return next((round(each.marked_after_s, 1) for each in came if each is not None and each.marked_after_s is not None), None)


def _as_alarm(notice: Notice, craft: CraftDocument) -> Alarm | None:
    """The line of a value on the picture, as an alarm that nothing rings: what makes the one happen makes the other."""
    for each in craft.settings.screen.elements:
        if OF_ELEMENT[each.element].notice == notice and each.line is not None:
            sensor: SensorName | None = FACTS_ON_SCREEN[each.element].sensor or ("LQ" if each.element == "LQ" else "RSSI")
            return Alarm(notice=notice, sensor=sensor, limit=each.line, above=each.above)
    return None


def _last(alarm: Alarm, seen: Told) -> AlarmRang | None:
    """How an alarm rang last, by whichever way."""
    return next((each for each in seen.alarms_rang if each.alarm.model_copy(update={"told": alarm.told}) == alarm), None)


def _to_ring(craft: CraftDocument, alarm: Alarm | None, seen: Told, whole: Whole) -> tuple[dict[str, float], str, dict[str, float]]:
    """(what the bench does so that an alarm rings, what that is called, what undoes it)."""
    if alarm is None:
        return {}, "", {}
    if alarm.notice == "pack low":
        return {"pack_left_percent": 4.0}, "Empty the pack", {"pack_left_percent": 100.0}
    if alarm.notice == "telemetry gone":
        return {"silence_s": min(10.0, alarm.delay_s + 3)}, "Silence the air", {}
    if alarm.notice == "too far":
        return {"distance_m": round(1.3 * alarm.limit + 10)}, "Walk away", {"distance_m": NEAR_M}
    if alarm.notice == "signal weak" and alarm.sensor == "LQ":
        return {"loss_percent": min(100.0, max(5.0, 108 - alarm.limit))}, "Lose frames", {"loss_percent": 0.0}
    if alarm.notice == "signal weak":
        way = way_home(craft, whole.parts)
        carried = TELLINGS[way.protocol].of("RSSI") if way else None
        line = alarm.limit if carried and carried.unit == "dBm" else dbm_of_percent(alarm.limit)
        fall = max(0.0, seen.rssi_dbm - (line - WALKS_ON_DB))
        return {"distance_m": round(min(3e6, max(NEAR_M, seen.distance_m) * 10 ** (fall / 20)))}, "Walk away", {"distance_m": NEAR_M}
    return {}, "", {}


WALKS_ON_DB = 8.0  # beyond the line, so that no shadow holds it up


# --- the picture ------------------------------------------------------------------------------------------------


def _no_picture(whole: Whole) -> str:
    """Why there is nothing to arrange; empty where there is a picture."""
    way = picture_way(whole.document, whole.parts)
    if way is None:
        return "no camera and no video link is fitted"
    return "" if way.screen else way.stops[0].says if way.stops else "no camera is fitted"


def picture_told(whole: Whole, seen: Told) -> PictureTold | None:
    """What the draft arranges on the picture; None without a picture."""
    craft, parts = whole.document, whole.parts
    way, runs = picture_way(craft, parts), picture_way(whole.craft, parts)
    if way is None or way.screen is None:
        return None
    elements, faults = craft.settings.screen.elements, element_faults(craft.settings, way, known_on_screen(craft, parts))
    why, rows = seen.on_picture
    owner = next(name for name in way.devices if video_devices(parts)[name].screens)
    on_board = whole.settings.screen == craft.settings.screen
    return PictureTold(
        kind=way.kind,
        device=owner,
        device_index=next(index for index, each in enumerate(craft.kit.devices) if each.name == owner),
        screen=way.screen,
        formats=list(way.screens),
        stops=[Cause(code="device wire", says=each.says, mends=each.mends) for each in (runs.stops if runs else ())],
        elements=[_element(index, each, faults[index], way.screen, whole, seen) for index, each in enumerate(elements)],
        answers=[_answer(each, craft, whole) for each in ANSWERS],
        arrange=_arranged(craft, way.screens),
        rows=list(rows),
        why=why,
        sight=(AHEAD, GLANCE),
        on_board=on_board,
    )


def _element(index: int, each: ScreenElement, fault: ElementFault | None, screen: Screen, whole: Whole, seen: Told) -> ElementTold:
    facts, value = FACTS_ON_SCREEN[each.element], seen.values_shown.get(each.element)
    line, over = line_for(each.element, whole.document, whole.parts), crosses(each, value)
    came = seen.values_seen.get(each.element)
    return ElementTold(
        index=index,
        element=each.element,
        column=each.column,
        row=each.row,
        width=facts.width,
        zone=zone(each, screen),
        text=facts.text(value, marked=over, right=on_the_right(each, screen)),
        over=over,
        line=each.line,
        above=each.above,
        rises=each.element in MORE_IS_WORSE,
        unit=facts.unit,
        because=line.because if line else "",
        fault=fault.says if fault else "",
        elsewhere=fault is not None and fault.kind == "elsewhere",
        seen=came is not None and came.whole,
    )


def _answer(answer: Answer, craft: CraftDocument, whole: Whole) -> AnswerTold:
    elements, parts = craft.settings.screen.elements, whole.parts
    there = [each for each in elements if each.element in answer.elements]
    if there:
        rest = [each for each in elements if each.element not in answer.elements]
        short = falls_short(answer, craft, parts, picture_way(craft, parts))
        return AnswerTold(says=answer.says, given=True, falls_short=short, toggle=Mend(text="Take it off the picture", edits=(set_to(rest),)), cannot="")
    element = element_for(answer, craft, parts)
    if element is None:
        return AnswerTold(says=answer.says, given=False, falls_short="", toggle=None, cannot=known_on_screen(craft, parts)[answer.elements[0]])
    way = picture_way(craft, parts)
    try:
        edit = set_to(added(elements, with_line(element, craft, parts), way.screens if way else ()))
    except ValueError as error:
        return AnswerTold(says=answer.says, given=False, falls_short="", toggle=None, cannot=str(error))
    return AnswerTold(says=answer.says, given=False, falls_short="", toggle=Mend(text=f"Show {element}", edits=(edit,)), cannot="")


def _arranged(craft: CraftDocument, screens: Sequence[Screen]) -> Mend | None:
    elements = craft.settings.screen.elements
    try:
        placed = arrange(elements, screens)
    except ValueError:
        return None
    return Mend(text="Arrange for me", edits=(set_to(placed),)) if placed != elements else None
