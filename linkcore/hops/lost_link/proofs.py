"""What has to be seen of the lost link, in the order in which it is proven."""

from __future__ import annotations

import math
from typing import Protocol

from linkcore.craft.airframes import MULTIROTORS
from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import frame_period_s
from linkcore.hops.lost_link.alarm import lq_by_grace
from linkcore.hops.lost_link.place_rules import clear_line_m
from linkcore.hops.lost_link.runs import BadAir, Gap, LossRun, OutingSeen, RangeWalk, SwitchTest, reaction_fault, way_fault
from linkcore.hops.lost_link.timeline import Prediction, predict, react
from linkcore.hops.signal import SIGNAL
from linkcore.kept import Kept
from linkcore.proofs import ProofOf, Want
from linkcore.reads import Reads, View

REACTS = (
    *SIGNAL,
    "firmware",
    "frame rate",
    "transmitter",
    "receiver",
    "airframe",
    "sensors",
    "settings/channel_map",
    "settings/arming",
    "settings/arm_by",
    "settings/stick_arming",
    "settings/stick_lines",
    "settings/modes",
    "settings/lost_link",
    "settings/reversing_drives",
    "settings/rssi_channel",
    "settings/rssi_falls",
)
MADE_WITH = Reads(*REACTS, "place")  # what a run counts for
BAD_AIR_S = 30.0
SHARE_OF_GRACE = (0.4, 0.95)  # of the time until the board reacts, what a gap that is shorter must last to say something
STICKS_S = 0.5  # throttle low for so long at the least, in a dive
MOST_EXPECTED = 0.5  # reckoned so often in that time, nobody can fly so, whatever was seen
CHANCE = 1e-3  # that bad air is blamed wrongly
_ARMED: tuple[Want, ...] = ("pack", "transmitter", "armed", "props off")


class Lost(Protocol):
    """What is looked at of a running bench."""

    kept: Kept

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        ...

    @property
    def gap(self) -> Gap | None:
        """The last short silence of the air."""
        ...

    @property
    def bad_air(self) -> BadAir | None:
        """The air that loses about one frame in five, while it does."""
        ...

    @property
    def reach_m(self) -> float | None:
        """Where the link budget has the last frames."""
        ...

    @property
    def walking(self) -> bool:
        """Whether the transmitter's power is cut."""
        ...

    @property
    def walk(self) -> RangeWalk | None:
        """The range walk that is on, or the last whole one."""
        ...

    @property
    def outing(self) -> OutingSeen | None:
        """The flight by distance that is logged, or was last."""
        ...

    @property
    def switch_test(self) -> SwitchTest | None:
        """The last time that the switch of the lost-link test was on."""
        ...


def _predicted(view: View, seen: Lost) -> Prediction:
    """What the board should do; worked out once as long as nothing that it rests on changes."""
    return seen.kept.get("lost link: reaction", (view.craft, view.parts), None, lambda: react(view.craft, view.parts))


def _flown(view: View, seen: Lost) -> Prediction:
    """The same, and where the craft is then."""
    return seen.kept.get("lost link: way", (view.craft, view.parts), None, lambda: predict(view.craft, view.parts))


def _evidence(run: LossRun) -> dict[str, object]:
    return {"run": run.model_dump()}


def armed(view: View, seen: Lost) -> dict[str, object] | None:
    """It died while armed with throttle up, and the board reacted as predicted."""
    run = seen.loss
    if run is None or not run.armed or not run.throttle_up or run.state == "broken off" or reaction_fault(run, _predicted(view, seen)):
        return None
    return _evidence(run)


def disarmed(view: View, seen: Lost) -> dict[str, object] | None:
    """It died while disarmed: the motors stood still, before and after."""
    run = seen.loss
    if run is None or run.armed or run.turned or run.rearmed_by_itself or run.state != "done":
        return None
    return _evidence(run)


def hidden(view: View) -> str:
    """Where the board never learns of a loss there is nothing to see."""
    if not view.parts.whole:
        return ""
    return "the board does not learn of a loss" if react(view.craft, view.parts).reacts_s is None else ""


def shorter(view: View, seen: Lost) -> dict[str, object] | None:
    """The air was silent for less than the grace, while armed, and nothing came of it."""
    gap, reacts = seen.gap, _predicted(view, seen).reacts_s
    if gap is None or reacts is None or not gap.over or not gap.armed or gap.lost or not gap.motors_as_before:
        return None
    low, high = (share * reacts for share in SHARE_OF_GRACE)
    return {"gap": gap.model_dump(), "reacts_s": reacts} if low <= gap.gap_s < high else None


def shorter_gap_s(predicted: Prediction) -> float | None:
    """How long the air is silenced to prove that."""
    return None if predicted.reacts_s is None else round(0.7 * predicted.reacts_s, 2)


