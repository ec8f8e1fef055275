"""Why a sensor does not come: found from parts, wires and settings, and, where a bench runs, from its signals; the first cause on the way home counts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import RECEIVER, CraftDocument, Patch
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import FACTS, NEEDS_FIX, NEEDS_PACK, TELLINGS, USUAL_BAUD, provided_by
from linkcore.findings import Edit, Mend, work_it_out
from linkcore.hops.downlink.ages import ages
from linkcore.parts.models import Pad
from linkcore.parts.sensor_names import SENSORS, SensorName
from linkcore.wiring.way_home import WayHome, none_because, way_home

Code = Literal[
    "receiver has none",
    "not carried",
    "no link",
    "job",
    "protocol",
    "wire",
    "ground",
    "two senders",
    "inversion",
    "not asked",
    "switched off",
    "not fitted",
    "device power",
    "device job",
    "device wire",
    "device baud",
    "no fix",
    "no pack",
    "no capacity",
    "not looked for",
]
Inverts = Literal["out", "both ways"]


class Cause(BaseModel):
    """Why something does not come. `says` is the rest of a sentence; `mends` what comes next."""

    code: Code
    says: str
    mends: tuple[Mend, ...] = ()


@dataclass(frozen=True)
class Now:
    """What of a running bench decides.

    `firmware`: whether the firmware on both ends lets telemetry through; `runs`: devices that have power; `fix`, `pack`: as the board has them; `looking`: the
    transmitter looks for sensors.
    """

    linked: bool
    firmware: bool
    runs: Mapping[str, bool]
    fix: bool
    pack: bool
    looking: bool


def causes(craft: CraftDocument, parts: KitParts, now: Now | None = None) -> dict[SensorName, Cause | None]:
    """For every sensor that there is: why it does not come, None where nothing keeps it. `now` None: as far as parts, wires and settings tell."""
    none = none_because(parts)
    way = way_home(craft, parts)
    if none or way is None:
        cause = Cause(code="receiver has none", says=none or "the receiver's telemetry goes with an output that is not wired", mends=(_other_receiver(),))
        return dict.fromkeys(SENSORS, cause)
    if now is not None and not now.firmware:
        cause = Cause(
            code="receiver has none", says="the firmware on both ends does not agree on telemetry", mends=(Mend(text="Load firmware that does", go="load"),)
        )
        return dict.fromkeys(SENSORS, cause)
    on_way = on_the_way(craft, parts, way)
    too_few = ages(craft, parts, way.protocol, known_to_board(parts)).asked_too_few
    return {sensor: _why(sensor, craft, parts, way, on_way, too_few, now) for sensor in SENSORS}


def told_now(known: Iterable[SensorName], why: Mapping[SensorName, Cause | None]) -> set[SensorName]:
    """Of what the board could know what it does, and so tells: without what a device, or the sky, keeps from it."""
    return {sensor for sensor in known if (cause := why[sensor]) is None or not (cause.code.startswith("device") or cause.code == "no fix")}


def known_to_board(parts: KitParts) -> set[SensorName]:
    """All that a board of this kit could tell."""
    return {sensor for sensor in SENSORS if FACTS[sensor].provider != "receiver" and provided_by(sensor, parts)}


def _other_receiver() -> Mend:
    return Mend(text="Look for a receiver that has it", go="kit")


def _why(
    sensor: SensorName, craft: CraftDocument, parts: KitParts, way: WayHome, on_way: Cause | None, too_few: frozenset[SensorName], now: Now | None
) -> Cause | None:
    telling = TELLINGS[way.protocol]
    if telling.of(sensor) is None:
        return Cause(code="not carried", says=f"{way.protocol} does not carry it")
    no_link = (
        Cause(code="no link", says="the receiver has no link", mends=(Mend(text="Bring the link up", go="bind"),))
        if now is not None and not now.linked
        else None
    )
    if FACTS[sensor].provider != "receiver":
        if on_way is not None:
            return on_way
        if sensor in too_few:
            return Cause(
                code="not asked",
                says=f"the {parts.receiver.name} does not ask for so many values",
                mends=(Mend(text="Switch off values that matter less, so that this one comes before them"),),
            )
        off = [other for message in telling.with_(sensor) for other in message.sensors if other in craft.settings.telemetry.off]
        if off:
            together = "" if off[0] == sensor else f", which comes in one message with {off[0]}"
            left = [each for each in craft.settings.telemetry.off if each not in off]
            return Cause(
                code="switched off",
                says=f"it is switched off{together}",
                mends=(Mend(text=f"Tell {' and '.join(off)}", edits=(Edit(path="/settings/telemetry/off", value=left),)),),
            )
        for step in (_fitted, _device, _lead):
            cause = step(sensor, craft, parts, now)
            if cause is not None:
                return cause
        if now is not None and no_link is None:
            if sensor in NEEDS_FIX and not now.fix:
                return Cause(code="no fix", says="the GPS has no fix yet", mends=(Mend(text="Give the GPS a clear sky", hands={"gps_fix": True}),))
            if sensor in NEEDS_PACK and not now.pack:
                return Cause(code="no pack", says="no pack is plugged in, so it is zero", mends=(Mend(text="Plug the pack in", hands={"pack": True}),))
    if sensor == "charge left" and craft.settings.power.capacity_mah is None:
        return Cause(code="no capacity", says="the board does not know how much the pack holds", mends=_capacity(parts))
    if no_link is not None:
        return no_link
    if now is not None and not now.looking:
        return Cause(
            code="not looked for", says="the transmitter does not look for new sensors", mends=(Mend(text="Look for sensors", hands={"looking": True}),)
        )
    return None


def _capacity(parts: KitParts) -> tuple[Mend, ...]:
    if parts.pack is None:
        return (Mend(text="Choose the pack that it flies on", go="kit"),)
    return (Mend(text=f"Tell it: {parts.pack.capacity_mah} mAh", edits=(Edit(path="/settings/power/capacity_mah", value=parts.pack.capacity_mah),)),)


# --- the board's way to the receiver ------------------------------------------------------------------------------


def on_the_way(craft: CraftDocument, parts: KitParts, way: WayHome) -> Cause | None:
    """What keeps everything that the board tells from the receiver; None where nothing does."""
    settings, telemetry, board = craft.settings, craft.settings.telemetry, parts.board
    if not telemetry.on:
        return Cause(code="switched off", says="the board's telemetry is off", mends=(_set("on", True, "Switch telemetry on"),))
    pad = way.pad
    others = [port for port, job in settings.ports.items() if job == "telemetry" and port in board.ports]
    if way.shared:
        return _shared(craft, parts, way)
    if (lead := _wrong_output(craft, parts, way, others)) is not None:
        return lead
    if pad is not None and pad.kind == "tx" and settings.ports.get(str(pad.port)) != "telemetry" and not _elsewhere(others, pad, craft, parts):
        has = settings.ports.get(str(pad.port), "free")
        what = f"{pad.port} has no job" if has == "free" else f"{pad.port} has the job {has}"
        given = Mend(text=f"Give {pad.port} the telemetry job", edits=(Edit(path=f"/settings/ports/{pad.port}", value="telemetry"), *way.asked.edits()))
        job = given if _nobody_elses(str(pad.port), RECEIVER, craft, parts) else work_it_out("Work out where it goes")
        return Cause(code="job", says=f"{what}, and the receiver's {way.pin} wire is on {pad.name}", mends=(job,))
    if pad is None:
        return Cause(code="wire", says=f"the receiver's {way.pin} pin goes nowhere", mends=(work_it_out("Work out where it goes"),))
    if pad.kind != "tx":
        return Cause(code="wire", says=f"the receiver's {way.pin} wire is on {pad.name}, which does not send", mends=(work_it_out("Work out where it goes"),))
    if settings.ports.get(str(pad.port)) != "telemetry":
        return Cause(
            code="wire",
            says=f"the receiver's {way.pin} wire is on {pad.name}, while {' and '.join(others)} has the telemetry job",
            mends=_move(craft, parts, way, others),
        )
    ground = _ground(craft, parts)
    if ground is not None:
        return ground
    rivals = senders_on(craft, parts, pad)
    if rivals:
        return Cause(
            code="two senders",
            says=f"{' and '.join(rivals)} speaks on {pad.name} as well",
            mends=(Mend(text=f"Take the wire of {rivals[0]} off {pad.name}", go="loom"),),
        )
    if telemetry.protocol != way.protocol:
        said = f"{pad.port} speaks {telemetry.protocol}" if telemetry.protocol else f"no telemetry protocol is chosen for {pad.port}"
        return Cause(
            code="protocol",
            says=f"{said}; the {parts.receiver.name} listens for {way.protocol}",
            mends=(Mend(text=f"Speak {way.protocol}", edits=way.asked.edits()),),
        )
    if telemetry.inverted != way.asked.inverted:
        how = "inverted" if way.asked.inverted else "not inverted"
        return Cause(
            code="inversion",
            says=f"{pad.port} speaks {'not inverted' if way.asked.inverted else 'inverted'}; the line is {how}",
            mends=(_set("inverted", way.asked.inverted, f"Set {pad.port} to {how}"),),
        )
    wants: Inverts = "both ways" if way.half_duplex else "out"
    if telemetry.inverted and board.inverts(pad, wants) == "no":
        return Cause(code="inversion", says=f"{pad.name} cannot invert", mends=_inverting(parts, way))
    if way.half_duplex and way.inverter:
        return Cause(code="inversion", says="the inverter in its wire passes one way only", mends=_inverting(parts, way))
    if telemetry.half_duplex != way.half_duplex and way.half_duplex:
        return Cause(
            code="not asked",
            says=f"{pad.port} listens on its RX pad, and the receiver asks on {pad.name}",
            mends=(_set("half_duplex", True, f"Set {pad.port} to half duplex"),),
        )
    baud = settings.port_baud.get(str(pad.port))
    if baud is not None and baud != way.baud:
        return Cause(
            code="protocol", says=f"{pad.port} speaks at {baud} baud; {way.protocol} has {way.baud}", mends=(_baud(craft, str(pad.port), way.baud, way.baud),)
        )
    return None


def _shared(craft: CraftDocument, parts: KitParts, way: WayHome) -> Cause | None:
    """On the port of the receiver: whatever keeps its channels from being read keeps telemetry as well, and that is said at the Port plan and the Line."""
    settings = craft.settings
    if way.pad is None:
        return Cause(code="wire", says=f"the receiver's {way.pin} pin goes nowhere", mends=(work_it_out("Work out where it goes"),))
    if way.pad.kind != "tx":
        return Cause(
            code="wire", says=f"the receiver's {way.pin} wire is on {way.pad.name}, which does not send", mends=(work_it_out("Work out where it goes"),)
        )
    if settings.ports.get(str(way.port)) != "receiver input":
        return Cause(code="job", says=f"{way.port} has no receiver job", mends=(Mend(text="Give it the job at the Port plan", go="port plan"),))
    ground = _ground(craft, parts)
    if ground is not None:
        return ground
    rivals = senders_on(craft, parts, way.pad)
    channel = next((each for each in craft.wiring if parts.spoken and (each.device, each.pin) == ("receiver", parts.spoken.pins[0])), None)
    if TELLINGS[way.protocol].polled and channel is not None:  # whoever is not asked tells it without having understood a word
        rivals = rivals or senders_on(craft, parts, parts.board.pad(channel.pad))
    if rivals:
        return Cause(
            code="two senders",
            says=f"{' and '.join(rivals)} speaks on the receiver's wire",
            mends=(work_it_out(f"Work out where the wire of {rivals[0]} goes"),),
        )
    read = settings.receiver_input
    if read.protocol != way.protocol:
        return Cause(
            code="protocol", says=f"the receiver's port reads {read.protocol or 'nothing'}", mends=(Mend(text="Set it at the Port plan", go="port plan"),)
        )
    if read.inverted != (way.inverted != way.inverter) or (read.inverted and parts.board.inverts(way.pad, "both ways" if way.half_duplex else "out") == "no"):
        return Cause(code="inversion", says=f"{way.pad.name} does not turn the levels as the line wants it", mends=(Mend(text="Look at the Line", go="line"),))
    if way.half_duplex and (not read.half_duplex or way.inverter):
        return Cause(code="not asked", says="the receiver's port is not set to half duplex", mends=(Mend(text="Set it at the Port plan", go="port plan"),))
    return None


def _wrong_output(craft: CraftDocument, parts: KitParts, way: WayHome, ports: list[str]) -> Cause | None:
    """The lead to the telemetry port sits on another output of the receiver; where both leads are swapped, so is their mend."""
    mine = next((number for number, each in enumerate(craft.wiring) if (each.device, each.pin) == ("receiver", way.pin)), None)
    home = parts.board.pad(craft.wiring[mine].pad) if mine is not None else None
    for number, each in enumerate(craft.wiring):
        pad = parts.board.pad(each.pad)
        pin = parts.pin(each.device, each.pin)
        if (
            each.device != "receiver"
            or each.pin == way.pin
            or pad is None
            or pad.kind != "tx"
            or pad.port not in ports
            or pin is None
            or pin.kind != "signal out"
        ):
            continue
        says = f"the lead to {pad.name} sits on the receiver's {each.pin}, and telemetry is on {way.pin}"
        if mine is None or home is None:
            return Cause(code="wire", says=says, mends=(work_it_out("Work out where both go"),))
        if home.kind == "rx" and craft.settings.ports.get(str(home.port)) == "receiver input":
            edits = (Edit(path=f"/wiring/{number}/pad", value=home.name), Edit(path=f"/wiring/{mine}/pad", value=pad.name))
            return Cause(code="wire", says=says, mends=(Mend(text=f"Swap the leads at {each.pin} and {way.pin}", edits=edits),))
    return None


def _elsewhere(others: list[str], pad: Pad, craft: CraftDocument, parts: KitParts) -> bool:
    """Whether another port has the telemetry job and no wire of anybody's that would want it: then it is the wire that is wrong."""
    wired = {found.port for patch in craft.wiring if (found := parts.board.pad(patch.pad)) is not None}
    return any(port != pad.port and port not in wired for port in others)


