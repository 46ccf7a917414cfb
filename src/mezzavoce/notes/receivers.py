"""Gives marks to the findings of a new judgement. A finding that was there before takes the mark it had."""

from typing import Any

from django.dispatch import receiver

from ..library.models import Mix, Programme
from ..measuring.models import Finding, Judgement
from ..measuring.signals import judged
from .letters import letters
from .models import Mark

# A finding over nearly the whole programme is the same finding however its ends moved.
_LEAST_OVERLAP = 0.2


@receiver(judged)
def give_marks(judgement: Judgement, **_: Any) -> None:
    """Match findings to marks of this mix by family, role and overlap, one to one, best overlap first; new ones get new letters."""
    mix = judgement.run.mix
    # Locked, so that two judgements at once cannot give the same letters.
    Programme.objects.select_for_update().get(pk=mix.programme_id)
    findings = list(judgement.findings.all())
    marks = list(Mark.objects.filter(born_mix=mix))
    taken: dict[int, Mark] = {}
    pairs = sorted(((_likeness(mix, f, m), f, m) for f in findings for m in marks), key=lambda p: -p[0])
    for likeness, finding, mark in pairs:
        if likeness > 0 and finding.pk not in taken and mark not in taken.values():
            taken[finding.pk] = mark
    number = Mark.objects.filter(programme=mix.programme_id).count()
    for finding in findings:
        finding.mark = taken.get(finding.pk)
        if finding.mark is None:
            finding.mark = Mark(programme_id=mix.programme_id, born_mix=mix, letters=letters(number))
            number += 1
        _refresh(mix, finding.mark, finding)
    Finding.objects.bulk_update(findings, ["mark"])


def _likeness(mix: Mix, finding: Finding, mark: Mark) -> float:
    """How much of the longer of the two both share; 0 for another family or role, a little more for the same kind."""
    if finding.family != mark.family or finding.role != mark.role:
        return 0.0
    begin, end = mix.seconds(mark.in_sample), mix.seconds(mark.out_sample)
    shared = min(finding.out_s, end) - max(finding.in_s, begin)
    overlap = shared / max(finding.out_s - finding.in_s, end - begin, 1e-6)
    if overlap < _LEAST_OVERLAP:
        return 0.0
    return overlap + (0.5 if finding.kind == mark.kind else 0.0)


def _refresh(mix: Mix, mark: Mark, finding: Finding) -> None:
    mark.in_sample, mark.out_sample = mix.samples(finding.in_s), mix.samples(finding.out_s)
    mark.role, mark.kind, mark.family, mark.severity, mark.evidence = finding.role, finding.kind, finding.family, finding.severity, finding.evidence
    mark.save()
