"""Notes on paper: a PDF with every note, its points, and where they lie in the programme."""

import io
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle, getSampleStyleSheet
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, KeepTogether, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from ..words import gain
from .drawn import Drawn
from .sheet import Noted, Sheet

_MARGIN, _STRIP_MM = 18 * mm, 12
_TONES = {"must": "#a8321f", "should": "#8a590f", "note": "#4a4650"}


class _Strip(Flowable):  # type: ignore[misc]
    """The programme as a line with every note where it lies."""

    def __init__(self, sheet: Sheet, width: float) -> None:
        super().__init__()
        self.sheet, self.width, self.height = sheet, width, _STRIP_MM * mm

    def draw(self) -> None:
        """Called by the library."""
        pen, middle = self.canv, self.height / 2
        pen.setStrokeColor("#8a8070")
        pen.line(0, middle, self.width, middle)
        for note in self.sheet.in_order:
            x = min(note.in_s / max(self.sheet.duration_s, 1e-9), 1.0) * self.width
            pen.setStrokeColor(_TONES.get(note.severity, "#231f2b"))
            pen.setFillColor(_TONES.get(note.severity, "#231f2b"))
            pen.line(x, middle - 2 * mm, x, middle + 2 * mm)
            pen.setFont("Times-Bold", 7)
            pen.drawCentredString(x, middle + 2.6 * mm, note.label)


def paper(out: io.BytesIO, title: str, author: str) -> SimpleDocTemplate:
    """An A4 document that is the same bytes whenever it is made."""
    margins = dict.fromkeys(("leftMargin", "rightMargin", "topMargin", "bottomMargin"), _MARGIN)
    return SimpleDocTemplate(out, pagesize=A4, title=title, author=author, invariant=1, **margins)


def printed(sheet: Sheet) -> bytes:
    """A4, black on white; the same sheet gives the same bytes."""
    out = io.BytesIO()
    document = paper(out, f"Notes on {sheet.name}", sheet.made_by or "Mezzavoce")
    styles = getSampleStyleSheet()
    heading = ParagraphStyle("heading", parent=styles["Title"], fontName="Times-Bold", alignment=0, fontSize=17)
    soft = ParagraphStyle("soft", parent=styles["Normal"], textColor="#6b6372")
    count = len(sheet.notes)
    story: list[Any] = [
        Paragraph(escape(latin(sheet.name)), heading),
        Paragraph(escape(f"{count} note{'' if count == 1 else 's'}, judged by {latin(sheet.judged_by)}"), soft),
        _Strip(sheet, A4[0] - 2 * _MARGIN),
    ]
    story += [KeepTogether(_note(sheet, note, styles)) for note in sheet.in_order]
    document.build(story, onFirstPage=_foot, onLaterPages=_foot)
    return out.getvalue()


def _note(sheet: Sheet, note: Noted, styles: Any) -> list[Any]:
    begin, end = sheet.timecodes(note)
    head = (
        f"<b>{note.label}&nbsp;&nbsp;{escape(latin(note.title))}</b>&nbsp;&nbsp;"
        f'<font face="Courier" size="9">{begin} - {end}</font>&nbsp;&nbsp;'
        f'<font color="{_TONES.get(note.severity, "#231f2b")}">{note.severity}</font>'
    )
    parts: list[Any] = [Spacer(1, 3 * mm), Paragraph(head, styles["Normal"])]
    parts.append(Paragraph(escape(latin(note.text)).replace("\n", "<br/>"), styles["Normal"]))
    if note.change:
        then = f"; then {note.prediction}" if note.prediction else ""
        parts.append(Paragraph(f"<i>{escape(latin(note.change + then))}</i>", styles["Normal"]))
    if note.picture:
        parts.append(Drawn(note.picture, (note.in_s, note.out_s)))
    if note.points:
        rows = [[sheet.clock.timecode_in(p.at_s), gain(p.gain_db)] for p in note.points]
        table = Table(rows, hAlign="LEFT", colWidths=[32 * mm, 22 * mm], rowHeights=4.4 * mm)
        table.setStyle(TableStyle([("FONT", (0, 0), (-1, -1), "Courier", 8.5), ("ALIGN", (1, 0), (1, -1), "RIGHT")]))
        parts.append(table)
    return parts


def _foot(canvas: Any, document: Any) -> None:
    canvas.setFont("Helvetica", 8)
    canvas.setFillColor("#6b6372")
    canvas.drawRightString(A4[0] - _MARGIN, 10 * mm, str(document.page))


def latin(text: str) -> str:
    """What the fonts that every reader has can show; other signs become a question mark."""
    return text.translate({0x2212: "-", 0x2192: "->"}).encode("cp1252", "replace").decode("cp1252")
