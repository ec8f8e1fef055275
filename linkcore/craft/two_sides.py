"""What two people changed in one draft at the same time, each by its name and in words."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.craft.names import place_name, setting_name, value_in_words

NOTHING = "none"


class ChangedBy(BaseModel):
    """One thing that is no longer as it was: what it was, what one side made of it, and what the other did. `both`: both changed it, to different values."""

    name: str
    before: str
    mine: str
    theirs: str
    both: bool


def two_sides(before: CraftDocument, mine: CraftDocument, theirs: CraftDocument) -> list[ChangedBy]:
    """Everything that either side changed since `before`; what both changed comes first."""
    was, one, other = (dict(_said(document)) for document in (before, mine, theirs))
    found = []
    for name in dict.fromkeys([*was, *one, *other]):
        old, new, now = (each.get(name, NOTHING) for each in (was, one, other))
        if new != old or now != old:
            found.append(ChangedBy(name=name, before=old, mine=new, theirs=now, both=new != old and now not in (old, new)))
    return sorted(found, key=lambda change: not change.both)


def _said(document: CraftDocument) -> Iterator[tuple[str, str]]:
    """Every leaf of a document with its name; things that have names of their own by those, not by their place in a list."""
    yield from (("Name", document.name), ("About", document.about), ("Airframe", document.airframe), ("Board fed by", document.feed))
    for patch in document.wiring:
        yield f"Wire {patch.device} {patch.pin}", f"to {patch.pad}{' through an inverter' if patch.inverter else ''}{', fixed' if patch.fixed else ''}"
    kit = document.kit.model_dump(mode="json")
    for device in kit.pop("devices"):
        yield f"Device {device['name']}", ", ".join(each for each in (device["part"], device["role"], device["format"]) if each)
    settings = document.settings.model_dump(mode="json")
    for band in settings.pop("modes"):
        yield f"Mode band of {band['mode']}", value_in_words({name: band[name] for name in ("channel", "low", "high")})
    if settings["arming"]:
        yield "Mode band of arm", value_in_words(settings.pop("arming"))
    yield from _leaves(settings, "", setting_name)
    setup = document.transmitter.model_dump(mode="json")
    for number, channel in enumerate(setup.pop("channels"), start=1):
        yield from _leaves(channel, "", lambda path, number=number: f"CH{number} {_plain(path)}")  # type: ignore[misc]
    yield from _leaves({"kit": kit, "wants": document.wants.model_dump(mode="json"), "model memory": setup}, "", _plain)
    yield from _leaves(document.place.model_dump(mode="json") if document.place else {}, "", place_name)
    yield from _leaves({"alarm line": document.alarm.model_dump(mode="json") if document.alarm else {}}, "", _plain)
    for number, alarm in enumerate(document.alarms, start=1):
        yield from _leaves(alarm.model_dump(mode="json"), "", lambda path, number=number: f"Alarm {number} {_plain(path)}")  # type: ignore[misc]
    rest = {name: getattr(document, name) for name in ("servos_turned", "acro_wanted")}
    yield from _leaves({**rest, "receiver": document.receiver.model_dump(mode="json"), "link budget": document.air.model_dump(mode="json")}, "", _plain)


def _plain(path: str) -> str:
    return path.strip("/").replace("/", " ").replace("_", " ")


def _leaves(value: Any, path: str, named: Callable[[str], str]) -> Iterator[tuple[str, str]]:
    if isinstance(value, dict):
        for name, each in value.items():
            yield from _leaves(each, f"{path}/{name}", named)
    else:
        yield named(path), value_in_words(value, path)
