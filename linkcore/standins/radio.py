"""The stand-in transmitter, the air between, and the stand-in receiver."""

from __future__ import annotations

import math
import random
from collections import deque

from linkcore.craft.document import CraftDocument
from linkcore.devices.bind_count import SatelliteSpeech
from linkcore.devices.budget import frame_period_s
from linkcore.devices.ends import ReceiverEnd, TransmitterEnd
from linkcore.devices.gimbals import STICKS
from linkcore.devices.identity import serial_of
from linkcore.devices.model_memory import CENTRE_US, Memory, in_counts
from linkcore.devices.on_loss import FACTORY_PRESET_US, PROCESSING_S, rssi_on_channel_us, rssi_percent, said_in_a_gap, said_when_lost
from linkcore.parts.models import Light, LightState, Receiver, Switch, Transmitter
from linkcore.protocols import crsf, fport
from linkcore.protocols.base import ProtocolSpec, Sent

NOISE_US = 0.35  # a gimbal's own restlessness, standard deviation
_RESTLESS = 4099  # draws kept and walked again, a prime, so that no gimbal hears the same ones twice running
LINK_REPORT_S = 0.1
REPORT_GAP_S = 2 * crsf.SPEC.uart.byte_s  # behind the channels
LQ_FRAMES = 100
NO_SIGNAL = (-120.0, -20.0)
MOST_SNR_DB = 40.0  # a receiver's own noise ends what it can tell


class StandInTransmitter:
    """Sticks and switches in, channel values out. Gimbals run from -1 to 1, right and up positive."""

    def __init__(self, part: Transmitter, document: CraftDocument, rng: random.Random) -> None:
        self.part = part
        self.on = True
        self.end = TransmitterEnd(serial_of(part.id))
        self.gimbals = {"left": {"x": 0.0, "y": 0.0}, "right": {"x": 0.0, "y": 0.0}}
        self.switches = {switch.name: 0 for switch in part.switches}
        self._restlessness = [rng.gauss(0.0, NOISE_US) for _ in range(_RESTLESS)]
        self._restless_at = 0
        self._next_mix: tuple[float, list[float]] | None = None  # when it is made, s, and what it comes to
        self.set_up(document)
        stick, direction = STICKS[self._setup.stick_mode]["throttle"]
        self.gimbals[stick][direction] = -1.0
        self.settle()

    def set_up(self, document: CraftDocument) -> None:
        """Take the model memory from the craft document."""
        self._setup = document.transmitter
        self._memory = Memory(self._setup, self.part)
        self._positions = {switch.name: switch for switch in self.part.switches}
        self.settle()

    def settle(self, t: float | None = None) -> None:
        """Reckon the outputs anew after a hand has moved something: they count from the next mix behind `t` (s) on, or at once."""
        numbers = range(1, min(len(self._setup.channels), self.part.channels) + 1)
        exact = [self._memory.output(number, self._source, self.switches) for number in numbers]
        if t is not None:
            self._mix(t)
            self._next_mix = (math.floor(t / self.part.frame_s + 1 + 1e-9) * self.part.frame_s, exact)
            return
        self._next_mix = None
        self._take(exact)

    def _mix(self, t: float) -> None:
        """Let a mix that is due be made."""
        if self._next_mix is not None and t >= self._next_mix[0] - 1e-9:
            exact, self._next_mix = self._next_mix[1], None
            self._take(exact)

    def _take(self, exact: list[float]) -> None:
        self._exact = exact
        self._still = [in_counts(us, self.part) for us in self._exact]
        self._noisy = [index for index in range(len(self._still)) if self._setup.channels[index].source in STICKS[2]]

    def _source(self, source: str) -> float:
        if source in STICKS[2]:
            stick, direction = STICKS[self._setup.stick_mode][source]
            return self.part.gimbal(source).value(self.gimbals[stick][direction])
        switch: Switch | None = self._positions.get(source)
        return -1 + 2 * self.switches[source] / (switch.positions - 1) if switch else 0.0

    def aims_us(self) -> list[float]:
        """What it will send once the next mix is made."""
        return self._next_mix[1] if self._next_mix is not None else self._exact

    def outputs_us(self) -> list[float]:
        """What it sends, noise aside, in us."""
        return self._still

    def frame(self, t: float) -> list[float]:
        """What the radio frame that begins at `t` carries, in us, as last mixed, the gimbals' noise included, on its raw counts."""
        self._mix(t)
        us = self._still.copy()
        noise, exact, step, at = self._restlessness, self._exact, self.part.count_us, self._restless_at
        for index in self._noisy:
            us[index] = CENTRE_US + round((exact[index] + noise[at] - CENTRE_US) / step) * step
            at = at + 1 if at < _RESTLESS - 1 else 0
        self._restless_at = at
        return us


