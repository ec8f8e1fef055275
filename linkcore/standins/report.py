"""What is worked out from a bench's signal: coins, findings, the wire beside the port, the truth table, the lost link."""

from __future__ import annotations

from collections import deque
from dataclasses import replace

import numpy as np

from linkcore.chain import Coin, HopState, coin, draft_against_board, kit_value, loom_value, measured_findings, settled_findings
from linkcore.craft.document import BoardSettings, CraftDocument, differences, section_hashes
from linkcore.craft.parts import KitParts
from linkcore.findings import HOPS, Finding, Hop, Mend
from linkcore.images.devices import Installed, Role
from linkcore.line.compare import Reading, set_so, what_would_read
from linkcore.line.identify import Identified, identify_edges
from linkcore.line.rules import PortReading, check_line
from linkcore.lostlink.timeline import judge, predict
from linkcore.modes.truth import TruthTable
from linkcore.parts.axes import AXES
from linkcore.ports.receiver import moves_for_receiver, worked_out
from linkcore.protocols.base import PulseSpec, SerialSpec
from linkcore.protocols.registry import PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import WRONG, ReceivedBytes, UartSettings, read_all
from linkcore.standins.bench import Bench
from linkcore.standins.bind_view import SEEN_IN_BIND, bind_findings, bind_report
from linkcore.standins.board import PULSE_INPUTS
from linkcore.standins.hands_view import HandsView
from linkcore.standins.messages import DownlinkValue, InputWorkedOut, LineReading, LineReport, LogLine, ReadByte, Report, TapWire, Wave

WAVE_BYTES = 5
PULSE_REST_S = 0.0026
NAME_EVERY_S = 0.8


