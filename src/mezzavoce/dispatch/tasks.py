"""Mail and excerpts. A message only wakes; the rows say what there is to do."""

from celery import shared_task
from django.conf import settings

from ..work.waking import wake_workers
from . import excerpts, mails, music, reminders


@shared_task(time_limit=settings.MAIL_LIMIT_S)
def send_mail() -> None:
    """Send one mail, and have the next one sent by a task of its own: each has the whole time."""
    if mails.send_next() and mails.waiting():
        wake_workers("dispatch.tasks.send_mail")


@shared_task
def remind() -> None:
    """Write the reminders that are due."""
    reminders.remind()


@shared_task
def cut_excerpts() -> None:
    """Cut the passages that wait, and write the music that is wanted."""
    while excerpts.work_next() or music.work_next():
        pass
