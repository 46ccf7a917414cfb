"""Confirming what became of a note."""

from django.db import transaction
from django.http import Http404
from django.utils import timezone

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library.models import Mix
from ..measuring.judging import lock_measured_runs, rejudge
from ..notes.actions import decide
from ..notes.models import PlacedByHand
from .models import Recheck


def recheck_for(person: Person, recheck_id: int) -> Recheck:
    """A recheck that the person may confirm, or Http404; NotAllowed for who may only look."""
    row = (
        Recheck.objects.select_related("mix__programme__production", "mark")
        .filter(pk=recheck_id, mix__programme__production__memberships__person=person)
        .first()
    )
    if row is None:
        raise Http404
    require(person, row.mix, Role.REVIEWER)
    return row


def confirm(person: Person, row: Recheck, seen: str, what: str = "", reason: str = "") -> None:
    """Say that what became of a note is so, and perhaps ``what`` is to be done about what is left of it.

    ``seen`` is the result that the person saw; Overtaken where it is another by now. A fault that is still there is
    noted again for the new mix, or allowed there for a reason.
    """
    require(person, row.mix, Role.REVIEWER)
    with transaction.atomic():
        held = Recheck.objects.select_for_update().get(pk=row.pk)
        if held.result != seen:
            raise Overtaken(
                f"{row.mark.label} was measured otherwise meanwhile: {held.get_result_display()}. Look at it again."
            )
        _confirm(person, [held])
        if what:
            if not held.is_left:
                raise Refused(f"Nothing is left of {row.mark.label} in this mix, so there is nothing to decide.")
            decide(person, row.mark, row.mix, what, reason)
        record(row.mix.production, person, "confirm recheck", f"{row.mix}: {row.mark.label}", after=held.result)


def confirm_all(person: Person, mix: Mix) -> int:
    """Confirm everything that nobody has confirmed; returns how many."""
    require(person, mix, Role.REVIEWER)
    with transaction.atomic():
        rows = [r for r in Recheck.objects.select_for_update().filter(mix=mix) if not r.is_confirmed]
        _confirm(person, rows)
        if rows:
            record(mix.production, person, "confirm rechecks", str(mix), after=len(rows))
    return len(rows)


def place(person: Person, row: Recheck, timecodes: tuple[str, str]) -> None:
    """Say where a note of the mix before lies in this one; both empty: where its sound was found.

    What became of it is worked out anew at once. Raises TimecodeError, or Refused where it cannot lie there.
    """
    mix = row.mix
    require(person, mix, Role.REVIEWER)
    begin, end = (t.strip() for t in timecodes)
    span = (mix.clock.seconds_at(begin), mix.clock.seconds_at(end)) if begin or end else None
    if span is not None and not 0 <= span[0] < min(span[1], mix.duration_s):
        raise Refused(
            "The note would end before it begins, or lie behind the end of the mix. Set its out after its in."
        )
    with transaction.atomic():
        lock_measured_runs(mix)
        said = PlacedByHand.objects.filter(mix=mix, mark=row.mark, withdrawn=None)
        said.update(withdrawn=timezone.now())
        if span is not None:
            in_sample, out_sample = mix.samples(span[0]), mix.samples(min(span[1], mix.duration_s))
            PlacedByHand.objects.create(mix=mix, mark=row.mark, in_sample=in_sample, out_sample=out_sample, by=person)
        record(mix.production, person, "place by hand", f"{mix}: {row.mark.label}", after=list(timecodes))
        rejudge(mix)


def _confirm(person: Person, rows: list[Recheck]) -> None:
    for row in rows:
        row.confirmed, row.confirmed_by, row.confirmed_at = row.result, person, timezone.now()
    Recheck.objects.bulk_update(rows, ["confirmed", "confirmed_by", "confirmed_at"])
