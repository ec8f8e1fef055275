"""The stand-in craft: a point with mass that forces move. It flies away from home with the wind in its back until the link dies, and then as its board, or its motors alone, have it."""

from __future__ import annotations

import math

from linkcore.craft.airframes import MULTIROTORS, WINGS
from linkcore.craft.document import Place
from linkcore.devices.body import GLIDE_RATIO, LAG_S, ROLLING, SPEEDING_MPS2, Body, G, carried_mps
from linkcore.devices.responses import BANK_DEG
from linkcore.standins.autopilot import Asked, Senses

STEP_S = 0.005
MOST_TILT_DEG = 45.0


class PointCraft:
    """Metres and m/s; `along_m` from home, away positive; `up_m` above the ground where it was armed."""

    def __init__(self, body: Body, place: Place) -> None:
        self.body, self.place = body, place
        self.put()

    def put(self) -> None:
        """Back to where the place says it flies, in steady flight."""
        self.along_m, self.up_m = self.place.home_m, self.place.height_m
        self.along_mps, self.up_mps = self.place.speed_mps + carried_mps(self.body.airframe, self.place), 0.0
        self.airspeed_mps = self.place.speed_mps
        self.turned_rad = self._climb_angle = 0.0
        self.percent = 0.0
        self.down = self.up_m <= 0
        self.touching = False

    def senses(self, *, height: bool, fix: bool) -> Senses:
        """What its board can know of that."""
        return Senses(
            height_m=self.up_m if height else None,
            home_m=abs(self.along_m) if fix else None,
            along_mps=self.along_mps,
            up_mps=self.up_mps,
            wind_mps=carried_mps(self.body.airframe, self.place),
            turned_rad=self.turned_rad,
            touching=self.touching,
        )

    def keep(self, dt: float) -> None:
        """Steady flight goes on."""
        self.along_m += self.along_mps * dt

    def step(self, asked: Asked, dt: float) -> None:
        """One short step under what is asked of it."""
        if self.body.airframe in MULTIROTORS:
            self._rotors(asked, dt)
        elif self.body.airframe in WINGS:
            self._wing(asked, dt)
        else:
            self._drift(asked, dt)

    def _move(self, along_mps2: float, up_mps2: float, dt: float) -> None:
        if self.down:
            self.along_mps = self.up_mps = 0.0
            return
        self.along_m += self.along_mps * dt + along_mps2 * dt * dt / 2
        self.up_m += self.up_mps * dt + up_mps2 * dt * dt / 2
        self.along_mps += along_mps2 * dt
        self.up_mps += up_mps2 * dt
        if self.up_m <= 0:
            self.up_m, self.down, self.touching = 0.0, True, True

    def _rotors(self, asked: Asked, dt: float) -> None:
        away, weight = self.along_mps - self.place.wind_mps, G
        speed = math.hypot(away, self.up_mps)
        drag = speed / self.body.drag_length_m
        drag_along, drag_up = -drag * away, -drag * self.up_mps
        if asked.up_mps2 is None:  # the motors pull straight up as they are asked
            self.percent = asked.percent or 0.0
            self._move(drag_along, self.body.thrust_by_weight(self.percent) * G - weight + drag_up, dt)
            return
        lift = max(0.0, asked.up_mps2 + weight - drag_up)
        tilt = 0.0 if asked.along_mps2 is None else asked.along_mps2 - drag_along
        most = lift * math.tan(math.radians(MOST_TILT_DEG))
        tilt = max(-most, min(most, tilt))
        pull = math.hypot(lift, tilt) / G
        short = min(1.0, self.body.thrust_ratio / pull) if pull else 1.0
        self.percent = 100 * math.sqrt(pull * short / self.body.thrust_ratio)
        self._move(tilt * short + drag_along, lift * short - weight + drag_up, dt)

    def _wing(self, asked: Asked, dt: float) -> None:
        if self.down:
            return
        load = 1 / math.cos(math.radians(BANK_DEG)) ** 1.5 if asked.bank else 1.0
        drag = G / GLIDE_RATIO * load
        if asked.bank:
            self.turned_rad += G * math.tan(math.radians(BANK_DEG)) / max(3.0, self.airspeed_mps) * dt
        if asked.motor:
            faster = 0.0
            if asked.airspeed_mps is not None:
                faster = max(-SPEEDING_MPS2, min(SPEEDING_MPS2, (asked.airspeed_mps - self.airspeed_mps) / dt))
            up = asked.up_mps2 or 0.0
            pull = (drag + G * self.up_mps / max(3.0, self.airspeed_mps) + faster) / G
            self.percent = 100 * math.sqrt(max(0.0, min(1.0, pull / self.body.thrust_ratio)))
            self.airspeed_mps += faster * dt
        else:  # nothing pulls: it keeps its airspeed by going down
            self.percent = 0.0
            up = (-drag / G * self.airspeed_mps - self.up_mps) / LAG_S
        self.along_mps = self.airspeed_mps * math.cos(self.turned_rad) + (0.0 if asked.stay else self.place.wind_mps)
        self._move(0.0, up, dt)

    def _drift(self, asked: Asked, dt: float) -> None:
        """It is driven as it is asked; else a boat is carried by the current, and a rover rolls until it stands."""
        self.down = False
        away = self.along_mps - self.place.wind_mps
        drag = -abs(away) * away / self.body.drag_length_m if self.body.airframe == "boat" else 0.0
        self.percent = 0.0
        if asked.along_mps2 is not None:
            most = self.body.thrust_ratio * G
            pull = max(-most, min(most, asked.along_mps2 - drag))
            self.percent = 100 * math.copysign(math.sqrt(abs(pull) / most), pull)
            self._move(pull + drag, 0.0, dt)
        elif self.body.airframe == "boat":
            self._move(drag, 0.0, dt)
        else:
            slower = min(ROLLING * G / 4, abs(self.along_mps) / dt)
            self._move(-math.copysign(slower, self.along_mps), 0.0, dt)
        self.down = self.touching = False
