"""How a craft answers: from the stick's place through the model memory, the protocol's steps and the board's deadband to degrees a second."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from itertools import pairwise

from linkcore.craft.airframes import MULTIROTORS, WINGS
from linkcore.craft.document import AxisAnswer, BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.craft.places import place_of
from linkcore.devices.model_memory import CENTRE_US, Memory, in_counts
from linkcore.parts.axes import STICK_OF, Axis
from linkcore.protocols.registry import RECEIVER_PROTOCOLS

STEERS: tuple[Axis, ...] = ("roll", "pitch", "yaw")
POINTS = 20  # of a curve to either side
HALF_US = 500.0


def command_of(us: float, band_us: float) -> float:
    """What a board makes of a stick's channel, -1 to 1, its deadband taken off."""
    away = us - CENTRE_US
    if abs(away) <= band_us:
        return 0.0
    return max(-1.0, min(1.0, (away - math.copysign(band_us, away)) / (HALF_US - band_us)))


def band_us(settings: BoardSettings, axis: Axis) -> float:
    """An axis' deadband, us."""
    return settings.deadband.yaw_us if axis == "yaw" else settings.deadband.sticks_us


def softened(command: float, soft_percent: float) -> float:
    """A command made softer about the middle: a share of it follows its cube, so that both ends stay."""
    soft = soft_percent / 100
    return (1 - soft) * command + soft * command**3


def gives_dps(document: CraftDocument, axis: Axis) -> float:
    """How fast a craft of this kind can be turned about an axis, degrees a second; reckoned from mass, thrust and speed (ours)."""
    place, kind = place_of(document), document.airframe
    if kind in MULTIROTORS:
        quick = 320 * math.sqrt(max(0.2, place.thrust_ratio - 1)) / math.cbrt(place.mass_kg / 0.6)
        return float(quick * (0.5 if axis == "yaw" else 1.0))
    if kind in WINGS:
        return max(5.0, place.speed_mps) * {"roll": 12.0, "pitch": 6.0, "yaw": 3.0}.get(axis, 0.0)
    return 40 * max(1.0, place.speed_mps) if axis == "yaw" else 0.0


def asked_dps(document: CraftDocument, axis: Axis, command: float) -> float:
    """What a command asks of the craft by the board's settings, degrees a second."""
    answer = answer_of(document.settings, axis)
    most = gives_dps(document, axis) if answer.most_dps is None else answer.most_dps
    return most * softened(command, answer.soft_percent)


def answer_of(settings: BoardSettings, axis: Axis) -> AxisAnswer:
    """An axis' settings."""
    return {"roll": settings.answer.roll, "pitch": settings.answer.pitch, "yaw": settings.answer.yaw}[axis]


def channel_us(document: CraftDocument, parts: KitParts, axis: Axis, place: float, switches: Mapping[str, int]) -> float | None:
    """What arrives at the board for a stick's place, -1 to 1: rounded to the transmitter's counts and the protocol's steps; None where no channel carries the stick."""
    arrives = _arriving(document, parts, axis, switches)
    return arrives(place) if arrives is not None else None


def _arriving(document: CraftDocument, parts: KitParts, axis: Axis, switches: Mapping[str, int]) -> Callable[[float], float] | None:
    """What channel_us() tells, by the stick's place."""
    source = STICK_OF[axis]
    number = next((index for index, each in enumerate(document.transmitter.channels, 1) if each.source == source), None)
    transmitter = parts.maybe_transmitter
    if number is None or transmitter is None:
        return None
    memory = Memory(document.transmitter, transmitter)
    spec = RECEIVER_PROTOCOLS.get(parts.spoken.protocol) if parts.spoken else None
    step = spec.step_us if spec else 0.0

    def arrives(place: float) -> float:
        us = in_counts(memory.output(number, lambda each: place if each == source else 0.0, switches), transmitter)
        return CENTRE_US + round((us - CENTRE_US) / step) * step if step else us

    return arrives


def least_dps(document: CraftDocument, parts: KitParts, axis: Axis) -> float:
    """What the first step asks that comes through the deadband, by the transmitter's counts and the protocol's steps."""
    spec = RECEIVER_PROTOCOLS.get(parts.spoken.protocol) if parts.spoken else None
    step = max(parts.maybe_transmitter.count_us if parts.maybe_transmitter else 1.0, spec.step_us if spec else 0.0) or 1.0
    band = band_us(document.settings, axis)
    return abs(asked_dps(document, axis, command_of(CENTRE_US + step * (math.floor(band / step) + 1), band)))


def curve(document: CraftDocument, parts: KitParts, axis: Axis, switches: Mapping[str, int]) -> list[tuple[float, float]]:
    """(the stick's place, degrees a second) from end to end, both ends and all between composed; empty where no channel carries the stick."""
    arrives = _arriving(document, parts, axis, switches)
    if arrives is None:
        return []
    band = band_us(document.settings, axis)
    places = [index / POINTS for index in range(-POINTS, POINTS + 1)]
    return [(place, asked_dps(document, axis, command_of(arrives(place), band))) for place in places]


def turns_back(points: list[tuple[float, float]]) -> float | None:
    """The stick's place from which on a curve goes back; None where it goes one way all along."""
    way = 1 if points and points[-1][1] >= points[0][1] else -1
    return next((place for (_, before), (place, dps) in pairwise(points) if (dps - before) * way < -1e-6), None)
