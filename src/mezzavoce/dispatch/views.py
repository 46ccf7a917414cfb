"""The notes of a mix, preparing and sending them, and the editor's page."""

from collections.abc import Callable
from typing import Any

from csp.decorators import csp_replace
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.clickjacking import xframe_options_sameorigin
from django.views.decorators.http import require_GET, require_POST

from ..accounts.access import role_in
from ..accounts.guard import check_links, count_miss
from ..accounts.models import Person
from ..accounts.requests import PersonRequest
from ..config.inputs import client_key, whole
from ..config.refresh import changed, encoded, rendered, respond, seen_by
from ..config.refusals import Refused, wants_json
from ..library import contacts
from ..library.models import Membership, Mix
from ..library.selectors import mix_for
from ..library.serving import serve
from ..notes.wording import rate_words
from . import actions
from .files import file_of, offered
from .mails import with_link
from .models import Delivery, DispatchItem, Excerpt, Recipient
from .selectors import dispatches_of, newest_answers, version_of_sending

# What previews show in the place of a personal link, which is its addressee's alone.
_STAND_IN = "https://here-stands-the-personal-link-of-each-addressee/"
_CLOSED = (
    "This link opens nothing any more: it was withdrawn or is too old. Your words are still here; ask "
    "the reviewer for a new link."
)


@login_required
@require_GET
def notes(request: PersonRequest, mix_id: int) -> HttpResponse:
    """What is written, what was sent, what came back."""
    mix = mix_for(request.user, mix_id)
    context = {
        # Read first: what changes meanwhile is told the next time.
        "version": encoded(version_of_sending(mix)),
        "waiting": actions.sendable(mix),
        "contacts": list(contacts.contacts_of(mix.production)),
        "may": role_in(request.user, mix.production) != Membership.Role.GUEST,
        **_sent(mix),
    }
    return render(request, "dispatch/notes.html", context)


def _sent(mix: Mix) -> dict[str, Any]:
    return {"mix": mix, "dispatches": dispatches_of(mix), "answers": newest_answers([mix])}


@login_required
@require_GET
def notes_state(request: PersonRequest, mix_id: int) -> HttpResponse:
    """What changed of what was sent since the page asked last; 204 where nothing did.

    A mail may have fared otherwise, or an answer may have come.
    """
    mix = mix_for(request.user, mix_id)
    version = version_of_sending(mix)
    if not changed(version, seen_by(request)):
        return respond(version, {})
    return respond(version, {"parts": rendered(request, [("sent", "dispatch/_sent.html")], _sent(mix))})


