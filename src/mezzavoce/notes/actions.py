"""Deciding findings, undoing decisions, wording notes."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from django.db import transaction
from django.http import Http404
from django.utils import timezone

from ..accounts.access import require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library.models import Membership, Mix
from ..measuring.actions import last_correction, withdraw
from ..measuring.models import Correction
from ..measuring.selectors import current_judgement
from .joining import let_go, split_up
from .models import Decision, Mark, Note, Placement, Trim
from .proposal import as_told, offered, placements_of, proposed_text
from .selectors import marked


def decide(
    person: Person,
    mark: Mark,
    mix: Mix,
    what: str,
    reason: str = "",
    client_key: str | None = None,
    *,
    seen: int | None = None,
    batch: uuid.UUID | None = None,
) -> Decision:
    """Say what a finding is: a note, not a fault, allowed with a reason, or open again.

    The same key twice does it once.

    ``seen`` is the decision that the person saw (0: none); where another one counts by now, Overtaken says whose.
    """
    require(person, mix, Membership.Role.REVIEWER)
    if what not in Decision.What.values:
        raise Refused("A finding can be noted, be called not a fault, be allowed, or be opened again.")
    if what == Decision.What.ALLOW and not reason.strip():
        raise Refused("Allowing needs a reason, so that whoever signs off knows why. Write a few words.")
    with transaction.atomic():
        mark = Mark.objects.select_for_update().get(pk=mark.pk)
        done = Decision.objects.filter(client_key=client_key).first() if client_key else None
        if done:
            if (done.mark_id, done.mix_id, done.what) != (mark.pk, mix.pk, what):
                raise Refused("This decision came under the key of another one. Reload the page and decide again.")
            return done
        before = current_decision(mark, mix)
        if seen is not None and seen != (before.pk if before else 0):
            raise Overtaken(_overtaken_by(mark, before))
        decision = Decision.objects.create(
            mark=mark, mix=mix, what=what, reason=reason.strip()[:500], by=person, client_key=client_key, batch=batch
        )
        _follow(mark, mix, what)
        record(
            mix.production,
            person,
            what,
            f"{mix.programme}: {mark.label}",
            before=before.what if before else None,
            after=what,
        )
    return decision


def _overtaken_by(mark: Mark, before: Decision | None) -> str:
    if before is None:
        return f"{mark.label} stands otherwise by now. Look at it again, then decide."
    return f"{before.by.name} was quicker: {mark.label} is {before.get_what_display()}. Look at it again, then decide."


def decide_alike(
    person: Person,
    mark: Mark,
    mix: Mix,
    what: str,
    reason: str = "",
    client_key: str | None = None,
    *,
    seen: int | None = None,
) -> list[Decision]:
    """Decide a mark and every open one of its kind in the same way; undone together."""
    if client_key and Decision.objects.filter(client_key=client_key, mark=mark, mix=mix, what=what).exists():
        return []
    with transaction.atomic():
        batch = uuid.uuid4()
        others = [m for m in alike(mark, mix) if m.pk != mark.pk]
        _lock_marks([mark.pk, *(m.pk for m in others)])
        first = decide(person, mark, mix, what, reason, client_key, seen=seen, batch=batch)
        return [first, *(decide(person, other, mix, what, reason, batch=batch) for other in others)]


def _lock_marks(marks: Sequence[int]) -> None:
    """Lock several marks, always in the same order.

    Of two who decide many at once neither waits for the other in a circle.
    """
    list(Mark.objects.select_for_update().filter(pk__in=marks).order_by("pk").values_list("pk"))


def alike(mark: Mark, mix: Mix) -> list[Mark]:
    """Open marks of the same kind that the current judgement of the mix finds, this one among them."""
    judgement = current_judgement(mix)
    return [m.mark for m in marked(mix, judgement) if m.mark.kind == mark.kind and m.is_open and m.finding]


def trim(person: Person, mark: Mark, mix: Mix, timecodes: tuple[str, str]) -> Trim:
    """Set in and out of a mark by hand. Raises TimecodeError, or Refused where they cannot be."""
    require(person, mix, Membership.Role.REVIEWER)
    in_s, out_s = (mix.clock.seconds_at(t) for t in timecodes)
    if not 0 <= in_s < min(out_s, mix.duration_s):
        raise Refused(
            "The finding would end before it begins, or lie behind the end of the mix. Set its out after its in."
        )
    with transaction.atomic():
        row = Trim.objects.create(
            mark=mark,
            mix=mix,
            in_sample=mix.samples(in_s),
            out_sample=mix.samples(min(out_s, mix.duration_s)),
            by=person,
        )
        record(mix.production, person, "trim", f"{mix.programme}: {mark.label}", after=list(timecodes))
    return row


@dataclass(frozen=True)
class UndoableAction:
    """What undo would take back: a decision (with those made together with it), a correction, or a trim."""

    what: Decision | Correction | Trim

    @property
    def words(self) -> str:
        """What it was, in a few words."""
        if not isinstance(self.what, Decision):
            return str(self.what)
        others = len(self._together) - 1
        return f"{self.label} {self.what.get_what_display()}{f' and {others} alike' if others else ''}"

    @cached_property
    def _together(self) -> list[Decision]:
        """The decisions that were made in one, the one that a person looked at first."""
        assert isinstance(self.what, Decision)
        batch = self.what.batch
        return (
            list(Decision.objects.filter(batch=batch).select_related("mark").order_by("pk")) if batch else [self.what]
        )

    @property
    def label(self) -> str:
        """The mark it was about, if it was about one."""
        if isinstance(self.what, Decision):
            return self._together[0].mark.label
        return "" if isinstance(self.what, Correction) else self.what.mark.label


def last_undoable_action(mix: Mix) -> UndoableAction | None:
    """The newest thing that somebody did to a mix and that can be undone."""
    trimmed = Trim.objects.filter(mix=mix, withdrawn=None).select_related("mark", "by").order_by("-pk").first()
    actions_ = [d for d in (last_undoable_decision(mix), last_correction(mix), trimmed) if d is not None]
    return UndoableAction(max(actions_, key=lambda d: d.at)) if actions_ else None


def undo(person: Person, mix: Mix) -> UndoableAction:
    """Take back the last thing that was done to this mix: what counted before counts again."""
    require(person, mix, Membership.Role.REVIEWER)
    action = last_undoable_action(mix)
    if action is None:
        raise Refused("Nothing has been done to this mix that could be undone.")
    if isinstance(action.what, Correction):
        withdraw(person, action.what)
    elif isinstance(action.what, Trim):
        _untrim(person, action.what)
    else:
        _undo_decisions(person, mix, action.what)
    return action


def _untrim(person: Person, row: Trim) -> None:
    with transaction.atomic():
        if not Trim.objects.filter(pk=row.pk, withdrawn=None).update(withdrawn=timezone.now()):
            raise Overtaken("Somebody has undone this already; the page shows the newest state now.")
        record(row.mix.production, person, "undo trim", f"{row.mix.programme}: {row.mark.label}")


def _undo_decisions(person: Person, mix: Mix, last: Decision) -> None:
    """A decision, or all that were made together with it."""
    with transaction.atomic():
        together = (
            list(Decision.objects.filter(batch=last.batch).select_related("mark").order_by("-pk"))
            if last.batch
            else [last]
        )
        _lock_marks([decision.mark_id for decision in together])
        for decision in together:
            _undo_one(person, mix, decision)


def _undo_one(person: Person, mix: Mix, last: Decision) -> Decision:
    with transaction.atomic():
        mark = Mark.objects.select_for_update().get(pk=last.mark_id)
        if Decision.objects.filter(undoes=last).exists():
            raise Overtaken("Somebody has undone this already; the page shows the newest state now.")
        before = Decision.objects.filter(mark=mark, mix=mix, pk__lt=last.pk).order_by("-pk").first()
        what = before.what if before else Decision.What.REOPEN
        decision = Decision.objects.create(
            mark=mark, mix=mix, what=what, reason=before.reason if before else "", by=person, undoes=last
        )
        _follow(mark, mix, what)
        record(
            mix.production, person, f"undo {last.what}", f"{mix.programme}: {mark.label}", before=last.what, after=what
        )
    return decision


def last_undoable_decision(mix: Mix) -> Decision | None:
    """The newest decision on a mix that is neither undone nor an undoing itself."""
    return (
        Decision.objects.filter(mix=mix, undoes=None, undone_by=None, carried_from=None)
        .select_related("mark")
        .order_by("-pk")
        .first()
    )


def current_decision(mark: Mark, mix: Mix) -> Decision | None:
    """What counts now for a mark in a mix."""
    return Decision.objects.filter(mark=mark, mix=mix).order_by("-pk").first()


def _follow(mark: Mark, mix: Mix, what: str) -> None:
    """A noted mark has a note; one that is not noted any more keeps its text for the case that it is again."""
    note = _own_note(mark, mix)
    if what == Decision.What.NOTE:
        if note is None:
            _write(mark, mix)
        elif note.state == Note.State.WITHDRAWN:
            _stand(note, Note.State.WRITTEN)
    elif note is not None and note.state != Note.State.WITHDRAWN:
        lead = note.joined_into
        if lead is not None:
            let_go(lead, note)
            _stand(lead, lead.state)
        elif note.alone is not None:
            split_up(note)
        _stand(note, Note.State.WITHDRAWN)


def _own_note(mark: Mark, mix: Mix) -> Note | None:
    """The note that a mark has by itself, whether it stands, was taken back, or is told in another one."""
    notes = list(Note.objects.filter(marks=mark, mix=mix).select_related("joined_into"))
    return next((n for n in notes if n.state == Note.State.JOINED), notes[0] if notes else None)


def _write(mark: Mark, mix: Mix) -> None:
    placement = Placement.objects.get(mark=mark, mix=mix)
    note = Note.objects.create(programme=mark.programme, mix=mix, severity=placement.severity)
    note.marks.add(mark)
    note.text = proposed_text(note, mix, placements_of(note))
    note.save(update_fields=["text"])


def _stand(note: Note, state: str) -> None:
    """Let a note be of a state; what is proposed for it is worded anew."""
    if not note.text_by_hand:
        note.text = proposed_text(note, note.mix, placements_of(note))
    note.state, note.version = state, note.version + 1
    note.save()


def remedy_of(mix: Mix, label: str, choice: int) -> dict[str, Any]:
    """The remedy of a mark (0) or one of its alternatives (1 and up). Raises Refused where there is none."""
    placement = Placement.objects.filter(mix=mix, mark__label=label).first()
    remedies = offered(placement.evidence) if placement else []
    if not 0 <= choice < len(remedies):
        raise Refused("Nothing is proposed here that could be heard.")
    return remedies[choice]


def remedy_of_note(mix: Mix, note_id: int) -> dict[str, Any]:
    """What a note of a mix proposes. Raises Refused where it proposes nothing that could be heard."""
    note = Note.objects.filter(pk=note_id, mix=mix).first()
    remedy = as_told(note, mix, placements_of(note)[0].evidence)["remedy"] if note else None
    if not remedy or not remedy["points"]:
        raise Refused("This note proposes nothing that could be heard.")
    found: dict[str, Any] = remedy
    return found


def mark_for(person: Person, mix_id: int, mark_id: int) -> tuple[Mark, Mix]:
    """A mark that the person may decide in a mix in which it lies, or Http404; NotAllowed for who may only look."""
    placement = (
        Placement.objects.select_related("mark__programme__production", "mix__programme__production")
        .filter(mark=mark_id, mix=mix_id, mix__programme__production__memberships__person=person)
        .first()
    )
    if placement is None:
        raise Http404
    require(person, placement.mix, Membership.Role.REVIEWER)
    return placement.mark, placement.mix


def note_for(person: Person, note_id: int) -> Note:
    """A note that the person may change, or Http404; NotAllowed for who may only look."""
    note = (
        Note.objects.select_related("programme__production", "mix")
        .filter(pk=note_id, programme__production__memberships__person=person)
        .first()
    )
    if note is None:
        raise Http404
    require(person, note.programme, Membership.Role.REVIEWER)
    return note
