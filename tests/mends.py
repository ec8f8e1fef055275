"""Kits that are wired any way at all, and what every mend of every finding on them does: the finding goes, and nothing gets worse."""

from __future__ import annotations

import random

from linkcore.chain import still_findings
from linkcore.craft.document import CraftDocument, CraftError, Patch, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.findings import Finding
from tests.crafts import whole_of
from tests.kits import random_craft

MOST_STRAY = 4


def miswired(seed: int) -> CraftDocument:
    """A random kit, some of it soldered, and up to four wires from anywhere to anywhere."""
    rng = random.Random(seed)
    craft = random_craft(rng, 6)
    parts = KitParts.of(craft)
    wired = parts.wired()
    for _ in range(rng.randint(0, MOST_STRAY)):
        device = rng.choice(list(wired))
        craft.wiring.append(Patch(device=device, pin=rng.choice(wired[device].pins).name, pad=rng.choice(parts.board.pads).name))
    return CraftDocument.model_validate(craft.model_dump())


def found(craft: CraftDocument) -> list[Finding]:
    """What is said of it, fresh from its makers."""
    return still_findings(whole_of(craft))


def wrong_mends(craft: CraftDocument) -> tuple[int, list[str]]:
    """(how many mends were tried, what was wrong with some): the edits cannot be made, the finding stays, a stop comes that was not there."""
    before, wrong, tried = found(craft), [], 0
    known = {(each.code, each.where) for each in before}
    for finding in before:
        for mend in finding.mends:
            if not mend.edits:
                continue
            tried += 1
            said = f"{finding.code} at {finding.where}, “{mend.text}”"
            try:
                after = found(apply_edits(craft, mend.edits))
            except CraftError as error:
                wrong.append(f"{said}: {error}")
                continue
            if (finding.code, finding.where) in {(each.code, each.where) for each in after}:
                wrong.append(f"{said}: the finding stays")
            wrong += [f"{said}: brings {each.code}, {each.what}" for each in after if each.severity == "stop" and (each.code, each.where) not in known]
    return tried, wrong