def _nobody_elses(port: str, device: str, craft: CraftDocument, parts: KitParts) -> bool:
    """Whether a port can be given another job without taking it from anybody."""
    if craft.settings.ports.get(port, "free") in ("receiver input", "bench link"):
        return False
    pads = {pad.name for pad in parts.board.pads if pad.port == port}
    return all(patch.device == device for patch in craft.wiring if patch.pad in pads)


def _move(craft: CraftDocument, parts: KitParts, way: WayHome, others: list[str]) -> tuple[Mend, ...]:
    index = next((number for number, each in enumerate(craft.wiring) if (each.device, each.pin) == ("receiver", way.pin)), None)
    taken = {patch.pad for patch in craft.wiring}
    pads = [pad.name for port in others if (pad := parts.board.pad_of(port, "tx")) is not None and pad.name not in taken]
    if index is None or not pads:
        return (work_it_out("Work out where it goes"),)
    return (Mend(text=f"Resolder the {way.pin} wire to {pads[0]}", edits=(Edit(path=f"/wiring/{index}/pad", value=pads[0]),)),)


def _ground(craft: CraftDocument, parts: KitParts) -> Cause | None:
    pin = parts.receiver.pin("ground")
    if pin is None:
        return None
    pads = [parts.board.pad(each.pad) for each in craft.wiring if (each.device, each.pin) == ("receiver", pin.name)]
    if any(pad is not None and pad.kind == "ground" for pad in pads):
        return None
    return Cause(code="ground", says="receiver and board share no ground", mends=(Mend(text="Solder its ground", go="loom"),))


