"""Picture and sound for the browser."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse, HttpResponseBase
from django.views.decorators.http import require_GET

from ..accounts.requests import PersonRequest
from ..library.selectors import file_for, mix_for
from ..library.serving import serve
from ..processes.folders import work_folder
from .playback import listen as make_listen


@login_required
@require_GET
def listen(request: PersonRequest, file_id: int) -> HttpResponseBase:
    """Some seconds of some tracks of a file."""
    row = file_for(request.user, file_id)
    with work_folder() as folder:
        target = folder / "listen.mp4"
        make_listen(row, request.GET.get("tracks", ""), target)
        return HttpResponse(
            target.read_bytes(), content_type="audio/mp4", headers={"Cache-Control": "private, max-age=3600"}
        )


@login_required
@require_GET
def playback(request: PersonRequest, mix_id: int) -> HttpResponseBase:
    """Picture and sound of a mix, byte ranges answered."""
    mix = mix_for(request.user, mix_id)
    made = getattr(mix, "playback", None)
    if made is None or made.file is None:
        raise Http404
    return serve(request, made.file, "video/mp4")
