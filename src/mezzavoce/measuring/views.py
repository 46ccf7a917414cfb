"""Asking for a measurement, cancelling it, and the curves that the page draws."""

from django.contrib.auth.decorators import login_required
from django.core.files.storage import default_storage
from django.http import Http404, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import redirect
from django.utils.cache import get_conditional_response
from django.utils.http import quote_etag
from django.views.decorators.http import require_GET, require_POST

from mezzavoce_core.exchange.series import without

from ..accounts.requests import PersonRequest
from ..config.inputs import number
from ..config.refusals import Refused
from ..library.models import Membership, Mix
from ..library.selectors import mix_for
from ..library.serving import serve
from . import actions
from .core_requests import samples as samples_of
from .selectors import current_judgement, run_for

_HAVE_LENGTH = 400


@login_required
@require_POST
def measure(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Measure (again)."""
    actions.request_run(request.user, _mix(request, mix_id))
    return redirect("mix", mix_id)


@login_required
@require_POST
def cancel(request: PersonRequest, run_id: int) -> HttpResponse:
    """Cancel a run."""
    run = run_for(request.user, run_id, Membership.Role.REVIEWER)
    actions.cancel_run(request.user, run)
    return redirect("mix", run.mix_id)


@login_required
@require_POST
def remove_mix(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Take a mix out again that could not be measured."""
    mix = _mix(request, mix_id)
    actions.remove_mix(request.user, mix)
    return redirect("production", mix.production.pk)


@login_required
@require_GET
def series(request: PersonRequest, mix_id: int) -> HttpResponseBase:
    """The curves of the current judgement, compact binary; without those that the page says it has."""
    judgement = current_judgement(mix_for(request.user, mix_id))
    if judgement is None or judgement.series is None:
        raise Http404
    # A stored file never changes.
    etag = quote_etag(judgement.series.key.hex)
    response = get_conditional_response(request, etag=etag)
    if response is None:
        have = request.GET.get("have", "")[:_HAVE_LENGTH].split(",")
        with default_storage.open(judgement.series.storage_name) as file:
            response = HttpResponse(without(file.read(), have), content_type="application/octet-stream")
    response["ETag"], response["Cache-Control"] = etag, "private, no-cache"
    return response


def _mix(request: PersonRequest, mix_id: int) -> Mix:
    """A mix that the person may change."""
    return mix_for(request.user, mix_id, role=Membership.Role.REVIEWER)


@login_required
@require_GET
def peaks(request: PersonRequest, mix_id: int) -> HttpResponseBase:
    """True peaks of every channel at several levels of detail; a page asks for the bytes of its view."""
    judgement = current_judgement(mix_for(request.user, mix_id))
    if judgement is None or judgement.run.peaks is None:
        raise Http404
    return serve(request, judgement.run.peaks, "application/octet-stream")


@login_required
@require_GET
def samples(request: PersonRequest, mix_id: int) -> JsonResponse:
    """The samples of a moment, every channel, for pictures at sample resolution."""
    mix = mix_for(request.user, mix_id)
    from_s, length_s = number(request.GET.get("from")), number(request.GET.get("length"))
    if from_s is None or length_s is None:
        raise Refused("A moment needs its beginning and its length in seconds.")
    return JsonResponse(samples_of(mix, max(0.0, from_s), length_s))
