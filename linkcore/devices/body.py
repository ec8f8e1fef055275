"""What a craft's body does in air and water: drag, glide, thrust and the power that it takes to stay up. Shared by the stand-in, which integrates forces, and by what is predicted, in closed formulae."""

from __future__ import annotations

import math
from dataclasses import dataclass

from linkcore.craft.airframes import MULTIROTORS, WINGS
from linkcore.craft.document import Airframe, Place
from linkcore.parts.models import Pack

G = 9.81
AIR_DENSITY = 1.225  # kg/m³ at sea level, 15 °C (ISO 2533)
WATER_DENSITY = 1000.0
CD_AREA_OF_1_KG = 0.025  # m², of a tumbling multirotor; grows with the mass to the power of two thirds (ours)
HULL_CD_AREA_OF_1_KG = 0.004  # m², of a hull in the water (ours)
ROLLING = 0.4  # of its weight, what holds a rover back with its motors off (ours)
GLIDE_RATIO = 8.0  # how far a wing comes for the height it loses (ours)
HOVER_W_KG = 170.0  # what a multirotor draws to stay up (ours)
EFFICIENCY = 0.5  # of motor, propeller and ESC together (ours)
LAG_S = 1.0  # until a wing has taken another path (ours)
SPEEDING_MPS2 = 1.0  # how a wing takes another airspeed (ours)
IDLE_W = 3.0  # board, receiver and what else is on
RESERVE_PERCENT = 20.0  # of the pack, left in it


@dataclass(frozen=True)
class Body:
    """A craft as a point with mass. Masses in kg, speeds in m/s, powers in W."""

    airframe: Airframe
    mass_kg: float
    thrust_ratio: float

    @classmethod
    def of(cls, airframe: Airframe, place: Place) -> Body:
        """The body of a craft at its place."""
        return cls(airframe, place.mass_kg, place.thrust_ratio)

    @property
    def cd_area_m2(self) -> float:
        """Drag coefficient times area: of a falling multirotor in the air, of a hull in the water."""
        of_1_kg = HULL_CD_AREA_OF_1_KG if self.airframe == "boat" else CD_AREA_OF_1_KG
        return of_1_kg * math.pow(self.mass_kg, 2 / 3)

    @property
    def drag_length_m(self) -> float:
        """2 m / (rho Cd A): over this way drag takes a speed to 1/e of it."""
        return 2 * self.mass_kg / ((WATER_DENSITY if self.airframe == "boat" else AIR_DENSITY) * self.cd_area_m2)

    @property
    def fall_mps(self) -> float:
        """The speed at which a multirotor falls no faster: sqrt(2 m g / (rho Cd A))."""
        return math.sqrt(G * self.drag_length_m)

    @property
    def top_mps(self) -> float:
        """How fast a boat goes through the water at most: sqrt(T L), where thrust T (of its mass) and drag v² / L hold each other; no limit is known of others."""
        return math.sqrt(self.thrust_ratio * G * self.drag_length_m) if self.airframe == "boat" else math.inf

    @property
    def hover_percent(self) -> float:
        """The motors' share at which a multirotor hovers: thrust goes with the square of what is asked."""
        return 100 * math.sqrt(1 / self.thrust_ratio)

    def thrust_by_weight(self, percent: float) -> float:
        """What the motors pull, by its weight, for what they are asked."""
        return self.thrust_ratio * (max(0.0, percent) / 100) ** 2

    def sink_mps(self, airspeed_mps: float, bank_deg: float = 0.0) -> float:
        """How fast a wing loses height without its motor: faster in a bank, by the lift that turns it."""
        return airspeed_mps / GLIDE_RATIO / math.pow(math.cos(math.radians(bank_deg)), 1.5)

    def power_w(self, airspeed_mps: float, climb_mps: float = 0.0) -> float:
        """What it draws under way, climbing or coming down (which gives nothing back)."""
        lift = self.mass_kg * G * max(0.0, climb_mps) / EFFICIENCY
        if self.airframe in MULTIROTORS:
            return IDLE_W + HOVER_W_KG * self.mass_kg + lift
        if self.airframe in WINGS:
            return IDLE_W + self.mass_kg * G * airspeed_mps / GLIDE_RATIO / EFFICIENCY + lift
        drag = self.mass_kg * airspeed_mps**2 / self.drag_length_m if self.airframe == "boat" else ROLLING * self.mass_kg * G / 4
        return IDLE_W + drag * airspeed_mps / EFFICIENCY

    @property
    def full_power_w(self) -> float:
        """What all its motors draw at full throttle, standing: power goes with thrust to the power of three halves (momentum theory)."""
        return IDLE_W + HOVER_W_KG * self.mass_kg * math.pow(self.thrust_ratio, 1.5)

    def energy_j(self, down_mps: float, along_mps: float) -> float:
        """What it strikes with."""
        return self.mass_kg * (down_mps**2 + along_mps**2) / 2


def carried_mps(airframe: Airframe, place: Place) -> float:
    """How fast wind or current carries it along."""
    return 0.0 if airframe == "rover" else place.wind_mps


def charge_mah(pack: Pack, watts: float, seconds: float) -> float:
    """What that takes out of a pack, at its nominal voltage."""
    return watts * seconds / pack.nominal_volts / 3.6


def charge_left_mah(pack: Pack, place: Place) -> float:
    """What may still be taken: what is in it, less the reserve."""
    return pack.capacity_mah * max(0.0, place.pack_left_percent - RESERVE_PERCENT) / 100
