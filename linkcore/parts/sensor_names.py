"""What can be told of a craft by telemetry, by name. devices/sensors.py knows who tells it, and how."""

from __future__ import annotations

from typing import Literal, get_args

SensorName = Literal[
    "cell voltage",
    "voltage",
    "LQ",
    "RSSI",
    "SNR",
    "charge left",
    "used",
    "current",
    "position",
    "satellites",
    "height",
    "climb rate",
    "speed",
    "heading",
    "attitude",
    "flight mode",
    "motor speed",
    "ESC temperature",
    "transmitter power",
]
SENSORS: tuple[SensorName, ...] = get_args(SensorName)  # in the order of what can kill
