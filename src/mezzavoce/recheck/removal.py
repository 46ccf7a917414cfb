"""Deleting a mix or a whole programme, with all that people did there: a lead's, and asked first."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction
from django.db.models import Q

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken
from ..dispatch.models import Answer, Dispatch, DispatchItem, Excerpt, ProposedMusic, Recipient
from ..library.models import Mix, Programme, StoredFile, Track
from ..library.storage import drop
from ..library.sweep import unused_files
from ..measuring.models import Correction, Judgement, Run
from ..notes.models import Decision, Mark, Note, PlacedByHand, Placement, Trim
from .models import Recheck, SignOff


@dataclass(frozen=True)
class Goes:
    """How much goes with what is deleted."""

    mixes: int
    decisions: int
    notes: int
    dispatches: int
    answers: int
    sign_offs: int
    corrections: int
    files: int
    bytes: int

    @property
    def key(self) -> str:
        """The human work of it, so that what came meanwhile is noticed."""
        human = (self.decisions, self.notes, self.dispatches, self.answers, self.corrections, self.sign_offs)
        return ".".join(map(str, (self.mixes, *human)))


def goes_with(mixes: Sequence[Mix]) -> Goes:
    """What goes when some mixes are deleted."""
    files = StoredFile.objects.filter(pk__in=_files_of(mixes))
    return Goes(
        mixes=len(mixes),
        decisions=Decision.objects.filter(mix__in=mixes).count(),
        notes=Note.objects.filter(mix__in=mixes, state__in=Note.STANDING).count(),
        dispatches=Dispatch.objects.filter(mix__in=mixes, state=Dispatch.State.SENT).count(),
        sign_offs=SignOff.objects.filter(mix__in=mixes).count(),
        answers=Answer.objects.filter(item__dispatch__mix__in=mixes).count(),
        corrections=Correction.objects.filter(mix__in=mixes).count(),
        files=files.filter(kind__in=(StoredFile.Kind.MEDIA, StoredFile.Kind.CAPTIONS)).count(),
        bytes=sum(files.values_list("size", flat=True)),
    )


def delete_mix(lead: Person, mix: Mix, seen: str) -> None:
    """Delete a mix. ``seen`` is the key of what the lead was told goes with it; Overtaken where more does by now."""
    require(lead, mix, Role.LEAD)
    with transaction.atomic():
        Programme.objects.select_for_update().get(pk=mix.programme_id)
        _delete(lead, mix.programme, [mix], seen, str(mix))


def delete_programme(lead: Person, programme: Programme, seen: str) -> None:
    """Delete a programme with all its mixes, as ``delete_mix`` does one."""
    require(lead, programme, Role.LEAD)
    with transaction.atomic():
        Programme.objects.select_for_update().get(pk=programme.pk)
        _delete(lead, programme, list(programme.mixes.all()), seen, str(programme))
        programme.delete()


def _delete(lead: Person, programme: Programme, mixes: list[Mix], seen: str, name: str) -> None:
    # A measurement that is judged now is waited for, and finds nothing to write to if it comes later.
    list(Run.objects.select_for_update().filter(mix__in=mixes).order_by("pk").values_list("pk"))
    told = goes_with(mixes)
    if told.key != seen:
        raise Overtaken(f"Somebody worked on {name} meanwhile, so more would go than was said. Look at it again.")
    files = _files_of(mixes)
    _delete_human_work(mixes)
    _delete_marks(programme, mixes)
    Mix.objects.filter(pk__in=[m.pk for m in mixes]).delete()
    record(programme.production, lead, "delete", name, before=told.__dict__)
    # What another mix uses as well stays.
    for row in unused_files().filter(pk__in=files):
        drop(row)


def _delete_human_work(mixes: list[Mix]) -> None:
    """Everything that refers to some mixes, what is referred to last."""
    dispatches = Dispatch.objects.filter(mix__in=mixes)
    Answer.objects.filter(item__dispatch__in=dispatches).delete()
    Recipient.objects.filter(dispatch__in=dispatches).delete()
    DispatchItem.objects.filter(dispatch__in=dispatches).delete()
    dispatches.delete()
    Note.objects.filter(mix__in=mixes).update(joined_into=None)
    Note.objects.filter(mix__in=mixes).delete()
    SignOff.objects.filter(mix__in=mixes).delete()
    Recheck.objects.filter(Q(mix__in=mixes) | Q(former__in=mixes)).delete()
    Decision.objects.filter(mix__in=mixes).update(undoes=None)
    for model in (Decision, Trim, Placement, PlacedByHand, Correction):
        model.objects.filter(mix__in=mixes).delete()


def _delete_marks(programme: Programme, mixes: list[Mix]) -> None:
    """Marks go with the last mix in which they lie; before, another of their mixes stands for the first."""
    for mark in Mark.objects.filter(programme=programme, mix__in=mixes):
        left = mark.placements.exclude(mix__in=mixes).order_by("mix_id").first()
        if left is None:
            mark.delete()
        else:
            mark.mix = left.mix
            mark.save(update_fields=["mix"])


def _files_of(mixes: Sequence[Mix]) -> set[int]:
    """Files that some mixes use: what was delivered, and all that was made of it."""
    having = (
        Track.objects.filter(mix__in=mixes).values_list("file"),
        Mix.objects.filter(pk__in=[m.pk for m in mixes]).values_list("captions", "playback__file"),
        Run.objects.filter(mix__in=mixes).values_list("features", "peaks"),
        Judgement.objects.filter(run__mix__in=mixes).values_list("series"),
        ProposedMusic.objects.filter(dispatch__mix__in=mixes).values_list("file"),
        Excerpt.objects.filter(item__dispatch__mix__in=mixes).values_list("clip", "still", "proposed"),
    )
    return {pk for rows in having for row in rows for pk in row if pk}
