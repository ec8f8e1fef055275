"""The netlist: every wire with what it is for and its colour, what each rail carries, and wires worked out from a plan."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, computed_field

from linkcore.craft.document import PACK, RECEIVER, CraftDocument, CraftError, Patch, TelemetrySetup
from linkcore.craft.parts import KitParts, spoken_output
from linkcore.devices.sensors import USUAL_BAUD
from linkcore.findings import Edit
from linkcore.parts.models import Board, Pad, Peripheral, Pin, Rail, Receiver
from linkcore.wiring.planner import Plan
from linkcore.wiring.receiver_wire import reading_of
from linkcore.wiring.way_home import way_home

Colour = Literal["red", "black", "white", "yellow", "green", "blue", "violet", "brown", "grey"]
Purpose = Literal["channels", "to board", "from board", "both ways", "motor", "servo lead", "buzzer", "picture", "supply", "supply to the rail", "ground"]

# Red and black are the trade's for supply and ground; the rest is our choice, light colours towards the board, dark ones from it.
COLOURS: dict[Purpose, Colour] = {
    "channels": "white",
    "to board": "yellow",
    "from board": "green",
    "both ways": "violet",
    "motor": "blue",
    "servo lead": "brown",
    "buzzer": "grey",
    "picture": "grey",
    "supply": "red",
    "supply to the rail": "red",
    "ground": "black",
}

# How they look, on screen and on paper.
INKS: dict[Colour, str] = {
    "red": "#B5332B",
    "black": "#2A2D2E",
    "white": "#FFFFFF",
    "yellow": "#E2B21B",
    "green": "#3F8A55",
    "blue": "#3B6EA8",
    "violet": "#7E56A0",
    "brown": "#86593A",
    "grey": "#9A9FA1",
}


PACK_PINS = {"V+": Pin(name="V+", kind="supply"), "GND": Pin(name="GND", kind="ground")}


class Wire(BaseModel):
    """One wire of the list. `port` and `rail` None where the board has no such pad; `key` names it for ring-out, `ink` is its colour in hex.

    `moves`: whether it may end on another pad.
    """

    key: str
    device: str
    device_name: str
    pin: str
    pad: str
    purpose: Purpose
    colour: Colour
    ink: str
    port: str | None
    rail: str | None
    fixed: bool
    inverter: bool
    to: str
    moves: bool


class RailLoad(BaseModel):
    """What a rail carries, mA: at rest, usual and peak, beside what it can give. `usb_volts` None: dead on USB alone; `fed_by`: whose BECs feed a rail that is fed from outside."""

    rail: str
    volts: float
    usb_volts: float | None
    source: Literal["board", "pack", "outside"]
    devices: list[str]
    idle_ma: int
    ma: int
    peak_ma: int
    limit_ma: int
    usb_limit_ma: int | None
    fed_by: list[str]

    @computed_field  # type: ignore[prop-decorator]
    @property
    def over(self) -> bool:
        """Whether more is asked of it than it gives; a rail that is fed from outside gives what that source gives."""
        return self.source != "outside" and self.peak_ma > self.limit_ma

    @computed_field  # type: ignore[prop-decorator]
    @property
    def over_on_usb(self) -> bool:
        """The same on USB alone."""
        return self.usb_limit_ma is not None and self.peak_ma > self.usb_limit_ma


class UsbLoad(BaseModel):
    """What the USB socket carries in all, the board itself included, mA."""

    ma: int
    peak_ma: int
    limit_ma: int

    @computed_field  # type: ignore[prop-decorator]
    @property
    def over(self) -> bool:
        """Whether more is asked of it than it gives."""
        return self.peak_ma > self.limit_ma


def wire_key(patch: Patch) -> str:
    """What a wire is called in records: the same pin on another pad is another wire."""
    return f"{patch.device}/{patch.pin}/{patch.pad}"


def pack_pads(board: Board | None) -> tuple[str, str] | None:
    """The pads for the pack's own leads, V+ and GND; None where the board has none."""
    plus = next((pad for pad in board.pads if (rail := board.rail(pad.rail)) and rail.source == "pack"), None) if board else None
    minus = _nearest([pad for pad in board.pads if pad.kind == "ground"], plus.side) if board and plus else None
    return (plus.name, minus) if plus and minus else None


