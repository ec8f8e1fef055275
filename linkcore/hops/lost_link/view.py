"""What is told of the Lost link: what is predicted, and what was measured beside it."""

from __future__ import annotations

from typing import Protocol

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.hops.lost_link.timeline import FIRST, LossRun, Prediction, judge, predict, preset_value, preset_with
from linkcore.parts.axes import channel_of
from linkcore.reads import Whole


class PresetPlace(BaseModel):
    """A channel that matters of a receiver's preset: what it is for, and the value that goes out on it once the link is given up."""

    what: str
    channel: int
    us: float


class LostLinkTold(BaseModel):
    """The Lost link hop.

    `preset`: the channels that matter where the receiver sends values of its own; `preset_us`: all that it sends, channel 1 first, others at the centre.
    `verdict`: what to say of the run, and `proven` whether it proves the hop.
    """

    prediction: Prediction
    preset: list[PresetPlace]
    preset_us: list[float]
    loss: LossRun | None
    proven: bool
    verdict: str


class Lost(Protocol):
    """What is looked at of a running bench."""

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        ...


def tell(whole: Whole, seen: Lost) -> LostLinkTold:
    """The Lost link hop."""
    prediction, places = predict(whole.craft, whole.parts), _preset(whole.craft)
    proven, verdict = judge(seen.loss, prediction) if seen.loss else (False, FIRST)
    return LostLinkTold(
        prediction=prediction,
        preset=places,
        preset_us=preset_with(whole.craft, {each.channel: each.us for each in places}),
        loss=seen.loss,
        proven=proven,
        verdict=verdict,
    )


def _preset(craft: CraftDocument) -> list[PresetPlace]:
    if craft.receiver.on_loss != "preset":
        return []
    throttle = channel_of("throttle", craft.settings.channel_map)
    places = [PresetPlace(what="throttle", channel=throttle, us=preset_value(craft, throttle))]
    if craft.settings.arm_by == "switch" and craft.settings.arming is not None:
        arm = craft.settings.arming.channel
        places.append(PresetPlace(what="arm", channel=arm, us=preset_value(craft, arm)))
    return places
