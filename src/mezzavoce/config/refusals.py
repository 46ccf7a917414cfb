"""Expected errors of the application, each a sentence, and how a browser hears of them."""

import errno
import logging
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render, resolve_url
from django.template.loader import render_to_string

from mezzavoce_core.errors import MezzavoceError

_LOG = logging.getLogger(__name__)
_NOT_HERE = "This is not here, or not for you. Go back to the desk."
_SIGNED_OUT = "You are signed out. Sign in again in another tab; what stands on this page is not lost."
_NOT_UNDERSTOOD = "The server could not read this. Go back, reload the page, and do it again."
_WENT_WRONG = "Something went wrong in here. Nothing of yours is lost; try again."
NO_ROOM = (
    "The disk of this Mezzavoce is full, so nothing was kept of this. Tell whoever runs it to make room, "
    "then do it again."
)


class Refused(Exception):
    """Root of what the application refuses. ``str(error)`` is a sentence that says what to do."""

    status = 422


class NotAllowed(Refused):
    """The person may look, not do this."""

    status = 403


class Overtaken(Refused):
    """Somebody else was first."""

    status = 409


class Busy(Refused):
    """There is too much to do right now; worth another try."""

    status = 503


class TooOften(Refused):
    """Tried too often in a short time."""

    status = 429


class NoRoom(Refused):
    """There is no space left for it."""

    status = 507


def is_full(error: Exception) -> bool:
    """Whether something could not be written because there is no space left."""
    return isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)


class RefusalMiddleware:
    """Turns a refusal into its sentence: JSON for scripts, a page for people. What is private is kept out of caches."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Wrap the next layer."""
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass the request on."""
        response = self._get_response(request)
        if (
            wants_json(request)
            and response.status_code == 302
            and response["Location"].startswith(resolve_url(settings.LOGIN_URL) + "?")
        ):
            response = JsonResponse({"error": _SIGNED_OUT}, status=401)
        response.headers.setdefault("Cache-Control", "private, no-store")
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Answer a refusal; leave everything else to Django."""
        if is_full(error):
            _LOG.error("no space left: %s", error)
            error = NoRoom(NO_ROOM)
        if isinstance(error, (Refused, MezzavoceError)):
            status = getattr(error, "status", 422)
            return answer(request, str(error), status)
        return None


def wants_json(request: HttpRequest) -> bool:
    """Whether a script asks."""
    return "application/json" in request.headers.get("Accept", "")


def answer(request: HttpRequest, sentence: str, status: int) -> HttpResponse:
    """A sentence with a status, in the form that the asker reads."""
    if wants_json(request):
        return JsonResponse({"error": sentence}, status=status)
    return render(request, "refused.html", {"sentence": sentence}, status=status)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """What Django could not read: too large, too many fields, not encoded as it says."""
    return answer(request, _NOT_UNDERSTOOD, 400)


def not_allowed(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """Refused by Django or by the guard of the sign-in."""
    return answer(request, "This is not for you. Ask the lead of your production.", 403)


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """An address that opens nothing for this person."""
    return (
        JsonResponse({"error": _NOT_HERE}, status=404)
        if wants_json(request)
        else render(request, "404.html", status=404)
    )


def went_wrong(request: HttpRequest) -> HttpResponse:
    """An error of ours; Django has logged it."""
    return (
        JsonResponse({"error": _WENT_WRONG}, status=500)
        if wants_json(request)
        else HttpResponse(render_to_string("500.html"), status=500)
    )
