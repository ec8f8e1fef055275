"""Will the pilot notice? For each thing that matters the ways by which it reaches eyes, ears or hands in flight, and what is left where one fails."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, get_args

from pydantic import BaseModel

from linkcore.craft.document import Alarm, CraftDocument, Notice
from linkcore.craft.parts import KitParts
from linkcore.craft.places import place_of
from linkcore.devices.sensors import TELLINGS
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.downlink.ages import ages
from linkcore.hops.downlink.causes import Cause, causes, known_to_board, on_the_way, told_now
from linkcore.hops.downlink.limits import CALM_S, FULL_THROTTLE, Limit, current_a, limits, sag_v, said_of, same_scale
from linkcore.hops.downlink.picture import ANSWERS, MUST, added, element_for, eyes, set_to, with_line
from linkcore.parts.sensor_names import SensorName
from linkcore.wiring.beeper import beepers, wired_beeper
from linkcore.wiring.picture import picture_way
from linkcore.wiring.way_home import way_home

CHECK = Check("downlink")
Sense = Literal["eyes", "ears", "hands"]
SENSES: tuple[Sense, ...] = get_args(Sense)
BEEPER_M = 30.0  # farther away nobody hears a beeper over motors (ours)
NOTICES: tuple[Notice, ...] = get_args(Notice)
SHOULD: tuple[Notice, ...] = (*MUST, "telemetry gone", "wrong mode")
_SAID: Mapping[Notice, str] = {
    "pack low": "that the pack runs low",
    "signal weak": "that the signal gets weak",
    "telemetry gone": "that telemetry is gone",
    "wrong mode": "that the mode is another",
    "too far": "that it is too far",
    "too high": "that it is too high",
}
TELLS_OF: Mapping[Notice, tuple[SensorName, ...]] = {  # which sensors say something of each
    "pack low": ("cell voltage", "voltage", "charge left", "used"),
    "signal weak": ("RSSI", "LQ", "SNR"),
    "wrong mode": ("flight mode",),
    "too far": ("position",),
    "too high": ("height",),
}
FELT_V = 0.03  # a cell that sags by less rings nothing by it (ours)
_RSSI: Mapping[str, tuple[float, float]] = {"%": (0, 100), "of 254": (0, 254), "dBm": (-130, 0)}
_RANGES: Mapping[SensorName, tuple[float, float]] = {"LQ": (0, 100), "charge left": (0, 100), "height": (-500, 10_000), "position": (0, 1_000_000)}


class Noticed(BaseModel):
    """One thing to notice. `ways`: by which senses it reaches the pilot in flight, each with how; `deaf`: alarms that cannot ring, and why; `blind`: why the picture does not tell it though it should."""

    notice: Notice
    ways: dict[Sense, str]
    deaf: list[str]
    blind: str = ""


def noticed(craft: CraftDocument, parts: KitParts, why: Mapping[SensorName, Cause | None]) -> list[Noticed]:
    """For each of them the ways that are left with parts, wires and settings as they are."""
    far = max(place_of(craft).home_m, 0.0) > BEEPER_M
    beeper = "" if wired_beeper(craft, parts) else f"the {beepers(parts)[0]} is not wired to a pad that drives it" if beepers(parts) else "no beeper is fitted"
    found, picture = [], picture_way(craft, parts)
    for notice in NOTICES:
        ways: dict[Sense, str] = {}
        seen, blind = eyes(notice, craft, parts, picture)
        if seen:
            ways["eyes"] = seen
        deaf = []
        for alarm in craft.alarms:
            if alarm.notice != notice or not alarm.told:
                continue
            if senseless := cannot_ring(alarm, craft, parts):
                deaf.append(senseless)
                continue
            cause = why.get(alarm.sensor) if alarm.sensor else None
            if alarm.sensor and cause is not None and any(way != "beeper" for way in alarm.told):
                deaf.append(f"{alarm.sensor} does not come: {cause.says}")
            else:
                if "spoken" in alarm.told or "tone" in alarm.told:
                    ways["ears"] = "spoken" if "spoken" in alarm.told else "a tone"
                if "buzz" in alarm.told:
                    ways["hands"] = "the transmitter buzzes"
            if "beeper" in alarm.told:
                if beeper:
                    deaf.append(beeper)
                elif far:
                    deaf.append(f"nobody hears the beeper farther than {BEEPER_M:.0f} m away")
                else:
                    ways.setdefault("ears", "the craft beeps")
        found.append(Noticed(notice=notice, ways=ways, deaf=deaf, blind=blind))
    return found


def check_noticing(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What nobody would notice, and alarms that cannot be right. Asked only of a craft that wants telemetry and has a way for it."""
    way = way_home(craft, parts)
    if way is None or not craft.wants.telemetry:
        return []
    if on_the_way(craft, parts, way) is not None:  # first the way, which has a finding of its own
        return [finding for number, alarm in enumerate(craft.alarms) for finding in _impossible(craft, parts, number, alarm)]
    why = causes(craft, parts)
    offers = {each.notice: each for each in limits(craft, parts, ages(craft, parts, way.protocol, told_now(known_to_board(parts), why)))}
    findings = []
    for each in noticed(craft, parts, why):
        if each.notice not in SHOULD or (
            each.notice == "wrong mode" and TELLINGS[way.protocol].of("flight mode") is None and not each.ways and shown_by(craft, parts, "wrong mode") is None
        ):
            continue
        if not each.ways:
            findings.append(_unnoticed(craft, parts, each, offers.get(each.notice), way.protocol))
        elif len(each.ways) == 1 and each.notice in MUST:
            findings.append(_one_way(craft, parts, each, offers.get(each.notice), way.protocol))
    for number, alarm in enumerate(craft.alarms):
        findings += _impossible(craft, parts, number, alarm)
    return findings