BURST_FRAMES = 4.0  # how many frames in a row the air takes where a signal is weak, in the mean (ours)
SHADOW_DB = 3.0  # the spread of a signal about what the distance makes of it: log-normal shadowing, ITU-R P.1406
SHADOW_S = 2.0  # how long a shadow lasts (ours)
OPEN_M = 10.0  # nearer than this nothing stands between


NULL_DB, NULL_DEG = 15.0, 18.0  # along a wire antenna, which lies across the craft: how much less is heard, and how wide that is (ours)
BODY_DB, BODY_DEG = 10.0, 35.0  # with the pack between antenna and transmitter, from behind (ours)


def aspect_db(heading_deg: float, distance_m: float) -> float:
    """What the craft's own side takes from the signal: antenna nulls to both sides, its body from behind. Within reach of an arm none of that counts."""
    if distance_m <= OPEN_M:
        return 0.0

    def about(middle: float, depth: float, width: float) -> float:
        off = abs((heading_deg - middle + 180) % 360 - 180)
        return depth * math.exp(-((off / width) ** 2))

    return about(90, NULL_DB, NULL_DEG) + about(270, NULL_DB, NULL_DEG) + about(180, BODY_DB, BODY_DEG)


class Air:
    """The radio link: frames at a fixed period. Some are lost by hand, each for itself; where the signal is weak they are lost in bursts, in and out of shadows."""

    def __init__(self, rng: random.Random) -> None:
        self.loss_percent = 0.0
        self.shadow_db = 0.0
        self._in_burst = False
        self.silenced: tuple[float, float] | None = None  # from when until when nothing gets through, s
        self._rng = rng
        self._recent: deque[bool] = deque(maxlen=LQ_FRAMES)
        self._heard = 0

    def pass_shadow(self, distance_m: float, period_s: float) -> None:
        """A frame period goes by: the shadow that lies on the way deepens or lifts."""
        if distance_m <= OPEN_M:
            self.shadow_db = 0.0
            return
        stays = math.exp(-period_s / SHADOW_S)
        self.shadow_db = stays * self.shadow_db + math.sqrt(1 - stays * stays) * self._rng.gauss(0.0, SHADOW_DB)

    def _taken(self, share: float) -> bool:
        """Whether a weak signal loses this frame: two states, so that the share is as given and a burst is BURST_FRAMES long in the mean."""
        if share <= 0:
            self._in_burst = False
            return False
        stays = max(1 - 1 / BURST_FRAMES, share)
        chance = stays if self._in_burst else share * (1 - stays) / (1 - share) if share < 1 else 1.0
        self._in_burst = self._rng.random() < chance
        return self._in_burst

    def quiet(self, t: float) -> bool:
        """Whether nothing gets through at `t`, by hand."""
        return self.silenced is not None and self.silenced[0] <= t < self.silenced[1]

    def carries(self, sent: bool, weak_percent: float, t: float) -> bool:
        """Whether this slot's frame is heard. `weak_percent`: the share that is lost because the signal is weak."""
        quiet = self.silenced is not None and self.quiet(t)
        by_hand = self.loss_percent > 0 and self._rng.random() * 100 < self.loss_percent
        heard = sent and not quiet and not by_hand and not self._taken(weak_percent / 100)
        recent = self._recent
        if len(recent) == LQ_FRAMES:
            self._heard -= recent[0]
        recent.append(heard)
        self._heard += heard
        return heard

    def forget(self) -> None:
        """The receiver was switched off: its count begins anew."""
        self._recent.clear()
        self._heard = 0

    @property
    def lq_percent(self) -> int:
        """Heard frames among the last hundred slots."""
        slots = len(self._recent)
        return self._heard if slots == LQ_FRAMES else round(100 * self._heard / slots) if slots else 0


Said = tuple[float, Sent | bytes]


