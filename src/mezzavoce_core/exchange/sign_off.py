"""A signed report on paper (PDF): the same content gives the same bytes."""

import io
from collections.abc import Mapping, Sequence
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.styles import ParagraphStyle, getSampleStyleSheet
from reportlab.lib.units import mm
from reportlab.platypus import Paragraph, Spacer, Table, TableStyle

from .sheets.print import latin, paper

_STATES = {"holds": "holds", "short": "falls short", "fails": "fails", "": ""}


def printed_sign_off(content: Mapping[str, Any]) -> bytes:
    """A4; ``content`` is what was frozen when it was signed."""
    out = io.BytesIO()
    title = f"{content['programme']}, mix {content['mix']}"
    document = paper(out, title, content["made_by"])
    styles = getSampleStyleSheet()
    heading = ParagraphStyle("heading", parent=styles["Title"], fontName="Times-Bold", alignment=0, fontSize=17)
    normal, second = styles["Normal"], styles["Heading3"]

    def line(text: str, style: ParagraphStyle = normal) -> Paragraph:
        return Paragraph(escape(latin(text)), style)

    story: list[Any] = [
        line(title, heading),
        line(f"{content['production']}. Signed by {content['by']} on {content['at']} for {content['spec']}."),
        Spacer(1, 4 * mm),
        _table([[f["name"], f"{f['value']} {f['unit']}", f["limit"], _STATES[f["state"]]] for f in content["figures"]]),
        line("Waivers", second),
    ]
    story += [line(_waiver(w)) for w in content["waivers"]] or [line("None.")]
    story += [line("Left as it is", second)]
    story += [line(_remark(r)) for r in content["remarks"]] or [line("Nothing.")]
    story += [line("Files", second), _table([[f["role"], f["name"], f["sha256"][:16]] for f in content["files"]])]
    story += [Spacer(1, 4 * mm), line(content["made_by"])]
    document.build(story)
    return out.getvalue()


def _remark(remark: Mapping[str, str]) -> str:
    return f"{remark['label']}  {remark['in']} - {remark['out']}  {remark['title']} ({remark['severity']})"


def _waiver(waiver: Mapping[str, str]) -> str:
    reason = f": {waiver['reason']}" if waiver["reason"] else ""
    return f"{_remark(waiver)}: {waiver['what']} by {waiver['by']}{reason}"


def _table(rows: Sequence[Sequence[str]]) -> Table:
    table = Table([[latin(cell) for cell in row] for row in rows] or [[""]], hAlign="LEFT")
    table.setStyle(
        TableStyle([("FONT", (0, 0), (-1, -1), "Helvetica", 9), ("LINEBELOW", (0, 0), (-1, -1), 0.3, "#d9cfbd")])
    )
    return table
