"""Addressees of a production, beside the people who work in it."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from ..accounts.access import Role
from ..accounts.requests import PersonRequest
from ..library import contacts
from ..library.selectors import production_for


@login_required
@require_POST
def add(request: PersonRequest, production_id: int) -> HttpResponse:
    """Another addressee."""
    production, said = production_for(request.user, production_id, Role.REVIEWER), request.POST
    contact = contacts.add_contact(request.user, production, said.get("name", ""), said.get("mail", ""))
    messages.success(request, f"{contact} is on the list.")
    return redirect("people", production.pk)


@login_required
@require_POST
def change(request: PersonRequest, contact_id: int) -> HttpResponse:
    """Another name, whether notes usually go there, and about which parts of the sound."""
    contact = contacts.contact_for(request.user, contact_id)
    usual = bool(request.POST.get("usual"))
    name, parts = request.POST.get("name", ""), request.POST.getlist("part")
    contacts.change_contact(request.user, contact, name, usual=usual, parts=parts)
    messages.success(request, "Saved.")
    return redirect("people", contact.production_id)


@login_required
@require_POST
def take_off(request: PersonRequest, contact_id: int) -> HttpResponse:
    """Take an addressee off the list."""
    contact = contacts.contact_for(request.user, contact_id)
    contacts.take_off(request.user, contact)
    messages.success(request, f"{contact} is off the list; what was sent there stays.")
    return redirect("people", contact.production_id)
