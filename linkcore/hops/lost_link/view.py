"""What is told of the Lost link: what is predicted, where the craft is then, what was measured beside it, and how each proof is made."""

from __future__ import annotations

from typing import get_args

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument, Place, Response
from linkcore.craft.parts import KitParts
from linkcore.craft.places import place_of
from linkcore.devices.body import Body, charge_left_mah
from linkcore.devices.responses import can_do, in_words, lacks, lands_by
from linkcore.hops.lost_link.place_rules import charge_home_mah, clear_line_m, clearance_parts
from linkcore.hops.lost_link.proofs import (
    ARMED,
    BACK,
    BAD,
    BAD_AIR_S,
    DISARMED,
    DIVE,
    FLOWN,
    RSSI,
    SHORTER,
    TEST_SWITCH,
    WALK,
    WALK_M,
    Lost,
    expected_losses,
    shorter_gap_s,
    walk_cut_db,
    walk_line,
)
from linkcore.hops.lost_link.runs import FIRST, BadAir, Gap, LossRun, OutingSeen, RangeWalk, SwitchTest, judge
from linkcore.hops.lost_link.timeline import Prediction, predict, preset_value, preset_with
from linkcore.parts.axes import channel_of
from linkcore.reads import Whole


class PresetPlace(BaseModel):
    """A channel that matters of a receiver's preset: what it is for, and the value that goes out on it once the link is given up."""

    what: str
    channel: int
    us: float


class ResponseChoice(BaseModel):
    """A response, in words, and why this craft cannot do it; empty where it can."""

    response: Response
    says: str
    why_not: str


class Cleared(BaseModel):
    """A part of what the return height must clear, m."""

    what: str
    metres: float


class Charge(BaseModel):
    """What the way home takes, and what may be taken, mAh."""

    needs: float
    left: float


class HowTo(BaseModel):
    """How a proof is made, as things are; `hands`: what the bench does for it, and what that is called; `going`: what is seen of it just now."""

    name: str
    text: str
    hands: dict[str, float] = {}
    hands_say: str = ""
    going: str = ""


class LostLinkTold(BaseModel):
    """The Lost link hop.

    `preset`: the channels that matter where the receiver sends values of its own; `preset_us`: all that it sends, channel 1 first, others at the centre; `preset_steps`: how it is given them.
    `place`: where it flies, and `place_said` whether
    the pilot has said so. `clears`: what the return height must clear, `clear_line_m` in all. `hover_percent`: at which it should hover, by its thrust. `lands_by`: how it comes down.
    `reach_m`: where the link budget has the last frames.
    `verdict`: what to say of the run, and `proven` whether it went as predicted to its end.
    """

    prediction: Prediction
    preset: list[PresetPlace]
    preset_us: list[float]
    preset_steps: list[str]
    responses: list[ResponseChoice]
    place: Place
    place_said: bool
    clears: list[Cleared]
    clear_line_m: float
    charge: Charge | None
    hover_percent: float
    lands_by: str | None
    how: list[HowTo]
    loss: LossRun | None
    gap: Gap | None
    bad_air: BadAir | None
    switch_test: SwitchTest | None
    outing: OutingSeen | None
    reach_m: float | None
    least_home_m: float
    walk: RangeWalk | None
    walk_line: float
    proven: bool
    verdict: str


