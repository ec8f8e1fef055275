"""What these parts cannot do together, and what is not chosen yet."""

from __future__ import annotations

from linkcore.craft.airframes import MOTORS
from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts, understand
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.kit.ability import ability, sensor_states
from linkcore.parts.models import Module, Sensor
from linkcore.wiring.netlist import pack_rails

CHECK = Check("kit")


NEEDED_TO_FLY: tuple[Sensor, ...] = ("gyro",)


def check_kit(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """What these parts cannot do together, and what is not chosen yet."""
    findings = unknown_parts(parts)
    unchosen = [each.role for each in parts.missing if not each.part_id]
    if unchosen:
        named = [f"the {role}" for role in unchosen]
        findings.append(
            CHECK.warn(
                "kit.incomplete",
                At.setting("/kit", "kit"),
                f"Not chosen yet: {', '.join(unchosen)}.",
                "What the set can do, and the plan, follow from all three.",
                Mend(text=f"Choose {' and '.join([', '.join(named[:-1]), named[-1]] if named[1:] else named)}", go="kit"),
            )
        )
    if parts.module and parts.maybe_transmitter and not parts.maybe_transmitter.module_bay:
        findings.append(
            CHECK.stop(
                "kit.no-bay",
                At.device("module", parts.module.name),
                f"The {parts.maybe_transmitter.name} has no bay for the {parts.module.name}.",
                "Its radio is fixed.",
                Mend(text="Remove the module", edits=(Edit(path="/kit/module", value=""),)),
            )
        )
    if parts.maybe_receiver and parts.maybe_transmitter:
        findings += _air(document, parts)
    if parts.maybe_receiver:
        findings += _receiver(document, parts)
    if parts.maybe_board:
        findings += [*_supplies(parts), *_drive(document, parts)]
        for state in sensor_states(document, parts):
            if state.says == "missing":
                why = "No craft that steadies itself flies without it." if state.sensor in NEEDED_TO_FLY else "Whatever leans on it will not work."
                wants = [sensor for sensor in document.wants.sensors if sensor != state.sensor]
                mend = Mend(text=f"Do without the {state.sensor}", edits=(Edit(path="/wants/sensors", value=wants),))
                findings.append(
                    CHECK.says(
                        "stop" if state.sensor in NEEDED_TO_FLY else "warn",
                        "kit.sensor-missing",
                        At.setting("/wants/sensors", state.sensor),
                        f"No {state.sensor} is fitted.",
                        why,
                        mend,
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
                    At.device("receiver", heard.name),
                    f"This link cannot be run under {document.wants.region}; it knows {', '.join(sorted(common))}.",
                    "A link of another region may not be used there, and ends of different regions do not hear each other.",
                )
            ]
        return []
    modules = [module.name for module in _modules_for(parts) if transmitter.module_bay]
    mends = (
        (Mend(text=f"Put a module into the bay: {' or '.join(modules)}", go="kit"),)
        if modules
        else (Mend(text="Choose another receiver: see what else would fit", go="kit"),)
    )
    near = next((radio for radio in parts.radios if (radio.name, radio.band) == (heard.name, heard.band)), None)
    if near is not None and near.family != heard.family:
        return [
            CHECK.stop(
                "kit.family",
                At.device("receiver", heard.name),
                f"The transmitter's {near.name} is of the firmware family {near.family}, the {parts.receiver.name}'s of {heard.family}.",
                "Ends of different families never bind.",
                *mends,
            )
        ]
    if near is not None:
        return [
            CHECK.stop(
                "kit.region",
                At.device("receiver", heard.name),
                f"The transmitter is made for {', '.join(near.regions)}, the {parts.receiver.name} for {', '.join(heard.regions)}.",
                "Ends of different regions do not hear each other.",
                *mends,
            )
        ]
    spoken = ", ".join(f"{radio.name} on {radio.band}" for radio in parts.radios) or "nothing"
    return [
        CHECK.stop(
            "kit.no-shared-radio",
            At.device("receiver", heard.name),
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
                At.device("receiver", receiver.name),
                f"{can.channels} channels arrive, {wants.channels} are wanted.",
                f"The limit is {can.channels_limit}.",
                Mend(text=f"Do with {can.channels}", edits=(Edit(path="/wants/channels", value=can.channels),)),
            )
        )
    if wants.telemetry and can.telemetry is None:
        findings.append(
            CHECK.warn(
                "kit.no-telemetry",
                At.device("receiver", receiver.name),
                f"Telemetry is wanted, but the {receiver.name} sends none back.",
                "The pilot will see neither cell voltage nor signal.",
                Mend(text="Do without telemetry", edits=(Edit(path="/wants/telemetry", value=False),)),
            )
        )
    if parts.maybe_board and not can.wire_protocols:
        spoken = ", ".join(output.protocol for output in receiver.outputs)
        findings.append(
            CHECK.stop(
                "kit.cannot-read",
                At.device("board", parts.board.name),
                f"The {parts.board.name} has no pad that can read {spoken}.",
                "The receiver cannot be heard.",
            )
        )
    return findings


def _supplies(parts: KitParts) -> list[Finding]:
    board = parts.board
    findings = []
    for name in parts.wired():
        supply = parts.supply(name)
        full = pack_rails(parts)
        if supply and not any(supply.bears(full.get(rail.name, rail.volts)) for rail in board.rails):
            rails = ", ".join(f"{rail.name} ({full.get(rail.name, rail.volts):g} V)" for rail in board.rails)
            findings.append(
                CHECK.stop(
                    "kit.no-rail",
                    At.device(name),
                    f"{parts.label(name)} needs {supply.min_volts:g} to {supply.max_volts:g} V; the {board.name} has {rails}.",
                    "It needs a regulator of its own, or another board.",
                )
            )
    return findings


def _drive(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """A multirotor needs an ESC for each of its motors."""
    needed = MOTORS.get(document.airframe, 0)
    driven = sum(part.drives for part in parts.devices.values())
    if driven >= needed:
        return []
    have = "there is none in the kit" if not driven else f"the kit's drive {driven}"
    return [
        CHECK.stop(
            "kit.no-drive",
            At.setting("/kit/devices", "ESC"),
            f"A {document.airframe} has {needed} motors, each with an ESC; {have}.",
            "Nothing turns the motors that are left over.",
            Mend(text="Put ESCs into the kit", go="kit"),
        )
    ]


def unknown_parts(parts: KitParts) -> list[Finding]:
    """A finding for every part that the craft names and the catalogue does not have (any more)."""
    return [
        CHECK.stop(
            "kit.no-such-part",
            At.device(each.role),
            f"The catalogue has no {each.part_id} for the {each.role}.",
            "Nothing can be worked out from a part whose facts are not known.",
        )
        for each in parts.missing
        if each.part_id
    ]
