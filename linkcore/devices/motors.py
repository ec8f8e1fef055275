"""What the board makes of the throttle for its motors, as long as it is armed and steers by the sticks; and where they stand still."""

from __future__ import annotations

from linkcore.craft.document import BoardSettings
from linkcore.craft.parts import KitParts

TURN_MOST_PERCENT = 15.0  # what a motor is asked at the most that is turned by itself on the bench
REST_US = 50.0  # about the middle, within which a drive that turns both ways stands still: the jitter of a worn lever, thrice


def stop_us(settings: BoardSettings) -> float:
    """The throttle at which the motors stand still, by what the board takes its drives for."""
    return 1500.0 if settings.reversing_drives else 1000.0


def at_rest(settings: BoardSettings, throttle_us: float) -> bool:
    """Whether a throttle asks for nothing: below the floor line, or about the middle of drives that turn both ways."""
    return abs(throttle_us - 1500) <= REST_US if settings.reversing_drives else throttle_us <= settings.stick_lines.low


def motor_percent(throttle_us: float, idle_percent: float, *, both_ways: bool = False) -> float:
    """How fast an armed craft's motors are asked to turn, percent, before any steadying; below nothing: astern. They never stand still, save those that turn both ways."""
    if both_ways:
        away = throttle_us - 1500
        return 0.0 if abs(away) <= REST_US else max(-100.0, min(100.0, away / 5))
    return min(100.0, max(idle_percent, idle_percent + (throttle_us - 1000) * (100 - idle_percent) / 1000))


def reversing(parts: KitParts) -> bool | None:
    """Whether the drives that are fitted turn both ways; None where none is known or they differ."""
    kinds = {part.reverses for part in parts.devices.values() if part.drives}
    return kinds.pop() if len(kinds) == 1 else None
