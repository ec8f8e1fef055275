"""The loom on paper: the drawing, the wire list with a box to tick for each wire, and what the check says."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import BaseDocTemplate, Flowable, Frame, NextPageTemplate, PageBreak, PageTemplate, Paragraph, Table, TableStyle

from linkcore.craft.document import CraftDocument
from linkcore.findings import Finding
from linkcore.hops.loom.drawing import INK, LINE, PAPER, SOFT
from linkcore.hops.loom.layout import Picture
from linkcore.wiring.netlist import Wire

FAULT = "#A3271F"
MARGIN = 34.0
HEAD = 20.0
_CELL = ParagraphStyle("cell", fontName="Helvetica", fontSize=9, leading=11, textColor=HexColor(INK))
_TITLE = ParagraphStyle("title", parent=_CELL, fontName="Helvetica-Bold")
_STOP = ParagraphStyle("stop", parent=_TITLE, textColor=HexColor(FAULT))
_LIST = TableStyle(
    [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, HexColor(LINE)),
        ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ("TOPPADDING", (0, 0), (-1, -1), 2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
    ]
)


def pdf(picture: Picture, document: CraftDocument, wires: Sequence[Wire], findings: Sequence[Finding], rung: Mapping[str, str]) -> bytes:
    """A4, landscape."""
    stops = sum(finding.severity == "stop" for finding in findings)
    verdict = "no fault found" if not stops else f"{stops} fault{'s' if stops > 1 else ''}: do not solder from this sheet"
    size = landscape(A4)
    frame = (MARGIN, MARGIN, size[0] - 2 * MARGIN, size[1] - 2 * MARGIN - HEAD)

    def page(key: str, what: str) -> PageTemplate:
        def head(canvas: Canvas, _: BaseDocTemplate) -> None:
            canvas.setFillColor(HexColor(INK))
            canvas.setFont("Helvetica-Bold", 14)
            canvas.drawString(MARGIN, size[1] - MARGIN, f"{document.name}: {what}")
            canvas.setFont("Helvetica", 9)
            canvas.setFillColor(HexColor(FAULT if stops else SOFT))
            canvas.drawRightString(size[0] - MARGIN, size[1] - MARGIN, f"{len(wires)} wires, {verdict}")

        return PageTemplate(key, [Frame(*frame, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0)], onPage=head)

    out = io.BytesIO()
    sheets = BaseDocTemplate(
        out,
        pagesize=size,
        title=f"Loom of {document.name}",
        creator="Coin Bell",
        pageTemplates=[page("drawing", "wiring drawing"), page("wires", "wire list"), page("check", "what the check says")],
    )
    story: list[Flowable] = [_Drawing(picture, frame[2], frame[3]), NextPageTemplate("wires"), PageBreak(), _wire_list(wires, rung)]
    if findings:
        story += [NextPageTemplate("check"), PageBreak(), _found(findings)]
    sheets.build(story)
    return out.getvalue()


def _wire_list(wires: Sequence[Wire], rung: Mapping[str, str]) -> Table:
    rows: list[list[object]] = [[Paragraph(name, _TITLE) for name in ("from", "pin", "pad", "where", "colour", "purpose", "", "rung out")]]
    for wire in wires:
        purpose = wire.purpose + (", through an inverter" if wire.inverter else "")
        cells = (f"{wire.device}, {wire.device_name}", wire.pin, wire.pad, wire.to, wire.colour, purpose)
        rows.append([*(_cell(each) for each in cells), _Tick(wire.key in rung), _cell(rung.get(wire.key, ""))])
    return Table(rows, colWidths=(150, 62, 52, 132, 58, 118, 18, 184), repeatRows=1, style=_LIST)


def _found(findings: Sequence[Finding]) -> Table:
    rows = [[Paragraph(each.severity, _STOP if each.severity == "stop" else _TITLE), _cell(f"{each.what} {each.why}")] for each in findings]
    return Table(rows, colWidths=(44, 730), style=_LIST)


def _cell(text: str) -> Paragraph:
    return Paragraph(escape(text), _CELL)


class _Tick(Flowable):  # type: ignore[misc]
    """A box to tick."""

    def __init__(self, ticked: bool) -> None:
        super().__init__()
        self.width = self.height = 9.0
        self.ticked = ticked

    def draw(self) -> None:
        """On the canvas."""
        self.canv.setStrokeColor(HexColor(INK))
        self.canv.setLineWidth(0.8)
        self.canv.rect(0, 0, 9, 9)
        if self.ticked:
            self.canv.lines([(1.5, 4, 4, 1.5), (4, 1.5, 8, 8)])


class _Drawing(Flowable):  # type: ignore[misc]
    """The layout as it is on the screen, in the middle of the page."""

    def __init__(self, picture: Picture, width: float, height: float) -> None:
        super().__init__()
        self.picture = picture
        self.scale = min(width / picture.width, height / picture.height, 1.0)
        self.width, self.height = width, picture.height * self.scale
        self.left = (width - picture.width * self.scale) / 2

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A point of the layout, whose y runs down, on the page."""
        return self.left + x * self.scale, self.height - y * self.scale

    def draw(self) -> None:
        """On the canvas."""
        canvas: Canvas = self.canv
        scale, ink, paper = self.scale, HexColor(INK), HexColor(PAPER)
        for box in self.picture.boxes:
            canvas.setStrokeColor(ink)
            canvas.setFillColor(paper)
            canvas.setLineWidth(1.2 if box.kind == "board" else 0.8)
            canvas.roundRect(*self.at(box.x, box.y + box.h), box.w * scale, box.h * scale, 4, fill=1)
            canvas.setFillColor(ink)
            canvas.setFont("Helvetica-Bold", 12.5 * scale)
            canvas.drawCentredString(*self.at(box.x + box.w / 2, box.y + 17), box.title)
            canvas.setFont("Helvetica", 10.5 * scale)
            canvas.drawCentredString(*self.at(box.x + box.w / 2, box.y + 31), box.subtitle)
        for run in self.picture.runs:
            for colour, thick in ((INK, 4.0), (run.ink, 2.6)):
                canvas.setStrokeColor(HexColor(colour))
                canvas.setLineWidth(thick * scale)
                path = canvas.beginPath()
                path.moveTo(*self.at(*run.points[0]))
                for x, y in run.points[1:]:
                    path.lineTo(*self.at(x, y))
                canvas.drawPath(path)
        canvas.setFillColor(ink)
        for x, y in self.picture.dots:
            canvas.circle(*self.at(x, y), 4.2 * scale, fill=1, stroke=0)
        canvas.setStrokeColor(ink)
        canvas.setLineWidth(0.7)
        for spot in (*self.picture.pins, *self.picture.pads):
            x, y = self.at(spot.x, spot.y)
            canvas.setFillColor(ink if spot.wired else paper)
            canvas.circle(x, y, 3.2 * scale, fill=1)
            canvas.setFillColor(ink)
            canvas.setFont("Courier-Bold" if spot.wired else "Courier", 11.5 * scale)
            if spot.side == "left":
                canvas.drawString(x + 10 * scale, y - 3.6 * scale, f"{spot.name}  {spot.port}" if spot.port else spot.name)
            else:
                canvas.drawRightString(x - 10 * scale, y - 3.6 * scale, f"{spot.port}  {spot.name}" if spot.port else spot.name)
