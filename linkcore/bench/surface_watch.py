"""What a bench sees of control surfaces: how they follow a stick, how they steady when hands move the craft, where they stand straight and where they come to a stop."""

from __future__ import annotations

import math

from linkcore.bench.messages import SurfaceTold
from linkcore.bench.seen import SeenBench
from linkcore.devices.gimbals import STICKS
from linkcore.devices.mixers import MIXES, US_FULL, SurfaceMix, steadied
from linkcore.hops.airframe.surfaces import SurfacesSeen, Went, When, mixed
from linkcore.parts.axes import STICK_OF, Axis

STEERS: tuple[Axis, ...] = ("roll", "pitch", "yaw")
TURN_OVER_S = 0.3  # what is felt of a turn fades so fast, so that a step of the hands is a movement and no jerk
STICK_OUT, STEADY_OUT, AT_REST = 0.3, 0.12, 0.05  # from where on a stick or a steadying says something of a surface, and below which it says nothing
MOVED, SETTLED_S = 0.04, 0.3
FAR_US, STILL_US = 150.0, 8.0
LEARNS_S = 2.0
CALM_US = 25.0  # so much a servo may move while its centre is learnt


class _Turns:
    """How fast something turns about each axis, smoothed, degrees a second."""

    def __init__(self) -> None:
        self._was: tuple[float, float, float] | None = None
        self.rates: dict[Axis, float] = dict.fromkeys(STEERS, 0.0)

    def see(self, lies: tuple[float, float, float], dt: float) -> None:
        """It lies so (roll, pitch, heading) after so many seconds."""
        keeps = math.exp(-dt / TURN_OVER_S)
        for axis, now, was in zip(STEERS, lies, self._was or lies, strict=True):
            by = ((now - was + 180) % 360 - 180) / dt if dt > 0 else 0.0
            self.rates[axis] = self.rates[axis] * keeps + by * (1 - keeps)
        self._was = lies


