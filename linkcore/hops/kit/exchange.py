"""Exchanging a part: which edits it takes, so that what hung on the old one is adapted in sight, never silently."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel

from linkcore.craft.document import PACK, RECEIVER, CraftDocument, CraftError, TransmitterSetup, apply_edits
from linkcore.craft.parts import KitParts, spoken_output
from linkcore.craft.starting import factory_setup, transmitter_setup
from linkcore.findings import Change, Edit
from linkcore.hops.kit.ability import ability, telemetry_of
from linkcore.parts.catalogue import Catalogue
from linkcore.parts.models import Board, Module, Pack, Peripheral, Receiver, Transmitter
from linkcore.protocols.registry import receiver_protocol
from linkcore.wiring.demands import demands_of
from linkcore.wiring.planner import feasible

Role = Literal["board", "receiver", "transmitter", "module", "pack"]
_KINDS: dict[str, Any] = {"board": Board, "receiver": Receiver, "transmitter": Transmitter, "module": Module, "pack": Pack}


def exchange(document: CraftDocument, role: Role, part_id: str, catalogue: Catalogue) -> Change:
    """Put another part into the kit (an empty id takes it out). Raise UnknownPart where the catalogue has none."""
    before = KitParts.of(document, catalogue)
    part = catalogue.of(_KINDS[role], part_id) if part_id else None
    edits = [Edit(path=f"/kit/{role}", value=part_id)]
    says = [f"{role}: {part.name if part else 'none'}"]
    if role == "board" and isinstance(part, Board):
        jobs = document.settings.ports
        ports = {port: jobs.get(port, "free") for port in part.ports} | {port: job for port, job in jobs.items() if port not in part.ports and job != "free"}
        edits.append(Edit(path="/settings/ports", value=ports))
        lost = [pad for pad in dict.fromkeys(patch.pad for patch in document.wiring) if part.pad(pad) is None]
        if lost:
            says.append(f"{len(lost)} wires lead to pads that it lacks: {', '.join(lost)}")
    if role == "transmitter" and isinstance(part, Transmitter):
        old = before.maybe_transmitter
        setup = document.transmitter
        if old is None:
            fresh: TransmitterSetup | None = factory_setup(part, setup.stick_mode)
        elif setup == factory_setup(old, setup.stick_mode):
            fresh = factory_setup(part, setup.stick_mode)
        else:
            untouched = setup == transmitter_setup(old, setup.channel_order, setup.stick_mode)
            fresh = transmitter_setup(part, setup.channel_order, setup.stick_mode) if untouched else None
        if fresh is not None:
            edits.append(Edit(path="/transmitter", value=fresh.model_dump(mode="json")))
            says.append(f"its {len(fresh.channels)} channels set up anew")
        else:
            says.append("its model memory stays as you set it up")
    if role == "receiver" and isinstance(part, Receiver):
        pins = [patch.pin for patch in document.wiring if patch.device == "receiver" and part.pin_called(patch.pin) is None]
        if pins:
            kept = [patch.model_dump(mode="json") for patch in document.wiring if patch.device != "receiver" or patch.pin not in pins]
            edits.append(Edit(path="/wiring", value=kept))
            says.append(f"it has no {' and no '.join(pins)}: {'those wires come' if len(pins) > 1 else 'that wire comes'} off")
        if document.receiver.on_loss not in part.on_loss:
            edits.append(Edit(path="/receiver/on_loss", value=part.on_loss[0]))
            says.append(f"on loss of the link it does not know “{document.receiver.on_loss}”: {part.on_loss[0]} instead")
        if document.kit.jumper_fitted and not part.jumper:
            edits.append(Edit(path="/kit/jumper_fitted", value=False))
    return Change(says=says, edits=edits)


_CALLED = {"ESC telemetry": "ESC", "bench link": "link adapter", "telemetry": "modem", "video transmitter control": "video transmitter"}


def add_device(document: CraftDocument, part: Peripheral) -> Change:
    """One more peripheral, under a name that is free."""
    seen = "camera" if part.films else "video transmitter" if part.airs else None
    wanted = seen or _CALLED.get(part.job or "", part.job) or part.name.replace("-", " ")
    names = {device.name for device in document.kit.devices} | {RECEIVER, PACK, "bench link"}
    name, count = wanted, 2
    while name in names:
        name, count = f"{wanted} {count}", count + 1
    devices = [device.model_dump() for device in document.kit.devices]
    return Change(says=[f"{name}: {part.name}"], edits=[Edit(path="/kit/devices", value=[*devices, {"name": name, "part": part.id}])])


def remove_device(document: CraftDocument, name: str) -> Change:
    """A peripheral and its wires; raise CraftError where there is none of that name."""
    devices = [device.model_dump() for device in document.kit.devices if device.name != name]
    if len(devices) == len(document.kit.devices):
        raise CraftError(f"this craft has no device called {name}")
    kept = [patch.model_dump(mode="json") for patch in document.wiring if patch.device != name]
    off = len(document.wiring) - len(kept)
    says = [f"{name} comes out of the kit"] + ([f"its {off} wires come off"] if off else [])
    noted, turned = _servos_called(document, {name: None})
    edits = [Edit(path="/kit/devices", value=devices), Edit(path="/wiring", value=kept)]
    return Change(says=says, edits=[*edits, Edit(path="/servos_turned", value=noted), Edit(path="/settings/servo_reverse", value=turned)])


def _servos_called(document: CraftDocument, names: dict[str, str | None]) -> tuple[dict[str, bool], list[str]]:
    """(servos as looked at, servos that the board turns) under other names; None: it is gone."""
    noted = {to: turned for name, turned in document.servos_turned.items() if (to := names.get(name, name)) is not None}
    return noted, [to for name in document.settings.servo_reverse if (to := names.get(name, name)) is not None]


def rename_device(document: CraftDocument, name: str, to: str) -> Change:
    """Call a peripheral otherwise; its wires follow. Raise CraftError where there is none, or where the new name is no name or taken."""
    devices = [device.model_dump() | ({"name": to} if device.name == name else {}) for device in document.kit.devices]
    if all(device.name != name for device in document.kit.devices):
        raise CraftError(f"this craft has no device called {name}")
    wires = [patch.model_dump(mode="json") | ({"device": to} if patch.device == name else {}) for patch in document.wiring]
    noted, turned = _servos_called(document, {name: to})
    edits = [Edit(path="/kit/devices", value=devices), Edit(path="/wiring", value=wires)]
    edits += [Edit(path="/servos_turned", value=noted), Edit(path="/settings/servo_reverse", value=turned)]
    apply_edits(document, edits)
    return Change(says=[f"{name} is called {to}; its wires are rung out anew"], edits=edits)


class Fit(BaseModel):
    """A receiver of the catalogue: whether it satisfies this craft's demands, what it would change, or why it does not fit."""

    part: str
    name: str
    fits: bool
    says: list[str]


