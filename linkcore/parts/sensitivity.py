"""The weakest signal that still carries so many radio frames a second, by one rule for every link whose maker states a noise figure.

Thermal noise in the occupied bandwidth, what the receiver adds to it, and what the demodulator needs above both. Noise: k T at 290 K, -174 dBm/Hz (IEEE definition of the noise figure).
Bandwidth: minimum shift keying holds 99 % of its power in 1.18 times the bit rate (its spectrum integrated). It needs 8 dB: Eb/N0 of 6.8 dB for one wrong bit in a thousand, less 0.7 dB
as the bandwidth is wider than the bit rate, and 2 dB for a demodulator as it is built (our figure).
"""

from __future__ import annotations

import math

THERMAL_DBM_HZ = -174.0
FRAME_BITS = 16 * 11 + 64  # sixteen channels; and what tells whose frame it is, its number and whether it came whole (ours)
SHARE_OF_TIME = 0.4  # the rest is for the answer, and for the synthesiser to settle after a hop (ours)
BANDWIDTH_PER_BIT = 1.18
NEEDED_SNR_DB = 8.0
STEP_DB = 0.5


def bandwidth_hz(frames_a_second: float) -> float:
    """What so many frames a second occupy."""
    return FRAME_BITS * frames_a_second / SHARE_OF_TIME * BANDWIDTH_PER_BIT


def sensitivity_dbm(frames_a_second: float, noise_figure_db: float) -> float:
    """The weakest signal, to half a dB."""
    exact = THERMAL_DBM_HZ + 10 * math.log10(bandwidth_hz(frames_a_second)) + noise_figure_db + NEEDED_SNR_DB
    return round(exact / STEP_DB) * STEP_DB
