"""The on-screen display: what a board can write on the picture, how wide each value is, how it looks, and where it stands.

All of it is ours: letters and figures, so that every link can show it. A value has a cell on either side of it, which is empty until the value crosses its line and is marked.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.document import ELEMENTS, CraftDocument, ElementName, ScreenElement
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import provided_by
from linkcore.parts.models import Screen
from linkcore.parts.sensor_names import SensorName

Shown = Mapping[ElementName, float | str]
Zone = Literal["ahead", "glance", "edge"]
AHEAD, GLANCE = 0.45, 0.95  # of half the picture: within the one it covers what is flown into, beyond the other it has to be looked for (ours)
MARKS = (">", "<")
MARKED_S = 0.6  # of every second a mark is seen; the value itself always
CHANGED_S = 5.0  # so long a new flight mode stays marked
SMALLEST = Screen(format="digital", columns=30, rows=13)  # what a board fills until its video link has told its size


@dataclass(frozen=True)
class ElementFacts:
    """How a value is written: `before`, a figure of at most `figures` characters with `places` decimals, `after`. `sensor`: who knows it; None where it is no sensor's."""

    name: ElementName
    sensor: SensorName | None
    figures: int
    before: str = ""
    after: str = ""
    places: int = 0
    sign: bool = False

    @property
    def width(self) -> int:
        """Cells that it takes, those for the marks included."""
        return len(self.before) + self.figures + len(self.after) + 2

    @property
    def unit(self) -> str:
        """What its line is given in."""
        return {"LQ": "%", "RSSI": "", "armed for": "s", "heading": "deg"}.get(self.name, self.after)

    def text(self, value: float | str | None, *, marked: bool = False, right: bool = False) -> str:
        """What stands on the picture, `width` characters; `right`: at the right end of them."""
        if value is None:
            said = "--"
        elif self.name == "flight mode":
            said = MODES_SHORT.get(str(value), str(value).upper())[: self.figures]
        elif self.name == "armed for":
            seconds = max(0, min(int(float(value)), 99 * 60 + 59))
            said = f"{seconds // 60:02d}:{seconds % 60:02d}"
        elif self.name == "heading":
            said = f"{float(value) % 360:03.0f}"
        else:
            most = 10.0 ** (self.figures - (self.places + 1 if self.places else 0) - self.sign) - 10.0**-self.places
            said = f"{max(-most, min(most, float(value))):{'+' if self.sign else ''}.{self.places}f}"[: self.figures]
        begin, end = MARKS if marked else (" ", " ")
        whole = f"{begin}{self.before}{said}{self.after}{end}"
        return whole.rjust(self.width) if right else whole.ljust(self.width)


MODES_SHORT: Mapping[str, str] = {
    "altitude hold": "ALT HOLD",
    "position hold": "POS HOLD",
    "return home": "HOMEWARD",
    "lost-link test": "LOSSTEST",
    "motors off": "MOT OFF",
}
FACTS: Mapping[ElementName, ElementFacts] = {
    facts.name: facts
    for facts in (
        ElementFacts("cell voltage", "cell voltage", 4, after="V", places=2),
        ElementFacts("voltage", "voltage", 5, after="V", places=2),
        ElementFacts("charge left", "charge left", 3, before="CHG ", after="%"),
        ElementFacts("used", "used", 5, after="mAh"),
        ElementFacts("LQ", None, 3, before="LQ "),
        ElementFacts("RSSI", None, 4, before="RS "),
        ElementFacts("flight mode", "flight mode", 8),
        ElementFacts("armed for", None, 5),
        ElementFacts("distance", "position", 5, before="D ", after="m"),
        ElementFacts("height", "height", 5, before="H ", after="m"),
        ElementFacts("climb rate", "climb rate", 5, after="m/s", places=1, sign=True),
        ElementFacts("speed", "speed", 3, after="m/s"),
        ElementFacts("current", "current", 5, after="A", places=1),
        ElementFacts("satellites", "satellites", 2, before="SAT "),
        ElementFacts("heading", "heading", 3, before="HDG "),
        ElementFacts("motor speed", "motor speed", 5, after="rpm"),
        ElementFacts("ESC temperature", "ESC temperature", 3, before="ESC ", after="C"),
    )
}


MORE_IS_WORSE: frozenset[ElementName] = frozenset(
    ("used", "armed for", "distance", "height", "climb rate", "current", "motor speed", "ESC temperature")
)  # a line of these is crossed upwards


def in_words(element: ElementName, value: float) -> str:
    """A value of an element for people."""
    if element == "armed for":
        return f"{value // 60:.0f}:{value % 60:02.0f}"
    return f"{value:g} {FACTS[element].unit}".rstrip()


def known_on_screen(craft: CraftDocument, parts: KitParts) -> dict[ElementName, str]:
    """Every element, and why a board of this kit has no value for it; empty where it has one."""
    return {name: _unknown(name, craft, parts) for name in ELEMENTS}


