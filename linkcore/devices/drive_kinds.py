"""How a board can speak to an ESC: which kinds each MCU class gives, how often each goes out, and what a loop costs the processor. All figures are ours, reckoned for the stand-ins' firmware."""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.parts.models import DriveKind, McuClass

KINDS: tuple[DriveKind, ...] = ("digital", "shortened pulses", "analog pulses")  # the better one first
KINDS_OF_MCU: Mapping[McuClass, tuple[DriveKind, ...]] = {
    "F1": ("analog pulses",),
    "F3": ("shortened pulses", "analog pulses"),
    "F4": KINDS,
    "F7": KINDS,
    "H7": KINDS,
}
RATES_HZ: Mapping[DriveKind, tuple[int, int]] = {"analog pulses": (50, 490), "shortened pulses": (50, 4000)}  # digital frames go out with each loop
LOOP_US: Mapping[McuClass, float] = {"F1": 620.0, "F3": 240.0, "F4": 95.0, "F7": 55.0, "H7": 28.0}
OUTPUT_US: Mapping[DriveKind, float] = {"analog pulses": 0.5, "shortened pulses": 0.5, "digital": 3.0}
BUSY, FULL = 0.75, 0.95  # a processor that is busier warns, and cannot keep up
LOOPS_HZ = (250, 500, 1000, 2000, 4000, 8000)


def load(mcu: McuClass, kind: DriveKind, outputs: int, loop_hz: int) -> float:
    """The share of its time that the processor is at its loop."""
    return (LOOP_US[mcu] + outputs * OUTPUT_US[kind]) * loop_hz / 1e6


def fastest(mcu: McuClass, kind: DriveKind, outputs: int) -> int:
    """The fastest loop that leaves the processor time."""
    return max((hz for hz in LOOPS_HZ if load(mcu, kind, outputs, hz) <= BUSY), default=LOOPS_HZ[0])