@login_required
@require_POST
def add_contact(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Somebody new to send to."""
    mix = mix_for(request.user, mix_id, role=Membership.Role.REVIEWER)
    contacts.add_contact(request.user, mix.production, request.POST.get("name", ""), request.POST.get("mail", ""))
    return redirect("notes", mix_id)


@login_required
@require_POST
def prepare(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Put the notes together and show them."""
    mix = mix_for(request.user, mix_id, role=Membership.Role.REVIEWER)
    chosen = [i for i in map(whole, request.POST.getlist("contact")) if i is not None]
    addressees = list(contacts.contacts_of(mix.production).filter(pk__in=chosen))
    return redirect("dispatch", actions.prepare(request.user, mix, addressees).pk)


@login_required
@require_GET
def dispatch(request: PersonRequest, dispatch_id: int) -> HttpResponse:
    """The preview, exactly as it will go out; after sending, how each mail fares."""
    row = actions.dispatch_for(request.user, dispatch_id)
    recipients = list(row.recipients.select_related("contact", "delivery").order_by("pk"))
    context = {
        "dispatch": row,
        "mix": row.mix,
        "recipients": recipients,
        "formats": offered(),
        "may": role_in(request.user, row.mix.production) != Membership.Role.GUEST,
    }
    if recipients:
        context["text"] = with_link(recipients[0].delivery.text, _STAND_IN)
    return render(request, "dispatch/dispatch.html", context)


@login_required
@require_GET
@xframe_options_sameorigin
# The decorator's types know of no arguments.
@csp_replace(  # type: ignore[arg-type]
    {"default-src": ["'none'"], "style-src": ["'unsafe-inline'"], "frame-ancestors": ["'self'"]}
)
def letter(request: PersonRequest, dispatch_id: int) -> HttpResponse:
    """The mail's HTML, for the preview's frame."""
    recipient = (
        actions.dispatch_for(request.user, dispatch_id).recipients.select_related("delivery").order_by("pk").first()
    )
    if recipient is None:
        raise Http404
    return HttpResponse(with_link(recipient.delivery.html, _STAND_IN))


@login_required
@require_GET
def file(request: PersonRequest, dispatch_id: int, name: str) -> HttpResponseBase:
    """The notes of a dispatch in another format."""
    return file_of(actions.dispatch_for(request.user, dispatch_id), name)


@login_required
@require_POST
def send(request: PersonRequest, dispatch_id: int) -> HttpResponse:
    """Send what was prepared."""
    row = actions.dispatch_for(request.user, dispatch_id, Membership.Role.REVIEWER)
    actions.send(request.user, row, answers_by_mail="answers_by_mail" in request.POST)
    return redirect("dispatch", dispatch_id)


@login_required
@require_POST
def retry(request: PersonRequest, delivery_id: int) -> HttpResponse:
    """Try a mail again."""
    delivery = get_object_or_404(Delivery.objects.select_related("recipient__dispatch"), pk=delivery_id)
    row = actions.dispatch_for(request.user, delivery.recipient.dispatch_id, Membership.Role.REVIEWER)
    actions.retry(request.user, delivery)
    return redirect("dispatch", row.pk)


@login_required
@require_POST
def renew(request: PersonRequest, recipient_id: int) -> HttpResponse:
    """Send a personal link anew."""
    return _with_link(request, recipient_id, actions.renew_link)


@login_required
@require_POST
def withdraw(request: PersonRequest, recipient_id: int) -> HttpResponse:
    """Let a personal link open nothing any more."""
    return _with_link(request, recipient_id, actions.withdraw_link)


def _with_link(request: PersonRequest, recipient_id: int, do: Callable[[Person, Recipient], object]) -> HttpResponse:
    recipient = get_object_or_404(Recipient.objects.select_related("contact"), pk=recipient_id)
    recipient.dispatch = actions.dispatch_for(request.user, recipient.dispatch_id, Membership.Role.REVIEWER)
    do(request.user, recipient)
    return redirect("dispatch", recipient.dispatch_id)


@require_GET
@never_cache
def editor(request: HttpRequest, token: str) -> HttpResponse:
    """The editor's page. Opening it changes nothing: mail scanners open links too."""
    recipient = _recipient(request, token)
    if recipient is None:
        return render(request, "dispatch/link_unknown.html", status=404)
    items = list(recipient.dispatch.items.select_related("excerpt__clip", "excerpt__still"))
    own = actions.answers_of(recipient)
    shown = [(item, own[item.pk] if item.pk in own and own[item.pk].what != "taken back" else None) for item in items]
    context = {
        "recipient": recipient,
        "dispatch": recipient.dispatch,
        "mix": recipient.dispatch.mix,
        "items": shown,
        "token": token,
        "formats": offered(),
        "rate": rate_words(recipient.dispatch.mix),
        "judged_by": items[0].content.get("judged_by", "") if items else "",
    }
    response = render(request, "dispatch/editor.html", context)
    # The address is the key to the page: it must not travel on as a referrer or into an index.
    response["Referrer-Policy"], response["X-Robots-Tag"] = "same-origin", "noindex"
    return response


@require_POST
def answer(request: HttpRequest, token: str, item_id: int) -> HttpResponse:
    """Take an editor's answer."""
    recipient = _recipient(request, token)
    if recipient is None:
        raise Refused(_CLOSED)
    said, item = request.POST, _item(recipient, item_id)
    given = actions.answer(
        recipient, item, said.get("what", ""), said.get("reason", ""), client_key(said.get("client_key")) or ""
    )
    return (
        JsonResponse({"what": given.what, "reason": given.reason}) if wants_json(request) else redirect("editor", token)
    )


@require_GET
def excerpt(request: HttpRequest, token: str, item_id: int) -> HttpResponseBase:
    """Picture and sound of one passage."""
    cut = _excerpt(request, token, item_id)
    if cut.clip is None:
        raise Http404
    return serve(request, cut.clip, "video/mp4")


@require_GET
def still(request: HttpRequest, token: str, item_id: int) -> HttpResponseBase:
    """A picture of one passage."""
    cut = _excerpt(request, token, item_id)
    if cut.still is None:
        raise Http404
    return serve(request, cut.still, "image/jpeg")


@require_GET
def table(request: HttpRequest, token: str) -> HttpResponse:
    """All notes as CSV."""
    recipient = _recipient(request, token)
    if recipient is None:
        raise Http404
    row = recipient.dispatch
    return HttpResponse(
        row.csv_text,
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{row.csv_name}"'},
    )


@require_GET
def editor_file(request: HttpRequest, token: str, name: str) -> HttpResponseBase:
    """All notes in another format, through a personal link."""
    recipient = _recipient(request, token)
    if recipient is None:
        raise Http404
    return file_of(recipient.dispatch, name)


def _recipient(request: HttpRequest, token: str) -> Recipient | None:
    """Whom a personal link belongs to; None for one that opens nothing.

    Raises TooOften where many of those were tried.
    """
    check_links(request)
    recipient = actions.recipient_for(token)
    if recipient is None:
        count_miss(request)
    return recipient


def _item(recipient: Recipient, item_id: int) -> DispatchItem:
    return get_object_or_404(DispatchItem, pk=item_id, dispatch=recipient.dispatch_id)


def _excerpt(request: HttpRequest, token: str, item_id: int) -> Excerpt:
    recipient = _recipient(request, token)
    if recipient is None:
        raise Http404
    return get_object_or_404(
        Excerpt.objects.select_related("clip", "still"), item=item_id, item__dispatch=recipient.dispatch_id
    )
