"""What a rule or a proof may read: a projection of the craft and of what its devices hold, and the hashes of what is in it.

Whoever declares what it reads is handed a view of just that; anything else cannot be read from it, so nothing that a proof was judged by can be missing
from what it rests on.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Any, Literal, NoReturn, get_args

from pydantic import BaseModel

from linkcore.craft.document import (
    RECEIVER,
    AccelerometerSetup,
    AirSetup,
    AnswerSetup,
    BoardSettings,
    CraftDocument,
    DriveSetup,
    Fitted,
    Kit,
    LevelTrim,
    MixingSetup,
    Patch,
    PowerSetup,
    ScreenSetup,
    TelemetrySetup,
)
from linkcore.craft.facing import Facing
from linkcore.craft.parts import KitParts
from linkcore.devices.firmware import Installed, Role, all_as_made, devices_of
from linkcore.kept import Kept, made_of
from linkcore.marks import LATER, KeptAs

_OWN_WORDS = ("name", "about")  # of a part: what it is called is no fact about it


Handled = Literal["board", "motors", "ESCs", "servos"]
HANDLED: tuple[Handled, ...] = get_args(Handled)  # what hands can mount or wire otherwise without anything of it being set otherwise


class NotInView(AttributeError):
    """A rule or a proof asked for what it has not declared to read."""


class Whole:
    """All that is known of a craft when it is judged. `craft.settings` are those that count: what the board runs, or what the draft would make of it.

    `installed`: what its devices run; `identity`: the link identity (hexadecimal) that the receiver listens for, and the count of a satellite that was bound by one; `rung`: wires that are rung out, and how;
    `handled`: how often hands were at what nobody can read from outside, by its name in HANDLED.
    """

    def __init__(
        self,
        document: CraftDocument,
        settings: BoardSettings,
        parts: KitParts,
        installed: Mapping[Role, Installed] | None = None,
        identity: str = "",
        rung: Mapping[str, str] | None = None,
        handled: Mapping[Handled, int] | None = None,
    ) -> None:
        self.document, self.settings = document, settings
        self.craft = document if settings is document.settings else document.model_copy(update={"settings": settings})
        self.parts = parts
        self.installed = all_as_made(devices_of(parts), document) if installed is None else installed
        self.identity = identity
        self.rung: Mapping[str, str] = rung or {}
        self.handled: Mapping[Handled, int] = handled or {}
        self._digests: dict[str, str] = {}
        self._views: dict[tuple[str, ...], View] = {}
        self._foundations: dict[tuple[str, ...], dict[str, str]] = {}
        self.kept = Kept()  # what was worked out of just this

    def flashable(self, role: Role) -> bool:
        """Whether a device runs a program that can be lost."""
        device = devices_of(self.parts).get(role)
        return device is not None and device.flash is not None

    def digest(self, key: str) -> str:
        """The hash of what stands under a key."""
        if key not in self._digests:
            self._digests[key] = digest(SECTIONS[key](self))
        return self._digests[key]


@dataclass(frozen=True)
class View:
    """What one rule or proof is handed: craft, parts, firmware and identity, as far as it has declared to read them."""

    craft: CraftDocument
    parts: KitParts
    _installed: Mapping[Role, Installed] | None
    _identity: str | None
    _rung: Mapping[str, str] | None

    @property
    def installed(self) -> Mapping[Role, Installed]:
        """What every device runs."""
        return _not_in_view("firmware") if self._installed is None else self._installed

    @property
    def identity(self) -> str:
        """The link identity that the receiver listens for, hexadecimal; empty where it knows nobody."""
        return _not_in_view("bind") if self._identity is None else self._identity

    @property
    def rung(self) -> Mapping[str, str]:
        """Wires that are rung out: their keys, and how."""
        return _not_in_view("rung") if self._rung is None else self._rung


@dataclass(frozen=True)
class Reads:
    """Names what may be read: the keys of SECTIONS. With parts come the facts that the catalogue has of them."""

    keys: tuple[str, ...]
    _all: tuple[str, ...] = field(init=False, repr=False)

    def __init__(self, *keys: str) -> None:
        unknown = [key for key in keys if key not in SECTIONS and key not in _SEEN]
        if unknown:
            raise ValueError(f"there is nothing to read under {', '.join(unknown)}")
        object.__setattr__(self, "keys", keys)
        object.__setattr__(self, "_all", tuple(dict.fromkeys(each for key in keys for each in (key, *_COMES_WITH.get(key, ())) if each not in _SEEN)))

    def view(self, whole: Whole) -> View:
        """The projection."""
        known = whole._views.get(self.keys)
        if known is None:
            known = whole._views[self.keys] = View(
                _craft_in_view(whole, set(self.keys)),
                _parts_in_view(whole.parts, set(self.keys)),
                whole.installed if "firmware" in self.keys else None,
                whole.identity if "bind" in self.keys else None,
                whole.rung if "rung" in self.keys else None,
            )
        return known

    def foundation(self, whole: Whole) -> dict[str, str]:
        """The hashes of all that is in the projection, each under its key."""
        known = whole._foundations.get(self.keys)
        if known is None:
            known = whole._foundations[self.keys] = {key: whole.digest(key) for key in self._all if key not in _LATER or SECTIONS[key](whole) != _LATER[key]}
        return known


# --- what there is to read --------------------------------------------------------------------------------------


def _wires(whole: Whole, *, receiver: bool) -> list[list[Any]]:
    """Wires in an order of their own: that of the list joins nothing, and whether one is fixed is a wish for the planner."""
    return sorted([each.device, each.pin, each.pad, each.inverter] for each in whole.craft.wiring if (each.device == RECEIVER) == receiver)


def _facts(*parts: BaseModel | None) -> list[str | None]:
    """What the catalogue says of parts, each as a hash: parts never change, and are many craft's."""
    return [None if each is None else _known_facts.of(each) for each in parts]


