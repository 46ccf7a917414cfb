"""Whether everything runs, and how much waits, for whoever watches over it."""

import shutil
from collections.abc import Callable, Iterator
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET
from kombu.exceptions import OperationalError

from ..config.celery import app
from ..dispatch.excerpts import EXCERPTS
from ..dispatch.mails import DELIVERIES, NOTICES
from ..library.surveys import SURVEYS
from ..library.uploads import UPLOADS
from ..measuring.queue import RUNS
from ..people.mails import LINK_MAILS
from ..transcoding.playback import PLAYBACKS
from ..work.queue import Queue

_PATIENCE_S = 1.0
_QUEUES: tuple[Queue[Any], ...] = (UPLOADS, SURVEYS, RUNS, PLAYBACKS, EXCERPTS, DELIVERIES, NOTICES, LINK_MAILS)
_LOOPBACK = ("127.0.0.1", "::1")
_TEXT = "text/plain; version=0.0.4; charset=utf-8"


@never_cache
@require_GET
def health(_request: HttpRequest) -> HttpResponse:
    """200 where all of it answers, else 503; which part does not is named."""
    database, workers = _answers(_ask_database), _workers()
    found = {"web": True, "database": database, "queue": workers is not None, "workers": bool(workers)}
    return JsonResponse(found, status=200 if all(found.values()) else 503)


@never_cache
@require_GET
def figures(request: HttpRequest) -> HttpResponse:
    """Work by kind and state, workers and room, in the text format of OpenMetrics' forerunner.

    For the machine itself, or with the token of ``MEZZAVOCE_FIGURES_TOKEN``; nobody else learns that there is such a
    page.
    """
    said = request.headers.get("Authorization", "")
    has_token = bool(settings.FIGURES_TOKEN) and constant_time_compare(said, f"Bearer {settings.FIGURES_TOKEN}")
    if request.META.get("REMOTE_ADDR") not in _LOOPBACK and not has_token:
        raise Http404
    return HttpResponse("\n".join(_lines()) + "\n", content_type=_TEXT)


def _lines() -> Iterator[str]:
    yield "# HELP mezzavoce_work Pieces of work by kind and state."
    yield "# TYPE mezzavoce_work gauge"
    for queue in _QUEUES:
        rows = queue.rows.model._default_manager.order_by().values_list("state").annotate(n=Count("pk"))  # noqa: SLF001
        for state, count in sorted(rows):
            yield f'mezzavoce_work{{kind="{queue.kind}",state="{state}"}} {count}'
    yield "# HELP mezzavoce_work_due Pieces of work that a worker could take now, by kind."
    yield "# TYPE mezzavoce_work_due gauge"
    for queue in _QUEUES:
        yield f'mezzavoce_work_due{{kind="{queue.kind}"}} {queue.due().count()}'
    yield "# HELP mezzavoce_workers Processes that take work."
    yield "# TYPE mezzavoce_workers gauge"
    yield f"mezzavoce_workers {_workers() or 0}"
    yield "# HELP mezzavoce_free_bytes Room on the disk of the data folder."
    yield "# TYPE mezzavoce_free_bytes gauge"
    yield f"mezzavoce_free_bytes {shutil.disk_usage(settings.DATA_DIR).free}"
    yield "# HELP mezzavoce_time_seconds Seconds since 1970 of the server's clock."
    yield "# TYPE mezzavoce_time_seconds gauge"
    yield f"mezzavoce_time_seconds {timezone.now().timestamp():.0f}"


def _answers(ask: Callable[[], object]) -> bool:
    try:
        ask()
    except DatabaseError:
        return False
    return True


def _ask_database() -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")


def _workers() -> int | None:
    """How many workers answer; None where the queue does not."""
    try:
        return len(app.control.ping(timeout=_PATIENCE_S))
    except (OperationalError, OSError):
        return None
