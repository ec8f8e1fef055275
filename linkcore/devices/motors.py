"""What the board makes of the throttle for its motors, as long as it is armed and steers by the sticks."""

from __future__ import annotations

IDLE_PERCENT = 6.0  # armed motors never stand still
PERCENT_A_US = 0.094


def motor_percent(throttle_us: float) -> float:
    """How fast an armed craft's motors are asked to turn, percent, before any steadying."""
    return min(100.0, max(IDLE_PERCENT, IDLE_PERCENT + (throttle_us - 1000) * PERCENT_A_US))
