"""Kits with a way home, and single faults of it: what is missing then, and why."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from linkcore.bench.bench import REST_SLICE_S, Bench
from linkcore.bench.messages import Hands
from linkcore.bench.report import Reporter
from linkcore.chain import still_findings
from linkcore.craft.document import AlarmSet, CraftDocument, Fitted, Kit, Patch, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.devices.sensors import FACTS, NEEDS_FIX, TELLINGS
from linkcore.findings import Finding
from linkcore.hops.downlink.causes import Code
from linkcore.parts.sensor_names import SensorName
from linkcore.wiring.netlist import plan_edits
from linkcore.wiring.planner import work_out
from linkcore.wiring.way_home import WayHome, way_home
from tests.crafts import whole_of

KITS = (  # board, receiver, transmitter, module: every way home that there is
    ("merle-f7", "pip-s8", "harrow-16", ""),
    ("merle-f7", "reed-one", "harrow-16", ""),
    ("merle-f7", "sluice-h8", "harrow-16", "harrow-bay-1"),
    ("merle-f7", "brook-10t", "harrow-16", "brook-bay-2"),
    ("ouzel-h7", "stile-m12", "stile-t12", ""),
    ("ouzel-h7", "wisp-900", "harrow-16", "wisp-nest-900"),
    ("ouzel-h7", "wisp-24", "harrow-16", "wisp-nest-24"),
)
GPS: frozenset[SensorName] = frozenset(("position", "satellites", "speed"))
ESC: frozenset[SensorName] = frozenset(("motor speed", "ESC temperature"))
WAIT_S = 26.0  # three rounds of the slowest way


def downlink_craft(board: str, receiver: str, transmitter: str, module: str, **devices: str) -> CraftDocument:
    """A planned craft with GPS and ESC telemetry whose way home works."""
    craft = new_craft("Way home", "quad X", Kit(board=board, receiver=receiver, transmitter=transmitter, module=module))
    craft.kit.devices = [Fitted(name=name, part=part) for name, part in {"GPS": "tern-8", "ESC": "tiller-4", **devices}.items()]
    craft.kit.pack = "tussock-4-1500"
    craft.settings.power.capacity_mah = 1500
    craft.wants.telemetry = True
    parts = KitParts.of(craft)
    return apply_edits(craft, plan_edits(craft, parts, work_out(craft, parts).plans[0]))


@dataclass
class Fault:
    """One thing that is wrong: the craft with it, what hands do to it, the cause that has to be found, and of which sensors."""

    says: str
    code: Code
    craft: CraftDocument
    sensors: set[SensorName]
    hands: dict[str, Any] = field(default_factory=dict)


def _wire(craft: CraftDocument, device: str, pin: str) -> Patch:
    return next(patch for patch in craft.wiring if (patch.device, patch.pin) == (device, pin))


def _without(craft: CraftDocument, device: str, *pins: str) -> None:
    craft.wiring = [patch for patch in craft.wiring if patch.device != device or (pins and patch.pin not in pins)]


def _free_pads(craft: CraftDocument, kind: str) -> list[str]:
    used = {patch.pad for patch in craft.wiring}
    board = KitParts.of(craft).board
    return [pad.name for pad in board.pads if pad.kind == kind and pad.name not in used and craft.settings.ports.get(str(pad.port)) == "free"]


def fault(seed: int) -> Fault:
    """A kit with one fault."""
    rng = random.Random(seed)
    craft = downlink_craft(*rng.choice(KITS))
    parts = KitParts.of(craft)
    way = way_home(craft, parts)
    assert way is not None
    telling = TELLINGS[way.protocol]
    carried = {each.sensor for each in telling.carries}
    by_board = {sensor for sensor in carried if FACTS[sensor].provider != "receiver"}
    own = not way.shared
    makers: list[Callable[[CraftDocument, random.Random], tuple[str, Code, set[SensorName], dict[str, Any]]]] = [
        lambda _c, _r: ("the sky is hidden", "no fix", {"position", *(["speed"] if len(telling.with_("speed")[0].sensors) == 1 else [])}, {"gps_fix": False}),
        lambda _c, _r: ("no pack", "no pack", {"voltage", "cell voltage"}, {"usb": True, "pack": False}),
        lambda _c, _r: ("nobody looks", "not looked for", set(carried), {"looking": False}),
        _telemetry_off,
        _sensor_off,
        lambda c, r: (*_device_gone(c, r, "GPS"), set(GPS), {}),
        lambda c, r: (*_device_job(c, r, "GPS"), set(GPS), {}),
        lambda c, r: (*_device_wire(c, r, "GPS", "TX"), set(GPS), {}),
        lambda c, r: (*_device_baud(c, r, "GPS"), set(GPS), {}),
        lambda c, r: (*_device_dark(c, r, "GPS"), set(GPS), {}),
        lambda c, r: (*_device_gone(c, r, "ESC"), set(ESC), {}),
        lambda c, r: (*_device_job(c, r, "ESC"), set(ESC), {}),
        lambda c, r: (*_device_wire(c, r, "ESC", "TLM"), set(ESC), {}),
        lambda c, r: (*_device_baud(c, r, "ESC"), set(ESC), {}),
        lambda c, r: (*_no_telemetry(c, r), set(by_board), {}),
        lambda c, r: (*_way_wire(c, r, way), set(by_board), {}),
    ]
    if own:
        makers += [
            lambda c, r: (*_job(c, r, way), set(by_board), {}),
            lambda c, r: (*_protocol(c, r, way), set(by_board), {}),
            lambda c, r: (*_inverted(c, r), set(by_board), {}),
            lambda c, r: (*_two_senders(c, r, way), set(by_board), {}),
        ]
        if way.half_duplex:
            makers.append(lambda c, r: (*_full_duplex(c, r), set(by_board), {}))
    if way.half_duplex and way.shared:
        makers.pop()  # one wire for both: without it there is no link to the board at all
    says, code, sensors, hands = rng.choice(makers)(craft, rng)
    if code == "switched off" and not sensors:
        sensors = set(by_board)
    known = {sensor for sensor in sensors if sensor in carried}
    return Fault(f"{way.protocol}: {says}", code, CraftDocument.model_validate(craft.model_dump()), known, hands)


def _telemetry_off(craft: CraftDocument, _rng: random.Random) -> tuple[str, Code, set[SensorName], dict[str, Any]]:
    craft.settings.telemetry.on = False
    return "telemetry off", "switched off", set(), {}


def _sensor_off(craft: CraftDocument, rng: random.Random) -> tuple[str, Code, set[SensorName], dict[str, Any]]:
    way = way_home(craft, KitParts.of(craft))
    assert way is not None
    telling = TELLINGS[way.protocol]
    sensor = rng.choice([each.sensor for each in telling.carries if FACTS[each.sensor].provider != "receiver"])
    craft.settings.telemetry.off = [sensor]
    return f"{sensor} off", "switched off", {other for message in telling.with_(sensor) for other in message.sensors}, {}


def _device_gone(craft: CraftDocument, _rng: random.Random, name: str) -> tuple[str, Code]:
    _without(craft, name)
    craft.kit.devices = [each for each in craft.kit.devices if each.name != name]
    return f"no {name}", "not fitted"


def _port_of(craft: CraftDocument, name: str) -> str:
    part = KitParts.of(craft).devices[name]
    assert part.serial is not None
    pad = KitParts.of(craft).board.pad(_wire(craft, name, str(part.serial.sends)).pad)
    assert pad is not None
    return str(pad.port)


def _device_job(craft: CraftDocument, _rng: random.Random, name: str) -> tuple[str, Code]:
    craft.settings.ports[_port_of(craft, name)] = "free"
    return f"{name} without a job", "device job"


def _device_wire(craft: CraftDocument, rng: random.Random, name: str, pin: str) -> tuple[str, Code]:
    to = rng.choice([*_free_pads(craft, "rx"), *_free_pads(craft, "tx"), None])
    if to is None:
        _without(craft, name, pin)
    else:
        _wire(craft, name, pin).pad = to
    return f"{name}'s wire on {to}", "device wire"


def _device_baud(craft: CraftDocument, rng: random.Random, name: str) -> tuple[str, Code]:
    craft.settings.port_baud = {_port_of(craft, name): rng.choice([9600, 19_200, 38_400, 230_400])}
    return f"{name} at another rate", "device baud"


def _device_dark(craft: CraftDocument, _rng: random.Random, name: str) -> tuple[str, Code]:
    _without(craft, name, "5V")
    return f"{name} without supply", "device power"


def _no_telemetry(craft: CraftDocument, _rng: random.Random) -> tuple[str, Code]:
    other = {"Tine": "pip-s4", "Stile 3": "stile-12"}.get(KitParts.of(craft).receiver.radio.family)
    if other is None:
        craft.settings.telemetry.on = False
        return "telemetry off", "switched off"
    outputs = KitParts.of(craft).receiver.outputs
    craft.kit.receiver = other
    pins = {pin.name for pin in KitParts.of(craft).receiver.pins}
    spoken = KitParts.of(craft).receiver.outputs[0].pins[0]
    for patch in craft.wiring:
        if patch.device == "receiver" and patch.pin == outputs[0].pins[0]:
            patch.pin = spoken
    craft.wiring = [patch for patch in craft.wiring if patch.device != "receiver" or patch.pin in pins]
    return f"receiver {other}", "receiver has none"


def _way_wire(craft: CraftDocument, rng: random.Random, way: WayHome) -> tuple[str, Code]:
    to = rng.choice([*(_free_pads(craft, "tx") if not way.shared else []), None])
    if to is None:
        _without(craft, "receiver", way.pin)
    else:
        _wire(craft, "receiver", way.pin).pad = to
    return f"{way.pin} on {to}", "wire"


def _job(craft: CraftDocument, _rng: random.Random, way: WayHome) -> tuple[str, Code]:
    craft.settings.ports[str(way.port)] = "free"
    return "no job", "job"


def _protocol(craft: CraftDocument, rng: random.Random, way: WayHome) -> tuple[str, Code]:
    craft.settings.telemetry.protocol = rng.choice([None, *(each for each in ("S.Port", "hub telemetry", "IBUS telemetry", "MAVLink") if each != way.protocol)])
    return f"speaks {craft.settings.telemetry.protocol}", "protocol"


def _inverted(craft: CraftDocument, _rng: random.Random) -> tuple[str, Code]:
    craft.settings.telemetry.inverted = not craft.settings.telemetry.inverted
    return "levels the other way round", "inversion"


def _full_duplex(craft: CraftDocument, _rng: random.Random) -> tuple[str, Code]:
    craft.settings.telemetry.half_duplex = False
    return "full duplex", "not asked"


def _two_senders(craft: CraftDocument, _rng: random.Random, way: WayHome) -> tuple[str, Code]:
    assert way.pad is not None
    craft.kit.devices.append(Fitted(name="second GPS", part="tern-5"))
    supply = _wire(craft, "GPS", "5V").pad
    ground = _wire(craft, "GPS", "GND").pad
    craft.wiring += [Patch(device="second GPS", pin=pin, pad=pad) for pin, pad in (("TX", way.pad.name), ("5V", supply), ("GND", ground))]
    return "two talk on one wire", "two senders"


def wrong(seed: int) -> list[str]:
    """What of a fault is not found, or found otherwise; empty where all is as it should be."""
    case = fault(seed)
    bench = Bench(case.craft)
    bench.hands(Hands(looking=True))
    bench.hands(Hands(**case.hands))
    bench.run_until(bench.t + WAIT_S, REST_SLICE_S)
    told = {row.sensor: row for row in Reporter(bench).report(1, ["downlink"]).told.downlink.sensors}
    stopped = Reporter(bench).report(1, ["downlink"]).told.downlink.stopped
    found = []
    for sensor in sorted(case.sensors):
        row = told.get(sensor)
        cause = (row.cause if row else None) or stopped
        if row is not None and row.comes:
            found.append(f"{seed} {case.says}: {sensor} comes all the same")
        elif cause is None or cause.code != case.code:
            found.append(f"{seed} {case.says}: {sensor} is said to be missing for {cause.code if cause else 'nothing'}, not for {case.code}")
    for sensor, row in told.items():
        if sensor not in case.sensors and row.cause is not None and row.cause.code not in ("not carried", "not fitted") and not _with(sensor, case):
            found.append(f"{seed} {case.says}: {sensor} is said to be missing for {row.cause.code}")
    return found


def _with(sensor: SensorName, case: Fault) -> bool:
    """Whether a sensor may suffer along: one that waits for a message of another, or what knows nothing without the pack."""
    way = way_home(case.craft, KitParts.of(case.craft))
    if case.code == "no pack" or (case.code == "no fix" and sensor in NEEDS_FIX):
        return True
    return way is not None and any(set(message.sensors) & case.sensors for message in TELLINGS[way.protocol].with_(sensor))


def findings(craft: CraftDocument) -> dict[str, Finding]:
    return {each.code: each for each in still_findings(whole_of(craft)) if each.hop == "downlink"}


def warned(craft: CraftDocument, *notices: str) -> CraftDocument:
    """The same with every alarm that the findings offer."""
    for _ in range(8):
        found = [each for each in still_findings(whole_of(craft)) if each.code == "downlink.unnoticed" and each.mends and each.mends[0].edits]
        if not found:
            break
        craft = apply_edits(craft, found[0].mends[0].edits)
    return craft


def with_line(craft: CraftDocument, **line: Any) -> CraftDocument:
    craft.alarm = AlarmSet.model_validate({"signal": "rssi_percent", "begins_at": 71, "only_a_bound": True, "line": 81, "log": "over the nests.csv"} | line)
    return craft