def feed_wires(document: CraftDocument, parts: KitParts) -> list[Patch]:
    """The pack's leads to the board, where they feed it."""
    pads = pack_pads(parts.maybe_board)
    if document.feed != "pack" or pads is None:
        return []
    return [Patch(device=PACK, pin=pin, pad=pad) for pin, pad in zip(PACK_PINS, pads, strict=True)]


def fed_by_pack(document: CraftDocument, parts: KitParts) -> bool:
    """Whether the pack feeds the board; one without pads for it is fed in a way of its own."""
    return document.feed == "pack" or pack_pads(parts.maybe_board) is None


def every_wire(document: CraftDocument, parts: KitParts) -> list[Patch]:
    """All wires that there are to solder and to ring out: those of the devices, and the board's own feed."""
    return [*document.wiring, *feed_wires(document, parts)]


def wire_list(document: CraftDocument, parts: KitParts) -> list[Wire]:
    """Every patch as a wire, in the order of the devices."""
    order = {name: index for index, name in enumerate(parts.wired())}
    board = parts.maybe_board
    wires = []
    for patch in sorted(every_wire(document, parts), key=lambda patch: order.get(patch.device, len(order))):
        pin = PACK_PINS[patch.pin] if patch.device == PACK else parts.pin(patch.device, patch.pin)
        pad = board.pad(patch.pad) if board else None
        part = parts.wired().get(patch.device)
        purpose = purpose_of(document, parts, patch.device, pin) if pin else "to board"
        wires.append(
            Wire(
                key=wire_key(patch),
                device=patch.device,
                device_name=part.name if part else patch.device,
                pin=patch.pin,
                pad=patch.pad,
                purpose=purpose,
                colour=COLOURS[purpose],
                ink=INKS[COLOURS[purpose]],
                port=pad.port if pad else None,
                rail=pad.rail if pad else None,
                fixed=patch.fixed,
                inverter=patch.inverter,
                to=_whereto(board, pad),
                moves=patch.device != PACK,
            )
        )
    return wires


def _whereto(board: Board | None, pad: Pad | None) -> str:
    if board is None or pad is None:
        return "no such pad"
    rail = board.rail(pad.rail)
    if rail:
        return f"{rail.name} rail, {rail.volts:g} V"
    if pad.port:
        return f"{pad.port} {pad.kind.upper()}"
    named = {"input": f"input, {' or '.join(pad.reads)}", "camera": "picture from the camera", "video": "picture to the video transmitter"}
    return named.get(pad.kind, pad.kind)


def purpose_of(document: CraftDocument, parts: KitParts, device: str, pin: Pin) -> Purpose:
    """What a wire on this pin is for."""
    if pin.kind == "ground":
        return "ground"
    if pin.kind == "supply":
        return "supply"
    if pin.kind == "supply out":
        return "supply to the rail"
    if pin.goes_to == "output":
        return "servo lead" if pin.lead else "motor"
    if pin.goes_to == "buzzer":
        return "buzzer"
    if pin.goes_to in ("camera", "video"):
        return "picture"
    if device == RECEIVER and parts.maybe_receiver:
        output = parts.spoken
        if output and pin.name in output.pins and not output.half_duplex:
            return "channels"
    return {"signal out": "to board", "signal in": "from board"}.get(pin.kind, "both ways")  # type: ignore[return-value]


def rail_of(board: Board, patch: Patch) -> Rail | None:
    """The rail that a patch's pad belongs to."""
    pad = board.pad(patch.pad)
    return board.rail(pad.rail) if pad else None


def rail_volts(document: CraftDocument, parts: KitParts, rail: Rail) -> float:
    """The most that a rail has: the pack's, fully charged; what the strongest of the BECs gives that feed it; else its own."""
    if rail.source == "pack":
        return parts.pack.full_volts if parts.pack else rail.volts
    return max((pin.volts for _, pin in feeding(document, parts, rail)), default=rail.volts)


def feeding(document: CraftDocument, parts: KitParts, rail: Rail) -> list[tuple[str, Pin]]:
    """The BECs that feed a rail: device and pin."""
    found = []
    for patch in document.wiring:
        pin, other = parts.pin(patch.device, patch.pin), rail_of(parts.board, patch)
        if pin is not None and pin.kind == "supply out" and other is not None and other.name == rail.name:
            found.append((patch.device, pin))
    return found


def _given_ma(document: CraftDocument, parts: KitParts, rail: Rail) -> int:
    """What a rail gives; one that is fed from outside as much as its BECs, as far as that is known."""
    becs = [parts.devices[device].bec_ma for device, _ in feeding(document, parts, rail) if device in parts.devices]
    known = [each for each in becs if each is not None]
    return min(rail.limit_ma, sum(known)) if known and len(known) == len(becs) else rail.limit_ma


