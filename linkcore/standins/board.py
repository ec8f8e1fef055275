"""The stand-in flight controller: its memory, its receiver port, and what it does with the channels."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from linkcore.craft.airframes import WINGS
from linkcore.craft.document import Airframe, BoardSettings, ModeBand, Response, ServoSetup
from linkcore.devices.answers import band_us, command_of
from linkcore.devices.arming import Arming, ArmView, Blocker, blockers
from linkcore.devices.board_api import EventKind, EventLog, Refused
from linkcore.devices.carry_over import without_dropped
from linkcore.devices.image_facts import SettingsFormat
from linkcore.devices.memory import NEEDS_RESTART, as_kept
from linkcore.devices.mixers import SurfaceMix, steadied
from linkcore.devices.modes import Holding, holds
from linkcore.devices.motors import at_rest, motor_percent, stop_us
from linkcore.devices.on_loss import STEADY_S, rssi_of_channel
from linkcore.devices.port import PULSE_INPUTS, LinkState
from linkcore.devices.responses import carried_out, lands_by
from linkcore.devices.sensors import TELLINGS
from linkcore.parts.axes import AXES, Axis, channel_of
from linkcore.parts.models import Board, Pad, Sensor
from linkcore.parts.sensor_names import SensorName
from linkcore.protocols.base import ChannelFrame, Frame, LineReader, ProtocolSpec, PulseSpec, SerialSpec, TelemetryFrame
from linkcore.protocols.registry import RECEIVER_PROTOCOLS, SERIAL_PROTOCOLS
from linkcore.signal.edges import NO_TIMES, Times
from linkcore.signal.uart import NOTHING_RECEIVED, ReceivedBytes, UartSettings
from linkcore.standins.autopilot import Asked, Autopilot, Senses
from linkcore.standins.drives import ServoTruth

TICK_S = 0.001  # a board's clock counts milliseconds
MOST_FRAMES_A_S = 1000
REPORT_KEPT_S = 1.5  # how long what a receiver reported of the link counts (ours)


@dataclass
class Ear:
    """A pad that the board listens on. `channel`: which one arrives there, where each has a wire of its own; `level`: the pad's, as it was left."""

    pad: Pad
    channel: int | None = None
    reader: LineReader | None = None
    level: int = 1


@dataclass(frozen=True)
class Mouth:
    """How a board speaks telemetry on a pad. `turns`: it listens there as well, and answers; `off`: what it does not tell."""

    spec: SerialSpec
    uart: UartSettings
    turns: bool
    off: frozenset[SensorName]


@dataclass(frozen=True)
class _Bands:
    """Of settings: the bands of a lost-link test, and the channels that any band listens to, ascending."""

    settings: BoardSettings
    tests: tuple[ModeBand, ...]
    channels: tuple[int, ...]


@dataclass(frozen=True)
class Servo:
    """A servo on an output, as it is: `mix`: what the board moves it by; `fed`: whether its rail has supply."""

    name: str
    mix: SurfaceMix
    truth: ServoTruth
    fed: bool


@dataclass(frozen=True)
class World:
    """What the board stands in besides its receiver. `lacking`: modes that this craft cannot do, and why; `sensors`: all that are fitted; `fix`: of its GPS; `home`: whether it is good enough for a home."""

    tilt_deg: float = 0.0
    usb: bool = False
    missing_sensors: tuple[str, ...] = ()
    lacking: Mapping[str, str] = field(default_factory=dict)
    servos: tuple[Servo, ...] = ()
    airframe: Airframe = "quad X"
    sensors: tuple[Sensor, ...] = ()
    fix: bool = False
    home: bool = False


