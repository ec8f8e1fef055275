"""The signal's path on the bench: the receiver's words become levels, the levels cross the wires, the board's pads hear them and may answer."""

from __future__ import annotations

import random
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import Values
from linkcore.parts.models import Output
from linkcore.protocols.base import Frame, LineReader, PollFrame, ProtocolSpec, SerialReader, TelemetryFrame
from linkcore.signal.edges import NO_TIMES, Edges, Times
from linkcore.signal.uart import ReceivedBytes, UartSettings, toggles_of
from linkcore.standins.board import Mouth, StandInBoard
from linkcore.standins.radio import Said
from linkcore.standins.telemetry import Asker, Teller
from linkcore.standins.voice import SerialVoice, voice_of
from linkcore.standins.wires import Chatter, Lead, WireTruth, both_drive

Rival = tuple[Times, int]  # another device's toggles on a wire, and the level that its output rests at
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
        self.asker = Asker(telemetry) if telemetry else None
        self.home = self.wire.telemetry
        self.polls_heard = 0  # questions that the board has read since its wire or its settings became others
        self._home_level = self.asker.spec.uart.idle_level if self.asker else 1
        if self.asker and self.home:
            self.lines.setdefault(self.home.pin, TapLine(self._home_level))
        self._lasting: Times = NO_TIMES  # toggles on the wire of telemetry that come later than what was looked at so far
        self._spoken: tuple[Mouth, Teller, LineReader] | None = None
        self._receiver_ear: LineReader | None = None

    def reaches(self, lead: Lead) -> bool:
        """Whether a lead ends on a pad of the board, with a common ground."""
        return lead.pad is not None and self.wire.grounded

    def heard_by(self, board: StandInBoard) -> bool:
        """Whether any pad that the board listens on hears the receiver."""
        return any(self.reaches(lead) and lead.pad_name in board.edges_matter_on for lead in self.wire.leads)

    def cross(
        self,
        words: list[Said],
        since: float,
        until: float,
        board: StandInBoard,
        rival_drives: bool,
        says: Callable[[], Values],
        *,
        receiver_on: bool,
        rival: Rival | None = None,
    ) -> tuple[Crossed, list[TelemetryFrame]]:
        """Let what the receiver says cross the wires: (what the board's port made of it, what the receiver heard from the board).

        `says`: what the board could tell, asked for only where it tells something. `rival`: another device on the wire that telemetry has for itself.
        """
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
        if self.asker and self.home is None and self.asker.spec is self.spec and self.spec.half_duplex:
            on_leads[0], home = self._answer_in_turn(on_leads[0], frames, until, board, says, awake=awake, receiver_on=receiver_on)
        elif self.asker and self.home is not None:
            if rival is not None:
                home = self._drowned(self.asker, self.home, until, rival, receiver_on=receiver_on)
            else:
                home = self._on_its_own_wire(self.asker, self.home, since, until, board, says, awake=awake, receiver_on=receiver_on)
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
        self, toggles: Times, frames: list[Frame], until: float, board: StandInBoard, says: Callable[[], Values], *, awake: bool, receiver_on: bool
    ) -> tuple[Times, list[TelemetryFrame]]:
        """Channels and telemetry share one wire: the board answers when it is asked, and switches its own ear off meanwhile."""
        assert self.asker is not None
        lead = self.wire.leads[0]
        one_way = lead.inverter  # an external inverter passes one way only
        mouth = board.mouth(lead.pad) if lead.pad is not None and awake and self.wire.grounded and not one_way and not self.chatter else None
        if mouth is None or board.uart is None or not mouth.turns:
            self._spoken = None
            answers = NO_TIMES
        else:
            teller = self._teller(mouth, self.voice.idle)[0]
            self.polls_heard += sum(isinstance(frame, PollFrame) for frame in frames)
            answers = toggles_of(teller.answers(frames, says()), board.uart) if teller.due(frames, until) else NO_TIMES
        line = self._passes(np.concatenate((toggles, answers)), until)
        return line, self._hear(self.asker, line, until) if receiver_on else []

    def _on_its_own_wire(
        self, asker: Asker, lead: Lead, since: float, until: float, board: StandInBoard, says: Callable[[], Values], *, awake: bool, receiver_on: bool
    ) -> list[TelemetryFrame]:
        """Telemetry has a wire of its own: the board sends by itself, or answers there, in whatever way it is set to speak."""
        asked = toggles_of(asker.asks(since, until), asker.spec.uart) if receiver_on else NO_TIMES
        answers, level = NO_TIMES, asker.spec.uart.idle_level
        mouth = board.mouth(lead.pad) if awake and lead.pad is not None and self.wire.grounded else None
        if mouth is None:
            self._spoken = None
        elif asker.spec.half_duplex:  # the receiver holds the line at its rest; a board that would talk over it is not asked, or does not understand
            teller, ear = self._teller(mouth, level ^ int(lead.inverter))
            if mouth.turns and not lead.inverter:
                _, frames = ear.feed(asked, until)
                self.polls_heard += sum(isinstance(frame, PollFrame) for frame in frames)
                answers = toggles_of(teller.answers(frames, says()), mouth.uart) if teller.due(frames, until) else NO_TIMES
            if not mouth.spec.half_duplex:
                answers = self._unasked(teller, mouth, since, until, says)
        else:
            teller, _ = self._teller(mouth, level)
            answers = self._unasked(teller, mouth, since, until, says)
            level = mouth.uart.idle_level ^ int(lead.inverter)
        self._rest_at(lead, level)
        line = self._passes(np.concatenate((asked, answers)) if len(answers) else asked, until)
        self.lines[lead.pin].put(line, until)
        return self._hear(asker, line, until) if receiver_on else []

    def _passes(self, said: Times, until: float) -> Times:
        """What passes on the wire of telemetry before `until`, whoever says it, in its order; what lasts longer comes with the next stretch."""
        if not len(self._lasting) and not len(said):
            return said
        line = np.sort(np.concatenate((self._lasting, said)))
        passed = int(line.searchsorted(until))
        self._lasting = line[passed:]
        return line[:passed]

    @staticmethod
    def _unasked(teller: Teller, mouth: Mouth, since: float, until: float, says: Callable[[], Values]) -> Times:
        """What the board says by itself in this stretch."""
        return toggles_of(teller.unasked(since, until, says()), mouth.uart) if not teller.telling.polled and teller.due([], until) else NO_TIMES

    def _drowned(self, asker: Asker, lead: Lead, until: float, rival: Rival, *, receiver_on: bool) -> list[TelemetryFrame]:
        """Another device's output holds the wire of telemetry: whoever would speak there by turns is not heard."""
        toggles, level = rival
        self._spoken = None
        self._rest_at(lead, level ^ int(lead.inverter))
        toggles = self._passes(toggles, until)
        self.lines[lead.pin].put(toggles, until)
        return self._hear(asker, toggles, until) if receiver_on else []

    def _teller(self, mouth: Mouth, level: int) -> tuple[Teller, LineReader]:
        """Who speaks so, and its ear on the same pad, where the line rests at `level`; anew where it speaks otherwise."""
        if self._spoken is None or self._spoken[0] != mouth:
            self._spoken = (mouth, Teller(mouth.spec, mouth.off), SerialReader(mouth.uart, mouth.spec.decoder(), level))
            self.polls_heard = 0
        return self._spoken[1], self._spoken[2]

    def _rest_at(self, lead: Lead, level: int) -> None:
        """The wire of telemetry rests at another level than before: whoever listens begins anew."""
        if level != self._home_level:
            self._home_level, self._receiver_ear, self._lasting = level, None, NO_TIMES
            self.lines[lead.pin] = TapLine(level)

    def _hear(self, asker: Asker, line: Times, until: float) -> list[TelemetryFrame]:
        """What the receiver reads on the wire on which telemetry comes home."""
        if self._receiver_ear is None:
            uart, level = asker.spec.uart, self._home_level
            if asker.spec is self.spec and self.uart is not None:
                uart = self.uart
                level = level if self.home is not None else uart.idle_level
            self._receiver_ear = SerialReader(uart, asker.spec.decoder(), level)
        return asker.heard(self._receiver_ear.feed(line, until)[1])
