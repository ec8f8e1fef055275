"""Control surfaces: which way each goes with the stick, and when the board steadies; and on which side of the chain a wrong one is mended.

A stick's channel may be reversed in the transmitter, a surface at the board's servo. Both together look right while the stick is moved, and
are wrong when the board steadies: it then pushes the craft further over.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from pydantic import BaseModel, Field

from linkcore.craft.airframes import WINGS
from linkcore.craft.document import CraftDocument, Fitted, ServoRole, ServoSetup
from linkcore.craft.parts import KitParts
from linkcore.devices.mixers import CRAFT_MOVES, DEG_US, MIXES, STICK_MOVES, SurfaceMix
from linkcore.devices.model_memory import reversed_wrongly
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.parts.axes import STICK_OF, Axis
from linkcore.reads import View

CHECK = Check("airframe")
Went = Literal["right", "wrong", "still"]
When = Literal["stick", "steadying"]
NEUTRAL_WITHIN_DEG = 2.0
LEAST_NEUTRAL_US, MOST_NEUTRAL_US = 1400, 1600  # farther off a horn is to be set over, not a middle learnt (ours)
ROLE_WORDS: dict[ServoRole, str] = {
    "left aileron": "the left aileron",
    "right aileron": "the right aileron",
    "aileron": "both ailerons",
    "elevator": "the elevator",
    "rudder": "the rudder",
    "left elevon": "the left elevon",
    "right elevon": "the right elevon",
    "left V-tail": "the left half of a V-tail",
    "right V-tail": "the right half of a V-tail",
    "tail servo": "the tail of a tri",
    "something else": "something else",
}


class SurfacesSeen(BaseModel):
    """What each servo's surface was seen to do, by name and axis: with the stick, and when the craft was moved.

    `straight_us`: the pulse at which it stands straight, by two places that it was seen at; `binds`: the pulse at which it came to a stop and hummed.

    `learnt_us`: the mean pulse in level flight, while the board learnt the centre.
    """

    stick: dict[str, dict[Axis, Went]] = Field(default_factory=dict)
    steadying: dict[str, dict[Axis, Went]] = Field(default_factory=dict)
    straight_us: dict[str, float] = Field(default_factory=dict)
    binds: dict[str, float] = Field(default_factory=dict)
    learnt_us: dict[str, float] = Field(default_factory=dict)

    def with_seen(self, when: When, name: str, axis: Axis, went: Went) -> SurfacesSeen:
        """One more; the same object where that is known."""
        known: dict[str, dict[Axis, Went]] = getattr(self, when)
        if known.get(name, {}).get(axis) == went:
            return self
        return self.model_copy(update={when: {**known, name: {**known.get(name, {}), axis: went}}})


class Surface(BaseModel):
    """A servo that moves a control surface, on one axis. `move`, `should`: what is done with the stick, and how it answers then; `craft`, `answers`: what the craft does, and how it steadies.

    `with_stick`, `with_steadying`: as seen, None where nobody has looked; `pulse`: its middle and ends as the board drives them, us and degrees.
    """

    name: str
    role: ServoRole
    axis: Axis
    channel: int | None
    move: str
    should: str
    craft: str
    answers: str
    servo_reversed: bool
    channel_reversed: bool
    with_stick: Went | None
    with_steadying: Went | None
    pulse: str
    binds: bool


def servos_of(document: CraftDocument, parts: KitParts) -> list[tuple[int, Fitted]]:
    """The servos of a plane, wing or tri, each with its place among the kit's devices."""
    if document.airframe not in WINGS and document.airframe != "tri":
        return []
    return [(index, each) for index, each in enumerate(document.kit.devices) if each.name in parts.devices and parts.devices[each.name].servo]


def undecided(document: CraftDocument, parts: KitParts) -> list[tuple[int, Fitted]]:
    """Servos of which nobody has said what they move."""
    return [(index, each) for index, each in servos_of(document, parts) if each.role is None]


def mixed(document: CraftDocument, parts: KitParts) -> list[tuple[Fitted, ServoRole, SurfaceMix]]:
    """Every servo that was said to move a control surface, with what moves it."""
    return [(each, each.role, MIXES[each.role]) for _, each in servos_of(document, parts) if each.role is not None and each.role in MIXES]


