"""What a region allows to be sent, as EIRP with the antenna that is on it.

FCC, 47 CFR 15.247 (b): a hopping system conducts 1 W (30 dBm) at 2400 to 2483.5 MHz with 75 channels or more, else 0.125 W (21 dBm); at 902 to 928 MHz 1 W with 50 channels or more, 0.25 W (24 dBm)
with 25 to 49; less by what the antenna has above 6 dBi. A system that does not hop counts as digitally modulated, 1 W, where its 6 dB bandwidth is 0.5 MHz or more (15.247 (a) (2)).
LBT, ETSI EN 300 328: 20 dBm EIRP, antenna included; what does not hop (over 15 channels or more) also keeps to 10 dBm a MHz.
868, ETSI EN 300 220-2: 869.4 to 869.65 MHz 500 mW ERP (27 dBm) with at most a tenth of an hour sent, each end counting its own, or polite access; 869.7 to 870.0 MHz 5 mW ERP (7 dBm) without a limit on time.
ERP to EIRP: + 2.15 dB (ITU-R BS.561, half-wave dipole).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from linkcore.parts.models import Radio, Region

ERP_TO_EIRP_DB = 2.15
FREE_GAIN_DBI = 6.0  # FCC: what an antenna may have before the power has to come down
LEAST_HOPS_LBT = 15
TENTH_PERCENT = 10.0


@dataclass(frozen=True)
class Limit:
    """EIRP in dBm, and the rule that it comes from."""

    eirp_dbm: float
    source: str


def limit_of(radio: Radio, region: Region | None, gain_dbi: float) -> Limit | None:
    """What an end may send with an antenna of that gain; None where the region has no rule for its band that is known here."""
    if region == "FCC" and radio.band == "2.4 GHz":
        return _fcc(radio, gain_dbi, ((75, 30.0),), 21.0)
    if region == "915" and radio.band == "900 MHz":
        return _fcc(radio, gain_dbi, ((50, 30.0), (25, 24.0)), None)
    if region == "LBT" and radio.band == "2.4 GHz":
        dense = 10.0 + 10 * math.log10(radio.width_mhz)
        if radio.hop_channels < LEAST_HOPS_LBT and dense < 20.0:
            return Limit(round(dense, 2), f"EN 300 328, without hopping: 10 dBm a MHz over {radio.width_mhz:g} MHz")
        return Limit(20.0, "EN 300 328")
    if region == "868" and radio.band == "900 MHz":
        if radio.polite or radio.duty_percent <= TENTH_PERCENT:
            how = "with polite access" if radio.polite else f"{radio.duty_percent:g} % of an hour sent, 10 % at most"
            return Limit(27.0 + ERP_TO_EIRP_DB, f"EN 300 220-2, 869.4 to 869.65 MHz, {how}")
        return Limit(7.0 + ERP_TO_EIRP_DB, "EN 300 220-2, 869.7 to 870.0 MHz, which has no limit on time")
    return None


def _fcc(radio: Radio, gain_dbi: float, hopping: tuple[tuple[int, float], ...], few: float | None) -> Limit:
    if radio.hop_channels == 1:
        conducted, how = (30.0, "digital modulation") if radio.width_mhz >= 0.5 else (-math.inf, "it neither hops nor is 0.5 MHz wide")
    else:
        conducted = next((power for least, power in hopping if radio.hop_channels >= least), -math.inf if few is None else few)
        how = f"hopping over {radio.hop_channels} channels"
    return Limit(conducted + min(gain_dbi, FREE_GAIN_DBI), f"47 CFR 15.247, {how}: {conducted:g} dBm conducted into up to 6 dBi")
