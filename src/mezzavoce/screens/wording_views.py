"""How a production words its notes: every kind of finding with its wording, tried on what was found."""

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from mezzavoce_core.exchange.wording import DEFAULT, PLACES

from ..accounts.access import Role, role_in
from ..accounts.requests import PersonRequest
from ..config.refusals import wants_json
from ..library.selectors import production_for
from ..notes import wordings


@login_required
@require_http_methods(["GET", "POST"])
def page(request: PersonRequest, production_id: int) -> HttpResponse:
    """All wordings; a POST changes the one of a kind."""
    if request.method == "POST":
        production = production_for(request.user, production_id, Role.REVIEWER)
        kind, text = request.POST.get("kind", ""), request.POST.get("text", "").replace("\r\n", "\n")
        wordings.set_wording(request.user, production, kind, text)
        return JsonResponse({"text": text}) if wants_json(request) else redirect("wordings", production.pk)
    production = production_for(request.user, production_id)
    role = role_in(request.user, production)
    context = {
        "production": production,
        "worded": wordings.wordings_of(production),
        "places": PLACES.items(),
        "default": DEFAULT,
        "length": wordings.LENGTH,
        "may": role != Role.GUEST and not production.archived,
    }
    return render(request, "screens/wordings.html", context)


@login_required
@require_GET
def tried(request: PersonRequest, production_id: int) -> JsonResponse:
    """A wording on the newest finding of its kind, before it is saved."""
    production = production_for(request.user, production_id)
    text = request.GET.get("text", "").replace("\r\n", "\n")
    return JsonResponse({"text": wordings.tried_on(production, request.GET.get("kind", ""), text)})
