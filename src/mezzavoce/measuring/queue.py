"""Runs waiting for a worker: claimed with a lease, fairly between productions. Losing the broker or a worker loses nothing."""

import uuid
from datetime import timedelta

from django.conf import settings
from django.db import transaction
from django.db.models import Count, Q
from django.utils import timezone

from .models import Run

MOST_ATTEMPTS = 3


def _lease_end() -> object:
    return timezone.now() + timedelta(seconds=settings.LEASE_S)


def claim() -> Run | None:
    """Take the next run: of the production that has fewest running, the oldest. None when there is nothing to do."""
    now = timezone.now()
    free = Q(state=Run.State.WAITING) | Q(state=Run.State.RUNNING, lease_until__lt=now)
    busy = dict(
        Run.objects.filter(state=Run.State.RUNNING, lease_until__gte=now)
        .values_list("mix__programme__production")
        .annotate(n=Count("id"))
        .values_list("mix__programme__production", "n")
    )
    candidates = sorted(Run.objects.filter(free).values_list("id", "mix__programme__production"), key=lambda c: (busy.get(c[1], 0), c[0]))
    for run_id, _ in candidates:
        with transaction.atomic():
            run = Run.objects.select_for_update(skip_locked=True).filter(free, pk=run_id).first()
            if run is None:
                continue
            if run.attempts >= MOST_ATTEMPTS:
                _give_up(run)
                continue
            run.state, run.attempts, run.lease_holder, run.lease_until = Run.State.RUNNING, run.attempts + 1, uuid.uuid4().hex, _lease_end()
            run.started, run.stage, run.progress = run.started or now, "starting", 0.0
            run.save()
        return run
    return None


def _give_up(run: Run) -> None:
    run.state, run.active_key, run.finished = Run.State.FAILED, None, timezone.now()
    run.error = (
        f"The worker stopped {run.attempts} times while it measured this mix. Export the file again, or give the worker more memory, then measure again."
    )
    run.save()


def hold(run: Run, progress: float, stage: str) -> bool:
    """Write progress and keep the lease. False when the run was cancelled or taken by somebody else."""
    held = Run.objects.filter(pk=run.pk, state=Run.State.RUNNING, lease_holder=run.lease_holder)
    return bool(held.update(progress=progress, stage=stage[:200], lease_until=_lease_end()))
