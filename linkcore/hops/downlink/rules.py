"""What of the way home cannot work, or will not tell in time: from parts, wires and settings."""

from __future__ import annotations

from collections.abc import Callable

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.outlook import Outlook
from linkcore.devices.sensors import TELLINGS
from linkcore.findings import At, Check, Edit, Finding, Mend, Severity, work_it_out
from linkcore.hops.downlink.ages import Ages, ages
from linkcore.hops.downlink.causes import Cause, device_fault, known_to_board, on_the_way
from linkcore.parts.sensor_names import SENSORS, SensorName
from linkcore.wiring.demands import BENCH_LINK, demands_of, link_ports, placements
from linkcore.wiring.picture import video_devices
from linkcore.wiring.way_home import WayHome, none_because, way_home

CHECK = Check("downlink")
VITAL: tuple[SensorName, ...] = ("cell voltage", "voltage", "LQ", "RSSI")  # what kills if it is not noticed: SENSORS begins with them
SLOW_S = 3.0  # an emptying pack under full throttle goes from a warning to nothing in a few of these (ours)
_CODE = {
    "job": "job",
    "protocol": "protocol",
    "wire": "wire",
    "ground": "wire",
    "two senders": "two-senders",
    "inversion": "inversion",
    "not asked": "not-asked",
    "switched off": "off",
}


def check_firmware(craft: CraftDocument, found: Outlook) -> list[Finding]:
    """Firmware on both ends that talks, and leaves telemetry out."""
    if not craft.wants.telemetry or found.verdict == "do not match" or found.telemetry:
        return []
    why = next((each for each in found.because if "telemetry" in each), "one end has none")
    return [
        CHECK.stop(
            "downlink.firmware",
            At.device(RECEIVER),
            f"Telemetry is wanted, and the firmware leaves it out: {why}.",
            "The parts could. What runs on them cannot.",
            Mend(text="Load firmware that can", go="load"),
        )
    ]


