"""What this set can do, and the findings on what it cannot."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.craft.parts import KitParts, spoken_output, understand, unknown_parts
from linkcore.findings import Check, Edit, Finding, Mend
from linkcore.parts.models import Module, Output, Radio, Receiver, Sensor
from linkcore.ports.demands import demands_of, placements
from linkcore.protocols.registry import receiver_protocol

CHECK = Check("kit")

NEEDED_TO_FLY: tuple[Sensor, ...] = ("gyro",)


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
    spoken = spoken_output(document, receiver)
    if spoken:
        facts = receiver_protocol(spoken.protocol)
        found.protocol, found.step_us = spoken.protocol, facts.step_us
        found.period_ms = (facts.period_s[0] * 1000, facts.period_s[1] * 1000)
        found.channels, found.channels_limit = _channels(parts, spoken, air)
    found.telemetry = telemetry_of(receiver, air)
    if board:
        found.rails = [rail.name for rail in board.rails_for(receiver.supply)]
    return found


def _channels(parts: KitParts, output: Output, air: Radio | None) -> tuple[int, str]:
    limits = [(output.channels, f"{output.protocol} on the {parts.receiver.name}")]
    if air:
        limits.append((air.channels, f"the air ({air.name})"))
    if parts.maybe_transmitter:
        limits.append((parts.maybe_transmitter.channels, f"the {parts.maybe_transmitter.name}"))
    return min(limits)


def telemetry_of(receiver: Receiver, air: Radio | None) -> str | None:
    """The telemetry that can run from board to transmitter; None where an end has none."""
    if receiver.telemetry is None or not receiver.radio.telemetry or (air is not None and not air.telemetry):
        return None
    return receiver.telemetry.protocol


def _readable(document: CraftDocument, parts: KitParts, output: Output) -> bool:
    trial = document.model_copy(deep=True)
    trial.kit.jumper_fitted = bool(output.jumper)
    trial.settings.receiver_input.protocol = output.protocol
    trial.wiring = []
    demands = [demand for demand in demands_of(trial, parts) if demand.device == RECEIVER and demand.job == "receiver input"]
    return any(placements(demand, trial, parts, fixed={}) for demand in demands)


def sensor_states(document: CraftDocument, parts: KitParts) -> list[SensorState]:
    """Expected sensors against those that board and devices have."""
    fitted: dict[Sensor, list[str]] = {}
    if parts.maybe_board:
        for sensor in parts.maybe_board.sensors:
            fitted.setdefault(sensor, []).append(parts.maybe_board.name)
    for name, part in parts.devices.items():
        for sensor in part.sensors:
            fitted.setdefault(sensor, []).append(name)
    states = []
    for sensor in dict.fromkeys([*document.wants.sensors, *fitted]):
        wanted, there = sensor in document.wants.sensors, fitted.get(sensor, [])
        says = ("fitted" if there else "missing") if wanted else ("fitted, not asked for" if there else "not fitted, not asked for")
        states.append(SensorState.model_validate({"sensor": sensor, "wanted": wanted, "fitted_in": there, "says": says}))
    return states


def check_kit(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """What these parts cannot do together, and what is not chosen yet."""
    findings = unknown_parts(parts)
    unchosen = [each.role for each in parts.missing if not each.part_id]
    if unchosen:
        findings.append(
            CHECK.warn("kit.incomplete", "kit", f"Not chosen yet: {', '.join(unchosen)}.", "What the set can do, and the plan, follow from all three.")
        )
    if parts.module and parts.maybe_transmitter and not parts.maybe_transmitter.module_bay:
        findings.append(
            CHECK.stop(
                "kit.no-bay",
                parts.module.name,
                f"The {parts.maybe_transmitter.name} has no bay for the {parts.module.name}.",
                "Its radio is fixed.",
                Mend(text="Leave the module out", edits=(Edit(path="/kit/module", value=""),)),
            )
        )
    if parts.maybe_receiver and parts.maybe_transmitter:
        findings += _air(document, parts)
    if parts.maybe_receiver:
        findings += _receiver(document, parts)
    if parts.maybe_board:
        findings += _supplies(parts)
        for state in sensor_states(document, parts):
            if state.says == "missing":
                why = "No craft that steadies itself flies without it." if state.sensor in NEEDED_TO_FLY else "Whatever leans on it will not work."
                wants = [sensor for sensor in document.wants.sensors if sensor != state.sensor]
                mend = Mend(text=f"Do without the {state.sensor}", edits=(Edit(path="/wants/sensors", value=wants),))
                findings.append(
                    CHECK.says(
                        "stop" if state.sensor in NEEDED_TO_FLY else "warn", "kit.sensor-missing", state.sensor, f"No {state.sensor} is fitted.", why, mend
                    )
                )
    return findings


def _air(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """Do both ends understand each other?"""
    heard, transmitter = parts.receiver.radio, parts.transmitter
    shared = parts.shared_radio()
    if shared:
        common = set(shared.regions) & set(heard.regions)
        if document.wants.region and document.wants.region not in common:
            return [
                CHECK.stop(
                    "kit.region",
                    heard.name,
                    f"This link cannot be run under {document.wants.region}; it knows {', '.join(sorted(common))}.",
                    "A link of another region may not be used there, and ends of different regions do not hear each other.",
                )
            ]
        return []
    modules = [module.name for module in _modules_for(parts) if transmitter.module_bay]
    mends = (Mend(text=f"Put a module into the bay: {' or '.join(modules)}"),) if modules else (Mend(text="Choose another receiver: see what else would fit"),)
    near = next((radio for radio in parts.radios if (radio.name, radio.band) == (heard.name, heard.band)), None)
    if near is not None and near.family != heard.family:
        return [
            CHECK.stop(
                "kit.family",
                heard.name,
                f"The transmitter's {near.name} is of the firmware family {near.family}, the {parts.receiver.name}'s of {heard.family}.",
                "Ends of different families never bind.",
                *mends,
            )
        ]
    if near is not None:
        return [
            CHECK.stop(
                "kit.region",
                heard.name,
                f"The transmitter is made for {', '.join(near.regions)}, the {parts.receiver.name} for {', '.join(heard.regions)}.",
                "Ends of different regions do not hear each other.",
                *mends,
            )
        ]
    spoken = ", ".join(f"{radio.name} on {radio.band}" for radio in parts.radios) or "nothing"
    return [
        CHECK.stop(
            "kit.no-shared-radio",
            heard.name,
            f"The {parts.receiver.name} hears {heard.name} on {heard.band}; the {transmitter.name} speaks {spoken}.",
            "No frame will ever cross the air.",
            *mends,
        )
    ]


def _modules_for(parts: KitParts) -> list[Module]:
    return [module for module in parts.catalogue.all_of(Module) if any(understand(radio, parts.receiver.radio) for radio in module.radios)]


def _receiver(document: CraftDocument, parts: KitParts) -> list[Finding]:
    receiver, can, wants = parts.receiver, ability(document, parts), document.wants
    findings = []
    if can.channels is not None and can.channels < wants.channels:
        findings.append(
            CHECK.stop(
                "kit.too-few-channels",
                receiver.name,
                f"{can.channels} channels arrive, {wants.channels} are wanted.",
                f"The limit is {can.channels_limit}.",
                Mend(text=f"Do with {can.channels}", edits=(Edit(path="/wants/channels", value=can.channels),)),
            )
        )
    if wants.telemetry and can.telemetry is None:
        findings.append(
            CHECK.warn(
                "kit.no-telemetry",
                receiver.name,
                f"Telemetry is wanted, but the {receiver.name} sends none back.",
                "The pilot will see neither cell voltage nor signal.",
                Mend(text="Do without telemetry", edits=(Edit(path="/wants/telemetry", value=False),)),
            )
        )
    if parts.maybe_board and not can.wire_protocols:
        spoken = ", ".join(output.protocol for output in receiver.outputs)
        findings.append(
            CHECK.stop("kit.cannot-read", parts.board.name, f"The {parts.board.name} has no pad that can read {spoken}.", "The receiver cannot be heard.")
        )
    return findings


def _supplies(parts: KitParts) -> list[Finding]:
    board = parts.board
    findings = []
    for name in parts.wired():
        supply = parts.supply(name)
        if supply and not any(supply.bears(rail.volts) for rail in board.rails):
            rails = ", ".join(f"{rail.name} ({rail.volts:g} V)" for rail in board.rails)
            findings.append(
                CHECK.stop(
                    "kit.no-rail",
                    name,
                    f"{parts.label(name)} needs {supply.min_volts:g} to {supply.max_volts:g} V; the {board.name} has {rails}.",
                    "It needs a regulator of its own, or another board.",
                )
            )
    return findings