def rail_loads(document: CraftDocument, parts: KitParts) -> list[RailLoad]:
    """Currents summed per rail."""
    board = parts.board
    loads = {
        rail.name: RailLoad(
            rail=rail.name,
            volts=rail_volts(document, parts, rail),
            usb_volts=rail.usb_volts,
            source=rail.source,
            devices=[],
            idle_ma=0,
            ma=0,
            peak_ma=0,
            limit_ma=_given_ma(document, parts, rail),
            usb_limit_ma=rail.usb_limit_ma if rail.usb_volts is not None else None,
            fed_by=[device for device, _ in feeding(document, parts, rail)],
        )
        for rail in board.rails
    }
    for patch in document.wiring:
        pin, rail, supply = parts.pin(patch.device, patch.pin), rail_of(board, patch), parts.supply(patch.device)
        if pin and pin.kind == "supply" and rail and supply and patch.device not in loads[rail.name].devices:
            load = loads[rail.name]
            load.devices.append(patch.device)
            part = parts.devices.get(patch.device)
            load.idle_ma += supply.ma if part is None or part.idle_ma is None else part.idle_ma
            load.ma += supply.ma
            load.peak_ma += supply.peak_ma
    return list(loads.values())


def usb_load(document: CraftDocument, parts: KitParts) -> UsbLoad:
    """The socket's load: the board and every rail that wakes on USB."""
    board = parts.board
    awake = [load for load in rail_loads(document, parts) if load.usb_volts is not None]
    return UsbLoad(ma=board.own_ma + sum(load.ma for load in awake), peak_ma=board.own_ma + sum(load.peak_ma for load in awake), limit_ma=board.usb_ma)


# --- wires from a plan ------------------------------------------------------------------------------------------


def wires_for(document: CraftDocument, parts: KitParts, plan: Plan | None) -> list[Patch]:
    """The plan's signal wires, with supply, ground and outputs completed. Wires that already do the same stay where they are.

    `plan` None: no port is asked for, only the rest is completed.
    """
    planned: dict[tuple[str, str], tuple[str, bool]] = {}
    for assignment in plan.assignments if plan else []:
        for wire in assignment.wires:
            planned[(assignment.device, wire.pin)] = (wire.pad, assignment.inversion == "external")
    kept = {(patch.device, patch.pin): patch for patch in document.wiring}
    patches: Patches = {}
    for (device, pin_name), (pad_name, inverter) in planned.items():
        before = kept.get((device, pin_name))
        patches[(device, pin_name)] = Patch(device=device, pin=pin_name, pad=pad_name, fixed=bool(before and before.fixed), inverter=inverter)
    taken = {patch.pad for patch in patches.values()}
    for key, patch in kept.items():  # what is right stays, before anything new looks for a place
        pin = parts.pin(*key)
        if pin is not None and key not in patches and _may_stay(parts, patch, pin, taken, planned=plan is not None):
            patches[key] = patch
            taken.add(patch.pad)
    for device, part in parts.wired().items():
        mine = [patch.pad for (name, _), patch in patches.items() if name == device]
        outputs = [pad.name for pin in part.pins if pin.goes_to != "port" for pad in parts.board.pads if pad.kind == pin.goes_to]
        side = _side(parts.board, outputs or mine)
        if _without_output(part, device, parts, patches):
            continue
        for pin in part.pins:
            pad_for = _place(parts, device, pin, side, patches) if (device, pin.name) not in patches else None
            if pad_for is not None:
                patches[(device, pin.name)] = Patch(device=device, pin=pin.name, pad=pad_for)
    order = {(device, pin.name): place for place, (device, pin) in enumerate((device, pin) for device, part in parts.wired().items() for pin in part.pins)}
    return [patches[key] for key in sorted(patches, key=lambda key: order.get(key, len(order)))]


def _without_output(part: Receiver | Peripheral, device: str, parts: KitParts, patches: Patches) -> bool:
    """Whether a device that is moved by outputs would get none: then its supply and ground would be wired for nothing."""
    moved = [pin for pin in part.pins if pin.goes_to == "output"]
    return bool(moved) and not any((device, pin.name) in patches or _place(parts, device, pin, None, patches) for pin in moved)


