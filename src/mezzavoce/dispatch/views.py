"""The notes of a mix, preparing and sending them, and what came back."""

from collections.abc import Callable
from typing import Any

from csp.decorators import csp_replace
from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.clickjacking import xframe_options_sameorigin
from django.views.decorators.http import require_GET, require_POST

from mezzavoce_core.exchange.sheets.tables import notes_table

from ..accounts.access import role_in
from ..accounts.models import Person
from ..accounts.requests import PersonRequest
from ..config.inputs import whole, whole_file
from ..config.refresh import changed, encoded, rendered, respond, seen_by
from ..library import contacts
from ..library.models import Membership, Mix
from ..library.selectors import mix_for
from ..notes import by_hand, for_all
from ..notes.editing import WEIGHTS
from . import actions, answers, music
from .files import ATTACHABLE, file_of, offered, served_music, sheet_of
from .mails import with_link
from .models import Delivery, ProposedMusic, Recipient
from .pending import Pending, drifts, pending
from .preparing import Envelope
from .preparing import prepare as prepare_dispatch
from .selectors import dispatches_of, newest_answers, version_of_sending

# So many notes come with the page; the others follow at once, so that the first can be read meanwhile.
_FIRST_ROWS = 50
# What previews show in the place of a personal link, which is its addressee's alone.
_STAND_IN = "https://here-stands-the-personal-link-of-each-addressee/"


@login_required
@require_GET
def notes(request: PersonRequest, mix_id: int) -> HttpResponse:
    """What is written, what was sent, what came back."""
    mix = mix_for(request.user, mix_id)
    version, found = version_of_sending(mix), pending(mix, whole=False)
    waiting, rest = found[:_FIRST_ROWS], max(0, len(found) - _FIRST_ROWS)
    context = {
        # Read first: what changes meanwhile is told the next time.
        "version": encoded(version),
        "waiting": _with_drifts(mix, waiting),
        "count": len(found),
        "rest": rest,
        "is_follow_up": any(p.last for p in found),
        "contacts": list(contacts.contacts_of(mix.production)),
        "attachable": ATTACHABLE.items(),
        "weights": WEIGHTS,
        "for_all": list(for_all.standing(mix.production)),
        **_sent(request.user, mix),
    }
    return render(request, "dispatch/notes.html", context)


@login_required
@require_GET
def more_notes(request: PersonRequest, mix_id: int) -> HttpResponse:
    """The rows of the list that did not come with the page."""
    mix = mix_for(request.user, mix_id)
    found = pending(mix, whole=False)
    context = {
        "mix": mix,
        "waiting": _with_drifts(mix, found[_FIRST_ROWS:]),
        "is_follow_up": any(p.last for p in found),
        "may": role_in(request.user, mix.production) != Membership.Role.GUEST,
    }
    return render(request, "dispatch/_waiting_rows.html", context)


def _with_drifts(mix: Mix, found: list[Pending]) -> list[tuple[Pending, str]]:
    drifted = drifts(mix, found)
    return [(p, drifted.get(p.note.pk, "")) for p in found]


def _sent(person: Person, mix: Mix) -> dict[str, Any]:
    may = role_in(person, mix.production) != Membership.Role.GUEST
    return {"mix": mix, "dispatches": dispatches_of(mix), "answers": newest_answers([mix]), "may": may}


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
    return respond(version, {"parts": rendered(request, [("sent", "dispatch/_sent.html")], _sent(request.user, mix))})


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
    said, listed = request.POST, list(contacts.contacts_of(mix.production))
    ticked = _numbers(said.getlist("note"))
    envelope = Envelope(
        to=[c for c in listed if c.pk in _numbers(said.getlist("contact"))],
        copies=[c for c in listed if c.pk in _numbers(said.getlist("copy"))],
        covering=said.get("covering", ""),
        attached=said.getlist("attached"),
        only=ticked or None,
    )
    return redirect("dispatch", prepare_dispatch(request.user, mix, envelope).pk)


