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
from linkcore.hops.downlink.causes import Cause, causes, on_the_way, told_now
from linkcore.hops.downlink.limits import FULL_THROTTLE, Limit, current_a, limits, sag_v
from linkcore.parts.sensor_names import SensorName
from linkcore.wiring.way_home import way_home

CHECK = Check("downlink")
Sense = Literal["eyes", "ears", "hands"]
SENSES: tuple[Sense, ...] = get_args(Sense)
BEEPER_M = 30.0  # farther away nobody hears a beeper over motors (ours)
NOTICES: tuple[Notice, ...] = get_args(Notice)
MUST: tuple[Notice, ...] = ("pack low", "signal weak")  # without any way these are a stop
SHOULD: tuple[Notice, ...] = (*MUST, "telemetry gone", "wrong mode")
_SAID: Mapping[Notice, str] = {
    "pack low": "that the pack runs low",
    "signal weak": "that the signal gets weak",
    "telemetry gone": "that telemetry is gone",
    "wrong mode": "that the mode is another",
    "too far": "that it is too far",
    "too high": "that it is too high",
}
_RANGES: Mapping[SensorName, tuple[float, float]] = {"LQ": (0, 100), "charge left": (0, 100), "height": (-500, 10_000), "position": (0, 1_000_000)}


class Noticed(BaseModel):
    """One thing to notice. `ways`: by which senses it reaches the pilot in flight, each with how; `deaf`: alarms that cannot ring, and why."""

    notice: Notice
    ways: dict[Sense, str]
    deaf: list[str]


def noticed(craft: CraftDocument, parts: KitParts, why: Mapping[SensorName, Cause | None]) -> list[Noticed]:
    """For each of them the ways that are left with parts, wires and settings as they are."""
    far = max(place_of(craft).home_m, 0.0) > BEEPER_M
    beeper = any(pin.goes_to == "buzzer" for part in parts.devices.values() for pin in part.pins)
    found = []
    for notice in NOTICES:
        ways: dict[Sense, str] = {}
        deaf = []
        for alarm in craft.alarms:
            if alarm.notice != notice or not alarm.told:
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
                if not beeper:
                    deaf.append("no beeper is fitted")
                elif far:
                    deaf.append(f"nobody hears the beeper farther than {BEEPER_M:.0f} m away")
                else:
                    ways.setdefault("ears", "the craft beeps")
        found.append(Noticed(notice=notice, ways=ways, deaf=deaf))
    return found


