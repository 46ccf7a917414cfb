"""The report of a series on paper (PDF): every programme with its figures and who signed it."""

import io
from collections.abc import Mapping, Sequence
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.styles import ParagraphStyle, getSampleStyleSheet
from reportlab.lib.units import mm
from reportlab.platypus import Paragraph, Spacer, Table, TableStyle

from .sheets.print import latin, paper

_WIDE_MM = 62
_TONES = {"fails": "#a8321f", "short": "#8a590f"}


def printed_series(content: Mapping[str, Any]) -> bytes:
    """A4 across; the same content gives the same bytes.

    ``content``: production, summary, made_at, made_by, columns (names of figures), programmes (title, mix, figures
    by name with value and state, standing, signed, waivers).
    """
    out = io.BytesIO()
    document = paper(out, f"{content['production']}: report of the series", content["made_by"])
    document.pagesize = landscape(A4)
    document.width, document.height = document.height, document.width
    styles = getSampleStyleSheet()
    heading = ParagraphStyle("heading", parent=styles["Title"], fontName="Times-Bold", alignment=0, fontSize=17)
    normal = styles["Normal"]
    small = ParagraphStyle("small", parent=normal, fontSize=8, leading=10)

    def line(text: str, style: ParagraphStyle = normal) -> Paragraph:
        return Paragraph(escape(latin(text)), style)

    head = ["Programme", *content["columns"], "Stands", "Signed"]
    rows: list[list[Any]] = [[line(cell, small) for cell in head]]
    rows += [_row(programme, content["columns"], small) for programme in content["programmes"]]
    table = Table(rows, hAlign="LEFT", colWidths=[_WIDE_MM * mm, *[None] * (len(head) - 1)], repeatRows=1)
    table.setStyle(TableStyle([("LINEBELOW", (0, 0), (-1, -1), 0.3, "#d9cfbd"), ("VALIGN", (0, 0), (-1, -1), "TOP")]))
    story: list[Any] = [line(content["production"], heading), line(content["summary"]), Spacer(1, 3 * mm), table]
    waived = [(p["title"], w) for p in content["programmes"] for w in p["waivers"]]
    story += [line("Waivers", styles["Heading3"])]
    story += [line(f"{title}: {waiver}", small) for title, waiver in waived] or [line("None.", small)]
    story += [Spacer(1, 4 * mm), line(f"{content['made_at']}, {content['made_by']}", small)]
    document.build(story)
    return out.getvalue()


def _row(programme: Mapping[str, Any], columns: Sequence[str], style: ParagraphStyle) -> list[Paragraph]:
    cells = [f"<b>{_plain(programme['title'])}</b> {_plain(programme['mix'])}"]
    for name in columns:
        figure = programme["figures"].get(name, {"value": "-", "state": ""})
        tone = _TONES.get(figure["state"])
        value = _plain(figure["value"])
        cells.append(f'<font color="{tone}">{value}</font>' if tone else value)
    return [Paragraph(cell, style) for cell in [*cells, _plain(programme["standing"]), _plain(programme["signed"])]]


def _plain(text: str) -> str:
    return escape(latin(text))
