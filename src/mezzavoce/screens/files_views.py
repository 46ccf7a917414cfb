"""The page of a mix's files: what it is made of, putting that right, and deleting a mix or a programme."""

from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from ..accounts.access import Role, role_in
from ..accounts.requests import PersonRequest
from ..library import intake
from ..library.forms import MixForm
from ..library.models import Mix
from ..library.selectors import mix_for, programme_for
from ..library.sounds import tracks_of
from ..library.views import facts_of
from ..measuring import mending
from ..notes.wording import rate_words
from ..recheck import removal


@login_required
@require_http_methods(["GET", "POST"])
def files(request: PersonRequest, mix_id: int) -> HttpResponse:
    """What a mix is made of; a script sends what is to count instead, and hears where to go or what is wrong."""
    if request.method == "POST":
        return _put_right(request, mix_for(request.user, mix_id, role=Role.REVIEWER))
    mix = mix_for(request.user, mix_id, "captions", "ingested_by")
    role = role_in(request.user, mix.production)
    tracks = tracks_of(mix)
    context = {
        "mix": mix,
        "tracks": tracks,
        "rate": rate_words(mix),
        "form": MixForm(mix.production),
        "may": role != Role.GUEST and not mix.archived and not any(t.file.removed_at for t in tracks),
        "may_delete": role == Role.LEAD and not mix.archived,
        "known": _known(mix),
    }
    return render(request, "screens/files.html", context)


def _put_right(request: PersonRequest, mix: Mix) -> JsonResponse:
    form = MixForm(mix.production, request.POST)
    if not form.is_valid():
        errors = {name: " ".join(map(str, texts)) for name, texts in form.errors.items()}
        return JsonResponse({"error": next(iter(errors.values())), "fields": errors}, status=422)
    chosen: dict[str, Any] = form.cleaned_data
    changed = mending.put_right(request.user, mix, intake.Given(**chosen))
    messages.success(request, f"Put right: {', '.join(changed.words)}." if changed.words else "Nothing was different.")
    return JsonResponse({"address": reverse("mix" if changed.words else "mix-files", args=[mix.pk])})


def _known(mix: Mix) -> dict[str, Any]:
    """The files of a mix as the script of the ingest page knows files, with the roles that they have."""
    found: dict[int, dict[str, Any]] = {}
    for track in tracks_of(mix):
        one = found.setdefault(track.file_id, facts_of(track.file) | {"role": track.role})
        if track.tracks:
            one.setdefault("roles", {})[track.tracks] = track.role
    for pk, one in found.items():
        roles = one.pop("roles", None)
        several = one["survey"] or one["pairs"] or (f"{reverse('survey', args=[pk])}?pairs=1" if roles else None)
        lanes = {"survey": several, "pairs": None} if roles else {"survey": None, "pairs": several}
        one.update(lanes, remembered={"roles": roles, "layout": mix.layout})
    captions = [facts_of(mix.captions) | {"role": "captions"}] if mix.captions else []
    return {"files": [*found.values(), *captions], "timing": {"rate": mix.rate_in_core, "start": mix.start_timecode}}


@login_required
@require_http_methods(["GET", "POST"])
def delete_mix(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Say what goes with a mix (GET), and delete it (POST)."""
    mix = mix_for(request.user, mix_id, role=Role.LEAD)
    if request.method == "POST":
        removal.delete_mix(request.user, mix, request.POST.get("seen", ""))
        messages.success(request, f"{mix} is deleted.")
        return redirect("programmes", mix.production.pk)
    context = {"name": str(mix), "production": mix.production, "goes": removal.goes_with([mix]), "mix": mix}
    return render(request, "screens/delete.html", context)


@login_required
@require_http_methods(["GET", "POST"])
def delete_programme(request: PersonRequest, programme_id: int) -> HttpResponse:
    """Say what goes with a programme (GET), and delete it (POST)."""
    programme = programme_for(request.user, programme_id, Role.LEAD)
    if request.method == "POST":
        removal.delete_programme(request.user, programme, request.POST.get("seen", ""))
        messages.success(request, f"{programme} is deleted.")
        return redirect("programmes", programme.production_id)
    goes = removal.goes_with(list(programme.mixes.all()))
    return render(
        request, "screens/delete.html", {"name": str(programme), "production": programme.production, "goes": goes}
    )
