"""A link budget: how much signal is left at a distance.

Free-space path loss: ITU-R P.525-4, equation 4: 20 log10(d km) + 20 log10(f MHz) + 32.45 dB. What may be sent: devices/legal.py.
"""

from __future__ import annotations

import math

from pydantic import BaseModel, Field, computed_field

from linkcore.craft.document import AirSetup, AlarmSet
from linkcore.devices.legal import limit_of
from linkcore.parts.models import FrameRate, Radio, RadioBand, Receiver, Region

MIDDLE_MHZ: dict[tuple[RadioBand, Region], float] = {("900 MHz", "868"): 869.5, ("900 MHz", "915"): 915.0}
MIDDLE_24_MHZ = 2440.0
ALARM_MARGIN_DB = 10.0  # our figure: the pilot wants to turn round before frames are lost
STEEPNESS = 1.5  # of the share lost against the margin, a dB (ours)
HALF_LOST_DB = -2.0  # margin at which every other frame is lost (ours)
NEVER = 1e-6  # a share that is not worth drawing for
SNR_AT_SENSITIVITY_DB = 8.0  # what the sensitivities are reckoned with (parts/sensitivity.py)
POINTS = 61


class Budget(BaseModel):
    """All that goes in and what comes of it, in dB and m. `curve`: (distance m, signal dBm); `limit_dbm` None where the region has none for this band.

    `alarm_from`: the flight's log that the alarm line was found in; empty where it stands a margin above the sensitivity.
    """

    power_dbm: float
    transmitter_gain_dbi: float
    receiver_gain_dbi: float
    other_losses_db: float
    frequency_mhz: float
    rate_hz: float
    sensitivity_dbm: float
    eirp_dbm: float
    limit_dbm: float | None
    limit_from: str
    region: Region | None
    alarm_dbm: float
    alarm_at_m: float
    alarm_from: str
    range_m: float
    margin_at_1_km_db: float
    curve: list[tuple[float, float]]
    powers_dbm: list[float] = Field(default_factory=list)
    rates_hz: list[float] = Field(default_factory=list)

    @computed_field  # type: ignore[prop-decorator]
    @property
    def over_db(self) -> float | None:
        """How much more than the region allows would be sent; negative where less is, None where no limit is known."""
        return None if self.limit_dbm is None else round(self.eirp_dbm - self.limit_dbm, 6)

    @computed_field  # type: ignore[prop-decorator]
    @property
    def over(self) -> bool:
        """Whether more would be sent than the region allows."""
        return self.over_db is not None and self.over_db > 0


def free_space_loss_db(distance_m: float, frequency_mhz: float) -> float:
    """Between isotropic antennas."""
    return 20 * math.log10(max(distance_m, 0.01) / 1000) + 20 * math.log10(frequency_mhz) + 32.45


def reach_m(loss_db: float, frequency_mhz: float) -> float:
    """The distance at which free space takes that much."""
    return float(1000 * 10 ** ((loss_db - 32.45 - 20 * math.log10(frequency_mhz)) / 20))


def chosen_rate(setup: AirSetup, hears: Radio, period_s: float) -> FrameRate:
    """The frame rate that is set, or the receiver's that is nearest to how often its frames come."""
    wanted = setup.rate_hz or 1 / period_s
    return min(hears.rates, key=lambda rate: abs(rate.hz - wanted))


def region_of(sends: Radio, hears: Radio, wanted: Region | None) -> Region | None:
    """Under whose rules a link runs: those that are wanted where both ends know them, else the first that both know; where they share none, those that are wanted."""
    shared = [each for each in sends.regions if each in hears.regions]
    return wanted if wanted in shared or not shared else shared[0]


def frame_period_s(setup: AirSetup, receiver: Receiver) -> float:
    """How often a radio frame comes: at the receiver's rate that is nearest to what is set, else as it comes from its makers."""
    if setup.rate_hz is None:
        return receiver.link_period_s
    return 1 / chosen_rate(setup, receiver.radio, receiver.link_period_s).hz


