"""What the Kit, Port plan and Loom hops show, as models that the browser's types are made from."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.kit.ability import Ability, ability
from linkcore.hops.kit.exchange import Fit, what_else_fits
from linkcore.hops.kit.starting import StartLine, starting_point
from linkcore.hops.loom.drawing import svg
from linkcore.hops.loom.layout import Picture, lay_out
from linkcore.hops.port_plan.pads import DeviceSpots, PadFacts, device_spots, pad_facts, solder
from linkcore.parts.models import Job
from linkcore.wiring.netlist import RailLoad, UsbLoad, Wire, WireChange, plan_edits, rail_loads, usb_load, wire_changes, wire_list, wires_for
from linkcore.wiring.planner import Clashing, Plan, work_out


class KitView(BaseModel):
    """What the set can do, what else would fit, and the starting point."""

    ability: Ability
    fits: list[Fit]
    starting: list[StartLine]


class JobChange(BaseModel):
    """A port whose job would change."""

    port: str
    before: str
    after: str


class Offer(BaseModel):
    """A plan as a difference from the present one, with the edits that take it."""

    plan: Plan
    wires: list[WireChange]
    jobs: list[JobChange]
    reading: str
    edits: list[Edit]


class WorkedOut(BaseModel):
    """Plans, best first, or the smallest set of demands that clash. `says` where there is nothing to plan."""

    offers: list[Offer]
    clash: list[Clashing]
    says: str = ""


class PlanView(BaseModel):
    """The Port plan: the picture of the signal wires, every pad, every device."""

    picture: Picture
    pads: list[PadFacts]
    devices: list[DeviceSpots]


class LoomView(BaseModel):
    """The Loom: the drawing, the wire list, currents, and the wires rung out."""

    drawing: str
    wires: list[Wire]
    rails: list[RailLoad]
    usb: UsbLoad
    rung: dict[str, str]
    completed: list[WireChange]
    completing: list[Edit]
    crossings: int


Doing = Literal["board", "receiver", "transmitter", "module", "add device", "remove device", "rename device"]


def kit_view(document: CraftDocument, parts: KitParts) -> KitView:
    """The Kit hop."""
    fits = what_else_fits(document, parts) if parts.maybe_board and parts.maybe_transmitter else []
    return KitView(ability=ability(document, parts), fits=fits, starting=starting_point(document))


def plan_view(document: CraftDocument, parts: KitParts) -> PlanView:
    """The Port plan hop; raises UnknownPart before there is a board."""
    return PlanView(picture=lay_out(document, parts, signals_only=True), pads=pad_facts(document, parts), devices=device_spots(document, parts))


def worked_out(document: CraftDocument, parts: KitParts, trial: list[Edit]) -> WorkedOut:
    """Plans for the draft with the trial's edits made; taking an offer makes those as well."""
    tried = apply_edits(document, trial)
    tried_parts = KitParts.of(tried, parts.catalogue)
    _ = tried_parts.board  # without one there is nothing to say
    worked = work_out(tried, tried_parts)
    offers = []
    for plan in worked.plans:
        edits = [*trial, *plan_edits(tried, tried_parts, plan)]
        after = apply_edits(document, edits)
        before = document.settings
        ports = dict.fromkeys([*before.ports, *after.settings.ports])
        jobs = [
            JobChange(port=port, before=before.ports.get(port, "free"), after=after.settings.ports.get(port, "free"))
            for port in ports
            if before.ports.get(port, "free") != after.settings.ports.get(port, "free")
        ]
        reads, was = after.settings.receiver_input, before.receiver_input
        reading = "" if reads == was else f"the receiver is read as {reads.protocol}, {'inverted' if reads.inverted else 'not inverted'}"
        offers.append(Offer(plan=plan, wires=wire_changes(document.wiring, after.wiring), jobs=jobs, reading=reading, edits=edits))
    says = "" if worked.plans or worked.clash else "No device of this kit asks for a port or an input yet. Choose a receiver and devices in the Kit."
    return WorkedOut(offers=offers, clash=worked.clash, says=says)


def soldered(document: CraftDocument, parts: KitParts, device: str, job: Job, pads: list[str]) -> list[Edit]:
    """A device on certain pads, its supply and ground completed."""
    edits = solder(document, parts, device, job, pads)
    after = apply_edits(document, edits)
    mine = [patch for patch in wires_for(after, parts, None) if patch.device == device]
    rest = [patch for patch in after.wiring if patch.device != device]
    return [*edits[1:], Edit(path="/wiring", value=[patch.model_dump(mode="json") for patch in (*rest, *mine)])]


def loom_view(document: CraftDocument, parts: KitParts, rung: dict[str, str]) -> LoomView:
    """The Loom hop; raises UnknownPart before there is a board."""
    picture = lay_out(document, parts)
    completed = wires_for(document, parts, None)
    changes = wire_changes(document.wiring, completed)
    return LoomView(
        drawing=svg(picture, f"Wiring of {document.name}"),
        wires=wire_list(document, parts),
        rails=rail_loads(document, parts),
        usb=usb_load(document, parts),
        rung=rung,
        completed=changes,
        completing=plan_edits(document, parts, None) if changes else [],
        crossings=picture.crossings,
    )
