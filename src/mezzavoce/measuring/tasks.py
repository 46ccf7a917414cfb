"""The measuring worker. A message only wakes it; the database says what there is to do."""

from celery import shared_task
from celery.signals import worker_ready

from ..work.waking import wake_workers
from . import actions, pictures


@shared_task
def wake() -> None:
    """Work until nothing waits."""
    while actions.work_next():
        pass


@shared_task
def judge_stale() -> None:
    """Judge again what a changed or newly chosen spec left behind."""
    actions.judge_stale()


@shared_task
def find_stale() -> None:
    """Look for what should have been judged again and was not."""
    if actions.find_stale():
        actions.judge_stale()


@shared_task
def compare_pictures() -> None:
    """Compare the pictures of mixes that were laid beside each other."""
    while pictures.work_next():
        pass


@worker_ready.connect
def take_up(**_: object) -> None:
    """Whatever a stopped worker left is taken up at once."""
    wake_workers("measuring.tasks.wake")
    wake_workers("measuring.tasks.find_stale")