def tell(whole: Whole, seen: Lost) -> LostLinkTold:
    """The Lost link hop."""
    craft, parts = whole.craft, whole.parts
    prediction = seen.kept.get("lost link: told", (craft, parts), None, lambda: predict(craft, parts))
    places, place = _preset(craft), place_of(craft)
    proven, verdict = judge(seen.loss, prediction) if seen.loss else (False, FIRST)
    needs = charge_home_mah(craft, parts, prediction)
    return LostLinkTold(
        prediction=prediction,
        preset=places,
        preset_us=preset_with(craft, {each.channel: each.us for each in places}),
        preset_steps=_preset_steps(craft, parts),
        responses=[
            ResponseChoice(response=each, says=in_words(each, craft.airframe), why_not=_why_not(craft, parts, each)) for each in get_args(get_args(Response)[0])
        ],
        place=place,
        place_said=craft.place is not None,
        clears=[Cleared(what=what, metres=metres) for what, metres in clearance_parts(craft)],
        clear_line_m=clear_line_m(craft),
        charge=None if needs is None or parts.pack is None else Charge(needs=round(needs), left=round(charge_left_mah(parts.pack, place))),
        hover_percent=round(Body.of(craft.airframe, place).hover_percent),
        lands_by=lands_by(craft.settings.lost_link, craft.airframe, parts.sensors),
        how=_how(craft, parts, seen, prediction),
        loss=seen.loss,
        gap=seen.gap,
        bad_air=seen.bad_air,
        switch_test=seen.switch_test,
        outing=seen.outing,
        reach_m=seen.reach_m,
        least_home_m=parts.board.least_home_m,
        walk=seen.walk,
        walk_line=walk_line(craft, parts),
        proven=proven,
        verdict=verdict,
    )


