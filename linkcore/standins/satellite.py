"""A satellite's lead, and the bind pulses that the board sends on it."""

from __future__ import annotations

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.devices.bind_count import SPEECH, speech_after
from linkcore.parts.models import Board, Output, Receiver
from linkcore.protocols.dsm import DsmEncoder
from linkcore.standins.board import StandInBoard
from linkcore.standins.path import SignalPath
from linkcore.standins.radio import StandInReceiver
from linkcore.standins.voice import SerialVoice


def bind_pad(document: CraftDocument, board: Board, receiver: Receiver, output: Output) -> str | None:
    """Where the board sends bind pulses, where that is another pad than the satellite's own."""
    pads = board.bind_pads
    away = pads and document.pad_of(output.pins[0]) not in pads and "count" in receiver.binding.ways
    return pads[0] if away else None


def plugged_into(document: CraftDocument, output: Output, pad: str) -> CraftDocument:
    """The craft with the satellite's lead on another pad."""
    wiring = [patch.model_copy(update={"pad": pad}) if (patch.device, patch.pin) == (RECEIVER, output.pins[0]) else patch for patch in document.wiring]
    return document.model_copy(update={"wiring": wiring})


def pulses_sent(board: StandInBoard, path: SignalPath) -> int:
    """How many bind pulses reach the satellite as the board starts: on a bind pad, or on the pad that listens to it. Every count that asks for something wakes it."""
    pad, pads = path.wire.pad_name, board.part.bind_pads
    goes_out = pad in pads if pads else pad in board.edges_matter_on
    count = board.stored.bind_count
    return count if goes_out and path.wire.grounded and board.runs and count in SPEECH else 0


def speak_as_bound(path: SignalPath, receiver: StandInReceiver) -> None:
    """Let a satellite speak as the count asked by which it was bound."""
    speech = speech_after(receiver.end.bind_count, [output.protocol for output in receiver.part.outputs])
    if speech != receiver.speech and isinstance(path.voice, SerialVoice):
        receiver.speech = speech
        encoder = DsmEncoder(speech.system, path.output.channels, internal=speech.internal) if speech else None
        path.voice.speak(encoder)
