"""What is told of the bind: both ends, the steps of the way that is followed, and what keeps them from binding now."""

from __future__ import annotations

from typing import Protocol

from pydantic import BaseModel, Field

from linkcore.devices.bind_count import counts_for
from linkcore.devices.ends import SLOTS, PowerCycle, ReceiverEnd, TransmitterEnd
from linkcore.devices.identity import SHORTEST_PHRASE, from_model
from linkcore.devices.outlook import Outlook
from linkcore.hops.bind.proofs import LINK_COMES_BACK, came_back
from linkcore.hops.bind.sequence import BindStep, EndView, Situation, receiver_view, steps, transmitter_view
from linkcore.parts.models import BindWay, Light, LightState
from linkcore.reads import Whole


class BindTold(BaseModel):
    """The Bind hop: both ends, the steps of the way that is followed, and what keeps them from binding now."""

    way: BindWay
    ways: list[BindWay]
    steps: list[BindStep]
    transmitter: EndView
    receiver: EndView
    hindrances: list[str]
    firmware: str = Field(description="Changes with what runs on any device")
    knows: bool
    identity: str = Field(description="What the receiver listens for, hexadecimal; empty where it knows nobody")
    sends_identity: str = Field(description="What the transmitter's frames carry now")
    model: int
    transmitter_phrase: str
    shortest_phrase: int = Field(description="Letters that a link phrase has at least")
    lights: dict[LightState, Light]
    cycle: PowerCycle
    back_after_s: float | None
    back_within_s: float
    proven: bool
    verdict: str
    bind_pad: str | None
    satellite_away: bool
    count: int
    count_wanted: list[int]
    distance_m: float
    margin_db: float | None
    loss_percent: float


class Binding(Protocol):
    """What is looked at of a running bench: both ends, their link, and what stands between."""

    @property
    def t(self) -> float:
        """Bench seconds."""
        ...

    @property
    def way(self) -> BindWay:
        """The way to bind that is followed."""
        ...

    @property
    def sender(self) -> TransmitterEnd:
        """The transmitter's end."""
        ...

    @property
    def listener(self) -> ReceiverEnd:
        """The receiver's end."""
        ...

    @property
    def transmitter_on(self) -> bool:
        """Whether the transmitter is on."""
        ...

    @property
    def receiver_state(self) -> LightState | None:
        """What the receiver is doing; None without supply."""
        ...

    @property
    def receiver_plugged(self) -> bool:
        """Whether the receiver's lead is plugged in."""
        ...

    @property
    def knows(self) -> bool:
        """Whether the receiver listens for what the transmitter sends."""
        ...

    @property
    def count_held(self) -> int:
        """The bind count that the board keeps."""
        ...

    @property
    def satellite_away(self) -> bool:
        """Whether the satellite's lead is on the board's bind pad."""
        ...

    @property
    def outlook(self) -> Outlook:
        """What the link is with the firmware on both ends."""
        ...

    @property
    def bind_pad(self) -> str | None:
        """Where the board sends bind pulses, where that is not the satellite's own pad."""
        ...

    @property
    def cycle(self) -> PowerCycle:
        """What both ends were seen to do since they were last off."""
        ...

    @property
    def hindrances(self) -> list[str]:
        """What keeps both ends from binding now."""
        ...

    @property
    def distance_m(self) -> float:
        """How far apart both ends are."""
        ...

    @property
    def margin_db(self) -> float | None:
        """Signal above what is still understood."""
        ...

    @property
    def loss_percent(self) -> float:
        """The share of frames that the air loses."""
        ...


def situation(whole: Whole, seen: Binding) -> Situation:
    """All that the steps are judged by."""
    sender, listener = seen.sender, seen.listener
    return Situation(
        way=seen.way,
        binding=whole.parts.receiver.binding,
        receiver=seen.receiver_state,
        transmitter=sender.mode,
        transmitter_on=seen.transmitter_on,
        knows=seen.knows,
        registered=listener.registered == sender.serial,
        phrase_set=bool(sender.phrase),
        count_on_board=seen.count_held,
        count_wanted=counts_for(whole.parts.spoken.protocol if whole.parts.spoken else ""),
        satellite_home=not seen.satellite_away,
        fits=seen.outlook.verdict != "do not match",
        plugged=seen.receiver_plugged,
        waits=listener.waits(seen.t),
        bind_pad=seen.bind_pad,
        cycle=seen.cycle,
    )


def tell(whole: Whole, seen: Binding) -> BindTold:
    """The Bind hop."""
    now, sender, listener, receiver = situation(whole, seen), seen.sender, seen.listener, whole.parts.receiver
    waits = listener.waits(seen.t)
    until = listener.until if listener.until is not None else listener.open_until if waits else None
    proven, verdict = came_back(LINK_COMES_BACK.reads.view(whole), seen)
    margin = seen.margin_db
    return BindTold(
        way=seen.way,
        ways=list(receiver.binding.ways),
        steps=steps(now),
        transmitter=transmitter_view(whole.parts.transmitter.name, now, sender.slot, _left(sender.until, seen.t)),
        receiver=receiver_view(receiver.name, now, _left(until, seen.t), waits=waits),
        hindrances=seen.hindrances,
        knows=seen.knows,
        firmware=whole.digest("firmware"),
        identity=whole.identity,
        sends_identity=sender.identity.hex(),
        model=sender.slot,
        transmitter_phrase=sender.phrase,
        shortest_phrase=SHORTEST_PHRASE,
        lights=receiver.binding.lights,
        cycle=seen.cycle,
        back_after_s=seen.cycle.back_after_s,
        back_within_s=receiver.binding.back_s,
        proven=proven,
        verdict=verdict,
        bind_pad=seen.bind_pad,
        satellite_away=seen.satellite_away,
        count=seen.count_held,
        count_wanted=list(now.count_wanted),
        distance_m=seen.distance_m,
        margin_db=None if margin is None else round(margin, 1),
        loss_percent=round(seen.loss_percent, 1),
    )


def _left(until: float | None, t: float) -> float | None:
    return None if until is None else round(max(0.0, until - t), 1)


def whose_link(sender: TransmitterEnd, wanted: bytes | None) -> str:
    """Why the receiver's identity is not what the transmitter sends: another model memory, the phrase, or another transmitter."""
    for slot in range(1, SLOTS + 1):
        if not sender.phrase and from_model(sender.serial, slot) == wanted:
            return f"it was bound with model memory {slot}, and {sender.slot} is selected"
    if sender.phrase:
        return "the transmitter sends the identity of its link phrase, and the receiver knows another"
    return "it was bound with another transmitter, or with a link phrase"