class SurfaceWatch:
    """The surfaces of one bench."""

    def __init__(self, bench: SeenBench) -> None:
        self._bench = bench
        self._t = 0.0
        self._true, self._felt = _Turns(), _Turns()
        self._rested_t = 0.0
        self._sticks: dict[Axis, float] = {}
        self._places: dict[str, tuple[float, float]] = {}  # by servo: a pulse, and where its surface stood then
        self._stands: dict[str, tuple[float, float, float]] = {}  # by servo: since when it stands there, for which pulse, and where
        self._learning: list[tuple[float, dict[str, float]]] = []

    def told(self, said: SurfaceTold, seen: SurfacesSeen) -> SurfacesSeen:
        """What the pilot has seen. Raise ValueError for what this craft does not have."""
        mixes = {device.name: mix for device, _, mix in mixed(self._bench.document, self._bench.parts)}
        if said.name not in mixes or said.axis not in mixes[said.name].by:
            raise ValueError(f"{said.name} moves no surface about {said.axis}")
        return seen.with_seen(said.when, said.name, said.axis, said.went)

    def watch(self, t: float, seen: SurfacesSeen) -> SurfacesSeen:
        """Let the board feel, then look, up to `t` (bench seconds)."""
        bench, dt = self._bench, t - self._t
        self._t = t
        awake = bench.board.powered and not bench.board.booting(t)
        if not awake or dt <= 0:
            self._true, self._felt = _Turns(), _Turns()
            return seen
        feels = {"gyro", "accelerometer"} <= set(bench.board_part.sensors)
        idea, (roll, pitch, heading) = bench.idea(), bench.held.attitude_deg
        self._felt.see((idea.roll, idea.pitch, idea.heading), dt)
        self._true.see((roll, pitch, heading), dt)
        if feels:
            bench.board.feel(self._felt.rates, idea.roll, idea.pitch)
        meant = steadied(self._true.rates, roll, pitch, bench.board.held.main)
        sticks = self._sticks_now()
        if sticks != self._sticks:
            self._sticks, self._rested_t = sticks, t
        return self._learn(t, self._look(t, seen, sticks, meant))

    def _learn(self, t: float, seen: SurfacesSeen) -> SurfacesSeen:
        """While its mode is on in flight the board learns where its servos stand: the mean of two calm seconds."""
        board = self._bench.board
        learns = board.armed and board.motors_percent > board.running.drive.idle_percent and "centre learning" in board.held.modes and board.link == "good"
        if not learns:
            self._learning.clear()
            return seen
        pulses = board.pulses_us()
        self._learning.append((t, pulses))
        while self._learning and t - self._learning[0][0] > LEARNS_S + 0.5:
            del self._learning[0]
        spread = max((max(each[name] for _, each in self._learning) - min(each[name] for _, each in self._learning) for name in pulses), default=0.0)
        if not pulses or t - self._learning[0][0] < LEARNS_S or spread > CALM_US:
            return seen
        mean = {name: round(sum(each[name] for _, each in self._learning) / len(self._learning), 1) for name in pulses}
        self._learning.clear()
        return seen.model_copy(update={"learnt_us": mean})

    def _sticks_now(self) -> dict[Axis, float]:
        """Where the sticks are, by the pilot's hands: right and forward positive."""
        gimbals, places = self._bench.transmitter.gimbals, STICKS[self._bench.document.transmitter.stick_mode]
        return {axis: gimbals[places[STICK_OF[axis]][0]][places[STICK_OF[axis]][1]] for axis in STEERS}

    def _look(self, t: float, seen: SurfacesSeen, sticks: dict[Axis, float], meant: dict[Axis, float]) -> SurfacesSeen:
        bench = self._bench
        settled = t - self._rested_t >= SETTLED_S and bench.board.link == "good"
        places, pulses = bench.board.surfaces(), bench.board.pulses_us()
        for device, role, _ in mixed(bench.document, bench.parts):
            name, mix = device.name, MIXES[role]
            if name not in places or name not in pulses:
                continue
            at = places[name]
            if settled and max(abs(each) for each in meant.values()) < AT_REST:
                seen = self._by(seen, "stick", name, mix, sticks, at, STICK_OUT)
            if settled and max(abs(each) for each in sticks.values()) < AT_REST:
                seen = self._by(seen, "steadying", name, mix, meant, at, STEADY_OUT)
            if self._stands_still(t, name, pulses[name], at):
                seen = self._pulse(seen, name, pulses[name], at)
        return seen

    @staticmethod
    def _by(seen: SurfacesSeen, when: When, name: str, mix: SurfaceMix, commands: dict[Axis, float], at: float, out: float) -> SurfacesSeen:
        """What a surface does where one axis alone asks for something."""
        asked = {axis: share * commands[axis] for axis, share in mix.by.items()}
        axis = max(asked, key=lambda each: abs(asked[each]))
        others = sum(abs(value) for other, value in asked.items() if other != axis)
        if abs(asked[axis]) < out or others > abs(asked[axis]) / 3:
            return seen
        went: Went = "still" if abs(at) < MOVED else "right" if at * asked[axis] > 0 else "wrong"
        return seen.with_seen(when, name, axis, went)

    def _stands_still(self, t: float, name: str, us: float, at: float) -> bool:
        """Whether a servo has come to where its pulse wants it."""
        since, was_us, was_at = self._stands.get(name, (t, us, at))
        if name not in self._stands or abs(us - was_us) > STILL_US or abs(at - was_at) > STILL_US / US_FULL:
            self._stands[name] = (t, us, at)
            return False
        return t - since >= SETTLED_S

    def _pulse(self, seen: SurfacesSeen, name: str, us: float, at: float) -> SurfacesSeen:
        """Two places of a surface tell at which pulse it stands straight; and where it hums it has come to a stop."""
        servo = next(each for each in self._bench.board.world.servos if each.name == name)
        if servo.fed and servo.truth.binds(us):
            stop = servo.truth.stop_high_us if us > servo.truth.stop_high_us else servo.truth.stop_low_us
            return seen if name in seen.binds else seen.model_copy(update={"binds": {**seen.binds, name: stop}})
        before = self._places.get(name)
        if before is None or not servo.fed:
            self._places[name] = (us, at)
            return seen
        if abs(us - before[0]) < FAR_US or at == before[1]:
            return seen
        straight = round(us - at * (us - before[0]) / (at - before[1]))
        self._places[name] = (us, at)
        if seen.straight_us.get(name) == straight:
            return seen
        return seen.model_copy(update={"straight_us": {**seen.straight_us, name: straight}})
