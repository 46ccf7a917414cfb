"""Desk and review page."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from ..library.access import mix_for, production_for, productions_of
from .desk import desk
from .news import news_of_desk, news_of_mix
from .review import review


@login_required
@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """The desk of the first production, or word that there is none yet."""
    first = productions_of(request.user).first()
    if first is None:
        return render(request, "screens/no_production.html")
    return _desk(request, first.pk, "screens/desk.html")


@login_required
@require_GET
def production(request: HttpRequest, production_id: int) -> HttpResponse:
    """The desk of one production."""
    return _desk(request, production_id, "screens/desk.html")


@login_required
@require_GET
def desk_parts(request: HttpRequest, production_id: int) -> HttpResponse:
    """The changing parts of the desk, for the page to refresh itself."""
    seen = request.GET.get("seen", "")
    if seen and seen == news_of_desk(production_for(request.user, production_id), seen):
        return HttpResponse(status=204)
    return _desk(request, production_id, "screens/_desk_parts.html")


def _desk(request: HttpRequest, production_id: int, template: str) -> HttpResponse:
    found = production_for(request.user, production_id)
    # The sign is read first: what changes while the desk is put together is news the next time.
    context = {"news": news_of_desk(found), "desk": desk(request.user, found), "productions": productions_of(request.user)}
    return render(request, template, context)


@login_required
@require_GET
def mix(request: HttpRequest, mix_id: int) -> HttpResponse:
    """The review page."""
    return render(request, "screens/review.html", {"review": review(request.user, mix_id, request.GET.get("mark"))})


@login_required
@require_GET
def side(request: HttpRequest, mix_id: int) -> HttpResponse:
    """The finding and the list beside the picture, for the page to refresh itself."""
    if request.headers.get("X-Fragment") != "1":
        return redirect("mix", mix_id)
    return render(request, "screens/_side.html", {"review": review(request.user, mix_id, request.GET.get("mark"))})


@login_required
@require_GET
def judged(request: HttpRequest, mix_id: int) -> HttpResponse:
    """All that hangs on the judgement, for the page to refresh itself."""
    if request.headers.get("X-Fragment") != "1":
        return redirect("mix", mix_id)
    return render(request, "screens/_judged.html", {"review": review(request.user, mix_id, request.GET.get("mark"))})


@login_required
@require_GET
def mix_news(request: HttpRequest, mix_id: int) -> HttpResponse:
    """Whether the review of a mix is another one than the page shows: 204 where it is not."""
    sign = news_of_mix(mix_for(request.user, mix_id))
    return HttpResponse(status=204) if request.GET.get("seen") == sign else JsonResponse({"news": sign})


@login_required
@require_GET
def measuring_state(request: HttpRequest, mix_id: int) -> HttpResponse:
    """How far measuring is, for the page to refresh itself."""
    return render(request, "screens/_measuring.html", {"review": review(request.user, mix_id)})
