"""A new mix handed in through a personal link: its files in pieces, then the mix."""

from django.http import HttpRequest, JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from ..config.inputs import whole
from ..config.refusals import Refused
from ..library import uploads
from ..library.models import Upload
from . import hand_in
from .editor_views import opened


@require_POST
def upload(request: HttpRequest, token: str) -> JsonResponse:
    """Announce a file; the answer says where its pieces go and how much of it is here already."""
    recipient, size = opened(request, token), whole(request.POST.get("size"))
    if size is None:
        raise Refused("The browser did not say how large the file is; choose it again.")
    row = hand_in.begin(recipient, request.POST.get("name", ""), size, whole(request.POST.get("modified")))
    address = reverse("editor-upload-piece", args=[token, row.key])
    return JsonResponse({"address": address, "received": row.here, "key": str(row.key)}, status=201)


@require_http_methods(["GET", "PUT"])
def piece(request: HttpRequest, token: str, key: str) -> JsonResponse:
    """Where a broken upload goes on (GET), or the next piece (PUT)."""
    row = hand_in.upload_for(opened(request, token), key)
    if request.method == "PUT":
        offset = whole(request.headers.get("Upload-Offset"))
        if offset is None:
            raise Refused("A piece came without its place; choose the file again.")
        row = uploads.add_piece(row, offset, request.body, request.headers.get("Upload-SHA256", ""))
    return JsonResponse({"received": row.here, "size": row.size})


@require_http_methods(["GET", "POST"])
def done(request: HttpRequest, token: str, key: str) -> JsonResponse:
    """The file is whole (POST), and whether a worker has looked at it (GET); until then 202."""
    row = hand_in.upload_for(opened(request, token), key)
    if request.method == "POST":
        row = uploads.hand_in(row)
    if row.state == Upload.State.FAILED:
        raise Refused(row.error)
    if row.file is None:
        return JsonResponse({"state": row.get_state_display()}, status=202)
    return JsonResponse({"id": row.file.pk, "name": row.name})


@require_POST
def mix(request: HttpRequest, token: str) -> JsonResponse:
    """Make the next mix of what arrived."""
    said = request.POST
    files = list(zip(said.getlist("upload"), said.getlist("role"), strict=False))
    made = hand_in.hand_in(opened(request, token), files)
    return JsonResponse(
        {"words": f"Mix {made.number} is here and is being measured. The reviewer sees it."}, status=201
    )
