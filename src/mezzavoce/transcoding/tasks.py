"""Films for the browser. A message only wakes; the rows say what there is to do."""

from celery import shared_task

from . import playback


@shared_task
def make_playbacks() -> None:
    """Make picture and sound for the browser until nothing waits."""
    while playback.work_next():
        pass
