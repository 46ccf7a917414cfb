"""Reading runs and judgements; each selector takes the person, or what the person was already let in to."""

from collections.abc import Sequence

from django.db.models import Exists, OuterRef, QuerySet
from django.db.models.functions import Coalesce
from django.http import Http404

from ..accounts.access import require
from ..accounts.models import Person
from ..library.models import Mix
from .models import Judgement, Run

_NEWEST = 8
"""Judgements of a mix that are looked at: those of the newest run are among them, one for each spec."""


def newest_run(mix: Mix) -> Run | None:
    """The last run asked for."""
    return Run.objects.filter(mix=mix).order_by("-id").first()


def current_judgement(mix: Mix) -> Judgement | None:
    """The newest judgement of the newest measured run, by the spec that counts now if there is one."""
    wanted = mix.programme.judged_by.pk
    # Which one it is comes first, and its detail only when it is asked for: that is long.
    known = list(
        Judgement.objects.filter(run__mix=mix)
        .order_by("-run_id", "-judged_at", "-id")
        .values_list("pk", "run_id", "spec_version_id")[:_NEWEST]
    )
    newest = [(pk, spec) for pk, run, spec in known if run == known[0][1]]
    chosen = next((pk for pk, spec in newest if spec == wanted), newest[0][0] if newest else None)
    if chosen is None:
        return None
    return (
        Judgement.objects.filter(pk=chosen)
        .select_related("spec_version__spec", "series", "run__peaks")
        .defer("detail", "revisited")
        .first()
    )


def stale_mixes() -> list[Mix]:
    """Mixes with a run that was marked as stale: another spec counts by now.

    Costs what was marked, however many mixes there are.
    """
    fields = ("programme__production__spec_version__spec", "programme__spec_version__spec")
    return list(Mix.objects.filter(runs__stale=True).select_related(*fields).distinct().order_by("pk"))


def mark_stale(runs: QuerySet[Run]) -> int:
    """Have measured runs judged again by the spec that counts now; returns how many."""
    return runs.filter(state=Run.State.MEASURED, features__isnull=False).update(stale=True)


def unjudged() -> QuerySet[Run]:
    """The newest measured run of each mix that the spec that counts now has not judged.

    Looked for now and then, in case a mark was missed.
    """
    measured = Run.objects.filter(state=Run.State.MEASURED, features__isnull=False)
    newer = measured.filter(mix=OuterRef("mix"), pk__gt=OuterRef("pk"))
    counts_now = Coalesce(
        OuterRef("mix__programme__spec_version"), OuterRef("mix__programme__production__spec_version")
    )
    return measured.filter(
        ~Exists(newer), ~Exists(Judgement.objects.filter(run=OuterRef("pk"), spec_version=counts_now))
    )


def run_for(person: Person, run_id: int, role: str) -> Run:
    """A run of a production in which the person has at least a role, or Http404; NotAllowed for a member with less."""
    run = (
        Run.objects.select_related("mix__programme__production")
        .filter(pk=run_id, mix__programme__production__memberships__person=person)
        .first()
    )
    if run is None:
        raise Http404
    require(person, run.mix, role)
    return run


def active_runs(productions: Sequence[int]) -> QuerySet[Run]:
    """What of some productions waits or is measured now, oldest first."""
    states = (Run.State.WAITING, Run.State.RUNNING)
    return (
        Run.objects.filter(mix__programme__production__in=productions, state__in=states)
        .select_related("mix__programme")
        .order_by("id")
    )