def _side(board: Board, pads: list[str]) -> str | None:
    sides = [pad.side for name in pads if (pad := board.pad(name))]
    return max(dict.fromkeys(sides), key=sides.count) if sides else None


def _may_stay(parts: KitParts, patch: Patch, pin: Pin, taken: set[str], *, planned: bool) -> bool:
    """Whether a wire may stay that the plan says nothing of; without a plan every serial line may."""
    pad, rail, supply = parts.board.pad(patch.pad), rail_of(parts.board, patch), parts.supply(patch.device)
    if pad is None:
        return False
    if patch.fixed:
        return True
    if pin.kind == "supply":
        return rail is not None and supply is not None and supply.bears(pack_rails(parts).get(rail.name, rail.volts))
    if pin.kind == "ground":
        return pad.kind == "ground"
    if pin.kind == "supply out":
        return rail is not None and rail.source == "outside"
    if pin.goes_to == "port":
        return not planned
    return pin.goes_to == pad.kind and patch.pad not in taken


Patches = dict[tuple[str, str], Patch]


def _place(parts: KitParts, device: str, pin: Pin, side: str | None, patches: Patches) -> str | None:
    """A pad for a supply, ground, output or buzzer pin; None where it needs none or there is none."""
    board, supply = parts.board, parts.supply(device)
    if pin.kind == "ground":
        return _nearest([pad for pad in board.pads if pad.kind == "ground"], side)
    if pin.kind == "supply" and supply:
        servo = any(other.goes_to == "output" for other in parts.wired()[device].pins)
        rails = board.rails_for(supply, _peaks(parts, patches), outside=servo, volts=pack_rails(parts))
        return _nearest([pad for pad in board.pads if rails and pad.rail == rails[0].name], side)
    if pin.kind == "supply out":
        fed = [pad for pad in board.pads if (rail := board.rail(pad.rail)) and rail.source == "outside"]
        feeding = [other for key, patch in patches.items() if (other := parts.pin(*key)) and other.bec and patch.pad in [pad.name for pad in fed]]
        return _nearest(fed, side) if sources_agree([*feeding, pin]) else None  # its red lead stays lifted
    if pin.goes_to != "port":
        taken = {patch.pad for patch in patches.values()}
        return next((pad.name for pad in board.pads if pad.kind == pin.goes_to and pad.name not in taken), None)
    return None


def pack_rails(parts: KitParts) -> dict[str, float]:
    """The rails that have the pack's own voltage, and how much that is when it is full."""
    return {rail.name: parts.pack.full_volts for rail in parts.board.rails if rail.source == "pack"} if parts.pack else {}


def pack_ratings(document: CraftDocument, parts: KitParts) -> dict[str, float]:
    """What every device that hangs on the pack itself bears, V."""
    rated: dict[str, float] = {name: part.pack_max_volts for name, part in parts.devices.items() if part.pack_max_volts is not None}
    for patch in document.wiring:
        pin, rail, supply = parts.pin(patch.device, patch.pin), rail_of(parts.board, patch), parts.supply(patch.device)
        if pin is not None and pin.kind == "supply" and rail is not None and rail.source == "pack" and supply is not None:
            rated[patch.device] = min(supply.max_volts, rated.get(patch.device, supply.max_volts))
    return rated


def sources_agree(pins: Sequence[Pin]) -> bool:
    """Whether several BECs may feed one rail: linear ones share it, a switching one works against any other."""
    return len(pins) < 2 or all(pin.bec == "linear" for pin in pins)


def _peaks(parts: KitParts, patches: Patches) -> dict[str, int]:
    """The peak current that each rail carries so far, mA."""
    peaks: dict[str, int] = {}
    for (device, name), patch in patches.items():
        pin, rail, supply = parts.pin(device, name), rail_of(parts.board, patch), parts.supply(device)
        if pin and rail and supply and pin.kind == "supply":
            peaks[rail.name] = peaks.get(rail.name, 0) + supply.peak_ma
    return peaks


def _nearest(pads: list[Pad], side: str | None) -> str | None:
    """The first that the board lists on that side, or anywhere."""
    return min(pads, key=lambda pad: side is not None and pad.side != side).name if pads else None


