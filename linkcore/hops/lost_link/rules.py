"""What is dangerous in the chain of events when the link dies."""

from __future__ import annotations

from linkcore.craft.airframes import MULTIROTORS, WINGS
from linkcore.craft.document import CraftDocument, Response, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.craft.places import place_of
from linkcore.devices.budget import frame_period_s
from linkcore.devices.motors import at_rest, reversing, stop_us
from linkcore.devices.on_loss import starting_grace_ms, wire_to_board
from linkcore.devices.responses import can_do, in_words, lacks, lands_by
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.lost_link.place_rules import DIVE_MPS, check_place, flies_on_s
from linkcore.hops.lost_link.timeline import Prediction, predict, preset_value, preset_with
from linkcore.parts.axes import channel_of

CHECK = Check("lost link")
_RETURNS = "A transmitter that returns with its arm switch on looks like a flip of the switch, which arms: switch it off before."
LONG_GRACE_MS = 1000
SHORT_GRACE_FRAMES = 5  # a board that waits for fewer gives the link up in air that a pilot would fly on in (ours)


def check_lost_link(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What is dangerous in the chain of events."""
    findings = []
    receiver, lost = parts.receiver, craft.settings.lost_link
    predicted = predict(craft, parts)
    if predicted.hidden:
        findings.append(_hidden(craft, parts, predicted))
    findings += [*_rssi(craft, parts), *_drives(craft, parts), *_response(craft, parts), *_rules_of_the_response(craft, parts, predicted)]
    if len(craft.receiver.preset_us) > receiver.channels:
        findings.append(
            CHECK.warn(
                "lostlink.preset-channels",
                At("receiver", (*At.device("receiver").refs, *At.setting("/receiver/preset_us", "").refs)),
                f"The preset has values for {len(craft.receiver.preset_us)} channels; the {receiver.name} has {receiver.channels}.",
                "The rest goes nowhere.",
                Mend(
                    text=f"Keep the first {receiver.channels}", edits=(Edit(path="/receiver/preset_us", value=craft.receiver.preset_us[: receiver.channels]),)
                ),
            )
        )
    period_s = frame_period_s(craft.air, receiver)
    if predicted.reacts_s is not None and predicted.reacts_s < SHORT_GRACE_FRAMES * period_s:
        usual = max(starting_grace_ms(receiver, wire_to_board(parts), period_s), lost.grace_ms + 20)
        findings.append(
            CHECK.warn(
                "lostlink.short-grace",
                At.setting("/settings/lost_link/grace_ms", "grace"),
                f"The board reacts {1000 * predicted.reacts_s:.0f} ms after the last radio frame: {predicted.reacts_s / period_s:.0f} frames.",
                f"Fewer than {SHORT_GRACE_FRAMES} frames in a row are lost now and then in air that a pilot flies on in.",
                Mend(text=f"Set the grace to {usual} ms", edits=(Edit(path="/settings/lost_link/grace_ms", value=usual),)),
            )
        )
    if lost.grace_ms > LONG_GRACE_MS:
        usual = starting_grace_ms(receiver, wire_to_board(parts), frame_period_s(craft.air, receiver))
        findings.append(
            CHECK.warn(
                "lostlink.long-grace",
                At.setting("/settings/lost_link/grace_ms", "grace"),
                f"The grace is {lost.grace_ms} ms.",
                "For that long the craft flies on with its last values.",
                Mend(text=f"Set the grace to {usual} ms", edits=(Edit(path="/settings/lost_link/grace_ms", value=usual),)),
            )
        )
    if lost.response == "motors off":
        findings += [*_runs_on_fallback(craft), *_runs_on_preset(craft, parts, predicted)]
    return findings + check_place(craft, parts, predicted)


def _runs_on_fallback(craft: CraftDocument) -> list[Finding]:
    """A fallback that is not where the motors stand still."""
    settings = craft.settings
    lost = settings.lost_link
    if lost.throttle_fallback == "low" or (lost.throttle_fallback == "value" and at_rest(settings, lost.throttle_us)):
        return []
    holds = "holds" if lost.throttle_fallback == "hold" else f"goes to {lost.throttle_us:.0f} us"
    return [
        CHECK.stop(
            "lostlink.fallback-runs",
            At.setting("/settings/lost_link/throttle_fallback", "fallback"),
            f"Throttle {holds} on loss; the motors stand still at {stop_us(settings):.0f} us.",
            "They shall stop. What stands behind the response must not have them run.",
            Mend(text=f"Let throttle go to {stop_us(settings):.0f} us", edits=(Edit(path="/settings/lost_link/throttle_fallback", value="low"),)),
        )
    ]


def _runs_on_preset(craft: CraftDocument, parts: KitParts, predicted: Prediction) -> list[Finding]:
    """A preset that is not where the motors stand still, unless it has the craft fly by itself."""
    channel = channel_of("throttle", craft.settings.channel_map)
    us = preset_value(craft, channel)
    if craft.receiver.on_loss != "preset" or predicted.responds_s is not None or at_rest(craft.settings, us):
        return []
    rest = stop_us(craft.settings)
    edits = (Edit(path="/receiver/preset_us", value=preset_with(craft, {channel: rest})),)
    return [
        CHECK.stop(
            "lostlink.preset-runs",
            At("receiver", (*At.device("receiver").refs, *At.setting("/receiver/preset_us", "").refs)),
            f"The {parts.receiver.name}'s preset has throttle (CH{channel}) at {us:.0f} us; the motors stand still at {rest:.0f} us.",
            "They shall stop, and what the receiver sends on loss has them run.",
            Mend(text=f"Preset throttle (CH{channel}) at {rest:.0f} us", edits=edits),
        )
    ]


def check_fix(craft: CraftDocument, fix: bool | None, home: bool | None) -> list[Finding]:
    """A return that has no fix just now, or none that is good enough for a home."""
    lost = craft.settings.lost_link
    if home is not False or lost.response not in ("return home", "loiter"):
        return []
    waits = "It does not arm" if lost.without_home == "no arming" else "It arms without a home, and its motors stop when the link dies"
    return [
        CHECK.stop(
            "lostlink.no-fix",
            At.setting("/settings/lost_link/response", "response"),
            f"It {in_words(lost.response, craft.airframe)}, and the GPS has no fix{' that is good enough for a home' if fix else ''}.",
            f"{waits}. Where it was armed is home; without a fix nobody knows where that is.",
            Mend(text="Let it have its fix, good enough for a home", hands={"gps_fix": True, "home": True}),
        )
    ]


def _rssi(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """RSSI on a channel: who knows of it, who else listens there, and whether it would stay as it was."""
    filled, known = parts.receiver.rssi_channel, craft.settings.rssi_channel
    found = []
    at = At.setting("/settings/rssi_channel", "RSSI")
    if filled is not None and known != filled:
        mend = Mend(text=f"Let the board take RSSI from CH{filled}", edits=(Edit(path="/settings/rssi_channel", value=filled),))
        what = f"The {parts.receiver.name} fills CH{filled} with RSSI, and the board {'takes it from CH' + str(known) if known else 'does not know of it'}."
        found.append(CHECK.warn("lostlink.rssi-channel", at, what, "To the board it is a channel like any other, which moves by itself.", mend))
    if known is None:
        return found
    bands = [band for band in craft.settings.modes if band.channel == known]
    arm = craft.settings.arming is not None and craft.settings.arm_by == "switch" and craft.settings.arming.channel == known
    if bands or arm:
        keeps = [band.model_dump(mode="json") for band in craft.settings.modes if band.channel != known]
        mends = (
            [Mend(text="Give arming another channel", go="switchboard")]
            if arm
            else [Mend(text=f"Remove the mode bands on CH{known}", edits=(Edit(path="/settings/modes", value=keeps),))]
        )
        what = f"CH{known} carries RSSI, and {'arming' if arm else bands[0].mode} listens to it."
        found.append(CHECK.stop("lostlink.rssi-band", at, what, "It would be switched by the distance.", *mends))
    if not craft.settings.rssi_falls:
        mend = Mend(text="Let RSSI fall to its lowest on loss", edits=(Edit(path="/settings/rssi_falls", value=True),))
        found.append(
            CHECK.warn("lostlink.rssi-holds", at, "RSSI stays as it was once the link is lost.", "The pilot's screen goes on showing a good link.", mend)
        )
    return found


def _drives(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """Where do the motors stand still? What is low for one drive is full astern for another."""
    both_ways = reversing(parts)
    if both_ways is None or both_ways == craft.settings.reversing_drives:
        return []
    us = stop_us(craft.settings)
    return [
        CHECK.stop(
            "lostlink.drives",
            At.setting("/settings/reversing_drives", "drives"),
            f"The drives turn {'both ways' if both_ways else 'one way'}, and the board takes them to stand still at {us:.0f} us.",
            "On loss of the link it would send them full astern." if both_ways else "On loss of the link they would go on at half throttle.",
            Mend(
                text=f"Let the board take them for drives that turn {'both ways' if both_ways else 'one way'}",
                edits=(Edit(path="/settings/reversing_drives", value=both_ways),),
            ),
        )
    ]


def _respond(response: Response) -> Mend:
    return Mend(
        text=f"Let it {'stop its motors' if response == 'motors off' else response} instead", edits=(Edit(path="/settings/lost_link/response", value=response),)
    )


def _response(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """Can this craft do what it shall do?"""
    lost, airframe = craft.settings.lost_link, craft.airframe
    at = At.setting("/settings/lost_link/response", "response")
    if not can_do(airframe, lost.response):
        what = f"A {airframe} cannot do that: it {in_words(lost.response, airframe)}."
        return [CHECK.stop("lostlink.cannot", at, what, "The board stops the motors instead.", _respond("motors off"))]
    missing = lacks(airframe, lost.response, parts.sensors)
    if missing:
        what = f"It {in_words(lost.response, airframe)}, and has no {' and no '.join(each.removeprefix('a ') for each in missing)}."
        mends = [Mend(text=f"Fit {' and '.join(missing)}", go="kit"), _respond("motors off")]
        return [CHECK.stop("lostlink.no-sensor", at, what, "The board stops the motors instead, wherever it is.", *mends)]
    if lost.response == "land" and lands_by(lost, airframe, parts.sensors) is None:
        what = "It lands, and knows neither its height nor the throttle at which it hovers."
        mends = [Mend(text="Fit a barometer", go="kit"), _respond("motors off"), Mend(text="Measure the throttle at which it hovers, and set it here")]
        return [CHECK.stop("lostlink.no-landing", at, what, "It could come down only by chance, so the board stops the motors instead.", *mends)]
    return []


def _rules_of_the_response(craft: CraftDocument, parts: KitParts, predicted: Prediction) -> list[Finding]:
    """What cuts a response short, and what ends it."""
    lost, place = craft.settings.lost_link, place_of(craft)
    if predicted.does == "motors off" or predicted.reacts_s is None:
        return []
    found = []
    dive_s = place.height_m / DIVE_MPS if craft.airframe in MULTIROTORS else 60.0
    if lost.throttle_low_s and lost.throttle_low_s < dive_s:
        longer = min(60, round(dive_s) + 1)
        never = Mend(text="Never take low throttle for landed", edits=(Edit(path="/settings/lost_link/throttle_low_s", value=0),))
        later = Mend(text=f"Take it for landed after {longer} s", edits=(Edit(path="/settings/lost_link/throttle_low_s", value=longer),))
        found.append(
            CHECK.warn(
                "lostlink.throttle-low",
                At.setting("/settings/lost_link/throttle_low_s", "throttle low"),
                f"Throttle low for {lost.throttle_low_s} s before the loss counts as landed.",
                "A wing glides with its throttle low, and would fall out of its response."
                if craft.airframe in WINGS
                else f"Coming down from {place.height_m:g} m with throttle low takes longer, and then it drops.",
                *([later, never] if craft.airframe in MULTIROTORS and longer >= dive_s else [never]),
            )
        )
    if lost.ends == "at once":
        found.append(
            CHECK.warn(
                "lostlink.at-once",
                At.setting("/settings/lost_link/ends", "what ends it"),
                "The link takes over as soon as it is back, with throttle wherever the stick stands then.",
                "A pilot who has let go of the sticks drops the craft.",
                Mend(text="Let it take over once the sticks have moved", edits=(Edit(path="/settings/lost_link/ends", value="sticks moved"),)),
            )
        )
    return found


def _hidden(craft: CraftDocument, parts: KitParts, predicted: Prediction) -> Finding:
    """The board takes what the receiver says for a link: then the craft does what those values say."""
    receiver = parts.receiver
    at = At("receiver", (*At.device("receiver").refs, *At.setting("/receiver/on_loss", "").refs))
    preset = craft.receiver.on_loss == "preset"
    if predicted.preset_disarms:
        return CHECK.note(
            "lostlink.preset-disarms",
            at,
            f"The {receiver.name}'s own values disarm the craft: the motors stop {predicted.motors_stop_s or 0:.2f} s after the last radio frame.",
            f"The board {'takes them for the link again' if predicted.reacts_s is not None else 'never knows of the loss, so its response does not begin'}. {_RETURNS}",
        )
    if predicted.responds_s is not None:
        return CHECK.note(
            "lostlink.preset-responds",
            at,
            f"The {receiver.name}'s own values turn {predicted.does} on, {predicted.responds_s:.2f} s after the last radio frame.",
            "The board never knows of the loss, and flies by that mode until the transmitter is back.",
        )
    arming = craft.settings.arming
    if preset and arming is not None and craft.settings.arm_by == "switch":
        return CHECK.stop(
            "lostlink.preset-arms",
            at,
            f"The {receiver.name} is set to preset, and its value for CH{arming.channel} keeps the craft armed.",
            "The board takes the preset for a link: the motors go on, and may start anew when the transmitter returns.",
            *_mends(craft, parts),
        )
    return CHECK.stop(
        "lostlink.hidden",
        at,
        f"The {receiver.name} is set to {craft.receiver.on_loss}, which hides the loss from the board.",
        _flies_on(craft, parts) if not preset else "The craft does what the preset says, with nobody at the sticks.",
        *_mends(craft, parts),
    )


def _flies_on(craft: CraftDocument, parts: KitParts) -> str:
    """How long, and how far, as the pack has it."""
    says = f"The craft {'flies' if craft.airframe in MULTIROTORS | WINGS else 'goes'} on with old values and nobody at the sticks"
    lasts_s, place = flies_on_s(craft, parts), place_of(craft)
    return (
        f"{says}."
        if lasts_s is None
        else f"{says}, for {lasts_s / 60:.0f} min and {lasts_s * (place.speed_mps + place.wind_mps) / 1000:.1f} km, as far as its pack goes."
    )


def _home_by_preset(craft: CraftDocument, parts: KitParts) -> list[Mend]:
    """A preset that turns return home on, where a band has it and the craft can do it; only where the board does not react before."""
    settings = craft.settings
    band = next((each for each in settings.modes if each.mode == "return home"), None)
    if band is None or "preset" not in parts.receiver.on_loss:
        return []
    wanted = {band.channel: round((band.low + band.high) / 2)}
    if settings.arm_by == "switch" and settings.arming is not None:
        wanted[settings.arming.channel] = round((settings.arming.low + settings.arming.high) / 2)
    edits = (Edit(path="/receiver/on_loss", value="preset"), Edit(path="/receiver/preset_us", value=preset_with(craft, wanted)))
    if predict(apply_edits(craft, edits), parts).responds_s is None:
        return []
    return [Mend(text=f"Set the receiver to preset, with CH{band.channel} at {wanted[band.channel]} us, which turns return home on", edits=edits)]


def _mends(craft: CraftDocument, parts: KitParts) -> list[Mend]:
    receiver, settings = parts.receiver, craft.settings
    if "no pulses" in receiver.on_loss:
        return [Mend(text="Set the receiver to no pulses", edits=(Edit(path="/receiver/on_loss", value="no pulses"),))]
    to_preset = Edit(path="/receiver/on_loss", value="preset")
    home = _home_by_preset(craft, parts)
    if "preset" in receiver.on_loss and settings.arm_by == "switch" and settings.arming is not None:
        channel = settings.arming.channel
        off = next(us for us in (1000.0, 2000.0, 1500.0) if not settings.arming.holds(us))
        throttle = channel_of("throttle", settings.channel_map)
        values = preset_with(craft, {channel: off} if at_rest(settings, preset_value(craft, throttle)) else {channel: off, throttle: stop_us(settings)})
        edits = (to_preset, Edit(path="/receiver/preset_us", value=values))
        return [Mend(text=f"Set the receiver to preset, with CH{channel} at {off:.0f} us, which disarms", edits=edits), *home]
    if "preset" in receiver.on_loss and settings.arm_by == "stick" and settings.stick_arming.timeout_s:
        channel = channel_of("throttle", settings.channel_map)
        rest = stop_us(settings)
        edits = (to_preset, Edit(path="/receiver/preset_us", value=preset_with(craft, {channel: rest})))
        after = f"which disarms after {settings.stick_arming.timeout_s:g} s"
        return [Mend(text=f"Set the receiver to preset, with throttle (CH{channel}) at {rest:.0f} us, {after}", edits=edits), *home]
    if "preset" in receiver.on_loss:
        return [Mend(text="Give arming a mode band; then a preset of the receiver can take it to off", go="switchboard")]
    return [Mend(text="Choose another receiver, or an output of it that goes silent", go="kit")]
