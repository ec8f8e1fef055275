"""The catalogue: the parts shipped in the data files beside this module, and a workshop's own beside them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from importlib.resources import files
from typing import Annotated, Any, TypeVar

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from linkcore.parts.models import Board, Module, Pack, Part, Peripheral, Receiver, Transmitter

P = TypeVar("P", Board, Receiver, Transmitter, Module, Peripheral, Pack)

PART: TypeAdapter[Part] = TypeAdapter(Annotated[Part, Field(discriminator="kind")])


class UnknownPart(ValueError):
    """A craft names a part that the catalogue does not have."""


class PartError(ValueError):
    """A part cannot be taken. `problems` are (place, sentence) pairs, one a fault."""

    def __init__(self, problems: list[tuple[str, str]]) -> None:
        self.problems = problems
        super().__init__("; ".join(f"{place}: {text}" if place else text for place, text in problems))


class Catalogue(Mapping[str, Part]):
    """Parts by id."""

    def __init__(self, parts: Iterable[Part]) -> None:
        self._parts = {part.id: part for part in parts}

    def __getitem__(self, part_id: str) -> Part:
        return self._parts[part_id]

    def __iter__(self) -> Iterator[str]:
        return iter(self._parts)

    def __len__(self) -> int:
        return len(self._parts)

    def of(self, kind: type[P], part_id: str) -> P:
        """The part of that kind; raise UnknownPart where there is none."""
        found = self._parts.get(part_id)
        if not isinstance(found, kind):
            raise UnknownPart(f"the catalogue has no {kind.__name__.lower()} {part_id!r}")
        return found

    def all_of(self, kind: type[P]) -> list[P]:
        """Every part of that kind, by name."""
        return sorted((each for each in self._parts.values() if isinstance(each, kind)), key=lambda each: each.name)

    def with_own(self, own: Iterable[Part]) -> Catalogue:
        """This catalogue with a workshop's own parts; a shipped part keeps its id."""
        return Catalogue([*(each for each in own if each.id not in self._parts), *self._parts.values()])


def read_part(data: Any) -> Part:
    """A part from JSON data; raise PartError that names every place and what is wrong there."""
    try:
        return PART.validate_python(data)
    except ValidationError as error:
        problems = []
        for each in error.errors():
            place = "/".join(str(step) for step in each["loc"][1:] if not str(step).startswith("function-"))
            problems.append((place, each["msg"].removeprefix("Value error, ")))
        raise PartError(problems) from error


@cache
def part_schemas() -> dict[str, Any]:
    """The JSON Schema of each kind of part, for a form."""
    kinds: dict[str, type[BaseModel]] = {
        "board": Board,
        "receiver": Receiver,
        "transmitter": Transmitter,
        "module": Module,
        "peripheral": Peripheral,
        "pack": Pack,
    }
    return {name: kind.model_json_schema() for name, kind in kinds.items()}


@cache
def shipped() -> Catalogue:
    """The catalogue that ships with the app."""
    entries = sorted(files("linkcore.parts").joinpath("data").iterdir(), key=lambda item: item.name)
    return Catalogue(PART.validate_json(entry.read_bytes()) for entry in entries if entry.name.endswith(".json"))
