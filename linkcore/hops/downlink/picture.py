"""What the picture tells the pilot: which values answer what has to be noticed, at which line each is marked, and what of them cannot be seen."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.document import BoardSettings, CraftDocument, ElementName, Notice, ScreenElement
from linkcore.craft.parts import KitParts
from linkcore.devices.text_screen import FACTS, arrange, falls_off, in_words, known_on_screen, overlap, place, rssi_unit, zone
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.downlink.causes import kept_from_board
from linkcore.hops.downlink.limits import CEILING_M, SIGNALS, far_m, flight_s, pack_limit, said_of
from linkcore.parts.models import Screen
from linkcore.parts.sensor_names import SensorName
from linkcore.wiring.picture import PictureWay, picture_way

CHECK = Check("downlink")
ELEMENTS_AT = "/settings/screen/elements"
MUST: tuple[Notice, ...] = ("pack low", "signal weak")  # without any way these are a stop


@dataclass(frozen=True)
class Answer:
    """Something that the pilot's eyes may have to tell. `elements`: what shows it, the first that the board knows; `notice`: what it is called in the check, None where no line is drawn for it."""

    says: str
    elements: tuple[ElementName, ...]
    notice: Notice | None = None


ANSWERS: tuple[Answer, ...] = (
    Answer("that the pack runs low", ("cell voltage", "voltage", "charge left"), "pack low"),
    Answer("that the signal gets weak", ("LQ", "RSSI"), "signal weak"),
    Answer("that the mode is another", ("flight mode",), "wrong mode"),
    Answer("that the time is up", ("armed for",)),
    Answer("that it is too far", ("distance",), "too far"),
    Answer("that it is too high", ("height",), "too high"),
    Answer("how much it has used", ("used",)),
    Answer("how much it draws", ("current",)),
    Answer("how fast it flies", ("speed",)),
    Answer("how it climbs", ("climb rate",)),
    Answer("how many satellites", ("satellites",)),
    Answer("where it heads", ("heading",)),
    Answer("how hot an ESC is", ("ESC temperature",)),
    Answer("how fast a motor turns", ("motor speed",)),
)
OF_ELEMENT = {element: answer for answer in ANSWERS for element in answer.elements}


@dataclass(frozen=True)
class Line:
    """Where a value is marked, and why there; `by_alarm`: since its alarm rings there."""

    limit: float
    above: bool
    because: str
    by_alarm: bool = False


def element_for(answer: Answer, craft: CraftDocument, parts: KitParts) -> ElementName | None:
    """The value that shows it: one that has a line before one that has none; None where the board knows nothing of it."""
    unknown = known_on_screen(craft, parts)
    there = [each for each in answer.elements if not unknown[each]]
    return next((each for each in there if line_for(each, craft, parts)), there[0] if there else None)


def line_for(element: ElementName, craft: CraftDocument, parts: KitParts) -> Line | None:
    """Where a value is to be marked: as its alarm has it, else worked out; None where nothing says where."""
    notice = OF_ELEMENT[element].notice
    sensor: SensorName | None = "position" if element == "distance" else FACTS[element].sensor or (element if element in ("LQ", "RSSI") else None)
    if notice == "signal weak":
        line = craft.alarm
        unit = rssi_unit(parts) if element == "RSSI" else "%"
        if line is None or SIGNALS[line.signal] != (element, unit):
            return None
        return Line(line.line, False, said_of(line))
    if notice is not None and notice != "wrong mode":
        alarm = next((each for each in craft.alarms if each.notice == notice and each.sensor == sensor), None)
        if alarm is not None:
            return Line(alarm.limit, alarm.above, "As its alarm has it.", by_alarm=True)
    if element in ("cell voltage", "voltage", "charge left") and sensor is not None:
        found = pack_limit(craft, parts, (sensor,))
        return Line(found.alarm.limit, False, found.because) if found.alarm is not None else None
    if element == "armed for" and parts.pack is not None:
        seconds = round(flight_s(craft, parts.pack))
        return Line(float(seconds), True, f"So long its pack lasts under way, a reserve left: {seconds // 60} min {seconds % 60} s.")
    if element == "distance":
        return Line(far_m(craft), True, "Twice as far as you said that you fly.")
    if element == "height":
        return Line(CEILING_M, True, "The ceiling of the open category (Regulation (EU) 2019/947).")
    return None


def with_line(element: ElementName, craft: CraftDocument, parts: KitParts) -> ScreenElement:
    """An element with its line, placed nowhere in particular yet."""
    line = line_for(element, craft, parts)
    return ScreenElement(element=element, column=1, row=1, line=line.limit if line else None, above=line.above if line else False)


def screens_of(way: PictureWay | None) -> tuple[Screen, ...]:
    """All sizes that a picture of this craft may have."""
    return way.screens if way is not None else ()


