"""What is wrong with the motors as they were seen, and what sets them right."""

from __future__ import annotations

from collections.abc import Iterator
from statistics import median

from linkcore.craft.airframes import MULTIROTORS
from linkcore.craft.document import OutputRole
from linkcore.craft.layouts import Layout
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.airframe.first_flight import IdleFlown
from linkcore.hops.airframe.motors import MotorsSeen
from linkcore.hops.airframe.order import MotorMend, OrderError
from linkcore.reads import View
from linkcore.wiring.outputs import layout_wired, motor_roles

CHECK = Check("airframe")
ASTERN_WHY = "Throttle takes the craft the other way."


def check_motors(view: View, seen: MotorsSeen, flown: IdleFlown) -> Iterator[Finding]:
    """What was answered, and what was `flown` with the idle, against what is set."""
    layout, roles = layout_wired(view.craft, view.parts), motor_roles(view.craft, view.parts)
    if not layout or set(roles.values()) != {place.role for place in layout} or view.craft.settings.mixing.layout not in (None, view.craft.airframe):
        return  # what is set of the outputs has a finding of its own
    yield from _still(roles, seen)
    yield from _sluggish(view, roles, seen, flown)
    try:
        worked = seen.worked_out(layout, view.craft.settings.mixing.props, roles)
    except OrderError:
        return
    if worked.says:
        yield from _half_answered(view, layout, roles, seen)
    yield from _order(view, layout, roles, [each for each in worked.mends if each.kind == "remap"])
    mirror = next((each for each in worked.mends if each.kind == "mirror"), None)
    if mirror is not None:
        yield _mirror(mirror)
    for each in worked.mends:
        if each.kind == "reverse":
            yield _reverse(view, seen, each)


def _half_answered(view: View, layout: Layout, roles: dict[str, OutputRole], seen: MotorsSeen) -> Iterator[Finding]:
    """Something is not as it should be, and cannot be worked out before all were seen."""
    meant = {place.role: (place.corner, place.wanted(view.craft.settings.mixing.props)) for place in layout}
    wrong = [each.output for each in seen.seen(roles) if each.corner != meant[roles[each.output]][0] or meant[roles[each.output]][1] not in (None, each.turns)]
    if wrong:
        yield CHECK.warn(
            "airframe.half-answered",
            At.pads(*wrong),
            f"{', '.join(wrong)} did not turn what {'it' if len(wrong) == 1 else 'they'} should, or the other way.",
            "What sets them right is worked out once every output was seen.",
            Mend(text="Turn the others, and answer"),
        )


def _order(view: View, layout: Layout, roles: dict[str, OutputRole], remaps: list[MotorMend]) -> Iterator[Finding]:
    if not remaps:
        return
    at = {place.corner: place.role for place in layout}
    outputs = {**(view.craft.settings.mixing.outputs or roles)} | {each.of: next(role for corner, role in at.items() if corner == each.to) for each in remaps}
    said = ", ".join(f"{each.of} turns the {each.to}" for each in remaps)
    yield CHECK.stop(
        "airframe.motor-order",
        At.pads(*(each.of for each in remaps)),
        f"{said}; the board takes {'it' if len(remaps) == 1 else 'them'} for others.",
        "What should lift one corner lifts another: it flips over as it leaves the ground."
        if view.craft.airframe in MULTIROTORS
        else "It steers the wrong way.",
        Mend(text="Set the outputs as their motors were seen", edits=(Edit(path="/settings/mixing/outputs", value=outputs),)),
    )


def _mirror(mirror: MotorMend) -> Finding:
    return CHECK.stop(
        "airframe.motor-props",
        At.setting("/settings/mixing/props", "props"),
        f"The motors turn for props {mirror.to}, and the board mixes for the other hand.",
        "What should turn it left turns it right, faster and faster: it spins as it leaves the ground.",
        Mend(text=f"Mix for props {mirror.to}, and fit those of the other hand on every motor", edits=(Edit(path="/settings/mixing/props", value=mirror.to),)),
        Mend(text="Or reverse every motor and keep the props"),
    )