def what_else_fits(document: CraftDocument, parts: KitParts) -> list[Fit]:
    """Every other receiver of the catalogue, those that fit first. Needs a board and a transmitter."""
    found = []
    for receiver in parts.catalogue.all_of(Receiver):
        if receiver.id != document.kit.receiver:
            found.append(_fit(document, parts, receiver))
    return sorted(found, key=lambda fit: (not fit.fits, len(fit.says), fit.name))


def _fit(document: CraftDocument, parts: KitParts, receiver: Receiver) -> Fit:
    why_not, changes = [], []
    try:
        change = exchange(document, "receiver", receiver.id, parts.catalogue)
        trial = apply_edits(document, change.edits)
    except CraftError as error:
        return Fit(part=receiver.id, name=receiver.name, fits=False, says=[str(error)])
    trial.wiring = [patch for patch in trial.wiring if patch.device != "receiver"]
    best: tuple[int, CraftDocument] | None = None
    for jumper in (False, True):
        trial.kit.jumper_fitted = jumper
        output = spoken_output(trial, receiver)
        if output and (best is None or output.channels > best[0]):
            best = (output.channels, trial.model_copy(deep=True))
    if best is None:
        return Fit(part=receiver.id, name=receiver.name, fits=False, says=["none of its outputs sends"])
    trial = best[1]
    other = KitParts.of(trial, parts.catalogue)
    can, output = ability(trial, other), other.spoken
    if can.air is None:
        why_not.append(f"hears {receiver.radio.name} on {receiver.radio.band} ({receiver.radio.family}), which this transmitter does not speak")
    elif document.wants.region and document.wants.region not in can.regions:
        why_not.append(f"not for {document.wants.region}")
    if can.channels is not None and can.channels < document.wants.channels:
        why_not.append(f"{can.channels} channels, {document.wants.channels} are wanted")
    if document.wants.telemetry and can.telemetry is None:
        why_not.append("no telemetry")
    if not can.rails:
        why_not.append("no rail suits it")
    if not why_not and not feasible(trial, other, demands_of(trial, other)):
        why_not.append("no port or input is left for it")
    if why_not:
        return Fit(part=receiver.id, name=receiver.name, fits=False, says=why_not)
    assert output is not None
    facts = receiver_protocol(output.protocol)
    changes.append(f"{output.protocol}, {can.channels} channels, {facts.step_us:g} us steps, a frame every {_span(facts.period_s)} ms")
    now = parts.maybe_receiver
    was = telemetry_of(now, parts.shared_radio()) if now else None
    if can.telemetry != was:
        changes.append(f"telemetry: {can.telemetry or 'none'} (now {was or 'none'})")
    else:
        changes.append(f"telemetry as now: {was or 'none'}")
    changes.append(f"fed from {can.rails[0]}, {receiver.supply.peak_ma} mA at most")
    if output.jumper:
        changes.append(f"its jumper is fitted, {receiver.jumper}")
    return Fit(part=receiver.id, name=receiver.name, fits=True, says=[*changes, *change.says[1:]])


def _span(period_s: tuple[float, float]) -> str:
    low, high = (f"{each * 1000:g}" for each in period_s)
    return low if low == high else f"{low} to {high}"
