"""Read a capture whole and keep what is needed to look at any part of it fast: edges, bytes and frames as flat arrays.

Prints JSON lines: how far it is, and at the end what was found. Exit status 2 with one line on standard error where the file cannot be read.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import asdict
from pathlib import Path
from typing import IO, Any

import numpy as np

from commands.captures import Source, identify
from commands.decode import Counts, frame_line
from linkcore.hops.line.identify import reader_of
from linkcore.hops.line.inspect import letter
from linkcore.protocols.base import BadFrame, Frame, PollFrame, SerialSpec
from linkcore.protocols.registry import protocol
from linkcore.signal.recordings import RecordingError
from linkcore.signal.uart import ReceivedBytes

SAY_EVERY_S = 0.1
UNTIMED = -1.0


class Shelf:
    """The flat files of one reading."""

    def __init__(self, folder: Path, stack: ExitStack) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._files: dict[str, IO[bytes]] = {
            name: stack.enter_context((folder / name).open("wb"))
            for name in ("edges.f64", "data.u8", "times.f64", "errors.u8", "frame_times.f64", "frame_kinds.u8", "frame_places.i64", "frames.jsonl")
        }
        self._written = 0

    def edges(self, block: Any) -> None:
        """More toggles, s."""
        self._files["edges.f64"].write(np.ascontiguousarray(block, dtype=np.float64).tobytes())

    def bytes(self, received: ReceivedBytes) -> None:
        """More bytes as a port has read them."""
        self._files["data.u8"].write(received.data.tobytes())
        self._files["times.f64"].write(received.times.tobytes())
        self._files["errors.u8"].write(received.errors.tobytes())

    def frames(self, frames: Sequence[Frame]) -> None:
        """More frames."""
        lines = [(frame_line(frame) + "\n").encode() for frame in frames]
        places = []
        for line in lines:
            places.append(self._written)
            self._written += len(line)
        self._files["frames.jsonl"].write(b"".join(lines))
        self._files["frame_places.i64"].write(np.array(places, dtype=np.int64).tobytes())
        self._files["frame_times.f64"].write(np.array([UNTIMED if frame.t is None else frame.t for frame in frames], dtype=np.float64).tobytes())
        self._files["frame_kinds.u8"].write("".join(letter(frame) for frame in frames).encode())


def _say(**what: object) -> None:
    print(json.dumps(what), flush=True)


def read(source: Source, folder: Path, protocol_name: str | None) -> dict[str, Any]:
    """Read the capture and fill the folder; return what was found. RecordingError where it cannot be read."""
    _say(progress=0.0, says="naming what is on the line")
    found = identify(source)
    name = protocol_name or found.protocol
    spec = protocol(name) if name else None
    named = spec is not None and found.protocol == spec.name
    inverted = bool(found.inverted) if found.inverted is not None else bool(spec and spec.inverted)
    counts = Counts()
    tally = dict.fromkeys("glfbtp", 0)
    with ExitStack() as stack:
        shelf = Shelf(folder, stack)

        def keep(frames: list[Frame]) -> None:
            shelf.frames(frames)
            for frame in frames:
                tally[letter(frame)] += 1
                counts.bad_frames += isinstance(frame, BadFrame)
                counts.frames += not isinstance(frame, (BadFrame, PollFrame))

        baud = found.baud if named else None
        level, notes = _read_line(source, shelf, spec, inverted, baud, counts, keep) if source.timed else _read_bytes(source, shelf, spec, counts, keep)
    uart = spec.uart if isinstance(spec, SerialSpec) else None
    meta = {
        "timed": source.timed,
        "line": source.line,
        "protocol": spec.name if spec else None,
        "inverted": inverted,
        "level": level,
        "baud": (found.baud if named and found.baud else uart.baud) if uart else None,
        "framing": spec.framing if spec else found.framing,
        "found": asdict(found),
        "summary": vars(counts),
        "lines": source.lines(),
        "notes": notes,
        "kinds": tally,
    }
    (folder / "meta.json").write_text(json.dumps(meta))
    return meta


def _read_line(source: Source, shelf: Shelf, spec: Any, inverted: bool, baud: int | None, counts: Counts, keep: Any) -> tuple[int, list[str]]:
    reader = None
    end, said_at = 0.0, time.monotonic()
    for recording, block in source.blocks():
        end = recording.end_s
        if reader is None and spec is not None:
            reader = reader_of(spec, inverted, recording.level, baud)
        shelf.edges(block)
        if reader is not None:
            received, frames = reader.feed(block, float(block[-1]) if len(block) else end)
            counts.add(received)
            shelf.bytes(received)
            keep(frames)
        if time.monotonic() - said_at > SAY_EVERY_S:
            said_at = time.monotonic()
            _say(progress=round(source.progress, 4), says=f"read {end:.1f} s of signal")
        level, notes = recording.level, recording.notes
    if reader is not None:
        received, frames = reader.finish(end)
        counts.add(received)
        shelf.bytes(received)
        keep(frames)
    counts.duration_s = end
    return level, list(notes)


def _read_bytes(source: Source, shelf: Shelf, spec: Any, counts: Counts, keep: Any) -> tuple[int, list[str]]:
    """Bytes without times: each byte's place among them stands for its time, so that a frame's bytes can be found again."""
    decoder = spec.decoder() if isinstance(spec, SerialSpec) else None
    if decoder:
        decoder.count_places()
    with source.path.open("rb") as stream:
        while piece := stream.read(1 << 16):
            values = np.frombuffer(piece, dtype=np.uint8)
            places = np.arange(counts.bytes, counts.bytes + len(values), dtype=np.float64)
            counts.bytes += len(piece)
            shelf.bytes(ReceivedBytes(values, places, np.zeros(len(values), np.uint8)))
            if decoder:
                keep(decoder.feed(piece, places.tolist()))
    if decoder:
        keep(decoder.finish())
    return 1, []


def main(arguments: Sequence[str]) -> int:
    """The command line."""
    parser = argparse.ArgumentParser(prog="reading")
    parser.add_argument("file", type=Path)
    parser.add_argument("--into", type=Path, required=True)
    parser.add_argument("--line")
    parser.add_argument("--protocol")
    options = parser.parse_args(arguments)
    try:
        meta = read(Source(options.file, options.line or None), options.into, options.protocol or None)
    except (RecordingError, ValueError) as error:
        print(f"bell: {options.file.name}: {error}", file=sys.stderr)
        return 2
    _say(done=meta)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