def added(elements: Sequence[ScreenElement], new: ScreenElement, screens: Sequence[Screen]) -> list[ScreenElement]:
    """One more, where there is room; those that stand already stay. Where there is none, all are arranged anew."""
    try:
        return [*elements, place(new, elements, screens)]
    except ValueError:
        return arrange([*elements, new], screens)


def set_to(elements: Sequence[ScreenElement]) -> Edit:
    """The edit that has the board write just these."""
    return Edit(path=ELEMENTS_AT, value=[each.model_dump(mode="json") for each in elements])


# --- what cannot be seen ----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ElementFault:
    """Why a value cannot be seen, or not in every format (`elsewhere`). `says` is the rest of a sentence."""

    kind: Literal["twice", "no value", "off", "overlap", "elsewhere"]
    says: str


def element_faults(settings: BoardSettings, way: PictureWay | None, unknown: dict[ElementName, str]) -> list[ElementFault | None]:
    """Of each element of these settings what is wrong with it; None where it is seen whole in every format."""
    elements = settings.screen.elements
    return [_fault(number, elements, way, unknown) for number in range(len(elements))]


def _fault(number: int, elements: Sequence[ScreenElement], way: PictureWay | None, unknown: dict[ElementName, str]) -> ElementFault | None:
    mine = elements[number]
    if any(each.element == mine.element for each in elements[:number]):
        return ElementFault("twice", "it is there twice")
    if unknown[mine.element]:
        return ElementFault("no value", unknown[mine.element])
    screen = way.screen if way else None
    if screen is not None and falls_off(mine, screen):
        return ElementFault("off", f"it falls off the picture in {screen.format}" if screen.format != "digital" else "it falls off the picture")
    if other := next((each for index, each in enumerate(elements) if index != number and overlap(mine, each) and each.element != mine.element), None):
        return ElementFault("overlap", f"it overlaps {other.element}")
    if shorter := next((each for each in screens_of(way) if falls_off(mine, each)), None):
        return ElementFault("elsewhere", f"it would fall off in {shorter.format}, which has {shorter.rows} rows")
    return None


def unknown_because(element: ElementName, craft: CraftDocument, parts: KitParts) -> str:
    """Why the board has no value for it, by parts, wires and settings; empty where it has one."""
    sensor = FACTS[element].sensor
    return known_on_screen(craft, parts)[element] or (kept_from_board(sensor, craft, parts) if sensor else "")


def seen_now(element: ElementName, craft: CraftDocument, parts: KitParts, way: PictureWay | None) -> ScreenElement | None:
    """The element as the pilot sees it with these settings; None where it is not on the picture, or cannot be read there."""
    if way is None or way.stops or way.screen is None or unknown_because(element, craft, parts):
        return None
    elements = craft.settings.screen.elements
    mine = next((each for each in elements if each.element == element), None)
    if mine is None or falls_off(mine, way.screen) or any(overlap(mine, each) for each in elements if each is not mine):
        return None
    return mine


def falls_short(answer: Answer, craft: CraftDocument, parts: KitParts, way: PictureWay | None) -> str:
    """Why the picture does not tell what is arranged on it for that; empty where it does, or where nothing is arranged for it."""
    for name in answer.elements:
        if not any(each.element == name for each in craft.settings.screen.elements):
            continue
        mine = seen_now(name, craft, parts, way)
        if mine is None:
            why = way.stops[0].says if way and way.stops else unknown_because(name, craft, parts)
            return f"the picture does not show {name}" + (f": {why}" if why else "")
        return f"the picture shows {name} and marks it at no line" if mine.line is None and answer.notice not in (None, "wrong mode") else ""
    return ""


def eyes(notice: Notice, craft: CraftDocument, parts: KitParts, way: PictureWay | None) -> tuple[str, str]:
    """(how the picture tells it, why it does not though it is arranged for it): both empty where the picture has nothing of it."""
    answer = next((each for each in ANSWERS if each.notice == notice), None)
    mine = next((each for each in craft.settings.screen.elements if answer and each.element in answer.elements), None)
    if answer is None or mine is None:
        return "", ""
    short = falls_short(answer, craft, parts, way)
    if short:
        return "", short
    if mine.line is None:
        return "the picture shows it, and marks each change", ""
    return f"the picture marks {mine.element} {'above' if mine.above else 'under'} {in_words(mine.element, mine.line)}", ""


