"""Voltage and current as the board shows them, set right by what a meter or a charger says."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from linkcore.hops.airframe.cells import METER_V
from linkcore.parts.models import CELL_VOLTS, Pack

DIVIDER_OFF = 0.12  # what a divider may be off that nobody has compared with a meter yet (ours)
FAR_OFF = 0.3  # a board that shows so much more or less than the meter measures something else (ours)
APART_A = 2.0  # two points closer than this give no slope worth having (ours)


class MeterError(ValueError):
    """A reading cannot be right. The text says why, and what to do; nothing is kept."""


class CurrentLine(BaseModel):
    """What the board makes of its current sensor: true = slope x shown + offset_a."""

    model_config = ConfigDict(frozen=True)
    slope: float
    offset_a: float

    def true_a(self, shown_a: float) -> float:
        """What really flows."""
        return self.slope * shown_a + self.offset_a


def could_have(pack: Pack, volts: float) -> bool:
    """Whether a pack of that kind may stand so at rest."""
    low, high = _range(pack)
    return low <= volts <= high


def could_show(pack: Pack, volts: float, off: float = DIVIDER_OFF) -> bool:
    """Whether a board may show so of a pack of that kind at rest, whose divider may be `off` by such a share."""
    low, high = _range(pack)
    return low * (1 - off) <= volts <= high * (1 + off)


def _range(pack: Pack) -> tuple[float, float]:
    full, _, empty = CELL_VOLTS[pack.chemistry]
    return pack.cells * (empty - METER_V), pack.cells * (full + METER_V)


def voltage_scale(scale: float, shown_v: float, true_v: float, pack: Pack | None = None) -> float:
    """The scale with which the board would show what the meter shows: scale x true / shown. Raise MeterError."""
    if true_v <= 0 or shown_v <= 0:
        who = "the meter" if true_v <= 0 else "the board"
        raise MeterError(f"{who} reads {min(true_v, shown_v):g} V: plug the pack in, and read both at the same moment")
    if pack is not None and not could_have(pack, true_v):
        low, high = _range(pack)
        raise MeterError(f"{true_v:g} V is no voltage of a {pack.name}, which has {low:.1f} to {high:.1f} V: is another pack plugged in?")
    if abs(true_v / shown_v - 1) > FAR_OFF:
        raise MeterError(f"the board shows {shown_v:g} V where the meter shows {true_v:g} V: it measures something else; look at the sensor's wire first")
    return scale * true_v / shown_v


def current_line(shown_a: tuple[float, float], true_a: tuple[float, float]) -> CurrentLine:
    """Slope and offset from two points, one at little and one at much throttle. Raise MeterError."""
    if abs(shown_a[1] - shown_a[0]) < APART_A or abs(true_a[1] - true_a[0]) < APART_A:
        raise MeterError(f"the two points lie less than {APART_A:g} A apart: take one at rest, and one at half throttle or more")
    slope = (true_a[1] - true_a[0]) / (shown_a[1] - shown_a[0])
    if slope <= 0:
        raise MeterError("the board shows less current where more flows: the two points are mixed up, or the sensor is wired the wrong way round")
    return CurrentLine(slope=slope, offset_a=true_a[0] - slope * shown_a[0])


def slope_by_charge(line: CurrentLine, counted_mah: float, put_back_mah: float) -> CurrentLine:
    """The line with which the board would have counted what the charger put back. Raise MeterError."""
    if counted_mah <= 0 or put_back_mah <= 0:
        raise MeterError("nothing was counted or put back: fly or run the motors, then charge and read the charger")
    ratio = put_back_mah / counted_mah
    if not 1 - FAR_OFF <= ratio <= 1 + FAR_OFF:
        raise MeterError(f"the charger put back {put_back_mah:g} mAh of {counted_mah:g} counted: was the pack as full before as it is now?")
    return CurrentLine(slope=line.slope * ratio, offset_a=line.offset_a * ratio)
