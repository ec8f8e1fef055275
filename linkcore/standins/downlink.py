"""The way home through the air: the receiver keeps the newest of each message, and sends the one that waited longest in each slot that it has."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from linkcore.devices.on_loss import rssi_percent
from linkcore.devices.sensors import LINK_EVERY_S, TELLINGS
from linkcore.protocols import crsf, mavlink, sport
from linkcore.protocols.base import TelemetryFrame

OTHER_SIZE = 8  # bytes of a message that the catalogue does not know: it is not sent on
MOST_POWER_MW = tuple(sorted(crsf.TX_POWER_MW))


class AirHome:
    """What one receiver has to tell its transmitter. `protocol`: the one by which the board tells it."""

    def __init__(self, protocol: str, slot_bytes: int, every: int) -> None:
        self.every = every
        self._slot_bytes = slot_bytes
        telling = TELLINGS.get(protocol)
        self._protocol = protocol
        self._sizes: Mapping[str, int] = {message.name: message.size for message in telling.messages} if telling else {}
        self._pending: dict[str, TelemetryFrame] = {}
        self._sent: dict[str, int] = {}  # in which of its turns each went out last
        self._turn = 0
        self._under_way: tuple[TelemetryFrame, int] | None = None  # and how many slots it still takes
        self._next_link = 0.0

    def _next_in_turn(self) -> str | None:
        """Of the messages that have something new the one that went out longest ago."""
        if not self._pending:
            return None
        name = min(self._pending, key=lambda each: self._sent.get(each, -1))
        self._turn += 1
        self._sent[name] = self._turn
        return name

    def take(self, frames: Iterable[TelemetryFrame]) -> None:
        """What the receiver has heard from the board; of each message the newest counts."""
        for frame in frames:
            if frame.sensor in self._sizes:
                self._pending[frame.sensor] = frame

    def slot(self, t: float, *, heard: bool, link: tuple[float, float, int, float]) -> TelemetryFrame | None:
        """A slot for the way home at `t` (s): what is whole at the transmitter now. `link`: RSSI in dBm, SNR in dB, LQ in percent, and the transmitter's power in mW."""
        if t >= self._next_link and self._sizes:
            self._next_link = t + LINK_EVERY_S
            told = link_frame(self._protocol, *link)
            self._pending[told.sensor] = told
        if self._under_way is None:
            name = self._next_in_turn()
            if name is None:
                return None
            self._under_way = (self._pending.pop(name), -(-self._sizes[name] // self._slot_bytes))
        if not heard:
            return None
        frame, left = self._under_way
        if left > 1:
            self._under_way = (frame, left - 1)
            return None
        self._under_way = None
        return frame


def link_frame(protocol: str, rssi_dbm: float, snr_db: float, lq_percent: int, power_mw: float) -> TelemetryFrame:
    """What a receiver tells of the link by itself, as its family tells it."""
    if protocol == "CRSF":
        power = min(MOST_POWER_MW, key=lambda each: abs(each - power_mw))
        said = crsf.encode_link_statistics(rssi_dbm=round(rssi_dbm), lq_percent=lq_percent, snr_db=round(max(-128, min(127, snr_db))), tx_power_mw=power)
        frame = crsf.SPEC.decoder().feed(said)[0]
    elif protocol == "MAVLink":
        count = max(0, min(254, round(254 * rssi_percent(rssi_dbm) / 100)))
        said = mavlink.encode("radio_status", rssi=count, remrssi=count, txbuf=100, noise=0, remnoise=0, rxerrors=0, fixed=0)
        frame = mavlink.SPEC.decoder().feed(said)[0]
    else:
        return TelemetryFrame(None, *sport.values_of(0xF101, round(rssi_percent(rssi_dbm))))
    assert isinstance(frame, TelemetryFrame)
    return frame
