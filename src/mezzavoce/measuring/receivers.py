"""A mix that is ingested is measured, and prepared for the browser; what a newer run has replaced is released."""

from typing import Any

from django.db import transaction
from django.db.models import Exists, OuterRef, Q
from django.dispatch import receiver

from ..accounts.models import Person
from ..library.models import Mix
from ..library.signals import ingested, sweeping
from ..transcoding.signals import playback_ready
from ..work.waking import wake_workers_on_commit
from .actions import request_run
from .models import Judgement, Run


@receiver(ingested)
def measure(mix: Mix, person: Person, **_: Any) -> None:
    """Ask for both in the transaction of the ingest page."""
    request_run(person, mix)
    wake_workers_on_commit("transcoding.tasks.make_playbacks")


@receiver(playback_ready)
def compare(**_: Any) -> None:
    """Wake whoever compares pictures: one of two may have waited for this one."""
    wake_workers_on_commit("measuring.tasks.compare_pictures")


@receiver(sweeping)
def let_go_of_old_runs(dry_run: bool, **_: Any) -> set[int]:
    """Features, peaks and curves of runs that a newer measurement of the same mix has replaced."""
    newer = Run.objects.filter(
        mix=OuterRef("mix"), state=Run.State.MEASURED, features__isnull=False, pk__gt=OuterRef("pk")
    )
    old = Run.objects.filter(Exists(newer)).exclude(state__in=(Run.State.WAITING, Run.State.RUNNING))
    old = old.filter(Q(features__isnull=False) | Q(peaks__isnull=False) | Q(judgements__isnull=False)).distinct()
    pks = list(old.values_list("pk", flat=True))
    runs = Run.objects.filter(pk__in=pks)
    judgements = Judgement.objects.filter(run__in=pks)
    files = {
        pk
        for rows in (runs.values_list("features", "peaks"), judgements.values_list("series"))
        for row in rows
        for pk in row
        if pk
    }
    if not dry_run:
        with transaction.atomic():
            # Disposable, as all that is derived; what people said refers to marks and mixes.
            judgements.delete()
            runs.update(features=None, peaks=None)
    return files


@receiver(sweeping)
def let_go_of_archived(dry_run: bool, out_of_time: set[int], **_: Any) -> set[int]:
    """Features of programmes whose sound and picture are kept no longer; judgements and curves stay."""
    runs = Run.objects.filter(mix__programme__in=out_of_time, features__isnull=False)
    files = set(runs.values_list("features", flat=True))
    if not dry_run:
        runs.update(features=None, stale=False)
    return {pk for pk in files if pk}
