"""What is dangerous in the chain of events when the link dies."""

from __future__ import annotations

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit, Finding, Mend
from linkcore.hops.lost_link.timeline import predict

LONG_GRACE_MS = 1000


def check_lost_link(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What is dangerous in the chain of events."""
    findings = []
    receiver, settings = parts.receiver, craft.settings
    if predict(craft, parts).board_learns_s is None:
        findings.append(
            Finding(
                code="lostlink.hidden",
                severity="stop",
                hop="lost link",
                where="receiver",
                what=f"The {receiver.name} is set to {craft.receiver.on_loss}, which hides the loss from the board.",
                why="The craft flies on with old values and nobody at the sticks.",
                mends=(Mend(text="Set the receiver to no pulses", edits=(Edit(path="/receiver/on_loss", value="no pulses"),)),)
                if "no pulses" in receiver.on_loss
                else (),
            )
        )
    if settings.lost_link.grace_ms > LONG_GRACE_MS:
        findings.append(
            Finding(
                code="lostlink.long-grace",
                severity="warn",
                hop="lost link",
                where="grace",
                what=f"The grace is {settings.lost_link.grace_ms} ms.",
                why="For that long the craft flies on with its last values.",
                mends=(Mend(text="Set the grace to 400 ms", edits=(Edit(path="/settings/lost_link/grace_ms", value=400),)),),
            )
        )
    if settings.lost_link.throttle_fallback == "hold" and settings.lost_link.response == "drop":
        findings.append(
            Finding(
                code="lostlink.hold-and-drop",
                severity="note",
                hop="lost link",
                where="fallback",
                what="Throttle holds, but the response stops the motors anyway.",
                why="The fallback has no effect with drop.",
            )
        )
    return findings
