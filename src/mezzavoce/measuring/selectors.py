"""Reading runs and judgements; each selector takes the person, or what the person was already let in to."""

from django.db.models import Prefetch, QuerySet
from django.http import Http404

from ..accounts.models import Person
from ..library.models import Mix, Production
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
    known = list(Judgement.objects.filter(run__mix=mix).order_by("-run_id", "-judged_at", "-id").values_list("pk", "run_id", "spec_version_id")[:_NEWEST])
    newest = [(pk, spec) for pk, run, spec in known if run == known[0][1]]
    chosen = next((pk for pk, spec in newest if spec == wanted), newest[0][0] if newest else None)
    return Judgement.objects.filter(pk=chosen).select_related("spec_version__spec", "series", "run__peaks").defer("detail", "again").first()


def stale_mixes() -> list[Mix]:
    """Mixes whose newest measured run has no judgement by the spec that counts now."""
    newest: dict[int, Run] = {}
    runs = Run.objects.filter(state=Run.State.MEASURED, features__isnull=False).order_by("id")
    for run in runs.select_related("mix__programme__production__spec_version__spec", "mix__programme__spec_version__spec"):
        newest[run.mix_id] = run
    judged = set(Judgement.objects.filter(run__in=[r.pk for r in newest.values()]).values_list("run_id", "spec_version_id"))
    return [r.mix for r in newest.values() if (r.pk, r.mix.programme.judged_by.pk) not in judged]


def run_for(person: Person, run_id: int) -> Run:
    """A run that the person may see, or Http404."""
    run = Run.objects.select_related("mix__programme__production").filter(pk=run_id, mix__programme__production__memberships__person=person).first()
    if run is None:
        raise Http404
    return run


def active_runs(production: Production) -> QuerySet[Run]:
    """What waits or is measured now, oldest first."""
    states = (Run.State.WAITING, Run.State.RUNNING)
    return Run.objects.filter(mix__programme__production=production, state__in=states).select_related("mix__programme").order_by("id")


def runs_for_lists() -> Prefetch:
    """Runs of mixes with judgements, without the long texts, newest first."""
    judgements = Judgement.objects.defer("detail").select_related("spec_version__spec").order_by("-id")
    return Prefetch("runs", Run.objects.order_by("-id").prefetch_related(Prefetch("judgements", judgements)))
