"""Looking at specs, changing them, exchanging them, and choosing whom they judge."""

import json

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from mezzavoce_core.judge.limits import schema as spec_schema

from ..accounts.requests import PersonRequest
from ..config.inputs import whole
from ..config.refusals import Refused
from ..library import specs
from ..library.models import Membership, Production, Spec
from ..library.selectors import production_for
from ..measuring import actions
from .specs import read_form, spec_page


@login_required
@require_GET
def page(request: PersonRequest, production_id: int, spec_id: int | None = None) -> HttpResponse:
    """All specs of a production, one of them open."""
    production = production_for(request.user, production_id)
    return render(
        request,
        "screens/specs.html",
        {"page": spec_page(request.user, production, spec_id, whole(request.GET.get("version")))},
    )


@login_required
@require_POST
def change(request: PersonRequest, production_id: int, spec_id: int) -> HttpResponse:
    """Save a new version."""
    production, spec = _found(request, production_id, spec_id, Membership.Role.LEAD)
    actions.change_spec(request.user, spec, read_form(request.POST))
    return _to(production, spec)


@login_required
@require_POST
def copy(request: PersonRequest, production_id: int, spec_id: int) -> HttpResponse:
    """An own spec from another."""
    production, spec = _found(request, production_id, spec_id, Membership.Role.LEAD)
    return _to(production, specs.copy_spec(request.user, production, spec))


@login_required
@require_POST
def bring_in(request: PersonRequest, production_id: int) -> HttpResponse:
    """An own spec from a file."""
    production = production_for(request.user, production_id, Membership.Role.LEAD)
    file = request.FILES.get("file")
    if file is None:
        raise Refused("No file was chosen. Choose a spec file (JSON).")
    return _to(production, specs.bring_in(request.user, production, file.read()))


@login_required
@require_POST
def delete(request: PersonRequest, production_id: int, spec_id: int) -> HttpResponse:
    """Delete an own spec that never judged anything."""
    production, spec = _found(request, production_id, spec_id, Membership.Role.LEAD)
    specs.delete_spec(request.user, spec)
    return redirect("specs", production.pk)


@login_required
@require_POST
def choose(request: PersonRequest, production_id: int, spec_id: int) -> HttpResponse:
    """Judge the production by this spec."""
    production, spec = _found(request, production_id, spec_id, Membership.Role.LEAD)
    actions.choose_spec(request.user, production, specs.newest(spec))
    return _to(production, spec)


@login_required
@require_POST
def choose_own(request: PersonRequest, production_id: int) -> HttpResponse:
    """Give programmes a spec of their own, or take it away."""
    production = production_for(request.user, production_id, Membership.Role.REVIEWER)
    back = whole(request.POST.get("back"))
    for programme in production.programmes.select_related("production", "spec_version"):
        wanted = request.POST.get(f"programme-{programme.pk}")
        now = str(programme.spec_version.spec_id) if programme.spec_version else ""
        if wanted is None or wanted == now:
            continue
        chosen = whole(wanted)
        if chosen is None and wanted:
            raise Refused("One of the specs is none of this production. Reload the page and choose again.")
        version = specs.newest(specs.spec_for(request.user, production, chosen)) if chosen else None
        actions.choose_own_spec(request.user, programme, version)
    return redirect(reverse("spec", args=[production.pk, back]) if back else reverse("specs", args=[production.pk]))


@login_required
@require_GET
def export(request: PersonRequest, production_id: int, spec_id: int) -> HttpResponse:
    """The newest version as a file."""
    _, spec = _found(request, production_id, spec_id)
    name = slugify(spec.name) or "spec"
    return HttpResponse(
        specs.as_file(specs.newest(spec)),
        content_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{name}.json"'},
    )


@require_GET
def schema(_request: HttpRequest) -> HttpResponse:
    """The published schema of spec files."""
    return JsonResponse(json.loads(json.dumps(spec_schema())), json_dumps_params={"indent": 2})


def _found(
    request: PersonRequest, production_id: int, spec_id: int, role: str = Membership.Role.GUEST
) -> tuple[Production, Spec]:
    production = production_for(request.user, production_id, role)
    return production, specs.spec_for(request.user, production, spec_id)


def _to(production: Production, spec: Spec) -> HttpResponse:
    return redirect("spec", production.pk, spec.pk)
