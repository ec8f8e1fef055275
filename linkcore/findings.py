"""What every check says: one finding a fault, with a stable code, its place, why it matters and what mends it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

Severity = Literal["stop", "warn", "note"]
SEVERITIES: tuple[Severity, ...] = get_args(Severity)
HOP_KEYS: list[str] = []  # filled by the registry of hops, in their order


class _AmongTheHops:
    """A hop's key in the schema: one of those that are registered."""

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        return {**handler(schema), "enum": list(HOP_KEYS)} if HOP_KEYS else handler(schema)


HopKey = Annotated[str, _AmongTheHops()]


class Edit(BaseModel):
    """One change to the craft document: `path` as a JSON pointer (RFC 6901) from its root."""

    model_config = ConfigDict(frozen=True)
    path: str
    value: Any


class Change(BaseModel):
    """What an act on a craft would change, one sentence each, and the edits that do it."""

    says: list[str]
    edits: list[Edit]


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
    hop: HopKey
    where: str
    what: str
    why: str
    mends: tuple[Mend, ...] = ()


@dataclass(frozen=True)
class Check:
    """How one hop's check says its findings."""

    hop: HopKey

    def stop(self, code: str, where: str, what: str, why: str, *mends: Mend) -> Finding:
        """It cannot work so."""
        return self.says("stop", code, where, what, why, *mends)

    def warn(self, code: str, where: str, what: str, why: str, *mends: Mend) -> Finding:
        """It works, and something about it will hurt."""
        return self.says("warn", code, where, what, why, *mends)

    def note(self, code: str, where: str, what: str, why: str, *mends: Mend) -> Finding:
        """Worth knowing."""
        return self.says("note", code, where, what, why, *mends)

    def says(self, severity: Severity, code: str, where: str, what: str, why: str, *mends: Mend) -> Finding:
        """A finding of any severity."""
        return Finding(code=code, severity=severity, hop=self.hop, where=where, what=what, why=why, mends=mends)
