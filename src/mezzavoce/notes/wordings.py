"""Wordings that a production changed: set, taken back, tried on what was found."""

from collections.abc import Iterator
from dataclasses import dataclass

from django.db import transaction

from mezzavoce_core.exchange.wording import DEFAULT, checked, note_text
from mezzavoce_core.exchange.words import short_name
from mezzavoce_core.judge.registry import KINDS

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Refused
from ..library.models import Production
from .models import Note, Placement, Wording
from .proposal import placements_of, proposed_text, templates_of

LENGTH = 1000
_NAMES = frozenset(kind.name for kind in KINDS)


@dataclass(frozen=True)
class Worded:
    """A kind of finding with its wording, and the newest place where it was found in the production."""

    kind: str
    template: str
    own: bool
    place: Placement | None

    @property
    def name(self) -> str:
        """What the kind is called."""
        return short_name(self.kind)

    @property
    def tried(self) -> str:
        """The wording on what was found there; empty where nothing was."""
        return note_text(self.place.evidence, self.template) if self.place else ""


def wordings_of(production: Production) -> list[Worded]:
    """Every kind with its wording; those that were found in the production first."""
    own = templates_of(production)
    newest: dict[str, int] = {}
    for pk, kind in Placement.objects.filter(mix__programme__production=production).values_list("pk", "mark__kind"):
        newest[kind] = max(pk, newest.get(kind, 0))
    places = {p.mark.kind: p for p in Placement.objects.filter(pk__in=newest.values()).select_related("mark", "mix")}
    rows = [Worded(name, own.get(name, DEFAULT), name in own, places.get(name)) for name in _NAMES]
    return sorted(rows, key=lambda w: (w.place is None, w.name))


def tried_on(production: Production, kind: str, template: str) -> str:
    """A wording on the newest finding of a kind. Raises UsageError, or Refused where there is none."""
    worded = next((w for w in wordings_of(production) if w.kind == kind), None)
    if worded is None or worded.place is None:
        raise Refused("Nothing of this kind was found in this production yet, so there is nothing to try it on.")
    return note_text(worded.place.evidence, checked(template))


def set_wording(person: Person, production: Production, kind: str, template: str) -> None:
    """Word notes on a kind of finding otherwise from now on. Raises UsageError or Refused.

    A wording that nobody touched is a proposal: it follows, until its note is sent.
    """
    require(person, production, Role.REVIEWER)
    if kind not in _NAMES:
        raise Refused("There is no such kind of finding. Reload the page.")
    told = checked(template)
    if len(told) > LENGTH:
        raise Refused(f"A wording may have {LENGTH} characters; this has {len(told)}. Shorten it.")
    with transaction.atomic():
        before = templates_of(production).get(kind, DEFAULT)
        if told == DEFAULT:
            Wording.objects.filter(production=production, kind=kind).delete()
        else:
            said = {"template": told, "by": person}
            Wording.objects.update_or_create(production=production, kind=kind, defaults=said)
        _word_anew(production, kind)
        record(production, person, "word kind", short_name(kind), before=before, after=told)


def _word_anew(production: Production, kind: str) -> None:
    templates = templates_of(production)
    for note in _proposals(production, kind):
        text = proposed_text(note, note.mix, placements_of(note), templates)
        if text != note.text:
            note.text, note.version = text, note.version + 1
            note.save(update_fields=["text", "version"])


def _proposals(production: Production, kind: str) -> Iterator[Note]:
    """Written notes about a kind whose wording nobody touched."""
    found = Note.objects.filter(
        programme__production=production, marks__kind=kind, state=Note.State.WRITTEN, text_by_hand=False
    )
    yield from found.select_related("mix__programme__production").distinct()