def plan_edits(document: CraftDocument, parts: KitParts, plan: Plan | None) -> list[Edit]:
    """A plan as edits of the document: wires, jobs, and how the receiver is read."""
    wires = wires_for(document, parts, plan)
    edits = [Edit(path="/wiring", value=[patch.model_dump(mode="json") for patch in wires])]
    if not fed_by_pack(document, parts):
        edits.append(Edit(path="/feed", value="pack"))
    if plan is None:
        return edits
    jobs = dict.fromkeys(parts.board.ports, "free") | {each.port: each.job for each in plan.assignments if each.port}
    edits.append(Edit(path="/settings/ports", value=jobs))
    receiver = next((each for each in plan.assignments if each.device == RECEIVER and each.job == "receiver input"), None)
    if receiver is not None:
        trial = document.model_copy(update={"wiring": wires})
        output = spoken_output(trial, parts.receiver)
        if output is not None:
            edits.append(Edit(path="/settings/receiver_input", value=reading_of(output, through_inverter=receiver.inversion == "external").model_dump()))
    edits += _telemetry_edits(document.model_copy(update={"wiring": wires}), parts, plan, document.wiring)
    return edits


def _telemetry_edits(document: CraftDocument, parts: KitParts, plan: Plan, wired: list[Patch]) -> list[Edit]:
    """How the port with the telemetry job speaks, and ports whose device has another rate than is usual for its job: of what the plan moves; what stays stays set as it was. `wired`: as it was before."""
    edits = []
    before = {(patch.device, patch.pin): patch.pad for patch in wired}
    now = {(patch.device, patch.pin): patch.pad for patch in document.wiring}
    moved = {device for device, pin in now if before.get((device, pin)) != now[device, pin]}
    telemetry, way = document.settings.telemetry, way_home(document, parts)
    speaker = next((each.device for each in plan.assignments if each.job == "telemetry"), None)
    speaks = None
    if speaker == RECEIVER and way is not None and not way.shared:
        speaks = way.asked
    elif speaker is not None and (modem := parts.devices.get(speaker)) is not None and modem.serial is not None and modem.serial.protocol:
        speaks = TelemetrySetup(protocol=modem.serial.protocol, inverted=modem.serial.inverted, half_duplex=modem.serial.half_duplex)
    if speaks is not None and (telemetry.protocol is None or speaker in moved):
        edits += [edit for edit in speaks.edits() if getattr(telemetry, edit.path.rpartition("/")[2]) != edit.value]
    rates = {}
    for each in plan.assignments:
        part, usual = parts.devices.get(each.device), USUAL_BAUD.get(each.job)
        if not each.port or part is None or part.serial is None or usual is None:
            continue
        baud = document.settings.port_baud.get(each.port, usual) if each.device not in moved else part.serial.baud
        if baud != usual:
            rates[each.port] = baud
    if rates != document.settings.port_baud:
        edits.append(Edit(path="/settings/port_baud", value=rates))
    return edits


class WireChange(BaseModel):
    """One line of a difference between two wire lists. `before` None: a new wire; `after` None: it comes off."""

    device: str
    pin: str
    before: str | None
    after: str | None


def move_wire(document: CraftDocument, parts: KitParts, device: str, pin: str, pad: str | None) -> list[Edit]:
    """Edits that solder one wire by hand to another pad, or take it off (None); the check says what comes of it. Raise CraftError for what is not there."""
    if device == PACK:
        if pad is not None:
            raise CraftError(f"{device}: they go on the board's own pack pads, and on no other")
        return [Edit(path="/feed", value="nothing")]
    if parts.pin(device, pin) is None:
        raise CraftError(f"{device}: this craft has no such device with a pin {pin}")
    if pad is not None and (parts.maybe_board is None or parts.board.pad(pad) is None):
        raise CraftError(f"{pad}: the board has no such pad")
    wires = [patch for patch in document.wiring if (patch.device, patch.pin) != (device, pin)]
    if pad is not None:
        wires.append(Patch(device=device, pin=pin, pad=pad))
    return [Edit(path="/wiring", value=[patch.model_dump(mode="json") for patch in wires])]


def wire_changes(before: list[Patch], after: list[Patch]) -> list[WireChange]:
    """What is soldered, moved or taken off; wires that stay are left out."""

    def by_pin(patches: list[Patch]) -> dict[tuple[str, str], str]:
        return {(patch.device, patch.pin): patch.pad + (" through an inverter" if patch.inverter else "") for patch in patches}

    old, new = by_pin(before), by_pin(after)
    keys = dict.fromkeys([*old, *new])
    return [WireChange(device=key[0], pin=key[1], before=old.get(key), after=new.get(key)) for key in keys if old.get(key) != new.get(key)]
