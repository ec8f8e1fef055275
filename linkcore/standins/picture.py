"""The picture as the pilot sees it: a camera's, on which the board writes over the analog signal, or a digital link's, to which it sends text frames."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from linkcore.craft.document import CraftDocument, ElementName, ScreenElement
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import USUAL_BAUD, Values, apart_m
from linkcore.devices.text_screen import CHANGED_S, FACTS, MARKED_S, SMALLEST, Shown, compose, crosses, seen_on
from linkcore.parts.models import Screen
from linkcore.parts.sensor_names import SensorName
from linkcore.protocols.base import Frame, SerialReader, TelemetryFrame
from linkcore.protocols.text_frame import TextDecoder, encode_picture
from linkcore.signal.uart import UartSettings, toggles_of
from linkcore.standins.board import StandInBoard
from linkcore.standins.peripherals import Heard
from linkcore.standins.wires import grounded
from linkcore.wiring.picture import screen_of, video_devices

WRITES_S = 0.2
Truth = Mapping[SensorName, float | str]
TEXT_KEPT_S = 2.0  # a link that is told nothing for so long shows no text
Runs = Mapping[str, bool]


@dataclass(frozen=True)
class Picture:
    """What is seen. `why`: why there is no picture at all, empty where there is one; `rows`: the text on it."""

    why: str = "no camera and no video link is fitted"
    rows: tuple[str, ...] = ()


@dataclass
class ElementSeen:
    """What was seen of one value: `whole`: with a figure in it; `marked_after_s`: how long after it really was over its line it was marked."""

    whole: bool = False
    over_since: float | None = None
    marked_after_s: float | None = None


@dataclass
class _Ends:
    """Who is in the way of the picture, and where their wires end: (device, pad kind or name)."""

    camera: str | None = None
    camera_on: str = ""
    sender: str | None = None
    sender_on: str = ""
    link: str | None = None
    link_on: str = ""
    link_pin: str = ""
    link_inverter: bool = False
    link_baud: int = 0
    screen: Screen | None = None
    grounded: dict[str, bool] = field(default_factory=dict)


class Writer:
    """The board's side: what it knows, what it marks."""

    def __init__(self) -> None:
        self.armed_s = 0.0
        self._home: tuple[float, ...] | None = None
        self._armed = False
        self._mode: str | None = None
        self._changed_t = float("-inf")

    def shows(self, t: float, dt: float, board: StandInBoard, says: Values) -> Shown:
        """Every value for the picture, in the unit that it is shown in; none that the board has not got."""
        if board.armed:
            self.armed_s += dt
        shown: dict[ElementName, float | str] = {"armed for": self.armed_s}
        for name, facts in FACTS.items():
            value = says.get(facts.sensor) if facts.sensor else None
            if isinstance(value, (int, float, str)):
                shown[name] = value
        place = says.get("position")
        if isinstance(place, tuple):
            if self._home is None or (board.armed and not self._armed):
                self._home = place
            shown["distance"] = apart_m(self._home, place)
        for name, told in (("LQ", board.own_lq(t)), ("RSSI", board.own_rssi(t))):
            if told is not None:
                shown[name] = told
        self._armed = board.armed
        mode = shown.get("flight mode")
        if self._mode is not None and mode != self._mode:
            self._changed_t = t
        self._mode = str(mode) if mode is not None else None
        return shown

    def marks(self, t: float, elements: list[ScreenElement], shown: Shown) -> set[ElementName]:
        """Which values are marked: those over their line, and a mode that is new."""
        over = {each.element for each in elements if crosses(each, shown.get(each.element))}
        return over | ({"flight mode"} if t - self._changed_t < CHANGED_S else set())