def surfaces_of(document: CraftDocument, parts: KitParts, seen: SurfacesSeen) -> list[Surface]:
    """A row for each axis of every such servo."""
    transmitter = parts.maybe_transmitter
    if transmitter is None:
        return []
    found = []
    for device, role, mix in mixed(document, parts):
        setup = document.settings.servos.get(device.name, ServoSetup())
        for axis, share in mix.by.items():
            channel = next((index for index, each in enumerate(document.transmitter.channels) if each.source == STICK_OF[axis]), None)
            words, sign = CRAFT_MOVES[axis]
            found.append(
                Surface(
                    name=device.name,
                    role=role,
                    axis=axis,
                    channel=None if channel is None else channel + 1,
                    move=STICK_MOVES[axis],
                    should=mix.seen(share),
                    craft=words,
                    answers=mix.seen(share * sign),
                    servo_reversed=device.name in document.settings.servo_reverse,
                    channel_reversed=channel is not None and reversed_wrongly(document.transmitter.channels[channel], transmitter),
                    with_stick=seen.stick.get(device.name, {}).get(axis),
                    with_steadying=seen.steadying.get(device.name, {}).get(axis),
                    pulse=pulse_words(setup),
                    binds=device.name in seen.binds,
                )
            )
    return found


def pulse_words(setup: ServoSetup) -> str:
    """A servo's middle and ends, us and degrees."""
    low, high = ((us - setup.neutral_us) * DEG_US for us in (setup.low_us, setup.high_us))
    return f"{setup.low_us} · {setup.neutral_us} · {setup.high_us} us, {low:+.0f}° to {high:+.0f}°"