def _reverse(view: View, seen: MotorsSeen, mend: MotorMend) -> Finding:
    last = seen.last(mend.of)
    corner = last.corner if last is not None else ""
    along = mend.to in ("ahead", "astern")
    why = ASTERN_WHY if along else "Its turning is not taken up by the others: the craft spins, and its propeller, fitted for the other way, pushes down."
    return CHECK.stop(
        "airframe.motor-direction",
        At.pads(mend.of),
        f"The {corner} motor, on {mend.of}, turns {last.turns if last is not None else 'the other way'}; there it should turn {mend.to}.",
        why,
        Mend(text="Swap any two of its three wires", hands={"swap_wires": mend.of}),
        Mend(text="Or reverse it in its ESC, where that can"),
    )


def _still(roles: dict[str, OutputRole], seen: MotorsSeen) -> Iterator[Finding]:
    for output in seen.still(roles):
        last = seen.last(output)
        yield CHECK.stop(
            "airframe.motor-still",
            At.pads(output),
            f"Nothing turned on {output}, up to {last.percent if last else 0:.0f} %.",
            "A motor with an open phase twitches and stands; one that no ESC drives does nothing at all.",
            Mend(text="Solder its open phase", hands={"solder_phase": output}),
            Mend(text="Feel its three wires with the pack out: each pair must have a little resistance, and the same"),
        )


def _sluggish(view: View, roles: dict[str, OutputRole], seen: MotorsSeen, flown: IdleFlown) -> Iterator[Finding]:
    starts = {output: start for output in roles if (start := seen.starts_percent(output)) is not None}
    for output in seen.sluggish(roles):
        yield CHECK.warn(
            "airframe.motor-start",
            At.pads(output),
            f"{output} begins to turn at {starts[output]:.1f} %, the others at about {median(starts.values()):.1f} %.",
            "Its ESC has not learnt the board's end points, or its bearing is stiff: in a fast descent it may stop.",
            Mend(text="Let its ESC learn the end points, under *End points*"),
            Mend(text="Turn it by hand with the pack out: it must run as freely as the others"),
        )
    if len(starts) == len(roles) and not seen.sluggish(roles) and all(seen.settled(output) for output in roles):
        yield from _idle(view, max(starts.values()), flown)


def _idle(view: View, worst: float, flown: IdleFlown) -> Iterator[Finding]:
    if view.craft.airframe not in MULTIROTORS:
        return
    idle, wanted, (least, most) = view.craft.settings.drive.idle_percent, flown.wanted(worst), flown.bounds(worst)
    at = At.setting("/settings/drive/idle_percent", "idle")
    if least <= idle <= most:
        if flown.held_percent != idle:
            yield _not_flown(at, idle, worst)
        return
    low = idle < least
    stopped = flown.stopped_percent is not None and idle <= flown.stopped_percent
    says = CHECK.warn if low else CHECK.note
    yield says(
        "airframe.idle",
        at,
        f"A motor has stopped in flight with an idle of {flown.stopped_percent:g} %; armed motors are asked {idle:g} % at the least."
        if stopped
        else f"Armed motors are asked {idle:g} % at the least; the one that starts last needs {worst:.1f} %.",
        "In a fast descent one of them may stop, and the craft tumbles."
        if low
        else "With throttle low it sinks more slowly than it could, and does not settle on the ground.",
        Mend(
            text=f"Set the idle to {wanted:g} %, and see at the {'next' if stopped else 'first'} hover that no motor stops",
            edits=(Edit(path="/settings/drive/idle_percent", value=wanted),),
        ),
    )


def _not_flown(at: At, idle: float, worst: float) -> Finding:
    return CHECK.note(
        "airframe.idle-flown",
        at,
        f"The idle of {idle:g} % is reckoned from the bench, where the last motor starts at {worst:.1f} %; no hover has confirmed it yet.",
        "Air that comes from below brakes a propeller more than the bench shows.",
        Mend(text="At the first hover let it sink fast from a few metres, and listen"),
        Mend(text="No motor stopped", hands={"flown": "no motor stopped"}),
        Mend(text="A motor stopped", hands={"flown": "a motor stopped"}),
    )
