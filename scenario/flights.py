"""Two logs of the scenario's flights: Avocet down a creek whose noise has frames lost from -101 dBm on, and Curlew about its nests without any. Made by a seed; a row a tenth of a second."""

from __future__ import annotations

import math

import numpy as np

from linkcore.devices.on_loss import rssi_percent

ROWS_A_S = 10
FRAMES_A_ROW = 5
LOSS_BEGINS_DBM, STEEPNESS = -101.0, 1.2  # 1 % of frames lost, and how fast that grows by dB


def logs() -> dict[str, tuple[str, bytes]]:
    """(name, CSV) by the name of the craft."""
    return {
        "Avocet": ("down the creek.csv", _flight(3, minutes=9, farthest_m=1500, at_100_m_dbm=-79)),
        "Curlew": ("over the nests.csv", _flight(5, minutes=4, farthest_m=160, at_100_m_dbm=-61, percent=True)),
    }


def _flight(seed: int, *, minutes: float, farthest_m: float, at_100_m_dbm: float, percent: bool = False) -> bytes:
    """Out and back twice, with shadows of 2 dB; losses in the mean as the curve says. `percent`: the transmitter knows RSSI as its receiver tells it, in percent."""
    rng = np.random.default_rng(seed)
    count = int(minutes * 60 * ROWS_A_S)
    t = np.arange(count) / ROWS_A_S
    away = 10 + farthest_m * (0.5 - 0.5 * np.cos(4 * math.pi * t / (minutes * 60)))
    knots = np.arange(0, t[-1] + 3, 2.0)
    signal = at_100_m_dbm - 20 * np.log10(away / 100) + np.interp(t, knots, rng.normal(0, 2, len(knots)))
    share = 1 / (1 + np.exp(STEEPNESS * (signal - (LOSS_BEGINS_DBM - math.log(99) / STEEPNESS))))
    lost = rng.binomial(FRAMES_A_ROW, share)
    told = [rssi_percent(dbm) for dbm in signal] if percent else signal
    rows = (f"{at:.1f},{dbm:.0f},{FRAMES_A_ROW},{gone},{metres:.0f}" for at, dbm, gone, metres in zip(t, told, lost, away, strict=True))
    return (f"time_s,{'rssi_percent' if percent else 'rssi_dbm'},expected,lost,distance_m\n" + "\n".join(rows) + "\n").encode()
