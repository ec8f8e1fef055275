"""What every check says: one finding a fault, with a stable code, its place, why it matters and what mends it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

Severity = Literal["stop", "warn", "note"]
Hop = Literal["kit", "port plan", "loom", "load", "bind", "line", "sticks", "switchboard", "lost link"]
HOPS: tuple[Hop, ...] = ("kit", "port plan", "loom", "load", "bind", "line", "sticks", "switchboard", "lost link")


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
    hop: Hop
    where: str
    what: str
    why: str
    mends: tuple[Mend, ...] = ()


@dataclass(frozen=True)
class Check:
    """How one hop's check says its findings."""

    hop: Hop

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
