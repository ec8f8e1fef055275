"""The rule check on the netlist: what would go wrong when this is soldered and powered."""

from __future__ import annotations

from collections.abc import Iterator

from linkcore.craft.document import RECEIVER, CraftDocument, Patch
from linkcore.craft.parts import KitParts
from linkcore.findings import At, Check, Edit, Finding, Mend, all_use, work_it_out
from linkcore.parts.models import Pad, Peripheral, Pin
from linkcore.protocols.registry import receiver_protocol
from linkcore.wiring.demands import demands_of, leads_wanted
from linkcore.wiring.netlist import fed_by_pack, feeding, pack_pads, pack_ratings, rail_loads, rail_of, rail_volts, sources_agree, usb_load
from linkcore.wiring.way_home import way_home

CHECK = Check("loom")


_Joint = tuple[int, Patch, Pin, Pad]


class _Netlist:
    """The patches with their facts looked up once."""

    def __init__(self, document: CraftDocument, parts: KitParts) -> None:
        self.document, self.parts, self.board = document, parts, parts.board
        self.joined: list[tuple[int, Patch, Pin, Pad]] = []
        self.adrift: list[tuple[int, Patch]] = []
        for index, patch in enumerate(document.wiring):
            pin, pad = parts.pin(patch.device, patch.pin), self.board.pad(patch.pad)
            if pin is not None and pad is not None:
                self.joined.append((index, patch, pin, pad))
            else:
                self.adrift.append((index, patch))

    def of(self, device: str) -> list[tuple[int, Patch, Pin, Pad]]:
        return [joint for joint in self.joined if joint[1].device == device]

    def without(self, *places: int) -> tuple[Edit, ...]:
        """Edits that take wires off, by their places in the list."""
        kept = [patch.model_dump(mode="json") for i, patch in enumerate(self.document.wiring) if i not in places]
        return (Edit(path="/wiring", value=kept),)