def budget(setup: AirSetup, sends: Radio, hears: Radio, period_s: float, region: Region | None, measured: AlarmSet | None = None) -> Budget:
    """For a transmitter's end and a receiver as they are set up. `measured`: the craft's alarm line, where a flight's log gave one."""
    rate = chosen_rate(setup, hears, period_s)
    power = setup.power_dbm if setup.power_dbm is not None else default_power(sends, setup, region)
    frequency = setup.frequency_mhz or middle_mhz(hears.band, region)
    eirp = power + setup.transmitter_gain_dbi
    gains = eirp + setup.receiver_gain_dbi - setup.other_losses_db
    left = gains - rate.sensitivity_dbm
    from_log = measured is not None and measured.signal == "rssi_dbm"
    alarm = measured.line if measured is not None and from_log else rate.sensitivity_dbm + ALARM_MARGIN_DB
    reach = reach_m(left, frequency)
    first = max(1.0, reach / 10000)
    distances = [first * (2 * reach / first) ** (index / (POINTS - 1)) for index in range(POINTS)] if reach > first else [1.0, 2.0]
    limit = limit_of(sends, region, setup.transmitter_gain_dbi)
    return Budget(
        power_dbm=power,
        transmitter_gain_dbi=setup.transmitter_gain_dbi,
        receiver_gain_dbi=setup.receiver_gain_dbi,
        other_losses_db=setup.other_losses_db,
        frequency_mhz=frequency,
        rate_hz=rate.hz,
        sensitivity_dbm=rate.sensitivity_dbm,
        eirp_dbm=round(eirp, 2),
        limit_dbm=limit.eirp_dbm if limit else None,
        limit_from=limit.source if limit else "",
        region=region,
        alarm_dbm=alarm,
        alarm_from=measured.log or "a log" if measured is not None and from_log else "",
        alarm_at_m=round(reach_m(gains - alarm, frequency), 1),
        range_m=round(reach, 1),
        margin_at_1_km_db=round(left - free_space_loss_db(1000, frequency), 1),
        curve=[(round(distance, 2), round(gains - free_space_loss_db(distance, frequency), 2)) for distance in distances],
        powers_dbm=list(sends.powers_dbm),
        rates_hz=[each.hz for each in hears.rates],
    )


def default_power(sends: Radio, setup: AirSetup, region: Region | None) -> float:
    """The highest power that the region allows with this antenna; the lowest there is where none is low enough."""
    limit = limit_of(sends, region, setup.transmitter_gain_dbi)
    allowed = [power for power in sends.powers_dbm if limit is None or power + setup.transmitter_gain_dbi <= limit.eirp_dbm + 1e-9]
    return max(allowed) if allowed else min(sends.powers_dbm)


def middle_mhz(band: RadioBand, region: Region | None) -> float:
    """The middle of what is sent on."""
    return MIDDLE_MHZ.get((band, region), 900.0 if band == "900 MHz" else MIDDLE_24_MHZ) if region else (900.0 if band == "900 MHz" else MIDDLE_24_MHZ)


def margin_db(found: Budget, distance_m: float) -> float:
    """Signal above what is still understood, at a distance."""
    gains = found.eirp_dbm + found.receiver_gain_dbi - found.other_losses_db
    return gains - free_space_loss_db(distance_m, found.frequency_mhz) - found.sensitivity_dbm


ONE_IN_A_HUNDRED_DB = HALF_LOST_DB + math.log(99) / STEEPNESS  # the margin at which 1 % of frames are lost


def loss_percent(margin: float) -> float:
    """The share of radio frames that the stand-in air loses at a margin: 1 / (1 + e^(1.5 (margin + 2))), so 1 % at 1 dB above the sensitivity."""
    share = 1 / (1 + math.exp(min(700.0, STEEPNESS * (margin - HALF_LOST_DB))))
    return 100 * share if share >= NEVER else 0.0
