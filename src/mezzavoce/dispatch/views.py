"""The notes of a mix, preparing and sending them, and the editor's page."""

from csp.decorators import csp_replace
from django.contrib.auth.decorators import login_required
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.clickjacking import xframe_options_sameorigin
from django.views.decorators.http import require_GET, require_POST

from ..config.refusals import Refused, wants_json
from ..library import actions as library_actions
from ..library.access import mix_for, role_in
from ..library.models import Contact, Membership
from ..library.serving import serve
from ..notes.wording import rate_words
from . import actions
from .models import Delivery, DispatchItem, Recipient
from .selectors import dispatches_of, newest_answers


@login_required
@require_GET
def notes(request: HttpRequest, mix_id: int) -> HttpResponse:
    """What is written, what was sent, what came back."""
    mix = mix_for(request.user, mix_id)
    context = {
        "mix": mix,
        "waiting": actions.sendable(mix),
        "contacts": list(mix.production.contacts.all()),
        "dispatches": dispatches_of(mix),
        "answers": newest_answers([mix]),
        "may": role_in(request.user, mix.production) != Membership.Role.GUEST,
    }
    return render(request, "dispatch/notes.html", context)


@login_required
@require_POST
def add_contact(request: HttpRequest, mix_id: int) -> HttpResponse:
    """Somebody new to send to."""
    mix = mix_for(request.user, mix_id)
    name, mail = request.POST.get("name", "").strip(), request.POST.get("mail", "").strip()
    try:
        validate_email(mail)
    except ValidationError:
        raise Refused(f"“{mail}” is no mail address; write one like name@house.example.") from None
    library_actions.add_contact(request.user, mix.production, name or mail, mail)
    return redirect("notes", mix_id)


@login_required
@require_POST
def prepare(request: HttpRequest, mix_id: int) -> HttpResponse:
    """Put the notes together and show them."""
    mix = mix_for(request.user, mix_id)
    contacts = list(Contact.objects.filter(production=mix.production, pk__in=[i for i in request.POST.getlist("contact") if i.isdigit()]))
    return redirect("dispatch", actions.prepare(request.user, mix, contacts).pk)


@login_required
@require_GET
def dispatch(request: HttpRequest, dispatch_id: int) -> HttpResponse:
    """The preview, exactly as it will go out; after sending, how each mail fares."""
    row = actions.dispatch_for(request.user, dispatch_id)
    recipients = list(row.recipients.select_related("contact", "delivery").order_by("pk"))
    context = {"dispatch": row, "mix": row.mix, "recipients": recipients, "may": role_in(request.user, row.mix.production) != Membership.Role.GUEST}
    if recipients:
        context["text"] = actions.with_link(recipients[0].delivery.text, recipients[0])
    return render(request, "dispatch/dispatch.html", context)


@login_required
@require_GET
@xframe_options_sameorigin
@csp_replace({"default-src": ["'none'"], "style-src": ["'unsafe-inline'"], "frame-ancestors": ["'self'"]})
def letter(request: HttpRequest, dispatch_id: int) -> HttpResponse:
    """The mail's HTML, for the preview's frame."""
    recipient = actions.dispatch_for(request.user, dispatch_id).recipients.select_related("delivery").order_by("pk").first()
    if recipient is None:
        raise Http404
    return HttpResponse(actions.with_link(recipient.delivery.html, recipient))


@login_required
@require_POST
def send(request: HttpRequest, dispatch_id: int) -> HttpResponse:
    """Send what was prepared."""
    actions.send(request.user, actions.dispatch_for(request.user, dispatch_id))
    return redirect("dispatch", dispatch_id)


@login_required
@require_POST
def retry(request: HttpRequest, delivery_id: int) -> HttpResponse:
    """Try a mail again."""
    delivery = get_object_or_404(Delivery.objects.select_related("recipient__dispatch"), pk=delivery_id)
    row = actions.dispatch_for(request.user, delivery.recipient.dispatch_id)
    actions.retry(request.user, delivery)
    return redirect("dispatch", row.pk)


@never_cache
def editor(request: HttpRequest, token: str) -> HttpResponse:
    """The editor's page. Opening it changes nothing: mail scanners open links too."""
    try:
        recipient = actions.recipient_for(token)
    except Http404:
        return render(request, "dispatch/link_unknown.html", status=404)
    items = list(recipient.dispatch.items.select_related("excerpt", "still"))
    own = {a.item_id: a for a in recipient.answers.all()}
    shown = [(item, own[item.pk] if item.pk in own and own[item.pk].what != "taken back" else None) for item in items]
    context = {
        "recipient": recipient,
        "dispatch": recipient.dispatch,
        "mix": recipient.dispatch.mix,
        "items": shown,
        "token": token,
        "rate": rate_words(recipient.dispatch.mix),
    }
    response = render(request, "dispatch/editor.html", context)
    # The address is the key to the page: it must not travel on as a referrer or into an index.
    response["Referrer-Policy"], response["X-Robots-Tag"] = "same-origin", "noindex"
    return response


@require_POST
def answer(request: HttpRequest, token: str, item_id: int) -> HttpResponse:
    """Take an editor's answer."""
    recipient = actions.recipient_for(token)
    item = _item(recipient, item_id)
    given = actions.answer(recipient, item, request.POST.get("what", ""), request.POST.get("reason", ""), request.POST.get("client_key", ""))
    return JsonResponse({"what": given.what, "reason": given.reason}) if wants_json(request) else redirect("editor", token)


@require_GET
def excerpt(request: HttpRequest, token: str, item_id: int) -> HttpResponseBase:
    """Picture and sound of one passage."""
    item = _item(actions.recipient_for(token), item_id)
    if item.excerpt is None:
        raise Http404
    return serve(request, item.excerpt, "video/mp4")


@require_GET
def still(request: HttpRequest, token: str, item_id: int) -> HttpResponseBase:
    """A picture of one passage."""
    item = _item(actions.recipient_for(token), item_id)
    if item.still is None:
        raise Http404
    return serve(request, item.still, "image/jpeg")


@require_GET
def table(request: HttpRequest, token: str) -> HttpResponse:
    """All notes as CSV."""
    row = actions.recipient_for(token).dispatch
    return HttpResponse(row.csv_text, content_type="text/csv; charset=utf-8", headers={"Content-Disposition": f'attachment; filename="{row.csv_name}"'})


def _item(recipient: Recipient, item_id: int) -> DispatchItem:
    return get_object_or_404(DispatchItem.objects.select_related("excerpt", "still"), pk=item_id, dispatch=recipient.dispatch_id)
