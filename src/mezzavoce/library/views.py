"""Ingest and arriving files."""

from typing import Any

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from ..accounts.access import require
from ..accounts.requests import PersonRequest
from ..config.inputs import whole
from ..config.refusals import Refused
from . import intake, surveys, uploads
from .forms import IngestForm
from .models import Membership, StoredFile, Upload
from .selectors import file_for, production_for
from .sounds import holds_several, signature
from .storage import free_bytes


@login_required
def ingest(request: PersonRequest, production_id: int) -> HttpResponse:
    """The page where a mix is ingested; answers a script with where to go or what is wrong with which field."""
    production = production_for(request.user, production_id)
    if request.method != "POST":
        role = require(request.user, production)
        context = {"production": production, "form": IngestForm(production), "may": role != Membership.Role.GUEST}
        context |= {
            "unfinished": uploads.unfinished(request.user, production),
            "room": max(0, free_bytes()),
            "low_room": settings.LOW_ROOM_BYTES,
        }
        return render(request, "library/ingest.html", context)
    require(request.user, production, Membership.Role.REVIEWER)
    form = IngestForm(production, request.POST)
    if not form.is_valid():
        errors = {name: " ".join(map(str, texts)) for name, texts in form.errors.items()}
        return JsonResponse({"error": next(iter(errors.values())), "fields": errors}, status=422)
    chosen: dict[str, Any] = form.cleaned_data
    mix = intake.ingest(request.user, production, intake.Ingest(**chosen))
    return JsonResponse({"address": reverse("mix", args=[mix.pk])}, status=201)


@login_required
@require_POST
def upload(request: PersonRequest, production_id: int) -> JsonResponse:
    """Announce a file; the answer says where its pieces go and how much of it is here already."""
    production = production_for(request.user, production_id, Membership.Role.REVIEWER)
    size = whole(request.POST.get("size"))
    if size is None:
        raise Refused("The browser did not say how large the file is; choose it again.")
    row = uploads.begin(
        request.user, production, request.POST.get("name", ""), size, whole(request.POST.get("modified"))
    )
    return JsonResponse({"address": reverse("upload-piece", args=[row.key]), "received": row.here}, status=201)


@login_required
@require_http_methods(["GET", "PUT", "DELETE"])
def upload_piece(request: PersonRequest, key: str) -> JsonResponse:
    """Where a broken upload goes on (GET), the next piece (PUT), or giving up (DELETE)."""
    row = uploads.find(request.user, key)
    if request.method == "PUT":
        offset = whole(request.headers.get("Upload-Offset"))
        if offset is None:
            raise Refused("A piece came without its place; choose the file again.")
        row = uploads.add_piece(row, offset, request.body, request.headers.get("Upload-SHA256", ""))
    elif request.method == "DELETE":
        uploads.give_up(row)
        return JsonResponse({})
    return JsonResponse({"received": row.here, "size": row.size})


@login_required
@require_http_methods(["GET", "POST"])
def upload_done(request: PersonRequest, key: str) -> JsonResponse:
    """The file is whole (POST), and what became of it (GET): its facts, for correction, once a worker has looked at it.

    Until then 202.
    """
    upload = uploads.find(request.user, key)
    if request.method == "POST":
        upload = uploads.hand_in(upload)
    if upload.state == Upload.State.FAILED:
        raise Refused(upload.error)
    if upload.file is None:
        return JsonResponse({"state": upload.get_state_display()}, status=202)
    return JsonResponse(facts_of(upload.file))


def facts_of(row: StoredFile) -> dict[str, Any]:
    """What a file told; whether it holds several sounds, and how such a file was mapped last."""
    answer: dict[str, Any] = {"id": row.pk, "name": row.name, "size": row.size, "facts": row.facts}
    if row.kind == StoredFile.Kind.CAPTIONS:
        return answer
    info = row.info
    remembered = row.production.track_maps.get(signature(info))
    several, address = holds_several(info), reverse("survey", args=[row.pk])
    answer |= {"facts": (row.facts or {}) | {"says_layout": info.says_layout}, "remembered": remembered}
    answer["survey"] = address if several else f"{address}?pairs=1" if remembered else None
    answer["pairs"] = f"{address}?pairs=1" if not several and info.channels > 2 else None
    return answer


@login_required
@require_GET
def survey(request: PersonRequest, file_id: int) -> JsonResponse:
    """The sounds of a file: tracks, proposed role, why, peaks; where each can be heard.

    202 as long as it is looked through.
    """
    row = file_for(request.user, file_id)
    found = surveys.sounds_of(row, in_pairs="pairs" in request.GET)
    if found is None:
        return JsonResponse({"state": "being looked through"}, status=202)
    address = reverse("listen", args=[row.pk])
    return JsonResponse(
        {"sounds": [sound | {"listen": f"{address}?tracks={sound['tracks'].replace('+', '%2B')}"} for sound in found]}
    )
