"""Things that are dear to work out and seldom change: kept until what they rest on is another."""

from __future__ import annotations

import operator
from collections.abc import Callable
from typing import Any, TypeVar

T = TypeVar("T")


KEPT = 3  # of each thing: it is asked of what the board runs, of its draft, and of views that show more or less of them


class Kept:
    """Keeps each thing with what it was worked out for: objects that must be the same, and a key that must be equal."""

    def __init__(self) -> None:
        self._things: dict[str, list[tuple[tuple[Any, ...], object, Any]]] = {}

    def get(self, name: str, same: tuple[Any, ...], key: object, work_out: Callable[[], T]) -> T:
        """What is kept under a name, worked out anew where any of `same` is another object or the key differs from those that it was asked for of late."""
        things = self._things.setdefault(name, [])
        for place, known in enumerate(things):
            if known[1] == key and len(known[0]) == len(same) and all(map(operator.is_, known[0], same)):
                if place:
                    things.insert(0, things.pop(place))
                found: T = known[2]
                return found
        found = work_out()
        things.insert(0, (same, key, found))
        del things[KEPT:]
        return found


def made_of(kind: type[T], /, **values: Any) -> T:
    """A model of just these values, of which nothing is checked and nothing left to a default: for what comes many times a second from our own hands."""
    made = object.__new__(kind)
    _put(made, "__dict__", values)
    _put(made, "__pydantic_fields_set__", set(values))
    _put(made, "__pydantic_extra__", None)
    _put(made, "__pydantic_private__", None)
    return made


_put = object.__setattr__
