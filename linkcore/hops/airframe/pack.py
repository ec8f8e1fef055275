"""The pack as it is found to be: its cells, and what the board would have to reckon with so that it shows what meter and charger do."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import PowerSetup
from linkcore.devices.pack import shown_a, shown_mah, shown_v
from linkcore.hops.airframe.cells import cell_counts
from linkcore.hops.airframe.measure import AirframeMeasure
from linkcore.hops.airframe.meters import CurrentLine, MeterError, current_line, slope_by_charge
from linkcore.parts.models import Pack

VOLTS_WITHIN, AMPS_WITHIN, LEAST_OFF_A = 0.02, 0.05, 0.3  # what may be left between board and meter (ours)


@dataclass(frozen=True)
class Cells:
    """How many cells lie there: `counts` that the voltage at rest allows, `cells` where that or the pilot tells it; `ask`: two are possible, and the pilot has to count."""

    counts: list[int]
    cells: int | None
    ask: bool


def cells_found(seen: AirframeMeasure, pack: Pack) -> Cells | None:
    """By what the meter showed, for the chosen pack's chemistry; None where nobody has held one to it."""
    if seen.pack_v is None:
        return None
    counts = cell_counts(seen.pack_v, pack.chemistry)
    if seen.cells_told is not None:
        return Cells(counts, seen.cells_told, ask=False)
    return Cells(counts, counts[0] if len(counts) == 1 else None, ask=len(counts) > 1)


def voltage_off(setup: PowerSetup, seen: AirframeMeasure) -> float | None:
    """By what share the board shows too much; None where nobody has compared it."""
    return None if seen.volts is None else shown_v(setup, seen.volts.read_v) / seen.volts.true_v - 1


def scale_for(seen: AirframeMeasure) -> float | None:
    """The voltage scale with which it would show what the meter did."""
    return None if seen.volts is None else round(seen.volts.true_v / seen.volts.read_v, 4)


def line_for(setup: PowerSetup, seen: AirframeMeasure) -> CurrentLine | None:
    """Slope and offset with which it would show what the meter did, or would have counted what the charger put back; the charger's word counts more.

    None where nothing was compared, or where meter and charger contradict each other.
    """
    line = _line_by_meter(seen)
    if seen.charge is not None:
        by = line or CurrentLine(slope=setup.current_slope, offset_a=setup.current_offset_a)
        counted = by.slope * seen.charge.read_mah + by.offset_a * 1000 * seen.charge.hours
        try:
            return slope_by_charge(by, counted, seen.charge.put_back_mah)
        except MeterError:
            return None
    return line


def _line_by_meter(seen: AirframeMeasure) -> CurrentLine | None:
    if len(seen.amps) < 2:
        return None
    low, high = seen.amps
    return current_line((low.read_a, high.read_a), (low.true_a, high.true_a))


def current_off(setup: PowerSetup, seen: AirframeMeasure) -> str | None:
    """What the board shows wrongly, in words; empty where it shows what is so, None where nobody has compared enough."""
    if seen.charge is not None:
        counts = shown_mah(setup, seen.charge.read_mah, seen.charge.hours)
        if abs(counts / seen.charge.put_back_mah - 1) > AMPS_WITHIN:
            return f"it counted {counts:.0f} mAh where the charger put back {seen.charge.put_back_mah:.0f}"
        return ""
    if len(seen.amps) < 2:
        return None
    for point in reversed(seen.amps):
        shows = shown_a(setup, point.read_a)
        if abs(shows - point.true_a) > max(LEAST_OFF_A, AMPS_WITHIN * abs(point.true_a)):
            return f"it shows {shows:.1f} A where {point.true_a:.1f} A flow"
    return ""
