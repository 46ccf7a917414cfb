"""Waking a worker.

The rows say what there is to do, so a message that does not arrive costs some seconds and is no error.
"""

import logging
from functools import partial

from django.db import transaction
from kombu.exceptions import OperationalError

from ..config.celery import app

_LOG = logging.getLogger(__name__)


def wake_workers_on_commit(task: str) -> None:
    """Wake whoever does a task, once what there is to do is certain.

    Tasks are named and not imported: they import what calls this.
    """
    transaction.on_commit(partial(wake_workers, task))


def wake_workers(task: str) -> None:
    """Wake whoever does a task; where the queue is away, the next sweep finds the row."""
    try:
        app.send_task(f"mezzavoce.{task}", retry=False)
    except (OperationalError, OSError) as error:
        _LOG.warning("The queue does not answer (%s); %s is found by the next sweep.", error, task)
