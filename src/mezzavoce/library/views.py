"""Intake, arriving files, and picture and sound for the browser."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from mezzavoce_core.media.probe import FileInfo

from ..config.refusals import Refused
from . import actions, uploads
from .access import file_for, mix_for, production_for, require
from .forms import IntakeForm
from .models import Membership, StoredFile
from .playback import listen as make_listen
from .serving import serve
from .sounds import holds_several, signature
from .storage import work_folder


@login_required
def intake(request: HttpRequest, production_id: int) -> HttpResponse:
    """The page where a mix is taken in; answers a script with where to go or what is wrong with which field."""
    production = production_for(request.user, production_id)
    if request.method != "POST":
        role = require(request.user, production)
        return render(request, "library/intake.html", {"production": production, "form": IntakeForm(production), "may": role != Membership.Role.GUEST})
    require(request.user, production, Membership.Role.REVIEWER)
    form = IntakeForm(production, request.POST)
    if not form.is_valid():
        errors = {name: " ".join(texts) for name, texts in form.errors.items()}
        return JsonResponse({"error": next(iter(errors.values())), "fields": errors}, status=422)
    chosen: dict[str, Any] = form.cleaned_data
    mix = actions.take_in(request.user, production, actions.Intake(**chosen))
    return JsonResponse({"address": reverse("mix", args=[mix.pk])}, status=201)


@login_required
@require_POST
def upload(request: HttpRequest, production_id: int) -> JsonResponse:
    """Announce a file."""
    try:
        size = int(request.POST.get("size", ""))
    except ValueError:
        raise Refused("The browser did not say how large the file is; choose it again.") from None
    row = uploads.begin(request.user, production_for(request.user, production_id), request.POST.get("name", ""), size)
    return JsonResponse({"address": reverse("upload-piece", args=[row.key]), "received": 0}, status=201)


@login_required
def upload_piece(request: HttpRequest, key: str) -> JsonResponse:
    """Where a broken upload goes on (GET), the next piece (PUT), or giving up (DELETE)."""
    row = uploads.find(request.user, key)
    if request.method == "PUT":
        try:
            offset = int(request.headers.get("Upload-Offset", ""))
        except ValueError:
            raise Refused("A piece came without its place; choose the file again.") from None
        row = uploads.add_piece(row, offset, request.body)
    elif request.method == "DELETE":
        uploads.give_up(row)
        return JsonResponse({})
    return JsonResponse({"received": row.received, "size": row.size})


@login_required
@require_POST
def upload_done(request: HttpRequest, key: str) -> JsonResponse:
    """The file is whole: its facts, for correction; whether it holds several sounds, and how such a file was mapped last."""
    row = uploads.finish(uploads.find(request.user, key))
    if row.kind == StoredFile.Kind.CAPTIONS:
        return JsonResponse({"id": row.pk, "name": row.name, "size": row.size, "facts": row.facts})
    info = FileInfo.from_dict(row.facts)
    remembered = row.production.track_maps.get(signature(info))
    several, address = holds_several(info), reverse("survey", args=[row.pk])
    answer = {"id": row.pk, "name": row.name, "size": row.size, "facts": row.facts | {"says_layout": info.says_layout}, "remembered": remembered}
    answer["survey"] = address if several else f"{address}?pairs=1" if remembered else None
    answer["pairs"] = f"{address}?pairs=1" if not several and info.channels > 2 else None
    return JsonResponse(answer)


@login_required
@require_GET
def survey(request: HttpRequest, file_id: int) -> JsonResponse:
    """The sounds of a file: tracks, proposed role, why, peaks; where each can be heard."""
    row = file_for(request.user, file_id)
    found = uploads.survey(row, in_pairs="pairs" in request.GET)
    address = reverse("listen", args=[row.pk])
    return JsonResponse({"lanes": [lane | {"listen": f"{address}?tracks={lane['tracks'].replace('+', '%2B')}"} for lane in found]})


@login_required
@require_GET
def listen(request: HttpRequest, file_id: int) -> HttpResponseBase:
    """Some seconds of some tracks of a file."""
    row = file_for(request.user, file_id)
    with work_folder() as folder:
        target = folder / "listen.mp4"
        make_listen(row, request.GET.get("tracks", ""), target)
        return HttpResponse(target.read_bytes(), content_type="audio/mp4", headers={"Cache-Control": "private, max-age=3600"})


@login_required
@require_GET
def playback(request: HttpRequest, mix_id: int) -> HttpResponseBase:
    """Picture and sound of a mix, byte ranges answered."""
    mix = mix_for(request.user, mix_id)
    if mix.playback is None or mix.playback.kind != StoredFile.Kind.PLAYBACK:
        raise Http404
    return serve(request, mix.playback, "video/mp4")
