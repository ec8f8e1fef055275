"""The core's models in DRF's serializers. Each model is described once, by pydantic; here it becomes a field that the OpenAPI schema names."""

from __future__ import annotations

from typing import Any

from drf_spectacular.extensions import OpenApiSerializerFieldExtension
from pydantic import BaseModel
from rest_framework import serializers

described: set[type[BaseModel]] = set()  # every model that some field carries


class CoreField(serializers.JSONField):
    """JSON that is one of the core's models, named in the schema."""

    def __init__(self, model: type[BaseModel], *, many: bool = False, **options: Any) -> None:
        super().__init__(**options)
        self.core_model, self.core_many = model, many
        described.add(model)


class _CoreFieldSchema(OpenApiSerializerFieldExtension):
    target_class = CoreField

    def map_serializer_field(self, auto_schema: Any, direction: str) -> dict[str, Any]:
        """A reference instead of a free object."""
        reference = {"$ref": f"#/components/schemas/{self.target.core_model.__name__}"}
        return {"type": "array", "items": reference} if self.target.core_many else reference