def _unnoticed(craft: CraftDocument, parts: KitParts, each: Noticed, offer: Limit | None, protocol: str) -> Finding:
    says = CHECK.stop if each.notice in MUST else CHECK.warn
    because = "".join(f" {why[0].upper()}{why[1:]}." for why in (*each.deaf[:1], each.blind) if why)
    mends = []
    if offer is not None and offer.alarm is not None:
        rest = [alarm.model_dump(mode="json") for alarm in craft.alarms if alarm.notice != each.notice or alarm.sensor != offer.alarm.sensor]
        mends.append(Mend(text=in_words(offer.alarm, protocol), edits=(Edit(path="/alarms", value=[*rest, offer.alarm.model_dump(mode="json")]),)))
    elif each.notice == "signal weak" and craft.alarm is None:
        mends.append(Mend(text="Work out the alarm line", go="lost link"))
    if (shown := shown_by(craft, parts, each.notice)) is not None:
        mends.append(shown)
    why = offer.because if offer is not None else ""
    return says("downlink.unnoticed", At.setting("/alarms", each.notice), f"In flight you would not notice {_SAID[each.notice]}.{because}", why, *mends)


def shown_by(craft: CraftDocument, parts: KitParts, notice: Notice) -> Mend | None:
    """Have the picture tell it, where one reaches the pilot and has a value and a line for it."""
    way, answer = picture_way(craft, parts), next((each for each in ANSWERS if each.notice == notice), None)
    element = element_for(answer, craft, parts) if answer is not None and way is not None and not way.stops else None
    elements = craft.settings.screen.elements
    if element is None or way is None or any(each.element == element for each in elements):
        return None
    new = with_line(element, craft, parts)
    if new.line is None and notice != "wrong mode":
        return None
    return Mend(text=f"Show {element} on the picture", edits=(set_to(added(elements, new, way.screens)),))


def _one_way(craft: CraftDocument, parts: KitParts, each: Noticed, offer: Limit | None, protocol: str) -> Finding:
    sense, how = next(iter(each.ways.items()))
    also = "buzz" if sense == "ears" else "spoken"
    mends = []
    if any(alarm.notice == each.notice for alarm in craft.alarms):
        alarms = [
            alarm.model_copy(update={"told": [*alarm.told, also]}) if alarm.notice == each.notice and also not in alarm.told else alarm
            for alarm in craft.alarms
        ]
        text = f"Have it {'buzz' if also == 'buzz' else 'spoken'} as well"
        mends.append(Mend(text=text, edits=(Edit(path="/alarms", value=[alarm.model_dump(mode="json") for alarm in alarms]),)))
    elif offer is not None and offer.alarm is not None:
        edits = (Edit(path="/alarms", value=[*(alarm.model_dump(mode="json") for alarm in craft.alarms), offer.alarm.model_dump(mode="json")]),)
        mends.append(Mend(text=in_words(offer.alarm, protocol), edits=edits))
    if (shown := shown_by(craft, parts, each.notice)) is not None:
        mends.append(shown)
    return CHECK.note(
        "downlink.one-way",
        At.setting("/alarms", each.notice),
        f"Only your {sense} would tell you {_SAID[each.notice]}: {how}.",
        "Sun, wind, talk or a thumb elsewhere, and it is missed.",
        *mends,
    )


def _impossible(craft: CraftDocument, parts: KitParts, number: int, alarm: Alarm) -> list[Finding]:
    """What is wrong with an alarm as it is set."""
    at = At.setting(f"/alarms/{number}", f"alarm: {alarm.notice}")
    senseless = cannot_ring(alarm, craft, parts)
    if senseless:
        rest = [each.model_dump(mode="json") for index, each in enumerate(craft.alarms) if index != number]
        drop = Mend(text="Take this alarm out", edits=(Edit(path="/alarms", value=rest),))
        return [CHECK.warn("downlink.limit", at, f"{senseless[0].upper()}{senseless[1:]}.", "An alarm that never rings, or always, is none.", drop)]
    return [*_sags(craft, parts, number, alarm, at), *_under_the_line(craft, parts, number, alarm, at)]


