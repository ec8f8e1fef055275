"""A file of one model memory: an open JSON document that carries it between crafts, and out of the app.

{"format": "coin-bell/model-memory", "version": 1, "memory": {...}}, the memory as in a craft document's section `transmitter`.
"""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from linkcore.craft.document import ChannelSetup, CraftDocument, CraftError, TransmitterSetup, first_fault
from linkcore.devices.model_memory import order_of
from linkcore.findings import Change, Edit
from linkcore.hops.sticks.memory_rules import LAYOUT_WORDS
from linkcore.parts.models import Transmitter

FORMAT, VERSION = "coin-bell/model-memory", 1
DIAL_WORDS = {
    "source": "source",
    "reverse": "reverse",
    "sub_trim_us": "sub-trim",
    "travel_low_percent": "low travel",
    "travel_high_percent": "high travel",
    "curve": "curve",
}


def write_memory(setup: TransmitterSetup, part: Transmitter) -> dict[str, Any]:
    """The document for a model memory; it names the transmitter that its figures are meant for."""
    named = setup.model_copy(update={"made_for": setup.made_for or part.id})
    return {"format": FORMAT, "version": VERSION, "memory": named.model_dump(mode="json")}


def read_memory(data: Any) -> TransmitterSetup:
    """The model memory of such a document; raise CraftError that names the place and what to do."""
    if not isinstance(data, dict) or data.get("format") != FORMAT or not isinstance(data.get("memory"), dict):
        raise CraftError(f"this is no model memory: it needs format {FORMAT!r} and a memory")
    if data.get("version") != VERSION:
        raise CraftError(f"version: this Coin Bell reads version {VERSION} of a model memory; the file has {data.get('version')!r}")
    try:
        return TransmitterSetup.model_validate(data["memory"])
    except ValidationError as error:
        raise CraftError(f"memory/{first_fault(error)}; nothing was changed") from error


def take_memory(document: CraftDocument, data: Any) -> Change:
    """What the model memory in a file would change in a craft; one that was made for another transmitter gives findings once it is taken."""
    old, new = document.transmitter, read_memory(data)
    if old == new:
        return Change(says=["The file has the same model memory; nothing would change."], edits=[])
    return Change(says=_differences(old, new), edits=[Edit(path="/transmitter", value=new.model_dump(mode="json"))])


def _differences(old: TransmitterSetup, new: TransmitterSetup) -> list[str]:
    says = []
    if order_of(new) != order_of(old):
        says.append(f"Order {order_of(new) or 'unknown'} instead of {order_of(old) or 'unknown'}.")
    if new.stick_mode != old.stick_mode:
        says.append(f"Stick mode {new.stick_mode} instead of {old.stick_mode}.")
    if new.layout != old.layout:
        says.append(f"Model type {LAYOUT_WORDS[new.layout]} instead of {LAYOUT_WORDS[old.layout]}.")
    if len(new.channels) != len(old.channels):
        says.append(f"{len(new.channels)} channels instead of {len(old.channels)}.")
    changed = {number: _changed(one, other) for number, (one, other) in enumerate(zip(old.channels, new.channels, strict=False), 1)}
    says += [f"CH{number}: another {', '.join(words)}." for number, words in changed.items() if words]
    for name, what in (("mixes", "Mixes"), ("rates", "Rates"), ("trims_us", "Trims")):
        if getattr(new, name) != getattr(old, name):
            says.append(f"{what}: {len(getattr(new, name))} instead of {len(getattr(old, name))}.")
    if (new.slot, new.module, new.made_for) != (old.slot, old.module, old.made_for):
        says.append(f"Memory {new.slot}, {new.module or 'its usual radio'}, made for {new.made_for or 'a transmitter not named'}.")
    return says or ["Small print only."]


def _changed(old: ChannelSetup, new: ChannelSetup) -> list[str]:
    return [words for name, words in DIAL_WORDS.items() if getattr(old, name) != getattr(new, name)]
