"""The bench: the stand-ins of one craft, wired together and running under a clock that its owner drives.

Time advances in short slices. In each, the transmitter's frames cross the air, the receiver makes its protocol's bytes,
those become timed levels on the wire, the board's port samples them, and the board flies on what its decoder returns.
"""

from __future__ import annotations

import random
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from linkcore.bench.flight import Flight
from linkcore.bench.measuring import MADE_WITH, Foundations, Measuring, changed
from linkcore.bench.messages import BenchState, BoardLive, Hands, Live
from linkcore.bench.observed import Observed
from linkcore.bench.rings import wires_rung
from linkcore.bench.seen import EDGE_WINDOW_S
from linkcore.bench.traffic import HomeTraffic, PortTraffic
from linkcore.bench.turning import TurningWatch
from linkcore.chain import ProofKey, newly_proven
from linkcore.craft.airframes import MULTIROTORS
from linkcore.craft.document import RECEIVER, BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts, spoken_output
from linkcore.devices.answers import STEERS, asked_dps, gives_dps
from linkcore.devices.board_api import BoardApi, Refused
from linkcore.devices.firmware import Role
from linkcore.devices.image_facts import ImageFacts, SettingsFormat
from linkcore.devices.lights import STATE_WORDS
from linkcore.devices.modes import MODES, lacking
from linkcore.devices.on_loss import rssi_percent
from linkcore.devices.pack import counted_cells, shown_a, shown_mah, shown_v
from linkcore.devices.pack import volts as pack_volts
from linkcore.devices.sensors import TELLINGS, Values
from linkcore.hops.airframe.proofs import FACING
from linkcore.hops.airframe.surfaces import mixed
from linkcore.hops.kit.ability import sensor_states
from linkcore.hops.lost_link.runs import LossRun
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.switchboard.detents import SwitchMeasure
from linkcore.kept import made_of
from linkcore.parts.axes import Axis
from linkcore.parts.models import Pack, WayIn
from linkcore.parts.sensor_names import SensorName
from linkcore.proofs import Proof
from linkcore.protocols.base import ProtocolSpec, TelemetryFrame
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.reads import Handled, Whole
from linkcore.signal.edges import NO_TIMES, Edges
from linkcore.signal.uart import toggles_of
from linkcore.standins.bells import Bells
from linkcore.standins.board import Servo, StandInBoard, World
from linkcore.standins.drives import ServoTruth
from linkcore.standins.hands import Stick
from linkcore.standins.held import BodyTruth, HeldCraft, Idea
from linkcore.standins.link import RadioLink
from linkcore.standins.loading import Loading, Surroundings, bridge_blocked
from linkcore.standins.path import Rival, SignalPath
from linkcore.standins.peripherals import SATELLITES_FIX, SATELLITES_HIDDEN, SATELLITES_HOME, SATELLITES_SEEN, Around, DeviceWires
from linkcore.standins.picture import VideoWay
from linkcore.standins.radio import NO_SIGNAL
from linkcore.standins.satellite import bind_pad, plugged_into, pulses_sent, speak_as_bound
from linkcore.standins.sensing import Felt, knows
from linkcore.standins.turned import AS_ASKED, Effect, TurningCraft, of_motors, of_surfaces
from linkcore.standins.wires import WireTruth
from linkcore.wiring.beeper import wired_beeper
from linkcore.wiring.outputs import layout_wired, motor_roles

SLICE_S = 0.04
REST_SLICE_S = 0.2
BENCH_PLACE = (54.0, 1.0)  # where the bench stands: made up, at sea
METRES_A_DEGREE = 111_320.0
USUAL_PACK = Pack(id="usual", name="Usual", cells=4, capacity_mah=1500)
PROVE_EVERY_S = 0.2
_MOVES = {"type", "left", "right", "switches"}  # what hands do at the transmitter alone: nothing else follows from it but what it sends
BOARD_A, MOTORS_A_PERCENT = 0.4, 0.35  # what the board draws, and the motors without props for each percent that they are asked (ours)
BROWN_OUT_S = 0.5  # how long an overloaded supply holds once the board runs

__all__ = ["Bench", "CannotRun", "Refused", "cannot_run"]


LATE_PACE = 0.8


class CannotRun(ValueError):
    """There is no bench for this craft (yet). The text says why, and what still works."""


def cannot_run(document: CraftDocument, parts: KitParts) -> str | None:
    """Why there is no bench for this craft; None where there is one."""
    missing = [each.role for each in parts.missing if each.role in ("board", RECEIVER, "transmitter")]
    if missing:
        return f"Still to choose: {', '.join(missing)}. Choose in the Kit; then the bench is set up."
    output = spoken_output(document, parts.receiver)
    if output is None:
        return "No output of the receiver sends with its jumper as it is."
    if output.protocol not in RECEIVER_PROTOCOLS:
        return f"The {parts.receiver.name} sends {output.protocol}, which the bench does not know. Kit, Port plan and Loom work in full; wires are rung out by hand."
    return None


