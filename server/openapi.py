"""The OpenAPI schema as a whole: what the fields carry, and the messages of the WebSockets, so that the browser's types come from one place."""

from __future__ import annotations

from typing import Any

from pydantic.json_schema import GenerateJsonSchema, models_json_schema

from linkcore.bench.messages import Act, Answer, Hands, Live, Look, Outage, Report, Trouble, Waiting
from linkcore.craft.document import CraftDocument
from linkcore.findings import Edit
from server.captures.flights import FlightNews
from server.captures.views import ReadingNews
from server.schema import described
from server.tap.messages import OpenTap, TapAct, TapState

_TOLD = (CraftDocument, Edit, Answer, Live, Outage, Report, Trouble, Waiting, TapState, ReadingNews, FlightNews)  # over a WebSocket, or as lines of a stream
_TAKEN = (Hands, Act, Look, OpenTap, TapAct)  # what a browser sends may leave out what has a default


class AllIsSaid(GenerateJsonSchema):
    """What the server sends always has every field: none is left out for being as it is by default, and so no default is needed by who reads it."""

    def field_is_required(self, field: Any, total: bool) -> bool:
        """See GenerateJsonSchema."""
        return True if self.mode == "serialization" else super().field_is_required(field, total)


def add_core_models(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """A drf-spectacular hook: add the models and messages as components."""
    sent = sorted({*described, *_TOLD} - set(_TAKEN), key=repr)
    pairs = [(model, "serialization") for model in sent] + [(model, "validation") for model in _TAKEN]
    definitions: dict[str, Any] = models_json_schema(pairs, ref_template="#/components/schemas/{model}", schema_generator=AllIsSaid)[1]  # type: ignore[arg-type]
    result["components"]["schemas"].update(_plain(definitions["$defs"]))
    return result


def _plain(value: Any) -> Any:
    """Python's tuple schemas (prefixItems) as arrays, which OpenAPI 3.0 knows."""
    if isinstance(value, dict):
        if "prefixItems" in value:
            items = value["prefixItems"]
            return {"type": "array", "items": _plain(items[0]), "minItems": len(items), "maxItems": len(items)}
        return {key: _plain(inner) for key, inner in value.items() if key not in ("propertyNames",)}
    if isinstance(value, list):
        return [_plain(inner) for inner in value]
    return value
