"""How often somebody may guess: passwords through the sign-in's guard, personal links through counted misses."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django_ratelimit.core import is_ratelimited

from ..config.refusals import TooOften
from .forms import SignInForm

_LINKS = {"group": "links", "key": "ip", "rate": "30/5m"}
_TOO_MANY_LINKS = (
    "Too many links that open nothing were tried from here. Wait five minutes, then open the link from "
    "the mail as a whole."
)


def locked_out(request: HttpRequest, *_: object, **__: object) -> HttpResponse:
    """The sign-in page with a sentence; no password is looked at meanwhile."""
    sentence = "Too many wrong passwords for this mail address. Wait ten minutes, then try again."
    return render(request, "accounts/sign_in.html", {"form": SignInForm(request), "locked": sentence}, status=429)


def check_links(request: HttpRequest) -> None:
    """Raise TooOften for an address from which too many links were guessed."""
    if is_ratelimited(request, **_LINKS, increment=False):
        raise TooOften(_TOO_MANY_LINKS)


def count_miss(request: HttpRequest) -> None:
    """A link that opens nothing was tried."""
    is_ratelimited(request, **_LINKS, increment=True)
