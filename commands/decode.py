"""`./bell decode` and `./bell identify`: what is in a capture, as JSON on standard output.

Exit status: 0 with at least one good frame (identify: whatever was found), 3 with none, 2 where the file cannot be read
as what it says it is.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TextIO

import numpy as np

from commands.captures import Source, identify
from linkcore.hops.line.identify import Identified, reader_of
from linkcore.protocols.base import BadFrame, ChannelFrame, Frame, LineReader, PollFrame, ProtocolSpec, PulseSpec, SerialSpec
from linkcore.protocols.registry import protocol
from linkcore.signal.recordings import RecordingError
from linkcore.signal.uart import FRAMING_ERROR, PARITY_ERROR, ReceivedBytes


def frame_line(frame: Frame) -> str:
    """A frame as one line of JSON. Protocols without a flag for it give false for failsafe and frame_lost."""
    t = "null" if frame.t is None else repr(round(frame.t, 9))
    if isinstance(frame, ChannelFrame):  # by far the most, so written out by hand: numbers need no escaping
        return (
            f'{{"t": {t}, "kind": "channels", "channels": [{", ".join(map(repr, frame.channels))}], "raw": [{", ".join(map(repr, frame.raw))}], '
            f'"failsafe": {"true" if frame.failsafe else "false"}, "frame_lost": {"true" if frame.frame_lost else "false"}{_numbers(frame)}}}'
        )
    if isinstance(frame, PollFrame):
        return f'{{"t": {t}, "kind": "poll", "asks": {json.dumps(frame.asks)}}}'
    if isinstance(frame, BadFrame):
        return f'{{"t": {t}, "kind": "bad", "why": {json.dumps(frame.why)}}}'
    return f'{{"t": {t}, "kind": "telemetry", "sensor": {json.dumps(frame.sensor)}, "values": {json.dumps(frame.values)}}}'


def _numbers(frame: ChannelFrame) -> str:
    """Which channels these are, where they are not 1, 2, 3 and so on."""
    return "" if frame.numbers is None else f', "numbers": [{", ".join(map(repr, frame.numbers))}]'


class Counts:
    """What the summary tells."""

    def __init__(self) -> None:
        self.frames = self.bad_frames = self.bytes = self.framing_errors = self.parity_errors = 0
        self.duration_s: float | None = None

    def add(self, received: ReceivedBytes) -> None:
        """Count the bytes of a piece."""
        self.bytes += len(received)
        self.framing_errors += int(np.count_nonzero(received.errors & FRAMING_ERROR))
        self.parity_errors += int(np.count_nonzero(received.errors & PARITY_ERROR))


def decode(source: Source, spec: ProtocolSpec, inverted: bool, counts: Counts, baud: int | None = None) -> Iterator[Frame]:
    """The frames of a capture, good and bad, in order; `counts` fills as they come."""
    if not source.timed:
        if not isinstance(spec, SerialSpec):
            raise RecordingError(f"{spec.name} is made of pulses; bytes without times hold none")
        decoder = spec.decoder()
        with source.path.open("rb") as stream:
            while piece := stream.read(1 << 16):
                counts.bytes += len(piece)
                yield from decoder.feed(piece)
        yield from decoder.finish()
        return
    reader: LineReader | None = None
    end = 0.0
    for recording, block in source.blocks():
        reader = reader or reader_of(spec, inverted, recording.level, baud)
        end = recording.end_s
        received, frames = reader.feed(block, float(block[-1]) if len(block) else end)
        counts.add(received)
        yield from frames
        notes = recording.notes
    assert reader is not None
    received, frames = reader.finish(end)
    counts.add(received)
    yield from frames
    counts.duration_s = end
    for note in notes:
        print(f"bell: {source.path.name}: {note}", file=sys.stderr)


def _line_json(spec: ProtocolSpec | None, found: Identified, source: Source) -> dict[str, object]:
    uart = spec.uart if source.timed and isinstance(spec, SerialSpec) else None
    inverted = found.inverted if spec and found.protocol == spec.name else None
    line: dict[str, object] = {
        "protocol": spec.name if spec else None,
        "baud": (found.baud if inverted is not None and found.baud else uart.baud) if uart else None,
        "data_bits": uart.data_bits if uart else None,
        "parity": uart.parity if uart else None,
        "stop_bits": uart.stop_bits if uart else None,
        "inverted": (inverted if inverted is not None else found.inverted) if uart else None,
    }
    if isinstance(spec, PulseSpec):
        line["polarity"] = "negative" if found.inverted else "positive"
    return {"line": line}


def run_decode(path: Path, protocol_name: str | None, line: str | None, out: TextIO, with_bad: bool = False) -> int:
    """Write the JSON Lines of a capture to `out`; return the exit status. RecordingError where it cannot be read."""
    source = Source(path, line)
    spec = protocol(protocol_name) if protocol_name else None
    found = identify(source)
    if spec is None and found.protocol:
        spec = protocol(found.protocol)
    counts = Counts()
    write = out.write
    encode = json.JSONEncoder(separators=(", ", ": "), check_circular=False).encode
    write(encode(_line_json(spec, found, source)) + "\n")
    if spec:
        inverted = found.inverted if found.inverted is not None else spec.inverted
        for frame in decode(source, spec, inverted, counts, found.baud if found.protocol == spec.name else None):
            if isinstance(frame, PollFrame):
                continue  # a question carries no value
            if isinstance(frame, BadFrame):
                counts.bad_frames += 1
                if not with_bad:
                    continue
            else:
                counts.frames += 1
            write(frame_line(frame) + "\n")
    elif source.timed:
        for recording, _ in source.blocks():
            counts.duration_s = recording.end_s
    write(encode({"summary": vars(counts)}) + "\n")
    return 0 if counts.frames else 3


def main(arguments: Sequence[str]) -> int:
    """The command line; `arguments` begin with decode or identify."""
    parser = argparse.ArgumentParser(prog="./bell")
    verbs = parser.add_subparsers(dest="verb", required=True)
    decoding = verbs.add_parser("decode", help="print the frames of a capture as JSON Lines")
    decoding.add_argument("--protocol", metavar="NAME", help="read as this protocol; by default it is identified")
    decoding.add_argument("--bad", action="store_true", help="print damaged frames too")
    naming = verbs.add_parser("identify", help="say what is on a captured line, as one JSON object")
    listing = verbs.add_parser("lines", help="list the lines of a capture, as a JSON list")
    listing.add_argument("file", type=Path)
    for verb in (decoding, naming):
        verb.add_argument("--line", metavar="NAME", help="which line of a file that holds several")
        verb.add_argument("file", type=Path)
    options = parser.parse_args(arguments)
    options.line = getattr(options, "line", None)
    try:
        if options.verb == "decode":
            return run_decode(options.file, options.protocol, options.line, sys.stdout, options.bad)
        source = Source(options.file, options.line)
        if options.verb == "lines":
            print(json.dumps(source.lines()))
            return 0
        found = identify(source)
        print(json.dumps(asdict(found) | {"line": source.line}))
        return 0
    except (RecordingError, ValueError) as error:
        print(f"bell: {options.file.name}: {error}", file=sys.stderr)
    except BrokenPipeError:
        raise
    except OSError as error:
        print(f"bell: {options.file}: {error.strerror}", file=sys.stderr)
    return 2


if __name__ == "__main__":
    try:
        status = main(sys.argv[1:])
        sys.stdout.flush()
    except BrokenPipeError:  # the reader has had enough
        sys.stderr.close()
        status = 0
    sys.exit(status)