def cannot_ring(alarm: Alarm, craft: CraftDocument, parts: KitParts) -> str:
    """Why an alarm rings never, or always, whatever happens; empty where it can be right."""
    if alarm.notice == "telemetry gone":
        return ""
    fit = TELLS_OF[alarm.notice]
    if alarm.sensor is None or alarm.sensor not in fit:
        looks = f"looks at {alarm.sensor}" if alarm.sensor else "looks at no sensor"
        return f"the alarm for {alarm.notice} {looks}; {' or '.join(fit)} would tell"
    if alarm.notice == "wrong mode":
        return ""
    low, high = _range(alarm.sensor, craft, parts)
    never = alarm.limit >= high if alarm.above else alarm.limit <= low
    always = alarm.limit < low if alarm.above else alarm.limit > high
    if not (never or always):
        return ""
    return f"{alarm.sensor} goes from {low:g} to {high:g}: {'it never gets' if never else 'it is always'} {'above' if alarm.above else 'below'} {alarm.limit:g}"


def _changed(craft: CraftDocument, number: int, **to: object) -> tuple[Edit, ...]:
    """Edits that set something of one alarm."""
    alarms = [each.model_dump(mode="json") for each in craft.alarms]
    alarms[number] |= to
    return (Edit(path="/alarms", value=alarms),)


def _sags(craft: CraftDocument, parts: KitParts, number: int, alarm: Alarm, at: At) -> list[Finding]:
    """An alarm for the pack that rings at every punch of throttle."""
    pack = parts.pack
    if alarm.notice != "pack low" or alarm.sensor not in ("cell voltage", "voltage") or pack is None or alarm.delay_s >= 1:
        return []
    cells, calm = pack.cells if alarm.sensor == "voltage" else 1, current_a(craft, pack)
    lower = sag_v(pack, FULL_THROTTLE * calm) - sag_v(pack, calm)
    if lower <= FELT_V:
        return []
    return [
        CHECK.note(
            "downlink.sag",
            at,
            f"A punch of throttle pulls {alarm.sensor} {cells * lower:.2f} V lower, and the alarm does not wait.",
            "A pack that sags is not an empty one; an alarm that cries at every punch is not heeded.",
            Mend(text=f"Let it wait {CALM_S:g} s", edits=_changed(craft, number, delay_s=CALM_S)),
        )
    ]


def _under_the_line(craft: CraftDocument, parts: KitParts, number: int, alarm: Alarm, at: At) -> list[Finding]:
    """An alarm for the signal that waits until it is weaker than the alarm line."""
    line = craft.alarm
    if alarm.notice != "signal weak" or line is None or not same_scale(line, alarm, craft, parts) or alarm.limit >= line.line:
        return []
    return [
        CHECK.warn(
            "downlink.under-line",
            at,
            f"The alarm rings at {alarm.limit:g}; the alarm line stands at {line.line:g}.",
            said_of(line),
            Mend(text=f"Ring it at {line.line:g}", edits=_changed(craft, number, limit=line.line)),
        )
    ]


def _range(sensor: SensorName, craft: CraftDocument, parts: KitParts) -> tuple[float, float]:
    """What a sensor can say at all with this kit, in the unit that it is told in."""
    pack = parts.pack
    if pack is not None and sensor in ("voltage", "cell voltage"):
        cells = 1 if sensor == "cell voltage" else pack.cells
        return 0.5 * cells * pack.empty_volts / pack.cells, cells * pack.full_volts / pack.cells
    if sensor == "RSSI" and (way := way_home(craft, parts)) is not None and (carried := TELLINGS[way.protocol].of(sensor)) is not None:
        return _RSSI[carried.unit]
    return _RANGES.get(sensor, (-1e9, 1e9))


def in_words(alarm: Alarm, protocol: str) -> str:
    """An alarm as an act: *Speak it under 3.54 V of cell voltage for 3 s*."""
    how = {"spoken": "Speak", "tone": "Sound", "buzz": "Buzz", "beeper": "Beep"}[alarm.told[0]] if alarm.told else "Ring"
    if alarm.notice == "telemetry gone":
        return f"{how} it after {alarm.delay_s:g} s without telemetry"
    if alarm.notice == "wrong mode" or alarm.sensor is None:
        return f"{how} each change of mode"
    carried = TELLINGS[protocol].of(alarm.sensor) if protocol in TELLINGS else None
    unit, what = ("m", "distance") if alarm.sensor == "position" else (carried.unit if carried else "", alarm.sensor)
    return f"{how} it {'above' if alarm.above else 'under'} {alarm.limit:g} {unit} of {what}{f' for {alarm.delay_s:g} s' if alarm.delay_s else ''}"
