"""The two schemas that are kept in the repository, as text."""

from __future__ import annotations

import json
from pathlib import Path

from django.conf import settings
from drf_spectacular.generators import SchemaGenerator

from linkcore.craft.document import CraftDocument

CRAFT_SCHEMA = Path(settings.ROOT) / "docs" / "craft.schema.json"
OPENAPI = Path(settings.ROOT) / "web" / "src" / "api" / "openapi.json"


def craft_schema() -> str:
    """The craft document's JSON Schema (2020-12)."""
    return json.dumps({"$schema": "https://json-schema.org/draft/2020-12/schema"} | CraftDocument.model_json_schema(), indent=2) + "\n"


def openapi() -> str:
    """The API's OpenAPI schema, with the bench's messages among its components."""
    return json.dumps(SchemaGenerator().get_schema(request=None, public=True), indent=1, default=str) + "\n"