class StandInReceiver:
    """Hears radio frames and says on its wires what its protocol says. It is silent until it has had a link once. `runs`: whether its firmware does."""

    def __init__(self, part: Receiver, document: CraftDocument, spec: ProtocolSpec) -> None:
        self.part, self.spec = part, spec
        self.end = ReceiverEnd(part.binding)
        self.runs = True
        self._rssi_us = rssi_on_channel_us(0.0)
        self.signal = NO_SIGNAL  # what arrives: RSSI in dBm, and SNR in dB
        self.speech: SatelliteSpeech | None = None  # of a satellite that was bound by a count
        self._slot = 0
        self.set_up(document)
        self.power(True, 0.0)

    def set_up(self, document: CraftDocument) -> None:
        """Take what it does on loss from the craft document."""
        self._on_loss = document.receiver.on_loss
        self.period_s = frame_period_s(document.air, self.part)
        self._preset = document.receiver.preset_us or [*FACTORY_PRESET_US]

    def power(self, on: bool, t: float, *, button: bool = False, pulses: int = 0) -> None:
        """Switch the supply; its bind button may be held, and the board may send bind pulses."""
        self.powered = on
        self.end.power(on and self.runs, t, button=button, pulses=pulses)
        self._values: list[float] | None = None
        self._last_heard = t
        self._next_report = t
        self._fades = 0
        self.linked = False

    @property
    def state(self) -> LightState | None:
        """What it is doing; None without supply."""
        return "bootloader" if self.powered and not self.runs else self.end.state

    @property
    def light(self) -> Light:
        """What its light shows."""
        return self.part.binding.light(self.state)

    def tick(self, t: float) -> None:
        """Waiting in bind ends by itself; and whoever waits, or was made to forget, has no link."""
        self.end.tick(t)
        if self.linked and not self.end.listens:
            self.linked, self._values = False, None
        self.end.link(self.linked)

    def slot(self, t: float, values: list[float] | None, lq_percent: int) -> list[Said]:
        """One radio slot at `t` (s): `values` in us, None where none was heard. Returns what goes on the wire and when: channels, or bytes."""
        if not self.powered or not self.end.listens:
            return []
        if values is not None:
            self._values, self._last_heard, self.linked = values, t, True
        elif self.linked:
            self._fades += 1
            if t - self._last_heard >= self.part.lost_after_s - 1e-9:
                self.linked = False
        out: list[Said] = []
        self._slot += 1
        if self.speech and self._slot % max(1, round(self.speech.period_s / self.period_s)):
            return out  # it speaks only in every second slot
        sent = self._channels(values is not None, lq_percent)
        if sent is not None:
            out.append((t + PROCESSING_S, sent))
            if self.spec is fport.SPEC and self.part.telemetry is not None:
                out.append((t + PROCESSING_S, fport.encode_poll()))  # at once behind the channels, as the wire is free
        if self.part.reports_link and t >= self._next_report - 1e-9:
            self._next_report = t + LINK_REPORT_S
            rssi, snr = self.signal if self.linked else NO_SIGNAL
            report = crsf.encode_link_statistics(rssi_dbm=round(rssi), lq_percent=lq_percent if self.linked else 0, snr_db=round(min(snr, MOST_SNR_DB)))
            out.append((t + PROCESSING_S + REPORT_GAP_S if out else t + PROCESSING_S, report))
        return out

    def _channels(self, heard: bool, lq_percent: int) -> Sent | None:
        sent = self._said(heard, lq_percent)
        channel = self.part.rssi_channel
        if sent is None or channel is None:
            return sent
        if self.linked or not self.part.rssi_holds:
            self._rssi_us = rssi_on_channel_us(rssi_percent(self.signal[0]) if self.linked else 0.0)
        values = [*sent.us, *([1500.0] * (channel - len(sent.us)))]
        values[channel - 1] = self._rssi_us
        return sent._replace(us=values)

    def _said(self, heard: bool, lq_percent: int) -> Sent | None:
        if self._values is None:
            return None
        if heard:
            return Sent(self._values, rssi_percent=lq_percent, fades=self._fades)
        said = said_in_a_gap(self.part, self._on_loss, self.spec.wire) if self.linked else said_when_lost(self.part, self._on_loss)
        if said.values is None:
            return None
        flagged_gap = self.linked and said.frame_lost
        return Sent(self._preset if said.values == "preset" else self._values, said.frame_lost, said.failsafe, lq_percent if flagged_gap else 0, self._fades)
