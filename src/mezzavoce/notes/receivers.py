"""Gives marks to the findings of a new judgement. A finding that was there before takes the mark it had."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

from django.dispatch import receiver

from ..library.models import Mix, Programme
from ..measuring.models import Finding, Judgement
from ..measuring.signals import judged
from .labels import label
from .models import Mark

# A finding over nearly the whole programme is the same finding however its ends moved.
_LEAST_OVERLAP = 0.2
_KEPT = ("role", "kind", "family", "severity", "title", "evidence")


@receiver(judged)
def give_marks(judgement: Judgement, findings: Sequence[Finding], **_: Any) -> None:
    """Match findings, not stored yet, to marks of this mix by family, role and overlap, one to one, best overlap first.

    New ones get new letters.
    """
    mix = judgement.run.mix
    taken = _matched(mix, findings, list(Mark.objects.filter(mix=mix)))
    changed = [mark for k, mark in taken.items() if _refresh(mark, _seen(mix, findings[k]))]
    # Marks before the programme, as whoever decides one takes them: neither waits for the other in a circle.
    Mark.objects.bulk_update(changed, ["in_sample", "out_sample", *_KEPT])
    taken |= _new(mix, {k: f for k, f in enumerate(findings) if k not in taken})
    for k, finding in enumerate(findings):
        finding.mark = taken[k]


def _new(mix: Mix, findings: Mapping[int, Finding]) -> dict[int, Mark]:
    """A mark with a label of its own for each of some findings."""
    if not findings:
        return {}
    # Locked, so that two judgements at once cannot give the same label.
    Programme.objects.select_for_update().get(pk=mix.programme_id)
    given = Mark.objects.filter(programme=mix.programme_id).count()
    marks = [
        Mark(programme_id=mix.programme_id, mix=mix, label=label(given + n), **_seen(mix, f))
        for n, f in enumerate(findings.values())
    ]
    return dict(zip(findings, Mark.objects.bulk_create(marks), strict=True))


def _matched(mix: Mix, findings: Sequence[Finding], marks: Sequence[Mark]) -> dict[int, Mark]:
    """The mark of each finding that has one, by the finding's number."""
    alike = defaultdict(list)
    for mark in marks:
        alike[mark.family, mark.role].append((mark, mix.seconds(mark.in_sample), mix.seconds(mark.out_sample)))
    pairs = []
    for k, f in enumerate(findings):
        in_s, out_s = f.in_s, f.out_s
        # Nearly all pairs share no time at all, and need no closer look.
        near = [one for one in alike[f.family, f.role] if one[1] < out_s and in_s < one[2]]
        pairs += [(likeness, k, m) for m, *span in near if (likeness := _likeness(f, m, *span)) > 0]
    taken: dict[int, Mark] = {}
    given: set[int] = set()
    for _, k, mark in sorted(pairs, key=lambda p: -p[0]):
        if k not in taken and mark.pk not in given:
            taken[k] = mark
            given.add(mark.pk)
    return taken


def _likeness(finding: Finding, mark: Mark, begin: float, end: float) -> float:
    """How much of the longer of the two both share, a little more for the same kind; 0 where it is too little."""
    shared = min(finding.out_s, end) - max(finding.in_s, begin)
    overlap = shared / max(finding.out_s - finding.in_s, end - begin, 1e-6)
    if overlap < _LEAST_OVERLAP:
        return 0.0
    return overlap + (0.5 if finding.kind == mark.kind else 0.0)


def _seen(mix: Mix, finding: Finding) -> dict[str, Any]:
    """What a mark keeps of a finding."""
    kept = {name: getattr(finding, name) for name in _KEPT}
    return {"in_sample": mix.samples(finding.in_s), "out_sample": mix.samples(finding.out_s)} | kept


def _refresh(mark: Mark, seen: dict[str, Any]) -> bool:
    """Take over what is seen now; whether that is something new."""
    changed = any(getattr(mark, name) != value for name, value in seen.items())
    for name, value in seen.items():
        setattr(mark, name, value)
    return changed
