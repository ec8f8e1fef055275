"""What is on a wire of the bench: named from its levels alone, drawn as a wave, and tried with what the board could read it by."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from linkcore.bench.seen import SeenBench
from linkcore.devices.port import PortReading
from linkcore.hops.line.compare import Reading, what_would_read
from linkcore.hops.line.identify import Identified, identify_edges
from linkcore.hops.line.view import Named, ReadByte, Wave
from linkcore.protocols.base import PulseSpec, SerialSpec
from linkcore.protocols.registry import PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import WRONG, ReceivedBytes, UartSettings, read_all

WAVE_BYTES = 5
PULSE_REST_S = 0.0026
NAME_EVERY_S = 0.8
LONGEST_PAUSE_S = 6.4  # a wire that stays as it is, is looked at less and less often
NAMED_EVERY_S = 20.0  # once it is named, and the port reads it as that, it is looked at more seldom
DRAWN_EVERY_S = 2.0


class _Now:
    """When to look again: at once where what the answer hangs on is another, else after a pause that grows while the answer stays the same."""

    def __init__(self) -> None:
        self._at: float | None = None
        self._rests_on: tuple[object, ...] = ()
        self._pause_s = NAME_EVERY_S

    def due(self, t: float, rests_on: tuple[object, ...], at_least_s: float = 0.0) -> bool:
        """Whether to look; then counts as looked at `t`."""
        before = self._rests_on
        changed = len(before) != len(rests_on) or not all(one is other or one == other for one, other in zip(before, rests_on, strict=True))
        if changed:
            self._rests_on, self._pause_s = rests_on, NAME_EVERY_S
        if changed or self._at is None or t < self._at or t - self._at >= max(self._pause_s, at_least_s):
            self._at = t
            return True
        return False

    def found(self, *, same: bool) -> None:
        """Whether the answer is what it was."""
        self._pause_s = min(2 * self._pause_s, LONGEST_PAUSE_S) if same else NAME_EVERY_S


class WireNames:
    """Naming what is on the wire is dear, so it is kept for a while."""

    def __init__(self, bench: SeenBench) -> None:
        self._bench = bench
        self._name_now, self._try_now = _Now(), _Now()
        self._drawn_at = 0.0
        self._tried: list[Reading] = []
        self._named = Named(Identified(None, 0.0), [], None)

    def named(self, reading: PortReading) -> Named:
        """What is on the tapped wire now, or was a moment ago."""
        bench = self._bench
        known = reading.reads and self._named.identified.protocol == bench.spec.name
        if self._name_now.due(bench.t, (*self._rests_on(reading), bench.tap), NAMED_EVERY_S if known else 0.0):
            edges, length = bench.wire_edges()
            identified = identify_edges(edges, length)
            self._name_now.found(same=identified.protocol == self._named.identified.protocol)
            self._drawn_at = bench.t
            self._named = Named(identified, self.would_read(reading), self._wave(edges, identified))
        elif not 0 <= bench.t - self._drawn_at < DRAWN_EVERY_S:
            self._drawn_at = bench.t
            self._named = replace(self._named, wave=self._wave(bench.wire_edges()[0], self._named.identified))
        return self._named

    def would_read(self, reading: PortReading) -> list[Reading]:
        """What would read the receiver's own wire where it ends; tried while the port does not read it, and now and then."""
        bench = self._bench
        if reading.port is None or reading.reads:
            self._try_now, self._tried = _Now(), []
        elif self._try_now.due(bench.t, self._rests_on(reading)):
            before, self._tried = self._tried, self._ways()
            self._try_now.found(same=self._tried == before)
        return self._tried

    def _rests_on(self, reading: PortReading) -> tuple[object, ...]:
        return self._bench.document, self._bench.board.running, reading.port, reading.reads, reading.edges_at_pad > 0

    def _ways(self) -> list[Reading]:
        """What would read the wire where it ends at the board, and what the board can do of it there."""
        bench = self._bench
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
            sent = self._bench.path.uart
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
        on_port = self._bench.board.uart if self._bench.tap == self._bench.wire.pin else None
        turned = Edges(local.level ^ int(self._bench.wire.leads[0].inverter), local.times)
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