class _KnownFacts:
    """Hashes of parts by their identity; each part is kept with its own, so that no other can take its place."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[BaseModel, str]] = {}

    def of(self, part: BaseModel) -> str:
        """The hash of all but what it is called."""
        known = self._known.get(id(part))
        if known is None:
            if len(self._known) >= _MOST_PARTS:
                self._known.clear()
            known = self._known[id(part)] = (part, digest(part.model_dump(mode="json", exclude={*_OWN_WORDS, *unused(part)})))
        return known[1]


_MOST_PARTS = 2000
_known_facts = _KnownFacts()


def _setting(name: str) -> Callable[[Whole], Any]:
    return lambda whole: getattr(whole.craft.settings, name)


def _of_craft(name: str) -> Callable[[Whole], Any]:
    return lambda whole: getattr(whole.craft, name)


def _hands_at(name: Handled) -> Callable[[Whole], Any]:
    return lambda whole: whole.handled.get(name, 0)


_DIRECT = (
    "airframe",
    "wants",
    "feed",
    "receiver",
    "air",
    "servos_turned",
    "acro_wanted",
    "place",
    "alarm",
    "alarms",
)  # fields of the document that are read whole
SECTIONS: Mapping[str, Callable[[Whole], Any]] = {
    "kit": lambda whole: {name: value for name, value in stable(whole.craft.kit).items() if name not in ("devices", "pack")},
    "parts": lambda whole: _facts(whole.parts.maybe_board, whole.parts.maybe_receiver, whole.parts.maybe_transmitter, whole.parts.module),
    "board": lambda whole: [whole.craft.kit.board, *_facts(whole.parts.maybe_board)],
    "pack": lambda whole: [whole.craft.kit.pack, *_facts(whole.parts.pack)],
    "devices": lambda whole: sorted([each.name, each.part] for each in whole.craft.kit.devices),
    "parts of devices": lambda whole: {name: _facts(part) for name, part in whole.parts.devices.items()},
    "servo roles": lambda whole: {each.name: each.role for each in whole.craft.kit.devices if each.role},
    "video format": lambda whole: {each.name: each.format for each in whole.craft.kit.devices if each.format},
    "sensors": lambda whole: sorted(whole.parts.sensors),
    "compass": lambda whole: {name: _facts(part) for name, part in whole.parts.devices.items() if "magnetometer" in part.sensors},
    "receiver's output": lambda whole: whole.parts.spoken,
    "wiring": lambda whole: _wires(whole, receiver=True),
    "wiring of devices": lambda whole: _wires(whole, receiver=False),
    "transmitter": lambda whole: {name: value for name, value in stable(whole.craft.transmitter).items() if name != "made_for"},
    "made for": lambda whole: whole.craft.transmitter.made_for,
    "frame rate": lambda whole: whole.craft.air.rate_hz,
    "kind of drive": lambda whole: whole.craft.settings.drive.kind,
    "firmware": lambda whole: {role: each.facts for role, each in sorted(whole.installed.items())},
    "programs": lambda whole: sorted(role for role, each in whole.installed.items() if each.facts is None and whole.flashable(role)),
    "bind": lambda whole: whole.identity,
    **{f"hands at {name}": _hands_at(name) for name in HANDLED},
    **{name: _of_craft(name) for name in _DIRECT},
    **{f"settings/{name}": _setting(name) for name in BoardSettings.model_fields},
}
_LATER: Mapping[str, Any] = {  # sections that came after proofs had been recorded, and what they say until they are used: then they count for nothing
    "place": None,
    "alarm": None,
    "alarms": [],
    "settings/telemetry": TelemetrySetup(),
    "settings/port_baud": {},
    "settings/screen": ScreenSetup(),
    "video format": {},
    "settings/facing": Facing(),
    "settings/level": LevelTrim(),
    "settings/accelerometer": AccelerometerSetup(),
    "settings/power": PowerSetup(),
    "settings/mixing": MixingSetup(),
    "settings/drive": DriveSetup(),
    "kind of drive": DriveSetup().kind,
    "compass": {},
    "settings/servos": {},
    "settings/answer": AnswerSetup(),
    "settings/reversing_drives": False,
    "settings/rssi_channel": None,
    "settings/rssi_falls": True,
    **{f"hands at {name}": 0 for name in HANDLED},
}
LATER_SECTIONS = frozenset(_LATER)
_SEEN = ("rung",)  # what was seen may be read, and is nothing that a proof rests on
_COMES_WITH: Mapping[str, tuple[str, ...]] = {"kit": ("parts",), "devices": ("parts of devices",)}
_HELD_BY: Mapping[str, tuple[str, ...]] = {
    "kit": ("catalogue", "maybe_board", "maybe_receiver", "maybe_transmitter", "module", "missing"),
    "board": ("maybe_board",),
    "pack": ("pack",),
    "devices": ("devices",),
    "receiver's output": ("spoken",),
}
_PARTS_FIELDS = ("catalogue", "maybe_board", "maybe_receiver", "maybe_transmitter", "module", "pack", "devices", "missing", "spoken")


def _craft_in_view(whole: Whole, keys: set[str]) -> CraftDocument:
    craft = whole.craft
    shown: dict[str, Any] = {name: getattr(craft, name) for name in _DIRECT if name in keys}
    kit = {name: value for name, value in craft.kit.__dict__.items() if name not in ("devices", "pack") and "kit" in keys}
    if "board" in keys:
        kit["board"] = craft.kit.board
    if "pack" in keys:
        kit["pack"] = craft.kit.pack
    if "devices" in keys:
        hidden = {name for name, key in (("role", "servo roles"), ("format", "video format")) if key not in keys}
        kit["devices"] = [made_of(Fitted, **{name: value for name, value in each.__dict__.items() if name not in hidden}) for each in craft.kit.devices]
    if kit:
        shown["kit"] = made_of(Kit, **kit)
    patches = [each for each in craft.wiring if ("wiring" if each.device == RECEIVER else "wiring of devices") in keys]
    if keys & {"wiring", "wiring of devices"}:
        shown["wiring"] = [made_of(Patch, **{name: value for name, value in each.__dict__.items() if name != "fixed"}) for each in patches]
    if "transmitter" in keys:
        setup = craft.transmitter
        left_out = () if "made for" in keys else ("made_for",)
        shown["transmitter"] = made_of(type(setup), **{name: value for name, value in setup.__dict__.items() if name not in left_out})
    if "frame rate" in keys and "air" not in keys:
        shown["air"] = made_of(AirSetup, rate_hz=craft.air.rate_hz)
    settings = {name: value for name, value in craft.settings.__dict__.items() if f"settings/{name}" in keys}
    if "kind of drive" in keys and "drive" not in settings:
        settings["drive"] = made_of(DriveSetup, kind=craft.settings.drive.kind)
    if settings:
        shown["settings"] = made_of(BoardSettings, **settings)
    return made_of(CraftDocument, **shown)


def _not_in_view(name: str) -> NoReturn:
    raise NotInView(f"{name} is not among what this rule or proof has declared to read")


@cache
def _narrow(shown: frozenset[str], sensors: bool) -> type[KitParts]:
    def hidden(name: str) -> property:
        return property(lambda _: _not_in_view(name))

    members: dict[str, Any] = {name: hidden(name) for name in _PARTS_FIELDS if name not in shown}
    if sensors and "devices" not in shown:
        members["sensors"] = property(lambda parts: parts.__dict__["_sensors"])
    return type("PartsInView", (KitParts,), members)


def _parts_in_view(parts: KitParts, keys: set[str]) -> KitParts:
    shown = frozenset(name for key in keys for name in _HELD_BY.get(key, ()))
    made = object.__new__(_narrow(shown, "sensors" in keys))
    made.__dict__.update({name: value for name, value in parts.__dict__.items() if name in shown})
    if "kit" in keys and "pack" not in keys:
        made.__dict__["missing"] = tuple(each for each in parts.missing if each.role != "pack")
    if "sensors" in keys:
        made.__dict__["_sensors"] = parts.sensors
    return made


# --- hashes -----------------------------------------------------------------------------------------------------


def stable(value: Any) -> Any:
    """A value as JSON data under keys that stay: a field may be renamed if it names its old key, and a later one counts only where it is used.

    Both are said at the field: `KeptAs("old name")`, `LATER`.
    """
    return _named(value, value.model_dump(mode="json") if isinstance(value, BaseModel) else value)


def unused(value: BaseModel) -> set[str]:
    """The fields that came later and say nothing yet."""
    return {name for name, usual in _later(type(value)) if getattr(value, name) == usual}


@cache
def _later(kind: type[BaseModel]) -> list[tuple[str, Any]]:
    """A model's fields that came later, and what they say until they are used."""
    return [(name, info.get_default(call_default_factory=True)) for name, info in kind.model_fields.items() if LATER in info.metadata]


def _named(value: Any, data: Any) -> Any:
    """`data`, which says the same as `value`, under the keys that stay."""
    if isinstance(value, BaseModel):
        data = value.model_dump(mode="json") if isinstance(data, BaseModel) else data
        said: dict[str, Any] = {}
        left_out = unused(value)
        for name, info in type(value).model_fields.items():
            held = getattr(value, name)
            if name in left_out:
                continue
            said[next((mark.name for mark in info.metadata if isinstance(mark, KeptAs)), name)] = _named(held, data[name])
        return said
    if isinstance(value, Mapping):
        return {str(name): _named(each, known) for (name, each), known in zip(value.items(), data.values(), strict=True)}
    if isinstance(value, (list, tuple)):
        return [_named(each, known) for each, known in zip(value, data, strict=True)]
    return data


def digest(value: Any) -> str:
    """A short hash of a value."""
    text = json.dumps(stable(value), sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()[:16]
