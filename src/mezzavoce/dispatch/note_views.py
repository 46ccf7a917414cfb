"""The page of one note, and notes joined and split."""

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from mezzavoce_core.exchange.words import change, lack, prediction

from ..accounts.access import Role
from ..accounts.requests import PersonRequest
from ..config.inputs import way_back, whole
from ..config.refusals import Refused
from ..library import contacts
from ..library.contacts import PARTS
from ..library.selectors import mix_for
from ..notes import actions, editing, for_all, joining
from ..notes.models import Note
from ..notes.proposal import NONE, OWN, as_told, offered, placements_of, proposed_text
from .excerpts import span

_EMPTY_ROWS = 3


@login_required
@require_http_methods(["GET", "POST"])
def note(request: PersonRequest, note_id: int) -> HttpResponse:
    """What a note says, whom it is for, what it proposes; and changing that."""
    row = actions.note_for(request.user, note_id)
    if request.method == "POST":
        version = whole(request.POST.get("version"))
        if version is None:
            raise Refused("This page is out of date; copy your words, reload, and put them in again.")
        editing.change_note(request.user, row, _change(request, row), version)
        return redirect("notes", row.mix_id)
    places = placements_of(row)
    own = row.own_points or {"role": places[0].mark.role, "points": []}
    points = [(row.mix.clock.timecode_in(p["at_s"]), f"{p['gain_db']:.1f}") for p in own["points"]]
    first = places[0].evidence
    context = {
        "note": row,
        "mix": row.mix,
        "places": places,
        "remedies": [(k, change(r, first["kind"]), lack(r), prediction(r)) for k, r in enumerate(offered(first))],
        "told": as_told(row, row.mix, first)["remedy"],
        "hear": [f"{s:.3f}" for s in span(first, row.mix.duration_s)],
        "none": NONE,
        "own": OWN,
        "own_role": own["role"],
        "points": points + [("", "")] * _EMPTY_ROWS,
        "parts": PARTS.items(),
        "weights": editing.WEIGHTS,
        "contacts": list(contacts.contacts_of(row.mix.production)),
        "proposed": proposed_text(row, row.mix, places),
        "may": row.state in Note.STANDING,
    }
    return render(request, "dispatch/note.html", context)


def _change(request: PersonRequest, row: Note) -> editing.Change:
    said = request.POST
    addressee, chosen = whole(said.get("addressee")), said.get("remedy", "0")
    contact = contacts.contacts_of(row.mix.production).filter(pk=addressee).first() if addressee else None
    choice = {"none": NONE, "own": OWN}.get(chosen, whole(chosen))
    if choice is None:
        raise Refused("This remedy is not offered. Reload the page and choose again.")
    own = (
        editing.own_points(row.mix, said.get("role", ""), said.getlist("at"), said.getlist("gain"))
        if choice == OWN
        else None
    )
    return editing.Change(said.get("text", ""), said.get("severity", row.severity), contact, choice, own)


@login_required
@require_POST
def join(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Tell some notes in one."""
    mix = mix_for(request.user, mix_id, role=Role.REVIEWER)
    ticked = [n for n in map(whole, request.POST.getlist("note")) if n is not None]
    joining.join(request.user, mix, ticked)
    return redirect("notes", mix.pk)


@login_required
@require_POST
def add_for_all(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Something that holds in all programmes."""
    mix, said = mix_for(request.user, mix_id, role=Role.REVIEWER), request.POST
    for_all.add(request.user, mix.production, said.get("title", ""), said.get("text", ""), said.get("severity", ""))
    return redirect("notes", mix.pk)


@login_required
@require_POST
def withdraw_for_all(request: PersonRequest, series_note_id: int) -> HttpResponse:
    """It holds no more."""
    for_all.withdraw(request.user, for_all.series_note_for(request.user, series_note_id))
    return redirect(way_back(request))


@login_required
@require_POST
def split(request: PersonRequest, note_id: int) -> HttpResponse:
    """Tell everything that was joined into a note by itself again."""
    row = actions.note_for(request.user, note_id)
    joining.split(request.user, row)
    return redirect("notes", row.mix_id)
