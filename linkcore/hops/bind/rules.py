"""What is wrong with the bind."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.bind_count import counts_for
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
    if count not in counts_for(protocol):
        right = counts_for(protocol)
        what = f"{count} bind pulses ask for another protocol than {protocol}."
        mends = (Mend(text=f"Set it to {right[0]}", edits=(Edit(path=COUNT, value=right[0]),)),) if right else ()
        found.append(
            CHECK.stop(
                "bind.count-kind", At.setting("/settings/bind_count", "bind count"), what, "The satellite would speak what the port does not read.", *mends
            )
        )
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


def check_ends(
    *, knows: bool, identity: bool, because: str, distance_m: float, satellite_home: bool, own_pad: str | None, budget: Budget | None, transmitter_name: str
) -> list[Finding]:
    """What the two ends on the bench say. `identity`: the receiver knows somebody; `because`: why not this transmitter."""
    found = []
    if not identity:
        why = "An unbound receiver is silent on its wire as well: nothing after this hop can work."
        found.append(CHECK.stop("bind.not-bound", At.device("receiver"), "The receiver knows no transmitter.", why, Mend(text="Follow the steps above")))
    elif not knows:
        why = "It listens for eight bytes that this transmitter does not send, as it is set now."
        found.append(
            CHECK.stop(
                "bind.other-link",
                At.device("receiver"),
                f"The receiver listens for another link: {because}.",
                why,
                Mend(text="Select the model memory it was bound with, or bind anew"),
            )
        )
    if not satellite_home:
        what = f"The satellite is still plugged into the bind pad, not into {own_pad}."
        found.append(CHECK.stop("bind.satellite-away", At.device("receiver"), what, "On the bind pad no port reads it.", Mend(text="Plug it back")))
    if distance_m < TOO_CLOSE_M:
        what = f"The ends lie {distance_m:g} m apart."
        found.append(
            CHECK.warn(
                "bind.too-close",
                At.setting("/air", "air"),
                what,
                "Right beside each other the transmitter drowns the receiver; a bind fails, and a proof says little.",
                Mend(text="Two steps apart"),
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
