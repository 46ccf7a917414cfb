"""What a note proposes: which remedy of its finding, and in which words."""

from collections.abc import Iterable
from typing import Any

from mezzavoce_core.exchange.wording import DEFAULT, note_text, remedy_of_points

from ..library.models import Mix, Production
from .models import Note, Placement, Wording

NONE, OWN = -1, -2
"""Choices beside the remedies that were found: no remedy, and points that a person set."""
Evidence = dict[str, Any]


def offered(evidence: Evidence) -> list[dict[str, Any]]:
    """The remedies that were found: the first one, then its alternatives."""
    return [remedy for remedy in (evidence["remedy"], *evidence["alternatives"]) if remedy]


def as_told(note: Note, mix: Mix, evidence: Evidence) -> Evidence:
    """A finding as a note tells it: with the remedy that was chosen, and no other beside it."""
    if note.choice == 0:
        return evidence
    return evidence | {"remedy": _chosen(note, mix, evidence), "alternatives": []}


def _chosen(note: Note, mix: Mix, evidence: Evidence) -> dict[str, Any] | None:
    if note.choice == OWN and note.own_points:
        points = [(p["at_s"], p["gain_db"]) for p in note.own_points["points"]]
        return remedy_of_points(note.own_points["role"], points, mix.clock)
    remedies = offered(evidence)
    return remedies[note.choice] if 0 <= note.choice < len(remedies) else None


def kept_choice(note: Note, before: Evidence, now: Evidence) -> int:
    """The choice of a note after its finding was measured anew: the like remedy, or the first where there is none."""
    old = offered(before)
    if not 0 < note.choice < len(old):
        return min(0, note.choice)
    wanted = _likeness(old[note.choice])
    return next((k for k, remedy in enumerate(offered(now)) if _likeness(remedy) == wanted), 0)


def _likeness(remedy: dict[str, Any]) -> tuple[Any, ...]:
    return remedy["action"], remedy["role"], remedy["source"], remedy["channel"] and remedy["channel"]["number"]


def templates_of(production: Production) -> dict[str, str]:
    """The wordings that a production changed, by kind of finding."""
    return dict(Wording.objects.filter(production=production).values_list("kind", "template"))


def proposed_text(
    note: Note, mix: Mix, placements: Iterable[Placement], templates: dict[str, str] | None = None
) -> str:
    """The wording that is proposed for a note on some marks: of the first as it is told, then what is told with it."""
    words = templates_of(mix.production) if templates is None else templates
    first, *others = placements
    lines = [_worded(as_told(note, mix, first.evidence), words)]
    for other in others:
        evidence = other.evidence
        at = f"{other.mark.label}, {evidence['in_timecode']} - {evidence['out_timecode']}"
        lines.append(f"{at}: {_worded(evidence, words)}")
    return "\n".join(lines)


def _worded(evidence: Evidence, templates: dict[str, str]) -> str:
    return note_text(evidence, templates.get(evidence["kind"], DEFAULT))


def placements_of(note: Note) -> list[Placement]:
    """Where the marks of a note lie in its mix: its own mark first, then those that were joined into it."""
    joined = set(note.joined.values_list("marks", flat=True))
    found = Placement.objects.filter(mix=note.mix_id, mark__notes=note).select_related("mark").distinct()
    return sorted(found, key=lambda p: (p.mark_id in joined, p.in_sample, p.pk))
