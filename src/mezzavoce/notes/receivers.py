"""Gives marks to the findings of a new judgement. A finding that was there before takes the mark it had."""

from collections.abc import Mapping, Sequence
from typing import Any

from django.dispatch import receiver

from mezzavoce_core.exchange.labels import label

from ..library.models import Mix, Programme
from ..measuring.models import Finding, Judgement
from ..measuring.signals import judged
from .former import Beside, follow
from .matching import matched
from .models import Decision, Mark, Note, Placement
from .proposal import kept_choice, placements_of, proposed_text, templates_of
from .signals import followed

_OF_MARK = ("role", "kind", "family")
_OF_PLACEMENT = ("severity", "title", "evidence")


@receiver(judged)
def give_marks(judgement: Judgement, findings: Sequence[Finding], **_: Any) -> None:
    """Match findings, not stored yet, to the marks that are placed in this mix; new ones get new labels."""
    mix = judgement.run.mix
    placed = list(Placement.objects.filter(mix=mix).select_related("mark"))
    taken = matched(mix, findings, placed)
    beside = follow(judgement, findings)
    if beside:
        _give_way(beside, findings, taken)
    known = _from_before(beside, findings, placed, taken) if beside else {}
    # Marks before the programme, as whoever decides one takes them: neither waits for the other in a circle.
    _lock([*(p.mark_id for p in taken.values()), *(m.pk for m in known.values())])
    Placement.objects.bulk_create([Placement(mark=m, mix=mix, **_seen(mix, findings[k])) for k, m in known.items()])
    marks = [p.mark for k, p in taken.items() if _refresh(p.mark, _kept(findings[k], _OF_MARK))]
    before = {p.mark_id: p.evidence for p in taken.values()}
    changed = [p for k, p in taken.items() if _refresh(p, _seen(mix, findings[k]))]
    Mark.objects.bulk_update(marks, _OF_MARK)
    Placement.objects.bulk_update(changed, ["in_sample", "out_sample", *_OF_PLACEMENT])
    _word_anew(mix, changed, before)
    new = known | _new(mix, {k: f for k, f in enumerate(findings) if k not in taken and k not in known})
    for k, finding in enumerate(findings):
        finding.mark = taken[k].mark if k in taken else new[k]
    if beside:
        followed.send(sender=Mark, mix=mix, beside=beside)


def _give_way(beside: Beside, findings: Sequence[Finding], taken: dict[int, Placement]) -> None:
    """A mark of the mix before takes its finding back from one that was given here while nobody knew that it is that.

    One that somebody decided on stays.
    """
    numbers = {id(f): k for k, f in enumerate(findings)}
    given = [taken.get(numbers[id(one.finding)]) for one in beside.marks if one.finding is not None]
    born_here = {p.mark_id: p for p in given if p is not None and p.mark.mix_id == p.mix_id}
    decided = set(Decision.objects.filter(mark__in=list(born_here)).values_list("mark", flat=True))
    going = {p.pk for mark, p in born_here.items() if mark not in decided}
    for k in [k for k, p in taken.items() if p.pk in going]:
        del taken[k]
    Placement.objects.filter(pk__in=going).delete()


def _from_before(
    beside: Beside, findings: Sequence[Finding], placed: Sequence[Placement], taken: Mapping[int, Placement]
) -> dict[int, Mark]:
    """Marks of the mix before that go on, by the number of the finding that each is now."""
    numbers = {id(f): k for k, f in enumerate(findings)}
    here = {p.mark_id for p in placed}
    return {
        numbers[id(one.finding)]: one.before.mark
        for one in beside.marks
        if one.finding is not None and numbers[id(one.finding)] not in taken and one.before.mark.pk not in here
    }


def _lock(marks: Sequence[int]) -> None:
    """Findings that refer to a mark need it, too: it is taken before anything else, always in the same order."""
    list(Mark.objects.select_for_update().filter(pk__in=marks).order_by("pk").values_list("pk"))


def _new(mix: Mix, findings: Mapping[int, Finding]) -> dict[int, Mark]:
    """A mark with a label of its own for each of some findings, placed where the finding lies."""
    if not findings:
        return {}
    # Locked, so that two judgements at once cannot give the same label.
    programme = Programme.objects.select_for_update().get(pk=mix.programme_id)
    given = programme.labels_given
    programme.labels_given += len(findings)
    programme.save(update_fields=["labels_given"])
    marks = [
        Mark(programme_id=mix.programme_id, mix=mix, label=label(given + n), **_kept(f, _OF_MARK))
        for n, f in enumerate(findings.values())
    ]
    made = dict(zip(findings, Mark.objects.bulk_create(marks), strict=True))
    Placement.objects.bulk_create([Placement(mark=made[k], mix=mix, **_seen(mix, f)) for k, f in findings.items()])
    return made


def _word_anew(mix: Mix, changed: Sequence[Placement], before: Mapping[int, dict[str, Any]]) -> None:
    """A wording that nobody touched is a proposal: it follows what is found until the note is sent.

    Whichever words it has, a note goes on proposing the remedy that was chosen, as long as there is one like it.
    """
    now = {p.mark_id: p.evidence for p in changed}
    if not now:
        return
    templates = templates_of(mix.production)
    written = Note.objects.filter(mix=mix, marks__in=list(now), state__in=(Note.State.WRITTEN, Note.State.JOINED))
    for note in written.select_related("mix").distinct():
        places = placements_of(note)
        first = places[0].mark_id
        choice = kept_choice(note, before[first], now[first]) if first in now else note.choice
        note.choice, was = choice, (note.choice, note.text)
        if not note.text_by_hand:
            note.text = proposed_text(note, mix, places, templates)
        if (note.choice, note.text) != was:
            note.version += 1
            note.save(update_fields=["text", "choice", "version"])


def _seen(mix: Mix, finding: Finding) -> dict[str, Any]:
    """What a placement keeps of a finding."""
    place = {"in_sample": mix.samples(finding.in_s), "out_sample": mix.samples(finding.out_s)}
    return place | _kept(finding, _OF_PLACEMENT) | {"certainty": finding.evidence.get("certainty", 1.0)}


def _kept(finding: Finding, names: Sequence[str]) -> dict[str, Any]:
    return {name: getattr(finding, name) for name in names}


def _refresh(row: Mark | Placement, seen: Mapping[str, Any]) -> bool:
    """Take over what is seen now; whether that is something new."""
    changed = any(getattr(row, name) != value for name, value in seen.items())
    for name, value in seen.items():
        setattr(row, name, value)
    return changed
