"""The chain's coins: each follows from findings and from recorded proofs, never from a click."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from pydantic import BaseModel, Field

from linkcore.binding.rules import check_bind
from linkcore.craft.document import BoardSettings, CraftDocument, section_hashes
from linkcore.craft.names import section_name
from linkcore.craft.parts import KitParts
from linkcore.findings import HOPS, Finding, Hop, Mend
from linkcore.images.check import check_load
from linkcore.images.devices import Installed, Role, all_as_made, devices_of, section_of
from linkcore.kit.ability import check_kit
from linkcore.loom.netlist import wire_key
from linkcore.loom.rules import check_loom
from linkcore.lostlink.timeline import check_lost_link
from linkcore.modes.detents import SwitchMeasure
from linkcore.modes.rules import check_switches
from linkcore.ports.rules import check_ports
from linkcore.sticks.measure import SticksMeasure, check_sticks

Coin = Literal["blank", "rings true", "cracked", "tarnished"]

_SIGNAL = ("kit", "wiring", "settings/ports", "settings/receiver_input")
RESTS_ON: Mapping[Hop, tuple[str, ...]] = {
    "kit": ("kit", "devices", "wants"),
    "port plan": (*_SIGNAL, "devices", "wiring of devices"),
    "loom": ("kit", "devices", "wiring", "wiring of devices"),
    "load": ("kit", "firmware"),
    "bind": ("kit", "firmware", "bind", "settings/bind_count"),
    "line": (*_SIGNAL, "firmware"),
    "sticks": (*_SIGNAL, "transmitter", "settings/channel_map", "settings/stick_lines"),
    "switchboard": (*_SIGNAL, "transmitter", "settings/channel_map", "settings/arming", "settings/arm_by", "settings/stick_arming", "settings/modes"),
    "lost link": (*_SIGNAL, "firmware", "receiver", "settings/arming", "settings/lost_link"),
}


NOTHING_HELD: Mapping[str, Any] = {"firmware": {}, "bind": ""}


class Proof(BaseModel):
    """A recorded test: what was seen, and the hashes of the sections it rests on."""

    hop: Hop
    rests_on: dict[str, str]
    seen: dict[str, Any] = Field(default_factory=dict)

    def holds(self, hashes: Mapping[str, str]) -> bool:
        """Whether nothing that it rests on has changed."""
        return all(hashes.get(section) == digest for section, digest in self.rests_on.items())

    def changed(self, hashes: Mapping[str, str]) -> list[str]:
        """The sections that have changed since."""
        return [section for section, digest in self.rests_on.items() if hashes.get(section) != digest]


class HopState(BaseModel):
    """One hop on the chain. `value` is the one thing that passes there; `flows` whether a signal passes now."""

    hop: Hop
    coin: Coin
    why: str
    value: str = "–"
    flows: bool = False


def held_by_devices(installed: Mapping[Role, Installed], identity: str) -> dict[str, Any]:
    """What the devices themselves hold, as sections that proofs rest on: firmware, and the link identity (hexadecimal) that the receiver listens for."""
    return {"firmware": section_of(installed), "bind": identity}


def foundation(hop: Hop, document: CraftDocument, on_board: BoardSettings, held: Mapping[str, Any]) -> dict[str, str]:
    """The hashes of the sections that a proof of `hop` rests on."""
    hashes = section_hashes(document, on_board, held)
    return {section: hashes[section] for section in RESTS_ON[hop]}


def coin(hop: Hop, findings: list[Finding], proof: Proof | None, hashes: Mapping[str, str]) -> tuple[Coin, str]:
    """(the coin, why it is what it is)."""
    stops = [finding for finding in findings if finding.hop == hop and finding.severity == "stop"]
    if stops:
        return "cracked", stops[0].what
    if proof is None:
        return "blank", "not proven yet"
    if proof.holds(hashes):
        return "rings true", "proven"
    changed = ", ".join(map(section_name, proof.changed(hashes)))
    return "tarnished", f"proven before; changed since: {changed}"


def still_findings(
    document: CraftDocument,
    settings: BoardSettings,
    parts: KitParts,
    measured: SwitchMeasure | None = None,
    installed: Mapping[Role, Installed] | None = None,
    sticks: SticksMeasure | None = None,
) -> list[Finding]:
    """What can be said without a running bench. While the kit is not whole only kit, plan, wires and firmware can be judged; without `installed` as it was made."""
    return [*settled_findings(document, settings, parts, installed), *measured_findings(document, settings, parts, measured, sticks)]


def settled_findings(document: CraftDocument, settings: BoardSettings, parts: KitParts, installed: Mapping[Role, Installed] | None = None) -> list[Finding]:
    """Those that rest on nothing measured: they stay until draft, settings or firmware are others."""
    devices = devices_of(parts)
    runs = all_as_made(devices, document) if installed is None else installed
    found = [*check_kit(document, parts), *check_ports(document, settings, parts), *check_loom(document, parts), *check_load(document, devices, runs)]
    if parts.whole:
        found += [*check_bind(document, settings, parts), *check_lost_link(document, settings, parts.receiver)]
    return found


def measured_findings(
    document: CraftDocument, settings: BoardSettings, parts: KitParts, measured: SwitchMeasure | None, sticks: SticksMeasure | None
) -> list[Finding]:
    """Those of sticks and switches, as far as they have been seen."""
    if not parts.whole:
        return []
    return [*check_sticks(document, settings, parts, sticks), *check_switches(document, settings, measured or SwitchMeasure(), parts)]


def loom_proof(document: CraftDocument, parts: KitParts, on_board: BoardSettings, rung: Mapping[str, str]) -> Proof | None:
    """The loom's proof, once every wire of a fault-free list is rung out. `rung` maps a wire's key to how it was."""
    keys = [wire_key(patch) for patch in document.wiring]
    if not keys or not parts.whole or any(key not in rung for key in keys):
        return None
    if any(finding.severity == "stop" for finding in check_loom(document, parts)):
        return None
    return Proof(hop="loom", rests_on=foundation("loom", document, on_board, NOTHING_HELD), seen={"wires": {key: rung[key] for key in keys}})


def draft_against_board(draft: list[Finding], board: list[Finding]) -> list[Finding]:
    """One list from both: what holds on the board first; what the draft already mends says so; what it adds comes last."""
    in_draft = {(finding.code, finding.where) for finding in draft}
    on_board = {(finding.code, finding.where) for finding in board}
    merged = []
    for finding in board:
        mended = (finding.code, finding.where) not in in_draft
        merged.append(
            finding.model_copy(update={"mends": (Mend(text="Mended in the draft: write it to the board, then restart the board"),)}) if mended else finding
        )
    for finding in draft:
        if (finding.code, finding.where) not in on_board:
            merged.append(finding.model_copy(update={"what": f"In the draft: {finding.what}"}))
    return merged


def kit_value(document: CraftDocument) -> str:
    """The one value of the Kit hop."""
    kit = document.kit
    count = sum(bool(each) for each in (kit.board, kit.receiver, kit.transmitter, kit.module)) + len(kit.devices)
    return f"{count} parts" if count != 1 else "1 part"


def loom_value(document: CraftDocument, rung: Mapping[str, str]) -> str:
    """The one value of the Loom hop."""
    if not document.wiring:
        return "no wires"
    return f"{sum(wire_key(patch) in rung for patch in document.wiring)} of {len(document.wiring)} rung"


def still_chain(
    document: CraftDocument,
    on_board: BoardSettings,
    proofs: Mapping[Hop, Proof],
    parts: KitParts,
    rung: Mapping[str, str] | None = None,
    installed: Mapping[Role, Installed] | None = None,
    identity: str = "",
) -> list[HopState]:
    """The chain of a craft whose bench is not running. `installed` and `identity`: what its devices held when it last ran."""
    runs = all_as_made(devices_of(parts), document) if installed is None else installed
    findings = still_findings(document, on_board, parts, installed=runs)
    values = {"kit": kit_value(document), "loom": loom_value(document, rung or {})}
    hashes = section_hashes(document, on_board, held_by_devices(runs, identity))
    states = []
    for hop in HOPS:
        state, why = coin(hop, findings, proofs.get(hop), hashes)
        states.append(HopState(hop=hop, coin=state, why=why, value=values.get(hop, "–")))
    return states
