"""Keeps what became of every mark when a new mix is judged, and lets go on what was dismissed and did not change."""

from collections.abc import Sequence
from typing import Any

from django.dispatch import receiver

from ..library.models import Mix
from ..notes.former import Beside, Followed
from ..notes.models import Decision
from ..notes.selectors import decided
from ..notes.signals import followed
from .models import Recheck

_DISMISSED = (Decision.What.NOT_A_FAULT, Decision.What.ALLOW)
_UNCHANGED = (Recheck.Result.SAME, Recheck.Result.BETTER)


@receiver(followed)
def keep_rechecks(mix: Mix, beside: Beside, **_: Any) -> None:
    """One row a mark of the former mix; what a person confirmed stays with it."""
    known = {r.mark_id: r for r in Recheck.objects.filter(mix=mix)}
    fresh: list[Recheck] = []
    changed: list[Recheck] = []
    for one in beside.marks:
        row = known.get(one.before.mark.pk) or Recheck(mix=mix, mark=one.before.mark)
        _fill(row, beside.former, mix, one)
        (changed if row.pk else fresh).append(row)
    Recheck.objects.bulk_create(fresh)
    Recheck.objects.bulk_update(changed, [*_FIGURES, "former"])
    _carry(mix, beside.marks)


_FIGURES = ("result", "before", "now", "limit", "lacks", "unit", "in_sample", "out_sample")


def _fill(row: Recheck, former: Mix, mix: Mix, one: Followed) -> None:
    found, evidence = one.found, one.before.evidence
    row.former, row.result, row.lacks, row.unit = former, found.result, found.lacks, found.unit
    row.before, row.limit = evidence["measured"], evidence["limit"]
    row.now = found.new["measured"] if found.new is not None else None
    row.in_sample, row.out_sample = (
        (None, None) if found.placed is None else (mix.samples(found.placed[0]), mix.samples(found.placed[1]))
    )


def _carry(mix: Mix, marks: Sequence[Followed]) -> None:
    """What somebody dismissed stays dismissed where it is no worse, unless it was decided on this mix already."""
    here = {mark for _, mark in decided([mix.pk])}
    Decision.objects.bulk_create(
        [
            Decision(mark=d.mark, mix=mix, what=d.what, reason=d.reason, by=d.by, carried_from=d)
            for one in marks
            if (d := one.before.decision) is not None
            and d.what in _DISMISSED
            and one.finding is not None
            and one.found.result in _UNCHANGED
            and d.mark_id not in here
        ]
    )
