"""All productions of a person, and what is planned and usual in one of them."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from mezzavoce_core.exchange.series_report import printed_series

from ..accounts.access import Role, role_in
from ..accounts.requests import PersonRequest
from ..config.inputs import whole
from ..config.refusals import Refused
from ..library import archive as archives
from ..library import productions
from ..library.forms import FRAME_RATES
from ..library.models import Production, Programme
from ..library.selectors import production_for, productions_of, programme_for, shipped_specs
from .series_report import series_report


@login_required
@require_GET
def overview(request: PersonRequest) -> HttpResponse:
    """Every production of a person, those in the archive last."""
    return render(
        request, "screens/productions.html", {"productions": productions_of(request.user), "specs": shipped_specs()}
    )


@login_required
@require_GET
def programmes(request: PersonRequest, production_id: int) -> HttpResponse:
    """What is planned in a production, and what is usual in it."""
    production = production_for(request.user, production_id)
    context = {
        "production": production,
        "role": role_in(request.user, production),
        "programmes": production.programmes.filter(archived_at=None),
        "archived": production.programmes.exclude(archived_at=None).prefetch_related("mixes"),
        "rates": FRAME_RATES,
    }
    return render(request, "screens/programmes.html", context)


@login_required
@require_POST
def plan(request: PersonRequest, production_id: int) -> HttpResponse:
    """Plan the programmes of a pasted list."""
    production = production_for(request.user, production_id, Role.REVIEWER)
    count = productions.plan_list(request.user, production, request.POST.get("list", "")[:200_000])
    messages.success(request, f"{count} programme{'' if count == 1 else 's'} planned.")
    return redirect("programmes", production.pk)


@login_required
@require_POST
def change(request: PersonRequest, programme_id: int) -> HttpResponse:
    """Another number, title or due day of a programme."""
    programme, said = programme_for(request.user, programme_id, Role.REVIEWER), request.POST
    productions.change_programme(
        request.user, programme, whole(said.get("number")), said.get("title", ""), said.get("due", "")
    )
    messages.success(request, f"Saved: {programme}.")
    return redirect("programmes", programme.production_id)


@login_required
@require_POST
def settle(request: PersonRequest, production_id: int) -> HttpResponse:
    """Name, usual frame rate and usual start of a production."""
    production, said = production_for(request.user, production_id, Role.LEAD), request.POST
    rate, start = said.get("frame_rate", ""), said.get("start_timecode", "").strip()
    days = said.get("media_days", "").strip()
    if days and whole(days) is None:
        raise Refused("Write for how many days sound and picture are kept, as a whole number, or nothing.")
    usual = productions.Usual(said.get("name", ""), rate, start, whole(days), "editors_hand_in" in said)
    productions.settle(request.user, production, usual)
    messages.success(request, "Saved.")
    return redirect("programmes", production.pk)


@login_required
@require_POST
def archive(request: PersonRequest, production_id: int) -> HttpResponse:
    """Put a production into the archive, or bring it back."""
    production = production_for(request.user, production_id)
    _archive_or_bring_back(request, production)
    return redirect("programmes", production.pk)


@login_required
@require_POST
def archive_programme(request: PersonRequest, programme_id: int) -> HttpResponse:
    """Put a programme into the archive, or bring it back."""
    programme = programme_for(request.user, programme_id)
    _archive_or_bring_back(request, programme)
    messages.success(request, f"{programme} is {'back' if programme.archived_at else 'in the archive'}.")
    return redirect("programmes", programme.production_id)


def _archive_or_bring_back(request: PersonRequest, place: Production | Programme) -> None:
    do = archives.bring_back if place.archived_at else archives.archive
    do(request.user, place)


@login_required
@require_GET
def report(request: PersonRequest, production_id: int) -> HttpResponse:
    """The report of the whole series."""
    production = production_for(request.user, production_id)
    context = {"production": production, "report": series_report(production)}
    return render(request, "screens/series_report.html", context)


@login_required
@require_GET
def report_pdf(request: PersonRequest, production_id: int) -> HttpResponse:
    """The same on paper."""
    production = production_for(request.user, production_id)
    name = f"{slugify(production.name)[:80] or 'production'}-report.pdf"
    return HttpResponse(
        printed_series(series_report(production)),
        content_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )
