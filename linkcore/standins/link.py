"""The radio link on the bench: both ends, who knows whom, how far apart they are, and what the air loses."""

from __future__ import annotations

import math
import random
from array import array
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import SNR_AT_SENSITIVITY_DB, Budget, budget, loss_percent, margin_db, region_of
from linkcore.devices.ends import PowerCycle, TransmitterMode, hindrances
from linkcore.devices.firmware import air
from linkcore.devices.identity import plain_phrase
from linkcore.parts.models import BindWay, Name
from linkcore.protocols.base import ProtocolSpec, TelemetryFrame
from linkcore.standins.discovery import SensorKept, SensorList
from linkcore.standins.downlink import AirHome
from linkcore.standins.hands import HandsPart, Stick
from linkcore.standins.loading import Loading
from linkcore.standins.radio import MOST_SNR_DB, Air, Said, StandInReceiver, StandInTransmitter, aspect_db

FARTHEST_M = 3_000_000.0  # there the best kit of the catalogue has faded out, in free space
OUTING_S, OUTING_ROWS = 600.0, 200_000  # the longest flight that is logged, and the most frames of it


class FlyOut(HandsPart):
    """A flight to be logged: out to a distance, at an even pace."""

    to_m: float = Field(ge=20, le=FARTHEST_M)
    seconds: float = Field(ge=5, le=OUTING_S)


class LinkHands(HandsPart):
    """What hands do to both ends and the air between."""

    left: Stick | None = None
    right: Stick | None = None
    switches: Annotated[dict[Name, Annotated[int, Field(ge=0, le=2)]], Field(max_length=32)] | None = None
    transmitter_on: bool | None = None
    receiver_plugged: bool | None = Field(None, description="Whether the receiver's lead is plugged in; its supply comes through it")
    bind_button: bool | None = Field(None, description="Whether the receiver's bind button is held down")
    transmitter_mode: TransmitterMode | None = None
    model: Annotated[int, Field(ge=1, le=10)] | None = Field(None, description="The model memory that is selected on the transmitter")
    transmitter_phrase: Annotated[str, Field(max_length=64)] | None = None
    receiver_phrase: Annotated[str, Field(max_length=64)] | None = None
    forget_bind: Literal[True] | None = Field(None, description="The receiver is made to forget whom it knew")
    distance_m: Annotated[float, Field(ge=0.05, le=FARTHEST_M)] | None = None
    way: BindWay | None = Field(None, description="The way to bind that is followed")
    loss_percent: Annotated[float, Field(ge=0, le=100)] | None = None
    heading_deg: Annotated[float, Field(ge=0, lt=360)] | None = Field(
        None, description="Which side of the craft faces the transmitter, from its nose clockwise"
    )
    power_cut_db: Annotated[float, Field(ge=0, le=60)] | None = Field(None, description="By how much the transmitter's power is cut for a range walk")
    fly_out: FlyOut | None = Field(None, description="Fly out at an even pace, and log each frame")
    looking: bool | None = Field(None, description="Whether the transmitter looks for sensors")
    forget_sensor: Annotated[str, Field(max_length=90)] | None = Field(
        None, description="The sensor that is taken out of the transmitter's list; empty: all of them"
    )
    silence_s: Annotated[float, Field(ge=0.01, le=10)] | None = Field(None, description="Nothing gets through the air for so long from now on")


class LinkKept(BaseModel):
    """What is kept of the radio link when a bench stops. `t`: bench seconds."""

    t: float = 0.0
    transmitter_on: bool = True
    bound: bool = Field(True, description="Whether the receiver came bound to this transmitter, where no identity is kept")
    sends_part: str = Field("", description="Which transmitter model memory and phrase belong to")
    hears_part: str = Field("", description="Which receiver the identity belongs to")
    identity: str = ""
    registered: str = ""
    bind_count: int = Field(0, description="The pulses by which a satellite was bound; 0: as it came")
    model: int = 1
    transmitter_phrase: str = ""
    distance_m: float = 2.0
    receiver_plugged: bool = True
    way: BindWay | None = None
    cycle: PowerCycle = Field(default_factory=PowerCycle)
    loss_percent: float = 0.0
    switches: dict[str, int] = Field(default_factory=dict)
    gimbals: dict[str, dict[str, float]] = Field(default_factory=dict)
    sensors: list[SensorKept] = Field(default_factory=list, description="The transmitter's list of sensors")

    @property
    def bound_to(self) -> str:
        """What the receiver listens for and, of a satellite, how it was made to speak; empty where it knows nobody."""
        return bound_to(self.identity, self.bind_count)


def bound_to(identity: str, bind_count: int) -> str:
    """A link identity, with the bind count where one was used."""
    return f"{identity}/{bind_count}" if identity and bind_count else identity


class Outing:
    """A flight by distance, flown on the bench: its log has a row a frame, as a flight's log has it."""

    def __init__(self, order: FlyOut, from_m: float, t: float) -> None:
        self.order, self.from_m, self.began_t = order, max(1.0, from_m), t
        self.frames = self.lost = 0
        self._rows = array("d")  # four to a frame: s, dBm, whether it was lost, m

    def distance_m(self, t: float) -> float:
        """How far out it is."""
        share = min(1.0, max(0.0, (t - self.began_t) / self.order.seconds))
        return self.from_m + share * (self.order.to_m - self.from_m)

    def done(self, t: float) -> bool:
        """Whether it is over."""
        return t >= self.began_t + self.order.seconds or self.frames >= OUTING_ROWS

    def note(self, t: float, rssi_dbm: float, heard: bool) -> None:
        """A frame was sent."""
        if not self.done(t):
            self._rows.extend((t - self.began_t, rssi_dbm, not heard, self.distance_m(t)))
            self.frames += 1
            self.lost += not heard

    def csv(self) -> bytes:
        """The log, a row a frame."""
        rows = self._rows
        lines = (f"{rows[at]:.4f},{rows[at + 1]:.1f},{rows[at + 2]:.0f},{rows[at + 3]:.1f}\n" for at in range(0, len(rows), 4))
        return b"time_s,rssi_dbm,lost,distance_m\n" + "".join(lines).encode()


