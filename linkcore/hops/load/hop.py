"""Load: the firmware on every device, and whether both ends understand each other."""

from __future__ import annotations

from typing import Protocol

from linkcore.devices.firmware import devices_of
from linkcore.devices.outlook import Outlook
from linkcore.findings import Finding
from linkcore.hop import Hop
from linkcore.hops.load.codes import CODES
from linkcore.hops.load.proofs import BOTH_ENDS_TALK
from linkcore.hops.load.rules import check_load
from linkcore.hops.load.view import LoadTold, tell
from linkcore.kept import Kept
from linkcore.reads import Reads, View


class Flashed(Protocol):
    """What is looked at of a running bench."""

    kept: Kept

    @property
    def outlook(self) -> Outlook:
        """What the link is with the firmware on both ends."""
        ...

    @property
    def flashing(self) -> list[str]:
        """Devices that a flash job runs on."""
        ...

    @property
    def all_run(self) -> bool:
        """Whether every device runs its program."""
        ...


def firmware(view: View, seen: Flashed | None) -> list[Finding]:
    """What the firmware does to the link; of a device that is just being given its program that is not said."""

    def work_out() -> list[Finding]:
        return check_load(view.craft, devices_of(view.parts), view.installed)

    found = work_out() if seen is None else seen.kept.get("firmware findings", (view,), None, work_out)
    busy = seen.flashing if seen is not None else []
    return [each for each in found if each.code != "load.no-program" or not any(each.names("device", role) for role in busy)]


def outlook_in_words(_: View, seen: Flashed | None) -> str:
    """The one value: what the link is."""
    if seen is None:
        return "–"
    return "flashing" if seen.flashing else seen.outlook.verdict


def flows(seen: Flashed) -> bool:
    """Whether every device runs, and both ends understand each other."""
    return seen.outlook.verdict != "do not match" and seen.all_run


HOP = Hop(
    key="load",
    title="Load",
    question="What runs on every device, and do both ends understand each other?",
    reads=Reads("kit", "wants", "firmware"),
    sees=firmware,
    codes=CODES,
    proofs=(BOTH_ENDS_TALK,),
    value=outlook_in_words,
    flows=flows,
    tells=LoadTold,
    tell=tell,
)
