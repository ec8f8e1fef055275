"""The chain of events when the link dies: predicted from parts and settings, and as measured on the bench."""

from __future__ import annotations

import math
from collections.abc import Mapping

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument, Response
from linkcore.craft.parts import KitParts
from linkcore.craft.places import place_of
from linkcore.devices.budget import frame_period_s
from linkcore.devices.modes import holds, lacking
from linkcore.devices.motors import at_rest
from linkcore.devices.on_loss import FACTORY_PRESET_US, PROCESSING_S, STEADY_S, course, delay_to_decoder_s, gap_in_words, wire_to_board
from linkcore.devices.responses import carried_out, lands_by
from linkcore.hops.lost_link.path import LOOK_S, Whereabouts, cut_short, way_of
from linkcore.parts.axes import channel_of
from linkcore.protocols.registry import RECEIVER_PROTOCOLS


class Prediction(BaseModel):
    """Seconds from the start of the last radio frame; None for what never happens.

    `last_frame_s`: the last frame that passes for a signal; `board_learns_s`: when the board has reason to know of the loss. `hidden`: it takes what the receiver says for a link, all the time or again from
    `fooled_s` on. `given_up_s`: when the receiver begins to say what it says on loss.
    `returns_s`: from the first radio frame after a loss until the link counts again. `preset_disarms`: its values disarm the craft by themselves;
    `responds_s`: when they turn a mode on that flies home or circles by itself, though the board knows nothing of a loss.
    `because`: when the grace begins, and why.
    `does`: what the board really does where the craft is armed; `at_height_s`, `home_s`, `down_s`: when it is at its return height, at home, on the ground; `down_mps`, `along_mps`: with which it comes
    there; `path`: the way, which ends in the air where it has no end.
    """

    last_frame_s: float | None
    board_learns_s: float | None
    reacts_s: float | None
    motors_stop_s: float | None
    hidden: bool = False
    fooled_s: float | None = None
    given_up_s: float = 0.0
    returns_s: float = 0.0
    preset_disarms: bool = False
    responds_s: float | None = None
    because: str
    does: Response = "motors off"
    at_height_s: float | None = None
    home_s: float | None = None
    down_s: float | None = None
    down_mps: float = 0.0
    along_mps: float = 0.0
    path: list[Whereabouts] = []


def predict(craft: CraftDocument, parts: KitParts) -> Prediction:
    """What should happen when, and where the craft is then."""
    predicted = react(craft, parts)
    lost, place = craft.settings.lost_link, place_of(craft)
    stops = predicted.reacts_s
    if predicted.responds_s is not None:
        stops = predicted.responds_s
    elif predicted.preset_disarms and (stops is None or predicted.does == "motors off"):  # by then the receiver's own values have the motors as low as they go
        stops = predicted.given_up_s if stops is None or predicted.fooled_s is None else min(predicted.fooled_s + STEADY_S, predicted.motors_stop_s or math.inf)
    by = lands_by(lost, craft.airframe, parts.sensors)
    way = way_of(craft, place, predicted.does, by, from_s=stops, least_home_m=parts.board.least_home_m)
    motors = predicted.motors_stop_s
    if predicted.preset_disarms and motors is not None and stops is not None and motors > stops and predicted.does != "motors off":
        cut_short(way, craft, place, motors)  # the response goes on until throttle was low for long enough
        motors = way.motors_stop_s
    if motors is None and (predicted.reacts_s is not None or predicted.responds_s is not None):
        motors = way.motors_stop_s
    ends = way.down_s if way.down_s is not None else (way.home_s or stops or 0.0) + LOOK_S
    return predicted.model_copy(
        update={
            "motors_stop_s": motors,
            "at_height_s": way.at_height_s,
            "home_s": way.home_s,
            "down_s": way.down_s,
            "down_mps": way.down_mps,
            "along_mps": way.along_mps,
            "path": way.points(ends),
        }
    )


