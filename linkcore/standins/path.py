"""The signal's path on the bench: the receiver's words become levels, the levels cross the wires, the board's pads hear them and may answer."""

from __future__ import annotations

import random
from collections import deque
from dataclasses import dataclass
from typing import Literal

import numpy as np

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.parts.models import Board, Output, Pad
from linkcore.protocols.base import Frame, LineReader, ProtocolSpec, SerialReader, TelemetryFrame
from linkcore.signal.edges import NO_TIMES, Edges, Times
from linkcore.signal.uart import ReceivedBytes, UartSettings
from linkcore.standins.board import StandInBoard
from linkcore.standins.radio import Said
from linkcore.standins.telemetry import BoardSays, Exchange, toggles_of, told
from linkcore.standins.voice import SerialVoice, voice_of
from linkcore.standins.wires import Chatter, Lead, WireTruth, both_drive

KEPT_S = 10.0  # how much of each wire a tap can look back on


class TapLine:
    """One wire, as a tap on it hears it: the last stretch of its levels."""

    def __init__(self, level: int) -> None:
        self.level = level
        self._pieces: deque[Times] = deque()

    def put(self, toggles: Times, now: float) -> None:
        """More toggles (s), later than all before; what is older than KEPT_S at `now` is forgotten."""
        if len(toggles):
            self._pieces.append(toggles)
            self.level ^= len(toggles) & 1
        while self._pieces and self._pieces[0][-1] < now - KEPT_S:
            self._pieces.popleft()

    def last(self, now: float, seconds: float) -> tuple[Edges, float]:
        """The last stretch up to `now`, times from its beginning: (edges, its length in s)."""
        if not self._pieces:
            return Edges(self.level, NO_TIMES), seconds
        recent: list[Times] = []
        for piece in reversed(self._pieces):
            recent.append(piece)
            if piece[0] < now - seconds:
                break
        times = np.concatenate(recent[::-1])
        begin = max(now - seconds, float(times[0]) - 0.005)
        before = int(np.searchsorted(times, begin))
        level = self.level ^ ((len(times) - before) & 1)
        return Edges(level, times[before:] - begin), now - begin


@dataclass(frozen=True)
class Crossed:
    """What one slice brought: what the board's port read, and how many edges were on the wires and at the port's pads."""

    received: ReceivedBytes
    frames: list[Frame]
    edges_sent: int
    edges_heard: int


