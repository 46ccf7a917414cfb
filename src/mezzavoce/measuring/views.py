"""Asking for a measurement, cancelling it, and the curves that the page draws."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from ..library.access import mix_for
from ..library.serving import serve
from . import actions
from .selectors import current_judgement, run_for


@login_required
@require_POST
def measure(request: HttpRequest, mix_id: int) -> HttpResponse:
    """Measure (again)."""
    actions.request_run(request.user, mix_for(request.user, mix_id))
    return redirect("mix", mix_id)


@login_required
@require_POST
def cancel(request: HttpRequest, run_id: int) -> HttpResponse:
    """Cancel a run."""
    run = run_for(request.user, run_id)
    actions.cancel_run(request.user, run)
    return redirect("mix", run.mix_id)


@login_required
@require_GET
def series(request: HttpRequest, mix_id: int) -> HttpResponseBase:
    """The curves of the current judgement, compact binary."""
    judgement = current_judgement(mix_for(request.user, mix_id))
    if judgement is None or judgement.series is None:
        raise Http404
    response = serve(request, judgement.series, "application/octet-stream")
    response["Cache-Control"] = "private, no-cache"
    return response
