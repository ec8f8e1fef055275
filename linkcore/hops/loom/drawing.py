"""The wiring drawing as SVG, and the wire list as CSV. One layout serves screen and paper (printed.py)."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from xml.sax.saxutils import escape, quoteattr

from linkcore.hops.loom.layout import Box, Picture, Spot
from linkcore.wiring.netlist import Wire

INK, SOFT, PAPER, LINE = "#1F2A2E", "#5A6668", "#FFFDF8", "#8A7F6A"
FONT = "'Figtree Variable', Figtree, 'DejaVu Sans', sans-serif"
MONO = "'IBM Plex Mono', 'DejaVu Sans Mono', monospace"


def svg(picture: Picture, title: str) -> str:
    """The drawing as a document of its own; each wire is a group that names its key in `data-wire`."""
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {picture.width:g} {picture.height:g}" width="{picture.width:g}" height="{picture.height:g}"'
        f' role="img" aria-label={quoteattr(title)} font-family="{FONT}">',
        f"<title>{escape(title)}</title>",
    ]
    parts += [_box(box) for box in picture.boxes]
    for run in picture.runs:
        points = " ".join(f"{x:g},{y:g}" for x, y in run.points)
        name = f"{run.device} {run.pin} to {run.pad}, {run.colour}, {run.purpose}"
        mark = ""
        if run.inverter:
            x, y = run.points[1]
            mark = f'<circle cx="{x:g}" cy="{y:g}" r="7" fill="{PAPER}" stroke="{INK}"/><text x="{x:g}" y="{y + 3.5:g}" font-size="9" text-anchor="middle" fill="{INK}">inv</text>'
        parts.append(
            f'<g class="wire" data-wire={quoteattr(run.key)}><title>{escape(name)}</title>'
            f'<polyline points="{points}" fill="none" stroke="{INK}" stroke-width="4" stroke-linejoin="round"/>'
            f'<polyline points="{points}" fill="none" stroke="{run.ink}" stroke-width="2.6" stroke-linejoin="round"/>{mark}</g>'
        )
    parts += [f'<circle cx="{x:g}" cy="{y:g}" r="4.2" fill="{INK}"/>' for x, y in picture.dots]
    parts += [_spot(spot) for spot in (*picture.pins, *picture.pads)]
    parts.append("</svg>")
    return "\n".join(parts)


def _box(box: Box) -> str:
    board = box.kind == "board"
    middle = box.x + box.w / 2
    radius, weight = (10, 1.8) if board else (6, 1.2)
    return (
        f'<g class="{box.kind}"><rect x="{box.x:g}" y="{box.y:g}" width="{box.w:g}" height="{box.h:g}" rx="{radius}" fill="{PAPER}" stroke="{INK}" stroke-width="{weight}"/>'
        f'<text x="{middle:g}" y="{box.y + 17:g}" text-anchor="middle" font-size="13" font-weight="650" fill="{INK}">{escape(box.title)}</text>'
        f'<text x="{middle:g}" y="{box.y + 31:g}" text-anchor="middle" font-size="11" fill="{SOFT}">{escape(box.subtitle)}</text></g>'
    )


def _spot(spot: Spot) -> str:
    inward = 1 if spot.side == "left" else -1
    anchor = "start" if spot.side == "left" else "end"
    ink = INK if spot.wired else SOFT
    shape = (
        f'<rect x="{spot.x - 5:g}" y="{spot.y - 5:g}" width="10" height="10" rx="2" fill="{PAPER}" stroke="{INK if spot.wired else LINE}" stroke-width="1.4"/>'
        if spot.owner == "board"
        else f'<circle cx="{spot.x:g}" cy="{spot.y:g}" r="3.6" fill="{INK if spot.wired else PAPER}" stroke="{INK if spot.wired else LINE}"/>'
    )
    text = f'<text x="{spot.x + inward * 11:g}" y="{spot.y + 4:g}" text-anchor="{anchor}" font-size="11.5" font-family="{MONO}" fill="{ink}">{escape(spot.name)}</text>'
    port = ""
    if spot.port:
        port = f'<text x="{spot.x + inward * 50:g}" y="{spot.y + 4:g}" text-anchor="{anchor}" font-size="10" fill="{SOFT}">{escape(spot.port)}</text>'
    return shape + text + port


def wire_csv(wires: Sequence[Wire], rung: Mapping[str, str]) -> str:
    """The wire list as RFC 4180 CSV. A cell that a spreadsheet would take for a formula gets an apostrophe in front."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["device", "part", "pin", "pad", "where", "colour", "purpose", "external inverter", "rung out"])
    for wire in wires:
        row = [wire.device, wire.device_name, wire.pin, wire.pad, wire.to, wire.colour, wire.purpose, "yes" if wire.inverter else "", rung.get(wire.key, "")]
        writer.writerow([f"'{cell}" if cell[:1] in ("=", "+", "-", "@") else cell for cell in row])
    return out.getvalue()
