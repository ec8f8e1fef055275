"""What has to be seen of the lost link."""

from __future__ import annotations

from typing import Protocol

from linkcore.hops.lost_link.timeline import LossRun, judge, predict
from linkcore.hops.signal import SIGNAL
from linkcore.proofs import ProofOf
from linkcore.reads import Reads, View


class Lost(Protocol):
    """What is looked at of a running bench."""

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        ...


def as_predicted(view: View, seen: Lost) -> dict[str, object] | None:
    """The link was lost while armed; the board reacted when it was predicted to, and did not start by itself when the link came back."""
    run = seen.loss
    if run is None or run.state != "done":
        return None
    good, verdict = judge(run, predict(view.craft, view.parts))
    return {"run": run.model_dump(), "verdict": verdict} if good else None


AS_PREDICTED = ProofOf(
    name="as predicted",
    says="Armed, props off, the transmitter was switched off: the board reacted when predicted, and stayed disarmed when the link came back.",
    reads=Reads(
        *SIGNAL,
        "firmware",
        "frame rate",
        "transmitter",
        "receiver",
        "settings/channel_map",
        "settings/arming",
        "settings/arm_by",
        "settings/stick_arming",
        "settings/stick_lines",
        "settings/modes",
        "settings/lost_link",
    ),
    minutes=2,
    seen=as_predicted,
    wants=("pack", "transmitter", "armed", "props off"),
)
