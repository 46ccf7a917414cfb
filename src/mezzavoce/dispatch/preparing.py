"""Putting notes together for some addressees, exactly as they would go out."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from ..accounts.access import Role, require
from ..accounts.models import Person
from ..config.refusals import Refused
from ..library.models import Contact, Mix
from ..measuring.selectors import current_judgement
from ..notes import for_all
from . import compose
from .files import ATTACHABLE
from .models import Delivery, Dispatch, DispatchItem, Recipient
from .pending import Pending, had_before, pending
from .pictures import Pictures
from .tokens import hash_of, new_seed, token_for

COVERING_LENGTH = 2000


@dataclass(frozen=True)
class Envelope:
    """To whom notes go, and with what."""

    to: Sequence[Contact]
    copies: Sequence[Contact] = ()
    covering: str = ""
    attached: Sequence[str] = ("csv",)
    only: Collection[int] | None = None
    """Numbers of the notes that go out; None for all."""

    def check(self) -> None:
        """Raise Refused for what cannot go out."""
        if not self.to:
            raise Refused("Choose at least one addressee, or add one with name and mail address.")
        if len(self.covering) > COVERING_LENGTH:
            raise Refused(f"What you say before the notes may have {COVERING_LENGTH} characters. Shorten it.")
        if not set(self.attached) <= set(ATTACHABLE):
            raise Refused("A file of this format cannot be attached. Choose from those that are offered.")


def prepare(person: Person, mix: Mix, envelope: Envelope) -> Dispatch:
    """Put what is to be sent together for some addressees. An earlier preparation is dropped."""
    require(person, mix, Role.REVIEWER)
    envelope.check()
    with transaction.atomic():
        found = [p for p in pending(mix) if envelope.only is None or p.note.pk in envelope.only]
        if not found:
            raise Refused(
                "There is no note to send: note a finding first, or wait for answers to the ones already sent."
            )
        shares = _shares(mix, envelope.to, found)
        going = [p for p in found if any(p in share for share in shares.values())]
        if not going:
            raise Refused(
                "None of these notes is for the addressees that you chose. Choose others, or say at the notes for whom "
                "they are."
            )
        Dispatch.objects.filter(mix=mix, state=Dispatch.State.PREPARED).update(state=Dispatch.State.DROPPED)
        dispatch = _store(person, mix, envelope, going, _remarks(found, shares))
        items = _store_items(dispatch, going)
        for contact, share in shares.items():
            if share:
                _address(dispatch, contact, [items[p.note.pk] for p in share])
        for contact in envelope.copies:
            if not shares.get(contact):
                _address(dispatch, contact, list(items.values()), is_copy=True)
    return dispatch


def _shares(mix: Mix, to: Sequence[Contact], found: Sequence[Pending]) -> dict[Contact, list[Pending]]:
    """What each addressee gets."""
    had = had_before(mix)
    parts = {p.note.pk: _part(p) for p in found}
    return {c: [p for p in found if p.is_for(c, parts[p.note.pk], had.get(c.pk, ()))] for c in to}


def _part(item: Pending) -> str:
    return compose.part_of(item.note, item.marks[0]) if item.marks else item.mark.role


def _remarks(found: Sequence[Pending], shares: Mapping[Contact, Sequence[Pending]]) -> list[str]:
    """Who gets nothing, and what nobody gets, in sentences."""
    told = [f"{c.name} gets nothing: none of these notes is for that addressee." for c, s in shares.items() if not s]
    left = [p.mark.label for p in found if not any(p in share for share in shares.values())]
    if left:
        one = len(left) == 1
        told.append(f"{', '.join(left)} {'stays' if one else 'stay'} here: for nobody of these.")
    return told


def _store(person: Person, mix: Mix, envelope: Envelope, going: Sequence[Pending], remarks: list[str]) -> Dispatch:
    follows = mix.dispatches.filter(state=Dispatch.State.SENT).order_by("-pk").first()
    return Dispatch.objects.create(
        mix=mix,
        by=person,
        subject=compose.subject(mix, [p.news for p in going], follows=follows is not None),
        covering=envelope.covering.replace("\r\n", "\n").strip(),
        for_all=_for_all(mix),
        attached=[name for name in ATTACHABLE if name in envelope.attached],
        follows=follows,
        remarks=remarks,
    )


def _for_all(mix: Mix) -> list[dict[str, Any]]:
    """What holds in all programmes and was not told with notes of this mix yet."""
    sent = mix.dispatches.filter(state=Dispatch.State.SENT).values_list("for_all", flat=True)
    told = {one["number"] for some in sent for one in some}
    return [for_all.as_told(row) for row in for_all.standing(mix.production) if row.pk not in told]


def _store_items(dispatch: Dispatch, going: Sequence[Pending]) -> dict[int, DispatchItem]:
    judgement = current_judgement(dispatch.mix)
    judged_by, pictures = judgement.spec_version.words if judgement else "", Pictures(judgement)
    rows = [
        DispatchItem(
            dispatch=dispatch,
            note=p.note,
            mark=p.mark,
            note_version=p.note.version,
            news=p.news,
            position=k,
            content=p.content(judged_by, pictures),
        )
        for k, p in enumerate(going)
    ]
    DispatchItem.objects.bulk_create(rows)
    return {row.note_id: row for row in DispatchItem.objects.filter(dispatch=dispatch)}


def _address(dispatch: Dispatch, contact: Contact, items: Sequence[DispatchItem], *, is_copy: bool = False) -> None:
    recipient = link_for(dispatch, contact, items, is_copy=is_copy)
    letter = compose.letter(dispatch, recipient, items)
    Delivery.objects.create(recipient=recipient, **letter)


def link_for(dispatch: Dispatch, contact: Contact, items: Sequence[DispatchItem], *, is_copy: bool) -> Recipient:
    """A personal link to some notes of a dispatch, of a new seed. Called inside a transaction."""
    seed = new_seed()
    said: dict[str, Any] = {"seed": seed, "token_hash": hash_of(token_for(seed)), "is_copy": is_copy}
    expires = timezone.now() + timedelta(days=settings.LINK_DAYS)
    recipient = Recipient.objects.create(dispatch=dispatch, contact=contact, expires=expires, **said)
    recipient.items.set(items)
    return recipient