class VideoWay:
    """Camera, text and video transmitter of one craft."""

    def __init__(self) -> None:
        self.picture = Picture()
        self.shown: Shown = {}
        self.seen: dict[ElementName, ElementSeen] = {}
        self._ends = _Ends()
        self._writer = Writer()
        self._awake = False
        self._next = self._wrote_t = 0.0
        self._forget_link()

    def _forget_link(self) -> None:
        self._decoder = TextDecoder()
        self._reader: tuple[UartSettings, SerialReader] | None = None
        self._page: list[tuple[int, int, str]] = []
        self._text: tuple[float, list[tuple[int, int, str]]] | None = None

    def follow(self, document: CraftDocument, parts: KitParts) -> None:
        """Parts or wires are others."""
        ends = _Ends()
        for name, part in video_devices(parts).items():
            ends.grounded[name] = grounded(document, parts, name)
            patches = {each.pin: each for each in document.wiring if each.device == name}
            if part.job == "video link" and part.serial is not None:
                patch = patches.get(part.serial.listens or "")
                ends.link, ends.link_on, ends.link_baud = name, patch.pad if patch else "", part.serial.baud
                ends.link_pin = part.serial.listens or ""
                ends.link_inverter = bool(patch and patch.inverter)
                ends.screen = screen_of(document, parts, name)
                continue
            for pin in part.pins:
                patch = patches.get(pin.name)
                kind = parts.board.pad_kind(patch.pad) if patch else None
                if pin.goes_to == "camera" and ends.camera is None:
                    ends.camera, ends.camera_on = name, kind or ""
                    ends.screen = ends.screen if ends.link else screen_of(document, parts, name)
                elif pin.goes_to == "video" and ends.sender is None:
                    ends.sender, ends.sender_on = name, kind or ""
        if ends != self._ends:
            self._ends = ends
            self._forget_link()

    @property
    def on_the_way(self) -> list[str]:
        """The devices that what is seen comes by."""
        return [name for name in ((self._ends.link,) if self._ends.link else (self._ends.camera, self._ends.sender)) if name]

    @property
    def listens_on(self) -> str:
        """The pin on which a digital link is told its text."""
        return self._ends.link_pin

    def count_anew(self) -> None:
        """What was seen says nothing of how it is now."""
        self.seen.clear()

    def run(self, t: float, board: StandInBoard, says: Callable[[], Values], heard: Heard, running: Callable[[], Runs], truth: Callable[[], Truth]) -> None:
        """Let the picture of this moment come; `says`: what the board knows, `running`: which devices do, `truth`: what is so."""
        if t < self._next or not (self._ends.screen or self._ends.sender or self._ends.link):
            return
        dt, self._wrote_t, self._next = (t - self._wrote_t if self._next else 0.0), t, t + WRITES_S
        awake = board.powered and not board.booting(t)
        if awake and not self._awake:
            self._writer = Writer()
        self._awake = awake
        elements = board.running.screen.elements
        self.shown = self._writer.shows(t, dt, board, says()) if awake else {}
        runs = running()
        self.picture = self._digital(t, board, heard, runs, awake) if self._ends.link else self._analog(t, board, runs, awake)
        self._watch(t, elements, truth())

    def _rows(self, t: float, board: StandInBoard, size: Screen) -> list[str]:
        elements = board.running.screen.elements
        return compose(elements, self.shown, self._writer.marks(t, elements, self.shown), size, lit=t % 1.0 < MARKED_S)

    def _analog(self, t: float, board: StandInBoard, runs: Runs, awake: bool) -> Picture:
        ends = self._ends
        if ends.sender is None:
            return Picture("no video transmitter is fitted")
        if not runs.get(ends.sender, False):
            return Picture(f"{ends.sender} has no power")
        if ends.sender_on != "video" or not ends.grounded.get(ends.sender, False):
            return Picture(f"nothing reaches {ends.sender}")
        if not board.part.text_screen or not board.powered:
            return Picture("the board lets no picture through")
        if (
            ends.camera is None
            or ends.screen is None
            or ends.camera_on != "camera"
            or not ends.grounded.get(ends.camera, False)
            or not runs.get(ends.camera, False)
        ):
            return Picture("no camera's picture reaches the board")
        return Picture("", tuple(self._rows(t, board, ends.screen)) if awake else ())

    def _digital(self, t: float, board: StandInBoard, heard: Heard, runs: Runs, awake: bool) -> Picture:
        ends, size = self._ends, self._ends.screen
        if ends.link is None or size is None or not runs.get(ends.link, False):
            self._forget_link()
            return Picture(f"{ends.link} has no power")
        pad = board.part.pad(ends.link_on)
        speaks = awake and pad is not None and pad.kind == "tx" and board.running.ports.get(pad.port or "") == "video link"
        if speaks and pad is not None and board.running.screen.elements and ends.grounded.get(ends.link, False):
            told = heard.newest("screen_size", t)
            fills = Screen(format="digital", columns=int(told.values["columns"]), rows=int(told.values["rows"])) if told is not None else SMALLEST
            baud = board.running.port_baud.get(pad.port or "", USUAL_BAUD["video link"])
            self._cross(t, encode_picture(self._rows(t, board, fills)), UartSettings(baud))
        text = self._text[1] if self._text is not None and t - self._text[0] <= TEXT_KEPT_S else []
        return Picture("", tuple(_page(text, size)))

    def _cross(self, t: float, data: bytes, sent: UartSettings) -> None:
        """The board's bytes reach the link; sampled as they were sent they arrive as they were sent."""
        ends = self._ends
        uart = UartSettings(ends.link_baud)
        if sent == uart and not ends.link_inverter:
            frames: list[Frame] = self._decoder.feed(data, (t + np.arange(len(data)) * uart.byte_s).tolist())
        else:
            if self._reader is None or self._reader[0] != sent:
                level = sent.with_inversion(sent.inverted != ends.link_inverter).idle_level
                self._reader = (sent, SerialReader(uart, self._decoder, level))
            toggles = toggles_of([(t, data)], sent)
            _, frames = self._reader[1].feed(toggles[toggles < t + WRITES_S], t + WRITES_S)
        for frame in frames:
            if not isinstance(frame, TelemetryFrame):
                continue
            if frame.sensor == "screen_begin":
                self._page = []
            elif frame.sensor == "screen_text":
                self._page.append((int(frame.values["row"]), int(frame.values["column"]), str(frame.values["text"])))
            elif frame.sensor == "screen_end":
                self._text = (t, self._page)

    def _watch(self, t: float, elements: list[ScreenElement], truth: Truth) -> None:
        """What the picture shows of each value, beside what is so."""
        for each in elements:
            seen = self.seen.setdefault(each.element, ElementSeen())
            name = each.element
            really = truth.get("position" if name == "distance" else name) if name != "armed for" else self.shown.get(name)
            if not crosses(each, really):
                seen.over_since = None
            elif seen.over_since is None:
                seen.over_since = t
            found = seen_on(self.picture.rows, each)
            if found is None:
                continue
            seen.whole = seen.whole or "--" not in found[0]
            if found[1] and seen.over_since is not None and seen.marked_after_s is None:
                seen.marked_after_s = t - seen.over_since


def _page(text: list[tuple[int, int, str]], size: Screen) -> list[str]:
    rows = [[" "] * size.columns for _ in range(size.rows)]
    for row, column, said in text:
        for at, letter in enumerate(said, column - 1):
            if row <= size.rows and at < size.columns:
                rows[row - 1][at] = letter
    return ["".join(row) for row in rows]