def check_noticing(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What nobody would notice, and alarms that cannot be right. Asked only of a craft that wants telemetry and has a way for it."""
    way = way_home(craft, parts)
    if way is None or not craft.wants.telemetry:
        return []
    if on_the_way(craft, parts, way) is not None:  # first the way, which has a finding of its own
        return [finding for number, alarm in enumerate(craft.alarms) for finding in _impossible(craft, parts, number, alarm)]
    why = causes(craft, parts)
    offers = {each.notice: each for each in limits(craft, parts, ages(craft, parts, way.protocol, told_now(parts, why)))}
    findings = []
    for each in noticed(craft, parts, why):
        if each.notice not in SHOULD or (each.notice == "wrong mode" and TELLINGS[way.protocol].of("flight mode") is None and not each.ways):
            continue
        if not each.ways:
            findings.append(_unnoticed(craft, each, offers.get(each.notice), way.protocol))
        elif len(each.ways) == 1 and each.notice in MUST:
            findings.append(_one_way(craft, each))
    for number, alarm in enumerate(craft.alarms):
        findings += _impossible(craft, parts, number, alarm)
    return findings


def _unnoticed(craft: CraftDocument, each: Noticed, offer: Limit | None, protocol: str) -> Finding:
    says = CHECK.stop if each.notice in MUST else CHECK.warn
    because = f" {each.deaf[0][0].upper()}{each.deaf[0][1:]}." if each.deaf else ""
    mends = []
    if offer is not None and offer.alarm is not None:
        rest = [alarm.model_dump(mode="json") for alarm in craft.alarms if alarm.notice != each.notice or alarm.sensor != offer.alarm.sensor]
        mends.append(Mend(text=in_words(offer.alarm, protocol), edits=(Edit(path="/alarms", value=[*rest, offer.alarm.model_dump(mode="json")]),)))
    elif each.notice == "signal weak":
        mends.append(Mend(text="Work out the alarm line", go="lost link"))
    why = offer.because if offer is not None else ""
    return says("downlink.unnoticed", At.setting("/alarms", each.notice), f"In flight you would not notice {_SAID[each.notice]}.{because}", why, *mends)


def _one_way(craft: CraftDocument, each: Noticed) -> Finding:
    sense, how = next(iter(each.ways.items()))
    also = "buzz" if sense == "ears" else "spoken"
    alarms = [
        alarm.model_copy(update={"told": [*alarm.told, also]}) if alarm.notice == each.notice and also not in alarm.told else alarm for alarm in craft.alarms
    ]
    text = f"Have it {'buzz' if also == 'buzz' else 'spoken'} as well"
    edits = (Edit(path="/alarms", value=[alarm.model_dump(mode="json") for alarm in alarms]),)
    return CHECK.note(
        "downlink.one-way",
        At.setting("/alarms", each.notice),
        f"Only your {sense} would tell you {_SAID[each.notice]}: {how}.",
        "Wind, talk or a thumb elsewhere, and it is missed.",
        Mend(text=text, edits=edits),
    )


def _impossible(craft: CraftDocument, parts: KitParts, number: int, alarm: Alarm) -> list[Finding]:
    at = At.setting(f"/alarms/{number}", f"alarm: {alarm.notice}")
    rest = [each.model_dump(mode="json") for index, each in enumerate(craft.alarms) if index != number]
    drop = Mend(text="Take this alarm out", edits=(Edit(path="/alarms", value=rest),))
    if alarm.notice in ("telemetry gone", "wrong mode"):
        return []
    if alarm.sensor is None:
        return [CHECK.warn("downlink.limit", at, f"The alarm for {alarm.notice} looks at no sensor.", "It can never ring.", drop)]
    low, high = _range(alarm.sensor, parts)
    never = alarm.limit >= high if alarm.above else alarm.limit <= low
    always = alarm.limit < low if alarm.above else alarm.limit > high
    if never or always:
        what = f"{alarm.sensor.capitalize()} goes from {low:g} to {high:g}: {'it never gets' if never else 'it is always'} {'above' if alarm.above else 'below'} {alarm.limit:g}."
        return [CHECK.warn("downlink.limit", at, what, "An alarm that never rings, or always, is none.", drop)]
    pack = parts.pack
    if alarm.notice == "pack low" and alarm.sensor in ("cell voltage", "voltage") and pack is not None:
        cells = pack.cells if alarm.sensor == "voltage" else 1
        calm, punch = current_a(craft, pack), FULL_THROTTLE * current_a(craft, pack)
        if alarm.delay_s < 1 and sag_v(pack, punch) - sag_v(pack, calm) > 0.03:
            trial = [each.model_dump(mode="json") for each in craft.alarms]
            trial[number] |= {"delay_s": 3.0}
            return [
                CHECK.note(
                    "downlink.sag",
                    at,
                    f"A punch of throttle pulls {alarm.sensor} {cells * (sag_v(pack, punch) - sag_v(pack, calm)):.2f} V lower, and the alarm does not wait.",
                    "A pack that sags is not an empty one; an alarm that cries at every punch is not heeded.",
                    Mend(text="Let it wait 3 s", edits=(Edit(path="/alarms", value=trial),)),
                )
            ]
    return []


def _range(sensor: SensorName, parts: KitParts) -> tuple[float, float]:
    """What a sensor can say at all with this kit."""
    pack = parts.pack
    if pack is not None and sensor in ("voltage", "cell voltage"):
        cells = 1 if sensor == "cell voltage" else pack.cells
        return 0.5 * cells * pack.empty_volts / pack.cells, cells * pack.full_volts / pack.cells
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