class Bench:
    """One craft's bench. `t` is bench seconds since it was first started."""

    def __init__(self, document: CraftDocument, state: BenchState | None = None, seed: int = 1, parts: KitParts | None = None) -> None:
        rng = random.Random(seed)
        state = state or BenchState(stored=document.settings, running=document.settings, read_back=document.settings)
        self.document = document
        self.parts = KitParts.of(document) if parts is None else parts
        why_not = cannot_run(document, self.parts)
        if why_not:
            raise CannotRun(why_not)
        self.receiver_part = self.parts.receiver
        self.transmitter_part = self.parts.transmitter
        self.board_part = self.parts.board
        output = spoken_output(document, self.receiver_part)
        assert output is not None, "cannot_run() lets no such craft through"
        self.devices = DeviceWires()
        self.video = VideoWay()
        self.bells = Bells()
        self.bells.follow(document.alarms)
        self.path = SignalPath(document, self.parts, RECEIVER_PROTOCOLS[output.protocol], output, rng)
        self.board = StandInBoard(self.board_part, state.stored, state.running)
        self.asked: BoardApi = self.board  # what is asked of it goes through what any board could answer
        self.loading = Loading(document, self.parts, state.devices, self._surroundings, self._loaded_anew, self._cut)
        self.link = RadioLink(document, self.parts, self.spec, self.loading, rng)
        self.transmitter, self.air, self.receiver = self.link.transmitter, self.link.air, self.link.receiver
        self.satellite_away = False
        self._pulses = 0  # bind pulses that leave the board just now
        self.read_back_settings = state.read_back
        self.gps_fix, self.home = state.gps_fix, state.home
        self.held = HeldCraft(state.body or BodyTruth.usual(seed), seed)
        self.held.tilt_deg, self.held.towards_deg, self.held.turn_deg = state.tilt_deg, state.towards_deg, state.turn_deg
        self.handled: dict[Handled, int] = dict(state.handled)
        self.pack_lying = state.pack_here
        self.read_mah, self.drawn_s = state.read_mah, state.drawn_s
        self._counted_cells: int | None = None
        self._craft_world: tuple[CraftDocument, World] | None = None
        self._satellites_then = (False, False)
        self._runs: tuple[tuple[WireTruth, bool, bool, tuple[str, ...]], dict[str, bool]] | None = None
        self.measuring = Measuring(self, state)
        self.turning = TurningWatch(self, state.drives, seed)
        self.turned: TurningCraft | None = None  # while it is armed and steered
        self.new_proofs: list[Proof] = []
        self.proofs: dict[ProofKey, Proof] = {}
        self.rung: dict[str, str] = {}
        self.new_rings: list[str] = []
        self.usb, self.pack = state.usb, state.pack
        self.failed = dict(state.failed)
        self.overload: str | None = None
        self.t = 0.0
        self.traffic = PortTraffic()
        self.downlink: dict[str, TelemetryFrame] = {}
        self.tap = self.path.wire.pin
        self.used_mah = state.used_mah
        self._said: tuple[float, Values] | None = None
        self._felt_up: tuple[float, float] = (0.0, 0.0)  # bench seconds, and how high the craft was then
        self._receiver_fed = False
        self._prove_at = 0.0
        self._whole: tuple[object, Whole] | None = None
        self._made_with: tuple[Whole, Foundations] | None = None
        self._draft: tuple[Whole, Whole] | None = None
        self._stored: tuple[Whole, Whole] | None = None
        self._rested: Foundations = {}
        self.observed = Observed(self)
        self._resume(state)
        self.flight = Flight(document, self.t)

    def _resume(self, state: BenchState) -> None:
        self.t = state.t
        self.link.resume(state)
        self.loading.fault, self.loading.own_port_plugged, self.loading.adapter_plugged = state.fault, state.own_port_plugged, state.adapter_plugged
        self.satellite_away = state.satellite_away and self.bind_pad is not None
        self._surround_board()
        self._follow_wires()
        form = self.loading.installed["board"].facts
        self.board.form = form.settings if form else SettingsFormat()
        if not self.powered:
            self.board.power(False, self.t)
        self._firmware_follows(self.t)
        if state.foundations:  # the craft may have changed while no bench was running
            self._forget_what_rested_on(state.foundations)
        self._supply()
        self._rested = self._foundations()

    def state(self) -> BenchState:
        """What to keep."""
        return BenchState(
            stored=self.board.stored,
            running=self.board.running,
            read_back=self.read_back_settings,
            usb=self.usb,
            pack=self.pack,
            failed=self.failed,
            foundations=self._foundations(),
            satellite_away=self.satellite_away,
            **self.loading.kept(),
            **self.link.kept(),
            tilt_deg=self.held.tilt_deg,
            towards_deg=self.held.towards_deg,
            turn_deg=self.held.turn_deg,
            body=self.held.truth,
            handled=dict(self.handled),
            pack_here=self.pack_lying,
            drives=self.turning.truth,
            airframe=self.measuring.airframe.seen,
            read_mah=round(self.read_mah, 1),
            drawn_s=round(self.drawn_s, 1),
            gps_fix=self.gps_fix,
            home=self.home,
            used_mah=round(self.used_mah, 1),
            sticks=self.sticks,
            measured=self.measured,
            loss=self.loss,
            t=self.t,
        )

    # --- the craft ----------------------------------------------------------------------------------------------

    def has_parts_of(self, document: CraftDocument, parts: KitParts) -> bool:
        """Whether this bench can go on with a new draft: the same board, receiver, transmitter, and the same line spoken."""
        mine = (self.board_part, self.receiver_part, self.transmitter_part)
        if not parts.whole or (parts.board, parts.receiver, parts.transmitter) != mine:
            return False
        return spoken_output(document, parts.receiver) == self.path.output

    def take_document(self, document: CraftDocument, parts: KitParts | None = None) -> None:
        """The draft was saved: wires and both ends' set-up follow it; the board's settings wait to be written."""
        rested = self._foundations()
        powered, devices = self.powered, self.parts.wired()
        before, self.document = self.document, document
        self.parts = KitParts.of(document, self.parts.catalogue) if parts is None else parts
        self.link.follow(document)
        if document.alarms != before.alarms:
            self.bells.follow(document.alarms)
        if (document.place, document.airframe) != (before.place, before.airframe):
            self.flight.follow(document)
        if document.wiring != before.wiring or document.feed != before.feed or document.kit != before.kit or self.parts.wired() != devices:
            self._follow_wires()
            self.loading.follow(document, self.parts)
            self.turning.follow()
        if document.airframe != before.airframe:
            self.turning.follow()
        if self.powered != powered:  # the board's own feed was soldered, or came off, with the pack connected
            self._board_supplied(usb=False)
        self._supply()
        self._forget_what_rested_on(rested, before)

    @property
    def spec(self) -> ProtocolSpec:
        """What the receiver speaks on the wires that count."""
        return self.path.spec

    @property
    def wire(self) -> WireTruth:
        """The wires as metal."""
        return self.path.wire

    @property
    def powered(self) -> bool:
        """Whether the board has any supply."""
        return self.usb or self._on_pack

    @property
    def _on_pack(self) -> bool:
        return self.pack and self.wire.fed

    def _supply(self) -> None:
        """Let the supply reach every part: destroy what it destroys, wake what it wakes."""
        parts = self.parts.wired()
        self.failed = {device: part for device, part in self.failed.items() if device in parts and parts[device].id == part}  # another part is whole
        for device in sorted(self.wire.destroyed(usb=self.usb, pack=self.pack) - set(self.failed)):
            self.board.events.add(self.t, "seen beside it", f"{device} has failed: its supply was too high")
            self.failed[device] = parts[device].id
        self.overload = self.wire.overloaded(usb=self.usb, pack=self.pack)
        self._receiver_fed = self.wire.runs(RECEIVER, usb=self.usb, pack=self.pack)
        supplied = self._receiver_supplied()
        if self.receiver.powered != supplied:
            self.link.power_receiver(supplied, self.t, self._pulses)

    def _receiver_supplied(self) -> bool:
        fed = self.link.plugged and self.board.powered and self._receiver_fed
        return RECEIVER not in self.failed and (fed or self.loading.adapter_plugged)

    # --- firmware and bind --------------------------------------------------------------------------------------

    def _surroundings(self) -> Surroundings:
        return Surroundings(
            usb=self.usb,
            armed=self.board.armed,
            receiver_supplied=self.receiver.powered,
            transmitter_on=self.transmitter.on,
            linked=self.receiver.linked,
            lq_percent=self.air.lq_percent,
            bridge_blocked=bridge_blocked(self.document, self.parts, self.board.port, self.rival_on_the_wire),
        )

    def _loaded_anew(self, role: Role, facts: ImageFacts, wiped: bool, t: float) -> None:
        """A device starts the program that was just loaded."""
        rested = self._foundations()
        if role == "board":
            self.board.take_firmware(facts.settings, wiped=wiped, t=t)
            self.read_back_settings = self.board.stored  # the job reads back what the new program holds
        elif role == "receiver":
            if wiped:
                self.receiver.end.forget()
            self.receiver.runs = True
            self.receiver.power(self.receiver.powered, t)
        self._forget_what_rested_on(rested)

    def _cut(self, way: WayIn, supply: bool) -> None:
        """A fault takes a cable out, or the supply away."""
        if way == "own port":
            self.loading.own_port_plugged = False
            if supply:
                self.link.switch_transmitter(False)
        elif way == "adapter":
            self.loading.adapter_plugged = False
            self._supply()
        elif way == "over the air":
            if supply:
                self._connect(False, False)
            else:
                self.link.switch_transmitter(False)
        else:
            self._connect(False, False if supply else self.pack)

    def _firmware_follows(self, t: float) -> None:
        """Devices whose bootloader has taken over, or that run again what they ran, are seen to do so."""
        board_runs = self.loading.runs("board")
        if self.board.runs and not board_runs:
            self.board.lose_firmware(t)
            self.turning.drive.lapse("the board was flashed", t)
            self.read_back_settings = None  # a board without a program holds nothing that anybody could know
        elif board_runs and not self.board.runs:
            self.board.take_firmware(self.board.form, wiped=False, t=t)
        if self.receiver.runs != self.loading.runs("receiver"):
            self.receiver.runs = self.loading.runs("receiver")
            self.receiver.power(self.receiver.powered, t)

    @property
    def bind_pad(self) -> str | None:
        """Where the board sends bind pulses, where that is another pad than the satellite's own."""
        return bind_pad(self.document, self.board_part, self.receiver_part, self.path.output)

    def _as_plugged(self) -> CraftDocument:
        """The craft with the satellite's lead where it is now."""
        pad = self.bind_pad
        return plugged_into(self.document, self.path.output, pad) if self.satellite_away and pad else self.document

    def _follow_wires(self) -> None:
        """Wires, devices or the satellite's lead are others."""
        document = self._as_plugged()
        self.path.follow(document, self.parts)
        self.devices.follow(document, self.parts)
        self.video.follow(self.document, self.parts)
        self.home_traffic = HomeTraffic()  # what came over the wires as they were rings none of those that are now

    @property
    def rival_on_the_wire(self) -> str | None:
        """Another device that drives the receiver's wire now."""
        return next((device for device, _ in self.path.chatter if self.wire.runs(device, usb=self.usb, pack=self.pack)), None)

    def _brown_out(self, until: float) -> None:
        """An overloaded supply lets the board start, then drops it again, and again."""
        if self.overload and self.board.powered and until > self.board.boots_until + BROWN_OUT_S:
            self.board.brown_out(until, self.overload)
            self.link.power_receiver(False, self.t, 0)
        elif self.receiver.powered != self._receiver_supplied():
            self._supply()

    # --- hands and acts -----------------------------------------------------------------------------------------

    def hands(self, hands: Hands) -> None:
        """Do what the hands do. Raise ValueError for what the parts on this bench do not have, before anything is done."""
        if hands.tap is not None and hands.tap not in self.path.lines and all(wire.tap != hands.tap for wire in self.devices.wires.values()):
            raise ValueError(f"neither the {self.receiver_part.name} nor another device that speaks has a wire on a pin {hands.tap}")
        self.link.refuse(hands)
        self._refuse_body(hands)
        self.turning.refuse(hands)
        at_hand = self._at_hand(hands)
        taken = self.measuring.airframe.told(hands, at_hand)
        rested = self._foundations()
        before = self.transmitter.aims_us()
        self.link.hands(hands, self.t)
        if hands.left is not None or hands.right is not None:
            self.measuring.latency.moved(self.t, before, self.transmitter.aims_us())
        self.tap = hands.tap or self.tap
        self.loading.hands(hands)
        if hands.satellite_away is not None:
            self.satellite_away = hands.satellite_away and self.bind_pad is not None
            self._follow_wires()
        if hands.replaced is not None:
            self._replace(hands.replaced)
        self._hold(hands)
        if hands.pack_left_percent is not None:
            self.used_mah = self.pack_here.capacity_mah * (1 - hands.pack_left_percent / 100)
            self.read_mah = self.drawn_s = 0.0
        for name in at_hand:
            self.handled[name] = self.handled.get(name, 0) + 1
        self.measuring.airframe.seen = taken.model_copy(update={"motors": self.turning.hands(hands, taken.motors, self.t)})
        self.gps_fix = self.gps_fix if hands.gps_fix is None else hands.gps_fix
        self.home = self.home if hands.home is None else hands.home
        if not hands.model_fields_set <= _MOVES:
            self._supply()
            self._forget_what_rested_on(rested)
        if hands.usb is not None or hands.pack is not None:
            self._connect(self.usb if hands.usb is None else hands.usb, self.pack if hands.pack is None else hands.pack)
        # a button that is let go at the moment when supply comes was held until then
        self.link.bind_button = self.link.bind_button and hands.bind_button is not False
        self.loading.boot_button = self.loading.boot_button and hands.boot_button is not False

    def _refuse_body(self, hands: Hands) -> None:
        if hands.pack_here and not isinstance(self.parts.catalogue.get(hands.pack_here), Pack):
            raise ValueError(f"the catalogue has no pack {hands.pack_here}")

    def _at_hand(self, hands: Hands) -> set[Handled]:
        """What these hands mount or wire otherwise."""
        found: set[Handled] = set() if hands.handled is None else {"motors", "ESCs"} if hands.handled in ("motors", "ESCs") else {hands.handled}
        if hands.body is not None:
            found.add("board")
        if hands.swap_wires is not None or hands.solder_phase is not None:
            found.add("motors")
        part = self.parts.devices.get(hands.replaced) if hands.replaced in self.failed else None
        if hands.drives is not None or (part is not None and part.drives):
            found |= {"motors", "ESCs"}
        if hands.drives is not None or (part is not None and part.servo):
            found.add("servos")
        return found

    def _hold(self, hands: Hands) -> None:
        """The craft is held otherwise, or is another than it was."""
        held = self.held
        held.tilt_deg = held.tilt_deg if hands.tilt_deg is None else hands.tilt_deg
        held.towards_deg = held.towards_deg if hands.towards_deg is None else hands.towards_deg
        held.turn_deg = held.turn_deg if hands.turn_deg is None else hands.turn_deg
        held.unsteady = held.unsteady if hands.unsteady is None else hands.unsteady
        if hands.asking is not None:
            held.forget_samples()
        if hands.body is not None:
            held.truth = hands.body
        if hands.compass is not None and hands.compass != "measured anew":
            held.truth = held.truth.compass_mended(hands.compass)
        if hands.pack_here is not None:
            self.pack_lying = hands.pack_here
            self.used_mah = self.read_mah = self.drawn_s = 0.0  # it comes full
            self._counted_cells = None

    def _replace(self, device: str) -> None:
        """Put a new one in the place of a device that failed; a new receiver knows nobody."""
        if self.failed.pop(device, None) is not None and device == RECEIVER:
            self.loading.replace("receiver")
            self.receiver.end.forget()

    def _connect(self, usb: bool, pack: bool) -> None:
        """Plug or unplug USB and pack."""
        if usb and not self.usb and self.loading.boot_button:
            self.loading.power_up("board", button=True)
        if pack != self.pack:
            self._counted_cells = None
        if (usb, pack) != (self.usb, self.pack):
            self.turning.drive.lapse("a plug was pulled or put in", self.t)
        before, self.usb, self.pack = self.powered, usb, pack
        if self.powered != before:
            rested = self._foundations()
            self._board_supplied(usb=usb)
            self._forget_what_rested_on(rested)
        self._surround_board()
        self._supply()
        self._pulses = 0

    def _board_supplied(self, *, usb: bool) -> None:
        """The board's supply came or went; `usb`: through its USB socket."""
        if self.powered:
            self.loading.power_up("board", button=usb and self.loading.boot_button)
        self.board.power(self.powered, self.t)
        self._firmware_follows(self.t)
        self._pulses = pulses_sent(self.board, self.path) if self.powered else 0
        self.measuring.broken_off()

    def write(self, settings: BoardSettings) -> None:
        """Send the draft's settings to the board. Raise Refused where it will not take them."""
        rested = self._foundations()
        self.asked.write(settings, self.t)
        self._forget_what_rested_on(rested)

    def read_back(self) -> BoardSettings:
        """Fetch what the board really holds."""
        self.read_back_settings = self.asked.read_back(self.t)
        return self.read_back_settings

    def restart(self) -> None:
        """Restart the board, so that a port's job counts."""
        rested = self._foundations()
        self.asked.restart(self.t)
        self.turning.drive.lapse("the board was restarted", self.t)
        self._forget_what_rested_on(rested)

    def measure_anew(self) -> None:
        """Forget what was measured; recorded proofs stay."""
        self.measuring.anew()

    def _forget_what_rested_on(self, before: Foundations, old: CraftDocument | None = None) -> None:
        """A measurement counts only for what it was made with; `old`: the craft as it was, where that has changed."""
        self._surround_board()
        now = self._rested = self._foundations()
        if changed(before, now, "line"):
            self.traffic = PortTraffic(self.t)  # what came in before says nothing of what is now
        self.measuring.forget(before, now, old or self.document)

    @property
    def sticks(self) -> SticksMeasure:
        """The sticks as measured."""
        return self.measuring.sticks

    @property
    def measured(self) -> SwitchMeasure:
        """The switches as measured."""
        return self.measuring.switches

    @property
    def loss(self) -> LossRun | None:
        """The last loss of the link."""
        return self.measuring.loss

    @property
    def lacking(self) -> Mapping[str, str]:
        """Modes that cannot hold here, and why."""
        return self.board.world.lacking

    def _surround_board(self) -> None:
        """Tell the board what it stands in: how the craft lies, what is plugged in, what is fitted."""
        document, parts = self.document, self.parts
        if self._craft_world is None or self._craft_world[0] is not document:
            missing = tuple(state.sensor for state in sensor_states(document, parts) if state.says == "missing" and state.sensor in ("gyro", "accelerometer"))
            here = World(missing_sensors=missing, lacking=lacking(document, parts), airframe=document.airframe, sensors=tuple(parts.sensors))
            self._craft_world = (document, here)
        world = self._craft_world[1]
        satellites = self._satellites()
        waits = {} if satellites >= SATELLITES_FIX else {facts.name: "it waits for a GPS fix" for facts in MODES if facts.needs_fix}
        lacks, fix, home = waits | dict(world.lacking), satellites >= SATELLITES_FIX, satellites >= SATELLITES_HOME
        self._satellites_then = (fix, home)
        tilt = self.idea().tilt if "accelerometer" in self.board_part.sensors else 0.0
        self.board.world = replace(world, tilt_deg=tilt, usb=self.usb, lacking=lacks, fix=fix, home=home, servos=self._servos())

    def _servos(self) -> tuple[Servo, ...]:
        """The servos that move surfaces, as they are."""
        runs, truth = self._running_devices(), self.turning.truth.servos
        return tuple(
            Servo(device.name, mix, truth.get(device.name, ServoTruth()), runs.get(device.name, False)) for device, _, mix in mixed(self.document, self.parts)
        )

    def _satellites(self) -> int:
        """What the board has from its GPS: how many satellites a fix rests on, 0 without one."""
        said = self.devices.heard.newest("pvt", self.t) or self.devices.heard.newest("gga", self.t)
        return int(said.values["satellites"]) if said is not None and said.values["fix"] else 0

    # --- time ---------------------------------------------------------------------------------------------------

    def run_until(self, t: float, slice_s: float = SLICE_S) -> None:
        """Let the bench run up to `t` (bench seconds). While nothing is touched longer slices, up to REST_SLICE_S, come to the same at half the cost."""
        while self.t < t - 1e-9:
            self._slice(min(self.t + slice_s, t))

    def _slice(self, until: float) -> None:
        self._brown_out(until)
        self.loading.run_until(until)
        if self.loading.running:
            self.turning.drive.lapse("something is being flashed", until)
        self._firmware_follows(until)
        if self._foundations() is not self._rested:  # a device has lost its program, or knows another transmitter
            self._forget_what_rested_on(self._rested)
        if (came := self.link.bind(until)) is not None:
            self.board.events.add(until, "seen beside it", came)
        speak_as_bound(self.path, self.receiver)
        self._hear_devices(until)
        crossed, home = self.path.cross(
            self.link.words(until),
            self.t,
            until,
            self.board,
            self.rival_on_the_wire is not None,
            self._board_says,
            receiver_on=self.receiver.powered,
            rival=self._on_the_way_home(),
        )
        frames = crossed.frames
        if self.receiver.linked and self.loading.outlook.telemetry:
            self.downlink |= {frame.sensor: frame for frame in home}
        self.link.take_home(home)
        self.home_traffic.count(until, self.path.polls_heard, len(home), self.link.came_home())
        self.board.take(frames, until)
        if self._on_pack:
            self.used_mah += self._current_a() * (until - self.t) / 3.6
            self.read_mah += self.read_a() * (until - self.t) / 3.6
            self.drawn_s += until - self.t
        self.traffic.count(until, crossed.edges_sent, crossed.edges_heard, len(crossed.received), int(np.count_nonzero(crossed.received.errors)), frames)
        if frames and self.board.link == "good":
            self.measuring.take(frames)
        self._ring(until)
        self.video.run(until, self.board, self._board_says, self.devices.heard, self._running_devices, self._truth)
        self.flight.run(until, self.board, self.link.last_sent_t)
        self.measuring.watch_loss(until)
        self.measuring.airframe.watch(until)
        self._turn(until - self.t)
        if self.board.world.servos:
            self.board.move_servos(until - self.t)
            self.measuring.airframe.see_surfaces(until)
        if self.turning.ends.output:
            self.measuring.airframe.seen = self.turning.learn(until, self.measuring.airframe.seen)
        if self.turning.drive.in_use:
            self.measuring.airframe.seen_of_motors(self.turning.run(until, self.measuring.airframe.seen.motors))
        self.t = until
        if until >= self._prove_at:
            self._prove_at = until + PROVE_EVERY_S
            self._prove()

    def _turn(self, dt: float) -> None:
        """Let the craft turn by what the sticks ask, while it is armed and they have it; it is held, and turns in thought only."""
        board = self.board
        if not board.armed or board.link != "good" or board.responding:
            if self.turned is not None:
                self.turned = None
            return
        self.turned = self.turned or TurningCraft()
        craft, commands = self.whole.craft, board.commands()
        gives: dict[Axis, float] = {axis: gives_dps(craft, axis) for axis in STEERS}
        asked = {axis: asked_dps(craft, axis, commands.get(axis, 0.0)) for axis in STEERS}
        self.turned.step(asked, self._effect(), gives, dt)

    def _effect(self) -> Effect:
        """What comes of what the board asks, by motors and surfaces as they are."""
        craft, world = self.whole.craft, self.board.world
        if world.servos:
            straight = {each.name: each.truth.turned == (each.name in self.board.running.servo_reverse) for each in world.servos}
            return of_surfaces([(each.mix.by, (1.0 if straight[each.name] else -1.0) if each.fed else 0.0) for each in world.servos])
        if craft.airframe not in MULTIROTORS:
            return AS_ASKED
        return of_motors(layout_wired(craft, self.parts), motor_roles(craft, self.parts), craft.settings.mixing.props, self.turning.truth.motors)

    def _current_a(self) -> float:
        return BOARD_A + self.motors_a if self.board.powered else 0.0

    @property
    def left(self) -> float:
        """What is left of the pack's charge, 0 to 1."""
        return max(0.0, 1 - self.used_mah / self.pack_here.capacity_mah)

    @property
    def pack_here(self) -> Pack:
        """The pack that really lies there: another than the one that was chosen, the chosen one, or a usual one."""
        other = self.parts.catalogue.get(self.pack_lying) if self.pack_lying else None
        return other if isinstance(other, Pack) else self.parts.pack or USUAL_PACK

    def volts(self) -> float:
        """What the pack gives now (a usual one where the kit has none); nothing on USB alone."""
        return pack_volts(self.pack_here, self.left, self._current_a()) if self._on_pack else 0.0

    def pack_volts(self) -> float:
        """What stands at the pack's own leads, plugged in or not."""
        return pack_volts(self.pack_here, self.left, self._current_a() if self._on_pack else 0.0)

    def current_a(self) -> float:
        """What is drawn from the pack."""
        return self._current_a() if self._on_pack else 0.0

    def read_v(self) -> float:
        """What the board's divider reads of it."""
        return self.volts() / self.held.truth.voltage_scale

    def read_a(self) -> float:
        """What the board's current sensor reads; nothing on USB alone."""
        truth = self.held.truth
        return (self._current_a() - truth.current_offset_a) / truth.current_slope if self._on_pack else 0.0

    @property
    def motors_a(self) -> float:
        """What the motors draw of it."""
        return MOTORS_A_PERCENT * abs(self.board.motors_percent) + self.turning.amperes() if self.board.powered else 0.0

    @property
    def facing_proven(self) -> bool:
        """Whether it is proven, and still, how the board sits: then what it feels has a direction."""
        recorded = self.proofs.get(("airframe", FACING.name))
        return recorded is not None and not recorded.why_not(FACING.reads.foundation(self.whole))

    @property
    def sees_compass(self) -> bool:
        """Whether the board sees a compass, its own or a device's."""
        return "magnetometer" in self.observed.sensors_seen

    def idea(self) -> Idea:
        """What the board makes of how it lies."""
        return self.held.idea(self.board.running, self.motors_a)

    def _up_m(self) -> float:
        """How high the craft is: on the bench unless it flies by itself."""
        return self.flight.craft.up_m if self._flies else 0.0

    @property
    def _flies(self) -> bool:
        return self.flight.flying and self.flight.t > self.flight.free_t + SLICE_S

    def _hear_devices(self, until: float) -> None:
        """Let the other devices speak, and the board hear what their wires bring it."""
        if not self.devices.due(until):
            return
        away_m = abs(self.flight.craft.along_m) if self._flies else self.link.distance_m
        sky = SATELLITES_HIDDEN if not self.gps_fix else SATELLITES_SEEN if self.home else (SATELLITES_FIX + SATELLITES_HOME) // 2
        around = Around(
            latitude_deg=BENCH_PLACE[0] + min(away_m, 1e6) / METRES_A_DEGREE,
            longitude_deg=BENCH_PLACE[1],
            up_m=self._up_m(),
            speed_mps=abs(self.flight.craft.along_mps) if self._flies else 0.0,
            course_deg=0.0,
            sky=sky,
            motors_percent=self.board.motors_percent or 100 * self.turning.share(self.t),
            volts=self.volts(),
            current_a=self._current_a(),
            used_mah=self.used_mah,
        )
        self.devices.cross(self.t, until, self.board, around, self._running_devices(), tapped=self.tap)
        satellites = self._satellites()
        if (satellites >= SATELLITES_FIX, satellites >= SATELLITES_HOME) != self._satellites_then:
            self._surround_board()

    def _running_devices(self) -> dict[str, bool]:
        """Every device besides the receiver, and whether it has what it runs on."""
        key = (self.wire, self.usb, self.pack, tuple(self.failed))
        if self._runs is None or self._runs[0][0] is not key[0] or self._runs[0][1:] != key[1:]:
            self._runs = (key, {name: self.wire.runs(name, usb=self.usb, pack=self.pack) and name not in self.failed for name in self.parts.devices})
        return self._runs[1]

    def _ring(self, until: float) -> None:
        """Let the alarms ring that are due."""
        if not self.bells:
            return
        sensors = self.link.sensors
        rang = self.bells.run(
            until,
            sensors.numbers(),
            self._truth(),
            sensors.newest_t,
            transmitter_on=self.transmitter.on,
            board_on=self._beeps(until),
        )
        for each in rang:
            how = " and ".join(each.told)
            after = "" if each.after_s is None else f", {each.after_s:.1f} s after it was so"
            self.board.events.add(until, "seen beside it", f"alarm: {each.alarm.notice}, {how}{after}")

    def _beeps(self, until: float) -> bool:
        """Whether the board runs, and drives a beeper that has its supply."""
        beeper = wired_beeper(self.document, self.parts)
        awake = self.board.powered and not self.board.booting(until)
        return awake and beeper is not None and self.wire.runs(beeper, usb=self.usb, pack=self.pack)

    def _truth(self) -> dict[SensorName, float | str]:
        """What is so, in the units that telemetry has for it."""
        pack, rssi = self.pack_here, self.receiver.signal[0] if self.receiver.linked else NO_SIGNAL[0]
        telling = TELLINGS.get(self.path.asker.spec.name) if self.path.asker else None
        carried = telling.of("RSSI") if telling else None
        said: dict[SensorName, float | str] = {
            "voltage": self.volts(),
            "cell voltage": self.volts() / pack.cells,
            "charge left": 100 * self.left,
            "used": self.used_mah,
            "current": self._current_a(),
            "LQ": float(self.air.lq_percent),
            "RSSI": rssi if carried and carried.unit == "dBm" else rssi_percent(rssi),
            "height": self._up_m(),
            "position": self.link.distance_m,
        }
        if self.board.powered:
            said["flight mode"] = self.board.held.main
        return said

    def _on_the_way_home(self) -> Rival | None:
        """What another device puts on the wire of telemetry, where one does."""
        if not self.devices.wires or self.path.home is None:
            return None
        wire = self.devices.drives(self.path.home.pad, self._runs[1] if self._runs else {})
        return None if wire is None else (toggles_of([piece for piece in wire.pieces if piece[0] >= self.t], wire.uart), wire.uart.idle_level)

    def _board_says(self) -> Values:
        """All that the board could tell of itself and its craft; worked out once for a moment."""
        if not self.board.powered or self.board.booting(self.t):
            return {}
        if self._said is not None and self._said[0] == self.t:
            return self._said[1]
        up, (then, was) = self._up_m(), self._felt_up
        self._felt_up = (self.t, up)
        compass = any("magnetometer" in part.sensors for part in self.parts.devices.values())
        idea, power = self.idea(), self.board.running.power
        yaw = (idea.compass if compass else idea.heading) + 180
        fed = self._on_pack
        if not fed:
            self._counted_cells = None
        elif self._counted_cells is None:
            self._counted_cells = counted_cells(shown_v(power, self.read_v()))
        felt = Felt(
            fitted={*self.board_part.sensors, *(("magnetometer",) if compass else ())},
            volts=shown_v(power, self.read_v()) if fed else 0.0,
            current_a=shown_a(power, self.read_a()) if fed else 0.0,
            used_mah=shown_mah(power, self.read_mah, self.drawn_s / 3600),
            cells=power.cells or self._counted_cells,
            capacity_mah=power.capacity_mah,
            up_m=up,
            climb_mps=(up - was) / (self.t - then) if self.t > then else 0.0,
            attitude_deg=(round(idea.roll, 2), round(idea.pitch, 2), round(yaw % 360 - 180, 2)),
            mode=self.board.held.main,
        )
        self._said = (self.t, knows(felt, self.devices.heard, self.t))
        return self._said[1]

    def wire_edges(self, pin: str | None = None, seconds: float = EDGE_WINDOW_S) -> tuple[Edges, float]:
        """The last stretch of a wire of the receiver (by default the tapped one), times from its beginning: (edges, its length in s)."""
        wanted = pin or self.tap
        device = next((wire for wire in self.devices.wires.values() if wire.tap == wanted), None)
        if device is not None:
            begin = max(0.0, self.t - seconds)
            toggles = toggles_of([piece for piece in device.pieces if begin <= piece[0] < self.t - 0.02], device.uart)
            return Edges(device.uart.idle_level, toggles - begin), self.t - begin
        line = self.path.lines.get(wanted)
        return line.last(self.t, seconds) if line else (Edges(0, NO_TIMES), seconds)

    # --- proofs -------------------------------------------------------------------------------------------------

    def _prove(self) -> None:
        """Record each proof once, as soon as the signal has given it; the loom's is made where its wires are ticked."""
        for key in wires_rung(self, self.observed.port_reading()):
            self.rung[key] = "signal"
            self.new_rings.append(key)
        for proof in newly_proven(self.whole, self.proofs, self.observed):
            self.proofs[proof.hop, proof.name] = proof
            self.new_proofs.append(proof)

    @property
    def whole(self) -> Whole:
        """All that is known of the craft, judged by what the board runs; the same object until something of it is another."""
        held = (tuple(self.loading.installed.values()), self.link.bound_to, tuple(self.rung.items()), tuple(self.handled.items()))
        known = self._whole
        if (
            known is None
            or known[1].document is not self.document
            or known[1].settings is not self.board.running
            or known[1].parts is not self.parts
            or known[0] != held
        ):
            made = Whole(self.document, self.board.running, self.parts, self.loading.installed, self.link.bound_to, dict(self.rung), dict(self.handled))
            known = self._whole = (held, made)
        return known[1]

    @property
    def draft(self) -> Whole:
        """The same, judged by what the draft would make of it."""
        known = self._draft
        if known is None or known[0] is not self.whole:
            whole = self.whole
            known = self._draft = (whole, Whole(self.document, self.document.settings, self.parts, whole.installed, whole.identity, whole.rung, whole.handled))
        return known[1]

    @property
    def stored(self) -> Whole:
        """The same, judged by what the board keeps and takes when it starts."""
        known, kept = self._stored, self.board.stored
        if known is None or known[0] is not self.whole or known[1].settings is not kept:
            whole = self.whole
            known = self._stored = (whole, Whole(self.document, kept, self.parts, whole.installed, whole.identity, whole.rung, whole.handled))
        return known[1]

    def _foundations(self) -> Foundations:
        """What each measurement would be made with now."""
        if self._made_with is None or self._made_with[0] is not self.whole:
            self._made_with = (self.whole, {name: reads.foundation(self.whole) for name, reads in MADE_WITH.items()})
        return self._made_with[1]

    def take_pace(self, pace: float) -> None:
        """How fast its time passes beside the pilot's: under LATE_PACE what has a time limit for hands does not count."""
        self.link.run_late(late=pace < LATE_PACE)

    # --- what comes out -----------------------------------------------------------------------------------------

    def live(self, pace: float = 1.0) -> Live:
        """The snapshot of this moment; `pace`: bench time as a share of real time of late."""
        reading, board = self.traffic.reading(self.board), self.board
        gimbals = self.transmitter.gimbals
        return made_of(  # all of it is the bench's own: nothing has to be checked
            Live,
            type="live",
            t=round(self.t, 3),
            left=made_of(Stick, **gimbals["left"]),
            right=made_of(Stick, **gimbals["right"]),
            switches=dict(self.transmitter.switches),
            transmitter_on=self.transmitter.on,
            usb=self.usb,
            pack=self.pack,
            failed=sorted(self.failed),
            linked=self.receiver.linked,
            receiver_plugged=self.link.plugged,
            bind_button=self.link.bind_button,
            transmitter_mode=self.transmitter.end.mode,
            distance_m=self.link.distance_m,
            tilt_deg=self.held.tilt_deg,
            towards_deg=self.held.towards_deg,
            turn_deg=self.held.turn_deg,
            unsteady=self.held.unsteady,
            gps_fix=self.gps_fix if "GPS" in self.parts.sensors else None,
            home=self.home if "GPS" in self.parts.sensors else None,
            moving=self.measuring.finder.moving,
            jobs=self.loading.states(),
            loss_percent=self.air.loss_percent,
            lq_percent=self.air.lq_percent,
            light=self.receiver.light,
            light_means=STATE_WORDS[state][0] if (state := self.receiver.state) else "No supply.",
            edges_per_s=self.traffic.edges_sent,
            marks=self.traffic.marks,
            turn=self.turning.live(),
            pace=pace,
            board=made_of(
                BoardLive,
                powered=board.powered,
                booting=board.powered and board.booting(self.t),
                link=board.link,
                channels=[round(us, 1) for us in board.channels],
                axes={axis: None if us is None else round(us, 1) for axis, us in board.axes().items()},
                armed=board.armed,
                mode=board.mode,
                motors_percent=round(board.motors_percent, 1),
                blockers=board.blockers(self.t),
                commands=board.commands(),
                surfaces=board.surfaces(),
                rssi_percent=None if board.rssi_percent is None else round(board.rssi_percent),
                port=board.port,
                bytes_per_s=reading.bytes,
                good_per_s=reading.good,
                bad_per_s=reading.bad,
                errors_per_s=reading.errors,
            ),
        )