def check_loom(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """Findings on the wires. Nothing to say before there is a board, or while nothing is wired."""
    if parts.maybe_board is None or not document.wiring:
        return []
    net = _Netlist(document, parts)
    return [
        *_adrift(net),
        *_feed(net),
        *_missing(net),
        *_supplies(net),
        *_signals(net),
        *_pads(net),
        *_rails(net),
        *_becs(net),
        *_headroom(net),
        *_sources(net),
        *_leads(net),
        *_pulses(net),
    ]


def _adrift(net: _Netlist) -> Iterator[Finding]:
    lost = {each.role for each in net.parts.missing}  # the kit says that such a part is gone; its wires may be right
    for index, patch in net.adrift:
        if patch.device in lost:
            continue
        off = Mend(text="Remove the wire from the list", edits=net.without(index))
        if net.board.pad(patch.pad) is None:
            yield CHECK.stop(
                "loom.no-such-pad",
                At.pads(patch.pad),
                f"The {net.board.name} has no pad {patch.pad}.",
                f"{patch.device} {patch.pin} is said to end there.",
                off,
            )
        else:
            who = net.parts.wired().get(patch.device)
            what = f"The {who.name} has no pin {patch.pin}." if who else f"This craft has no device called {patch.device}."
            yield CHECK.stop("loom.no-such-pin", At.pin(patch.device, patch.pin), what, f"The wire to {patch.pad} begins nowhere.", off)


def _feed(net: _Netlist) -> Iterator[Finding]:
    if fed_by_pack(net.document, net.parts):
        return
    plus, minus = pack_pads(net.board) or ("", "")
    yield CHECK.stop(
        "loom.no-feed",
        At.pads(plus, minus),
        f"Nothing feeds the {net.board.name} in flight.",
        "On USB it runs on the bench; without the cable it is dark.",
        Mend(text=f"Solder the pack's leads to {plus} and {minus}", edits=(Edit(path="/feed", value="pack"),)),
    )


def _missing(net: _Netlist) -> Iterator[Finding]:
    """A device that is wired at all needs supply, ground, and every signal that its job asks for."""
    wanted: dict[str, set[str]] = {}
    for demand in demands_of(net.document, net.parts):
        wanted.setdefault(demand.device, set()).update(demand.variants[-1].pins)
    for device, part in net.parts.wired().items():
        wired = {pin.name for _, _, pin, _ in net.of(device)}
        if (lacking := _without_output(net, device)) is not None:
            yield lacking
            if not wired:
                continue
        if not wired:
            yield CHECK.warn(
                "loom.not-wired", At.device(device), f"{net.parts.label(device)} is in the kit, but no wire leads to it.", "It will do nothing.", _work_it_out()
            )
            continue
        kinds = {pin.kind for _, _, pin, _ in net.of(device)}
        for kind, why in (("supply", "It has no power."), ("ground", "Without common ground its levels mean nothing.")):
            pin = part.pin(kind)
            if pin is not None and kind not in kinds:
                yield CHECK.stop(f"loom.no-{kind}", At.pin(device, pin.name), f"{_pin_of(net, device, pin.name)} goes nowhere.", why, _work_it_out())
        for name in sorted(wanted.get(device, set()) - wired):
            if device != RECEIVER or not _channel_pin(net, name):  # the port plan speaks of the receiver's own line
                yield CHECK.warn(
                    "loom.no-signal", At.pin(device, name), f"{_pin_of(net, device, name)} goes nowhere.", "Its job needs that wire.", _work_it_out()
                )
        for pin in part.pins:
            if pin.goes_to != "port" and pin.name not in wired and (pin.goes_to != "output" or lacking is None):
                yield CHECK.warn(
                    "loom.no-signal",
                    At.pin(device, pin.name),
                    f"{_pin_of(net, device, pin.name)} goes nowhere.",
                    "No picture gets by." if pin.goes_to in ("camera", "video") else "It is moved by nothing.",
                    _work_it_out(),
                )


def _pin_of(net: _Netlist, device: str, pin: str) -> str:
    """A pin by its device's name here: a craft may have four of one part."""
    part = net.parts.wired()[device]
    return f"The {part.name}'s {pin} pin" if device == RECEIVER else f"The {pin} pin of {net.parts.label(device)},"


def _without_output(net: _Netlist, device: str) -> Finding | None:
    """A servo or an ESC for which the board has no output left: no plan can wire it."""
    part = net.parts.wired()[device]
    wired = {pin.name for _, _, pin, _ in net.of(device)}
    bare = [pin.name for pin in part.pins if pin.goes_to == "output" and pin.name not in wired]
    outputs = [pad.name for pad in net.board.pads if pad.kind == "output"]
    taken = {pad.name: patch.device for _, patch, _, pad in net.joined if pad.kind == "output"}
    if not bare or len(outputs) - len(taken) > 0:
        return None
    who = ", ".join(dict.fromkeys(taken.values())) or "nothing"
    return CHECK.stop(
        "loom.no-output",
        At.pin(device, bare[0]),
        f"No output is left for {net.parts.label(device)}: the {net.board.name} has {len(outputs)}, taken by {who}.",
        "It is moved by nothing.",
        Mend(text="Choose a board with more outputs, or leave one device out", go="kit"),
    )


def _channel_pin(net: _Netlist, name: str) -> bool:
    output = net.parts.spoken
    return output is not None and name in output.pins


def _work_it_out() -> Mend:
    return work_it_out("Work it out: missing wires are completed")


def _supplies(net: _Netlist) -> Iterator[Finding]:
    for index, patch, pin, pad in net.joined:
        supply = net.parts.supply(patch.device)
        if pin.kind != "supply" or supply is None:
            continue
        rail = rail_of(net.board, patch)
        where = At.pin(patch.device, pin.name) + At.pads(pad.name)
        if rail is None:
            yield CHECK.stop(
                "loom.supply-not-rail",
                where,
                f"{pin.name} of {patch.device} is on {pad.name}, which gives no supply.",
                "It has no power.",
                _rail_mends(net, index, patch),
            )
            continue
        volts = rail_volts(net.document, net.parts, rail)
        full = " with the pack full" if rail.source == "pack" else ""
        if volts > supply.max_volts:
            yield CHECK.stop(
                "loom.supply-too-high",
                where,
                f"{net.parts.label(patch.device)} bears {supply.max_volts:g} V; {pad.name} gives {volts:g} V{full}.",
                "It would be destroyed the moment the power comes on.",
                _rail_mends(net, index, patch),
            )
        elif volts < supply.min_volts:
            yield CHECK.stop(
                "loom.supply-too-low",
                where,
                f"{net.parts.label(patch.device)} needs {supply.min_volts:g} V; {pad.name} gives {volts:g} V.",
                "It will not start, or fail when it matters.",
                _rail_mends(net, index, patch),
            )
        elif rail.source != "outside":
            part = net.parts.wired()[patch.device]
            if isinstance(part, Peripheral) and part.serial is None and (part.films or part.airs):
                continue  # a picture without the pack is nobody's wish: it only warms
            if rail.usb_volts is None:
                yield CHECK.note("loom.dark-on-usb", where, f"{patch.device} stays dark on USB alone.", f"The {rail.name} rail wakes with the pack only.")
            elif rail.usb_volts < supply.min_volts:
                yield CHECK.note(
                    "loom.low-on-usb",
                    where,
                    f"{patch.device} may not start on USB alone.",
                    f"{rail.usb_volts:g} V is left there; it needs {supply.min_volts:g} V.",
                )


def _rail_mends(net: _Netlist, index: int, patch: Patch) -> Mend:
    if _twice(net, patch):
        return Mend(text="One of its two wires has to come off first")
    supply = net.parts.supply(patch.device)
    if supply:
        taken = {load.rail: load.peak_ma for load in rail_loads(net.document, net.parts)}
        for pad in net.board.pads:
            rail = net.board.rail(pad.rail)
            if (
                rail
                and supply.bears(rail_volts(net.document, net.parts, rail))
                and rail.source != "outside"
                and taken.get(rail.name, 0) + supply.peak_ma <= rail.limit_ma
            ):
                return Mend(text=f"Move the wire to {pad.name} ({rail.volts:g} V)", edits=(Edit(path=f"/wiring/{index}/pad", value=pad.name),))
    return Mend(text="It needs a regulator of its own")


def _signals(net: _Netlist) -> Iterator[Finding]:
    for _, patch, pin, pad in net.joined:
        where = At.pin(patch.device, pin.name) + At.pads(pad.name)
        if pin.kind == "ground" and pad.kind != "ground":
            if not _turned(net, patch):
                yield CHECK.stop(
                    "loom.ground-not-ground",
                    where,
                    f"{patch.device} {pin.name} is on {pad.name}, which is no ground.",
                    "Without common ground its levels mean nothing.",
                )
            continue
        if pin.kind in ("supply", "supply out", "ground"):
            continue
        if pad.kind in ("supply", "ground") and not _turned(net, patch) and not _other_column(net, patch):
            yield CHECK.stop(
                "loom.signal-on-power", where, f"The signal {pin.name} of {patch.device} is on {pad.name}.", "It shorts the line to a rail or to ground."
            )
        elif pin.kind == "signal out" and pad.kind == "tx":
            yield CHECK.stop(
                "loom.not-crossed",
                where,
                f"{patch.device} {pin.name} sends, and so does {pad.name}.",
                "Two outputs drive one wire, and nobody listens. TX goes to RX, RX to TX.",
                *_swap(net, patch),
            )
        elif pin.kind == "signal in" and pad.kind == "rx":
            code = "loom.telemetry-pin" if patch.device == RECEIVER else "loom.not-crossed"
            yield CHECK.stop(
                code,
                where,
                f"{patch.device} {pin.name} listens, and so does {pad.name}.",
                "Nothing drives this wire. RX goes to TX, TX to RX."
                if code == "loom.not-crossed"
                else f"Telemetry comes from the pad that sends; {pad.name} only receives.",
                *_swap(net, patch),
            )
        yield from _level(net, patch, pin, pad, where)


def _twice(net: _Netlist, patch: Patch) -> bool:
    """Whether the pin of a wire has another one as well."""
    return sum((each.device, each.pin) == (patch.device, patch.pin) for _, each, _, _ in net.joined) > 1


def _swap(net: _Netlist, patch: Patch) -> tuple[Mend, ...]:
    """Swap this wire with the device's other one, where that is just the wrong way round as well."""
    pad = net.board.pad(patch.pad)
    mine = [(i, each, other) for i, each, _, other in net.of(patch.device) if other.port and pad and other.port == pad.port]
    turned = {(pin.kind, other.kind) for _, _, pin, other in net.of(patch.device) if other.port and pad and other.port == pad.port}
    if len(mine) == 2 and turned == {("signal out", "tx"), ("signal in", "rx")}:
        (first, a, _), (second, b, _) = mine
        edits = (Edit(path=f"/wiring/{first}/pad", value=b.pad), Edit(path=f"/wiring/{second}/pad", value=a.pad))
        return (Mend(text=f"Swap the wires on {a.pad} and {b.pad}", edits=edits),)
    if _twice(net, patch):
        return ()  # one of its two wires has to come off first
    if patch.device == RECEIVER and net.parts.spoken is not None and receiver_protocol(net.parts.spoken.protocol).wire != "serial":
        return ()  # pulses are measured on inputs; the port plan says where
    wanted = "rx" if pad and pad.kind == "tx" else "tx"
    other = net.board.pad_of(pad.port, wanted) if pad and pad.port else None  # type: ignore[arg-type]
    used = {each.pin or each.name for _, _, _, each in net.joined}
    if other is not None and (other.pin or other.name) not in used:
        index = next(i for i, each, _, _ in net.joined if each is patch)
        moved = Edit(path=f"/wiring/{index}/pad", value=other.name)
        way = way_home(net.document, net.parts)
        if patch.device != RECEIVER or way is None or way.shared or way.pin != patch.pin or not other.port:
            return (Mend(text=f"Move the wire to {other.name}", edits=(moved,)),)
        job = net.document.settings.ports.get(other.port, "free")
        if job == "telemetry":
            return (Mend(text=f"Move the wire to {other.name}", edits=(moved,)),)
        if job == "free" and other.port in net.document.settings.ports and "telemetry" not in net.document.settings.ports.values():
            given = (moved, Edit(path=f"/settings/ports/{other.port}", value="telemetry"), *way.asked.edits())
            return (Mend(text=f"Move the wire to {other.name}, and give {other.port} the telemetry job", edits=given),)
        return (work_it_out("Work out where it goes"),)
    return ()


def _level(net: _Netlist, patch: Patch, pin: Pin, pad: Pad, where: At) -> Iterator[Finding]:
    if pin.kind in ("signal out", "signal both") and pad.kind in ("rx", "input", "tx") and pin.volts > pad.max_volts:
        yield CHECK.stop(
            "loom.level-too-high",
            where,
            f"{patch.device} {pin.name} drives {pin.volts:g} V; {pad.name} bears {pad.max_volts:g} V.",
            "The board's pin would be destroyed.",
            Mend(text="Use a pad that bears it, or a divider in the wire"),
        )
    if pin.kind == "signal in" and pad.kind in ("tx", "output") and pin.max_volts < 3.3:
        yield CHECK.stop(
            "loom.level-too-high", where, f"{pad.name} drives 3.3 V; {patch.device} {pin.name} bears {pin.max_volts:g} V.", "Its input would be destroyed."
        )


def _pads(net: _Netlist) -> Iterator[Finding]:
    by_pad: dict[str, list[tuple[int, Patch, Pin, Pad]]] = {}
    for joint in net.joined:
        if joint[3].kind not in ("supply", "ground"):
            by_pad.setdefault(joint[3].name, []).append(joint)
    for name, joints in by_pad.items():
        if len(joints) < 2:
            continue
        who = " and ".join(f"{patch.device} {pin.name}" for _, patch, pin, _ in joints)
        off = tuple(mend for keep in joints if (mend := _leave_alone(net, name, keep, joints)) is not None)
        drivers = [pin for _, _, pin, _ in joints if pin.kind == "signal out"]
        if len(drivers) > 1:
            use = all_use([patch.device for _, patch, _, _ in joints])
            yield CHECK.stop("loom.two-drivers", At.pads(name), f"{use} pad {name}: {who} drive it against each other.", "Neither is read.", *off)
        else:
            yield CHECK.stop("loom.pad-twice", At.pads(name), f"{name} has {len(joints)} wires: {who}.", "One pad, one signal.", *off)
    for device, part in net.parts.wired().items():
        pins = [pin.name for _, _, pin, _ in net.of(device)]
        for twice in sorted({pin for pin in pins if pins.count(pin) > 1}):
            yield CHECK.stop("loom.pin-twice", At.pin(device, twice), f"{part.name} {twice} has two wires.", "One of them joins two pads that must not touch.")


def _leave_alone(net: _Netlist, pad: str, keep: _Joint, joints: list[_Joint]) -> Mend | None:
    """Every wire but one comes off a pad; None where that would take a device's supply, the receiver's channels, or half of a device that is wired to two ports."""
    others = [joint for joint in joints if joint is not keep]
    if not keep[2].kind.startswith("signal") or not _has_its_job(net, keep):
        return None
    for _, patch, pin, _ in others:
        ports = {other.port for _, _, _, other in net.of(patch.device)} - {None}
        channels = patch.device == RECEIVER and _channel_pin(net, pin.name)
        if not pin.kind.startswith("signal") or channels or len(ports) > 1:
            return None
    off = " and ".join(f"{patch.device} {pin.name}" for _, patch, pin, _ in others)
    return Mend(text=f"Remove {off}", edits=net.without(*(index for index, _, _, _ in others)))


def _has_its_job(net: _Netlist, joint: _Joint) -> bool:
    """Whether the port of a wire's pad has a job of the wire's device, or none yet."""
    job = net.document.settings.ports.get(joint[3].port or "", "free")
    fits = joint[2].goes_to == "port" if joint[3].port else True
    if joint[1].device == RECEIVER and joint[3].port:
        fits = fits and (job == "receiver input") == _channel_pin(net, joint[2].name)  # its telemetry goes with a job of its own
    return fits and (
        job == "free"
        or any(
            demand.device == joint[1].device and demand.job == job and any(joint[2].name in each.pins for each in demand.variants)
            for demand in demands_of(net.document, net.parts)
        )
    )


def _rails(net: _Netlist) -> Iterator[Finding]:
    for load in rail_loads(net.document, net.parts):
        if load.over:
            yield CHECK.stop(
                "loom.rail-over-pack",
                At.rail(load.rail),
                f"The {load.rail} rail gives {load.limit_ma} mA; {', '.join(load.devices)} take {load.peak_ma} mA at their peak.",
                "It overheats, or sags and restarts the board in flight.",
                Mend(text="Feed one of them from another rail"),
            )
        if load.over_on_usb:
            yield CHECK.warn(
                "loom.rail-over-usb",
                At.rail(load.rail),
                f"On USB alone the {load.rail} rail gives {load.usb_limit_ma} mA; {load.peak_ma} mA are asked for.",
                "The board browns out and restarts while it hangs on USB only.",
                Mend(text="Connect the pack before USB, props off"),
            )
    usb = usb_load(net.document, net.parts)
    if usb.over:
        yield CHECK.warn(
            "loom.usb-over",
            At.rail("USB"),
            f"A USB socket gives {usb.limit_ma} mA; board and devices take {usb.peak_ma} mA.",
            "The computer may cut the socket off.",
            Mend(text="Connect the pack before USB, props off"),
        )


def _becs(net: _Netlist) -> Iterator[Finding]:
    """What is asked of a rail that BECs feed, beside what they give."""
    for load in rail_loads(net.document, net.parts):
        rail = net.board.rail(load.rail)
        becs = [device for device, _ in feeding(net.document, net.parts, rail)] if rail is not None and rail.source == "outside" else []
        if not becs or load.peak_ma <= load.limit_ma:
            continue
        moving = load.ma > load.limit_ma
        says = CHECK.stop if moving else CHECK.warn
        yield says(
            "loom.bec-over",
            At.rail(load.rail) + At.device(becs[0]),
            f"The BEC of {' and '.join(becs)} gives {load.limit_ma} mA; {len(load.devices)} devices take {load.ma if moving else load.peak_ma} mA {'as they move' if moving else 'where all of them stall'}.",
            "The rail sags, and what hangs on it restarts or stands still." if moving else "In hard air, or where a linkage binds, the rail sags.",
            Mend(text="Feed the rail by a stronger BEC, or some of them by another"),
        )


def _headroom(net: _Netlist) -> Iterator[Finding]:
    """Whoever hangs on the pack itself bears more than its full voltage: braking motors and long leads lift the supply."""
    pack = net.parts.pack
    if pack is None:
        return
    for device, bears in pack_ratings(net.document, net.parts).items():
        full = pack.full_volts
        if full > bears:
            if net.parts.devices.get(device) is not None and net.parts.devices[device].pack_max_volts is not None:
                yield CHECK.stop(
                    "loom.pack-too-high",
                    At.device(device),
                    f"{net.parts.label(device)} bears {bears:g} V; the {pack.name} has {full:g} V when it is full.",
                    "It would be destroyed the moment the pack is connected.",
                    Mend(text="Choose a pack with fewer cells, or another part", go="kit"),
                )
        elif full > (1 - HEADROOM) * bears:
            yield CHECK.warn(
                "loom.no-headroom",
                At.device(device),
                f"{net.parts.label(device)} bears {bears:g} V; the {pack.name} has {full:g} V when it is full.",
                f"Less than {HEADROOM:.0%} of its rating is left; braking motors and long leads lift the supply above the pack's.",
                Mend(text="Fit a capacitor at its leads, short and thick ones, or a part with a higher rating"),
            )


POWER = (  # the findings that are about supply
    "loom.bec-over",
    "loom.dark-on-usb",
    "loom.low-on-usb",
    "loom.no-feed",
    "loom.no-headroom",
    "loom.no-supply",
    "loom.pack-too-high",
    "loom.rail-not-fed",
    "loom.rail-over-pack",
    "loom.rail-over-usb",
    "loom.several-becs",
    "loom.supply-not-rail",
    "loom.supply-too-high",
    "loom.supply-too-low",
    "loom.two-sources",
    "loom.usb-over",
)
HEADROOM = 0.2  # of a rating, what is to be left above the full voltage (ours)


def _sources(net: _Netlist) -> Iterator[Finding]:
    """Who feeds a rail: one source, or linear ones together; a servo rail needs one."""
    feeding: dict[str, list[tuple[int, Patch, Pin]]] = {}
    taking: dict[str, list[str]] = {}
    for index, patch, pin, _ in net.joined:
        rail = rail_of(net.board, patch)
        if rail and pin.kind == "supply out":
            feeding.setdefault(rail.name, []).append((index, patch, pin))
        elif rail and pin.kind == "supply":
            taking.setdefault(rail.name, []).append(patch.device)
    for name, sources in feeding.items():
        rail = net.board.rail(name)
        lift = tuple(Mend(text=f"Lift the red lead of {patch.device}", edits=net.without(index)) for index, patch, _ in sources[1:])
        if not sources_agree([pin for _, _, pin in sources]):
            who = " and ".join(patch.device for _, patch, _ in sources)
            yield CHECK.stop(
                "loom.several-becs",
                At.rail(name),
                f"{who} feed the {name} rail together.",
                "Switching BECs work against each other. Lift all red leads but one.",
                *lift,
            )
        if rail is not None and rail.source != "outside":
            index, patch, _ = sources[0]
            yield CHECK.stop(
                "loom.two-sources",
                At.rail(name),
                f"{patch.device} feeds the {name} rail, which the {net.board.name} feeds itself.",
                "Two sources on one rail push current into each other.",
                Mend(text=f"Lift the red lead of {patch.device}", edits=net.without(index)),
            )
    for rail in net.board.rails:
        if rail.source == "outside" and taking.get(rail.name) and not feeding.get(rail.name):
            yield CHECK.warn(
                "loom.rail-not-fed",
                At.rail(rail.name),
                f"Nothing feeds the {rail.name} rail.",
                f"{', '.join(taking[rail.name])} stay dark.",
                Mend(text="Put a BEC's red lead on it"),
            )


def _lead_joints(net: _Netlist, patch: Patch) -> list[tuple[int, Patch, Pin, Pad]]:
    pin = net.parts.pin(patch.device, patch.pin)
    return [joint for joint in net.of(patch.device) if pin and pin.lead and joint[2].lead == pin.lead]


def _turned(net: _Netlist, patch: Patch) -> bool:
    """Whether this wire is part of a three-wire lead that is plugged in the wrong way round."""
    joints = _lead_joints(net, patch)
    signal = any(pin.kind.startswith("signal") and pad.kind == "ground" for _, _, pin, pad in joints)
    ground = any(pin.kind == "ground" and pad.kind not in ("ground", "supply") for _, _, pin, pad in joints)
    return signal and ground


def _other_column(net: _Netlist, patch: Patch) -> bool:
    """Whether this lead is in the wrong row: its signal in the supply's."""
    return any(pin.kind.startswith("signal") and pad.kind == "supply" for _, _, pin, pad in _lead_joints(net, patch))


def _leads(net: _Netlist) -> Iterator[Finding]:
    seen = set()
    for _, patch, pin, _pad in net.joined:
        name = f"{patch.device} {pin.lead}"
        if pin.lead is None or name in seen:
            continue
        seen.add(name)
        joints = _lead_joints(net, patch)
        if _turned(net, patch):
            signal = next((i, each) for i, each, other, _ in joints if other.kind.startswith("signal"))
            ground = next((i, each) for i, each, other, _ in joints if other.kind == "ground")
            edits = (Edit(path=f"/wiring/{signal[0]}/pad", value=ground[1].pad), Edit(path=f"/wiring/{ground[0]}/pad", value=signal[1].pad))
            yield CHECK.stop(
                "loom.lead-turned",
                At.device(patch.device, name),
                f"The three-wire lead of {patch.device} is the wrong way round.",
                "Signal is on ground and ground on the signal; the middle wire hides it.",
                *((Mend(text="Turn the plug", edits=edits),) if _suits(net, signal[1], ground[1].pad) else ()),
            )
        elif _other_column(net, patch):
            yield CHECK.stop(
                "loom.lead-row",
                At.device(patch.device, name),
                f"The signal of {patch.device}'s lead is in the supply row.",
                "The plug sits one row off; the signal wire carries supply.",
                Mend(text="Plug it one row over"),
            )


def _suits(net: _Netlist, patch: Patch, pad_name: str) -> bool:
    """Whether a wire's signal would be at home on another pad."""
    pin, pad = net.parts.pin(patch.device, patch.pin), net.board.pad(pad_name)
    kinds = {"signal out": ("input", "rx"), "signal in": ("output", "tx")}
    return pin is not None and pad is not None and pad.kind in kinds.get(pin.kind, ("rx", "tx"))


def _pulses(net: _Netlist) -> Iterator[Finding]:
    """PWM and PPM: the jumper, one lead a channel, and their order."""
    if net.parts.maybe_receiver is None:
        return
    receiver, document = net.parts.receiver, net.document
    output = net.parts.spoken
    reads = document.settings.receiver_input.protocol
    if output is None or receiver_protocol(output.protocol).wire == "serial":
        return
    other = next((each for each in receiver.outputs if each.protocol == reads and each.protocol != output.protocol), None)
    if other is not None and receiver.jumper:
        fit = other.jumper is True
        yield CHECK.stop(
            "loom.jumper",
            At.setting("/kit/jumper_fitted", receiver.jumper),
            f"The board reads {reads}, but the jumper makes the {receiver.name} send {output.protocol}.",
            f"Without the jumper {receiver.jumper} there is no {reads}." if fit else f"With the jumper {receiver.jumper} it sends no {reads}.",
            Mend(text=f"{'Fit' if fit else 'Remove'} the jumper", edits=(Edit(path="/kit/jumper_fitted", value=fit),)),
        )
    if output.protocol != "PWM":
        extra = [pin.name for _, _, pin, pad in net.of(RECEIVER) if pin.kind == "signal out" and pin.name not in output.pins and pad.reads]
        if extra:
            yield CHECK.warn(
                "loom.idle-lead",
                At(", ".join(extra), tuple(ref for each in extra for ref in At.pin(RECEIVER, each).refs)),
                f"{', '.join(extra)} carry nothing: {output.protocol} runs on {output.pins[0]} alone.",
                "They only block inputs.",
                _work_it_out(),
            )
        return
    inputs = [pad.name for pad in net.board.pads if "PWM" in pad.reads]
    wanted = output.pins[: leads_wanted(document, output)]
    for place, name in enumerate(wanted):
        pad_name = document.pad_of(name)
        if pad_name is None:
            yield CHECK.stop(
                "loom.pwm-lead-missing",
                At.pin(RECEIVER, name, name),
                f"Channel {place + 1} has no lead.",
                "In PWM each channel needs one of its own.",
                _work_it_out(),
            )
        elif place < len(inputs) and pad_name in inputs and pad_name != inputs[place]:
            index = next(i for i, patch, pin, _ in net.of(RECEIVER) if pin.name == name)
            yield CHECK.stop(
                "loom.pwm-order",
                At.pin(RECEIVER, name, name),
                f"{name} is on {pad_name}; channel {place + 1} belongs on {inputs[place]}.",
                f"The board takes its inputs in order, so it would read channel {inputs.index(pad_name) + 1}.",
                Mend(text=f"Move the lead to {inputs[place]}", edits=(Edit(path=f"/wiring/{index}/pad", value=inputs[place]),)),
            )
