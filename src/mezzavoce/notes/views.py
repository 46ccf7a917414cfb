"""Deciding and wording. Each answers with where to look next; pages refresh their parts from there."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from ..config.inputs import client_key, number, whole
from ..config.refusals import Refused, wants_json
from ..library.access import mix_for
from ..library.models import Membership
from ..measuring.orders import passage_sound
from . import actions
from .models import Decision


@login_required
@require_POST
def decide(request: HttpRequest, mark_id: int) -> HttpResponse:
    """Decide a mark in the mix it was born in."""
    mark = actions.mark_for(request.user, mark_id)
    do = actions.decide_alike if request.POST.get("alike") else actions.decide
    said = request.POST
    key = client_key(said.get("client_key"))
    do(request.user, mark, mark.born_mix, said.get("what", ""), said.get("reason", ""), key, seen=whole(said.get("seen")))
    return _back(request, mark.born_mix_id, mark.letters)


@login_required
@require_POST
def trim(request: HttpRequest, mark_id: int) -> HttpResponse:
    """Set in and out of a mark by hand."""
    mark = actions.mark_for(request.user, mark_id)
    actions.trim(request.user, mark, mark.born_mix, (request.POST.get("from", ""), request.POST.get("to", "")))
    return _back(request, mark.born_mix_id, mark.letters)


@login_required
@require_POST
def undo(request: HttpRequest, mix_id: int) -> HttpResponse:
    """Undo the last thing that was done to a mix."""
    deed = actions.undo(request.user, mix_for(request.user, mix_id, role=Membership.Role.REVIEWER))
    return _back(request, mix_id, deed.letters, again=not isinstance(deed.what, Decision))


@login_required
@require_POST
def word(request: HttpRequest, note_id: int) -> HttpResponse:
    """Change the wording of a note."""
    note = actions.note_for(request.user, note_id)
    version = whole(request.POST.get("version"))
    if version is None:
        raise Refused("This page is out of date; copy your words, reload, and put them in again.")
    actions.word_note(request.user, note, request.POST.get("text", ""), version)
    first = note.marks.first()
    return _back(request, note.mix_id, first.letters if first else "")


@login_required
@require_GET
def sound(request: HttpRequest, mix_id: int) -> HttpResponse:
    """A passage of a mix or of one of its stems; with ``mark`` as the remedy (or with ``choice`` an alternative) proposes it."""
    mix = mix_for(request.user, mix_id)
    asked = request.GET
    begin, end, choice = number(asked.get("from")), number(asked.get("to")), whole(asked.get("choice", "0"))
    if begin is None or end is None or choice is None:
        raise Refused("A passage needs its beginning and its end in seconds.")
    change = actions.remedy_of(mix, asked["mark"], choice) if asked.get("mark") else None
    wave = passage_sound(mix, asked.get("what", "mix"), (max(0.0, begin), end), change)
    return HttpResponse(wave, content_type="audio/wav", headers={"Cache-Control": "private, max-age=600"})


def _back(request: HttpRequest, mix_id: int, letters: str, *, again: bool = False) -> HttpResponse:
    """Where to look next; ``again`` where more than a decision changed."""
    address = f"{reverse('mix', args=[mix_id])}?mark={letters}"
    return JsonResponse({"address": address, "mark": letters, "again": again}) if wants_json(request) else redirect(address)