class Reporter:
    """Makes reports of one bench. Naming what is on the wire is the dear part, so it is kept for a while."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._hands = HandsView(bench)
        self._told_table: TruthTable | None = None
        self._settled: deque[tuple[CraftDocument, KitParts, BoardSettings, dict[Role, Installed], list[Finding]]] = deque(maxlen=2)
        self._named_at = -1.0
        self._named_tap = ""
        self._named: tuple[Identified, list[Reading], Wave | None] = (Identified(None, 0.0), [], None)

    def report(self, draft_version: int, *, whole: bool = True) -> Report:
        """Everything that is known now; the truth table, unless the `whole` is wanted, only where it has changed."""
        bench = self.bench
        running = bench.board.running
        reading = bench.port_reading()
        identified, would_read, wave = self._name_wire(reading)
        prediction = predict(bench.document, running, bench.receiver_part)
        proven, verdict = judge(bench.loss, prediction) if bench.loss else (False, "Arm the craft, props off, then switch the transmitter off.")
        table = self._hands.table()
        findings = self._findings(reading, would_read)
        told = Report(
            t=round(bench.t, 2),
            draft_version=draft_version,
            chain=self._chain(findings, reading, table),
            findings=self._beside_the_draft(findings),
            differences=differences(bench.document.settings, bench.read_back_settings) if bench.read_back_settings else [],
            on_board=bench.read_back_settings,
            restart_due=bench.board.restart_due,
            load=bench.loading.report(),
            bind=bind_report(bench),
            line=self._line(reading, identified, would_read, wave),
            sticks=bench.sticks,
            stick_verdicts={axis: bench.sticks.verdict(axis, running)[1] for axis in AXES},
            sticks_proven={axis: bench.sticks.verdict(axis, running)[0] for axis in AXES},
            stick_work=self._hands.sticks(),
            switches=self._hands.switches(),
            switchboard=self._hands.switchboard(),
            table=table if whole or table is not self._told_table else None,
            prediction=prediction,
            loss=bench.loss,
            loss_proven=proven,
            loss_verdict=verdict,
            rung=bench.rung,
            log=[LogLine(t=round(t, 3), text=text) for t, text in list(bench.board.events)[-40:]],
        )

        # --- the wire -----------------------------------------------------------------------------------------------
        self._told_table = table
        return told

    def _name_wire(self, reading: PortReading) -> tuple[Identified, list[Reading], Wave | None]:
        bench = self.bench
        if bench.t - self._named_at >= NAME_EVERY_S or bench.t < self._named_at or bench.tap != self._named_tap:
            self._named_at, self._named_tap = bench.t, bench.tap
            edges, length = bench.wire_edges()
            identified = identify_edges(edges, length)
            port_fails = reading.port is not None and not reading.reads
            self._named = (identified, self._ways() if port_fails else [], self._wave(edges, identified))
        return self._named

    def _ways(self) -> list[Reading]:
        """What would read the wire where it ends at the board, and what the board can do of it there."""
        bench = self.bench
        lead = bench.wire.leads[0]
        edges, length = bench.wire_edges(lead.pin)
        if not len(edges.times):
            return []
        at_pad = Edges(edges.level ^ int(lead.inverter), edges.times)
        return what_would_read(at_pad, length, bench.board.running.receiver_input, bench.board_part, lead.pad)

    def _wave(self, edges: Edges, identified: Identified) -> Wave | None:
        """The first bytes after a rest, as sent and as the port reads the very same levels; or the first pulses."""
        spec = PROTOCOLS.get(identified.protocol or "")
        if len(edges.times) >= 8 and isinstance(spec, PulseSpec):
            return self._pulse_wave(edges, bool(identified.inverted))
        if isinstance(spec, SerialSpec) and identified.baud and identified.inverted is not None:
            uart = replace(spec.uart.with_inversion(identified.inverted), baud=identified.baud)
        else:
            sent = self.bench.path.uart
            if sent is None:
                return None
            uart = sent
        times = edges.times
        if len(times) < 4:
            return None
        rests = np.flatnonzero(np.diff(times) > 3 * uart.byte_s)
        if len(rests) == 0:
            return None
        start = int(rests[0]) + 1
        lead = 2 * uart.bit_s
        begin = float(times[start]) - lead
        span = lead + WAVE_BYTES * uart.byte_s + uart.bit_s
        shown = edges.between(begin, begin + span + 3 * uart.byte_s)
        local = Edges(shown.level, shown.times - begin)
        on_port = self.bench.board.uart if self.bench.tap == self.bench.wire.pin else None
        turned = Edges(local.level ^ int(self.bench.wire.leads[0].inverter), local.times)
        return Wave(
            level=local.level,
            span_us=round(span * 1e6, 2),
            bit_us=uart.bit_s * 1e6,
            toggles_us=[round(float(t) * 1e6, 2) for t in local.times if t < span],
            as_sent=self._bytes(local, uart, span),
            as_read=self._bytes(turned, on_port, span) if on_port else [],
            byte_us=uart.byte_s * 1e6,
        )

    @staticmethod
    def _pulse_wave(edges: Edges, inverted: bool) -> Wave:
        """One frame of pulses after the longest rest."""
        times = edges.times
        start = int(np.diff(times).argmax()) + 1
        if len(times) - start < 2:
            start = 0
        begin = float(times[start]) - 0.001
        later = np.flatnonzero(np.diff(times[start:]) > PULSE_REST_S)
        end = float(times[start + int(later[0])]) if len(later) else float(times[-1])
        local = edges.between(begin, end + 0.001)
        at = (local.times - begin) * 1e6
        active = at[(1 if local.level ^ int(inverted) else 0) :]
        pairs = active[: len(active) // 2 * 2].reshape(-1, 2)
        return Wave(
            level=local.level,
            span_us=round((end - begin + 0.001) * 1e6, 1),
            bit_us=0.0,
            toggles_us=[round(float(t), 1) for t in at],
            as_sent=[],
            as_read=[],
            byte_us=0.0,
            pulses=[(round(float(rise), 1), round(float(fall - rise), 1)) for rise, fall in pairs],
        )

    @staticmethod
    def _bytes(edges: Edges, settings: UartSettings, span: float) -> list[ReadByte]:
        received: ReceivedBytes = read_all(edges, settings, span + 3 * settings.byte_s)
        return [
            ReadByte(at_us=round(float(t) * 1e6, 2), value=int(value), wrong=WRONG[int(error)])
            for value, t, error in zip(received.data, received.times, received.errors, strict=True)
            if t < span - 0.6 * settings.byte_s
        ]

    def _wires(self) -> list[TapWire]:
        path = self.bench.path
        both = path.spec.half_duplex and path.exchange is not None
        wires = [TapWire(pin=lead.pin, pad=lead.pad_name, carries="both" if both else "channels") for lead in path.wire.leads]
        home = path.wire.telemetry
        if home is not None and home.pin in path.lines and all(wire.pin != home.pin for wire in wires):
            wires.append(TapWire(pin=home.pin, pad=home.pad_name, carries="telemetry"))
        return wires

    def _line(self, reading: PortReading, identified: Identified, would_read: list[Reading], wave: Wave | None) -> LineReport:
        bench = self.bench
        wires = self._wires()
        asked = worked_out(bench.document, bench.parts)
        return LineReport(
            wires=wires,
            tap=bench.tap,
            wire_pad=next((wire.pad for wire in wires if wire.pin == bench.tap), None),
            protocol=identified.protocol,
            what=identified.what,
            confidence=identified.confidence,
            idle=identified.idle,
            baud=identified.baud,
            measured_baud=identified.measured_baud,
            framing=identified.framing,
            inverted=identified.inverted,
            frames_per_s=identified.frames_per_s,
            good_share=identified.good_share,
            why=identified.why,
            port=reading.port,
            port_pad=reading.pad,
            port_says=bench.board.describes,
            port_good_share=reading.good_share,
            port_reads=reading.reads,
            set_to=bench.board.running.receiver_input,
            worked_out=InputWorkedOut(settings=asked.settings, because=list(asked.because)) if asked else None,
            would_read=[LineReading.of(way) for way in would_read],
            wave=wave,
            downlink=[DownlinkValue(sensor=each.sensor, values=each.values, t=round(each.t or bench.t, 2)) for each in bench.downlink.values()],
        )

    # --- findings and coins -------------------------------------------------------------------------------------

    def _rules(self, settings: BoardSettings) -> list[Finding]:
        bench = self.bench
        return [*self._settled_findings(settings), *measured_findings(bench.document, settings, bench.parts, bench.measured, bench.sticks)]

    def _settled_findings(self, settings: BoardSettings) -> list[Finding]:
        """Kept for the draft's settings and the board's, by the identity of what they read."""
        bench = self.bench
        installed = bench.loading.installed
        for document, parts, held, runs, found in self._settled:
            if document is bench.document and parts is bench.parts and held is settings and runs == installed:
                return found
        found = settled_findings(bench.document, settings, bench.parts, installed)
        self._settled.append((bench.document, bench.parts, settings, installed, found))
        return found

    def _findings(self, reading: PortReading, would_read: list[Reading]) -> list[Finding]:
        bench = self.bench
        found = self._rules(bench.board.running) + self._damage() + bind_findings(bench)
        if bench.board.powered and not bench.board.booting(bench.t) and bench.t - self.settled_since > 1.0:
            found += check_line(reading, would_read, bench.wire_alive, self._silent_because(), bench.rival_on_the_wire, self._mends)
        found = [each for each in found if each.code != "load.no-program" or not bench.loading.busy(each.where)]  # it is just being given one
        return sorted(found, key=lambda finding: (("stop", "warn", "note").index(finding.severity), HOPS.index(finding.hop)))

    def _mends(self, way: Reading) -> tuple[Mend, ...]:
        """What makes the port read so; what the draft has already waits to be written."""
        return set_so(way) if way.possible else tuple(moves_for_receiver(self.bench.document, self.bench.parts))

    @property
    def settled_since(self) -> float:
        """When the board last began to run: a second of signal is needed before its line can be judged."""
        return self.bench.board.boots_until

    def _damage(self) -> list[Finding]:
        """What the supply has done on this bench."""
        bench = self.bench
        found = [
            Finding(
                code="loom.failed",
                severity="stop",
                hop="loom",
                where=device,
                what=f"{device[0].upper()}{device[1:]} has failed on this bench.",
                why="Its supply was higher than it bears. It stays dead until it is replaced.",
                mends=(Mend(text="Mend its supply, then replace it on the bench"),),
            )
            for device in sorted(bench.failed)
        ]
        if bench.overload and bench.powered:
            why = f"{bench.overload[0].upper()}{bench.overload[1:]} is over its limit."
            mends = (Mend(text="Connect the pack, props off"),) if bench.usb and not bench.pack else ()
            found.append(
                Finding(code="loom.brown-out", severity="stop", hop="loom", where="supply", what="The board browns out and restarts.", why=why, mends=mends)
            )
        return found

    def _beside_the_draft(self, findings: list[Finding]) -> list[Finding]:
        bench = self.bench
        if bench.document.settings == bench.board.running:
            return findings
        seen = ("loom.failed", "loom.brown-out", *SEEN_IN_BIND)
        line = [finding for finding in findings if finding.hop in ("line", "load") or finding.code in seen]
        rest = [finding for finding in findings if finding not in line]
        drafted = [finding for finding in self._rules(bench.document.settings) if finding.hop != "load"]
        return draft_against_board(drafted, rest) + line

    def _silent_because(self) -> str | None:
        bench = self.bench
        if "receiver" in bench.failed:
            return "The receiver has failed: it stood on a supply that it does not bear. Mend the wire, then replace the receiver."
        if bench.overload:
            return f"The board browns out and restarts: {bench.overload} is over its limit."
        if not bench.receiver.powered:
            return "The receiver has no power: look at its supply and its ground in the Loom."
        if not bench.receiver.runs:
            return "The receiver runs no program: see Load."
        if bench.parts.shared_radio() is None:
            return "Transmitter and receiver do not understand each other: see the Kit."
        if bench.loading.outlook.verdict == "silent":
            return "The firmware on both ends does not fit: see Load."
        if not bench.receiver.end.listens or not bench.link.knows:
            return "The receiver is not bound to this transmitter, and an unbound one is silent: see Bind."
        if bench.transmitter.on and not bench.link.transmitting:
            return "The transmitter is not sending: it is in bind, or its module runs no program."
        if not bench.transmitter.on:
            return "The transmitter is off."
        return None

    def _chain(self, findings: list[Finding], reading: PortReading, table: TruthTable) -> list[HopState]:
        bench = self.bench
        hashes = section_hashes(bench.document, bench.board.running, bench.held)
        values = self._values(reading, table)
        good = bench.board.link in ("good", "grace")
        supplied = bench.board.powered
        silent = not bench.receiver.linked  # a receiver without a link says nothing of the wires
        wired = bench.receiver.powered and (reading.edges_at_pad > 0 or (silent and bench.path.heard_by(bench.board)))
        flows: dict[Hop, bool] = {
            "kit": supplied,
            "loom": wired,
            "port plan": wired,
            "load": bench.loading.outlook.verdict != "silent" and all(bench.loading.runs(role) for role in bench.loading.devices),
            "bind": bench.receiver.linked,
            "line": reading.good > 0,
            "sticks": good,
            "switchboard": good,
            "lost link": good,
        }
        states = []
        flowing = True
        for hop in HOPS:
            mark: tuple[Coin, str] = coin(hop, findings, bench.proofs.get(hop), hashes)
            flowing = flowing and flows[hop]
            states.append(HopState(hop=hop, coin=mark[0], why=mark[1], value=values[hop], flows=flowing))
        return states

    def _values(self, reading: PortReading, table: TruthTable) -> dict[Hop, str]:
        bench = self.bench
        board = bench.board
        proven = sum(bench.sticks.verdict(axis, board.running)[0] for axis in AXES)
        reaction = bench.loss.reaction_s if bench.loss else None
        return {
            "kit": kit_value(bench.document),
            "loom": loom_value(bench.document, bench.rung),
            "port plan": f"{reading.port} {'read' if reading.port == PULSE_INPUTS else 'gets'} rx" if reading.port else "no rx job",
            "load": "flashing" if bench.loading.running else bench.loading.outlook.verdict,
            "bind": {None: "no supply", "bootloader": "no program", "bind": "in bind"}.get(bench.receiver.state, bench.receiver.state or ""),
            "line": f"{reading.good} good/s" if reading.good or reading.bad or reading.bytes else "silent",
            "sticks": f"{proven} of 4 axes",
            "switchboard": f"{table.seen} of {len(table.rows)} rows" if table.rows else "no bands",
            "lost link": f"{reaction:.2f} s" if reaction is not None else {"good": "link good", "grace": "grace", "lost": "link lost"}.get(board.link, "–"),
        }
