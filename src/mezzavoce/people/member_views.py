"""Pages of a production's people: members, invitations, the trail; and where a production is started."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from ..accounts.access import Role, require, require_administrator, role_in
from ..accounts.requests import PersonRequest
from ..config.inputs import whole
from ..library import actions as library
from ..library.contacts import PARTS, contacts_of
from ..library.selectors import production_for
from . import members
from .selectors import (
    TRAIL_PAGE,
    Asked,
    actions_in,
    invitation_for,
    invitations_of,
    members_of,
    membership_for,
    trail_of,
)


@login_required
@require_GET
def people(request: PersonRequest, production_id: int) -> HttpResponse:
    """Who belongs to a production; its leads change that here."""
    production = production_for(request.user, production_id)
    role = role_in(request.user, production)
    is_lead = role == Role.LEAD
    context = {
        "production": production,
        "is_lead": is_lead,
        "may_change": is_lead and not production.archived,
        "members": members_of(production),
        "invitations": invitations_of(production) if is_lead else [],
        "roles": Role.choices,
        "contacts": contacts_of(production),
        "parts": PARTS.items(),
        "may_address": role != Role.GUEST and not production.archived,
    }
    return render(request, "people/people.html", context)


@login_required
@require_POST
def invite(request: PersonRequest, production_id: int) -> HttpResponse:
    """Invite an address."""
    production = production_for(request.user, production_id)
    link = members.invite(request.user, production, request.POST.get("mail", ""), request.POST.get("role", ""))
    messages.success(request, f"An invitation is on its way to {link.mail}.")
    return redirect("people", production.pk)


@login_required
@require_POST
def take_back(request: PersonRequest, link_id: int) -> HttpResponse:
    """Withdraw an invitation."""
    link = invitation_for(request.user, link_id)
    members.take_back(request.user, link)
    return redirect("people", link.production_id)


@login_required
@require_POST
def change_role(request: PersonRequest, membership_id: int) -> HttpResponse:
    """Another role for a member."""
    membership = membership_for(request.user, membership_id)
    members.change_role(request.user, membership, request.POST.get("role", ""))
    return redirect("people", membership.production_id)


@login_required
@require_POST
def take_out(request: PersonRequest, membership_id: int) -> HttpResponse:
    """Take a member out, or leave."""
    membership = membership_for(request.user, membership_id)
    members.take_out(request.user, membership)
    if membership.person_id == request.user.pk:
        return redirect("desk")
    return redirect("people", membership.production_id)


@login_required
@require_GET
def trail(request: PersonRequest, production_id: int) -> HttpResponse:
    """Who did what when, for leads."""
    production = production_for(request.user, production_id)
    require(request.user, production, Role.LEAD, to_read=True)
    said = request.GET
    asked = Asked(
        whole(said.get("person")), said.get("action", "")[:60], said.get("about", "")[:200], whole(said.get("before"))
    )
    entries = trail_of(production, asked)
    context = {
        "production": production,
        "asked": asked,
        "entries": entries[:TRAIL_PAGE],
        "next": entries[TRAIL_PAGE - 1].pk if len(entries) > TRAIL_PAGE else None,
        "members": members_of(production),
        "actions": actions_in(production),
    }
    return render(request, "people/trail.html", context)


@login_required
@require_POST
def start_production(request: PersonRequest) -> HttpResponse:
    """Start a production; whoever starts it leads it."""
    require_administrator(request.user)
    version = library.shipped_version(request.POST.get("spec", ""))
    production = library.start_production(request.user, request.POST.get("name", ""), version)
    return redirect("production", production.pk)
