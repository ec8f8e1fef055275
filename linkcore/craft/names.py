"""What settings and sections of a craft are called for people, wherever they are named: in differences, in a flash log, in what tarnished a proof."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

_SECTIONS = {
    "ports": "Jobs of the ports",
    "receiver_input": "Receiver port",
    "channel_map": "Channel map",
    "stick_lines": "Stick lines",
    "deadband": "Deadband",
    "arm_by": "Arm by",
    "arming": "Mode band of arm",
    "stick_arming": "Arming by stick",
    "modes": "Modes",
    "servo_reverse": "Servos reversed",
    "servos": "Middle and ends of servos",
    "lost_link": "Lost link",
    "bind_count": "Bind count",
    "telemetry": "Telemetry",
    "screen": "On-screen display",
    "port_baud": "Baud of the ports",
    "reversing_drives": "Drives turn both ways",
    "rssi_channel": "RSSI channel",
    "rssi_falls": "RSSI falls on loss",
    "facing": "Facing",
    "level": "Level",
    "accelerometer": "Accelerometer",
    "power": "Pack as the board reads it",
    "mixing": "Mixing",
    "drive": "Drive",
    "answer": "How it answers",
}
_LEAVES = {
    "facing/roll_deg": "Facing, roll",
    "facing/pitch_deg": "Facing, pitch",
    "facing/yaw_deg": "Facing, yaw",
    "level/roll_deg": "Level, roll",
    "level/pitch_deg": "Level, pitch",
    "mixing/layout": "Layout that is mixed for",
    "mixing/outputs": "Outputs",
    "mixing/props": "Props",
    "drive/kind": "Drive",
    **{f"answer/{axis}/most_dps": f"Turn rate of {axis}" for axis in ("roll", "pitch", "yaw")},
    **{f"answer/{axis}/soft_percent": f"Softness of {axis}" for axis in ("roll", "pitch", "yaw")},
    "drive/pulse_hz": "Pulses of the drive",
    "drive/loop_hz": "Loop rate",
    "drive/idle_percent": "Idle of the motors",
    "mixing/servo_hz": "Servo rate",
    "power/voltage_scale": "Voltage scale",
    "power/current_slope": "Current slope",
    "power/current_offset_a": "Current offset",
    "power/cells": "Cells of the pack",
    "power/capacity_mah": "Capacity of the pack",
    "receiver_input/protocol": "Receiver protocol",
    "receiver_input/inverted": "Receiver port inverted",
    "receiver_input/half_duplex": "Receiver port half duplex",
    "telemetry/on": "Telemetry on",
    "telemetry/protocol": "Telemetry protocol",
    "telemetry/inverted": "Telemetry port inverted",
    "telemetry/half_duplex": "Telemetry port half duplex",
    "telemetry/off": "Sensors that are not told",
    "screen/elements": "On-screen display",
    "stick_lines/low": "Floor line",
    "stick_lines/high": "Ceiling line",
    "deadband/sticks_us": "Deadband of roll and pitch",
    "deadband/yaw_us": "Deadband of yaw",
    "arming/channel": "Arm channel",
    "arming/low": "Mode band of arm, low",
    "arming/high": "Mode band of arm, high",
    "stick_arming/hold_ms": "Stick held for arming",
    "stick_arming/timeout_s": "Disarm after low throttle",
    "lost_link/grace_ms": "Grace",
    "lost_link/throttle_fallback": "Throttle fallback",
    "lost_link/throttle_us": "Throttle on loss",
    "lost_link/switches_us": "Switch channels on loss",
    "lost_link/response": "Response",
    "lost_link/descent_mps": "Rate of descent",
    "lost_link/hover_percent": "Hover throttle",
    "lost_link/return_height_m": "Return height",
    "lost_link/return_mps": "Return speed",
    "lost_link/climb_first": "Climb first",
    "lost_link/at_home": "At home",
    "lost_link/without_home": "Without a home",
    "lost_link/throttle_low_s": "Throttle low counts as landed after",
    "lost_link/ends": "What ends the response",
    "lost_link/moved_us": "Stick movement that takes over",
}

_UNITS = {
    "_ms": " ms",
    "_us": " us",
    "_mps": " m/s",
    "_m": " m",
    "_s": " s",
    "_percent": " %",
    "_kg": " kg",
    "_j": " J",
    "_deg": " degrees",
    "_hz": " Hz",
    "_mah": " mAh",
    "_a": " A",
    "low": " us",
    "high": " us",
}  # by how a number's field ends


def setting_name(path: str) -> str:
    """A setting by its path within the board's settings, such as "U6 job" for `ports/U6`."""
    steps = path.strip("/").split("/")
    name = _LEAVES.get("/".join(steps)) or (_SECTIONS.get(steps[0]) if len(steps) == 1 else None)
    return name or _in_a_list(steps)