def _unknown(name: ElementName, craft: CraftDocument, parts: KitParts) -> str:
    receiver = parts.maybe_receiver
    if name == "armed for":
        return ""
    if name == "LQ":
        if receiver is not None and not (receiver.reports_link or receiver.flags_loss):
            return f"the {receiver.name} says nothing of frames that it lost"
        return "" if receiver is not None else "no receiver is chosen"
    if name == "RSSI":
        told = receiver is not None and (receiver.reports_link or craft.settings.rssi_channel is not None)
        return "" if told else "no channel carries RSSI to the board"
    sensor = FACTS[name].sensor
    return "" if sensor is not None and provided_by(sensor, parts) else f"nothing on this craft measures {'a position' if name == 'distance' else name}"


def rssi_unit(parts: KitParts) -> str:
    """What the board's own RSSI is told in."""
    return "dBm" if parts.maybe_receiver is not None and parts.maybe_receiver.reports_link else "%"


def falls_off(element: ScreenElement, screen: Screen) -> bool:
    """Whether not all of it is on a picture of this size."""
    return element.row > screen.rows or element.column + FACTS[element.element].width - 1 > screen.columns


def overlap(one: ScreenElement, other: ScreenElement) -> bool:
    """Whether two take a cell of each other."""
    ends, begins = one.column + FACTS[one.element].width, other.column + FACTS[other.element].width
    return one.row == other.row and one.column < begins and other.column < ends


def place(element: ScreenElement, others: Sequence[ScreenElement], screens: Iterable[Screen]) -> ScreenElement:
    """An element where all of it is seen in every format, beside others that stay: nearest to the middle line, at the left or the right edge, so that the view ahead stays free.

    Raise ValueError where there is no room.
    """
    sizes = list(screens) or [SMALLEST]
    columns, rows, width = min(each.columns for each in sizes), min(each.rows for each in sizes), FACTS[element.element].width
    middle = (rows + 1) // 2
    for row in sorted(range(1, rows + 1), key=lambda row: (abs(row - middle), -row)):
        for column in (2, columns - width):
            spot = element.model_copy(update={"column": column, "row": row})
            if column >= 1 and not any(overlap(spot, other) for other in others):
                return spot
    raise ValueError(f"there is no room left for {element.element} on {columns} by {rows} characters")


def arrange(elements: Sequence[ScreenElement], screens: Iterable[Screen]) -> list[ScreenElement]:
    """The same elements, each once, placed so that all are seen in every format and none overlaps, what can kill nearest to the middle line. Raise ValueError where they do not fit."""
    sizes = list(screens)
    placed: list[ScreenElement] = []
    for element in sorted({each.element: each for each in reversed(elements)}.values(), key=lambda each: ELEMENTS.index(each.element)):
        placed.append(place(element, placed, sizes))
    return placed


def compose(elements: Sequence[ScreenElement], shown: Shown, marked: Iterable[ElementName], size: Screen, *, lit: bool = True) -> list[str]:
    """The text of a whole picture, row by row: what falls off is cut, and of two in one cell the later is seen. `lit`: whether marks are seen just now."""
    rows = [[" "] * size.columns for _ in range(size.rows)]
    crossed = set(marked) if lit else set()
    for each in elements:
        text = FACTS[each.element].text(shown.get(each.element), marked=each.element in crossed, right=on_the_right(each, size))
        for at, letter in enumerate(text, each.column - 1):
            if each.row <= size.rows and at < size.columns:
                rows[each.row - 1][at] = letter
    return ["".join(row) for row in rows]


def zone(element: ScreenElement, screen: Screen) -> Zone:
    """Where on the picture a value stands to eyes that look ahead: by how far its middle is from the picture's, as a share of half the picture each way."""
    across = (2 * element.column + FACTS[element.element].width - 2 - screen.columns) / screen.columns
    down = (2 * element.row - 1 - screen.rows) / screen.rows
    far = math.hypot(across, down)
    return "ahead" if far < AHEAD else "glance" if far < GLANCE else "edge"


def on_the_right(element: ScreenElement, size: Screen) -> bool:
    """Whether a value stands in the right half, where it is written to the right, so that edges stay straight."""
    return 2 * element.column + FACTS[element.element].width - 1 > size.columns + 1


def crosses(element: ScreenElement, value: float | str | None) -> bool:
    """Whether a value is beyond its line."""
    if element.line is None or not isinstance(value, (int, float)):
        return False
    return value > element.line if element.above else value < element.line


def seen_on(rows: Sequence[str], element: ScreenElement) -> tuple[str, bool] | None:
    """What a picture shows where an element should stand: (its text, whether it is marked); None where that is not all of such a value."""
    facts = FACTS[element.element]
    row = rows[element.row - 1] if element.row <= len(rows) else ""
    cells = row[element.column - 1 : element.column - 1 + facts.width]
    said = cells.strip()
    marked = said.startswith(MARKS[0]) and said.endswith(MARKS[1])
    inside = said[1:-1] if marked else said
    if (
        len(cells) < facts.width
        or not inside.startswith(facts.before)
        or not inside.endswith(facts.after)
        or len(inside) <= len(facts.before) + len(facts.after)
    ):
        return None
    return inside, marked
