"""Deciding and wording. Each answers with where to look next; pages refresh their parts from there."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from ..config.refusals import Refused, wants_json
from ..library.access import mix_for
from . import actions


@login_required
@require_POST
def decide(request: HttpRequest, mark_id: int) -> HttpResponse:
    """Decide a mark in the mix it was born in."""
    mark = actions.mark_for(request.user, mark_id)
    actions.decide(request.user, mark, mark.born_mix, request.POST.get("what", ""), request.POST.get("reason", ""), request.POST.get("client_key") or None)
    return _back(request, mark.born_mix_id, mark.letters)


@login_required
@require_POST
def undo(request: HttpRequest, mix_id: int) -> HttpResponse:
    """Undo the last decision on a mix."""
    decision = actions.undo(request.user, mix_for(request.user, mix_id))
    return _back(request, mix_id, decision.mark.letters)


@login_required
@require_POST
def word(request: HttpRequest, note_id: int) -> HttpResponse:
    """Change the wording of a note."""
    note = actions.note_for(request.user, note_id)
    try:
        version = int(request.POST.get("version", ""))
    except ValueError:
        raise Refused("This page is out of date; copy your words, reload, and put them in again.") from None
    actions.word_note(request.user, note, request.POST.get("text", ""), version)
    first = note.marks.first()
    return _back(request, note.mix_id, first.letters if first else "")


def _back(request: HttpRequest, mix_id: int, letters: str) -> HttpResponse:
    address = f"{reverse('mix', args=[mix_id])}?mark={letters}"
    return JsonResponse({"address": address, "mark": letters}) if wants_json(request) else redirect(address)
