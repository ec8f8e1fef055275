"""What hands can do, in parts: whoever understands a part of it declares that part."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Unit = Annotated[float, Field(ge=-1, le=1)]


class HandsPart(BaseModel):
    """A part of what the pilot's hands do. Whatever is left out stays as it is."""

    model_config = ConfigDict(extra="forbid")


class Stick(HandsPart):
    """A gimbal: right and up positive."""

    x: Unit
    y: Unit
