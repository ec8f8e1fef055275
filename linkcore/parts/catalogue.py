"""The shipped catalogue, read from the data files beside this module."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from typing import Annotated, TypeVar

from pydantic import Field, TypeAdapter

from linkcore.parts.models import Board, Part, Receiver, Transmitter

P = TypeVar("P", Board, Receiver, Transmitter)


class UnknownPart(ValueError):
    """A craft names a part that the catalogue does not have."""


@cache
def catalogue() -> Mapping[str, Part]:
    """Every part by id."""
    adapter: TypeAdapter[Part] = TypeAdapter(Annotated[Part, Field(discriminator="kind")])
    parts = {}
    for entry in sorted(files("linkcore.parts").joinpath("data").iterdir(), key=lambda item: item.name):
        if entry.name.endswith(".json"):
            part = adapter.validate_json(entry.read_bytes())
            parts[part.id] = part
    return parts


def part(kind: type[P], part_id: str) -> P:
    """The part of that kind; raise UnknownPart where there is none."""
    found = catalogue().get(part_id)
    if not isinstance(found, kind):
        raise UnknownPart(f"the catalogue has no {kind.__name__.lower()} {part_id!r}")
    return found
