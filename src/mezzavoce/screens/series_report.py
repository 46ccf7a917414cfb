"""The report of a whole series: every programme with its figures, where it stands, who signed it, what was waived."""

from typing import Any

from django.utils import timezone

from mezzavoce_core import VERSION

from ..library.models import Production, Programme
from ..recheck.models import SignOff
from .rows import Row, rows_of

_SIGNED = "signed"


def series_report(production: Production) -> dict[str, Any]:
    """Everything that the report says, as JSON types."""
    rows = rows_of(Programme.objects.filter(production=production).order_by("number", "pk"))
    signed = {s.pk: s for s in SignOff.objects.filter(pk__in=[r.signed.pk for r in rows if r.signed])}
    programmes = [_programme(row, signed) for row in rows]
    columns = list(dict.fromkeys(name for p in programmes for name in p["figures"]))
    count = sum(row.signed is not None for row in rows)
    return {
        "production": production.name,
        "summary": f"{count} of {len(rows)} programme{'' if len(rows) == 1 else 's'} signed. {_spread(rows)}".strip(),
        "columns": columns,
        "programmes": programmes,
        "made_at": timezone.localtime().strftime("%d %b %Y, %H:%M"),
        "made_by": f"Mezzavoce {VERSION}",
    }


def _programme(row: Row, signed: dict[int, SignOff]) -> dict[str, Any]:
    sign_off = signed.get(row.signed.pk) if row.signed else None
    return {
        "title": str(row.programme),
        "mix": f"mix {row.mix.number}" if row.mix else "",
        "mix_id": row.mix.pk if row.mix else None,
        "figures": {
            f.name: {"value": f"{f.value} {f.unit}".strip(), "state": f.state} for f in row.head.values() if f.value
        },
        "standing": row.standing.word,
        "signed": f"{sign_off.by.name}, {timezone.localtime(sign_off.at):%d %b %Y}" if sign_off else "",
        "sign_off": sign_off.pk if sign_off else None,
        "waivers": [_waiver(w) for w in sign_off.content["waivers"]] if sign_off else [],
    }


def _waiver(waiver: dict[str, str]) -> str:
    reason = f": {waiver['reason']}" if waiver["reason"] else ""
    return f"{waiver['label']} {waiver['in']} {waiver['title']}, {waiver['what']} by {waiver['by']}{reason}"


def _spread(rows: list[Row]) -> str:
    """How far the programmes stand from each other in loudness: they should match."""
    loud = [value for row in rows if (value := row.figures.get("integrated_lufs")) is not None]
    return f"Loudness from {min(loud):.1f} to {max(loud):.1f} LUFS." if len(loud) > 1 else ""
