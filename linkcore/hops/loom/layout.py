"""Where everything stands in the wiring drawing: board in the middle, devices beside it, every net on a lane of its own.

Lengths are drawing units (a screen pixel at full size). Pads sit on a grid, pins half a step off it, so that no two nets ever
share a horizontal. Wires that end on one pad share one trunk with a dot at each splice.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import PACK, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.parts.models import Pad
from linkcore.wiring.netlist import PACK_PINS, Colour, Purpose, Wire, wire_list

STEP = 20
LANE = 12
DEVICE_WIDTH = 156
BOARD_WIDTH = 190
JOB_WIDTH = 70  # room for the jobs inside the board, where they are shown
MARGIN = 14
HEAD = 2  # grid steps for a device's name
Side = Literal["left", "right"]


class Box(BaseModel):
    """A device or the board."""

    name: str
    kind: Literal["device", "board"]
    title: str
    subtitle: str
    x: float
    y: float
    w: float
    h: float


class Spot(BaseModel):
    """A pin or a pad. `side`: the edge of its box that it sits on."""

    owner: str
    name: str
    x: float
    y: float
    side: Side
    port: str | None = None
    wired: bool = False
    kind: str


class Run(BaseModel):
    """One wire as a line from pin to pad."""

    key: str
    device: str
    pin: str
    pad: str
    colour: Colour
    ink: str
    purpose: Purpose
    inverter: bool
    points: list[tuple[float, float]]


class Picture(BaseModel):
    """The whole drawing. `dots` are splices."""

    width: float
    height: float
    boxes: list[Box]
    pins: list[Spot]
    pads: list[Spot]
    runs: list[Run]
    dots: list[tuple[float, float]]
    crossings: int


@dataclass
class _Device:
    name: str
    title: str
    subtitle: str
    pins: list[tuple[str, str]]  # name, kind
    side: Side = "left"
    wish: float = 0.0  # where its wires pull it
    y: int = 0  # in half steps

    @property
    def steps(self) -> int:
        return HEAD + max(1, len(self.pins))


@dataclass
class _Net:
    """The wires of one pad in one channel: the pins' heights there, and where it leaves the channel."""

    pad: str
    pins: list[float] = field(default_factory=list)
    end: float = 0.0
    lane: float = 0.0

    @property
    def span(self) -> tuple[float, float]:
        heights = [*self.pins, self.end]
        return min(heights), max(heights)


def lay_out(document: CraftDocument, parts: KitParts, *, signals_only: bool = False) -> Picture:
    """The drawing of every wire, or of signals alone (for the port plan)."""
    board = parts.board
    wires = [wire for wire in wire_list(document, parts) if board.pad(wire.pad)]
    if signals_only:
        wires = [wire for wire in wires if wire.purpose not in ("supply", "ground", "supply to the rail")]
    shown = [pad for pad in board.pads if not signals_only or pad.kind not in ("supply", "ground")]
    pad_y = _pad_heights(shown)
    devices = _devices(document, parts, wires, pad_y, {pad.name: pad.side for pad in shown}, signals_only)
    _stack(devices, pad_y)
    return _draw(parts, devices, wires, shown, pad_y, BOARD_WIDTH + (JOB_WIDTH if signals_only else 0))


def _pad_heights(pads: list[Pad]) -> dict[str, float]:
    heights = {}
    for side in ("left", "right"):
        for place, pad in enumerate(sorted((pad for pad in pads if pad.side == side), key=lambda pad: pad.place)):
            heights[pad.name] = STEP * (place + 3.0)
    return heights


def _devices(
    document: CraftDocument, parts: KitParts, wires: list[Wire], pad_y: dict[str, float], pad_side: dict[str, Side], signals_only: bool
) -> list[_Device]:
    devices = []
    wired = [(name, part.name, part.pins) for name, part in parts.wired().items()]
    if any(wire.device == PACK for wire in wires):
        wired.append((PACK, "the board's own feed", tuple(PACK_PINS.values())))
    for name, subtitle, all_pins in wired:
        mine = [wire for wire in wires if wire.device == name and wire.pad in pad_y]
        pins = [pin for pin in all_pins if not signals_only or pin.kind.startswith("signal")]
        if not pins:
            continue
        to = {wire.pin: wire.pad for wire in mine}
        votes = {"left": 0.0, "right": 0.0}
        for wire in mine:
            votes[pad_side[wire.pad]] += 1.0 if wire.purpose in ("supply", "ground") else 2.0
        ordered = sorted(pins, key=lambda pin: (pin.name not in to, pad_y.get(to.get(pin.name, ""), 0.0)))
        device = _Device(name, name, subtitle, [(pin.name, pin.kind) for pin in ordered])
        device.side = "left" if votes["left"] >= votes["right"] else "right"
        heights = [pad_y[wire.pad] for wire in mine if pad_side[wire.pad] == device.side]
        device.wish = sum(heights) / len(heights) if heights else 1e6
        devices.append(device)
    _level(devices)
    return devices


