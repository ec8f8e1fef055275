"""What is dangerous in the chain of events when the link dies."""

from __future__ import annotations

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import frame_period_s
from linkcore.devices.on_loss import starting_grace_ms, wire_to_board
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.lost_link.timeline import Prediction, predict, preset_with
from linkcore.parts.axes import channel_of

CHECK = Check("lost link")
_RETURNS = "A transmitter that returns with its arm switch on looks like a flip of the switch, which arms: switch it off before."
LONG_GRACE_MS = 1000


def check_lost_link(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What is dangerous in the chain of events."""
    findings = []
    receiver, lost = parts.receiver, craft.settings.lost_link
    predicted = predict(craft, parts)
    if predicted.hidden:
        findings.append(_hidden(craft, parts, predicted))
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
    if lost.throttle_fallback == "hold" and lost.response == "motors off":
        findings.append(
            CHECK.note(
                "lostlink.hold-and-drop",
                At.setting("/settings/lost_link/throttle_fallback", "fallback"),
                "Throttle holds, but the response stops the motors anyway.",
                "The fallback has no effect with motors off.",
            )
        )
    return findings


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
        "The craft flies on with old values and nobody at the sticks." if not preset else "The craft does what the preset says, with nobody at the sticks.",
        *_mends(craft, parts),
    )


def _mends(craft: CraftDocument, parts: KitParts) -> list[Mend]:
    receiver, settings = parts.receiver, craft.settings
    if "no pulses" in receiver.on_loss:
        return [Mend(text="Set the receiver to no pulses", edits=(Edit(path="/receiver/on_loss", value="no pulses"),))]
    to_preset = Edit(path="/receiver/on_loss", value="preset")
    if "preset" in receiver.on_loss and settings.arm_by == "switch" and settings.arming is not None:
        channel = settings.arming.channel
        off = next(us for us in (1000.0, 2000.0, 1500.0) if not settings.arming.holds(us))
        edits = (to_preset, Edit(path="/receiver/preset_us", value=preset_with(craft, {channel: off})))
        return [Mend(text=f"Set the receiver to preset, with CH{channel} at {off:.0f} us, which disarms", edits=edits)]
    if "preset" in receiver.on_loss and settings.arm_by == "stick" and settings.stick_arming.timeout_s:
        channel = channel_of("throttle", settings.channel_map)
        edits = (to_preset, Edit(path="/receiver/preset_us", value=preset_with(craft, {channel: 1000.0})))
        after = f"which disarms after {settings.stick_arming.timeout_s:g} s"
        return [Mend(text=f"Set the receiver to preset, with throttle (CH{channel}) at 1000 us, {after}", edits=edits)]
    if "preset" in receiver.on_loss:
        return [Mend(text="Give arming a mode band; then a preset of the receiver can take it to off", go="switchboard")]
    return [Mend(text="Choose another receiver, or an output of it that goes silent", go="kit")]
