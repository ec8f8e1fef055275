"""What is told of the Loom: which wires are rung out."""

from __future__ import annotations

from pydantic import BaseModel, Field

from linkcore.reads import Whole


class LoomTold(BaseModel):
    """The Loom hop."""

    rung: dict[str, str] = Field(description="Wires rung out: their keys, and whether by hand or by signal")


def tell(whole: Whole, _: object) -> LoomTold:
    """The Loom hop."""
    return LoomTold(rung=dict(whole.rung))
