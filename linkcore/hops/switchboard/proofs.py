"""What has to be seen of the Switchboard."""

from __future__ import annotations

from typing import Protocol

from linkcore.hops.signal import SIGNAL
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.hops.switchboard.truth import TruthTable
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Flipped(Protocol):
    """What is looked at of a running bench."""

    @property
    def measured(self) -> SwitchMeasure:
        """The switches as measured."""
        ...

    def table(self) -> TruthTable:
        """The truth table of what runs on the board."""
        ...


def every_row_seen(view: View, seen: Flipped) -> dict[str, object] | None:
    """Every row of the truth table was seen to do what its mode bands promise."""
    settings, measured = view.craft.settings, seen.measured
    if not measured.seen or (settings.arming is None and settings.arm_by == "switch"):
        return None
    table = seen.table()
    if not table.proven:
        return None
    samples = {places: sample.model_dump() for places, sample in measured.samples.items()}
    return {"rows": [row.model_dump() for row in table.rows], "channels": table.channels, "samples": samples}


EVERY_ROW_SEEN = ProofOf(
    name="every row seen",
    says="Every combination of switch positions was seen to do what its mode bands promise.",
    reads=Reads(
        *SIGNAL,
        "airframe",
        "sensors",
        "transmitter",
        "acro_wanted",
        "settings/channel_map",
        "settings/arming",
        "settings/arm_by",
        "settings/stick_arming",
        "settings/modes",
        "settings/rssi_channel",
    ),
    minutes=4,
    seen=every_row_seen,
    wants=("pack", "transmitter", "props off"),
)