def react(craft: CraftDocument, parts: KitParts) -> Prediction:
    """What should happen when, as far as it does not depend on where the craft flies: from what the receiver sends in a gap and once it has given the link up."""
    receiver, settings, on_loss = parts.receiver, craft.settings, craft.receiver.on_loss
    wire = wire_to_board(parts)
    spec = RECEIVER_PROTOCOLS.get(parts.spoken.protocol) if parts.spoken else None
    period_s, delay_s = frame_period_s(craft.air, receiver), delay_to_decoder_s(spec) if spec else PROCESSING_S
    goes = course(receiver, on_loss, wire, period_s, delay_s)
    grace_s = settings.lost_link.grace_ms / 1000
    over = None if goes.silent_from is None else goes.silent_from + grace_s
    at_once = goes.flagged_from if parts.board.failsafe_at_once else None
    if over is not None and at_once is not None:
        over = min(over, at_once)
    reacts = over if over is not None and (goes.again_from is None or over < goes.again_from) else None
    disarms = disarmed_by_preset_s(craft) if on_loss == "preset" and goes.hidden else None
    flies_by = preset_mode(craft, parts) if on_loss == "preset" and reacts is None and disarms is None else None
    does = flies_by or carried_out(settings.lost_link, craft.airframe, parts.sensors, home="GPS" in parts.sensors)
    stop = None
    if reacts is not None:
        glides = does == "land" and lands_by(settings.lost_link, craft.airframe, parts.sensors) == "glide"
        stop = reacts if does == "motors off" or glides else None
        if goes.again_from is not None and disarms is not None:
            stop = min(
                stop if stop is not None else math.inf, goes.again_from + STEADY_S + disarms
            )  # the link seems back, with the arm channel off or throttle low
            does = "motors off" if disarms == 0.0 else does
    elif disarms is not None:
        stop, does = goes.given_up + disarms, "motors off"
    return Prediction(
        last_frame_s=goes.silent_from,
        board_learns_s=None if reacts is None else goes.silent_from if at_once is None else at_once,
        reacts_s=reacts,
        motors_stop_s=stop,
        hidden=goes.hidden,
        fooled_s=goes.again_from,
        given_up_s=goes.given_up,
        returns_s=math.ceil(STEADY_S / period_s - 1e-9) * period_s + delay_s,
        preset_disarms=disarms is not None,
        responds_s=None if flies_by is None else goes.given_up,
        because=gap_in_words(receiver, on_loss, wire) + (f" The {parts.board.name} acts on its failsafe flag at once." if at_once is not None else ""),
        does=does,
    )


def preset_mode(craft: CraftDocument, parts: KitParts) -> Response | None:
    """The mode that a receiver's own values turn on and that flies by itself; None where they do not, or where the craft cannot do it."""
    settings = craft.settings
    channels = range(1, 1 + max([4, *(band.channel for band in settings.modes)]))
    held = holds(settings, {channel: preset_value(craft, channel) for channel in channels}, lacking(craft, parts))
    return "return home" if held.main == "return home" else "loiter" if held.main == "loiter" else None


def disarmed_by_preset_s(craft: CraftDocument) -> float | None:
    """How long the receiver's own values take to disarm the craft, s: at once where they take the arm channel out of its mode band, or by a throttle that stays low; None where they never do."""
    settings = craft.settings
    if settings.arm_by == "stick":
        low = at_rest(settings, preset_value(craft, channel_of("throttle", settings.channel_map)))
        return float(settings.stick_arming.timeout_s) if low and settings.stick_arming.timeout_s else None
    off = settings.arming is not None and not settings.arming.holds(preset_value(craft, settings.arming.channel))
    return 0.0 if off else None


def preset_value(craft: CraftDocument, channel: int) -> float:
    """What a receiver's preset says on a channel, us; a channel that was given none rests at the centre."""
    values = craft.receiver.preset_us or FACTORY_PRESET_US
    return values[channel - 1] if channel <= len(values) else 1500.0


def preset_with(craft: CraftDocument, wanted: Mapping[int, float]) -> list[float]:
    """The receiver's own values with some channels otherwise; as many as it takes to say them."""
    count = max(4, len(craft.receiver.preset_us), *wanted)
    return [wanted.get(number, preset_value(craft, number)) for number in range(1, count + 1)]
