"""What this set can do, and the findings on what it cannot."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.arriving import arriving
from linkcore.parts.models import Output, Radio, Receiver, Sensor
from linkcore.protocols.registry import receiver_protocol
from linkcore.wiring.demands import channels_of, places_on


class SensorState(BaseModel):
    """One sensor: whether the craft should have it, and which part has it (empty: none is fitted)."""

    sensor: Sensor
    wanted: bool
    fitted_in: list[str]
    says: Literal["fitted", "missing", "fitted, not asked for", "not fitted, not asked for"]


class Ability(BaseModel):
    """What the set can do. None and empty: not known before the parts are chosen, or not possible (the findings say which)."""

    air: Radio | None = None
    regions: list[str] = []
    wire_protocols: list[str] = []
    protocol: str | None = None
    channels: int | None = None
    channels_limit: str = ""
    step_us: float | None = None
    period_ms: tuple[float, float] | None = None
    telemetry: str | None = None
    rails: list[str] = []
    sensors: list[SensorState] = []


def ability(document: CraftDocument, parts: KitParts) -> Ability:
    """Worked out from the facts of the parts that are chosen so far."""
    found = Ability(sensors=sensor_states(document, parts))
    receiver, board = parts.maybe_receiver, parts.maybe_board
    if receiver is None:
        return found
    air = parts.shared_radio()
    found.air = air
    if air:
        found.regions = [region for region in air.regions if region in receiver.radio.regions]
    outputs = [output for output in receiver.outputs if board is None or _readable(document, parts, output)]
    found.wire_protocols = list(dict.fromkeys(output.protocol for output in outputs))
    spoken = parts.spoken
    if spoken:
        facts = receiver_protocol(spoken.protocol)
        found.protocol, found.step_us = spoken.protocol, facts.step_us
        found.period_ms = (facts.period_s[0] * 1000, facts.period_s[1] * 1000)
        come = arriving(parts, air.channels if air else None, air.name if air else "")
        if come is not None:
            found.channels, found.channels_limit = come.channels, come.limit
            if receiver.rssi_channel is not None and receiver.rssi_channel <= come.channels:
                found.channels -= 1
                found.channels_limit = f"{come.limit}; CH{receiver.rssi_channel} carries RSSI"
    found.telemetry = telemetry_of(receiver, air)
    if board:
        found.rails = [rail.name for rail in board.rails_for(receiver.supply)]
    return found


def telemetry_of(receiver: Receiver, air: Radio | None) -> str | None:
    """The telemetry that can run from board to transmitter; None where an end has none."""
    if receiver.telemetry is None or not receiver.radio.telemetry or (air is not None and not air.telemetry):
        return None
    return receiver.telemetry.protocol


def _readable(document: CraftDocument, parts: KitParts, output: Output) -> bool:
    """Whether the board has a place for an output, whatever else is wired: the ports of its USB bridge aside."""
    links = [parts.board.link_port] if parts.board.link_port else []
    return any(places_on(parts.board, links, demand, variant) for demand in [channels_of(document, parts.receiver, output)] for variant in demand.variants)


def sensor_states(document: CraftDocument, parts: KitParts) -> list[SensorState]:
    """Expected sensors against those that board and devices have."""
    fitted = parts.sensors
    states = []
    for sensor in dict.fromkeys([*document.wants.sensors, *fitted]):
        wanted, there = sensor in document.wants.sensors, fitted.get(sensor, [])
        says = ("fitted" if there else "missing") if wanted else ("fitted, not asked for" if there else "not fitted, not asked for")
        states.append(SensorState.model_validate({"sensor": sensor, "wanted": wanted, "fitted_in": there, "says": says}))
    return states
