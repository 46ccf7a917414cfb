"""The desk, and what is up next over all productions."""

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from ..accounts.requests import PersonRequest
from ..config.refresh import changed, encoded, rendered, respond, seen_by
from ..config.refusals import wants_json
from ..library.selectors import production_for, productions_of, shipped_specs
from .desk import desk
from .up_next import UpNext
from .versions import version_of_desk

_PARTS = {
    "waiting": ("screens/_desk_waiting.html", {"trail", "ended"}),
    "runs": ("screens/_desk_runs.html", {"runs"}),
    "rows": ("screens/_desk_rows.html", {"trail", "ended"}),
}
"""Each part of the desk with its template and the sources that it is drawn from."""
_TASK_PARTS = (("tasks", "screens/_tasks.html"), ("counts", "screens/_task_counts.html"))


@login_required
@require_GET
def home(request: PersonRequest) -> HttpResponse:
    """The desk of the first production, or word that there is none yet."""
    first = productions_of(request.user).first()
    if first is None:
        return render(request, "screens/no_production.html", {"specs": shipped_specs()})
    return production(request, first.pk)


@login_required
@require_GET
def production(request: PersonRequest, production_id: int) -> HttpResponse:
    """The desk of one production."""
    found = production_for(request.user, production_id)
    # The version is read first: what changes while the desk is put together is told the next time.
    version = encoded(version_of_desk([found.pk], {}))
    context = {"version": version, "desk": desk(request.user, found), "productions": productions_of(request.user)}
    return render(request, "screens/desk.html", context)


@login_required
@require_GET
def up_next(request: PersonRequest) -> HttpResponse:
    """What is a person's to do over all their productions."""
    found = UpNext(request.user)
    context = {"version": encoded(version_of_desk(found.keys, {})), "up_next": found}
    return render(request, "screens/up_next.html", context)


@login_required
@require_GET
def up_next_state(request: PersonRequest) -> HttpResponse:
    """What changed there since the page asked last: 204 where nothing did."""
    if not wants_json(request):
        return redirect("up-next")
    found, seen = UpNext(request.user), seen_by(request)
    version = version_of_desk(found.keys, seen)
    names = _TASK_PARTS if changed(version, seen) & {"trail", "ended"} else ()
    return respond(version, {"parts": rendered(request, names, {"up_next": found})} if names else {})


@login_required
@require_GET
def desk_state(request: PersonRequest, production_id: int) -> HttpResponse:
    """What changed on the desk since the page asked last: 204 where nothing did."""
    if not wants_json(request):
        return redirect("production", production_id)
    found = production_for(request.user, production_id)
    seen = seen_by(request)
    version = version_of_desk([found.pk], seen)
    new = changed(version, seen)
    names = [(name, template) for name, (template, sources) in _PARTS.items() if new & sources]
    if not names:
        return respond(version, {})
    parts = rendered(request, names, {"desk": desk(request.user, found), "productions": productions_of(request.user)})
    return respond(version, {"parts": parts})
