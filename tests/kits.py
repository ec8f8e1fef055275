"""Random kits, and the demo's crafts by name."""

from __future__ import annotations

import random

from linkcore.craft.document import CraftDocument, Fitted, Kit, Patch, Wants
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board, Peripheral, Receiver
from linkcore.ports.demands import demands_of, placements


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
