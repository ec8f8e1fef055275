"""How long a stick's movement takes to the board's loop, hop by hop, reckoned from the kit."""

from __future__ import annotations

from pydantic import BaseModel, computed_field

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import frame_period_s
from linkcore.protocols.base import SerialSpec
from linkcore.protocols.registry import RECEIVER_PROTOCOLS


class LatencyPart(BaseModel):
    """One stretch of the way, ms. A thing that happens every p ms is waited for p/2 typically and p at worst."""

    name: str
    typical_ms: float
    worst_ms: float
    why: str


class Latency(BaseModel):
    """The whole way from thumb to loop."""

    parts: list[LatencyPart]

    @computed_field  # type: ignore[prop-decorator]
    @property
    def typical_ms(self) -> float:
        """The sum of what is typical."""
        return round(sum(part.typical_ms for part in self.parts), 2)

    @computed_field  # type: ignore[prop-decorator]
    @property
    def worst_ms(self) -> float:
        """The sum of the worst of each."""
        return round(sum(part.worst_ms for part in self.parts), 2)


class MeasuredLatency(BaseModel):
    """What movements took on the bench, ms, from the hand to the frame in which the board had them: the middle one and the longest of `count`."""

    count: int
    typical_ms: float
    worst_ms: float


def latency(document: CraftDocument, parts: KitParts) -> Latency | None:
    """Reckoned in the order of the chain; None while the kit is not whole or the receiver's output is not known."""
    spec = RECEIVER_PROTOCOLS.get(parts.spoken.protocol) if parts.whole and parts.spoken else None
    if spec is None:
        return None
    transmitter, receiver, board = parts.transmitter, parts.receiver, parts.board
    found = [_every("transmitter", transmitter.frame_s * 1e3, f"the {transmitter.name} mixes its channels every {transmitter.frame_s * 1e3:g} ms")]
    period = frame_period_s(document.air, receiver) * 1e3
    hz, flight = 1e3 / period, period
    found.append(
        LatencyPart(name="air", typical_ms=round(flight * 1.5, 2), worst_ms=round(flight * 2, 2), why=f"{hz:.0f} radio frames a second: waited for, then sent")
    )
    own = [period * 1e3 for period in spec.periods_s]
    if spec.wire == "serial":
        tied = f"the {receiver.name} sends a frame behind each radio frame, 0.8 ms later"
        turns = spec.frames_for(parts.spoken.channels) if isinstance(spec, SerialSpec) and parts.spoken else 1
        if turns > 1:
            tied += f"; {parts.spoken.channels if parts.spoken else 0} channels go in {turns} frames by turns"
        found.append(LatencyPart(name="receiver", typical_ms=round(0.8 + (turns - 1) * period / 2, 2), worst_ms=round(0.8 + (turns - 1) * period, 2), why=tied))
    else:
        found.append(
            _every("receiver", max(min(own, default=20.0), period), f"the {receiver.name} sends pulses every {max(min(own, default=20.0), period):g} ms")
        )
    if isinstance(spec, SerialSpec):
        wire = spec.frame_bytes * spec.uart.byte_s * 1e3
        found.append(
            LatencyPart(
                name="wire", typical_ms=round(wire, 2), worst_ms=round(wire, 2), why=f"{spec.frame_bytes} bytes of {spec.name} at {spec.uart.baud} baud"
            )
        )
    else:
        longest = 2.0 * (spec.channels if spec.wire == "PPM" else 1)
        found.append(LatencyPart(name="wire", typical_ms=round(longest * 0.75, 2), worst_ms=longest, why=f"the pulses of {spec.name} themselves"))
    found.append(
        _every("board", 1e3 / (loop_hz := document.settings.drive.loop_hz or board.loop_hz), f"the loop of the {board.name} runs {loop_hz} times a second")
    )
    return Latency(parts=found)


def _every(name: str, period_ms: float, why: str) -> LatencyPart:
    return LatencyPart(name=name, typical_ms=round(period_ms / 2, 2), worst_ms=round(period_ms, 2), why=why)