def expected_losses(craft: CraftDocument, parts: KitParts, share: float, lasting_s: float) -> float:
    """How often a board gives the link up where a share of frames is lost at random: a run of n lost frames begins at (1 - p) p^n of all slots; n lost frames in a row last until the board reacts."""
    reacts = react(craft, parts).reacts_s
    if reacts is None:
        return 0.0
    period_s = frame_period_s(craft.air, parts.receiver)
    frames = math.floor(reacts / period_s + 1e-9)
    return float(lasting_s / period_s * (1 - share) * share**frames)


def as_rare_as(count: int, expected: float) -> bool:
    """Whether no more came than chance allows (Poisson)."""
    below = sum(math.exp(-expected) * expected**each / math.factorial(each) for each in range(count))
    return count == 0 or 1 - below >= CHANCE


def bad_air(view: View, seen: Lost) -> dict[str, object] | None:
    """One frame in five was lost for half a minute, and the link was given up no oftener than reckoned."""
    air = seen.bad_air
    if air is None or air.lasted_s < BAD_AIR_S:
        return None
    expected = expected_losses(view.craft, view.parts, air.share, air.lasted_s)
    return {"air": air.model_dump(), "expected": expected} if expected <= MOST_EXPECTED and as_rare_as(air.losses, expected) else None


def flown(view: View, seen: Lost) -> dict[str, object] | None:
    """It came home, or down, as predicted; above what stands around, where it flew home."""
    run = seen.loss
    if run is None or not run.armed or run.state == "broken off" or not_flown(view):
        return None
    predicted = _flown(view, seen)
    if reaction_fault(run, predicted) or way_fault(run, predicted):
        return None
    if predicted.home_s is not None and not clears(run, clear_line_m(view.craft)):
        return None
    return _evidence(run)


def clears(run: LossRun, line_m: float) -> bool:
    """Whether the way home was flown above a line, from the return height on until home."""
    high, home = run.since(run.at_height_t), run.since(run.home_t)
    if home is None:
        return False
    first = high if high is not None else 0.0
    return all(up >= line_m for t, up, *_ in run.path if first <= t <= home)


def not_flown(view: View) -> str:
    """Where nothing is flown after the loss, or it has no end to see."""
    if not view.parts.whole:
        return ""
    predicted = predict(view.craft, view.parts)
    if predicted.reacts_s is None and predicted.responds_s is None:
        return "the board does not learn of a loss"
    if predicted.does == "motors off":
        return "the motors stop at once"
    if predicted.does == "land" and view.craft.airframe not in MULTIROTORS:
        return "it glides, and its motor stops at once"
    return "" if predicted.home_s is not None or predicted.down_s is not None else "it has no end that could be seen"


def back(view: View, seen: Lost) -> dict[str, object] | None:
    """The link came back with the arm switch on: after *motors off* it stayed disarmed; else it stayed armed, and obeyed once the sticks had moved."""
    run, predicted = seen.loss, _predicted(view, seen)
    if run is None or not run.armed or run.state != "done" or run.rearmed_by_itself or reaction_fault(run, predicted):
        return None
    if view.craft.settings.arm_by == "switch" and not run.switch_on and not predicted.preset_disarms:
        return None
    stays = (predicted.reacts_s is not None or predicted.responds_s is not None) and predicted.does != "motors off"
    if stays and run.control_t is None:
        return None
    return _evidence(run)


def switch_tested(view: View, seen: Lost) -> dict[str, object] | None:
    """The switch of the lost-link test was on while armed: the board reacted within its grace, and had the link again afterwards."""
    test = seen.switch_test
    grace_s = view.craft.settings.lost_link.grace_ms / 1000
    if test is None or not test.back or not test.armed or test.reacted_s is None or abs(test.reacted_s - grace_s) > 0.1:
        return None
    return {"test": test.model_dump()}


def no_switch(view: View) -> str:
    """Whether there is such a switch."""
    return "" if any(band.mode == "lost-link test" for band in view.craft.settings.modes) else "no switch has the lost-link test"


def dived(view: View, seen: Lost) -> dict[str, object] | None:
    """It died in a dive: throttle low, but for less than what counts as landed, and the response began."""
    run = seen.loss
    if run is None or not run.armed or run.throttle_up or run.counted_landed or run.reacted_t is None or run.low_s < STICKS_S:
        return None
    return _evidence(run) if run.motors_stopped_t is None or _predicted(view, seen).does != "motors off" else None


def no_throttle_rule(view: View) -> str:
    """Whether the throttle-low rule can cut a response short."""
    if not view.craft.settings.lost_link.throttle_low_s:
        return "throttle low never counts as landed"
    if not view.parts.whole:
        return ""
    return "the motors stop anyway" if react(view.craft, view.parts).does == "motors off" else hidden(view)


