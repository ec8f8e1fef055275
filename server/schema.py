"""The core's models in the OpenAPI schema, so that the browser's types come from one place."""

from __future__ import annotations

from typing import Any

from drf_spectacular.extensions import OpenApiSerializerFieldExtension
from pydantic.json_schema import models_json_schema
from rest_framework import serializers

from linkcore.chain import HopState
from linkcore.craft.document import CraftDocument
from linkcore.findings import Edit
from linkcore.parts.models import Board, Module, Peripheral, Receiver, Transmitter
from linkcore.standins.messages import Act, Answer, Hands, Live, Report, Trouble, Waiting
from server.captures.views import FrameView, PortComparison, ReadingNews, WindowView
from server.planning.views import ExchangeView, KitView, LoomView, PlanView, WorkedOut
from server.shelf.views import BindHop, FlashView, ImageRow, LoadHop, ReadView
from server.tap.messages import OpenTap, TapAct, TapState

_SENT = (
    Answer,
    Live,
    Report,
    Trouble,
    Waiting,
    HopState,
    Board,
    Receiver,
    Transmitter,
    Module,
    Peripheral,
    KitView,
    PlanView,
    WorkedOut,
    LoomView,
    ExchangeView,
    ReadingNews,
    FrameView,
    WindowView,
    PortComparison,
    TapState,
    ImageRow,
    ReadView,
    LoadHop,
    FlashView,
    BindHop,
)
_TAKEN = (Hands, Act, CraftDocument, Edit, OpenTap, TapAct)


def add_core_models(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """A drf-spectacular hook: add the message models, the craft document and the parts as components."""
    pairs = [(model, "serialization") for model in _SENT] + [(model, "validation") for model in _TAKEN]
    definitions: dict[str, Any] = models_json_schema(pairs, ref_template="#/components/schemas/{model}")[1]  # type: ignore[arg-type]
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


class CoreField(serializers.JSONField):
    """JSON that is one of the core's models, named in the schema."""

    def __init__(self, model: str, *, many: bool = False, **options: Any) -> None:
        super().__init__(**options)
        self.core_model, self.core_many = model, many


class _CoreFieldSchema(OpenApiSerializerFieldExtension):
    target_class = CoreField

    def map_serializer_field(self, auto_schema: Any, direction: str) -> dict[str, Any]:
        """A reference instead of a free object."""
        reference = {"$ref": f"#/components/schemas/{self.target.core_model}"}
        return {"type": "array", "items": reference} if self.target.core_many else reference
