"""The facts about a part that later hops compute with."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, computed_field

McuClass = Literal["F1", "F3", "F4", "F7", "H7"]
PadKind = Literal["rx", "tx", "supply", "ground"]
OnLoss = Literal["hold", "no pulses", "preset"]

# Wire facts, section 0: only these classes can invert inside the UART.
INVERTING_CLASSES: frozenset[McuClass] = frozenset(("F3", "F7", "H7"))


class _Fact(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Pad(_Fact):
    """One pad. `side` and `place` (0 to 1 along that side) say where it sits on the board."""

    name: str
    kind: PadKind
    port: str | None = None
    side: Literal["left", "right"]
    place: float = Field(ge=0, le=1)
    inverter: bool = False


class Board(_Fact):
    """A flight controller. The stand-in keeps band edges in steps of `band_step_us`, the grace in `grace_step_ms`."""

    kind: Literal["board"] = "board"
    id: str
    name: str
    mcu: McuClass
    ports: tuple[str, ...]
    pads: tuple[Pad, ...]
    band_step_us: int = 5
    grace_step_ms: int = 20
    boot_s: float = 1.2
    loop_hz: int = 1000

    @computed_field  # type: ignore[prop-decorator]
    @property
    def inverting_pads(self) -> list[str]:
        """The pads on which a signal can be inverted."""
        return [pad.name for pad in self.pads if pad.port and self.can_invert(pad)]

    def pad(self, name: str) -> Pad | None:
        """The pad called `name`."""
        return next((pad for pad in self.pads if pad.name == name), None)

    def pad_of(self, port: str, kind: PadKind) -> Pad | None:
        """A port's RX or TX pad; None where the port lacks it."""
        return next((pad for pad in self.pads if pad.port == port and pad.kind == kind), None)

    def can_invert(self, pad: Pad) -> bool:
        """Whether a signal on this pad can be inverted before the UART samples it."""
        return self.mcu in INVERTING_CLASSES or pad.inverter


class Pin(_Fact):
    """A receiver's pin: what it is for, as seen from the receiver."""

    name: str
    kind: Literal["signal out", "signal in", "supply", "ground"]


class Receiver(_Fact):
    """A receiver. `link_period_s`: how often a radio frame comes; `lost_after_s`: silence until it gives the link up."""

    kind: Literal["receiver"] = "receiver"
    id: str
    name: str
    protocol: str
    inverted_output: bool
    radio: str
    pins: tuple[Pin, ...]
    channels: int = 16
    link_period_s: float
    lost_after_s: float
    flags_loss: bool
    on_loss: tuple[OnLoss, ...]
    reports_link: bool

    def pin(self, kind: str) -> Pin | None:
        """The first pin of a kind."""
        return next((pin for pin in self.pins if pin.kind == kind), None)


class Switch(_Fact):
    """A switch of the transmitter with two or three positions."""

    name: str
    positions: Literal[2, 3]


class Transmitter(_Fact):
    """A transmitter. At 100 % travel an output moves `us_at_100` to each side of the centre."""

    kind: Literal["transmitter"] = "transmitter"
    id: str
    name: str
    radios: tuple[str, ...]
    channels: int
    us_at_100: float
    max_travel_percent: int
    switches: tuple[Switch, ...]


Part = Board | Receiver | Transmitter
