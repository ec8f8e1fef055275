"""What a browser says to a tap, and what it hears."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field


class _Incoming(BaseModel):
    model_config = ConfigDict(extra="forbid")


class OpenTap(_Incoming):
    """Listen to a line with these settings."""

    type: Literal["open"] = "open"
    address: Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f\x7f]+$")]
    baud: Annotated[int, Field(ge=300, le=5_000_000)]
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1


class TapAct(_Incoming):
    """Something else: close it, list what is there, try the usual settings one after the other, keep what was heard as a recording."""

    type: Literal["close", "list", "try settings", "keep"]


class TapPlace(BaseModel):
    """A line that is there."""

    address: str
    about: str


class TapTrial(BaseModel):
    """One setting that was tried."""

    baud: int
    framing: str
    what: str
    good_share: float


class TapState(BaseModel):
    """The tap now. `state`: closed, listening, gone (it was there and will be taken up again), refused; `text` says what to do."""

    type: Literal["tap"] = "tap"
    state: Literal["closed", "listening", "trying settings", "gone", "refused"]
    text: str
    address: str
    baud: int
    framing: str
    places: list[TapPlace]
    bytes: int
    bytes_per_s: int
    protocol: str | None
    what: str
    good_share: float
    why: list[str]
    marks: str
    late: str
    channels: dict[int, float]
    sensors: dict[str, dict[str, float | int | str]]
    last_bytes: list[int]
    trials: list[TapTrial]
    recording: str | None
