"""What the player of a review page asks for: sound as it is, and as a remedy would make it."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse
from django.views.decorators.http import require_GET

from ..accounts.requests import PersonRequest
from ..config.inputs import number, whole
from ..config.refusals import Refused
from ..library.models import Mix
from ..library.selectors import mix_for
from ..measuring.core_requests import passage_sound
from . import actions


@login_required
@require_GET
def sound(request: PersonRequest, mix_id: int) -> HttpResponse:
    """A passage of a mix or of one of its stems.

    With ``mark`` as the remedy (or with ``choice`` an alternative) proposes it; with ``note`` as that note does.
    """
    mix = mix_for(request.user, mix_id)
    asked = request.GET
    begin, end, choice = number(asked.get("from")), number(asked.get("to")), whole(asked.get("choice", "0"))
    if begin is None or end is None or choice is None:
        raise Refused("A passage needs its beginning and its end in seconds.")
    change = _change(mix, asked.get("mark"), choice, whole(asked.get("note")))
    wave = passage_sound(mix, asked.get("what", "mix"), (max(0.0, begin), end), change)
    return HttpResponse(wave, content_type="audio/wav", headers={"Cache-Control": "private, max-age=600"})


def _change(mix: Mix, label: str | None, choice: int, note: int | None) -> dict[str, Any] | None:
    if note is not None:
        return actions.remedy_of_note(mix, note)
    return actions.remedy_of(mix, label, choice) if label else None
