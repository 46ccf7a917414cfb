"""Puts a dispatch into words: frozen items, subject, text, HTML and CSV, all from the same items."""

from typing import Any

from django.conf import settings
from django.template.loader import render_to_string

from mezzavoce_core.exchange.notes_csv import write_notes_csv
from mezzavoce_core.exchange.words import change, gain, prediction, whom

from ..library.models import Mix
from ..notes.selectors import Marked
from ..notes.wording import rate_words


def content_of(item: Marked) -> dict[str, Any]:
    """A note as it is frozen when it is sent."""
    mark, clock = item.mark, item.mix.clock
    remedy = item.evidence["remedy"]
    assert item.note is not None
    return {
        "label": mark.label,
        "family": mark.family,
        "severity": item.note.severity,
        "title": item.title,
        "text": item.note.text,
        "in_s": item.in_s,
        "out_s": item.out_s,
        "in_timecode": clock.timecode_in(item.in_s),
        "out_timecode": clock.timecode_out(item.out_s),
        "role": whom(remedy) if remedy else None,
        "change": change(remedy, item.evidence["kind"]) if remedy else "",
        "prediction": prediction(remedy) if remedy else "",
        "kind": mark.kind,
        "measured": item.evidence["measured"],
        "limit": item.evidence["limit"],
        "unit": item.evidence["unit"],
        "points": [
            {"timecode": p["at_timecode"], "gain": gain(p["gain_db"]), "at_s": p["at_s"], "gain_db": p["gain_db"]}
            for p in remedy["points"]
        ]
        if remedy and remedy["action"] != "carve"
        else [],
    }


def subject(mix: Mix, count: int) -> str:
    """The mail's subject."""
    return f"{mix.programme}, mix {mix.number}: {count} note{'' if count == 1 else 's'}"


def letter(mix: Mix, contents: list[dict[str, Any]], name: str, sender: str) -> tuple[str, str]:
    """Text and HTML of the mail to one addressee, with the placeholder for the link."""
    context = {
        "mix": mix,
        "items": contents,
        "name": name,
        "sender": sender,
        "link": settings.LINK_PLACE,
        "rate": rate_words(mix),
        # What was sent before this was kept does not say it.
        "judged_by": contents[0].get("judged_by", "") if contents else "",
    }
    return render_to_string("dispatch/mail.txt", context), render_to_string("dispatch/mail.html", context)


def csv_of(contents: list[dict[str, Any]]) -> str:
    """The attached table."""
    rows = [
        {
            "mark": c["label"],
            "in": c["in_timecode"],
            "out": c["out_timecode"],
            "severity": c["severity"],
            "title": c["title"],
            "note": c["text"],
            "change": c["change"],
            "points": "; ".join(f"{p['timecode']} {p['gain']}" for p in c["points"]),
        }
        for c in contents
    ]
    return write_notes_csv(rows)
