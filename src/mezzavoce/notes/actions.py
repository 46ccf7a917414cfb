"""Deciding findings, undoing decisions, wording notes."""

from django.db import transaction
from django.http import Http404

from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library.access import require
from ..library.models import Membership, Mix
from .models import Decision, Mark, Note
from .wording import proposed_text

_TEXT_LENGTH = 4000


def decide(person: Person, mark: Mark, mix: Mix, what: str, reason: str = "", client_key: str | None = None) -> Decision:
    """Say what a finding is: a note, not a fault, allowed with a reason, or open again. The same key twice does it once."""
    require(person, mix.production, Membership.Role.REVIEWER)
    if what not in Decision.What.values:
        raise Refused("A finding can be noted, be called not a fault, be allowed, or be opened again.")
    if what == Decision.What.ALLOW and not reason.strip():
        raise Refused("Allowing needs a reason, so that whoever signs off knows why. Write a few words.")
    with transaction.atomic():
        mark = Mark.objects.select_for_update().get(pk=mark.pk)
        done = Decision.objects.filter(client_key=client_key).first() if client_key else None
        if done:
            return done
        before = current_decision(mark, mix)
        decision = Decision.objects.create(mark=mark, mix=mix, what=what, reason=reason.strip()[:500], by=person, client_key=client_key)
        _follow(mark, mix, what)
        record(mix.production, person, what, f"{mix.programme}: {mark.letters}", before=before.what if before else None, after=what)
    return decision


def undo(person: Person, mix: Mix) -> Decision:
    """Take back the last decision on this mix that is not undone yet: what counted before counts again."""
    require(person, mix.production, Membership.Role.REVIEWER)
    with transaction.atomic():
        last = last_undoable(mix)
        if last is None:
            raise Refused("Nothing has been decided on this mix that could be undone.")
        mark = Mark.objects.select_for_update().get(pk=last.mark_id)
        if Decision.objects.filter(undoes=last).exists():
            raise Overtaken("Somebody has undone this already; the page shows the newest state now.")
        before = Decision.objects.filter(mark=mark, mix=mix, pk__lt=last.pk).order_by("-pk").first()
        what = before.what if before else Decision.What.REOPEN
        decision = Decision.objects.create(mark=mark, mix=mix, what=what, reason=before.reason if before else "", by=person, undoes=last)
        _follow(mark, mix, what)
        record(mix.production, person, f"undo {last.what}", f"{mix.programme}: {mark.letters}", before=last.what, after=what)
    return decision


def last_undoable(mix: Mix) -> Decision | None:
    """The newest decision on a mix that is neither undone nor an undoing itself."""
    return Decision.objects.filter(mix=mix, undoes=None, undone_by=None).select_related("mark").order_by("-pk").first()


def current_decision(mark: Mark, mix: Mix) -> Decision | None:
    """What counts now for a mark in a mix."""
    return Decision.objects.filter(mark=mark, mix=mix).order_by("-pk").first()


def _follow(mark: Mark, mix: Mix, what: str) -> None:
    """A noted mark has a note; one that is not noted any more keeps its text for the case that it is again."""
    note = Note.objects.filter(marks=mark, mix=mix).first()
    if what == Decision.What.NOTE:
        if note is None:
            note = Note.objects.create(programme=mark.programme, mix=mix, text=proposed_text(mark.evidence), severity=mark.severity)
            note.marks.add(mark)
        elif note.state == Note.State.WITHDRAWN:
            note.state = Note.State.WRITTEN
            note.version += 1
            note.save()
    elif note is not None and note.state == Note.State.WRITTEN:
        note.state = Note.State.WITHDRAWN
        note.version += 1
        note.save()


def word_note(person: Person, note: Note, text: str, version: int) -> Note:
    """Change a note's wording; refused when somebody else changed it since it was read, or when nothing is left of it."""
    require(person, note.programme.production, Membership.Role.REVIEWER)
    text = text.strip()
    if not text:
        raise Refused("A note without words helps nobody. Write what is wrong, or take the note back with undo.")
    if len(text) > _TEXT_LENGTH:
        raise Refused(f"A note may have {_TEXT_LENGTH} characters; this one has {len(text)}. Shorten it.")
    with transaction.atomic():
        row = Note.objects.select_for_update().get(pk=note.pk)
        if row.version != version:
            raise Overtaken("Somebody changed this note while you wrote. Your words are still in the field: copy them, reload, and put them in again.")
        before, row.text, row.text_by_hand, row.version = row.text, text, True, row.version + 1
        row.save()
        record(row.programme.production, person, "word note", str(row.pk), before=before, after=text)
    return row


def mark_for(person: Person, mark_id: int) -> Mark:
    """A mark that the person may see, or Http404."""
    mark = Mark.objects.select_related("programme__production", "born_mix").filter(pk=mark_id, programme__production__memberships__person=person).first()
    if mark is None:
        raise Http404
    return mark


def note_for(person: Person, note_id: int) -> Note:
    """A note that the person may see, or Http404."""
    note = Note.objects.select_related("programme__production", "mix").filter(pk=note_id, programme__production__memberships__person=person).first()
    if note is None:
        raise Http404
    return note
