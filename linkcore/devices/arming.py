"""When the board arms and disarms, and what keeps it from arming. The stand-in board runs these rules; the screens show them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, NamedTuple

from pydantic import BaseModel

from linkcore.craft.document import BoardSettings
from linkcore.devices.motors import at_rest
from linkcore.findings import HopKey
from linkcore.parts.models import LEVEL_WITHIN_DEG

SETTLED_S = 1.6  # a link that was lost just before must have held for so long: twice what the slowest receiver takes to notice that it is gone again
SENSORS_S = 0.6  # the gyro finds its zero after a start


Said = tuple[Literal["armed", "refused", "disarmed"], str]


class Blocker(BaseModel):
    """Why the board refuses to arm, what clears it, and the hop at which that is found out."""

    what: str
    clears: str
    hop: HopKey | None = None


class ArmView(NamedTuple):
    """What the board knows when it decides. `back_s`: how long the link has been back after a loss, None where none was lost; `up_s`: time since it started; `home_ready`: whether the fix is good enough for a home."""

    powered: bool = True
    link_good: bool = True
    lost: bool = False
    testing_loss: bool = False
    back_s: float | None = None
    up_s: float = 60.0
    throttle_us: float | None = 1000.0
    yaw_us: float | None = 1500.0
    tilt_deg: float = 0.0
    level_within_deg: float = LEVEL_WITHIN_DEG
    usb: bool = False
    missing_sensors: tuple[str, ...] = ()
    home_ready: bool = True
    switch_on: bool = False
    guard_on: bool | None = None
    switch_stuck: bool = False


def blockers(view: ArmView, settings: BoardSettings) -> list[Blocker]:
    """Everything that keeps it from arming at the next flip, in the order of the chain; empty where nothing does. What no link or no power hides is not looked for."""
    if not view.powered:
        return [Blocker(what="no power", clears="connect the pack", hop="kit")]
    found = [*_sensors(view), *_bench_link(view)]
    if view.testing_loss:
        return [*found, Blocker(what="lost-link test is on", clears="flip its switch back", hop="switchboard")]
    if not view.link_good:
        what = "link lost" if view.lost else "no signal"
        return [*found, Blocker(what=what, clears="switch the transmitter on and follow the chain from the left", hop="line"), *_no_band(settings)]
    return [*found, *_just_lost(view), *_throttle(view, settings), *_no_band(settings), *_switches(view), *_tilt(view), *_home(view, settings)]


def _sensors(view: ArmView) -> Iterator[Blocker]:
    if view.up_s < SENSORS_S:
        yield Blocker(what="sensors: the gyro is finding its zero", clears="leave the craft still for a moment", hop="kit")
    if view.missing_sensors:
        yield Blocker(
            what=f"sensors: no {', no '.join(view.missing_sensors)}", clears="fit what is missing, or remove it from what you need in the Kit", hop="kit"
        )


def _bench_link(view: ArmView) -> Iterator[Blocker]:
    if view.usb:
        yield Blocker(what="bench link: USB is plugged in", clears="unplug USB; the pack feeds the board", hop="loom")


def _just_lost(view: ArmView) -> Iterator[Blocker]:
    if view.back_s is not None and view.back_s < SETTLED_S:
        yield Blocker(what="link lost just before", clears=f"wait until it has stood for {SETTLED_S:g} s", hop="line")


def _throttle(view: ArmView, settings: BoardSettings) -> Iterator[Blocker]:
    if view.throttle_us is None or at_rest(settings, view.throttle_us):
        return
    if settings.reversing_drives:
        yield Blocker(
            what=f"throttle not at rest ({view.throttle_us:.0f}; the drives stand still at 1500)",
            clears="let the throttle stick stand in the middle",
            hop="sticks",
        )
    else:
        what = f"throttle not low ({view.throttle_us:.0f}, floor line {settings.stick_lines.low:g})"
        yield Blocker(what=what, clears="pull the throttle stick down; if it is down, see Sticks", hop="sticks")


def _no_band(settings: BoardSettings) -> Iterator[Blocker]:
    if settings.arm_by == "switch" and settings.arming is None:
        yield Blocker(what="no mode band for arming", clears="give arming a channel and a mode band on the Switchboard, and write it", hop="switchboard")


def _switches(view: ArmView) -> Iterator[Blocker]:
    if view.guard_on is False:
        yield Blocker(what="guard switch off", clears="switch the guard on first, then arm", hop="switchboard")
    if view.switch_stuck:
        yield Blocker(what="arm switch already on", clears="switch it off first, then on again", hop="switchboard")


def _tilt(view: ArmView) -> Iterator[Blocker]:
    if abs(view.tilt_deg) > view.level_within_deg:
        yield Blocker(what=f"tilt ({abs(view.tilt_deg):.0f} degrees, {view.level_within_deg:g} at most)", clears="set the craft level")


def _home(view: ArmView, settings: BoardSettings) -> Iterator[Blocker]:
    lost = settings.lost_link
    if lost.response in ("return home", "loiter") and lost.without_home == "no arming" and not view.home_ready:
        yield Blocker(
            what="no home yet: the fix is not good enough",
            clears="wait for satellites under open sky; or say at Lost link that the motors stop instead",
            hop="lost link",
        )


class Arming:
    """Armed or not. A switch arms by being flipped on, never by being on; a stick by being held."""

    def __init__(self) -> None:
        self.armed = False
        self.switch_seen: bool | None = None
        self._held_since: float | None = None
        self._low_since: float | None = None

    def forget_switch(self) -> None:
        """The link came anew: a switch that is on already must be seen off once."""
        self.switch_seen = None

    @property
    def stuck(self) -> bool:
        """Whether the switch was on without having armed."""
        return bool(self.switch_seen) and not self.armed

    def disarm(self) -> None:
        """Motors off."""
        self.armed = False
        self._low_since = None

    def step(self, t: float, view: ArmView, settings: BoardSettings) -> Said | None:
        """One pass of the loop; what happened, and that in words; None where nothing did."""
        return self._by_stick(t, view, settings) if settings.arm_by == "stick" else self._by_switch(view, settings)

    def _by_switch(self, view: ArmView, settings: BoardSettings) -> Said | None:
        before, self.switch_seen = self.switch_seen, view.switch_on
        if before is None:
            if self.armed and not view.switch_on:
                self.disarm()
                return "disarmed", "disarmed"
            return None
        if view.switch_on and not before:
            return self._try(view, settings)
        if before and not view.switch_on and self.armed:
            self.disarm()
            return "disarmed", "disarmed by switch"
        return None

    def _by_stick(self, t: float, view: ArmView, settings: BoardSettings) -> Said | None:
        lines, rule = settings.stick_lines, settings.stick_arming
        low = view.throttle_us is not None and at_rest(settings, view.throttle_us)
        yaw = view.yaw_us if view.yaw_us is not None else 1500.0
        wants = low and (yaw < lines.low if self.armed else yaw > lines.high)
        self._low_since = (self._low_since if self._low_since is not None else t) if self.armed and low else None
        if not wants:
            self._held_since = None
        elif self._held_since is None:
            self._held_since = t
        elif t - self._held_since >= rule.hold_ms / 1000:
            self._held_since = float("inf")  # one try for each push
            if self.armed:
                self.disarm()
                return "disarmed", "disarmed by stick"
            return self._try(view, settings)
        if self._low_since is not None and rule.timeout_s and t - self._low_since >= rule.timeout_s:
            self.disarm()
            return "disarmed", f"disarmed: throttle low for {rule.timeout_s} s"
        return None

    def _try(self, view: ArmView, settings: BoardSettings) -> Said:
        why = blockers(view, settings)
        if why:
            return "refused", "arming refused: " + "; ".join(each.what for each in why)
        self.armed, self._low_since = True, None
        return "armed", "armed"
