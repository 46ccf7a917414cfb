"""Notes that a person writes where nothing was measured: about any stretch of a mix, with a weight of its own."""

from typing import Any

from django.db import transaction

from mezzavoce_core.exchange.labels import label
from mezzavoce_core.versions.recheck import BY_HAND

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Refused
from ..library.models import Mix, Programme
from .editing import WEIGHTS, checked_text
from .models import Decision, Mark, Note, Placement

_TITLE_LENGTH = Placement.title.field.max_length or 0
_LEAST_S = 0.04


def note_by_hand(person: Person, mix: Mix, timecodes: tuple[str, str], title: str, text: str, severity: str) -> Mark:
    """Note something about a stretch. Raises TimecodeError, or Refused where it says nothing or cannot be."""
    require(person, mix, Role.REVIEWER)
    title, text = one_line(title, _TITLE_LENGTH, "A title"), text.strip()
    if not title or not text:
        raise Refused("A note needs a title and words that say what is wrong, or what is wanted.")
    text = checked_text(text)
    if severity not in WEIGHTS:
        raise Refused("Say how much it weighs: must, should, or note.")
    in_s, out_s = (mix.clock.seconds_at(t) for t in timecodes)
    if not 0 <= in_s < mix.duration_s or out_s < in_s:
        raise Refused("The note ends before it begins, or lies behind the end of the mix. Set its out after its in.")
    out_s = min(max(out_s, in_s + _LEAST_S), mix.duration_s)
    with transaction.atomic():
        programme = Programme.objects.select_for_update().get(pk=mix.programme_id)
        mark = Mark.objects.create(
            programme=programme, mix=mix, label=label(programme.labels_given), kind=BY_HAND, family="hand", role="mix"
        )
        programme.labels_given += 1
        programme.save(update_fields=["labels_given"])
        Placement.objects.create(
            mark=mark,
            mix=mix,
            in_sample=mix.samples(in_s),
            out_sample=mix.samples(out_s),
            severity=severity,
            title=title,
            evidence=_evidence(mix, (in_s, out_s), title, text, severity),
        )
        Decision.objects.create(mark=mark, mix=mix, what=Decision.What.NOTE, by=person)
        note = Note.objects.create(programme=programme, mix=mix, text=text, text_by_hand=True, severity=severity)
        note.marks.add(mark)
        record(mix.production, person, "note by hand", f"{mix}: {mark.label}", after=title)
    return mark


def _evidence(mix: Mix, span: tuple[float, float], title: str, text: str, severity: str) -> dict[str, Any]:
    """What a finding would hold: nothing was measured."""
    return {
        "kind": BY_HAND,
        "family": "hand",
        "severity": severity,
        "certainty": 1.0,
        "in_s": span[0],
        "out_s": span[1],
        "in_timecode": mix.clock.timecode_in(span[0]),
        "out_timecode": mix.clock.timecode_out(span[1]),
        "role": "mix",
        "source": None,
        "title": title,
        "message": text,
        "measured": None,
        "limit": None,
        "unit": "",
        "also": [],
        "remedy": None,
        "alternatives": [],
        "details": {},
    }