def _numbers(told: list[str]) -> set[int]:
    return {number for number in map(whole, told) if number is not None}


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
        "music": ProposedMusic.objects.filter(dispatch=row).first(),
        "has_music": bool(music.role_of(row.mix)),
        "attached": [ATTACHABLE[name] for name in row.attached if name in ATTACHABLE],
        "may": role_in(request.user, row.mix.production) != Membership.Role.GUEST,
    }
    # The link of which the mail is shown; the first one where none is asked for.
    asked = whole(request.GET.get("to"))
    chosen = next((r for r in recipients if r.pk == asked), recipients[0] if recipients else None)
    if chosen is not None:
        table = notes_table(sheet_of(row, chosen.items.all())).decode()
        context |= {"chosen": chosen, "text": with_link(chosen.delivery.text, _STAND_IN), "table": table}
    return render(request, "dispatch/dispatch.html", context)


@login_required
@require_GET
@xframe_options_sameorigin
# The decorator's types know of no arguments.
@csp_replace(  # type: ignore[arg-type]
    {"default-src": ["'none'"], "style-src": ["'unsafe-inline'"], "frame-ancestors": ["'self'"]}
)
def letter(request: PersonRequest, dispatch_id: int) -> HttpResponse:
    """The mail's HTML to one addressee, for the preview's frame."""
    recipients = actions.dispatch_for(request.user, dispatch_id).recipients.select_related("delivery").order_by("pk")
    asked = whole(request.GET.get("to"))
    recipient = recipients.filter(pk=asked).first() if asked else recipients.first()
    if recipient is None:
        raise Http404
    return HttpResponse(with_link(recipient.delivery.html, _STAND_IN))


@login_required
@require_GET
def file(request: PersonRequest, dispatch_id: int, name: str) -> HttpResponseBase:
    """The notes of a dispatch in another format."""
    row = actions.dispatch_for(request.user, dispatch_id)
    return file_of(row, row.items.all(), name)


@login_required
@require_POST
def send(request: PersonRequest, dispatch_id: int) -> HttpResponse:
    """Send what was prepared."""
    row = actions.dispatch_for(request.user, dispatch_id, Membership.Role.REVIEWER)
    said = request.POST
    actions.send(request.user, row, answers_by_mail="answers_by_mail" in said, reminds="reminds" in said)
    return redirect("dispatch", dispatch_id)


@login_required
@require_POST
def ask_music(request: PersonRequest, dispatch_id: int) -> HttpResponse:
    """Have the music written as the notes would have it."""
    row = actions.dispatch_for(request.user, dispatch_id, Membership.Role.REVIEWER)
    music.ask(request.user, row)
    return redirect("dispatch", row.pk)


@login_required
@require_GET
def proposed_music(request: PersonRequest, dispatch_id: int) -> HttpResponseBase:
    """The music as the notes would have it."""
    return served_music(request, actions.dispatch_for(request.user, dispatch_id))


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


@login_required
@require_POST
def answers_in_table(request: PersonRequest, recipient_id: int) -> HttpResponse:
    """Take the answers of a filled-in table that an addressee sent some other way."""
    recipient = get_object_or_404(Recipient.objects.select_related("contact"), pk=recipient_id)
    recipient.dispatch = actions.dispatch_for(request.user, recipient.dispatch_id, Membership.Role.REVIEWER)
    given = answers.take_table(recipient, whole_file(request), request.user)
    messages.success(request, f"{len(given)} answer{'' if len(given) == 1 else 's'} taken over.")
    return redirect("notes", recipient.dispatch.mix_id)


@login_required
@require_POST
def bring_in(request: PersonRequest, mix_id: int) -> HttpResponse:
    """Take over the notes of somebody else."""
    mix = mix_for(request.user, mix_id, role=Membership.Role.REVIEWER)
    marks, remark = by_hand.bring_in(request.user, mix, whole_file(request), request.POST.get("severity", "should"))
    count = f"{len(marks)} note{'' if len(marks) == 1 else 's'} taken over."
    messages.success(request, f"{count} {remark}".strip())
    return redirect("notes", mix.pk)


@login_required
@require_POST
def reply(request: PersonRequest, answer_id: int) -> HttpResponse:
    """Say something to an editor's question."""
    given = answers.answer_for(request.user, answer_id)
    answers.reply(request.user, given, request.POST.get("text", ""))
    return redirect("notes", given.item.dispatch.mix_id)
