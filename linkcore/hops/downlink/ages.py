"""How often each sensor comes: what the wire brings the receiver, and what of it the air has room for."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import frame_period_s
from linkcore.devices.sensors import LINK_EVERY_S, TELLINGS, Message
from linkcore.parts.sensor_names import SensorName

SPORT_ASKS_S, IBUS_ASKS_S = 0.012, 0.007  # wire facts 8 and 4: from one question to the next
IBUS_ADDRESSES = 15


@dataclass(frozen=True)
class Capacity:
    """The way home through the air: `slots_per_s`, one behind every `every`-th radio frame, with `slot_bytes` each.

    `taken`: the share of them that is asked for, over 1 where not all can come as often as the wire brings it.
    """

    slots_per_s: float
    every: int
    slot_bytes: int
    taken: float

    @property
    def bytes_per_s(self) -> float:
        """What goes through at the most."""
        return self.slots_per_s * self.slot_bytes


@dataclass(frozen=True)
class Ages:
    """How often each sensor comes, s.

    `ids`: how many values the board answers with by turns on one id, 0 where each has its own; `asked_s`: from one question to it to the next, where it is
    asked; `asked_too_few`: sensors that are never asked for.
    """

    every_s: Mapping[SensorName, float]
    capacity: Capacity
    ids: int = 0
    asked_s: float | None = None
    asked_too_few: frozenset[SensorName] = frozenset()


def ages(document: CraftDocument, parts: KitParts, protocol: str, known: Collection[SensorName]) -> Ages:
    """For the sensors that the board knows, on a good link; what is switched off makes room for the others."""
    receiver, telling = parts.receiver, TELLINGS[protocol]
    period, radio = frame_period_s(document.air, receiver), receiver.radio
    off = document.settings.telemetry.off
    messages = telling.said(known, off)
    on_wire, ids, asked_s, too_few = _on_the_wire(protocol, messages, period, parts)
    on_wire = {**on_wire, **{message: LINK_EVERY_S for message in telling.messages if message.by == "receiver"}}
    slots = 1 / (period * radio.downlink_every)
    cost = {message: math.ceil(message.size / radio.downlink_bytes) for message in on_wire}
    taken = sum(cost[message] / every for message, every in on_wire.items()) / slots
    through = _through_the_air(on_wire, cost, slots)
    every_s: dict[SensorName, float] = {}
    for message, every in through.items():
        for name in message.sensors:
            if name in known or message.by == "receiver":
                every_s[name] = max(every_s.get(name, 0.0), every)
    return Ages(every_s, Capacity(slots, radio.downlink_every, radio.downlink_bytes, taken), ids, asked_s, too_few)


def _on_the_wire(
    protocol: str, messages: list[Message], period: float, parts: KitParts
) -> tuple[dict[Message, float], int, float | None, frozenset[SensorName]]:
    """(how often the board says each message, the values on one id, from one question to it to the next, what is never asked for)."""
    telemetry, count = parts.receiver.telemetry, len(messages)
    assert telemetry is not None
    if protocol == "F.Port":
        return dict.fromkeys(messages, count * period), count, period, frozenset()
    if protocol == "S.Port":
        asked = 2 * SPORT_ASKS_S if telemetry.asks == "found first" else telemetry.ids * SPORT_ASKS_S
        return dict.fromkeys(messages, count * asked), count, asked, frozenset()
    if protocol == "IBUS telemetry":
        addresses = min(telemetry.ids, IBUS_ADDRESSES)
        asked_for = messages[:addresses]
        every = 2 * len(asked_for) * IBUS_ASKS_S if telemetry.asks == "found first" else addresses * IBUS_ASKS_S
        return dict.fromkeys(asked_for, every), 0, every, frozenset(name for message in messages[addresses:] for name in message.sensors)
    turn = TELLINGS[protocol].turn_s
    if turn is not None:
        return dict.fromkeys(messages, turn * count), 0, None, frozenset()
    return {message: message.every_s for message in messages}, 0, None, frozenset()


def _through_the_air(on_wire: Mapping[Message, float], cost: Mapping[Message, int], slots: float) -> dict[Message, float]:
    """A row in which each message waits with its newest: those that come seldom pass as they come, the others share what is left, each as often as the next."""
    left, waiting = slots, sorted(on_wire, key=lambda message: -on_wire[message])
    through: dict[Message, float] = {}
    while waiting:
        share = left / sum(cost[message] for message in waiting)  # rounds a second
        message = waiting[0]
        if 1 / on_wire[message] > share:
            through |= dict.fromkeys(waiting, 1 / share)
            break
        through[message] = on_wire[message]
        left -= cost[message] / on_wire[message]
        waiting = waiting[1:]
    return through
