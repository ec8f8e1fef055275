"""What is dangerous in the chain of events when the link dies."""

from __future__ import annotations

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.on_loss import starting_grace_ms, wire_to_board
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.lost_link.timeline import predict

CHECK = Check("lost link")
LONG_GRACE_MS = 1000


def check_lost_link(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What is dangerous in the chain of events."""
    findings = []
    receiver, lost = parts.receiver, craft.settings.lost_link
    if predict(craft, parts).board_learns_s is None:
        silent = Mend(text="Set the receiver to no pulses", edits=(Edit(path="/receiver/on_loss", value="no pulses"),))
        findings.append(
            CHECK.stop(
                "lostlink.hidden",
                At("receiver", (*At.device("receiver").refs, *At.setting("/receiver/on_loss", "").refs)),
                f"The {receiver.name} is set to {craft.receiver.on_loss}, which hides the loss from the board.",
                "The craft flies on with old values and nobody at the sticks.",
                *((silent,) if "no pulses" in receiver.on_loss else ()),
            )
        )
    if lost.grace_ms > LONG_GRACE_MS:
        usual = starting_grace_ms(receiver, wire_to_board(parts))
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
