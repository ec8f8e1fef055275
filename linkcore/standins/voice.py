"""How a receiver's words become levels on its wires: bytes on one wire, pulses on one, or a pulse a channel on several."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence

import numpy as np

from linkcore.parts.models import Output
from linkcore.protocols.base import Encoder, ProtocolSpec, PulseSpec, SerialSpec
from linkcore.protocols.ppm import PERIOD_S as PPM_PERIOD_S
from linkcore.signal.edges import NO_TIMES, Times
from linkcore.signal.uart import UartSettings, toggles_of
from linkcore.standins.radio import Said

MOST_LAG_S = 0.88 * PPM_PERIOD_S  # a frame of pulses that would begin later than this is left to the next radio slot


class Voice(ABC):
    """What a receiver's pins do. `idle`: the level they rest at."""

    idle: int
    pins: tuple[str, ...]

    @abstractmethod
    def say(self, words: Sequence[Said]) -> list[Times]:
        """The toggles on each pin for what is said; times in bench seconds, later ones always behind earlier ones."""


class SerialVoice(Voice):
    """Bytes on one pin."""

    def __init__(self, spec: SerialSpec, output: Output) -> None:
        assert spec.encoder is not None, "every receiver protocol has one"
        self.uart: UartSettings = spec.uart.with_inversion(output.inverted)
        self.idle = self.uart.idle_level
        self.pins = output.pins[:1]
        self._channels = output.channels
        self._usual = self._encoder = spec.encoder()
        self._busy_until = 0.0

    def speak(self, encoder: Encoder | None) -> None:
        """Make frames in another way; None: as this output's protocol does."""
        self._encoder = encoder or self._usual

    def say(self, words: Sequence[Said]) -> list[Times]:
        """See Voice. A word that comes while another is still going out waits for it."""
        byte_s, encode, most = self.uart.byte_s, self._encoder.frame, self._channels
        pieces = []
        for start, what in words:
            piece = what if isinstance(what, bytes) else encode(what if len(what.us) <= most else what._replace(us=what.us[:most]))
            start = max(start, self._busy_until)
            self._busy_until = start + len(piece) * byte_s
            pieces.append((start, piece))
        return [toggles_of(pieces, self.uart)]


class PulseVoice(Voice):
    """PPM on one pin, or PWM with one pin a channel."""

    def __init__(self, spec: PulseSpec, output: Output) -> None:
        self._spec = spec
        self.idle = int(output.inverted)
        self.pins = output.pins
        self._channels = output.channels
        self._next = 0.0

    def say(self, words: Sequence[Said]) -> list[Times]:
        """See Voice."""
        leads: list[list[Times]] = [[] for _ in self.pins]
        for t, what in words:
            if isinstance(what, bytes):
                continue
            us = [*what.us, *[1500.0] * self._channels][: self._channels]
            if self._spec.pulses == "PWM":
                for lead, value in zip(leads, us, strict=False):
                    lead.append(self._spec.edges([value], t))
            elif self._next - t < MOST_LAG_S:  # its frames are longer than a radio slot: now and then a slot is skipped
                start = max(t, self._next)
                self._next = start + PPM_PERIOD_S
                leads[0].append(self._spec.edges(us, start))
        return [np.concatenate(lead) if lead else NO_TIMES for lead in leads]


def voice_of(spec: ProtocolSpec, output: Output) -> Voice:
    """The voice of a receiver that speaks this protocol on this output."""
    if isinstance(spec, SerialSpec):
        return SerialVoice(spec, output)
    assert isinstance(spec, PulseSpec)
    return PulseVoice(spec, output)