def _level(devices: list[_Device]) -> None:
    """Devices without a wire yet go where there is room."""
    for device in devices:
        if device.wish >= 1e6:
            tall = {side: sum(each.steps + 1 for each in devices if each.side == side and each.wish < 1e6) for side in ("left", "right")}
            device.side = "left" if tall["left"] <= tall["right"] else "right"


def _stack(devices: list[_Device], pad_y: dict[str, float]) -> None:
    """Each column in the order of its wires, centred on the board, as near to them as the others allow."""
    board_steps = max(pad_y.values(), default=STEP * 4) / STEP
    for side in ("left", "right"):
        column = sorted((device for device in devices if device.side == side), key=lambda device: device.wish)
        total = sum(device.steps + 1 for device in column)
        at = 0
        slack = max(0, int(board_steps) + 1 - total)
        for device in column:
            wanted = int(device.wish / STEP - device.steps / 2 - 1) if device.wish < 1e6 else at
            step = min(max(0, wanted - at), slack)
            slack -= step
            at += step
            device.y = at
            at += device.steps + 1


def _draw(parts: KitParts, devices: list[_Device], wires: list[Wire], shown: list[Pad], pad_y: dict[str, float], board_width: float) -> Picture:
    board = parts.board
    sides: dict[str, Side] = {pad.name: pad.side for pad in shown}
    side_of = {device.name: device.side for device in devices}
    pin_y = {(device.name, pin): STEP * (device.y + HEAD + place + 0.5) for device in devices for place, (pin, _) in enumerate(device.pins)}
    joined = [wire for wire in wires if wire.pad in pad_y and (wire.device, wire.pin) in pin_y]
    board_height = STEP * (max((int(y / STEP) for y in pad_y.values()), default=4) + 2)
    across = list(dict.fromkeys(wire.pad for wire in joined if side_of[wire.device] != sides[wire.pad]))
    top = [pad for pad in across if pad_y[pad] < board_height / 2]
    under = [pad for pad in across if pad not in top]
    column_height = max((STEP * (device.y + device.steps + 1) for device in devices), default=0)
    lift = STEP * ((len(top) * LANE) // STEP + (1 if top else 0))
    floor = max(board_height, 0) + STEP / 2
    track = {pad: -LANE * (place + 1.0) for place, pad in enumerate(top)} | {pad: floor + LANE * (place + 1.0) for place, pad in enumerate(under)}
    channels: dict[Side, dict[str, _Net]] = {"left": {}, "right": {}}
    for wire in joined:
        side = side_of[wire.device]
        net = channels[side].setdefault(wire.pad, _Net(wire.pad, end=pad_y[wire.pad] if side == sides[wire.pad] else track[wire.pad]))
        net.pins.append(pin_y[(wire.device, wire.pin)])
    for pad in across:  # and on the far side from its track down to the pad
        net = channels[sides[pad]].setdefault(pad, _Net(pad, end=pad_y[pad]))
        net.pins.append(track[pad])
    crossings = 0
    width: dict[Side, float] = {"left": LANE * 3.0, "right": LANE * 3.0}
    for side in ("left", "right"):
        ordered, crossed = _order(list(channels[side].values()))
        crossings += crossed
        width[side] = LANE * (len(ordered) + 2.0)
        for place, net in enumerate(ordered):
            net.lane = LANE * (place + 1.5)
    has = {side: any(device.side == side for device in devices) for side in ("left", "right")}
    left_edge = MARGIN + (DEVICE_WIDTH if has["left"] else 0)
    board_x = left_edge + (width["left"] if has["left"] or channels["left"] else 0)
    right_edge = board_x + board_width + (width["right"] if has["right"] or channels["right"] else 0)
    y0 = MARGIN + lift
    lane_x: dict[Side, dict[str, float]] = {
        "left": {pad: left_edge + net.lane for pad, net in channels["left"].items()},
        "right": {pad: right_edge - net.lane for pad, net in channels["right"].items()},
    }
    edge: dict[Side, float] = {"left": left_edge, "right": right_edge}
    pad_x: dict[Side, float] = {"left": board_x, "right": board_x + board_width}
    runs = []
    ends: dict[tuple[Side, str], list[float]] = {}
    for wire in joined:
        side, far = side_of[wire.device], sides[wire.pad]
        y, lane = pin_y[(wire.device, wire.pin)], lane_x[side][wire.pad]
        ends.setdefault((side, wire.pad), []).append(y)
        points = [(edge[side], y), (lane, y)]
        if side != far:
            points += [(lane, track[wire.pad]), (lane_x[far][wire.pad], track[wire.pad])]
            lane = lane_x[far][wire.pad]
        points += [(lane, pad_y[wire.pad]), (pad_x[far], pad_y[wire.pad])]
        runs.append(
            Run(
                key=wire.key,
                device=wire.device,
                pin=wire.pin,
                pad=wire.pad,
                colour=wire.colour,
                ink=wire.ink,
                purpose=wire.purpose,
                inverter=wire.inverter,
                points=[(x, y0 + each) for x, each in points],
            )
        )
    dots = []
    for (side, pad), heights in ends.items():
        net = channels[side][pad]
        every = sorted({*heights, net.end})
        branching = every[1:-1] if len(every) > 2 else []
        dots += [(lane_x[side][pad], y0 + y) for y in branching]
        if side == sides[pad] and pad in across and len(ends) and pad_y[pad] not in branching:
            dots.append((lane_x[side][pad], y0 + pad_y[pad]))
    lowest = max(column_height, board_height, floor + LANE * (len(under) + 1) if under else 0)
    boxes = [Box(name="board", kind="board", title=board.name, subtitle=f"{board.mcu} class", x=board_x, y=y0, w=board_width, h=board_height)]
    pins = []
    used = {(wire.device, wire.pin) for wire in joined}
    for device in devices:
        x = MARGIN if device.side == "left" else right_edge
        boxes.append(
            Box(
                name=device.name,
                kind="device",
                title=device.title,
                subtitle=device.subtitle,
                x=x,
                y=y0 + STEP * device.y,
                w=DEVICE_WIDTH,
                h=STEP * (device.steps + 0.25),
            )
        )
        for name, kind in device.pins:
            facing: Side = "right" if device.side == "left" else "left"
            y = y0 + pin_y[(device.name, name)]
            pins.append(Spot(owner=device.name, name=name, x=edge[device.side], y=y, side=facing, wired=(device.name, name) in used, kind=kind))
    held = {wire.pad for wire in joined}
    pads = [
        Spot(owner="board", name=pad.name, x=pad_x[pad.side], y=y0 + pad_y[pad.name], side=pad.side, port=pad.port, wired=pad.name in held, kind=pad.kind)
        for pad in shown
    ]
    return Picture(
        width=right_edge + (DEVICE_WIDTH if has["right"] else 0) + MARGIN,
        height=y0 + lowest + MARGIN,
        boxes=boxes,
        pins=pins,
        pads=pads,
        runs=runs,
        dots=dots,
        crossings=crossings,
    )


def _crossed(near: _Net, far: _Net) -> int:
    """Crossings of two nets of a channel when `near` has the lane nearer to the devices."""
    low, high = near.span
    count = sum(low < y < high for y in far.pins)
    low, high = far.span
    return count + (low < near.end < high)


def _order(nets: list[_Net]) -> tuple[list[_Net], int]:
    """Lanes in an order with few crossings: each net where it crosses least, then neighbours are swapped while that helps."""
    ordered: list[_Net] = []
    for net in sorted(nets, key=lambda net: net.span[0] - net.span[1]):
        costs = [sum(_crossed(other, net) for other in ordered[:at]) + sum(_crossed(net, other) for other in ordered[at:]) for at in range(len(ordered) + 1)]
        ordered.insert(costs.index(min(costs)), net)
    better = True
    while better:
        better = False
        for at in range(len(ordered) - 1):
            one, other = ordered[at], ordered[at + 1]
            if _crossed(other, one) < _crossed(one, other):
                ordered[at], ordered[at + 1] = other, one
                better = True
    total = sum(_crossed(one, other) for at, one in enumerate(ordered) for other in ordered[at + 1 :])
    return ordered, total
