"""Desk and review page."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from ..library.access import production_for, productions_of
from .desk import desk
from .review import review


@login_required
def home(request: HttpRequest) -> HttpResponse:
    """The desk of the first production, or word that there is none yet."""
    first = productions_of(request.user).first()
    if first is None:
        return render(request, "screens/no_production.html")
    return _desk(request, first.pk, "screens/desk.html")


@login_required
def production(request: HttpRequest, production_id: int) -> HttpResponse:
    """The desk of one production."""
    return _desk(request, production_id, "screens/desk.html")


@login_required
def desk_parts(request: HttpRequest, production_id: int) -> HttpResponse:
    """The changing parts of the desk, for the page to refresh itself."""
    return _desk(request, production_id, "screens/_desk_parts.html")


def _desk(request: HttpRequest, production_id: int, template: str) -> HttpResponse:
    return render(request, template, {"desk": desk(request.user, production_for(request.user, production_id)), "productions": productions_of(request.user)})


@login_required
def mix(request: HttpRequest, mix_id: int) -> HttpResponse:
    """The review page."""
    return render(request, "screens/review.html", {"review": review(request.user, mix_id, request.GET.get("mark"))})


@login_required
def side(request: HttpRequest, mix_id: int) -> HttpResponse:
    """The finding and the list beside the picture, for the page to refresh itself."""
    if request.headers.get("X-Fragment") != "1":
        return redirect("mix", mix_id)
    return render(request, "screens/_side.html", {"review": review(request.user, mix_id, request.GET.get("mark"))})


@login_required
def judged(request: HttpRequest, mix_id: int) -> HttpResponse:
    """All that hangs on the judgement, for the page to refresh itself."""
    if request.headers.get("X-Fragment") != "1":
        return redirect("mix", mix_id)
    return render(request, "screens/_judged.html", {"review": review(request.user, mix_id, request.GET.get("mark"))})


@login_required
def measuring_state(request: HttpRequest, mix_id: int) -> HttpResponse:
    """How far measuring is, for the page to refresh itself."""
    return render(request, "screens/_measuring.html", {"review": review(request.user, mix_id)})
