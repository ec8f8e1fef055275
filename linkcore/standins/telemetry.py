"""Telemetry on the bench: what the board tells, in which protocol's bytes, and how it takes its turn on a shared wire."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from linkcore.protocols import crsf, fport, hub, ibus, mavlink, sport
from linkcore.protocols.base import Frame, PollFrame, SerialSpec, TelemetryFrame
from linkcore.protocols.registry import SERIAL_PROTOCOLS
from linkcore.signal.edges import NO_TIMES, Times
from linkcore.signal.uart import UartSettings, send

CRSF_EVERY_S = 0.1
HUB_EVERY_S = 0.2
MAVLINK_EVERY_S = 0.2
SPORT_POLL_S = 0.012
IBUS_POLL_S = 0.007
SPORT_ANSWER_AFTER_S = 0.0006
IBUS_ANSWER_AFTER_S = 0.0004
IBUS_ADDRESS = 1


@dataclass(frozen=True)
class BoardSays:
    """What a board knows of itself. Volts at the pack, amperes, what was used (mAh), and its flight mode."""

    voltage_v: float
    current_a: float
    used_mah: int
    remaining_percent: int
    mode: str


class Exchange:
    """One wire on which telemetry goes home. `master`: what the receiver says there; `answers`: what the board says, given what it read.

    A board that reads nothing (its pad cannot invert, the wire ends elsewhere) never answers, as it would be.
    """

    def __init__(self, protocol: str) -> None:
        found = SERIAL_PROTOCOLS.get(protocol)
        if found is None:
            raise ValueError(f"no telemetry protocol is called {protocol!r}")
        self.spec: SerialSpec = found
        self._next = 0.0
        self._turn = 0
        self._polled = 0

    def master(self, since: float, until: float) -> list[tuple[float, bytes]]:
        """The receiver's questions that begin in this stretch, with their times (s)."""
        period, ask = {"S.Port": (SPORT_POLL_S, self._ask_sport), "IBUS telemetry": (IBUS_POLL_S, self._ask_ibus)}.get(self.spec.name, (0.0, None))
        if ask is None:
            return []
        self._next = max(self._next, since)
        out = []
        while self._next < until:
            out.append((self._next, ask()))
            self._next += period
        return out

    def _ask_sport(self) -> bytes:
        self._polled = (self._polled + 1) % 28
        return sport.encode_poll(self._polled)

    def _ask_ibus(self) -> bytes:
        self._polled += 1
        kind = ibus.DISCOVER if self._polled < 3 else ibus.TYPE if self._polled % 40 == 3 else ibus.VALUE
        return ibus.encode_poll(kind, IBUS_ADDRESS)

    def unasked(self, since: float, until: float, says: BoardSays) -> list[tuple[float, bytes]]:
        """What a board sends by itself on a wire of its own."""
        every, make = {"CRSF": (CRSF_EVERY_S, self._crsf), "hub telemetry": (HUB_EVERY_S, _hub), "MAVLink": (MAVLINK_EVERY_S, self._mavlink)}.get(
            self.spec.name, (0.0, None)
        )
        if make is None:
            return []
        self._next = max(self._next, since)
        out = []
        while self._next < until:
            out.append((self._next, make(says)))
            self._next += every
        return out

    def answers(self, frames: list[Frame], says: BoardSays) -> list[tuple[float, bytes]]:
        """The board's answers to the questions among the frames it has read."""
        out = []
        byte_s = self.spec.uart.byte_s
        for frame in frames:
            if not isinstance(frame, PollFrame) or frame.t is None:
                continue
            if self.spec.name == "S.Port" and frame.asks == f"sensor {sport.BOARD_ID}":
                out.append((frame.t + 2 * byte_s + SPORT_ANSWER_AFTER_S, self._sensor(says, sport.encode_answer)))
            elif self.spec.name == "F.Port" and frame.end is not None:
                out.append((frame.end + 2 * byte_s + fport.ANSWER_AFTER_S, self._sensor(says, fport.encode_answer)))
            elif self.spec.name == "IBUS telemetry" and frame.asks == f"sensor {IBUS_ADDRESS}":
                out.append((frame.t + 4 * byte_s + IBUS_ANSWER_AFTER_S, self._ibus(says)))
        return out

    def _sensor(self, says: BoardSays, encode: Callable[[int, int], bytes]) -> bytes:
        values = ((0x0210, round(says.voltage_v * 100)), (0x0200, round(says.current_a * 10)), (0x0600, says.remaining_percent))
        app_id, value = values[self._turn % len(values)]
        self._turn += 1
        return encode(app_id, value)

    def _ibus(self, says: BoardSays) -> bytes:
        self._turn += 1  # it answers in the receiver's order: discover twice, then type and values
        if self._turn < 3:
            return ibus.encode_discovered(IBUS_ADDRESS)
        return ibus.encode_type(IBUS_ADDRESS, 3) if self._turn % 40 == 3 else ibus.encode_value(IBUS_ADDRESS, 3, says.voltage_v)

    def _crsf(self, says: BoardSays) -> bytes:
        self._turn += 1
        if self._turn % 2:
            return crsf.encode_battery(voltage_v=says.voltage_v, current_a=says.current_a, used_mah=says.used_mah, remaining_percent=says.remaining_percent)
        return crsf.encode_flight_mode(says.mode)

    def _mavlink(self, says: BoardSays) -> bytes:
        self._turn += 1
        if self._turn % 2:
            return mavlink.encode("heartbeat", self._turn, type=2, autopilot=3, base_mode=81, custom_mode=0, system_status=4)
        left, used, amps = says.remaining_percent, says.used_mah, round(says.current_a * 100)
        cells = [round(says.voltage_v * 250)] * 4 + [mavlink.UNUSED] * 6
        told: dict[str, Any] = {"voltages": cells, "current_battery": amps, "current_consumed": used, "battery_remaining": left}
        return mavlink.encode("battery_status", self._turn, id=0, battery_function=0, type=1, temperature=2000, energy_consumed=-1, **told)


def _hub(says: BoardSays) -> bytes:
    return hub.encode({hub.VOLTAGE: round(says.voltage_v * 10), hub.CURRENT: round(says.current_a * 10), hub.FUEL: says.remaining_percent})


def toggles_of(pieces: list[tuple[float, bytes]], uart: UartSettings) -> Times:
    """The toggles of bytes that begin at these times (s), each piece back to back."""
    if not pieces:
        return NO_TIMES
    starts = np.concatenate([start + np.arange(len(data)) * uart.byte_s for start, data in pieces])
    return send(b"".join(data for _, data in pieces), starts, uart).times


def told(frames: list[Frame]) -> list[TelemetryFrame]:
    """The frames that carry a value from the board."""
    return [frame for frame in frames if isinstance(frame, TelemetryFrame) and frame.sensor not in ("link_statistics", "sensor_type")]
