"""What a running bench lets hops see: facts that were observed, and nothing that was only set."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from linkcore.bench.seen import SeenBench
from linkcore.bench.traffic import WINDOW_S, HomeTraffic
from linkcore.bench.wire_names import WireNames
from linkcore.craft.document import ElementName
from linkcore.craft.facing import Matrix, Vector
from linkcore.devices.ends import PowerCycle, ReceiverEnd, TransmitterEnd
from linkcore.devices.modes import switch_channels
from linkcore.devices.outlook import Outlook
from linkcore.devices.port import LinkState, PortReading
from linkcore.devices.sensors import NEEDS_PACK, USUAL_BAUD
from linkcore.devices.text_screen import Shown
from linkcore.findings import Mend
from linkcore.hops.airframe.answering import TurnsNow
from linkcore.hops.airframe.measure import AirframeMeasure
from linkcore.hops.airframe.motor_view import MotorsNow, TurnedTold
from linkcore.hops.bind.rules import EndsNow
from linkcore.hops.bind.view import whose_link
from linkcore.hops.downlink.causes import Now
from linkcore.hops.downlink.proofs import AlarmRang, SensorSeen, ValueSeen
from linkcore.hops.line.compare import Reading, set_so
from linkcore.hops.line.rules import LineNow
from linkcore.hops.line.view import DeviceLine, HomeLine, InputWorkedOut, Named, TapWire
from linkcore.hops.lost_link.runs import BadAir, Gap, LossRun, OutingSeen, RangeWalk, SwitchTest
from linkcore.hops.port_plan.receiver import moves_for_receiver, worked_out
from linkcore.hops.sticks.latency import MeasuredLatency
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.hops.switchboard.truth import TruthTable, truth_table
from linkcore.kept import Kept
from linkcore.parts.axes import Axis
from linkcore.parts.models import BindWay, LightState, Sensor
from linkcore.protocols.base import TelemetryFrame
from linkcore.standins.drive import LAPSES_S
from linkcore.standins.loading import Loading
from linkcore.standins.peripherals import SAYS


class Observed:
    """Every hop declares what it looks at as a protocol of its own; this satisfies them all."""

    def __init__(self, bench: SeenBench) -> None:
        self._bench = bench
        self._names = WireNames(bench)
        self.kept = Kept()

    def port_reading(self) -> PortReading:
        """The last second at the receiver port."""
        return self._bench.traffic.reading(self._bench.board)

    def named_wire(self) -> Named:
        """What is on the tapped wire, and what would read the receiver's; worked out now and then."""
        return self._names.named(self.port_reading())

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks as measured."""
        return self._bench.measuring.sticks

    @property
    def measured(self) -> SwitchMeasure:
        """The switches as measured."""
        return self._bench.measuring.switches

    @property
    def measured_so_far(self) -> object:
        """All that findings look at of what was measured, to be compared."""
        sticks, hands = self._bench.measuring.sticks, self._bench.measuring.airframe.seen
        detents = {channel: [(each.low, each.high) for each in found] for channel, found in self._bench.measuring.switches.detents.items()}
        return [each.places(axis) for axis, each in sticks.reached.items()], sticks.found.model_dump(), detents, hands

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        return self._bench.measuring.losses.run

    @property
    def gap(self) -> Gap | None:
        """The last short silence of the air."""
        return self._bench.measuring.losses.gap

    @property
    def bad_air(self) -> BadAir | None:
        """The air that loses about one frame in five, while it does."""
        return self._bench.measuring.losses.bad_air

    @property
    def reach_m(self) -> float | None:
        """Where the link budget has the last frames; None while both ends do not understand each other."""
        found = self._bench.link.budget
        return None if found is None else found.range_m

    @property
    def fix(self) -> bool | None:
        """Whether the board has a fix from its GPS; None where none is fitted, or before the board has listened for a second."""
        return self._bench.board.world.fix if self._listened and "GPS" in self._bench.parts.sensors else None

    @property
    def _listened(self) -> bool:
        return self.awake and self._bench.t - self._bench.board.boots_until >= 1.0

    @property
    def home(self) -> bool | None:
        """Whether that is good enough for a home."""
        return self._bench.board.world.home if self._listened and "GPS" in self._bench.parts.sensors else None

    @property
    def in_hands(self) -> AirframeMeasure:
        """What was measured of the craft in hands."""
        return self._bench.measuring.airframe.seen

    @property
    def pose(self) -> Matrix:
        """How the craft is held."""
        return self._bench.held.pose

    @property
    def believed(self) -> tuple[float, float, float, Vector] | None:
        """What the board makes of that: roll, pitch, heading, and the pull along the craft's axes; None where it does not run, or has nothing to feel it with."""
        bench = self._bench
        if not self.awake or "accelerometer" not in bench.board_part.sensors:
            return None
        idea = bench.idea()
        return idea.roll, idea.pitch, idea.heading, idea.pull

    @property
    def compass_off_deg(self) -> float | None:
        """How far its compass is from its gyro now; None where it sees none."""
        if not self._bench.sees_compass:
            return None
        idea = self._bench.idea()
        return (idea.compass - idea.heading + 180) % 360 - 180

    @property
    def read_s(self) -> float:
        """How long the sensors have been read for what is asked."""
        return self._bench.held.read_s

    @property
    def pack_now(self) -> tuple[bool, float, float, float, float, float, float, bool]:
        """What the board reads of the pack, and what meters show."""
        bench = self._bench
        plugged = bench.pack and bench.wire.fed
        return plugged, bench.read_v(), bench.read_a(), bench.read_mah, bench.drawn_s / 3600, bench.pack_volts(), bench.current_a(), bench.motors_a > 0

    @property
    def motors_now(self) -> MotorsNow:
        """The drive, and what hands say of it."""
        bench, drive, t = self._bench, self._bench.turning.drive, self._bench.t
        ended = drive.ended if drive.stage == "answer" and not drive.answered else None
        return MotorsNow(
            stage=drive.stage,
            answered=drive.answered,
            locked=bench.turning.locked(),
            props_off_s=0.0 if drive.said_t is None else round(max(0.0, drive.said_t + LAPSES_S - t)),
            ended=None if ended is None else TurnedTold(output=ended.output, percent=ended.percent, by_telemetry=ended.by_telemetry, why=ended.why),
            by_words=bench.turning.why_by_words(),
            tipped=bench.turning.answers.corner if ended else None,
            twisted=bench.turning.answers.turns if ended else None,
            said=bench.turning.said,
            told_speed=bench.devices.heard.newest("esc", t) is not None,
            learns=bench.turning.ends.output,
            step=bench.turning.ends.step,
        )

    @property
    def turns_now(self) -> list[TurnsNow]:
        """What the sticks ask of the craft, and what it does; empty while it is not armed, or flies by itself."""
        turned = self._bench.turned
        return [] if turned is None else [TurnsNow(axis=axis, asked_dps=round(asked), dps=round(turned.dps[axis])) for axis, asked in turned.asked.items()]

    @property
    def switches_now(self) -> Mapping[str, int]:
        """Where the transmitter's switches are."""
        return dict(self._bench.transmitter.switches)

    @property
    def put_back_mah(self) -> float:
        """What a charger would put back since the pack was last filled."""
        return self._bench.used_mah

    @property
    def latency_seen(self) -> MeasuredLatency | None:
        """What movements took so far."""
        return self._bench.measuring.latency.seen

    @property
    def walking(self) -> bool:
        """Whether the transmitter's power is cut."""
        return self._bench.link.power_cut_db > 0

    @property
    def walk(self) -> RangeWalk | None:
        """The range walk that is on, or the last whole one."""
        return self._bench.measuring.losses.walk

    @property
    def outing(self) -> OutingSeen | None:
        """The flight by distance that is logged, or was last."""
        outing, t = self._bench.link.outing, self._bench.t
        if outing is None:
            return None
        return OutingSeen(
            t=round(min(t - outing.began_t, outing.order.seconds), 1),
            seconds=outing.order.seconds,
            distance_m=round(outing.distance_m(t)),
            frames=outing.frames,
            lost=outing.lost,
            done=outing.done(t),
        )

    @property
    def switch_test(self) -> SwitchTest | None:
        """The last time that the switch of the lost-link test was on."""
        return self._bench.measuring.losses.switch_test

    @property
    def overload(self) -> str | None:
        """The rail that is over its limit now."""
        return self._bench.overload

    @property
    def satellite_away(self) -> bool:
        """Whether the satellite's lead is on the board's bind pad."""
        return self._bench.satellite_away

    @property
    def supplied(self) -> bool:
        """Whether the board has supply."""
        return self._bench.board.powered

    @property
    def awake(self) -> bool:
        """Whether the board runs its program."""
        return self._bench.board.powered and not self._bench.board.booting(self._bench.t)

    @property
    def awake_s(self) -> float:
        """How long the board has run its program without a break; 0 where it does not."""
        return max(0.0, self._bench.t - self._bench.board.boots_until) if self.awake else 0.0

    @property
    def sensors_seen(self) -> frozenset[Sensor]:
        """The sensors that the board sees: its own, and those that only a device can have told it of."""
        bench = self._bench
        if not self.awake:
            return frozenset()
        told = {sensor for kind, sensors in SAYS.items() if bench.devices.heard.newest(kind, bench.t) is not None for sensor in sensors}
        return frozenset((*bench.board.part.sensors, *(sensor for sensor in told if sensor in bench.parts.sensors)))

    @property
    def linked(self) -> bool:
        """Whether the receiver has a link."""
        return self._bench.receiver.linked

    @property
    def board_link(self) -> LinkState:
        """What the board makes of its receiver."""
        return self._bench.board.link

    @property
    def wire_passes(self) -> bool:
        """Whether the receiver's wire reaches the pad that is listened on; a receiver without a link says nothing of the wires."""
        return self._bench.receiver.powered and (
            self.port_reading().edges_at_pad > 0 or (not self._bench.receiver.linked and self._bench.path.heard_by(self._bench.board))
        )

    @property
    def outlook(self) -> Outlook:
        """What the link is with the firmware on both ends."""
        return self._bench.loading.outlook

    @property
    def flashing(self) -> list[str]:
        """Devices that a flash job runs on."""
        return [role for role in self._bench.loading.devices if self._bench.loading.busy(role)]

    @property
    def all_run(self) -> bool:
        """Whether every device runs its program."""
        return all(self._bench.loading.runs(role) for role in self._bench.loading.devices)

    @property
    def damaged(self) -> list[str]:
        """Devices that the supply has destroyed."""
        return sorted(self._bench.failed)

    @property
    def on_usb_alone(self) -> bool:
        """Whether USB is the only supply."""
        return self._bench.usb and not self._bench.pack

    @property
    def receiver_state(self) -> LightState | None:
        """What the receiver is doing; None without supply."""
        return self._bench.receiver.state

    @property
    def knows(self) -> bool:
        """Whether the receiver listens for what the transmitter sends."""
        return self._bench.link.knows

    @property
    def cycle(self) -> PowerCycle:
        """What both ends were seen to do since they were last off."""
        return self._bench.link.cycle

    @property
    def distance_m(self) -> float:
        """How far apart both ends are."""
        return self._bench.link.distance_m

    @property
    def count_held(self) -> int:
        """The bind count that the board keeps."""
        return self._bench.board.stored.bind_count

    @property
    def ends_now(self) -> EndsNow | None:
        """What both ends say of each other; None where the receiver cannot say anything, or hears another kind of radio."""
        if self._bench.parts.shared_radio() is None or not self._bench.receiver.powered or not self._bench.receiver.runs:
            return None
        return EndsNow(
            knows=self._bench.link.knows,
            identity=self.listener.identity is not None,
            because=whose_link(self.sender, self.listener.identity),
            distance_m=self._bench.link.distance_m,
            satellite_home=not self._bench.satellite_away,
            own_pad=self._bench.document.pad_of(self._bench.path.output.pins[0]),
            budget=self._bench.link.budget,
            transmitter_name=self._bench.loading.devices["transmitter"].name,
            bind_count=self.listener.bind_count,
            speaks=speech.protocol if (speech := self._bench.receiver.speech) and speech.internal else "",
            protocol=self._bench.path.output.protocol,
        )

    @property
    def line_now(self) -> LineNow | None:
        """What can be said of the wire and the port; None before the board has run for a second."""
        if not self.awake or self._bench.t - max(self._bench.board.boots_until, self._bench.traffic.since) <= WINDOW_S:
            return None
        return LineNow(
            self.port_reading(),
            self._names.would_read(self.port_reading()),
            self._bench.traffic.edges_sent > 0,
            silent_because(self._bench),
            self._bench.rival_on_the_wire,
            self._mends,
        )

    def _mends(self, way: Reading) -> tuple[Mend, ...]:
        """What makes the port read so; what the draft has already waits to be written."""
        return set_so(way) if way.possible else tuple(moves_for_receiver(self._bench.document, self._bench.parts))

    def table(self) -> TruthTable:
        """The truth table of what runs on the board; reckoned anew when something of it is another."""
        bench, measured = self._bench, self._bench.measuring.switches
        running = bench.board.running
        at = bench.measuring.places_now(switch_channels(bench.document, running))
        detents = {channel: [(each.low, each.high) for each in found] for channel, found in measured.detents.items()}
        key = (detents, len(measured.seen), at, dict(bench.lacking))
        return self.kept.get(
            "table", (bench.document, running), key, lambda: truth_table(bench.document, running, bench.transmitter_part, measured, bench.lacking, at)
        )

    @property
    def t(self) -> float:
        """Bench seconds."""
        return self._bench.t

    @property
    def tap(self) -> str:
        """The pin whose wire is tapped."""
        return self._bench.tap

    @property
    def wires(self) -> list[TapWire]:
        """The wires that can be tapped."""
        path = self._bench.path
        both = path.spec.half_duplex and path.asker is not None
        wires = [TapWire(pin=lead.pin, pad=lead.pad_name, carries="both" if both else "channels") for lead in path.wire.leads]
        home = path.wire.telemetry
        if home is not None and home.pin in path.lines and all(wire.pin != home.pin for wire in wires):
            wires.append(TapWire(pin=home.pin, pad=home.pad_name, carries="telemetry"))
        devices = self._bench.devices.wires.values()
        return wires + [TapWire(pin=wire.tap, pad=wire.pad.name if wire.pad else None, carries="device") for wire in devices]

    @property
    def downlink(self) -> Iterable[TelemetryFrame]:
        """What the receiver has heard from the board, the newest of each sensor."""
        return self._bench.downlink.values()

    @property
    def home_line(self) -> HomeLine | None:
        """The wire of telemetry's own, where there is one."""
        path, board = self._bench.path, self._bench.board
        lead, asker = path.home, path.asker
        if lead is None or asker is None:
            return None
        listens = asker.spec.describe(asker.spec.uart.inverted) + (", half duplex" if asker.spec.half_duplex else "")
        mouth = board.mouth(lead.pad) if lead.pad is not None and self.awake else None
        speaks = "" if mouth is None else mouth.spec.describe(mouth.uart.inverted) + (", half duplex" if mouth.turns else "")
        reads = self._bench.home_traffic.heard_per_s > 0
        if reads:
            says = f"The receiver listens for {listens}, and hears {self._bench.home_traffic.heard_per_s:.1f} values a second."
        elif not speaks:
            says = f"The receiver listens for {listens}; the board says nothing on {lead.pad_name or 'any pad'}."
        elif speaks == listens:
            says = f"The receiver listens for {listens}, as the board speaks; nothing has come in the last seconds."
        else:
            says = f"The receiver listens for {listens}; the board speaks {speaks}, and none of it is read. Set to {listens} it would be."
        return HomeLine(pin=lead.pin, pad=lead.pad_name, listens=listens, speaks=speaks, reads=reads, says=says)

    @property
    def device_line(self) -> DeviceLine | None:
        """The tapped wire, where it is a device's."""
        bench = self._bench
        wire = next((each for each in bench.devices.wires.values() if each.tap == bench.tap), None)
        if wire is None:
            return None
        pad, running = wire.pad, bench.board.running
        port = pad.port if pad is not None and pad.kind == "rx" else None
        job = running.ports.get(port or "", "free")
        ear = bench.devices.ears.get(port or "")
        usual = USUAL_BAUD.get(job)
        speaks = f"{wire.name} speaks {wire.serial.protocol} at {wire.serial.baud} baud"
        if pad is None:
            says = f"{speaks}, and its wire goes nowhere."
        elif port is None:
            says = f"{speaks}, and {pad.name} does not listen."
        elif usual is None:
            says = f"{speaks}; {port} has {'no job' if job == 'free' else f'the job {job}'} and does not listen for it."
        else:
            baud = running.port_baud.get(port, usual)
            came = f"{ear.frames} whole messages" if ear and ear.frames else "bytes, and no whole message" if ear and ear.sampled else "nothing yet"
            says = f"{speaks}; {port} listens for {job} at {baud} baud and has read {came}."
        return DeviceLine(device=wire.name, pad=pad.name if pad else None, port=port, reads=bool(ear and ear.frames), says=says)

    @property
    def home_traffic(self) -> HomeTraffic:
        """What passes on the way home."""
        return self._bench.home_traffic

    @property
    def sensors_found(self) -> list[SensorSeen]:
        """The transmitter's list of sensors; none of it is seen while the transmitter is off."""
        t = self._bench.t
        return [
            SensorSeen(
                key=key,
                id=each.carried.id,
                protocol=each.protocol,
                sensor=each.sensor,
                unit=each.carried.unit,
                says=each.says,
                zero=each.sensor in NEEDS_PACK and not any(each.values.values()),
                every_s=each.every_s,
                age_s=t - each.times[-1] if each.times else None,
                clash=each.clashes(),
            )
            for key, each in self._bench.link.sensors.found.items()
        ]

    @property
    def rssi_dbm(self) -> float:
        """What arrives at the receiver."""
        return self._bench.receiver.signal[0]

    @property
    def alarms_rang(self) -> list[AlarmRang]:
        """Alarms that rang, the newest of each."""
        return [AlarmRang(each.alarm, each.t, each.after_s, each.told) for each in self._bench.bells.rang if each.after_s is not None]

    @property
    def values_seen(self) -> dict[ElementName, ValueSeen]:
        """What the picture showed of each value."""
        return {name: ValueSeen(each.whole, each.marked_after_s) for name, each in self._bench.video.seen.items()}

    @property
    def values_shown(self) -> Shown:
        """What the board has for the picture."""
        return self._bench.video.shown

    @property
    def on_picture(self) -> tuple[str, tuple[str, ...]]:
        """(why there is no picture, the text on it)."""
        return self._bench.video.picture.why, self._bench.video.picture.rows

    @property
    def downlink_now(self) -> Now:
        """What decides just now whether a sensor comes."""
        bench = self._bench
        runs = {name: bench.wire.runs(name, usb=bench.usb, pack=bench.pack) and name not in bench.failed for name in bench.devices.wires}
        return Now(
            linked=bench.receiver.linked,
            firmware=bench.loading.outlook.verdict == "do not match" or bench.loading.outlook.telemetry,
            runs=runs,
            fix=bench.board.world.fix,
            pack=bench.pack and bench.wire.fed,
            looking=bench.link.sensors.looking,
        )

    @property
    def port_says(self) -> str:
        """What the port is set to, in words."""
        return self._bench.board.describes

    @property
    def worked_out(self) -> InputWorkedOut | None:
        """How parts and wire ask the port to be set."""
        bench = self._bench
        asked = self.kept.get("worked out", (bench.document, bench.parts), None, lambda: worked_out(bench.document, bench.parts))
        return InputWorkedOut(settings=asked.settings, because=list(asked.because)) if asked else None

    @property
    def resting_s(self) -> dict[Axis, float]:
        """How long each stick has rested so far."""
        return self._bench.measuring.watched_s()

    @property
    def lacking(self) -> Mapping[str, str]:
        """Modes that cannot hold here, and why."""
        return self._bench.lacking

    @property
    def loaded(self) -> Loading:
        """The devices and what is on them."""
        return self._bench.loading

    @property
    def way(self) -> BindWay:
        """The way to bind that is followed."""
        return self._bench.link.way

    @property
    def sender(self) -> TransmitterEnd:
        """The transmitter's end."""
        return self._bench.transmitter.end

    @property
    def listener(self) -> ReceiverEnd:
        """The receiver's end."""
        return self._bench.receiver.end

    @property
    def transmitter_on(self) -> bool:
        """Whether the transmitter is on."""
        return self._bench.transmitter.on

    @property
    def receiver_plugged(self) -> bool:
        """Whether the receiver's lead is plugged in."""
        return self._bench.link.plugged

    @property
    def bind_pad(self) -> str | None:
        """Where the board sends bind pulses, where that is not the satellite's own pad."""
        return self._bench.bind_pad

    @property
    def hindrances(self) -> list[str]:
        """What keeps both ends from binding now."""
        return self._bench.link.hindrances

    @property
    def margin_db(self) -> float | None:
        """Signal above what is still understood, at the distance that both ends are apart."""
        return self._bench.link.margin_db

    @property
    def loss_percent(self) -> float:
        """The share of frames that the air loses."""
        return self._bench.link.loss_percent


def silent_because(bench: SeenBench) -> str | None:
    """Why nothing can be expected on the line: power, program, radio, bind."""
    if "receiver" in bench.failed:
        return "The receiver has failed: it stood on a supply that it does not bear. Mend the wire, then replace the receiver."
    if bench.overload:
        return f"The board browns out and restarts: {bench.overload} is over its limit."
    if not bench.receiver.powered:
        return "The receiver has no power: look at its supply and its ground in the Loom."
    if not bench.receiver.runs:
        return "The receiver runs no firmware: see Load."
    if bench.parts.shared_radio() is None:
        return "Transmitter and receiver do not understand each other: see the Kit."
    if bench.loading.outlook.verdict == "do not match":
        return "The firmware on both ends does not fit: see Load."
    if not bench.receiver.end.listens or not bench.link.knows:
        return "The receiver is not bound to this transmitter, and an unbound one is silent: see Bind."
    if bench.transmitter.on and not bench.link.transmitting:
        return "The transmitter is not sending: it is in bind, or its module runs no firmware."
    if not bench.transmitter.on:
        return "The transmitter is off."
    return None
