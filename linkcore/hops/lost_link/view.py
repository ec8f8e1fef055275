"""What is told of the Lost link: what is predicted, and what was measured beside it."""

from __future__ import annotations

from typing import Protocol

from pydantic import BaseModel

from linkcore.hops.lost_link.timeline import FIRST, LossRun, Prediction, judge, predict
from linkcore.reads import Whole


class LostLinkTold(BaseModel):
    """The Lost link hop. `verdict`: what to say of the run, and `proven` whether it proves the hop."""

    prediction: Prediction
    loss: LossRun | None
    proven: bool
    verdict: str


class Lost(Protocol):
    """What is looked at of a running bench."""

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        ...


def tell(whole: Whole, seen: Lost) -> LostLinkTold:
    """The Lost link hop."""
    prediction = predict(whole.craft, whole.parts)
    proven, verdict = judge(seen.loss, prediction) if seen.loss else (False, FIRST)
    return LostLinkTold(prediction=prediction, loss=seen.loss, proven=proven, verdict=verdict)
