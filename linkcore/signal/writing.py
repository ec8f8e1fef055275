"""Writing what was heard in the open formats that are read as well: value change dumps, tables and raw bytes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from linkcore.signal.edges import Edges

_PER_PIECE = 1 << 16
_STEP_S = 1e-9


def vcd(edges: Edges, end_s: float, name: str = "line") -> Iterator[bytes]:
    """A value change dump (IEEE 1364-2005, section 18) with one line and steps of 1 ns; times are seconds from its beginning."""
    word = "".join(letter if letter.isalnum() else "_" for letter in name) or "line"
    yield f"$version coin bell $end\n$timescale 1 ns $end\n$scope module tap $end\n$var wire 1 ! {word} $end\n$upscope $end\n$enddefinitions $end\n".encode()
    yield f"#0\n$dumpvars\n{edges.level}!\n$end\n".encode()
    steps = np.round(edges.times / _STEP_S).astype(np.int64)
    level = edges.level
    for begin in range(0, len(steps), _PER_PIECE):
        piece = steps[begin : begin + _PER_PIECE].tolist()
        lines = []
        for step in piece:
            level ^= 1
            lines.append(f"#{step}\n{level}!\n")
        yield "".join(lines).encode()
    yield f"#{max(round(end_s / _STEP_S), int(steps[-1]) if len(steps) else 0)}\n".encode()


def table(edges: Edges, end_s: float) -> Iterator[bytes]:
    """A table of time_s,level: the first level, one row a change, and the end."""
    yield f"time_s,level\n0.000000000,{edges.level}\n".encode()
    level = edges.level
    for begin in range(0, len(edges.times), _PER_PIECE):
        rows = []
        for time in edges.times[begin : begin + _PER_PIECE].tolist():
            level ^= 1
            rows.append(f"{time:.9f},{level}\n")
        yield "".join(rows).encode()
    last = float(edges.times[-1]) if len(edges.times) else 0.0
    yield f"{max(end_s, last):.9f},{level}\n".encode()
