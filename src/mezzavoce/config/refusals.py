"""Expected errors of the application, each a sentence, and how a browser hears of them."""

from collections.abc import Callable

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from mezzavoce_core.errors import MezzavoceError


class Refused(Exception):
    """Root of what the application refuses. ``str(error)`` is a sentence that says what to do."""

    status = 422


class NotAllowed(Refused):
    """The person may look, not do this."""

    status = 403


class Overtaken(Refused):
    """Somebody else was first."""

    status = 409


class RefusalMiddleware:
    """Turns a refusal into its sentence: JSON for scripts, a page for people."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Wrap the next layer."""
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass the request on."""
        return self._get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Answer a refusal; leave everything else to Django."""
        if isinstance(error, (Refused, MezzavoceError)):
            status = getattr(error, "status", 422)
            return answer(request, str(error), status)
        if isinstance(error, Http404) and wants_json(request):
            return JsonResponse({"error": "This is not here, or not for you. Go back to the desk."}, status=404)
        return None


def wants_json(request: HttpRequest) -> bool:
    """Whether a script asks."""
    return "application/json" in request.headers.get("Accept", "") or request.headers.get("X-Fragment") == "1"


def answer(request: HttpRequest, sentence: str, status: int) -> HttpResponse:
    """A sentence with a status, in the form that the asker reads."""
    if wants_json(request):
        return JsonResponse({"error": sentence}, status=status)
    return render(request, "refused.html", {"sentence": sentence}, status=status)
