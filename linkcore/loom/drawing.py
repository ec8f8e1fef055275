"""The wiring drawing as SVG, as a PDF to print, and the wire list as CSV. One layout serves screen and paper."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from xml.sax.saxutils import escape, quoteattr

from linkcore.craft.document import CraftDocument
from linkcore.findings import Finding
from linkcore.loom.layout import Box, Picture, Spot
from linkcore.loom.netlist import Wire

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


def pdf(picture: Picture, document: CraftDocument, wires: Sequence[Wire], findings: Sequence[Finding], rung: Mapping[str, str]) -> bytes:
    """A4, landscape: the drawing, then the wire list with a box to tick for each wire, and what the check says."""
    from reportlab.lib.colors import HexColor
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    width, height = landscape(A4)
    canvas = Canvas(out, pagesize=(width, height))
    canvas.setTitle(f"Loom of {document.name}")
    canvas.setCreator("Coin Bell")
    margin = 34.0
    stops = sum(finding.severity == "stop" for finding in findings)
    verdict = "no fault found" if not stops else f"{stops} fault{'s' if stops > 1 else ''}: do not solder from this sheet"

    def head(what: str) -> float:
        canvas.setFillColor(HexColor(INK))
        canvas.setFont("Helvetica-Bold", 14)
        canvas.drawString(margin, height - margin, f"{document.name}: {what}")
        canvas.setFont("Helvetica", 9)
        canvas.setFillColor(HexColor(SOFT if not stops else "#A3271F"))
        canvas.drawRightString(width - margin, height - margin, f"{len(wires)} wires, {verdict}")
        return float(height) - margin - 14

    top = head("wiring drawing")
    scale = min((width - 2 * margin) / picture.width, (top - margin) / picture.height, 1.0)
    left = (width - picture.width * scale) / 2

    def at(x: float, y: float) -> tuple[float, float]:
        return left + x * scale, top - y * scale

    for box in picture.boxes:
        x, y = at(box.x, box.y + box.h)
        canvas.setStrokeColor(HexColor(INK))
        canvas.setFillColor(HexColor(PAPER))
        canvas.setLineWidth(1.2 if box.kind == "board" else 0.8)
        canvas.roundRect(x, y, box.w * scale, box.h * scale, 4, fill=1)
        canvas.setFillColor(HexColor(INK))
        middle = at(box.x + box.w / 2, box.y + 17)
        canvas.setFont("Helvetica-Bold", 12.5 * scale)
        canvas.drawCentredString(*middle, box.title)
        canvas.setFont("Helvetica", 10.5 * scale)
        canvas.drawCentredString(*at(box.x + box.w / 2, box.y + 31), box.subtitle)
    for run in picture.runs:
        for colour, thick in ((INK, 4.0), (run.ink, 2.6)):
            canvas.setStrokeColor(HexColor(colour))
            canvas.setLineWidth(thick * scale)
            path = canvas.beginPath()
            path.moveTo(*at(*run.points[0]))
            for x, y in run.points[1:]:
                path.lineTo(*at(x, y))
            canvas.drawPath(path)
    canvas.setFillColor(HexColor(INK))
    for x, y in picture.dots:
        canvas.circle(*at(x, y), 4.2 * scale, fill=1, stroke=0)
    for spot in (*picture.pins, *picture.pads):
        x, y = at(spot.x, spot.y)
        canvas.setStrokeColor(HexColor(INK))
        canvas.setLineWidth(0.7)
        canvas.setFillColor(HexColor(INK if spot.wired else PAPER))
        canvas.circle(x, y, 3.2 * scale, fill=1)
        canvas.setFillColor(HexColor(INK))
        canvas.setFont("Courier-Bold" if spot.wired else "Courier", 11.5 * scale)
        inward = 10 * scale if spot.side == "left" else -10 * scale
        text = spot.name + (f"  {spot.port}" if spot.port and spot.side == "left" else "")
        if spot.port and spot.side == "right":
            text = f"{spot.port}  {spot.name}"
        (canvas.drawString if spot.side == "left" else canvas.drawRightString)(x + inward, y - 3.6 * scale, text)
    canvas.showPage()

    columns = (("from", 0), ("pin", 150), ("pad", 215), ("where", 265), ("colour", 400), ("purpose", 455), ("rung out", 560))
    y = head("wire list") - 16

    def titles() -> None:
        canvas.setFont("Helvetica-Bold", 9)
        canvas.setFillColor(HexColor(INK))
        for name, x in columns:
            canvas.drawString(margin + x, y, name)

    titles()
    for wire in wires:
        y -= 15
        if y < margin + 20:
            canvas.showPage()
            y = head("wire list") - 16
            titles()
            y -= 15
        canvas.setFont("Helvetica", 9)
        canvas.setFillColor(HexColor(INK))
        cells = (
            f"{wire.device}, {wire.device_name}",
            wire.pin,
            wire.pad,
            wire.to,
            wire.colour,
            wire.purpose + (", through an inverter" if wire.inverter else ""),
        )
        for (_, x), cell in zip(columns, cells, strict=False):
            canvas.drawString(margin + x, y, cell)
        canvas.setStrokeColor(HexColor(INK))
        canvas.setLineWidth(0.8)
        canvas.rect(margin + 560, y - 1, 9, 9)
        if wire.key in rung:
            canvas.line(margin + 561.5, y + 3, margin + 564, y + 0.5)
            canvas.line(margin + 564, y + 0.5, margin + 568, y + 7)
        canvas.drawString(margin + 575, y, rung.get(wire.key, ""))
    y -= 24
    for finding in findings:
        if y < margin + 12:
            canvas.showPage()
            y = head("what the check says") - 16
        canvas.setFont("Helvetica-Bold", 9)
        canvas.setFillColor(HexColor("#A3271F" if finding.severity == "stop" else INK))
        canvas.drawString(margin, y, finding.severity)
        canvas.setFont("Helvetica", 9)
        canvas.drawString(margin + 40, y, f"{finding.what} {finding.why}"[:170])
        y -= 13
    canvas.save()
    return out.getvalue()