def senders_on(craft: CraftDocument, parts: KitParts, pad: Pad | None) -> list[str]:
    """Other devices that drive a pad."""
    if pad is None:
        return []
    found = []
    for patch in craft.wiring:
        part = parts.devices.get(patch.device)
        if part and part.serial and patch.pad == pad.name and part.serial.sends == patch.pin:
            found.append(patch.device)
    return found


def _inverting(parts: KitParts, way: WayHome) -> tuple[Mend, ...]:
    wants: Inverts = "both ways" if way.half_duplex else "out"
    pads = [pad.name for pad in parts.board.pads if pad.kind == "tx" and parts.board.inverts(pad, wants) != "no"]
    return (
        Mend(
            text=f"Move the wire to {' or '.join(pads)}, which can"
            if pads
            else "Choose a board that inverts on a TX pad, or a receiver whose line is not inverted"
        ),
        work_it_out(),
    )


def _set(name: str, value: object, text: str) -> Mend:
    return Mend(text=text, edits=(Edit(path=f"/settings/telemetry/{name}", value=value),))


def _baud(craft: CraftDocument, port: str, baud: int, usual: int) -> Mend:
    """A port at another rate; at the usual one nothing needs to be said."""
    rest = {name: told for name, told in craft.settings.port_baud.items() if name != port}
    return Mend(text=f"Set {port} to {baud} baud", edits=(Edit(path="/settings/port_baud", value=rest if baud == usual else {**rest, port: baud}),))