def _why_not(craft: CraftDocument, parts: KitParts, response: Response) -> str:
    if not can_do(craft.airframe, response):
        return f"not for a {craft.airframe}"
    missing = lacks(craft.airframe, response, parts.sensors)
    if missing:
        return f"it needs {' and '.join(missing)}"
    return (
        "it needs a barometer, or its hover throttle"
        if response == "land" and lands_by(craft.settings.lost_link, craft.airframe, parts.sensors) is None
        else ""
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


def _preset_steps(craft: CraftDocument, parts: KitParts) -> list[str]:
    """How the receiver is given its preset; empty where it has none to be given."""
    if craft.receiver.on_loss != "preset":
        return []
    places = ", ".join(f"{each.what} (CH{each.channel}) at {each.us:.0f} us" for each in _preset(craft))
    hold = f"Props off. At the transmitter hold what it shall do on loss: {places}."
    name = parts.receiver.name
    if parts.receiver.preset_by == "menu":
        return [
            hold,
            f"In the transmitter's menu of this model, under the receiver's loss of the link, choose preset for the {name}, and let it store what you hold.",
            "Then lose the link once, here.",
        ]
    return [hold, f"With the link standing, press the {name}'s button briefly: it stores what you hold.", "Then lose the link once, here."]


def _how(craft: CraftDocument, parts: KitParts, seen: Lost, predicted: Prediction) -> list[HowTo]:
    """How each proof is made."""
    lost, run = craft.settings.lost_link, seen.loss
    flies = predicted.does != "motors off" and predicted.reacts_s is not None
    gap_s = shorter_gap_s(predicted)
    back = (
        f"Let the link come back with the arm switch on: it goes on by itself. Then move a stick by more than {lost.moved_us} us: it obeys. "
        "If your transmitter asks for the arm switch off when it is switched on, that stops the motors in the air: switch its sending off in its menu instead, or do not switch it off at all."
        if flies
        else "Let the link come back with the arm switch still on: the craft must stay disarmed until the switch was off and on again."
    )
    ends = (
        f"predicted: at home after {predicted.home_s:.0f} s"
        if predicted.home_s is not None
        else f"predicted: down after {predicted.down_s:.0f} s"
        if predicted.down_s is not None
        else ""
    )
    how = [
        HowTo(name=ARMED.name, text=FIRST),
        HowTo(name=BACK.name, text=back),
        HowTo(
            name=FLOWN.name,
            text=f"Arm, throttle up, transmitter off, and leave it off to the end; {ends}. The craft stays on the bench: its flight is simulated.",
            going=_on_the_way(run, predicted),
        ),
        HowTo(
            name=DISARMED.name,
            text="Disarmed, switch the transmitter off, wait until the board has reacted, and switch it on again: the motors stand still all the time.",
        ),
        HowTo(
            name=SHORTER.name,
            text="Arm, throttle up; then the air is silent for less than the grace: nothing may happen.",
            hands={} if gap_s is None else {"silence_s": gap_s},
            hands_say="" if gap_s is None else f"Silence the air for {gap_s:g} s",
            going=_gap_in_words(seen.gap),
        ),
        HowTo(
            name=BAD.name,
            text=f"Arm; then one frame in five is lost for {BAD_AIR_S:.0f} s. Reckoned: the board gives the link up {_rarely(expected_losses(craft, parts, 0.2, BAD_AIR_S))}.",
            hands={"loss_percent": 0.0 if seen.bad_air else 20.0},
            hands_say="Let the air be good again" if seen.bad_air else "Lose one frame in five",
            going="" if seen.bad_air is None else f"{seen.bad_air.lasted_s:.0f} of {BAD_AIR_S:.0f} s, given up {seen.bad_air.losses} times",
        ),
        HowTo(
            name=DIVE.name,
            text=f"Arm, throttle up; pull the throttle down, and switch the transmitter off before {lost.throttle_low_s} s are over: the response must begin.",
        ),
        HowTo(name=RSSI.name, text="Switch the transmitter off: RSSI must fall to its lowest, or the pilot's screen goes on showing a good link."),
        HowTo(
            name=TEST_SWITCH.name,
            text="Arm, throttle up; switch the lost-link test on, wait for the board to react, and switch it off again.",
            going=_test_in_words(seen.switch_test),
        ),
    ]
    cut_db = walk_cut_db(place_of(craft).home_m)
    how.append(
        HowTo(
            name=WALK.name,
            text="Antennas first: tips free of carbon and wires, two of them at 90 degrees, connectors seated. Arm, throttle up a little, props off; "
            f"hold the craft {WALK_M:.0f} m away with the transmitter's power cut, which stands for twice as far as you fly, and turn it through all headings.",
            hands={"distance_m": 2.0, "power_cut_db": 0.0, "heading_deg": 0.0}
            if seen.walking
            else {"distance_m": WALK_M, "power_cut_db": cut_db, "heading_deg": 0.0},
            hands_say="Come back, full power" if seen.walking else f"Walk {WALK_M:.0f} m away, power cut by {cut_db:.0f} dB",
            going=_walk_in_words(seen.walk),
        )
    )
    return how


def _walk_in_words(walk: RangeWalk | None) -> str:
    if walk is None:
        return ""
    count = sum(lq is not None for lq in walk.lq)
    stands = f"stands for {walk.stands_for_m:,.0f} m at full power"
    return (
        f"All headings seen: {stands}, lowest link quality {min(lq for lq in walk.lq if lq is not None):.0f} %."
        if walk.whole
        else f"{count} of {len(walk.lq)} headings"
    )


def _on_the_way(run: LossRun | None, predicted: Prediction) -> str:
    if run is None or not run.armed or run.state != "running" or not run.path or predicted.does == "motors off":
        return ""
    t, up, along, *_ = run.path[-1]
    return f"{t:.0f} s: {up:.0f} m up, {abs(along):.0f} m from home (simulated)"


def _gap_in_words(gap: Gap | None) -> str:
    if gap is None:
        return ""
    if not gap.armed:
        return f"The last one, {gap.gap_s:g} s, came while disarmed and does not count."
    if gap.lost:
        return f"The last one, {gap.gap_s:g} s, made the board give the link up."
    return f"{gap.gap_s:g} s: nothing happened." if gap.over else "silent"


def _test_in_words(test: SwitchTest | None) -> str:
    if test is None:
        return ""
    return "The board reacted; now switch it off." if test.reacted_s is not None and not test.back else "" if test.back else "The test is on."


def _rarely(expected: float) -> str:
    """How often something comes in half a minute, in words that can be judged."""
    if expected >= 0.095:
        return f"{expected:.1f} times in that time"
    every_min = 0.5 / expected if expected > 0 else float("inf")
    return f"once in {every_min:.0f} min" if every_min < 600 else f"once in {every_min / 60:,.0f} h" if every_min < 6e6 else "never in a craft's life"
