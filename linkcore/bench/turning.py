"""Motors that are turned on the bench one at a time, and the answers that the craft itself gives: tipped towards the corner that moved, twisted the way the motor turned, put down again."""

from __future__ import annotations

import math
import random

import numpy as np

from linkcore.bench.esc_ends import EndsWatch
from linkcore.bench.messages import Hands, TurnLive
from linkcore.bench.seen import SeenBench
from linkcore.craft.airframes import MULTIROTORS
from linkcore.craft.facing import Vector, unit
from linkcore.craft.layouts import Corner, Layout, Turn
from linkcore.devices.motors import TURN_MOST_PERCENT, reversing, stop_us
from linkcore.hops.airframe.facing import LEAST_SAMPLES
from linkcore.hops.airframe.measure import AirframeMeasure, at_rest
from linkcore.hops.airframe.motors import MotorAnswer, MotorsSeen
from linkcore.kept import made_of
from linkcore.standins.drive import REST_S, Drive
from linkcore.standins.drives import FULL_A, DrivesTruth, felt, kick_dps
from linkcore.standins.held import Idea
from linkcore.wiring.outputs import layout_wired

TIP_DEG = 20.0  # so far the craft has to be tipped before it points to a corner
NEAR_DEG = 30.0  # and so near to that corner; of a plus, whose corners lie 90 degrees apart, as of an X
TWIST_DEG = 30.0
FULL_RAMP_PERCENT = TURN_MOST_PERCENT - 0.5  # a motor that stood still up to here stands still; below it may only have needed more
US_A_PERCENT = 10.0  # us of a pulse for each percent that is asked


class AnswerWatch:
    """What hands say with the craft once a motor has stopped."""

    def __init__(self) -> None:
        self.begin()

    def begin(self) -> None:
        """Nothing has been said yet."""
        self.corner: Corner | None = None
        self._twisted = 0.0
        self._heading: float | None = None

    @property
    def turns(self) -> Turn | None:
        """Which way it was twisted."""
        if abs(self._twisted) < TWIST_DEG:
            return None
        return "clockwise" if self._twisted > 0 else "counterclockwise"

    def see(self, idea: Idea, layout: Layout) -> None:
        """The board's idea of how the craft lies, a moment later."""
        if self.corner is not None and self._heading is not None:
            self._twisted += (idea.heading - self._heading + 180) % 360 - 180
        self._heading = idea.heading
        if idea.tilt < TIP_DEG:
            return
        towards = math.degrees(math.atan2(-float(idea.pull[1]), -float(idea.pull[0])))
        away = {place.corner: abs((math.degrees(math.atan2(place.right, place.forward)) - towards + 180) % 360 - 180) for place in layout}
        nearest = min(away, key=lambda corner: away[corner])
        if away[nearest] <= NEAR_DEG and nearest != self.corner:
            self.corner, self._twisted = nearest, 0.0


