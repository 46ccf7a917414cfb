"""Errands of the library. A message only wakes; the rows say what there is to do."""

from celery import shared_task

from . import surveys, sweep, uploads


@shared_task
def look_at_files() -> None:
    """Look at files that have arrived, and through those with several sounds."""
    while uploads.work_next() or surveys.work_next():
        pass


@shared_task
def tidy_up() -> None:
    """Remove what nothing points at."""
    sweep.sweep()
