"""How the board flies by itself once the link is lost: what it asks of the craft, from what it senses. Times are bench seconds, speeds m/s, away from home and up positive."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from linkcore.craft.airframes import ON_THE_GROUND, WINGS
from linkcore.craft.document import Airframe, LostLink, Response
from linkcore.devices.responses import ALONG_MPS2, CIRCLE_M, CLIMB_MPS, GROUND_MPS2, REACHED_M, UP_MPS2, Way, hover_thrust

GAIN = 2.0  # 1/s: what it asks for a speed that is off
NEAR_M = 0.05  # so near to its height it has reached it
Phase = Literal["come down", "climb", "fly home", "stay", "circle", "glide"]


@dataclass(frozen=True)
class Senses:
    """What the board knows of its flight. `height_m`: over where it was armed, None without a source of height; `home_m`: how far home is, None without a fix.

    `turned_rad`: how far a wing has turned from away; `touching`: a blow from below.
    """

    height_m: float | None
    home_m: float | None
    along_mps: float
    up_mps: float
    wind_mps: float
    turned_rad: float = 0.0
    touching: bool = False


@dataclass(frozen=True)
class Asked:
    """What it asks of the craft: accelerations (None: the motors stand at `percent`), of a wing its bank, whether its circles stay over one place, its airspeed (None: as it is) and whether the motor runs."""

    along_mps2: float | None = None
    airspeed_mps: float | None = None
    up_mps2: float | None = None
    percent: float | None = None
    bank: bool = False
    stay: bool = False
    motor: bool = True


class Autopilot:
    """One response, from the board's reaction until it is over. `stops`: whether the motors are to stop now; `says`: what has just happened."""

    def __init__(self, does: Response, by: Way | None, settings: LostLink, airframe: Airframe, least_home_m: float, t: float) -> None:
        self.does, self.by, self.settings, self.airframe = does, by, settings, airframe
        self.least_home_m = least_home_m
        self.began_t = t
        self.phase: Phase | None = None
        self.stops = False
        self.says: list[tuple[Literal["at height", "at home", "comes down", "circles"], str]] = []
        self._along = self._up = 0.0
        self._target_m = 0.0
        self._down_by: float | None = None
        self._high = False

    @property
    def wing(self) -> bool:
        """Whether it flies on wings."""
        return self.airframe in WINGS

    @property
    def on_the_ground(self) -> bool:
        """Whether it swims or drives."""
        return self.airframe in ON_THE_GROUND

    def ask(self, t: float, dt: float, senses: Senses) -> Asked:
        """What it asks for the next moment."""
        if self.phase is None:
            self._begin(t, senses)
        if senses.touching or (self._down_by is not None and t >= self._down_by):
            self.stops = True
            return Asked(percent=0.0, motor=False)
        if self.on_the_ground:
            return self._drive(dt, senses)
        return self._wing(dt, senses) if self.wing else self._rotors(t, dt, senses)

    def _begin(self, t: float, senses: Senses) -> None:
        self._along, self._up = senses.along_mps, senses.up_mps
        self._target_m = max(senses.height_m or 0.0, float(self.settings.return_height_m))
        if self.on_the_ground:
            near = senses.home_m is not None and senses.home_m <= self.least_home_m
            self.phase = "stay" if self.does == "loiter" or near else "fly home"
            if near and self.does != "loiter":
                self.says.append(("circles", f"home is nearer than {self.least_home_m:g} m: it stays where it is"))
        elif self.does == "loiter":
            self.phase = "circle"
        elif self.does == "land":
            self._come_down(t, senses, "")
        elif senses.home_m is not None and senses.home_m <= self.least_home_m:
            if self.wing:
                self.phase = "circle"
                self.says.append(("circles", f"home is nearer than {self.least_home_m:g} m: it circles where it is"))
            else:
                self._come_down(t, senses, f"home is nearer than {self.least_home_m:g} m: it lands where it is")
        else:
            self.phase = "climb" if self.settings.climb_first and not self.wing else "fly home"

    def _come_down(self, t: float, senses: Senses, why: str) -> None:
        self.phase = "glide" if self.wing else "come down"
        if why:
            self.says.append(("comes down", why))
        if self.phase == "come down" and senses.height_m is not None:
            self._down_by = t + 1.5 * max(senses.height_m, 1.0) / self.settings.descent_mps

    def _towards(self, now: float, wanted: float, limit: float, dt: float) -> float:
        return max(now - limit * dt, min(now + limit * dt, wanted))

    def _climbing(self, dt: float, height_m: float | None) -> float:
        """The climb that it asks for until it has its height."""
        left = self._target_m - height_m if height_m is not None else 0.0
        return self._towards(self._up, min(CLIMB_MPS, math.sqrt(2 * UP_MPS2 * max(0.0, left))), UP_MPS2, dt)

    def _notice_height(self, high: bool) -> None:
        if high and not self._high:
            self._high = True
            self.says.append(("at height", f"at {self._target_m:.0f} m"))

    def _rotors(self, t: float, dt: float, senses: Senses) -> Asked:
        if self.phase == "come down" and self.by == "hover":
            return Asked(percent=hover_thrust(self.settings))
        along, up, ground = 0.0, self._up, self.settings.return_mps - senses.wind_mps
        if self.phase in ("climb", "fly home"):
            up = self._climbing(dt, senses.height_m)
            high = senses.height_m is None or self._target_m - senses.height_m <= NEAR_M
            if self.phase == "climb" and high and abs(self._along) < 0.01:
                self.phase = "fly home"
            self._notice_height(high and self.phase == "fly home")
            if self.phase == "fly home" and senses.home_m is not None:
                along = -ground if ground <= 0 else -min(ground, math.sqrt(2 * ALONG_MPS2 * max(0.0, senses.home_m)))
                if senses.home_m <= REACHED_M:
                    self.says.append(("at home", "at home"))
                    self._arrive(t, senses)
        if self.phase == "come down":
            up = self._towards(self._up, -self.settings.descent_mps, UP_MPS2, dt)
        elif self.phase == "stay":
            up = self._towards(self._up, 0.0, UP_MPS2, dt)
        level = self.phase == "come down" and self.does == "land"
        before = (self._along, self._up)
        self._along, self._up = self._towards(self._along, along, ALONG_MPS2, dt), up
        return Asked(
            along_mps2=None if level else (self._along - before[0]) / dt + GAIN * (self._along - senses.along_mps),
            up_mps2=(self._up - before[1]) / dt + GAIN * (self._up - senses.up_mps),
        )

    def _drive(self, dt: float, senses: Senses) -> Asked:
        """Back the same way, or held over one place, whatever carries it."""
        along, ground = 0.0, self.settings.return_mps - senses.wind_mps
        if self.phase == "fly home" and senses.home_m is not None:
            along = -ground if ground <= 0 else -min(ground, math.sqrt(2 * GROUND_MPS2 * max(0.0, senses.home_m)))
            if senses.home_m <= REACHED_M:
                self.says.append(("at home", "at home"))
                self.stops, self.phase = self.settings.at_home == "land", "stay"
        before, self._along = self._along, self._towards(self._along, along, GROUND_MPS2, dt)
        return Asked(along_mps2=(self._along - before) / dt + GAIN * (self._along - senses.along_mps))

    def _arrive(self, t: float, senses: Senses) -> None:
        if self.settings.at_home == "land":
            self._come_down(t, senses, "")
        else:
            self.phase = "circle" if self.wing else "stay"

    def _wing(self, dt: float, senses: Senses) -> Asked:
        """Round in a gentle bank until it faces home, then straight there, climbing on the way; circling lasts until somebody takes over."""
        if self.phase == "glide":
            return Asked(bank=True, motor=False)
        before = self._up
        climbs = self.does == "return home"
        self._up = self._climbing(dt, senses.height_m) if climbs else self._towards(self._up, 0.0, UP_MPS2, dt)
        up = (self._up - before) / dt + GAIN * (self._up - senses.up_mps)
        self._notice_height(climbs and senses.height_m is not None and self._target_m - senses.height_m <= NEAR_M)
        if self.phase == "circle" or senses.turned_rad < math.pi:
            return Asked(up_mps2=up, bank=True, stay=self.phase == "circle")
        if senses.home_m is not None and senses.home_m <= CIRCLE_M:
            self.says.append(("at home", "at home: motor off, a gentle bank" if self.settings.at_home == "land" else "at home, circles"))
            self.phase = "glide" if self.settings.at_home == "land" else "circle"
            return Asked(bank=True, stay=self.phase == "circle", motor=self.phase == "circle", up_mps2=up)
        return Asked(up_mps2=up, airspeed_mps=self.settings.return_mps)
