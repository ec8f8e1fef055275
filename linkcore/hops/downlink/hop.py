"""Downlink: what comes back, what is missing and why."""

from __future__ import annotations

from linkcore.devices.firmware import air, devices_of
from linkcore.devices.outlook import outlook
from linkcore.findings import At, Check, Finding, Mend
from linkcore.hop import Hop
from linkcore.hops.downlink.codes import CODES
from linkcore.hops.downlink.noticing import check_noticing
from linkcore.hops.downlink.picture import check_picture
from linkcore.hops.downlink.proofs import PICTURE_READS, PROOFS, Come, coming, expected, expected_now
from linkcore.hops.downlink.rules import check_downlink, check_firmware
from linkcore.hops.downlink.view import DownlinkTold, tell
from linkcore.reads import Reads, View

CHECK = Check("downlink")


def judged(view: View) -> list[Finding]:
    """The way home, what would be noticed of it, and the firmware on both ends."""
    if view.parts.maybe_board is None or view.parts.maybe_receiver is None:
        return []
    link = outlook(*air(devices_of(view.parts), view.installed))
    return [
        *check_downlink(view.craft, view.parts),
        *check_firmware(view.craft, link),
        *check_noticing(view.craft, view.parts),
        *check_picture(view.craft, view.parts),
    ]


def clashes(_: View, seen: Come | None) -> list[Finding]:
    """Two senders that tell one sensor: what the transmitter shows is now the one, now the other."""
    found = seen.sensors_found if seen is not None else []
    return [
        CHECK.warn(
            "downlink.clash",
            At(each.sensor),
            f"{' and '.join(each.clash)} both tell {each.sensor}, as {each.id}.",
            "What the transmitter shows is now the one's, now the other's.",
            Mend(text="Take one of them off the wire, or give it another id where it can have one"),
        )
        for each in found
        if each.clash
    ]


def come(view: View, seen: Come | None) -> str:
    """The one value: how many of the expected sensors come."""
    if not view.parts.whole:
        return "–"
    wanted = len(expected(view.craft, view.parts) if seen is None else expected_now(view, seen))
    if seen is None or not wanted:
        return f"0 of {wanted}" if wanted else "none"
    return f"{len(coming(view, seen))} of {wanted}"


def to_begin(view: View) -> frozenset[str]:
    """That nothing comes home, while nothing of it was wired or set; and that nothing would be noticed, while no alarm was ever set and nothing arranged on a picture."""
    begun = view.craft.settings.telemetry.protocol is not None or "telemetry" in view.craft.settings.ports.values() or bool(view.craft.wiring)
    way = () if begun else ("downlink.wire", "downlink.job", "downlink.protocol", "downlink.device-wire", "downlink.waits", "downlink.no-port")
    return frozenset((*way, *(() if view.craft.alarms or view.craft.settings.screen.elements else ("downlink.unnoticed",))))


HOP = Hop(
    key="downlink",
    title="Downlink",
    question="What comes back from the craft, how old is it, and what is missing?",
    reads=Reads(*PICTURE_READS, "alarms", "alarm", "place", "airframe", "settings/rssi_channel"),
    rules=judged,
    sees=clashes,
    codes=CODES,
    proofs=PROOFS,
    to_begin=to_begin,
    value=come,
    flows=lambda seen: seen.home_traffic.came_per_s > 0,
    tells=DownlinkTold,
    tell=tell,
)
