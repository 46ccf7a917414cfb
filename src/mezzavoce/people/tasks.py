"""Mails with links. A message only wakes; the rows say what there is to do."""

from celery import shared_task
from django.conf import settings

from ..work.waking import wake_workers
from . import mails


@shared_task(time_limit=settings.MAIL_LIMIT_S)
def send_links() -> None:
    """Send one mail, and have the next one sent by a task of its own: each has the whole time."""
    if mails.send_next() and mails.waiting():
        wake_workers("people.tasks.send_links")
