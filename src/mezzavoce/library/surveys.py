"""Looking through files with several sounds.

A file with a hundred tracks takes a minute, so a worker does it and the page asks until it is done.
"""

from typing import Any

from django.conf import settings
from django.db import transaction

from ..config.refusals import Refused
from ..processes.core import ask
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from ..work.waking import wake_workers_on_commit
from .models import StoredFile, Survey
from .storage import local_copy

SURVEYS: Queue[Survey] = Queue(
    kind="survey",
    rows=Survey.objects.all(),
    production="file__production_id",
    rules=Rules(
        lease_s=60,
        most_attempts=3,
        first_wait_s=5,
        given_up="The worker stopped {attempts} times while it looked through this file. Give the roles by hand, or "
        "export the file again.",
    ),
)


def sounds_of(row: StoredFile, *, in_pairs: bool = False) -> list[dict[str, Any]] | None:
    """The sounds of a file with a proposed role each; None as long as it is looked through.

    ``in_pairs``: its channels are pairs, whatever the file calls them.

    Raises Refused where it could not be looked through.
    """
    if row.survey is not None and not (in_pairs and len(row.survey) == 1):
        found: list[dict[str, Any]] = row.survey
        return found
    with transaction.atomic():
        look, made = Survey.objects.select_for_update().get_or_create(file=row, defaults={"in_pairs": in_pairs})
        if look.state == Survey.State.FAILED:
            raise Refused(look.error)
        if not made and look.state == Survey.State.READY:
            # Looked through once, as one sound; now in pairs.
            look.release(Survey.State.WAITING)
            look.in_pairs, look.attempts = in_pairs, 0
            look.save()
        wake_workers_on_commit("library.tasks.look_at_files")
    return None


def work_next() -> bool:
    """Look through the next file. Returns whether there was one."""
    return work_through(SURVEYS, _look_through)


def _look_through(look: Survey) -> None:
    row = look.file
    limit_s = settings.CORE_SECONDS + settings.CORE_SECONDS_PER_SECOND * row.info.duration_s
    with local_copy(row) as path:
        told = ask(
            "survey",
            lambda: SURVEYS.extend(look),
            limit_s=limit_s,
            path=str(path),
            name=row.name,
            in_pairs=look.in_pairs,
        )
    with transaction.atomic():
        if SURVEYS.end(look, Survey.State.READY):
            StoredFile.objects.filter(pk=row.pk).update(survey=told)