class SignalPath:
    """The wires between one receiver and one board. `lines`: what a tap can listen to, by the receiver's pin."""

    def __init__(self, document: CraftDocument, parts: KitParts, spec: ProtocolSpec, output: Output, rng: random.Random) -> None:
        self.spec, self.output = spec, output
        self.voice = voice_of(spec, output)
        self._parts = parts
        self._rng = rng
        self.lines: dict[str, TapLine] = {}
        self.follow(document, parts)

    @property
    def uart(self) -> UartSettings | None:
        """How the receiver's bytes go out; None for pulses."""
        return self.voice.uart if isinstance(self.voice, SerialVoice) else None

    def follow(self, document: CraftDocument, parts: KitParts) -> None:
        """Read the netlist anew."""
        self.wire = WireTruth.of(document, parts, self.output)
        self.chatter = [(device, Chatter(serial, self._rng)) for device, serial in self.wire.rivals]
        self.lines = {lead.pin: TapLine(self.voice.idle) for lead in self.wire.leads}
        self._late: tuple[Times, Times] = (NO_TIMES, NO_TIMES)
        self._levels = [self.voice.idle, 1, 1]  # the receiver's, the rival's, the line's
        telemetry = parts.receiver.telemetry
        self.exchange = Exchange(telemetry.protocol) if telemetry else None
        self._home = self.wire.telemetry
        if self.exchange and self._home:
            self.lines.setdefault(self._home.pin, TapLine(self.exchange.spec.uart.idle_level))
        self._board_ear: tuple[Pad, LineReader] | None = None
        self._receiver_ear: LineReader | None = None

    def reaches(self, lead: Lead) -> bool:
        """Whether a lead ends on a pad of the board, with a common ground."""
        return lead.pad is not None and self.wire.grounded

    def heard_by(self, board: StandInBoard) -> bool:
        """Whether any pad that the board listens on hears the receiver."""
        return any(self.reaches(lead) and lead.pad_name in board.edges_matter_on for lead in self.wire.leads)

    def cross(
        self, words: list[Said], since: float, until: float, board: StandInBoard, rival_drives: bool, says: BoardSays, *, receiver_on: bool
    ) -> tuple[Crossed, list[TelemetryFrame]]:
        """Let what the receiver says cross the wires: (what the board's port made of it, what the receiver heard from the board)."""
        on_leads = self.voice.say(words)
        before = self.voice.idle
        if self.chatter:
            on_leads[0], before = self._quarrel(on_leads[0], since, until, rival_drives)
        pads: dict[str, tuple[Times, int]] = {}
        for index, (lead, toggles) in enumerate(zip(self.wire.leads, on_leads, strict=True)):
            if self.reaches(lead):
                level = before if index == 0 else self.voice.idle
                pads[str(lead.pad_name)] = (toggles, level ^ int(lead.inverter))
        received, frames = board.listen(pads, until)
        home: list[TelemetryFrame] = []
        awake = board.powered and not board.booting(until)
        if self.exchange and self._home is None and self.exchange.spec is self.spec and self.spec.half_duplex:
            on_leads[0], home = self._answer_in_turn(on_leads[0], frames, until, board, says, awake=awake, receiver_on=receiver_on)
        elif self.exchange and self._home is not None:
            home = self._on_its_own_wire(self._home, since, until, board, says, awake=awake, receiver_on=receiver_on)
        sent = heard = 0
        for lead, toggles in zip(self.wire.leads, on_leads, strict=True):
            self.lines[lead.pin].put(toggles, until)
            sent += len(toggles)
            if self.reaches(lead) and lead.pad_name in board.edges_matter_on:
                heard += len(toggles)
        return Crossed(received, frames, sent, heard), home

    def _quarrel(self, own: Times, since: float, until: float, rival_drives: bool) -> tuple[Times, int]:
        """Another device drives the same wire: what comes of both, and the level before it."""
        rival = self.chatter[0][1].toggles(since, until) if rival_drives else NO_TIMES
        own, rival = np.concatenate([self._late[0], own]), np.concatenate([self._late[1], rival])
        now = (own[own < until], rival[rival < until])
        self._late = (own[own >= until], rival[rival >= until])
        mine, other, before = self._levels
        toggles, line = both_drive(now[0], mine, now[1], other, before)
        self._levels = [mine ^ (len(now[0]) & 1), other ^ (len(now[1]) & 1), line]
        return toggles, before

    # --- telemetry --------------------------------------------------------------------------------------------------

    def _answer_in_turn(
        self, toggles: Times, frames: list[Frame], until: float, board: StandInBoard, says: BoardSays, *, awake: bool, receiver_on: bool
    ) -> tuple[Times, list[TelemetryFrame]]:
        """Channels and telemetry share one wire: the board answers when it is asked, and switches its own ear off meanwhile."""
        assert self.exchange is not None
        lead = self.wire.leads[0]
        one_way = lead.inverter  # an external inverter passes one way only
        can = awake and board.running.receiver_input.half_duplex and board.uart is not None and self.reaches(lead) and not one_way and not self.chatter
        answers = toggles_of(self.exchange.answers(frames, says), board.uart) if can and board.uart else NO_TIMES
        if not receiver_on:
            return toggles, []
        line = np.sort(np.concatenate((toggles, answers))) if len(answers) else toggles
        return line, self._hear(line, until)

    def _on_its_own_wire(
        self, lead: Lead, since: float, until: float, board: StandInBoard, says: BoardSays, *, awake: bool, receiver_on: bool
    ) -> list[TelemetryFrame]:
        """Telemetry has a wire of its own: the board sends by itself, or answers there."""
        exchange = self.exchange
        assert exchange is not None
        asked = toggles_of(exchange.master(since, until), exchange.spec.uart) if receiver_on else NO_TIMES
        pad, answers = lead.pad, NO_TIMES
        if awake and pad is not None and self.wire.grounded and pad.kind == "tx" and self._sends_there(board, pad):
            uart = exchange.spec.uart.with_inversion(self._board_inverts(board.part, pad) != lead.inverter)
            if exchange.spec.half_duplex:
                if self._board_ear is None or self._board_ear[0] is not pad:
                    self._board_ear = (pad, SerialReader(uart, exchange.spec.decoder(), exchange.spec.uart.idle_level))
                _, frames = self._board_ear[1].feed(asked, until)
                answers = toggles_of(exchange.answers(frames, says), uart) if not lead.inverter else NO_TIMES
            else:
                answers = toggles_of(exchange.unasked(since, until, says), uart)
        else:
            self._board_ear = None
        line = np.sort(np.concatenate((asked, answers))) if len(answers) else asked
        self.lines[lead.pin].put(line, until)
        return self._hear(line, until) if receiver_on else []

    def _sends_there(self, board: StandInBoard, pad: Pad) -> bool:
        """Whether the board's running jobs make it send telemetry on this pad."""
        if pad.port == board.port and self.exchange is not None and self.exchange.spec is self.spec:
            return board.spec is self.spec  # both ways on one port
        return board.running.ports.get(str(pad.port)) == "telemetry"

    def _board_inverts(self, board: Board, pad: Pad) -> bool:
        assert self.exchange is not None
        way: Literal["out", "both ways"] = "both ways" if self.exchange.spec.half_duplex else "out"
        return self.exchange.spec.uart.inverted and board.inverts(pad, way) != "no"

    def _hear(self, line: Times, until: float) -> list[TelemetryFrame]:
        """What the receiver reads on the wire on which telemetry comes home."""
        assert self.exchange is not None
        if self._receiver_ear is None:
            uart = self.exchange.spec.uart
            if self.exchange.spec is self.spec and self.uart is not None:
                uart = self.uart
            self._receiver_ear = SerialReader(uart, self.exchange.spec.decoder(), uart.idle_level)
        return told(self._receiver_ear.feed(line, until)[1])
