"""Findings on sticks: the model memory, the order of channels, what the finder has seen, and how far each stick reaches."""

from __future__ import annotations

from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.model_memory import order_of
from linkcore.devices.motors import motor_percent
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.sticks.finder import Found
from linkcore.hops.sticks.measure import MARGIN_US, SticksMeasure
from linkcore.hops.sticks.memory_rules import check_memory
from linkcore.hops.sticks.mending import check_found, check_order
from linkcore.hops.sticks.travel import Places, dials_in_words
from linkcore.parts.axes import AXES, Axis

CHECK = Check("sticks")


def check_sticks(document: CraftDocument, parts: KitParts, measured: SticksMeasure | None = None) -> list[Finding]:
    """Findings on the model memory, the channel order, and what the finder has seen."""
    settings = document.settings
    found = measured.found if measured else Found()
    sent = found.order or order_of(document.transmitter) or document.transmitter.channel_order
    return [
        *check_order(sent, settings, seen=found.order is not None),
        *(check_memory(document, parts.maybe_transmitter) if parts.maybe_transmitter else []),
        *check_found(document, settings, found),
        *(_check_reach(document, settings, parts, measured) if measured and parts.maybe_transmitter else []),
    ]


def _check_reach(document: CraftDocument, settings: BoardSettings, parts: KitParts, measured: SticksMeasure) -> list[Finding]:
    """Sticks that were moved to both ends and still do not cross the lines; a throttle that is never low keeps the craft from arming."""
    findings = []
    lines = settings.stick_lines
    short: list[Axis] = []
    edits: list[Edit] = []
    for axis in AXES:
        places = measured.reached[axis].places(axis)
        if places is None:
            continue
        if places.low <= lines.low and places.high >= lines.high:
            if axis == "throttle" and not settings.reversing_drives:
                findings += _throttle_margin(document, parts, measured, places)
            continue
        plan = measured.plan(axis, document, parts, settings.channel_map)
        if axis == "throttle" and places.low > lines.low and not settings.reversing_drives:
            dial = (Mend(text=f"Dial throttle in on CH{plan.channel}: {dials_in_words(plan)}", edits=tuple(plan.edits)),) if plan and plan.edits else ()
            findings.append(
                CHECK.stop(
                    "sticks.throttle-not-low",
                    At.axes(axis),
                    f"Throttle low reads {places.low:.0f} us, above the floor line, {lines.low:g}.",
                    "The board arms only with the throttle below that line, so arming will be refused.",
                    *dial,
                )
            )
        else:
            short.append(axis)
            edits += plan.edits if plan else []
    if short:
        names = " and ".join(filter(None, (", ".join(short[:-1]), short[-1])))
        findings.append(
            CHECK.warn(
                "sticks.short",
                At.axes(*short),
                f"{names[0].upper()}{names[1:]} {'do' if len(short) > 1 else 'does'} not reach beyond both lines, {lines.low:g} and {lines.high:g}.",
                "The board never sees the whole stick.",
                *((Mend(text=f"Dial {names} in as the card says", edits=tuple(edits)),) if edits else ()),
            )
        )
    return findings


def _throttle_margin(document: CraftDocument, parts: KitParts, measured: SticksMeasure, places: Places) -> list[Finding]:
    """Throttle low must lie clearly below its line, or noise alone refuses arming; and what the motors do there is said."""
    line, idle, noise = document.settings.stick_lines.low, document.settings.drive.idle_percent, measured.noise.get("throttle")
    peak_us = noise.peak_us if noise else 2 * (measured.reached["throttle"].jitter or 0.0)
    wanted = 2 * peak_us + MARGIN_US
    if line - places.low >= wanted:
        return []
    plan = measured.plan("throttle", document, parts, document.settings.channel_map)
    dial = (Mend(text=f"Dial throttle in on CH{plan.channel}: {dials_in_words(plan)}", edits=tuple(plan.edits)),) if plan and plan.edits else ()
    return [
        CHECK.warn(
            "sticks.throttle-margin",
            At.axes("throttle"),
            f"Throttle low reads {places.low:.0f} us, only {line - places.low:.0f} us below the floor line, {line:g}; {wanted:.0f} us are wanted.",
            f"Noise may refuse arming; and with the stick down the armed motors turn at {motor_percent(places.low, idle):.0f} %, not at their idle of {idle:g} %.",
            *dial,
        )
    ]
