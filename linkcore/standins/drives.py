"""What hangs on the board's outputs, as it really is: motors with their ESCs, and servos. The board knows nothing of that, and neither does the document."""

from __future__ import annotations

import random

from pydantic import BaseModel, ConfigDict, Field

from linkcore.craft.document import CraftDocument
from linkcore.craft.layouts import OPPOSITE, Corner, MotorPlace, Turn
from linkcore.craft.parts import KitParts
from linkcore.devices.mixers import DEG_US, US_FULL
from linkcore.wiring.outputs import layout_wired, motor_pads, wired_outputs

STARTS_PERCENT = (3.5, 5.0)  # within which a sound motor begins to turn (ours)
KICK_DPS = (1.9, 0.6)  # what a strap leaves of the jerk with which a motor starts, mean and spread (ours)
KICK_NOISE_DPS, KICK_FELT_DPS = 0.3, 1.0
FULL_A = 2.2  # a motor without its propeller at full speed
ENDS_US = (1000.0, 2000.0)


class MotorTruth(BaseModel):
    """One motor: where it sits, which way it turns, from which share of its ESC's range on, percent; `low_us`, `high_us`: the end points that its ESC knows; `both_ways`: it stands still in the middle of them."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    corner: Corner
    turns: Turn
    starts_percent: float = Field(4.5, ge=0, le=100)
    open_phase: bool = False
    low_us: float = Field(ENDS_US[0], ge=800, le=1500)
    high_us: float = Field(ENDS_US[1], ge=1500, le=2200)
    both_ways: bool = False

    def share(self, us: float) -> float:
        """What share of its full speed it turns at under pulses of this length, below nothing the other way round; 0 where it stands."""
        asked = (us - self.low_us) / (self.high_us - self.low_us)
        if self.both_ways:
            asked = 2 * asked - 1
        if self.open_phase or 100 * abs(asked) < self.starts_percent or (asked < 0 and not self.both_ways):
            return 0.0
        return max(-1.0, min(1.0, asked))


class ServoTruth(BaseModel):
    """One servo: whether it sits the other way round, at which pulse its surface is straight, where it comes to its stops, and how fast it turns."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    turned: bool = False
    neutral_us: float = Field(1500, ge=1300, le=1700)
    stop_low_us: float = Field(900, ge=500, le=1500)
    stop_high_us: float = Field(2100, ge=1500, le=2500)
    speed_deg_s: float = Field(500, ge=30, le=3000)

    def moved(self, at_us: float, to_us: float, dt: float) -> float:
        """Where it is after so many seconds on its way, as a pulse."""
        step = self.speed_deg_s / DEG_US * dt
        return at_us + max(-step, min(step, to_us - at_us))

    def place(self, us: float) -> float:
        """Where its surface is for a pulse, -1 to 1."""
        at = (max(self.stop_low_us, min(self.stop_high_us, us)) - self.neutral_us) / US_FULL
        return -at if self.turned else at

    def binds(self, us: float) -> bool:
        """Whether it is driven against a stop, and hums there."""
        return not self.stop_low_us <= us <= self.stop_high_us