def check_downlink(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """Findings of the way home. Nothing to say of a craft that has no telemetry and wants none."""
    if parts.maybe_board is None or parts.maybe_receiver is None:
        return []
    way, wanted = way_home(craft, parts), craft.wants.telemetry
    if way is None:
        return [_none(parts)] if wanted else []
    if not wanted and not _begun(craft, way):
        return []
    findings = []
    cause = on_the_way(craft, parts, way)
    if cause is not None:
        findings.append(_blocked(craft, parts, way, cause))
    findings += [fault for name in parts.devices if name not in video_devices(parts) and (fault := _device(name, craft, parts)) is not None]
    if cause is None:
        findings += [*_switched_off(craft, parts, way), *_in_time(craft, parts, way)]
    return findings


def _begun(craft: CraftDocument, way: WayHome) -> bool:
    """Whether anything of it is wired or set."""
    return not way.shared and (way.pad is not None or craft.settings.telemetry.protocol is not None or "telemetry" in craft.settings.ports.values())


def _none(parts: KitParts) -> Finding:
    why = none_because(parts) or "its telemetry goes with an output that is not wired"
    return CHECK.stop(
        "downlink.none",
        At.device(RECEIVER),
        f"Telemetry is wanted, and none can come back: {why}.",
        "The pilot knows nothing of the craft but what is seen of it.",
        Mend(text="Do without telemetry", edits=(Edit(path="/wants/telemetry", value=False),)),
        Mend(text="Look for a receiver that has it", go="kit"),
    )


def _blocked(craft: CraftDocument, parts: KitParts, way: WayHome, cause: Cause) -> Finding:
    severity: Severity = "stop" if craft.wants.telemetry and cause.code != "ground" else "warn"  # a missing ground is the Loom's stop
    where = At.pads(way.pad.name) if way.pad else At.pin(RECEIVER, way.pin, way.pin)
    what = f"{cause.says[0].upper()}{cause.says[1:]}."
    why = "Nothing that the board tells reaches the receiver."
    if way.shared and cause.code not in ("switched off", "wire"):
        return CHECK.says(
            "note",
            "downlink.waits",
            where,
            f"Telemetry waits for the channels: {cause.says}.",
            "Both go by the same port. What is wrong there is told by the hops before.",
            *cause.mends,
        )
    port = str(way.port)
    if cause.code == "job" and craft.settings.ports.get(port) == BENCH_LINK and port in link_ports(craft, parts):
        return CHECK.says(
            severity,
            "downlink.bench-link",
            At.ports(port) + where,
            f"{port} is the bench link's, and the receiver's {way.pin} wire is on it.",
            f"{why} A port that USB hangs on is not given away.",
            work_it_out(),
        )
    if cause.code == "wire" and way.pad is None and not _has_a_place(craft, parts):
        return CHECK.says(
            severity,
            "downlink.no-port",
            where,
            f"No port is left for the receiver's {way.pin} wire.",
            f"{why} The Port plan says who could make room.",
            work_it_out("See what clashes"),
        )
    return CHECK.says(severity, f"downlink.{_CODE[cause.code]}", where, what, why, *cause.mends)


def _has_a_place(craft: CraftDocument, parts: KitParts) -> bool:
    """Whether telemetry could go to a port that nobody uses."""
    used = {patch.pad for patch in craft.wiring}
    for demand in demands_of(craft.model_copy(update={"wants": craft.wants.model_copy(update={"telemetry": True})}), parts):
        if demand.device == RECEIVER and demand.job == "telemetry":
            free = [
                place
                for place in placements(demand, craft, parts, fixed={})
                if craft.settings.ports.get(str(place.port), "free") in ("free", "telemetry") and not used & {pad.name for pad in place.pads}
            ]
            return bool(free)
    return True


def _device(name: str, craft: CraftDocument, parts: KitParts) -> Finding | None:
    cause = device_fault(name, craft, parts)
    if cause is None:
        return None
    code = cause.code.replace(" ", "-")
    return CHECK.warn(
        f"downlink.{code}",
        At.device(name),
        f"{cause.says[0].upper()}{cause.says[1:]}.",
        f"What {name} knows never reaches the board, and so not the pilot.",
        *cause.mends,
    )


def _switched_off(craft: CraftDocument, parts: KitParts, way: WayHome) -> list[Finding]:
    telling, off = TELLINGS[way.protocol], craft.settings.telemetry.off
    carried = [sensor for sensor in VITAL if telling.of(sensor) and sensor in known_to_board(parts)]
    lost = [sensor for sensor in carried if any(set(message.sensors) & set(off) for message in telling.with_(sensor))]
    if not lost or len(lost) < len(carried):
        return []
    silent = {other for sensor in lost for message in telling.with_(sensor) for other in message.sensors}
    return [
        CHECK.warn(
            "downlink.sensor-off",
            At.setting("/settings/telemetry/off", "sensors"),
            f"{' and '.join(lost).capitalize()} {'is' if len(lost) == 1 else 'are'} not told.",
            "Nothing else on the transmitter says how far the pack is down.",
            Mend(text=f"Tell {' and '.join(lost)}", edits=(Edit(path="/settings/telemetry/off", value=[each for each in off if each not in silent]),)),
        )
    ]


def _in_time(craft: CraftDocument, parts: KitParts, way: WayHome) -> list[Finding]:
    known = known_to_board(parts)
    found = ages(craft, parts, way.protocol, known)
    findings = []
    if found.asked_too_few:
        silent = [sensor for sensor in SENSORS if sensor in found.asked_too_few]
        drop = _worth_less(craft, parts, way, lambda trial: not trial.asked_too_few)
        text = Mend(text=f"Do not tell {' or '.join(drop)}", edits=(_off(craft, drop),)) if drop else Mend(text="Switch off values that matter less")
        findings.append(
            CHECK.warn(
                "downlink.asked-too-few",
                At.device(RECEIVER),
                f"The {parts.receiver.name} does not ask for {', '.join(silent)}.",
                f"It asks {parts.receiver.telemetry.ids if parts.receiver.telemetry else 0} addresses, and the board has more to tell.",
                text,
            )
        )
    slow = [sensor for sensor in VITAL if found.every_s.get(sensor, 0.0) > SLOW_S]
    if slow:
        worst = max(found.every_s[sensor] for sensor in slow)
        drop = _worth_less(craft, parts, way, lambda trial: all(trial.every_s.get(each, 0.0) <= SLOW_S for each in VITAL))
        mends = (Mend(text=f"Do not tell {', '.join(drop)}", edits=(_off(craft, drop),)),) if drop else ()
        findings.append(
            CHECK.warn(
                "downlink.slow",
                At.setting("/settings/telemetry/off", "sensors"),
                f"{' and '.join(slow).capitalize()} {'comes' if len(slow) == 1 else 'come'} only every {worst:.1f} s.",
                f"{_why_slow(found.ids, found.asked_s, found.capacity.taken)} Fewer values come more often.",
                *mends,
            )
        )
    return findings


def _why_slow(ids: int, asked_s: float | None, taken: float) -> str:
    if taken > 1:
        return f"The air has room for {100 / taken:.0f} % of what the board tells."
    return (
        f"{ids} values take turns on one id, which is asked every {asked_s:.2f} s." if asked_s is not None else "The board tells one message after the other."
    )


def _off(craft: CraftDocument, drop: list[SensorName]) -> Edit:
    return Edit(path="/settings/telemetry/off", value=[*craft.settings.telemetry.off, *drop])


def _without(craft: CraftDocument, drop: list[SensorName]) -> CraftDocument:
    telemetry = craft.settings.telemetry.model_copy(update={"off": [*craft.settings.telemetry.off, *drop]})
    return craft.model_copy(update={"settings": craft.settings.model_copy(update={"telemetry": telemetry})})


def _droppable(craft: CraftDocument, parts: KitParts, way: WayHome) -> list[SensorName]:
    """Sensors that are told and may go, those that matter least first; none that comes in one message with one that matters."""
    telling, known = TELLINGS[way.protocol], known_to_board(parts)
    told = [sensor for sensor in reversed(SENSORS) if sensor in known and telling.of(sensor) and sensor not in craft.settings.telemetry.off]
    return [sensor for sensor in told if not any(set(message.sensors) & set(VITAL) for message in telling.with_(sensor))]


def _worth_less(craft: CraftDocument, parts: KitParts, way: WayHome, enough: Callable[[Ages], bool]) -> list[SensorName]:
    """What to leave out, the least important first, until it is `enough`; empty where that does not help."""
    drop: list[SensorName] = []
    for sensor in _droppable(craft, parts, way):
        drop.append(sensor)
        if enough(ages(_without(craft, drop), parts, way.protocol, known_to_board(parts))):
            return drop
    return []
