"""A file of parts: an open JSON document that carries parts between workshops.

{"format": "coin-bell/parts", "version": 1, "parts": [facts, ...]}, each part's facts as in the catalogue's data files.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Any

from linkcore.parts.catalogue import PartError, read_part, shipped
from linkcore.parts.models import Part

FORMAT, VERSION = "coin-bell/parts", 1


def own_part(data: Any) -> Part:
    """A part whose facts pass and whose id is not a shipped part's; raise PartError."""
    part = read_part(data)
    if part.id in shipped():
        raise PartError([("id", f"the shipped catalogue has a part {part.id}; choose another id")])
    return part


def facts_of(part: Part) -> dict[str, Any]:
    """A part as JSON data, without what is worked out from its facts."""
    return part.model_dump(mode="json", exclude=set(type(part).model_computed_fields))


def read_parts(data: Any) -> list[Part]:
    """Every part of such a document; raise PartError that lists every fault with its place."""
    if not isinstance(data, dict) or data.get("format") != FORMAT or not isinstance(data.get("parts"), list):
        raise PartError([("", f"this is no parts file: it needs format {FORMAT!r} and a list of parts")])
    if data.get("version") != VERSION:
        raise PartError([("version", f"this Coin Bell reads version {VERSION}; the file has {data.get('version')!r}")])
    problems: list[tuple[str, str]] = []
    good: list[Part] = []
    for index, facts in enumerate(data["parts"]):
        try:
            good.append(own_part(facts))
        except PartError as error:
            problems += [(f"parts/{index}/{place}".rstrip("/"), text) for place, text in error.problems]
    problems += [("parts", f"{part_id} is there twice") for part_id, count in Counter(part.id for part in good).items() if count > 1]
    if problems:
        raise PartError(problems)
    return good


def write_parts(facts: Iterable[dict[str, Any]]) -> dict[str, Any]:
    """The document for those parts' facts."""
    return {"format": FORMAT, "version": VERSION, "parts": list(facts)}
