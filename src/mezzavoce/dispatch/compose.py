"""Puts a dispatch into words: frozen items, subject, text and HTML, all from the same items."""

from collections.abc import Sequence
from typing import Any

from django.conf import settings
from django.template.loader import render_to_string

from mezzavoce_core.exchange.words import change, gain, prediction, whom

from ..library.models import Mix
from ..notes.models import Note
from ..notes.proposal import as_told
from ..notes.selectors import Marked
from ..notes.wording import rate_words
from .models import Dispatch, DispatchItem, Recipient

Content = dict[str, Any]


def content_of(note: Note, marks: Sequence[Marked]) -> Content:
    """A note as it is frozen when it is sent: its own mark, and what is told with it."""
    own, *joined = marks
    evidence = as_told(note, own.mix, own.evidence)
    content = _of_mark(own, evidence) | {"severity": note.severity, "text": note.text}
    return content | {"joined": [_of_mark(item, item.evidence) for item in joined]}


def part_of(note: Note, own: Marked) -> str:
    """Which part of the sound a note is about: the one that it wants changed, else the one it was found in."""
    remedy = as_told(note, own.mix, own.evidence)["remedy"]
    return str(remedy["role"] if remedy else own.mark.role)


def _of_mark(item: Marked, evidence: Content) -> Content:
    mark, clock, remedy = item.mark, item.mix.clock, evidence["remedy"]
    return {
        "label": mark.label,
        "family": mark.family,
        "severity": item.severity,
        "title": item.title,
        "in_s": item.in_s,
        "out_s": item.out_s,
        "in_timecode": clock.timecode_in(item.in_s),
        "out_timecode": clock.timecode_out(item.out_s),
        "part": remedy["role"] if remedy else mark.role,
        "role": whom(remedy) if remedy else None,
        "change": change(remedy, evidence["kind"]) if remedy else "",
        "prediction": prediction(remedy) if remedy else "",
        "kind": mark.kind,
        "measured": evidence["measured"],
        "limit": evidence["limit"],
        "unit": evidence["unit"],
        "points": _points(remedy) if remedy and remedy["action"] != "carve" else [],
        # What the proposal is heard from; points alone do not tell which stem or band they are for.
        "remedy": remedy,
    }


def _points(remedy: Content) -> list[Content]:
    return [
        {"timecode": p["at_timecode"], "gain": gain(p["gain_db"]), "at_s": p["at_s"], "gain_db": p["gain_db"]}
        for p in remedy["points"]
    ]


def subject(mix: Mix, news: Sequence[str], *, follows: bool) -> str:
    """The mail's subject; a follow-up says what is new, changed and withdrawn."""
    if not follows:
        return f"{mix.programme}, mix {mix.number}: {len(news)} note{'' if len(news) == 1 else 's'}"
    counts = [f"{n} {what}" for what in DispatchItem.News.values if (n := sum(one == what for one in news))]
    return f"{mix.programme}, mix {mix.number}: {', '.join(counts)}"


def letter(dispatch: Dispatch, recipient: Recipient, items: Sequence[DispatchItem]) -> dict[str, str]:
    """Subject, text and HTML of the mail to one addressee, with the placeholder for the link."""
    mix = dispatch.mix
    told = subject(mix, [item.news for item in items], follows=dispatch.follows_id is not None)
    context = {
        "mix": mix,
        "items": items,
        "news": [(words, [i for i in items if i.news == value]) for value, words in DispatchItem.News.choices],
        "is_follow_up": dispatch.follows_id is not None,
        "covering": dispatch.covering,
        "for_all": dispatch.for_all,
        "is_copy": recipient.is_copy,
        "name": recipient.contact.name,
        "sender": dispatch.by.name,
        "subject": told,
        "link": settings.LINK_PLACE,
        "rate": rate_words(mix),
        "files": bool(dispatch.attached),
        # What was sent before this was kept does not say it.
        "judged_by": items[0].content.get("judged_by", "") if items else "",
    }
    text, html = render_to_string("dispatch/mail.txt", context), render_to_string("dispatch/mail.html", context)
    return {"subject": told, "text": text, "html": html}