def check_roles(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """Servos that nobody knows the use of."""
    return [
        CHECK.warn(
            "airframe.servo-role",
            At.device(each.name),
            f"What {each.name} moves is not chosen.",
            "Until somebody says so, nobody can tell whether it moves as it should, and the surfaces are not proven.",
            *(Mend(text=f"It moves {words}", edits=(Edit(path=f"/kit/devices/{index}/role", value=role),)) for role, words in ROLE_WORDS.items()),
        )
        for index, each in undecided(document, parts)
    ]


def check_surfaces(view: View, seen: SurfacesSeen, *, facing_right: bool | None) -> Iterator[Finding]:
    """Surfaces that go the wrong way, with the mend on the side where it belongs. `facing_right`: whether the board runs the facing that was found; None where nobody has looked."""
    document, parts = view.craft, view.parts
    rows: dict[str, list[Surface]] = {}
    for each in surfaces_of(document, parts, seen):
        rows.setdefault(each.name, []).append(each)
    for name, surfaces in rows.items():
        yield from _of_servo(document, name, surfaces, facing_right=facing_right)
        yield from _pulses(document, name, seen)


def _of_servo(document: CraftDocument, name: str, surfaces: list[Surface], *, facing_right: bool | None) -> Iterator[Finding]:
    called = f"{name[0].upper()}{name[1:]}"
    if any(each.with_stick == "still" for each in surfaces):
        yield CHECK.stop(
            "airframe.surface-still",
            At.device(name),
            f"{called} does not move.",
            "A servo without supply, or on an output that drives nothing, leaves the craft without that surface.",
            Mend(text="See in the Loom what feeds its rail, and on which output it hangs", go="loom"),
        )
        return
    wanted = [each for each in document.settings.servo_reverse if each != name] + ([] if name in document.settings.servo_reverse else [name])
    servo = Edit(path="/settings/servo_reverse", value=wanted)
    both_wrong = [each for each in surfaces if each.with_stick == "wrong" and each.with_steadying == "wrong"]
    if both_wrong:
        yield CHECK.stop(
            "airframe.surface",
            At.device(name),
            f"{called} moves the other way, with the stick and when the board steadies.",
            "The board sees the stick as it should; the servo sits the other way round, so it is mended at the board's servo, never in the transmitter.",
            Mend(text="Reverse the servo on the board", edits=(servo,)),
        )
        return
    for each in surfaces:
        if each.with_stick == "wrong" and each.with_steadying is None:
            yield CHECK.stop(
                "airframe.surface-with-stick",
                At.device(name),
                f"{called} moves the other way with the stick.",
                "On which side that is to be mended shows when the craft is moved: tip it, and see how the surface steadies.",
                Mend(text="Move the craft by hand, with the sticks let go: the board must steady, so not in manual"),
            )
        elif each.channel is None or (each.with_stick != "wrong" and each.with_steadying not in ("wrong", "still")):
            continue
        elif each.with_stick == "wrong":
            yield _in_transmitter(document, called, name, each)
        elif each.with_steadying == "wrong" and each.with_stick == "right" and each.channel_reversed:
            yield CHECK.stop(
                "airframe.reversed-in-the-wrong-place",
                At.device(name),
                f"{called} is reversed in the transmitter (CH{each.channel}), where its servo should be reversed on the board.",
                "It follows the stick; when the board steadies it moves against what is needed, and throws the craft over.",
                Mend(text=f"Reverse the servo on the board, remove the reverse from CH{each.channel}", edits=(servo, _turn_channel(document, each))),
            )
        else:
            yield CHECK.stop(
                "airframe.steadies-wrong",
                At.device(name),
                f"{called} {'steadies the wrong way' if each.with_steadying == 'wrong' else 'does not steady'}: {each.craft}, it should be that {each.answers}.",
                "The board takes the craft to move otherwise than it does." + ("" if facing_right else " Nobody has found yet how it sits."),
                Mend(text="Find how the board sits", hands={"asking": "facing"}),
            )


def _in_transmitter(document: CraftDocument, called: str, name: str, each: Surface) -> Finding:
    act = "Remove the reverse from" if each.channel_reversed else "Reverse"
    return CHECK.stop(
        "airframe.channel-reversed",
        At.device(name) + At.channel(each.channel or 0),
        f"{called} moves the other way with the stick, and as it should when the board steadies.",
        f"CH{each.channel} runs against its stick; the servo is right as it is.",
        Mend(text=f"{act} CH{each.channel}", edits=(_turn_channel(document, each),)),
    )


def _turn_channel(document: CraftDocument, each: Surface) -> Edit:
    assert each.channel is not None, "nobody mends a channel that there is not"
    return Edit(path=f"/transmitter/channels/{each.channel - 1}/reverse", value=not document.transmitter.channels[each.channel - 1].reverse)


def _pulses(document: CraftDocument, name: str, seen: SurfacesSeen) -> Iterator[Finding]:
    setup = document.settings.servos.get(name, ServoSetup())
    straight = seen.straight_us.get(name)
    if straight is not None and abs(straight - setup.neutral_us) * DEG_US > NEUTRAL_WITHIN_DEG:
        neutral = round(straight)
        moved = setup.model_copy(update={"neutral_us": neutral})
        yield CHECK.warn(
            "airframe.neutral",
            At.device(name),
            f"{name[0].upper()}{name[1:]} stands straight at {straight:.0f} us; in the middle the board gives {setup.neutral_us} us, {abs(straight - setup.neutral_us) * DEG_US:.0f} degrees off.",
            "It flies as if somebody held that stick, and has less travel to one side. Better still: set the horn over by a tooth.",
            Mend(text=f"Set its middle to {neutral} us", edits=(_setup_edit(document, name, moved),)),
        )
    stop = seen.binds.get(name)
    if stop is not None and (setup.neutral_us < stop < setup.high_us or setup.low_us < stop < setup.neutral_us):
        side = "high_us" if stop > setup.neutral_us else "low_us"
        within = round(stop - 10 if side == "high_us" else stop + 10)
        yield CHECK.stop(
            "airframe.servo-binds",
            At.device(name),
            f"{name[0].upper()}{name[1:]} comes to its stop at {stop:.0f} us; the board drives it to {getattr(setup, side)} us.",
            "A servo that is pressed against its stop draws its stall current, grows hot, and strips its gears or its rail.",
            Mend(text=f"End its travel at {within} us", edits=(_setup_edit(document, name, setup.model_copy(update={side: within})),)),
        )


class CentreTold(BaseModel):
    """A servo's middle as it is, and as it was learnt in level flight, us."""

    name: str
    now_us: int
    learnt_us: int


def centres_learnt(document: CraftDocument, seen: SurfacesSeen) -> list[CentreTold]:
    """What centre learning came to, of every servo; empty where nothing was learnt."""
    return [
        CentreTold(name=name, now_us=document.settings.servos.get(name, ServoSetup()).neutral_us, learnt_us=round(us)) for name, us in seen.learnt_us.items()
    ]


def keep_centres(document: CraftDocument, seen: SurfacesSeen) -> Mend | None:
    """What keeps it; None where nothing was learnt, or is so far off that a horn has to be set over first."""
    learnt = {each.name: each.learnt_us for each in centres_learnt(document, seen)}
    if not learnt or not all(LEAST_NEUTRAL_US <= us <= MOST_NEUTRAL_US for us in learnt.values()):
        return None
    servos = {name: kept.model_dump() for name, kept in document.settings.servos.items()}
    for name, us in learnt.items():
        setup = document.settings.servos.get(name, ServoSetup())
        servos[name] = setup.model_copy(update={"neutral_us": us}).model_dump()
    return Mend(text="Keep these middles", edits=(Edit(path="/settings/servos", value=servos),))


def _setup_edit(document: CraftDocument, name: str, setup: ServoSetup) -> Edit:
    servos = {each: kept.model_dump() for each, kept in document.settings.servos.items()}
    return Edit(path="/settings/servos", value=servos | {name: setup.model_dump()})


def all_right(document: CraftDocument, parts: KitParts, seen: SurfacesSeen, when: When) -> dict[str, object] | None:
    """Every axis of every surface was seen to go the right way; None where one was not, or went otherwise."""
    rows = surfaces_of(document, parts, seen)
    if not rows or undecided(document, parts) or any((each.with_stick if when == "stick" else each.with_steadying) != "right" for each in rows):
        return None
    return {f"{each.name}, {each.axis}": each.should if when == "stick" else each.answers for each in rows}
