"""The review page: showing it, telling what changed on it, and what a person does there.

Each answers with what changed by it.
"""

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse, QueryDict
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from ..accounts.requests import PersonRequest
from ..config.inputs import client_key, whole
from ..config.refresh import respond, seen_by
from ..config.refusals import Refused, wants_json
from ..library.models import Membership, Mix
from ..library.selectors import mix_for
from ..measuring import actions as measuring
from ..notes import actions as notes
from ..notes import by_hand, editing
from .review import review
from .state import state_of


@login_required
@require_GET
def page(request: PersonRequest, mix_id: int) -> HttpResponse:
    """The review page."""
    return render(request, "screens/review.html", {"review": review(request.user, mix_id, request.GET.get("mark"))})


@login_required
@require_GET
def state(request: PersonRequest, mix_id: int) -> HttpResponse:
    """What changed since the page asked last: 204 where nothing did."""
    if not wants_json(request):
        return redirect("mix", mix_id)
    return _state(request, mix_id)


@login_required
@require_POST
def decide(request: PersonRequest, mix_id: int, mark_id: int) -> HttpResponse:
    """Decide a mark in the mix that is shown, wherever it was found first."""
    mark, mix = notes.mark_for(request.user, mix_id, mark_id)
    do = notes.decide_alike if request.POST.get("alike") else notes.decide
    said = request.POST
    key = client_key(said.get("client_key"))
    do(request.user, mark, mix, said.get("what", ""), said.get("reason", ""), key, seen=whole(said.get("seen")))
    return _changed(request, mix_id, mark.label)


@login_required
@require_POST
def trim(request: PersonRequest, mix_id: int, mark_id: int) -> HttpResponse:
    """Set in and out of a mark by hand."""
    mark, mix = notes.mark_for(request.user, mix_id, mark_id)
    notes.trim(request.user, mark, mix, (request.POST.get("from", ""), request.POST.get("to", "")))
    return _changed(request, mix_id, mark.label)


@login_required
@require_POST
def undo(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Undo the last thing that was done to a mix, and go to the mark that it was about."""
    action = notes.undo(request.user, _mix(request, mix_id))
    return _changed(request, mix_id, action.label, goes_there=True)


@login_required
@require_POST
def word(request: PersonRequest, note_id: int) -> HttpResponse:
    """Change the wording of a note."""
    note = notes.note_for(request.user, note_id)
    version = whole(request.POST.get("version"))
    if version is None:
        raise Refused("This page is out of date; copy your words, reload, and put them in again.")
    editing.word_note(request.user, note, request.POST.get("text", ""), version)
    first = note.marks.first()
    return _changed(request, note.mix_id, first.label if first else "")


@login_required
@require_POST
def note_by_hand(request: PersonRequest, mix_id: int) -> HttpResponse:
    """A note of one's own about a stretch; the answer says where it is."""
    said, mix = request.POST, _mix(request, mix_id)
    span = (said.get("from", ""), said.get("to", ""))
    words = by_hand.Said(said.get("title", ""), said.get("text", ""), said.get("kind", ""), said.get("part", "mix"))
    mark = by_hand.note_by_hand(request.user, mix, span, words)
    address = f"{reverse('mix', args=[mix.pk])}?mark={mark.label}"
    return JsonResponse({"address": address}, status=201) if wants_json(request) else redirect(address)


@login_required
@require_POST
def correct(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Say what a stretch of the mix is; judged again at once."""
    measuring.correct(request.user, _mix(request, mix_id), *_stretch(request.POST))
    return _changed(request, mix_id)


@login_required
@require_POST
def prejudge(request: PersonRequest, mix_id: int) -> JsonResponse:
    """What somebody is about to say of a stretch; nothing counts by it, but saying it takes less time then."""
    measuring.prejudge(request.user, _mix(request, mix_id), *_stretch(request.POST))
    return JsonResponse({})


@login_required
@require_POST
def set_range(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Say what of the file is programme, or go back to what was found; judged again at once."""
    mix = _mix(request, mix_id)
    begins, ends = request.POST.getlist("from"), request.POST.getlist("to")
    if len(begins) != len(ends):
        raise Refused("A range came without its in or its out. Set both, then save again.")
    measuring.set_ranges(request.user, mix, None if request.POST.get("found") else list(zip(begins, ends, strict=True)))
    return _changed(request, mix_id)


def _mix(request: PersonRequest, mix_id: int) -> Mix:
    """A mix that the person may change."""
    return mix_for(request.user, mix_id, role=Membership.Role.REVIEWER)


def _stretch(said: QueryDict) -> tuple[str, tuple[str, str], tuple[str, str] | None]:
    """What a form says of which stretch, instead of which one if it was there before; as timecodes."""
    begin = said.get("instead-from")
    instead = (begin, said.get("instead-to", "")) if begin else None
    return said.get("kind", ""), (said.get("from", ""), said.get("to", "")), instead


def _changed(request: PersonRequest, mix_id: int, label: str = "", *, goes_there: bool = False) -> HttpResponse:
    """What changed by it, for a script; for a form without one, the way back to the mark that it was about."""
    if wants_json(request):
        return _state(request, mix_id, label if goes_there else "")
    return redirect(f"{reverse('mix', args=[mix_id])}?mark={label}")


def _state(request: PersonRequest, mix_id: int, label: str = "") -> HttpResponse:
    """What changed; the page says which mark it wants to show, unless another is to be gone to."""
    wanted = label or request.GET.get("mark", "")
    found = review(request.user, mix_id, wanted)
    return respond(found.version, state_of(request, found, wanted, request.GET.get("shown", ""), seen_by(request)))