# --- a device's way to the board ----------------------------------------------------------------------------------


def _fitted(sensor: SensorName, _craft: CraftDocument, parts: KitParts, _now: Now | None) -> Cause | None:
    if provided_by(sensor, parts):
        return None
    facts = FACTS[sensor]
    needs = (
        " or ".join(each if each == "GPS" else f"{each} sensor" if each in ("voltage", "current") else each for each in facts.fitted) or "ESC with telemetry"
    )
    return Cause(code="not fitted", says=f"no {needs} is fitted", mends=(Mend(text=f"Fit {'an' if needs[0] in 'aeiouE' else 'a'} {needs}", go="kit"),))


def _lead(sensor: SensorName, craft: CraftDocument, parts: KitParts, now: Now | None) -> Cause | None:
    """A message is told only where the first of its sensors is known: the others wait for that."""
    way = way_home(craft, parts)
    leads = [message.sensors[0] for message in TELLINGS[way.protocol].with_(sensor)] if way else []
    found = [_fitted(lead, craft, parts, now) or _device(lead, craft, parts, now) for lead in leads if lead != sensor]
    if not leads or sensor in leads or None in found:
        return None
    first = found[0]
    return first and first.model_copy(update={"says": f"it comes in one message with {leads[0]}, and {first.says}"})


