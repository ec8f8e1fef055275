"""What every check says: one finding a fault, with a stable code, its place, why it matters and what mends it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

Severity = Literal["stop", "begin", "warn", "note"]  # begin: nothing is wrong; what it asks for has not been begun
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
    path: str = Field(max_length=400)
    value: Any


class Change(BaseModel):
    """What an act on a craft would change, one sentence each, and the edits that do it."""

    says: list[str]
    edits: list[Edit]


class Mend(BaseModel):
    """What would mend a finding: edits of the draft, what hands do on the bench, an act on the board, or the hop (and what to open there) where it is done.

    With none of these it is a sentence: something that only hands can do, or that has to be decided.
    """

    model_config = ConfigDict(frozen=True)
    text: str
    edits: tuple[Edit, ...] = ()
    hands: dict[str, Any] = Field(default_factory=dict, description="What it does on the bench, as the bench understands hands")
    act: Literal["", "write", "restart"] = ""
    go: HopKey | None = None
    panel: str = Field("", description="What to open on that hop")


def all_use(who: Sequence[str]) -> str:
    """*The receiver and the ESC both use*: who shares what is there for one of them; each hop says it alike, and adds what it alone knows."""
    named = [name if name.startswith("the ") else f"the {name}" for name in who]
    text = f"{', '.join(named[:-1])} and {named[-1]} {'both' if len(named) == 2 else 'all'} use"
    return f"{text[0].upper()}{text[1:]}"


def work_it_out(text: str = "Work it out") -> Mend:
    """Let the planner find a place."""
    return Mend(text=text, go="port plan", panel="plan")


def in_model_memory(text: str) -> Mend:
    """Something to be done in the model memory."""
    return Mend(text=text, go="sticks", panel="memory")


Thing = Literal["device", "pin", "pad", "port", "rail", "channel", "axis", "mode", "setting"]


class Ref(BaseModel):
    """One thing that a finding is about. `name` as the craft knows it: of a channel its number, of a setting its path; `of`: the device that a pin belongs to."""

    model_config = ConfigDict(frozen=True)
    thing: Thing
    name: str
    of: str = ""


@dataclass(frozen=True)
class At:
    """Where a fault is: in words for people, and the things themselves. Two are joined with +."""

    text: str
    refs: tuple[Ref, ...] = ()

    def __add__(self, other: At) -> At:
        return At(f"{self.text}, {other.text}", self.refs + other.refs)

    @classmethod
    def device(cls, name: str, text: str = "") -> At:
        """A device by its name in the craft; `board`, `receiver`, `transmitter` and `module` are those of the kit."""
        return cls(text or name, (Ref(thing="device", name=name),))

    @classmethod
    def pin(cls, device: str, name: str, text: str = "") -> At:
        """A device's pin."""
        return cls(text or f"{device} {name}", (Ref(thing="pin", name=name, of=device), Ref(thing="device", name=device)))

    @classmethod
    def pads(cls, *names: str, joined: str = ", ") -> At:
        """The board's pads."""
        return cls(joined.join(names), tuple(Ref(thing="pad", name=name) for name in names))

    @classmethod
    def ports(cls, *names: str) -> At:
        """The board's ports."""
        return cls(", ".join(names), tuple(Ref(thing="port", name=name) for name in names))

    @classmethod
    def rail(cls, name: str) -> At:
        """A rail of the board."""
        return cls(name, (Ref(thing="rail", name=name),))

    @classmethod
    def channel(cls, number: int) -> At:
        """A channel, from 1."""
        return cls(f"CH{number}", (Ref(thing="channel", name=str(number)),))

    @classmethod
    def axes(cls, *names: str) -> At:
        """Axes of the sticks."""
        return cls(", ".join(names), tuple(Ref(thing="axis", name=name) for name in names))

    @classmethod
    def modes(cls, *names: str) -> At:
        """Flight modes; `arm` counts as one."""
        return cls(", ".join(names), tuple(Ref(thing="mode", name=name) for name in names))

    @classmethod
    def setting(cls, path: str, text: str) -> At:
        """A setting by its place in the craft document."""
        return cls(text, (Ref(thing="setting", name=path),))


class Finding(BaseModel):
    """One thing that a check says. `where` names the part, pad or setting for people, `about` the same things for whoever looks them up."""

    model_config = ConfigDict(frozen=True)
    code: str
    severity: Severity
    hop: HopKey
    where: str
    about: tuple[Ref, ...] = ()
    what: str
    why: str
    mends: tuple[Mend, ...] = ()

    def names(self, thing: Thing, name: str) -> bool:
        """Whether the finding is about that thing."""
        return any((ref.thing, ref.name) == (thing, name) for ref in self.about)


@dataclass(frozen=True)
class Check:
    """How one hop's check says its findings."""

    hop: HopKey

    def stop(self, code: str, at: At, what: str, why: str, *mends: Mend) -> Finding:
        """It cannot work so."""
        return self.says("stop", code, at, what, why, *mends)

    def warn(self, code: str, at: At, what: str, why: str, *mends: Mend) -> Finding:
        """It works, and something about it will hurt."""
        return self.says("warn", code, at, what, why, *mends)

    def note(self, code: str, at: At, what: str, why: str, *mends: Mend) -> Finding:
        """Worth knowing."""
        return self.says("note", code, at, what, why, *mends)

    def says(self, severity: Severity, code: str, at: At, what: str, why: str, *mends: Mend) -> Finding:
        """A finding of any severity."""
        return Finding(code=code, severity=severity, hop=self.hop, where=at.text, about=at.refs, what=what, why=why, mends=mends)
