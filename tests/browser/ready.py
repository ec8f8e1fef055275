"""Demo crafts brought further along, so that a test may begin at the hop that it is about."""

from __future__ import annotations

import scenario
from linkcore.bench.bench import Bench
from linkcore.bench.messages import BenchState
from linkcore.craft.document import BoardSettings, CraftDocument, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.kit.exchange import exchange
from linkcore.parts.catalogue import shipped
from linkcore.wiring.netlist import plan_edits
from linkcore.wiring.planner import work_out
from scenario.bench import as_it_lies
from server.bench.models import BenchRecord
from server.crafts.models import Craft
from server.demo import services as demo


def dunlin_wired() -> CraftDocument:
    """Dunlin with its kit chosen, planned and wired; its Hedge 8 as out of the box."""
    craft = scenario.dunlin()
    for role, part in (("board", "dabble-f3"), ("receiver", "twin-leaf"), ("transmitter", "hedge-8")):
        craft = apply_edits(craft, exchange(craft, role, part, shipped()).edits)
    parts = KitParts.of(craft)
    return apply_edits(craft, plan_edits(craft, parts, work_out(craft, parts).plans[0]))


def take_up(document: CraftDocument, on_board: BoardSettings | None = None) -> None:
    """Let the demo's craft of that name be so: bound, its draft written and running."""
    settings = on_board or document.settings
    craft = Craft.objects.get(workshop__name=demo.CREW, name=document.name)
    Craft.objects.filter(pk=craft.pk).update(document=document.model_dump(mode="json"))
    lies = as_it_lies(document)
    so = {"body": lies.body, "pack_here": lies.pack_here, "drives": lies.drives} if lies else {}
    bench = Bench(document, BenchState(stored=settings, running=settings, read_back=settings, **so))
    BenchRecord.objects.update_or_create(craft=craft, defaults={"state": bench.state().keep()})


def sandpiper_read() -> CraftDocument:
    """Sandpiper with an inverter of its own in the wire, so that its signal reaches the board."""
    craft = scenario.sandpiper()
    wires = [wire.model_dump() | ({"inverter": True} if wire.device == "receiver" and wire.pin == "F.Port" else {}) for wire in craft.wiring]
    return apply_edits(craft, [Edit(path="/wiring", value=wires), Edit(path="/settings/receiver_input/inverted", value=False)])