class RadioLink:
    """Transmitter, air and receiver. A frame is heard where the firmware on both ends fits, the receiver knows the transmitter, and the air does not lose it.

    `plugged`: the receiver's lead; `bind_button`: the receiver's, held down; `last_sent_t`: the last radio slot in which a frame went out.
    """

    def __init__(self, document: CraftDocument, parts: KitParts, spec: ProtocolSpec, loading: Loading, rng: random.Random) -> None:
        self._document, self._loading = document, loading
        self.receiver_part, self.transmitter_part = parts.receiver, parts.transmitter
        self.transmitter = StandInTransmitter(parts.transmitter, document, rng)
        self.air = Air(rng)
        self.receiver = StandInReceiver(parts.receiver, document, spec)
        self.plugged = True
        self.bind_button = False
        self.distance_m = 2.0
        self.heading_deg = self.power_cut_db = 0.0
        self.way: BindWay = parts.receiver.binding.ways[0]
        self.cycle = PowerCycle()
        self.last_sent_t = 0.0
        self._under_way: list[float] | None = None
        self.outing: Outing | None = None
        self._slots = 0
        radio, telemetry = parts.receiver.radio, parts.receiver.telemetry
        self.home = AirHome(telemetry.protocol if telemetry else "", radio.downlink_bytes, radio.downlink_every)
        self.sensors = SensorList()
        self._telemetry = telemetry.protocol if telemetry else ""
        self._rng = rng
        self._came = 0
        self._budget: tuple[CraftDocument, object, Budget | None] | None = None
        self._heard_at: tuple[Budget | None, float, float] | None = None  # a budget, a margin in dB, and what that loses, percent
        self._margin: tuple[Budget | None, float, float, float | None] | None = None

    def resume(self, state: LinkKept) -> None:
        """Go on from what was kept. An end that was exchanged for another part since knows nobody; both, where nothing was kept, come bound to each other if so said."""
        sender, listener = self.transmitter, self.receiver.end
        self._slots = int(state.t / self.period_s)
        self.last_sent_t = state.t
        self.air.loss_percent = state.loss_percent
        sender.on = state.transmitter_on
        sender.switches.update({name: position for name, position in state.switches.items() if name in sender.switches})
        for stick, place in state.gimbals.items():
            sender.gimbals[stick].update(place)
        sender.settle()
        self.distance_m, self.plugged = state.distance_m, state.receiver_plugged
        if state.sends_part in ("", self.transmitter_part.id):
            sender.end.slot, sender.end.phrase = state.model, state.transmitter_phrase
        if state.hears_part in ("", self.receiver_part.id):
            listener.identity = bytes.fromhex(state.identity) if state.identity else sender.end.identity if state.bound else None
            listener.registered = bytes.fromhex(state.registered) if state.registered else sender.end.serial if state.bound else None
            listener.bind_count = state.bind_count
            self.cycle = state.cycle.model_copy()
            if state.way in self.receiver_part.binding.ways:
                self.way = state.way
        listener.power(True, state.t)
        self.sensors.resume(state.sensors)

    def kept(self) -> dict[str, Any]:
        """What to keep, as values of a LinkKept."""
        sender, listener = self.transmitter, self.receiver.end
        return {
            "sends_part": self.transmitter_part.id,
            "hears_part": self.receiver_part.id,
            "transmitter_on": sender.on,
            "bound": False,
            "identity": self.identity,
            "registered": (listener.registered or b"").hex(),
            "bind_count": listener.bind_count,
            "model": sender.end.slot,
            "transmitter_phrase": sender.end.phrase,
            "distance_m": self.distance_m,
            "receiver_plugged": self.plugged,
            "way": self.way,
            "cycle": self.cycle,
            "loss_percent": self.air.loss_percent,
            "switches": sender.switches,
            "gimbals": sender.gimbals,
            "sensors": self.sensors.kept(),
        }

    def follow(self, document: CraftDocument) -> None:
        """The draft was saved: both ends' set-up follows it."""
        before, self._document = self._document, document
        if document.transmitter != before.transmitter:
            self.transmitter.set_up(document)
        due = self._slots * self.period_s
        if document.receiver != before.receiver or document.air.rate_hz != before.air.rate_hz:
            self.receiver.set_up(document)
        self._slots = math.ceil(due / self.period_s - 1e-9)

    # --- what holds now -----------------------------------------------------------------------------------------

    @property
    def identity(self) -> str:
        """What the receiver listens for, hexadecimal; empty where it knows nobody."""
        return (self.receiver.end.identity or b"").hex()

    @property
    def bound_to(self) -> str:
        """See LinkKept."""
        return bound_to(self.identity, self.receiver.end.bind_count)

    @property
    def knows(self) -> bool:
        """Whether the receiver listens for what the transmitter sends now."""
        return self.receiver.end.identity == self.transmitter.end.identity

    @property
    def transmitting(self) -> bool:
        """Whether the transmitter's end sends ordinary frames."""
        return self.transmitter.on and self._loading.runs("transmitter") and self.transmitter.end.mode == "normal"

    @property
    def receiver_awake(self) -> bool:
        """Whether the receiver has supply and runs its program."""
        return self.receiver.powered and self.receiver.runs

    @property
    def hindrances(self) -> list[str]:
        """What keeps both ends from binding now."""
        late = self.receiver.end.late
        return hindrances(self._loading.outlook, self.distance_m, transmitter_on=self.transmitter.on, receiver_on=self.receiver_awake, late=late)

    @property
    def budget(self) -> Budget | None:
        """The link budget with what is on both ends; None while they do not understand each other. Reckoned anew when something of that changes."""
        if self._budget is None or self._budget[0] is not self._document or self._budget[1] is not self._loading.outlook:
            self._budget = (self._document, self._loading.outlook, self._reckon_budget())
        return self._budget[2]

    def _reckon_budget(self) -> Budget | None:
        sends, hears = air(self._loading.devices, self._loading.installed)
        if sends is None or hears is None or self._loading.outlook.verdict == "do not match":
            return None
        region = region_of(sends, hears, self._document.wants.region)
        return budget(self._document.air, sends, hears, self.receiver_part.link_period_s, region)

    @property
    def period_s(self) -> float:
        """How often a radio frame goes out, s."""
        return self.receiver.period_s

    @property
    def shows_within_s(self) -> float:
        """By when what a hand moves has left the receiver, s: the next mix, the radio slot that takes it, and the slot for which it is under way."""
        return self.transmitter_part.frame_s + 2 * self.period_s

    @property
    def margin_db(self) -> float | None:
        """Signal above what is still understood, at the distance that both ends are apart and the power that is sent; reckoned anew when something of that changes."""
        return self._margin_of(self.budget)

    def _margin_of(self, found: Budget | None) -> float | None:
        known, far_m, cut_db = self._margin, self.distance_m, self.power_cut_db
        if known is None or known[0] is not found or known[1] != far_m or known[2] != cut_db:
            known = self._margin = (found, far_m, cut_db, margin_db(found, far_m) - cut_db if found else None)
        return known[3]

    @property
    def loss_percent(self) -> float:
        """The share of frames that the air loses: what the pilot has set, or what the distance makes of it."""
        margin = self.margin_db
        return max(self.air.loss_percent, loss_percent(margin) if margin is not None else 0.0)

    # --- hands --------------------------------------------------------------------------------------------------

    def refuse(self, hands: LinkHands) -> None:
        """Raise ValueError for what these ends do not have or cannot do now. Nothing is done."""
        name = self.receiver_part.name
        positions = {switch.name: switch.positions for switch in self.transmitter_part.switches}
        for switch, position in (hands.switches or {}).items():
            if position >= positions.get(switch, 0):
                raise ValueError(f"the {self.transmitter_part.name} has no switch {switch} with a position {position}")
        if hands.way is not None and hands.way not in self.receiver_part.binding.ways:
            raise ValueError(f"the {name} is not bound so; its ways are {', '.join(self.receiver_part.binding.ways)}")
        if hands.receiver_phrase is not None:
            if not self.receiver_awake:
                raise ValueError(f"the {name} has no power, or runs no firmware: it takes no phrase now")
            if "phrase" not in self.receiver_part.binding.ways:
                raise ValueError(f"the {name} takes no link phrase")
            plain_phrase(hands.receiver_phrase)
        if hands.transmitter_phrase:
            plain_phrase(hands.transmitter_phrase)
        on = self.transmitter.on if hands.transmitter_on is None else hands.transmitter_on
        if hands.transmitter_mode not in (None, "normal") and not on:
            raise ValueError("the transmitter is off; switch it on first")

    def hands(self, hands: LinkHands, t: float) -> None:
        """What the hands do to both ends; what `refuse` lets through."""
        sender, listener, was_on = self.transmitter.end, self.receiver.end, self.transmitter.on
        if hands.receiver_phrase is not None:
            listener.take_phrase(hands.receiver_phrase)
        if hands.transmitter_phrase is not None:
            sender.take_phrase(hands.transmitter_phrase)
        if hands.transmitter_on is not None:
            self.switch_transmitter(hands.transmitter_on)
        if hands.transmitter_mode is not None:
            sender.choose(hands.transmitter_mode, t)
        self._gimbals_and_switches(hands, t if was_on else None)  # one that is switched on mixes what it finds
        self.way = hands.way or self.way
        if hands.model is not None:
            sender.select(hands.model)
        if hands.forget_bind:
            listener.forget()
        if hands.loss_percent is not None:
            self.air.loss_percent = hands.loss_percent
        self.heading_deg = self.heading_deg if hands.heading_deg is None else hands.heading_deg
        self.power_cut_db = self.power_cut_db if hands.power_cut_db is None else hands.power_cut_db
        self.sensors.looking = self.sensors.looking if hands.looking is None else hands.looking
        if hands.forget_sensor is not None:
            self.sensors.forget(hands.forget_sensor)
        if hands.silence_s is not None:
            self.air.silenced = (t, t + hands.silence_s)
        if hands.distance_m is not None:
            self.distance_m, self.outing = hands.distance_m, None
        if hands.fly_out is not None:
            self.outing = Outing(hands.fly_out, self.distance_m, t)
        self.bind_button = self.bind_button or bool(hands.bind_button)
        if hands.receiver_plugged is not None:
            self.plugged = hands.receiver_plugged
        self.receiver.tick(t)

    def _gimbals_and_switches(self, hands: LinkHands, t: float | None) -> None:
        for stick, place in (("left", hands.left), ("right", hands.right)):
            if place is not None:
                self.transmitter.gimbals[stick] = {"x": place.x, "y": place.y}
        self.transmitter.switches.update(hands.switches or {})
        self.transmitter.settle(t)

    def switch_transmitter(self, on: bool) -> None:
        """Switch it on or off; a module without a whole program wakes in its bootloader."""
        if on and not self.transmitter.on:
            self._loading.power_up("transmitter")
        self.transmitter.on = on

    def power_receiver(self, on: bool, t: float, pulses: int) -> None:
        """The receiver's supply comes or goes; `pulses`: bind pulses that the board sends at that moment."""
        if on:
            self._loading.power_up("receiver")
            self.receiver.runs = self._loading.runs("receiver")
        self.receiver.power(on, t, button=self.bind_button, pulses=pulses if on else 0)
        self.air.forget()

    # --- time ---------------------------------------------------------------------------------------------------

    def run_late(self, *, late: bool) -> None:
        """Whether what has a time limit for hands counts from now on."""
        self.transmitter.end.late = self.receiver.end.late = late

    def bind(self, t: float) -> str | None:
        """Both ends' share of a bind up to `t`; what came of it, when something did."""
        sender, listener = self.transmitter.end, self.receiver.end
        sender.tick(t, on=self.transmitter.on and self._loading.runs("transmitter"))
        self.receiver.tick(t)
        offer = sender.offer()
        taken = listener.hear(None if offer is None or self.hindrances else offer, t)
        binding = sender.mode != "normal" or listener.state in ("bind", "registering") or self._loading.running or not self.knows
        self.cycle.see(t, receiver_on=self.receiver.powered, transmitter_on=self.transmitter.on, linked=self.receiver.linked, binding=binding)
        return f"receiver: {listener.state}" if taken else None

    def _weak(self, found: Budget | None, period_s: float) -> float:
        """The share of frames that the signal as it is now loses, percent; the receiver's own figures follow from the same signal."""
        margin = self._margin_of(found)
        if margin is None or found is None:
            return 0.0
        self.air.pass_shadow(self.distance_m, period_s)
        margin += self.air.shadow_db - aspect_db(self.heading_deg, self.distance_m)
        known = self._heard_at
        if known is None or known[0] is not found or known[1] != margin:
            known = self._heard_at = (found, margin, loss_percent(margin))
            self.receiver.signal = (found.sensitivity_dbm + margin, margin + SNR_AT_SENSITIVITY_DB)
        return known[2]

    def take_home(self, frames: list[TelemetryFrame]) -> None:
        """What the receiver has heard from the board goes into the row for the way home."""
        if self.receiver.linked and self._loading.outlook.telemetry:
            self.home.take(frames)

    def _come_home(self, found: Budget | None, t: float, *, quiet: bool) -> None:
        """A slot for the way home: weaker than the way out by as much as the receiver sends less."""
        margin = self._margin_of(found)
        if found is None or margin is None:
            return
        power = found.power_dbm - self.power_cut_db
        rssi, snr = self.receiver.signal
        down = margin + self.air.shadow_db - aspect_db(self.heading_deg, self.distance_m) - (power - self.receiver_part.radio.downlink_dbm)
        lost = max(self.air.loss_percent, loss_percent(down))
        heard = not quiet and (lost <= 0 or self._rng.random() * 100 >= lost)
        frame = self.home.slot(t, heard=heard, link=(rssi, min(snr, MOST_SNR_DB), self.air.lq_percent, 10 ** (power / 10)))
        if frame is not None:
            self._came += 1
            self.sensors.take(self._telemetry, frame, t)

    def came_home(self) -> int:
        """How many values came to the transmitter since this was asked last."""
        came, self._came = self._came, 0
        return came

    def words(self, until: float) -> list[Said]:
        """What the receiver says for the radio slots before `until`."""
        period, outlook, found = self.period_s, self._loading.outlook, self.budget
        sends = self.transmitting
        understood = outlook.verdict != "do not match" and self.knows and sends and self.receiver.powered and self.receiver.end.listens
        said: list[Said] = []
        while (slot := self._slots * period) < until - 1e-9:
            self._slots += 1
            if understood and outlook.telemetry and self.receiver.linked and self._slots % self.home.every == 0:
                self._come_home(found, slot, quiet=self.air.quiet(slot))
            if self.outing is not None:
                self.distance_m = self.outing.distance_m(slot)
            heard = self.air.carries(understood, self._weak(found, period), slot)
            if self.outing is not None and sends:
                self.outing.note(slot, self.receiver.signal[0], heard)
            if sends:
                self.last_sent_t = slot
            now = self.transmitter.frame(slot) if sends else None
            arrives = now if self._under_way is None else self._under_way  # a frame is under way for a slot
            self._under_way = now
            said += self.receiver.slot(slot, arrives[: outlook.channels] if heard and arrives is not None else None, self.air.lq_percent)
        return said
