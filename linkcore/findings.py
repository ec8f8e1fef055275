"""What every check says: one finding a fault, with a stable code, its place, why it matters and what mends it."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

Severity = Literal["stop", "warn", "note"]
Hop = Literal["kit", "port plan", "loom", "line", "sticks", "switchboard", "lost link"]
HOPS: tuple[Hop, ...] = ("kit", "port plan", "loom", "line", "sticks", "switchboard", "lost link")


class Edit(BaseModel):
    """One change to the craft document: `path` as a JSON pointer (RFC 6901) from its root."""

    model_config = ConfigDict(frozen=True)
    path: str
    value: Any


class Mend(BaseModel):
    """What would mend a finding. Without edits it is an act of the hands."""

    model_config = ConfigDict(frozen=True)
    text: str
    edits: tuple[Edit, ...] = ()


class Finding(BaseModel):
    """One thing that a check says. `where` names the part, pad or setting."""

    model_config = ConfigDict(frozen=True)
    code: str
    severity: Severity
    hop: Hop
    where: str
    what: str
    why: str
    mends: tuple[Mend, ...] = ()
