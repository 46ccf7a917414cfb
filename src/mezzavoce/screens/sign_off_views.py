"""Signing a mix, and the report of what was signed."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from mezzavoce_core.exchange.sign_off import printed_sign_off

from ..accounts.access import Role, role_in
from ..accounts.requests import PersonRequest
from ..config.refusals import Refused
from ..library.selectors import mix_for
from ..recheck import signing


@login_required
@require_http_methods(["GET", "POST"])
def sign_off(request: PersonRequest, mix_id: int) -> HttpResponse:
    """What would be signed (GET), and signing it (POST)."""
    if request.method == "POST":
        row = signing.sign(request.user, mix_for(request.user, mix_id, role=Role.REVIEWER))
        messages.success(request, f"{row.mix} is signed.")
        return redirect("signed", row.pk)
    mix = mix_for(request.user, mix_id)
    role = role_in(request.user, mix.production)
    context = {"mix": mix, "may": role != Role.GUEST and not mix.archived, "earlier": list(mix.sign_offs.all())}
    context["standing"] = signing.standing(mix)
    try:
        context["content"] = signing.content_of(mix, request.user)
    except Refused as error:
        context["problem"] = str(error)
    return render(request, "screens/sign_off.html", context)


@login_required
@require_GET
def signed(request: PersonRequest, sign_off_id: int) -> HttpResponse:
    """The report of a sign-off, as it was frozen."""
    row = signing.sign_off_for(request.user, sign_off_id)
    role = role_in(request.user, row.mix.production)
    may = row.withdrawn_at is None and not row.mix.archived and (role == Role.LEAD or row.by_id == request.user.pk)
    context = {"row": row, "mix": row.mix, "content": row.content, "broken": signing.breaks(row), "may_withdraw": may}
    return render(request, "screens/signed.html", context)


@login_required
@require_GET
def signed_pdf(request: PersonRequest, sign_off_id: int) -> HttpResponse:
    """The same on paper."""
    row = signing.sign_off_for(request.user, sign_off_id)
    name = f"{slugify(row.content['programme'])[:80] or 'programme'}-mix-{row.content['mix']}-signed.pdf"
    return HttpResponse(
        printed_sign_off(row.content),
        content_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@login_required
@require_POST
def withdraw(request: PersonRequest, sign_off_id: int) -> HttpResponse:
    """Take a sign-off back."""
    row = signing.sign_off_for(request.user, sign_off_id)
    signing.withdraw(request.user, row)
    messages.success(request, "The sign-off is withdrawn; it stays readable.")
    return redirect("signed", row.pk)
