"""A new mix beside the one before: showing it, and confirming what became of a note."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from ..accounts.access import Role
from ..accounts.requests import PersonRequest
from ..config.refusals import wants_json
from ..library.selectors import mix_for
from ..recheck import actions
from ..recheck.selectors import Laid
from .beside import beside


@login_required
@require_GET
def page(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Mix beside mix."""
    mix = mix_for(request.user, mix_id)
    return render(request, "screens/beside.html", {"beside": beside(request.user, mix), "mix": mix})


@login_required
@require_POST
def confirm(request: PersonRequest, recheck_id: int) -> HttpResponse:
    """What became of a note is so; what is left of it is noted again, or allowed."""
    row, said = actions.recheck_for(request.user, recheck_id), request.POST
    actions.confirm(request.user, row, said.get("seen", ""), said.get("what", ""), said.get("reason", ""))
    if wants_json(request):
        return JsonResponse({"open": len(Laid(row.mix).open)})
    return redirect("beside", row.mix_id)


@login_required
@require_POST
def place(request: PersonRequest, recheck_id: int) -> HttpResponse:
    """Where a note of the former mix lies in the new one, as a person says."""
    row, said = actions.recheck_for(request.user, recheck_id), request.POST
    actions.place(request.user, row, (said.get("from", ""), said.get("to", "")))
    address = reverse("beside", args=[row.mix_id])
    return JsonResponse({"address": address}) if wants_json(request) else redirect(address)


@login_required
@require_POST
def confirm_all(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Everything that became of notes is so."""
    mix = mix_for(request.user, mix_id, role=Role.REVIEWER)
    count = actions.confirm_all(request.user, mix)
    messages.success(request, f"{count} confirmed.")
    return redirect("beside", mix.pk)
