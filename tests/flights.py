"""Flights whose link is lost little by little: a log of frames with a known truth."""

from __future__ import annotations

import math
import struct

import numpy as np

from linkcore.signal.flight_log import FlightLog

HZ = 50.0


def flight(seed: int, *, burst: float = 1.0, minutes: float = 10.0, middle: float = -103.0, steepness: float = 0.9) -> tuple[FlightLog, float]:
    """(a log, where 1 % is lost): out and back a few times, with shadows on the way; losses come in bursts of `burst` frames in the mean, as often as the curve says."""
    rng = np.random.default_rng(seed)
    count = int(minutes * 60 * HZ)
    t = np.arange(count) / HZ
    away = 40 + 1500 * (0.5 - 0.5 * np.cos(2 * math.pi * t / (minutes * 60 / 4))) ** 1.5
    shadow = np.interp(t, np.arange(0, t[-1] + 2, 1.0), rng.normal(0, 3, int(t[-1]) + 3)[: len(np.arange(0, t[-1] + 2, 1.0))])
    signal = np.round(-45 - 20 * np.log10(away / 10) - 12 + shadow - 3)
    share = 1 / (1 + np.exp(steepness * (signal - middle)))
    lost = np.zeros(count)
    draws, stays = rng.random(count), 1 - 1 / burst
    gone = False
    for index in range(count):  # a chain of two states whose share of time lost is the curve's
        p = share[index]
        gone = draws[index] < (stays + (1 - stays) * p if gone else (1 - stays) * p)
        lost[index] = gone
    return FlightLog("rssi_dbm", signal, np.ones(count), lost, t, away), middle + math.log(99) / steepness


def telemetry_log(log: FlightLog, *, every: int = 5, wrong: bytes = b"") -> bytes:
    """The same flight as MAVLink telemetry: a message a frame with its own sequence number, those that were lost left out, and the radio's RSSI now and then. `wrong`: bytes in the middle that are no message."""
    from pymavlink.dialects.v20 import common

    sender = common.MAVLink(None, srcSystem=7, srcComponent=1)
    pieces = []
    for index, (t, dbm, lost) in enumerate(zip(log.time_s, log.value, log.lost, strict=True)):
        share = min(254, max(0, round((dbm + 127) * 1.9)))
        message = (
            common.MAVLink_radio_status_message(share, share, 100, 30, 30, 0, 0) if index % every == 0 else common.MAVLink_heartbeat_message(2, 3, 0, 0, 4, 3)
        )
        packed = message.pack(sender)
        sender.seq = (sender.seq + 1) % 256
        if not lost:
            pieces.append(struct.pack(">Q", round(1.7e15 + t * 1e6)) + bytes(packed))
    middle = len(pieces) // 2
    return b"".join([*pieces[:middle], wrong, *pieces[middle:]])


def csv(log: FlightLog, head: str = "time_s,rssi_dbm,lost", *more: np.ndarray) -> bytes:
    rows = np.column_stack((log.time_s, log.value, log.lost, *more))
    return (head + "\n" + "\n".join(",".join(f"{each:.7g}" for each in row) for row in rows) + "\n").encode()


def rows(head: str, *lines: str, times: int = 40) -> str:
    return "\n".join([head, *lines * times]) + "\n"
