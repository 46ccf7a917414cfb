"""A new mix that whoever mended the old one hands in through a personal link, where the production allows it."""

from collections.abc import Sequence

from django.db import transaction
from django.http import Http404

from ..accounts.access import Role, role_in
from ..accounts.models import Person
from ..config.refusals import NotAllowed, Refused
from ..library import intake, uploads
from ..library.models import Membership, Mix, StoredFile, Upload
from ..library.sounds import CAPTIONS, Piece
from .answers import note_use
from .models import Recipient

_CLOSED = (
    "This production does not take mixes through links. Send the new mix the way you always do, or ask the reviewer."
)


def may(recipient: Recipient) -> bool:
    """Whether a new mix is taken through this link."""
    mix = recipient.dispatch.mix
    return mix.production.editors_hand_in and not recipient.is_copy and not mix.archived


def responsible(recipient: Recipient) -> Person:
    """Who answers for what comes through a link: whoever sent the notes, or a lead. Raises NotAllowed where none is."""
    if not may(recipient):
        raise NotAllowed(_CLOSED)
    production = recipient.dispatch.mix.production
    sender = recipient.dispatch.by
    if sender.is_active and role_in(sender, production) in (Role.REVIEWER, Role.LEAD):
        return sender
    leads = Membership.objects.filter(production=production, role=Role.LEAD, person__is_active=True)
    first = leads.select_related("person").order_by("pk").first()
    if first is None:
        raise NotAllowed(_CLOSED)
    return first.person


def begin(recipient: Recipient, name: str, size: int, modified: int | None) -> Upload:
    """Announce a file; one that broke off goes on where it stopped."""
    return uploads.begin(responsible(recipient), recipient.dispatch.mix.production, name, size, modified)


def upload_for(recipient: Recipient, key: str) -> Upload:
    """A file that is arriving through this link, or Http404."""
    row = uploads.find(responsible(recipient), key)
    if row.production_id != recipient.dispatch.mix.production.pk:
        raise Http404
    return row


def hand_in(recipient: Recipient, files: Sequence[tuple[str, str]]) -> Mix:
    """Make the next mix of the programme of some files that arrived: the key of each, and its role.

    Frame rate, start and label are those of the mix that was mended. Raises Refused, or as ``library.intake`` does,
    with what does not fit; then nothing is made.
    """
    person, before = responsible(recipient), recipient.dispatch.mix
    rows = [(upload_for(recipient, key), role) for key, role in files]
    if not rows or any(row.file is None for row, _ in rows):
        raise Refused("Choose the new mix first, and wait until it has arrived.")
    pieces = [Piece(row.file, _role(row.file, role)) for row, role in rows if row.file is not None]
    rate = before.rate_in_core
    with transaction.atomic():
        note_use(recipient, "hand in a mix")
        return intake.ingest(
            person,
            before.production,
            intake.Ingest(
                files=pieces,
                frame_rate=rate,
                start_timecode=before.start_timecode,
                programme=before.programme,
                label=before.label,
            ),
        )


def _role(file: StoredFile, role: str) -> str:
    return CAPTIONS if file.kind == StoredFile.Kind.CAPTIONS else role