class DrivesTruth(BaseModel):
    """Every motor, by the output that its ESC hangs on, and every servo by its name."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    motors: dict[str, MotorTruth] = Field(default_factory=dict, max_length=24)
    servos: dict[str, ServoTruth] = Field(default_factory=dict, max_length=32)

    @classmethod
    def usual(cls, seed: int, document: CraftDocument, parts: KitParts) -> DrivesTruth:
        """As the craft is meant to be."""
        rng = random.Random(f"usual drives {seed}")
        motors = {pad: _motor(rng, place.corner, place.wanted(document.settings.mixing.props)) for pad, place in _meant(document, parts).items()}
        motors = {pad: each.model_copy(update={"both_ways": pad in _reversing(document, parts)}) for pad, each in motors.items()}
        servos = {name: ServoTruth(turned=document.servos_turned.get(name, False), neutral_us=1500) for name in _servos(parts)}
        return cls(motors=motors, servos=servos)

    @classmethod
    def any(cls, seed: int, document: CraftDocument, parts: KitParts) -> DrivesTruth:
        """Any way in which motors can be wired; one in twelve has an open phase, one in six an ESC that does not know its ends."""
        rng = random.Random(f"any drives {seed}")
        meant = _meant(document, parts)
        corners = [place.corner for place in meant.values()]
        rng.shuffle(corners)
        motors = {}
        for pad, corner in zip(meant, corners, strict=True):
            turns: Turn = rng.choice(("ahead", "astern") if meant[pad].turns in ("ahead", "astern") else ("clockwise", "counterclockwise"))
            motor = _motor(rng, corner, turns)
            if rng.random() < 1 / 6:
                motor = motor.model_copy(update={"low_us": 1060.0, "high_us": 1860.0})
            motors[pad] = motor.model_copy(update={"open_phase": rng.random() < 1 / 12, "both_ways": pad in _reversing(document, parts)})
        servos = {
            name: ServoTruth(
                turned=rng.random() < 0.5,
                neutral_us=round(rng.uniform(1440, 1560)),
                stop_high_us=rng.choice((1880, 2100)),
                speed_deg_s=round(rng.uniform(250, 700)),
            )
            for name in _servos(parts)
        }
        return cls(motors=motors, servos=servos)

    def swapped(self, pad: str) -> DrivesTruth:
        """Two of three wires of the motor on an output are exchanged: it turns the other way."""
        return self._with(pad, turns=OPPOSITE[self.motors[pad].turns])

    def mended(self, pad: str) -> DrivesTruth:
        """Its open phase is soldered."""
        return self._with(pad, open_phase=False)

    def calibrated(self, pad: str) -> DrivesTruth:
        """Its ESC has learnt the board's end points."""
        return self._with(pad, low_us=ENDS_US[0], high_us=ENDS_US[1])

    def _with(self, pad: str, **change: object) -> DrivesTruth:
        return self.model_copy(update={"motors": {**self.motors, pad: self.motors[pad].model_copy(update=change)}})

    def fits(self, document: CraftDocument, parts: KitParts) -> bool:
        """Whether it still is of these outputs and corners; else other motors were wired."""
        meant = _meant(document, parts)
        corners = {each.corner for each in self.motors.values()}
        return set(self.motors) == set(meant) and corners == {place.corner for place in meant.values()} and set(self.servos) == set(_servos(parts))

    def follow(self, usual: DrivesTruth) -> DrivesTruth:
        """The same where `usual`, another kit's, knows the same motors or servos; what is new is as usual."""
        corners = {each.corner for each in self.motors.values()}
        same = set(self.motors) == set(usual.motors) and corners == {each.corner for each in usual.motors.values()}
        servos = {name: self.servos.get(name, each) for name, each in usual.servos.items()}
        return DrivesTruth(motors=self.motors if same else usual.motors, servos=servos)


def _motor(rng: random.Random, corner: Corner, turns: Turn | None) -> MotorTruth:
    return MotorTruth(corner=corner, turns=turns or "clockwise", starts_percent=round(rng.uniform(*STARTS_PERCENT), 2))


def _reversing(document: CraftDocument, parts: KitParts) -> set[str]:
    """The outputs whose drives turn both ways."""
    return {pad for pad, device in wired_outputs(document, parts).items() if parts.devices[device].reverses}


def _servos(parts: KitParts) -> list[str]:
    return [name for name, part in parts.devices.items() if part.servo]


def _meant(document: CraftDocument, parts: KitParts) -> dict[str, MotorPlace]:
    """Which motor hangs on which output where nobody made a mistake: those of the layout in turn."""
    pads, layout = motor_pads(document, parts), layout_wired(document, parts)
    return dict(zip(pads, layout, strict=True)) if len(pads) == len(layout) else {}


def kick_dps(motor: MotorTruth, rng: random.Random) -> float:
    """What the board's gyro feels as a motor begins to turn, deg/s clockwise: the craft is pushed the other way, as far as its strap lets it."""
    way = {"clockwise": -1, "counterclockwise": 1}.get(motor.turns, 0)
    return way * max(0.0, rng.gauss(*KICK_DPS)) + rng.gauss(0, KICK_NOISE_DPS)


def felt(dps: float) -> Turn | None:
    """Which way a motor turns by the kick that was felt; None where that says nothing."""
    if abs(dps) < KICK_FELT_DPS:
        return None
    return "counterclockwise" if dps > 0 else "clockwise"