class StandInBoard:
    """A flight controller. Times are bench seconds."""

    def __init__(self, part: Board, stored: BoardSettings, running: BoardSettings | None = None) -> None:
        self.part = part
        self.runs = True  # whether its firmware does
        self.form = SettingsFormat()
        self.stored = stored
        self.running = running or stored
        self.events = EventLog()
        self.powered = True
        self.world = World()
        self._listens: _Bands | None = None
        self._mouth: tuple[BoardSettings, Pad, ProtocolSpec | None, Mouth | None] | None = None
        self._boot(0.0, 0.0)

    # --- memory and power ---------------------------------------------------------------------------------------

    def write(self, settings: BoardSettings, t: float) -> None:
        """Keep new settings. Ports and the receiver's protocol run only after a restart; the rest runs at once."""
        if not self.powered or self.booting(t):
            raise Refused(self._silent)
        if self.armed:
            raise Refused("the board is armed and takes no settings; disarm first")
        chosen = RECEIVER_PROTOCOLS.get(settings.receiver_input.protocol or "")
        if chosen is not None and chosen.wire == "serial" and not settings.receiver_ports():
            raise Refused(
                f"the board takes no receiver protocol while no port has the receiver job: give a port the job, then {chosen.name} goes with it; nothing was written"
            )
        self.stored = as_kept(settings, self.part, self.form)
        self.running = self.stored.model_copy(update={name: getattr(self.running, name) for name in NEEDS_RESTART})
        self.events.add(t, "settings written", "settings written")

    def read_back(self, t: float) -> BoardSettings:
        """What it really holds."""
        if not self.powered or self.booting(t):
            raise Refused(self._silent)
        return self.stored

    def restart(self, t: float) -> None:
        """Make everything take effect."""
        if not self.powered:
            raise Refused("the board has no power")
        if not self.runs:
            raise Refused(self._silent)
        if self.armed:
            raise Refused("the board is armed; disarm first")
        self.running = self.stored
        self._boot(t, self.part.boot_s)
        self.events.add(t, "restarted", "restarted")

    def power(self, on: bool, t: float) -> None:
        """Switch the supply; coming back is a restart."""
        if on == self.powered:
            return
        self.powered = on
        self.running = self.stored
        self._boot(t, self.part.boot_s if on else 0.0)
        said: EventKind = "power on" if on else "power off"
        self.events.add(t, said, said)

    def brown_out(self, t: float, what: str) -> None:
        """The supply fell below what it needs: it starts anew."""
        self.running = self.stored
        self._boot(t, self.part.boot_s)
        self.events.add(t, "brown-out", f"brown-out: {what} is over its limit; restarting")

    @property
    def _silent(self) -> str:
        if not self.runs:
            return "the board runs no firmware: it waits in its bootloader; see Load"
        return "the board is not answering: it has no power or is still starting"

    @property
    def restart_due(self) -> bool:
        """Whether it holds settings that do not run yet."""
        return any(getattr(self.stored, name) != getattr(self.running, name) for name in NEEDS_RESTART)

    def take_firmware(self, form: SettingsFormat, *, wiped: bool, t: float) -> None:
        """A program was loaded and starts. `wiped`: it found no settings that it knows."""
        self.runs, self.form = True, form
        blank = BoardSettings(ports=dict.fromkeys(self.stored.ports, "free"))
        self.stored = blank if wiped else without_dropped(self.stored, form)
        self.running = self.stored
        self._boot(t, self.part.boot_s)
        self.events.add(t, "firmware started", "new firmware started" + (", without settings" if wiped else ""))

    def lose_firmware(self, t: float) -> None:
        """Its bootloader has taken over: nothing of its program runs."""
        self.runs = False
        self._boot(t, 0.0)

    def _boot(self, t: float, for_s: float) -> None:
        self.boots_until = t + for_s
        self.link: LinkState = "no signal" if self.powered else "off"
        self.arming = Arming()
        self.held = Holding(False, None, ())
        self.steady: dict[Axis, float] = {}
        self._servos_at: dict[str, float] = {}
        self._held_for: tuple[BoardSettings, World, list[float], Holding] | None = None
        self.motors_percent = 0.0
        self.testing_loss = False
        self._back_t: float | None = None
        self.channels: tuple[float, ...] = ()
        self._frames_came: deque[tuple[float, bool]] = deque(maxlen=MOST_FRAMES_A_S)
        self._link_told: tuple[float, TelemetryFrame] | None = None
        self.last_frame_t: float | None = None
        self._flagged = False
        self._listened_until = t
        self._steady_since: float | None = None
        self.autopilot: Autopilot | None = None
        self._by_mode = False  # whether a switch has it fly by itself, not the lost link
        self.stopped_t: float | None = None
        self.home_set = False
        self._low_since: float | None = None
        self._stood: dict[Axis, float | None] = {}
        self._listen()

    def booting(self, t: float) -> bool:
        """Whether it is still starting, or runs no firmware at all."""
        return t < self.boots_until or not self.runs

    # --- the receiver port --------------------------------------------------------------------------------------

    def _listen(self) -> None:
        """Set up what listens with the running settings: the port that has the receiver job, or inputs that measure pulses."""
        jobs = self.running.receiver_ports()
        chosen = RECEIVER_PROTOCOLS.get(self.running.receiver_input.protocol or "")
        self.port = jobs[0] if jobs else None
        self.spec = chosen
        self.uart: UartSettings | None = None
        self.ears: list[Ear] = []
        if isinstance(chosen, PulseSpec):
            inputs = [pad for pad in self.part.pads if chosen.pulses in pad.reads]
            self.port = PULSE_INPUTS if inputs else None
            self.ears = [Ear(pad, index + 1 if chosen.pulses == "PWM" else None) for index, pad in enumerate(inputs)]
        elif self.port:
            pad = self.part.pad_of(self.port, "tx" if self.running.receiver_input.half_duplex else "rx")
            self.ears = [Ear(pad)] if pad else []
            if pad is not None and isinstance(chosen, SerialSpec):
                self.uart = chosen.uart.with_inversion(self.inverted_on(pad))

    def inverted_on(self, pad: Pad) -> bool:
        """Whether the port turns the levels of this pad over: where it was asked to, and can."""
        return self.running.receiver_input.inverted and self.part.can_invert(pad)

    @property
    def rx_pad(self) -> Pad | None:
        """The (first) pad it listens on."""
        return self.ears[0].pad if self.ears else None

    @property
    def describes(self) -> str:
        """What its receiver port is set to, in words; where the pad cannot do what was asked, what it does instead."""
        if self.port is None:
            return "no running port has the receiver job"
        if self.spec is None:
            return "no protocol is set"
        if not self.ears:
            return f"{self.port} has no {'TX' if self.running.receiver_input.half_duplex else 'RX'} pad"
        duplex = ", half duplex" if self.running.receiver_input.half_duplex and self.spec.wire == "serial" else ""
        return self.spec.describe(self.inverted_on(self.ears[0].pad)) + duplex

    def listen(self, pads: Mapping[str, tuple[Times, int]], until: float) -> tuple[ReceivedBytes, list[Frame]]:
        """Sample the pads up to `until`: by name, their toggles and the level before the first of them. An open pad rests on its pull-up."""
        if not self.powered or self.booting(until) or self.spec is None:
            for ear in self.ears:
                ear.reader = None
            return NOTHING_RECEIVED, []
        received, frames = NOTHING_RECEIVED, []
        for ear in self.ears:
            toggles, level = pads.get(ear.pad.name, (NO_TIMES, 1))
            if ear.reader is None:
                begun = float(toggles[0]) if len(toggles) else until
                ear.reader = self.spec.reader(self.inverted_on(ear.pad), level, begun)
            elif level != ear.level:  # a wire came or went: the pad's level changed with it, which is an edge like any other
                toggles = np.concatenate(([self._listened_until], toggles))
            ear.level = level ^ (len(pads.get(ear.pad.name, (NO_TIMES, 1))[0]) & 1)
            heard, found = ear.reader.feed(toggles, until)
            received = heard if len(heard) else received
            frames += [replace(frame, numbers=(ear.channel,)) if ear.channel and isinstance(frame, ChannelFrame) else frame for frame in found]
        self._listened_until = until
        if len(self.ears) > 1:
            frames.sort(key=lambda frame: frame.t or 0.0)
        return received, frames

    def mouth(self, pad: Pad) -> Mouth | None:
        """How it speaks telemetry on a TX pad with the running settings; None where it does not."""
        known = self._mouth
        if known is None or known[0] is not self.running or known[1] is not pad or known[2] is not self.spec:
            known = self._mouth = (self.running, pad, self.spec, self._speaks_on(pad))
        return known[3]

    def _speaks_on(self, pad: Pad) -> Mouth | None:
        telemetry, spec, off = self.running.telemetry, self.spec, frozenset(self.running.telemetry.off)
        if not telemetry.on or pad.kind != "tx" or pad.port is None:
            return None
        if pad.port == self.port and isinstance(spec, SerialSpec):  # on the port of its receiver it answers as it is spoken to
            way: Literal["out", "both ways"] = "both ways" if self.running.receiver_input.half_duplex else "out"
            inverted = self.running.receiver_input.inverted and self.part.inverts(pad, way) != "no"
            return Mouth(spec, spec.uart.with_inversion(inverted), self.running.receiver_input.half_duplex, off) if spec.name in TELLINGS else None
        chosen = SERIAL_PROTOCOLS.get(telemetry.protocol or "")
        if self.running.ports.get(pad.port) != "telemetry" or chosen is None or chosen.name not in TELLINGS:
            return None
        way = "both ways" if telemetry.half_duplex else "out"
        uart = chosen.uart.with_inversion(telemetry.inverted and self.part.inverts(pad, way) != "no")
        return Mouth(chosen, replace(uart, baud=self.running.port_baud.get(pad.port, uart.baud)), telemetry.half_duplex, off)

    @property
    def edges_matter_on(self) -> set[str]:
        """The names of the pads it listens on."""
        return {ear.pad.name for ear in self.ears}

    # --- the control loop ---------------------------------------------------------------------------------------

    def take(self, frames: list[Frame], until: float) -> None:
        """Let frames arrive in order, then run the loop up to `until`."""
        for frame in frames:
            if isinstance(frame, TelemetryFrame) and frame.sensor == "link_statistics":
                self._link_told = (frame.t if frame.t is not None else until, frame)
            if not isinstance(frame, ChannelFrame):
                continue
            t = frame.t if frame.t is not None else until
            self._frames_came.append((t, frame.frame_lost or frame.failsafe))
            self._pass_time(t)
            self._arrive(frame, t)
        self._pass_time(until)

    def _arrive(self, frame: ChannelFrame, t: float) -> None:
        if frame.failsafe:
            if not self._flagged:
                self._flagged = True
                self.events.add(t, "failsafe reported", "the receiver reports failsafe")
                if self.part.failsafe_at_once and self.link in ("good", "grace"):
                    self._react(t, "the receiver gave the link up")
            return
        self._flagged = False
        channels = self._merged(frame)
        self.testing_loss = self._tested(channels) and self.link in ("good", "grace", "lost")
        if self.testing_loss:
            return  # to the board no frame has come
        self.last_frame_t = t
        self.channels = channels
        if self.link in ("no signal", "lost"):
            if self._steady_since is None:
                self._steady_since = t
            if t - self._steady_since >= STEADY_S - TICK_S:
                said: EventKind = "link back" if self.link == "lost" else "first frames"
                self.events.add(t, said, said)
                self._back_t = t if self.link == "lost" else None
                self.link = "good"
                self._stood = self.axes()
                self.arming.forget_switch()
        elif self.link == "grace":
            self.link = "good"
        if self.link == "good":
            self._fly(t)

    def _merged(self, frame: ChannelFrame) -> tuple[float, ...]:
        """All channels after this frame, which may carry only some; those never heard rest at the centre, an unheard throttle where the motors stand still."""
        if frame.numbers is None and len(frame.channels) >= len(self.channels):
            return frame.channels
        heard = dict(enumerate(self.channels, 1)) | frame.numbered()
        throttle = channel_of("throttle", self.running.channel_map)
        rest = {number: stop_us(self.running) if number == throttle else 1500.0 for number in range(1, max(max(heard), 4) + 1)}
        return tuple((rest | heard).values())

    def _pass_time(self, t: float) -> None:
        if not self.powered or self.booting(t) or self.last_frame_t is None:
            return
        silent = t - self.last_frame_t
        grace = self.running.lost_link.grace_ms / 1000
        if silent > 0.06 and self._steady_since is not None and self.link in ("lost", "no signal"):
            self._steady_since = None
        if self.link == "good" and silent > min(0.06, grace / 2):
            self.link = "grace"
        if self.link == "grace" and silent >= grace:
            self._react(self.last_frame_t + grace, "grace is over")

    def _react(self, t: float, why: str) -> None:
        self.link = "lost"
        self._steady_since = None
        self.events.add(t, "link lost", f"link lost: {why}, fallback and response begin")
        if not self.armed:
            return
        lost, world = self.running.lost_link, self.world
        low_s = 0.0 if self._low_since is None or self.last_frame_t is None else self.last_frame_t - self._low_since
        does: Response = carried_out(lost, world.airframe, world.sensors, home=self.home_set and world.home)
        if lost.throttle_low_s and low_s >= lost.throttle_low_s:
            self.events.add(t, "counts as landed", f"throttle was low for {low_s:.1f} s: it counts as landed")
            self.events.add(t, "response begun", "response: motors off")
            does = "motors off"
        else:
            instead = "" if does == lost.response else f" instead of {lost.response}"
            self.events.add(t, "response begun", f"response: {does}{instead}")
        self.held = self._holds()
        if does == "motors off":
            self._stop(t, "motors off")
            return
        self._fly_by_itself(does, t)

    def _fly_by_itself(self, does: Response, t: float, *, by_mode: bool = False) -> None:
        lost, world = self.running.lost_link, self.world
        by = lands_by(lost, world.airframe, world.sensors)
        self.autopilot, self._by_mode = Autopilot(does, by, lost, world.airframe, self.part.least_home_m, t), by_mode
        if does == "land" and by == "glide":
            self._rest_motor(t)

    @property
    def responding(self) -> bool:
        """Whether it flies by itself."""
        return self.autopilot is not None

    def fly_itself(self, t: float, dt: float, senses: Senses) -> Asked:
        """A step of the response, from what it senses; only while it responds."""
        pilot = self.autopilot
        assert pilot is not None, "nobody asks a board that does not respond"
        asked = pilot.ask(t, dt, senses)
        for kind, text in pilot.says:
            self.events.add(t, kind, text)
        pilot.says.clear()
        if pilot.stops and pilot.on_the_ground:
            self._stop(t, "at home: motors off")
        elif pilot.stops:
            self.events.add(t, "touched down", "touched down" if senses.touching else "it must be down: the time for it is over")
            self._stop(t, "landed: motors off")
        elif not asked.motor and self.motors_percent > 0:
            self._rest_motor(t)
        return asked

    def _rest_motor(self, t: float) -> None:
        """A wing's motor stops, and it goes on steering."""
        self.motors_percent = 0.0
        self.events.add(t, "motors stopped", "motor off, a gentle bank")

    def _end_response(self, t: float, why: str) -> None:
        self.autopilot = None
        self.events.add(t, "control back", why)

    def _tested(self, channels: tuple[float, ...]) -> bool:
        """Whether the switch of the lost-link test is on."""
        tests = self._bands().tests
        return bool(tests) and any(band.holds(channels[band.channel - 1] if band.channel <= len(channels) else 0.0) for band in tests)

    def _stop(self, t: float, why: str) -> None:
        self.arming.disarm()
        self.autopilot = None
        self.motors_percent = 0.0
        self.stopped_t = t
        self.events.add(t, "motors stopped", why)

    def axis_us(self, axis: Axis) -> float | None:
        """An axis as the board sees it, after map and fallback; None before the first frame."""
        if not self.channels:
            return None
        channel = channel_of(axis, self.running.channel_map)
        value = self.channels[channel - 1] if channel <= len(self.channels) else None
        if self.link == "lost":
            if axis == "throttle":
                lost = self.running.lost_link
                return {"hold": value, "low": stop_us(self.running), "value": lost.throttle_us}[lost.throttle_fallback]
            return 1500.0
        return value

    @property
    def rssi_percent(self) -> float | None:
        """RSSI as it arrives on its channel; its lowest once the link is lost, unless it is set to stay. None where no channel carries it."""
        channel = self.running.rssi_channel
        if channel is None or channel > len(self.channels):
            return None
        if self.link != "good" and self.link != "grace" and self.running.rssi_falls:
            return 0.0
        return rssi_of_channel(self.channels[channel - 1])

    def own_lq(self, t: float) -> float | None:
        """Link quality as the board has it, percent: as the receiver reports it, else the share of frames of the last second that are not flagged as lost. None before the first frame."""
        if self._link_told is not None and t - self._link_told[0] <= REPORT_KEPT_S:
            return float(self._link_told[1].values["uplink_lq_percent"])
        came = [lost for at, lost in self._frames_came if at > t - 1.0]
        if not came:
            return None if self.last_frame_t is None else 0.0
        return 100.0 * came.count(False) / len(came)

    def own_rssi(self, t: float) -> float | None:
        """RSSI as the board has it: dBm where the receiver reports it, else percent of its channel."""
        if self._link_told is not None and t - self._link_told[0] <= REPORT_KEPT_S:
            return float(self._link_told[1].values["uplink_rssi_1_dbm"])
        return self.rssi_percent

    def axes(self) -> dict[Axis, float | None]:
        """All four."""
        return {axis: self.axis_us(axis) for axis in AXES}

    @property
    def armed(self) -> bool:
        """Whether the motors may turn."""
        return self.arming.armed

    @property
    def mode(self) -> str:
        """All that holds, in words."""
        return self.held.text

    def _view(self, t: float, *, stuck: bool = False) -> ArmView:
        """What it knows when it decides to arm."""
        return ArmView(
            powered=self.powered,
            link_good=self.link == "good",
            lost=self.link == "lost",
            testing_loss=self.testing_loss,
            back_s=None if self._back_t is None else t - self._back_t,
            up_s=t - self.boots_until,
            throttle_us=self.axis_us("throttle"),
            yaw_us=self.axis_us("yaw"),
            tilt_deg=self.world.tilt_deg,
            level_within_deg=self.part.level_within_deg,
            usb=self.world.usb,
            missing_sensors=self.world.missing_sensors,
            home_ready=self.world.home,
            switch_on=self.held.arm,
            guard_on=self.held.guard,
            switch_stuck=stuck,
        )

    def blockers(self, t: float) -> list[Blocker]:
        """Why it refuses to arm now, and what clears each; empty where it is armed or would arm at the next flip."""
        return [] if self.armed else blockers(self._view(t, stuck=self.arming.stuck), self.running)

    def _fly(self, t: float) -> None:
        """One pass of the loop with fresh channels."""
        self.held = self._holds()
        flips = self.running.arm_by == "stick" or self.held.arm != self.arming.switch_seen  # a switch that stays where it is decides nothing
        said = self.arming.step(t, self._view(t), self.running) if flips else None
        if said is not None:
            self.events.add(t, *said)
            if said[0] == "disarmed":
                self._stop(t, "motors stopped")
            elif said[0] == "armed":
                self.home_set = self.world.home
        throttle = self.axis_us("throttle")
        low = throttle is not None and at_rest(self.running, throttle)
        self._low_since = (self._low_since if self._low_since is not None else t) if low else None
        if not self.armed and self.autopilot is None:
            self.motors_percent = 0.0
            return
        self._fly_by_mode(t)
        if self.responding and self._by_mode:
            return
        if self.responding:
            lost = self.running.lost_link
            if lost.ends == "at once":
                self._end_response(t, "the link takes over again")
            elif any(self._moved(axis, lost.moved_us) for axis in AXES):
                self._end_response(t, "a stick has moved: the link takes over again")
            else:
                return  # the sticks do not count yet; the arm switch does
        idle, both_ways = self.running.drive.idle_percent, self.running.reversing_drives
        self.motors_percent = motor_percent(stop_us(self.running) if throttle is None else throttle, idle, both_ways=both_ways) if self.armed else 0.0

    def _fly_by_mode(self, t: float) -> None:
        """A mode that flies by itself begins with its switch, and ends with it."""
        mode: Response | None = "return home" if self.held.main == "return home" else "loiter" if self.held.main == "loiter" else None
        if self.autopilot is None and self.armed and mode is not None:
            self.events.add(t, "response begun", f"mode: {mode}")
            self._fly_by_itself(mode, t, by_mode=True)
        elif self.autopilot is not None and self._by_mode and mode != self.autopilot.does:
            self._end_response(t, "its mode is off: the sticks count again")

    def _moved(self, axis: Axis, by_us: float) -> bool:
        """Whether a stick stands elsewhere than when the link came back."""
        stood, now = self._stood.get(axis), self.axis_us(axis)
        return stood is not None and now is not None and abs(now - stood) > by_us

    def _holds(self) -> Holding:
        """What the channels turn on, after fallback; reckoned anew when one that a band listens to has moved."""
        known, channels, us = self._held_for, self._bands().channels, self.channels
        if self.link == "lost" and self.running.lost_link.switches_us:
            heard = dict(enumerate(us, 1)) | self.running.lost_link.switches_us
            values = [heard[channel] for channel in channels if channel in heard]
        else:
            heard, size = None, len(us)
            values = [us[channel - 1] for channel in channels if channel <= size]
        if known is None or known[0] is not self.running or known[1] is not self.world or known[2] != values:
            held = holds(self.running, dict(enumerate(us, 1)) if heard is None else heard, self.world.lacking)
            known = self._held_for = (self.running, self.world, values, held)
        return known[3]

    def _bands(self) -> _Bands:
        """What of the running settings is asked with every frame."""
        known = self._listens
        if known is None or known.settings is not self.running:
            bands = [*([self.running.arming] if self.running.arming else []), *self.running.modes]
            tests = tuple(band for band in self.running.modes if band.mode == "lost-link test")
            known = self._listens = _Bands(self.running, tests, tuple(sorted({band.channel for band in bands})))
        return known

    def commands(self) -> dict[Axis, float]:
        """What it makes of the sticks, -1 to 1 (throttle 0 to 1), the deadband taken off; empty before the first frame."""
        asked: dict[Axis, float] = {}
        for axis, us in self.axes().items():
            if us is None:
                return {}
            if axis == "throttle":
                asked[axis] = round(min(1.0, max(0.0, (us - 1000) / 1000)), 4)
                continue
            asked[axis] = round(command_of(us, band_us(self.running, axis)), 4)
        return asked

    def feel(self, rates_dps: Mapping[Axis, float], roll_deg: float, pitch_deg: float) -> None:
        """What its sensors make of the craft's movement: from that it steadies."""
        self.steady = steadied(rates_dps, roll_deg, pitch_deg, self.held.main)

    def pulses_us(self) -> dict[str, float]:
        """The pulse that each servo gets; none of a board that mixes for rotors, or is off."""
        mixes = self.running.mixing.layout in (None, *WINGS, "tri") and self.powered
        if not mixes or not self.world.servos:
            return {}
        asked = self.commands() if self.link != "no signal" else {}
        both = {axis: asked.get(axis, 0.0) + self.steady.get(axis, 0.0) for axis in AXES}
        pulses = {}
        for servo in self.world.servos:
            setup = self.running.servos.get(servo.name, _USUAL_SERVO)
            at = servo.mix.moved(both) * (-1 if servo.name in self.running.servo_reverse else 1)
            pulses[servo.name] = setup.neutral_us + at * (setup.high_us - setup.neutral_us if at > 0 else setup.neutral_us - setup.low_us)
        return pulses

    def move_servos(self, dt: float) -> None:
        """Let the servos go on towards where their pulses want them."""
        pulses = self.pulses_us()
        self._servos_at = {
            each.name: each.truth.moved(self._servos_at.get(each.name, pulses[each.name]), pulses[each.name], dt)
            for each in self.world.servos
            if each.name in pulses
        }

    def surfaces(self) -> dict[str, float]:
        """Each servo's surface, -1 to 1, as it is seen to go: up or right positive."""
        if not self.world.servos:
            return {}
        pulses = self.pulses_us()
        at = {name: self._servos_at.get(name, us) for name, us in pulses.items()}
        return {each.name: round(each.truth.place(at[each.name]), 3) if each.fed and each.name in at else 0.0 for each in self.world.servos}


_USUAL_SERVO = ServoSetup()
