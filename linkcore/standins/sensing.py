"""What a board knows of itself and its craft, and may tell: each value from whoever really gives it, and none that nobody gives."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from linkcore.devices.sensors import Value, Values
from linkcore.parts.models import Sensor
from linkcore.parts.sensor_names import SensorName
from linkcore.standins.peripherals import Heard


@dataclass(frozen=True)
class Felt:
    """What the board makes of its own sensors. `fitted`: all that the craft has; `volts` at the board's feed, 0 on USB alone; `cells`: as set or counted, `capacity_mah`: as set."""

    fitted: Collection[Sensor]
    volts: float
    current_a: float
    used_mah: float
    up_m: float
    climb_mps: float
    attitude_deg: tuple[float, float, float]
    mode: str
    cells: int | None = None
    capacity_mah: int | None = None


def knows(felt: Felt, heard: Heard, t: float) -> Values:
    """Every value that it could tell at `t` (bench seconds), in the catalogue's units."""
    said: dict[SensorName, Value] = {"flight mode": felt.mode}
    if "voltage" in felt.fitted:
        said["voltage"] = round(felt.volts, 3)
        if felt.cells:
            said["cell voltage"] = round(felt.volts / felt.cells, 3)
    if "current" in felt.fitted:
        said |= {"current": round(felt.current_a, 2), "used": round(felt.used_mah)}
        if felt.capacity_mah:
            said["charge left"] = round(100 * max(0.0, 1 - felt.used_mah / felt.capacity_mah))
    if "barometer" in felt.fitted:
        said |= {"height": round(felt.up_m, 2), "climb rate": round(felt.climb_mps, 2)}
    if "gyro" in felt.fitted:
        said["attitude"] = felt.attitude_deg
    if "magnetometer" in felt.fitted:
        said["heading"] = round(felt.attitude_deg[2] % 360, 2)
    pvt = heard.newest("pvt", t)
    place, moves = pvt or heard.newest("gga", t), pvt or heard.newest("rmc", t)
    if place is not None:
        said["satellites"] = float(place.values["satellites"])
        if "latitude_deg" in place.values:
            said["position"] = (float(place.values["latitude_deg"]), float(place.values["longitude_deg"]))
    if moves is not None and "speed_mps" in moves.values:
        said["speed"] = float(moves.values["speed_mps"])
        said.setdefault("heading", float(moves.values["course_deg"]))
    motor = heard.newest("esc", t)
    if motor is not None:
        said |= {"motor speed": float(motor.values["speed_rpm"]), "ESC temperature": float(motor.values["temperature_c"])}
    return said