RSSI_S = 0.5  # within so long of the reaction it is at its lowest
LEAST_RSSI = 10.0  # percent: what was at its lowest before can fall no further


def rssi_fell(view: View, seen: Lost) -> dict[str, object] | None:
    """RSSI was at its lowest soon after the board had reacted."""
    run = seen.loss
    low = None if run is None else run.since(run.rssi_low_t)
    if run is None or low is None or run.reaction_s is None or view.craft.settings.rssi_channel is None or low > run.reaction_s + RSSI_S:
        return None
    if run.rssi_before is None or run.rssi_before < LEAST_RSSI:
        return None
    return {"rssi_low_s": low, "reaction_s": run.reaction_s}


def no_rssi(view: View) -> str:
    """Whether RSSI comes on a channel."""
    return "no channel carries RSSI" if view.craft.settings.rssi_channel is None else hidden(view)


LEAST_LQ = 50.0  # below that no pilot flies on, whatever the grace bears (ours)


WALK_M = 30.0
CUTS_DB = (10.0, 40.0)  # what transmitters can be cut by


def walk_cut_db(home_m: float) -> float:
    """By how much the power is cut so that 30 m stand for twice the distance that is flown: 20 lg(2 d / 30 m), in whole dB."""
    return float(min(CUTS_DB[1], max(CUTS_DB[0], math.ceil(20 * math.log10(max(1.0, 2 * home_m / WALK_M))))))


def walk_line(craft: CraftDocument, parts: KitParts) -> float:
    """The link quality that a range walk must stay above: the craft's alarm line where that is one of link quality, else what its grace bears, and never less than LEAST_LQ."""
    if craft.alarm is not None and craft.alarm.signal == "lq_percent":
        return craft.alarm.line
    reacts = react(craft, parts).reacts_s
    return LEAST_LQ if reacts is None else max(LEAST_LQ, lq_by_grace(reacts, frame_period_s(craft.air, parts.receiver)))


def walked(view: View, seen: Lost) -> dict[str, object] | None:
    """Every heading was above the line; what distance that stands for is kept."""
    walk = seen.walk
    if walk is None or not walk.whole:
        return None
    line = walk_line(view.craft, view.parts)
    if min(lq for lq in walk.lq if lq is not None) < line:
        return None
    return {"walk": walk.model_dump(), "stands_for_m": walk.stands_for_m, "line": line}


WALK = ProofOf(
    name="range walk",
    says="Held away with the transmitter's power cut and motors running, link quality stayed above its line at every heading.",
    reads=Reads(*REACTS, "air", "alarm"),
    minutes=2,
    seen=walked,
    wants=_ARMED,
)
ARMED = ProofOf(
    name="armed, throttle up",
    says="Armed, props off, throttle up, the transmitter was switched off: the board reacted when predicted.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=armed,
    wants=_ARMED,
)
BACK = ProofOf(
    name="link back, arm switch on",
    says="The link came back with the arm switch still on: after motors off the craft stayed disarmed; after any other response it stayed armed and obeyed once the sticks had moved.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=back,
    wants=_ARMED,
)
FLOWN = ProofOf(
    name="home, or down",
    says="The board flew its response to the end as predicted, above what stands around.",
    reads=MADE_WITH,
    minutes=2,
    seen=flown,
    wants=_ARMED,
    needless=not_flown,
)
DISARMED = ProofOf(
    name="disarmed",
    says="The link was lost while disarmed, and the motors stood still, then and when it came back.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=disarmed,
)
SHORTER = ProofOf(
    name="shorter than the grace",
    says="The air was silent for less than the grace, while armed, and nothing came of it.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=shorter,
    wants=_ARMED,
    needless=hidden,
)
BAD = ProofOf(
    name="one frame in five lost",
    says="One frame in five was lost for 30 s, while armed, and the board gave the link up no oftener than reckoned.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=bad_air,
    wants=_ARMED,
    needless=hidden,
)
DIVE = ProofOf(
    name="dive with throttle low",
    says="The link was lost with throttle low, though not for as long as counts as landed: the response began.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=dived,
    wants=_ARMED,
    needless=no_throttle_rule,
)
TEST_SWITCH = ProofOf(
    name="lost-link test switch",
    says="The switch of the lost-link test was on while armed: the board reacted after its grace, and had the link again afterwards.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=switch_tested,
    wants=_ARMED,
    needless=no_switch,
)
RSSI = ProofOf(
    name="RSSI falls to its lowest",
    says="RSSI was at its lowest within half a second of the board's reaction.",
    reads=Reads(*REACTS),
    minutes=1,
    seen=rssi_fell,
    needless=no_rssi,
)
PROOFS = (ARMED, BACK, FLOWN, DISARMED, SHORTER, BAD, DIVE, TEST_SWITCH, RSSI, WALK)
