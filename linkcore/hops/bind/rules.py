"""What is wrong with the bind."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.bind_count import counts_for, speech_after
from linkcore.devices.budget import Budget
from linkcore.devices.ends import TOO_CLOSE_M
from linkcore.findings import At, Check, Edit, Finding, Mend

CHECK = Check("bind")
COUNT = "/settings/bind_count"


def check_bind(craft: CraftDocument, parts: KitParts) -> list[Finding]:
    """What the settings alone say."""
    count = craft.settings.bind_count
    if not count:
        return []
    protocol = parts.spoken.protocol if parts.spoken else ""
    zero = Mend(text="Set the bind count back to 0", edits=(Edit(path=COUNT, value=0),))
    if "count" not in parts.receiver.binding.ways:
        why = f"The {parts.receiver.name} is bound in another way; pulses on its line only disturb it."
        return [CHECK.warn("bind.count-for-nothing", At.setting("/settings/bind_count", "bind count"), f"The bind count is {count}.", why, zero)]
    found = [
        CHECK.stop(
            "bind.count-left",
            At.setting("/settings/bind_count", "bind count"),
            f"The bind count is {count}: at every power-up the satellite goes into bind instead of connecting.",
            "It is set for the bind alone. Left in place, the link does not come back in the field.",
            zero,
        )
    ]
    speech, right = speech_after(count, [output.protocol for output in parts.receiver.outputs]), counts_for(protocol)
    where = At.setting("/settings/bind_count", "bind count")
    mends = (Mend(text=f"Set it to {right[0]}", edits=(Edit(path=COUNT, value=right[0]),)),) if right else ()
    if speech is None:
        what = f"{'One bind pulse asks' if count == 1 else f'{count} bind pulses ask'} for nothing."
        found.append(CHECK.stop("bind.count-kind", where, what, "3 to 10 ask for something; the satellite takes no notice.", *mends))
    elif speech.protocol != protocol and speech.internal:
        what = f"{count} bind pulses ask for {speech.protocol}, not for {protocol}."
        found.append(CHECK.stop("bind.count-kind", where, what, "Bound so, the satellite speaks what the port does not read.", *mends))
    elif not speech.internal:
        why = "Its frames then do not say what they are, and how fine their values are has to be guessed."
        found.append(CHECK.warn("bind.count-external", where, f"{count} bind pulses are for a satellite beside an internal receiver.", why, *mends))
    return found


@dataclass(frozen=True)
class EndsNow:
    """What both ends say of each other just now; the arguments of check_ends."""

    knows: bool
    identity: bool
    because: str
    distance_m: float
    satellite_home: bool
    own_pad: str | None
    budget: Budget | None
    transmitter_name: str
    bind_count: int
    speaks: str
    protocol: str


def check_ends(
    *,
    knows: bool,
    identity: bool,
    because: str,
    distance_m: float,
    satellite_home: bool,
    own_pad: str | None,
    budget: Budget | None,
    transmitter_name: str,
    bind_count: int = 0,
    speaks: str = "",
    protocol: str = "",
) -> list[Finding]:
    """What the two ends on the bench say. `identity`: the receiver knows somebody; `because`: why not this transmitter.

    `speaks`: what a satellite says that it speaks, where it was bound by `bind_count` pulses; `protocol`: what this craft counts on.
    """
    found = []
    if not identity:
        why = "An unbound receiver is silent on its wire as well: nothing after this hop can work."
        found.append(
            CHECK.stop("bind.not-bound", At.device("receiver"), "The receiver knows no transmitter.", why, Mend(text="Follow the steps of Bind", go="bind"))
        )
    elif not knows:
        why = "It listens for eight bytes that this transmitter does not send, as it is set now."
        found.append(
            CHECK.stop(
                "bind.other-link",
                At.device("receiver"),
                f"The receiver listens for another link: {because}.",
                why,
                Mend(text="Select the model memory it was bound with, or bind anew", go="bind"),
            )
        )
    if speaks and speaks != protocol:
        right = counts_for(protocol)
        found.append(
            CHECK.stop(
                "bind.speaks-other",
                At.device("receiver"),
                f"Bound by {bind_count} pulses, the satellite speaks {speaks}; this craft counts on {protocol}.",
                "Where the port does not read that, no frame arrives.",
                Mend(text=f"Bind it anew, with {right[0]} pulses" if right else "Bind it anew", go="bind"),
            )
        )
    if not satellite_home:
        what = f"The satellite is still plugged into the bind pad, not into {own_pad}."
        found.append(
            CHECK.stop(
                "bind.satellite-away",
                At.device("receiver"),
                what,
                "On the bind pad no port reads it.",
                Mend(text="Plug it back", hands={"satellite_away": False}),
            )
        )
    if distance_m < TOO_CLOSE_M:
        what = f"The ends lie {distance_m:g} m apart."
        found.append(
            CHECK.warn(
                "bind.too-close",
                At.setting("/air", "air"),
                what,
                "Right beside each other the transmitter drowns the receiver; a bind fails, and a proof says little.",
                Mend(text="Put them two steps apart", hands={"distance_m": 2.0}),
            )
        )
    if budget and budget.limit_dbm is not None and budget.over:
        what = f"{transmitter_name} would send {budget.eirp_dbm:.1f} dBm EIRP; {budget.region} allows {budget.limit_dbm:.1f}."
        found.append(
            CHECK.warn(
                "bind.over-limit",
                At.setting("/air", "air"),
                what,
                f"The limit is {budget.limit_from}. Antenna gain counts.",
                Mend(text="Lower the power, or take an antenna with less gain"),
            )
        )
    return found
