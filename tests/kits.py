"""Random kits, and the demo's crafts by name."""

from __future__ import annotations

import random

from linkcore.craft.document import CraftDocument, Fitted, Kit, Patch, Wants, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board, Module, Peripheral, Receiver, Transmitter
from linkcore.wiring.demands import demands_of, placements
from linkcore.wiring.netlist import plan_edits
from linkcore.wiring.planner import work_out


def random_craft(rng: random.Random, most_devices: int = 9) -> CraftDocument:
    """Any board, any receiver, any devices; half the time already soldered somewhere, some of it fixed."""
    catalogue = shipped()
    board = rng.choice(catalogue.all_of(Board))
    craft = new_craft("Random", "quad X", Kit(board=board.id, receiver=rng.choice(catalogue.all_of(Receiver)).id, transmitter="harrow-16"))
    craft.kit.jumper_fitted = rng.random() < 0.3
    chosen = [rng.choice(catalogue.all_of(Peripheral)) for _ in range(rng.randint(0, most_devices))]
    craft.kit.devices = [Fitted(name=f"device {index}", part=part.id) for index, part in enumerate(chosen)]
    craft.wants = Wants(channels=rng.randint(2, 8), telemetry=rng.random() < 0.5)
    if rng.random() < 0.2:
        craft.settings.ports[rng.choice(board.ports)] = "bench link"
    if rng.random() < 0.5:
        _solder(craft, rng)
    return CraftDocument.model_validate(craft.model_dump())


def _solder(craft: CraftDocument, rng: random.Random) -> None:
    parts = KitParts.of(craft)
    for demand in demands_of(craft, parts):
        places = placements(demand, craft, parts)
        if not places or rng.random() < 0.3:
            continue
        place = rng.choice(places)
        fixed = rng.random() < 0.2
        craft.wiring += [Patch(device=demand.device, pin=pin, pad=pad, fixed=fixed) for pin, pad in place.patches]
        if place.port and craft.settings.ports[place.port] == "free":
            craft.settings.ports[place.port] = demand.job


def planned_craft(receiver: Receiver, *, jumper: bool = False) -> CraftDocument | None:
    """A craft with this receiver, a transmitter that it understands, and the best plan taken; None where the jumper lets nothing send."""
    catalogue = shipped()
    if not receiver.active(jumper):
        return None
    for board in ("ouzel-h7", "dabble-f3"):
        for transmitter in catalogue.all_of(Transmitter):
            for module in ("", *(each.id for each in catalogue.all_of(Module) if transmitter.module_bay)):
                craft = new_craft("Planned", "quad X", Kit(board=board, receiver=receiver.id, transmitter=transmitter.id, module=module, jumper_fitted=jumper))
                craft.wants = Wants(channels=min(4, receiver.channels), telemetry=True)
                parts = KitParts.of(craft)
                if parts.shared_radio() is None or not parts.board.rails_for(receiver.supply):
                    continue
                plans = work_out(craft, parts).plans
                if plans:
                    return apply_edits(craft, plan_edits(craft, parts, plans[0]))
    return None


def every_receiver() -> list[tuple[str, CraftDocument]]:
    """A planned craft for every receiver of the catalogue, one for each way its jumper can be."""
    found = []
    for receiver in shipped().all_of(Receiver):
        for jumper in (False, True) if receiver.jumper else (False,):
            craft = planned_craft(receiver, jumper=jumper)
            if craft is not None:
                found.append((f"{receiver.id}{' with its jumper' if jumper else ''}", craft))
    return found
