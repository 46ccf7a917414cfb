"""The editor's page: what a personal link shows, and what is answered through it."""

import uuid

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET, require_POST

from ..accounts.guard import check_links, count_miss
from ..config.inputs import client_key, whole_file
from ..config.refusals import Refused, wants_json
from ..library.models import StoredFile
from ..library.serving import serve
from ..notes.wording import rate_words
from . import answers, hand_in
from .editor import Shown, sees_all, shown
from .files import file_of, is_music_ready, offered, served_music
from .models import DispatchItem, Excerpt, Recipient

_CLOSED = (
    "This link opens nothing any more: it was withdrawn or is too old. Your words are still here; ask "
    "the reviewer for a new link."
)


@require_GET
@never_cache
def editor(request: HttpRequest, token: str) -> HttpResponse:
    """The editor's page. Opening it answers nothing: mail scanners open links too."""
    recipient = _recipient(request, token)
    if recipient is None:
        return _private(render(request, "dispatch/link_unknown.html", status=404))
    answers.note_use(recipient, "open link")
    items = shown(recipient)
    context = {
        "recipient": recipient,
        "dispatch": recipient.dispatch,
        "mix": recipient.dispatch.mix,
        "items": items,
        "open": sum(item.is_open for item in items),
        "token": token,
        # One key a page, so that a browser without scripts sends nothing twice either.
        "page_key": uuid.uuid4().hex,
        "formats": offered(),
        "music": sees_all(recipient) and is_music_ready(recipient.dispatch),
        "may_hand_in": hand_in.may(recipient),
        "rate": rate_words(recipient.dispatch.mix),
        "judged_by": items[0].item.content.get("judged_by", "") if items else "",
    }
    return _private(render(request, "dispatch/editor.html", context))


def _private(response: HttpResponse) -> HttpResponse:
    """The address is the key to the page: it must not travel on as a referrer or into an index."""
    response["Referrer-Policy"], response["X-Robots-Tag"] = "same-origin", "noindex"
    return response


@require_GET
@never_cache
def state(request: HttpRequest, token: str) -> HttpResponse:
    """When each note was last spoken to, changed or withdrawn, so that a page left open knows to be loaded again."""
    recipient = opened(request, token)
    return JsonResponse({str(one.item.pk): _stamp(one) for one in shown(recipient)})


def _stamp(one: Shown) -> str:
    return one.changed_at.isoformat() if one.changed_at else ""


@require_POST
def answer(request: HttpRequest, token: str, item_id: int) -> HttpResponse:
    """Take an editor's answer."""
    recipient = opened(request, token)
    said, item = request.POST, _item(recipient, item_id)
    given = answers.answer(
        recipient, item, said.get("what", ""), said.get("reason", ""), client_key(said.get("client_key")) or ""
    )
    return (
        JsonResponse({"what": given.what, "reason": given.reason}) if wants_json(request) else redirect("editor", token)
    )


@require_POST
def answer_all(request: HttpRequest, token: str) -> HttpResponse:
    """Everything that waits for an answer is fixed."""
    recipient = opened(request, token)
    items = answers.answer_all(recipient, client_key(request.POST.get("client_key")) or "")
    return JsonResponse({"fixed": [i.pk for i in items]}) if wants_json(request) else redirect("editor", token)


@require_POST
def table(request: HttpRequest, token: str) -> HttpResponse:
    """Take the answers of a filled-in table."""
    recipient = opened(request, token)
    given = answers.take_table(recipient, whole_file(request))
    return JsonResponse({"answers": len(given)}) if wants_json(request) else redirect("editor", token)


@require_GET
def excerpt(request: HttpRequest, token: str, item_id: int) -> HttpResponseBase:
    """Picture and sound of one passage."""
    return _served(request, _excerpt(request, token, item_id).clip, "video/mp4")


@require_GET
def proposed(request: HttpRequest, token: str, item_id: int) -> HttpResponseBase:
    """The same passage as proposed."""
    return _served(request, _excerpt(request, token, item_id).proposed, "video/mp4")


@require_GET
def still(request: HttpRequest, token: str, item_id: int) -> HttpResponseBase:
    """A picture of one passage."""
    return _served(request, _excerpt(request, token, item_id).still, "image/jpeg")


@require_GET
def file(request: HttpRequest, token: str, name: str) -> HttpResponseBase:
    """The notes of a link in another format."""
    recipient = _recipient(request, token)
    if recipient is None:
        raise Http404
    response = file_of(recipient.dispatch, recipient.items.all(), name)
    answers.note_use(recipient, f"take {name} file")
    return response


@require_GET
def music(request: HttpRequest, token: str) -> HttpResponseBase:
    """The music as the notes would have it."""
    recipient = _recipient(request, token)
    if recipient is None:
        raise Http404
    if not sees_all(recipient):
        raise Http404
    return served_music(request, recipient.dispatch)


def opened(request: HttpRequest, token: str) -> Recipient:
    """Whom a personal link belongs to. Raises Refused for one that opens nothing."""
    recipient = _recipient(request, token)
    if recipient is None:
        raise Refused(_CLOSED)
    return recipient


def _recipient(request: HttpRequest, token: str) -> Recipient | None:
    """Whom a personal link belongs to; None for one that opens nothing.

    Raises TooOften where many of those were tried.
    """
    check_links(request)
    recipient = answers.recipient_for(token)
    if recipient is None:
        count_miss(request)
    return recipient


def _item(recipient: Recipient, item_id: int) -> DispatchItem:
    return get_object_or_404(recipient.items, pk=item_id)


def _excerpt(request: HttpRequest, token: str, item_id: int) -> Excerpt:
    recipient = _recipient(request, token)
    if recipient is None:
        raise Http404
    rows = Excerpt.objects.select_related("clip", "still", "proposed")
    return get_object_or_404(rows, item=item_id, item__recipients=recipient)


def _served(request: HttpRequest, stored: StoredFile | None, kind: str) -> HttpResponseBase:
    if stored is None:
        raise Http404
    return serve(request, stored, kind)