def check_picture(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What of the arranged values the pilot will not see, or not be able to judge."""
    elements = craft.settings.screen.elements
    if not elements or parts.maybe_board is None:
        return []
    way = picture_way(craft, parts)
    if way is None:
        return [
            CHECK.warn(
                "downlink.picture",
                At.setting(ELEMENTS_AT, "on the picture"),
                "Values are arranged on a picture, and no camera and no video link is fitted.",
                "Nobody sees them.",
                Mend(text="Fit a camera and a video transmitter, or a video link", go="kit"),
            )
        ]
    findings = [
        CHECK.warn(
            "downlink.picture",
            At.setting(ELEMENTS_AT, "on the picture"),
            f"{stop.says[0].upper()}{stop.says[1:]}.",
            "Without it nothing is seen of what is arranged.",
            *stop.mends,
        )
        for stop in way.stops[:1]
    ]
    unknown = known_on_screen(craft, parts)
    for number, (each, fault) in enumerate(zip(elements, element_faults(craft.settings, way, unknown), strict=True)):
        if fault:
            findings.append(_not_seen(craft, way, number, each, fault))
        else:
            findings += [found for found in (_judged(craft, parts, number, each), _sight(craft, way, number, each)) if found is not None]
    return findings


def _not_seen(craft: CraftDocument, way: PictureWay, number: int, each: ScreenElement, fault: ElementFault) -> Finding:
    elements, at = craft.settings.screen.elements, At.setting(f"{ELEMENTS_AT}/{number}", f"on the picture: {each.element}")
    off = Mend(text=f"Take {each.element} off the picture", edits=(set_to([other for index, other in enumerate(elements) if index != number]),))
    if fault.kind in ("twice", "no value"):
        return CHECK.warn(
            "downlink.element",
            at,
            f"{each.element[0].upper()}{each.element[1:]} on the picture: {fault.says}.",
            "It takes the room of a value that says something.",
            off,
        )
    rest = [other for index, other in enumerate(elements) if index != number]
    mends = [off]
    with suppress(ValueError):
        moved = place(each, rest, way.screens)
        mends.insert(0, Mend(text=f"Move it to row {moved.row}, column {moved.column}", edits=(set_to([*elements[:number], moved, *elements[number + 1 :]]),)))
    later = fault.kind == "elsewhere"
    says = CHECK.note if later else CHECK.warn
    why = "Set the camera to the other format, and it is gone." if later else "It is not read in flight."
    return says("downlink.element", at, f"{each.element[0].upper()}{each.element[1:]} on the picture: {fault.says}.", why, *mends)


def _sight(craft: CraftDocument, way: PictureWay, number: int, each: ScreenElement) -> Finding | None:
    """A value that covers the view ahead, or one that can kill and has to be looked for."""
    where = zone(each, way.screen) if way.screen else "glance"
    if where == "glance" or (where == "edge" and OF_ELEMENT[each.element].notice not in MUST):
        return None
    elements = craft.settings.screen.elements
    rest = [other for index, other in enumerate(elements) if index != number]
    mends = []
    with suppress(ValueError):
        moved = place(each, rest, way.screens)
        if way.screen is not None and zone(moved, way.screen) != where:
            mends.append(Mend(text=f"Move it to row {moved.row}, column {moved.column}", edits=(set_to([*elements[:number], moved, *elements[number + 1 :]]),)))
    at, name = At.setting(f"{ELEMENTS_AT}/{number}", f"on the picture: {each.element}"), f"{each.element[0].upper()}{each.element[1:]}"
    if where == "ahead":
        return CHECK.note("downlink.sight", at, f"{name} on the picture covers the view ahead.", "What is flown into is seen there first.", *mends)
    return CHECK.note("downlink.sight", at, f"{name} stands at the edge of the picture and has to be looked for.", "Eyes that look ahead see it late.", *mends)


def _judged(craft: CraftDocument, parts: KitParts, number: int, each: ScreenElement) -> Finding | None:
    """A value with no line that has one, or with another than its alarm."""
    line = line_for(each.element, craft, parts)
    if line is None or (each.line, each.above) == (line.limit, line.above):
        return None
    elements = list(craft.settings.screen.elements)
    elements[number] = each.model_copy(update={"line": line.limit, "above": line.above})
    way = "above" if line.above else "under"
    mend = Mend(text=f"Mark it {way} {in_words(each.element, line.limit)}", edits=(set_to(elements),))
    at = At.setting(f"{ELEMENTS_AT}/{number}", f"on the picture: {each.element}")
    if each.line is None:
        return CHECK.note(
            "downlink.no-line",
            at,
            f"The picture shows {each.element} and never marks it.",
            f"A figure that has to be read and judged is missed. {line.because}",
            mend,
        )
    if OF_ELEMENT[each.element].notice is None:
        return None  # the pilot's own figure
    marked = f"{'above' if each.above else 'under'} {in_words(each.element, each.line)}"
    says = f"The picture marks {each.element} {marked}; {'its alarm rings' if line.by_alarm else 'the line stands'} {way} {in_words(each.element, line.limit)}."
    return CHECK.note("downlink.line-differs", at, says, "Eyes and ears are told at different times." if line.by_alarm else line.because, mend)