def kept_from_board(sensor: SensorName, craft: CraftDocument, parts: KitParts) -> str:
    """Why the board does not know a sensor that is fitted: what keeps the devices that could tell it; empty where nothing does."""
    cause = _device(sensor, craft, parts, None) if provided_by(sensor, parts) else None
    return cause.says if cause is not None else ""


def _device(sensor: SensorName, craft: CraftDocument, parts: KitParts, now: Now | None) -> Cause | None:
    """What keeps the device that knows it from telling the board."""
    facts = FACTS[sensor]
    if facts.provider not in ("GPS", "ESC"):
        return None
    found = [device_fault(name, craft, parts, now) for name in provided_by(sensor, parts)]
    return None if None in found else found[0]


def device_fault(name: str, craft: CraftDocument, parts: KitParts, now: Now | None = None) -> Cause | None:
    """What keeps a device that speaks by itself from being heard by the board; None where nothing does."""
    part = parts.devices[name]
    serial, job = part.serial, part.job
    if serial is None or serial.sends is None or job not in USUAL_BAUD:
        return None
    patch: Patch | None = next((each for each in craft.wiring if (each.device, each.pin) == (name, serial.sends)), None)
    pad = parts.board.pad(patch.pad) if patch else None
    if pad is None:
        return Cause(code="device wire", says=f"{name}'s {serial.sends} pin goes nowhere", mends=(work_it_out("Work out where it goes"),))
    if now is not None and not now.runs.get(name, False):
        return Cause(
            code="device power",
            says=f"{name} has no power",
            mends=(Mend(text="Plug the pack in", hands={"pack": True}) if not now.pack else Mend(text="Look at its supply", go="loom"),),
        )
    if pad.kind != "rx" or pad.port is None:
        return Cause(
            code="device wire", says=f"{name}'s {serial.sends} wire is on {pad.name}, which does not listen", mends=(work_it_out("Work out where it goes"),)
        )
    others = [port for port, given in craft.settings.ports.items() if given == job and port in parts.board.ports]
    here = craft.settings.ports.get(pad.port, "free")
    if here != job:
        wired = {found.port for each in craft.wiring if (found := parts.board.pad(each.pad)) is not None}
        empty = [port for port in others if port not in wired or not _spoken_to(port, craft, parts)]
        if empty:
            return Cause(
                code="device wire",
                says=f"{name}'s {serial.sends} wire is on {pad.name}, while {empty[0]} has its job",
                mends=(work_it_out("Work out where it goes"),),
            )
        if here == "receiver input":
            return Cause(
                code="device wire", says=f"{name}'s {serial.sends} wire is on {pad.name}, where the receiver is", mends=(work_it_out("Work out where it goes"),)
            )
        said = f"{pad.port} has no job" if here == "free" else f"{pad.port} has the job {here}"
        given = Mend(text=f"Give {pad.port} the job {job}", edits=(Edit(path=f"/settings/ports/{pad.port}", value=job),))
        mends = (given if _nobody_elses(pad.port, name, craft, parts) else work_it_out("Work out where it goes"),)
        return Cause(code="device job", says=f"{said}, and {name} speaks on {pad.name}", mends=mends)
    if serial.inverted or (patch is not None and patch.inverter):
        return Cause(code="device wire", says=f"what {name} says arrives inverted", mends=(work_it_out("Work out where it goes"),))
    baud = craft.settings.port_baud.get(pad.port, USUAL_BAUD[job])
    if baud != serial.baud:
        return Cause(
            code="device baud",
            says=f"{pad.port} listens at {baud} baud; {name} speaks at {serial.baud}",
            mends=(_baud(craft, pad.port, serial.baud, USUAL_BAUD[job]),),
        )
    return None


def _spoken_to(port: str, craft: CraftDocument, parts: KitParts) -> bool:
    """Whether something sends to a port."""
    pad = parts.board.pad_of(port, "rx")
    return bool(senders_on(craft, parts, pad)) or any(each.device == "receiver" and pad is not None and each.pad == pad.name for each in craft.wiring)