def _in_a_list(steps: Sequence[str]) -> str:
    match steps:
        case ["ports", port]:
            return f"{port} job"
        case ["port_baud", port]:
            return f"{port} baud"
        case ["telemetry", "off", number] if number.isdigit():
            return f"Sensor not told {int(number) + 1}"
        case ["screen", "elements", number, *leaf] if number.isdigit():
            return " ".join([f"On the picture {int(number) + 1}", *leaf])
        case ["mixing", "outputs", pad]:
            return f"Output {pad}"
        case ["accelerometer", what, number] if number.isdigit() and int(number) < 3:
            return f"Accelerometer, {'offset' if what == 'offset_g' else what} of {'xyz'[int(number)]}"
        case ["modes", number, *leaf] if number.isdigit():
            return " ".join([f"Mode {int(number) + 1}", *leaf])
        case ["lost_link", "switches_us", channel]:
            return f"CH{channel} on loss"
        case ["servo_reverse", number] if number.isdigit():
            return f"Servo reversed {int(number) + 1}"
    return "/".join(steps)


_PLACE = {
    "mass_kg": "Mass",
    "thrust_ratio": "Thrust by weight",
    "speed_mps": "Speed",
    "height_m": "Height",
    "wind_mps": "Wind",
    "obstacle_height_m": "Height of what stands around",
    "obstacle_m": "Distance to the next obstacle",
    "rise_m": "Rise of the ground towards home",
    "home_m": "Distance from home",
    "pack_left_percent": "Pack left",
    "people_m": "Distance to people",
    "energy_limit_j": "Energy of a blow",
    "water": "Over water",
    "somebody_home": "Somebody at home",
    "vented": "Barometer vented",
}


def place_name(path: str) -> str:
    """What a figure of the place is called."""
    leaf = path.strip("/")
    return f"Place: {_PLACE.get(leaf, leaf)}"


_ELSEWHERE = {
    "board": "facts of the board",
    "parts": "facts of the kit's parts",
    "parts of devices": "facts of the devices",
    "bind": "bind",
    "made for": "whose model memory it is",
    "servos_turned": "surfaces as looked at",
    "acro_wanted": "acro as wanted",
    "air": "link budget",
    "servo roles": "what servos move",
    "place": "place",
    "alarm": "alarm line",
    "alarms": "alarms",
    "pack": "pack",
    "kind of drive": "how ESCs are driven",
    "video format": "video format",
    "hands at board": "how the board is mounted",
    "hands at motors": "motors and their wires",
    "hands at ESCs": "ESCs",
    "hands at servos": "servos and their horns",
    "programs": "which devices have whole firmware",
}


def section_name(section: str) -> str:
    """A section that a proof rests on, in running text."""
    if section.startswith("settings/"):
        return setting_name(section.removeprefix("settings/")).lower()
    return _ELSEWHERE.get(section, section)


def value_in_words(value: Any, path: str = "") -> str:
    """A setting's value for people; with its `path` a number carries its unit."""
    if value is None and path.endswith("layout"):
        return "what its craft is"
    if value is None or value in ([], {}):
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        if {"channel", "low", "high"} <= value.keys():
            band = f"CH{value['channel']} {value['low']:g} to {value['high']:g} us"
            return f"{value['mode']} at {band}" if "mode" in value else band
        if {"element", "column", "row"} <= value.keys():
            return f"{value['element']} at column {value['column']}, row {value['row']}"
        if path.endswith("outputs"):
            return ", ".join(f"{pad} {role}" for pad, role in value.items())
        if value.keys() == {"low", "high"}:
            return f"{value['low']:g} to {value['high']:g} us"
        return ", ".join(value_in_words(each, name) for name, each in value.items())
    if isinstance(value, list):
        return ", ".join(value_in_words(each) for each in value)
    if isinstance(value, (int, float)):
        leaf = path.rpartition("/")[2]
        unit = next((unit for ending, unit in _UNITS.items() if leaf.endswith(ending)), "")
        return f"{value:g}{unit}"
    return str(value)
