"""Runs waiting for a worker. Losing the broker or a worker loses nothing."""

from django.conf import settings
from django.utils import timezone

from ..work.queue import Queue, Rules
from .models import Run

RUNS: Queue[Run] = Queue(
    kind="measuring",
    rows=Run.objects.all(),
    production="mix__programme__production_id",
    rules=Rules(
        lease_s=settings.LEASE_S,
        most_attempts=3,
        first_wait_s=5,
        given_up="The worker stopped {attempts} times while it measured this mix. Export the file again, or give the "
        "worker more memory, then measure again.",
    ),
)


def begin(run: Run) -> None:
    """A run that was just claimed says so."""
    RUNS.extend(run, stage="starting", progress=0.0, started=run.started or timezone.now())


def report_progress(run: Run, progress: float, stage: str) -> bool:
    """Write progress and keep the lease. False when the run was cancelled or taken by somebody else."""
    return RUNS.extend(run, progress=progress, stage=stage[:200])