class TurningWatch:
    """The drive of one bench with what hangs on its outputs, and the answers."""

    def __init__(self, bench: SeenBench, truth: DrivesTruth | None, seed: int) -> None:
        self._bench = bench
        self._seed = seed
        self._rng = random.Random(f"kicks {seed}")
        self.drive = Drive()
        self.answers = AnswerWatch()
        self.ends = EndsWatch(bench)
        usual = DrivesTruth.usual(seed, bench.document, bench.parts)
        self.truth = usual if truth is None else truth.follow(usual)
        self.said = ""  # why the last answer was not taken
        self._turned = self._was_turning = False
        self._lies, self._still_s, self._asked_t = True, 0.0, 0.0
        self._lay: Vector | None = None  # the pull that the board read where it was strapped down

    # --- hands ------------------------------------------------------------------------------------------------------

    def refuse(self, hands: Hands) -> None:
        """Raise ValueError for what cannot be; nothing is done then."""
        for pad in (hands.turn, hands.swap_wires, hands.solder_phase, hands.learn_ends):
            if pad is not None and pad not in self.truth.motors:
                raise ValueError(f"no motor hangs on an output {pad}; those with one are {', '.join(self.truth.motors) or 'none'}")
        if hands.learn_ends is not None:
            self.ends.refuse(hands.learn_ends, props_off=self.drive.said_t is not None)
        if hands.turn is not None and not hands.press:
            raise ValueError("a key that is held says which press it is")
        if hands.drives is not None and not hands.drives.follow(self.truth).motors == hands.drives.motors:
            raise ValueError("these motors are not those of this craft: each wired output has one, and each corner of its layout")
        if hands.moved is not None and hands.moved != "nothing":
            layout = layout_wired(self._bench.document, self._bench.parts)
            place = next((each for each in layout if each.corner == hands.moved), None)
            if place is None:
                raise ValueError(f"this layout has no motor at the {hands.moved}; it has them at the {', '.join(each.corner for each in layout)}")
            if hands.moved_turns is None:
                raise ValueError("say which way it turned as well")
            if (place.turns in ("ahead", "astern")) != (hands.moved_turns in ("ahead", "astern")):
                raise ValueError(f"a motor at the {hands.moved} does not turn {hands.moved_turns}")
        if (hands.moved is not None or hands.not_seen) and (self.drive.stage != "answer" or self.drive.answered):
            raise ValueError("no motor has turned that could be answered for: turn one first")

    def hands(self, hands: Hands, seen: MotorsSeen, t: float) -> MotorsSeen:
        """What hands do to motors and the drive; what was seen so far, with that."""
        if hands.drives is not None:
            self.truth, seen = hands.drives.follow(self.truth), MotorsSeen()
        if hands.learn_ends is not None:
            self.ends.begin(hands.learn_ends, t)
        if hands.leave_ends:
            self.ends.leave()
        for pad, mended in ((hands.swap_wires, DrivesTruth.swapped), (hands.solder_phase, DrivesTruth.mended)):
            if pad is not None:
                self.truth, seen = mended(self.truth, pad), seen.without(pad)
                self.drive.lapse("hands were at its wires", t)
        if hands.handled in ("motors", "ESCs"):
            self.drive.lapse("hands were at its motors", t)
        if hands.forget_motors:
            seen = MotorsSeen()
        if hands.props_off is not None:
            if hands.props_off:
                self.drive.say_props_off(hands.by, t)
                self._lay = None
                self._wait_for_rest()
            else:
                self.drive.lapse("it was taken back", t)
        if hands.let_go:
            self.drive.let_go(t)
        elif hands.turn is not None:
            self.drive.hold(hands.press or "", hands.turn, hands.by, t, self.blocked())
        if hands.moved is not None:
            seen = self._answered(seen, None if hands.moved == "nothing" else hands.moved, hands.moved_turns)
        elif hands.not_seen:
            self._done()
        return seen

    def _done(self) -> None:
        self.drive.answer()
        self.answers.begin()
        self._wait_for_rest()
        self.said = ""

    def _answered(self, seen: MotorsSeen, corner: Corner | None, turns: Turn | None) -> MotorsSeen:
        ended = self.drive.ended
        assert ended is not None, "nobody is asked before something has turned"
        answer = MotorAnswer(corner=corner, turns=turns if corner else None, percent=ended.percent, by_telemetry=ended.by_telemetry, kick=ended.kick)
        self._done()
        if answer.against_the_board:
            self.said = f"You say {answer.turns}; the board felt the craft being pushed as by a motor that turns {answer.kick}. Turn {ended.output} once more: nothing was taken."
            return seen
        if corner is None and ended.by_telemetry:
            self.said = f"Its ESC tells that {ended.output} turned. Turn it once more, and look: nothing was taken."
            return seen
        if corner is None and ended.percent < FULL_RAMP_PERCENT:
            self.said = f"{ended.output} was asked {ended.percent:.1f} % at the most, and may need more. Turn it once more, and hold for three seconds unless it turns: nothing was taken."
            return seen
        return seen.with_answer(ended.output, answer)

    # --- time -------------------------------------------------------------------------------------------------------

    def blocked(self) -> str:
        """Why the board drives nothing; empty where it would."""
        bench = self._bench
        if not bench.board.powered or bench.board.booting(bench.t):
            return "the board does not run"
        if bench.read_v() <= 0:
            return "no pack is plugged in: USB alone turns no motor"
        if self.ends.output:
            return "an ESC is learning its end points"
        turns_both_ways = reversing(bench.parts)
        if turns_both_ways is not None and turns_both_ways != bench.board.running.reversing_drives:
            return "the board takes its drives for others than they are, and one would run up at once"
        if bench.board.armed or bench.board.held.arm:
            return "the arm switch is on"
        return ""

    def locked(self) -> str:
        """Why no key does anything now; empty where one would, or does."""
        if self.drive.turning:
            return ""
        locked = self.drive.locked()
        if not locked and (blocked := self.blocked()):
            return f"Nothing would turn: {blocked}."
        return locked

    def share(self, t: float) -> float:
        """At which share of its full speed the motor turns that is being driven; 0 where none does."""
        drive = self.drive
        if not drive.turning:
            return 0.0
        return self.truth.motors[drive.output].share(self._us(drive.percent(t)))

    def _us(self, percent: float) -> float:
        """The pulse that the board sends for what it asks of a motor."""
        settings = self._bench.board.running
        return stop_us(settings) + percent * (US_A_PERCENT / 2 if settings.reversing_drives else US_A_PERCENT)

    def amperes(self) -> float:
        """What it draws."""
        return FULL_A * abs(self.share(self._bench.t))

    def learn(self, until: float, seen: AirframeMeasure) -> AirframeMeasure:
        """Up to `until`: an ESC that learns its end points; what is known of ends and motors, with that."""
        learnt = self.ends.run(until, self.truth)
        if not learnt:
            return seen
        self.truth = self.truth.calibrated(learnt)
        return seen.model_copy(update={"ends": sorted({*seen.ends, learnt}), "motors": seen.motors.without(learnt)})

    def live(self) -> TurnLive:
        """What a key does just now."""
        drive, t = self.drive, self._bench.t
        return made_of(
            TurnLive,
            output=drive.output if drive.turning else "",
            percent=round(drive.percent(t), 1),
            locked=self.locked(),
            sight=self._sight(),
        )

    def _sight(self) -> str:
        drive = self.drive
        if not drive.turning and (drive.stage != "answer" or drive.answered):
            return self._sight_of_all()
        if not self._turned or (drive.turning and not self._was_turning):  # what turned was another press's
            return "nothing turns" if drive.turning else "nothing turned"
        motor = self.truth.motors[drive.output]
        place = "the motor" if motor.corner == "middle" else f"the {motor.corner} motor"
        return f"{place} {'turns' if drive.turning else 'turned'} {motor.turns}"

    def _sight_of_all(self) -> str:
        """What eyes see of all motors of an armed craft; empty of one that is not. One that starts above the idle stands still."""
        board, motors = self._bench.board, self.truth.motors
        if not board.armed or not motors:
            return ""
        us = self._us(board.motors_percent)
        still = [motor.corner for motor in motors.values() if not motor.share(us)]
        if len(still) in (0, len(motors)):
            return "no motor turns" if still else "every motor turns" if len(motors) > 1 else "the motor turns"
        return f"the {' and the '.join(still)} motor{'s stand' if len(still) > 1 else ' stands'} still, the others turn"

    def follow(self) -> None:
        """Other motors may be wired, or another craft lies here."""
        if not self.truth.fits(self._bench.document, self._bench.parts):
            self.truth = self.truth.follow(DrivesTruth.usual(self._seed, self._bench.document, self._bench.parts))
            self.drive, self._turned = Drive(), False  # what turned may be gone
            self.ends.leave()

    def run(self, until: float, seen: MotorsSeen) -> MotorsSeen:
        """Up to `until`: the drive, what the board feels, what the ESC tells, and what hands say with the craft."""
        drive, bench = self.drive, self._bench
        drive.run(until, self.blocked())
        if drive.turning:
            self._turned = self._turned and self._was_turning  # each press begins anew
            self._feel(until)
        elif self._was_turning:
            self.answers.begin()
            self._wait_for_rest()
        self._was_turning = drive.turning
        if not drive.in_use:
            return seen
        self._watch_rest(until)
        if drive.stage != "answer":
            return seen
        if drive.answered:
            if self._rested:
                drive.lies_still()
            return seen
        if drive.ended is not None and not self.why_by_words() and bench.board.powered and not bench.board.booting(until):
            self.answers.see(bench.idea(), layout_wired(bench.document, bench.parts))
            if self.answers.corner is not None and self.answers.turns is not None and self._rested:
                seen = self._answered(seen, self.answers.corner, self.answers.turns)
                drive.lies_still()  # it has lain still just now
        return seen

    @property
    def _feels(self) -> bool:
        return {"accelerometer", "gyro"} <= set(self._bench.board_part.sensors)

    def why_by_words(self) -> str:
        """Why the craft itself cannot answer; empty where it can."""
        bench = self._bench
        if bench.document.airframe not in MULTIROTORS:
            return "its motors drive it along"
        if not self._feels:
            return "its board feels nothing"
        return "" if bench.facing_proven else "its facing is not proven yet"

    def _feel(self, until: float) -> None:
        drive, bench = self.drive, self._bench
        motor = self.truth.motors[drive.output]
        if self.share(until) > 0:
            if self._feels and bench.facing_proven and not self._turned:
                drive.kick = felt(kick_dps(motor, self._rng))
            self._turned = True
            if self.told_speed_rpm() > 0:
                drive.see_speed(until)

    def told_speed_rpm(self) -> float:
        """What ESC telemetry tells of the speed; 0 where none comes."""
        told = self._bench.devices.heard.newest("esc", self._bench.t)
        return float(told.values["speed_rpm"]) if told is not None else 0.0

    def _watch_rest(self, until: float) -> None:
        """Whether it lies still, by what the board's sensors read of late; a board without any can only wait."""
        if not self._feels:
            self._lies, self._still_s = True, until - self._asked_t
        else:
            held = self._bench.held
            self._lies = not held.gyro or len(held.gyro) < LEAST_SAMPLES or at_rest(held.accelerometer, held.gyro)
            self._still_s = held.read_s if self._lies else 0.0
        if not self._lies:
            self.drive.moved(until)
        elif self.drive.stage == "turn" and self._rested:
            if self._lay is None and self._feels:
                self._lay = np.mean(self._bench.held.accelerometer, axis=0)
            self.drive.lies_still()

    @property
    def _rested(self) -> bool:
        return self._lies and self._still_s >= REST_S - 1e-6 and self._put_down()

    def _put_down(self) -> bool:
        """Whether it lies as it was strapped down: hands can hold a craft still, but not at once so, and elsewhere."""
        if self._lay is None:
            return True
        pull = np.mean(self._bench.held.accelerometer, axis=0)
        away = float(unit(pull) @ unit(self._lay))
        return away > math.cos(math.radians(TIP_DEG))

    def _wait_for_rest(self) -> None:
        """From now on it has to lie still."""
        self._bench.held.forget_samples()
        self._still_s, self._asked_t = 0.0, self._bench.t
