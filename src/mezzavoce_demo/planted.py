"""What was planted in the demo, beside what Mezzavoce found of it."""

from collections.abc import Sequence
from dataclasses import dataclass

from mezzavoce.accounts.models import Person
from mezzavoce.library.models import Mix
from mezzavoce.library.selectors import productions_of
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes.selectors import Marked, marked

from .programmes.scenario import EPISODES, SERIES
from .programmes.story import Episode, Planted

_NEAR_S = 0.5


@dataclass(frozen=True)
class Row:
    """A planted fault with the mark it was found as (None: not found), or a mark that was not planted."""

    planted: Planted | None
    mark: Marked | None

    @property
    def kind(self) -> str:
        """The kind of either."""
        return self.planted.kind if self.planted else self.mark.mark.kind if self.mark else ""


@dataclass(frozen=True)
class Told:
    """One programme: its mix, and what was planted and found; ``mix`` is None as long as it is not ingested."""

    episode: Episode
    mix: Mix | None
    measured: bool
    rows: Sequence[Row]

    @property
    def found(self) -> int:
        """How many of the planted faults were found."""
        return sum(r.planted is not None and r.mark is not None for r in self.rows)

    @property
    def missing(self) -> int:
        """How many were not."""
        return sum(r.mark is None for r in self.rows)

    @property
    def more(self) -> int:
        """How much else was found."""
        return sum(r.planted is None for r in self.rows)


def told(person: Person) -> list[Told]:
    """Every programme of the demo that the person may see."""
    production = productions_of(person).filter(name=SERIES).first()
    mixes = (
        {}
        if production is None
        else {
            m.programme.number: m
            for m in Mix.objects.filter(programme__production=production, number=1).select_related("programme")
        }
    )
    return [_told(episode, mixes.get(episode.number)) for episode in EPISODES]


def _told(episode: Episode, mix: Mix | None) -> Told:
    judgement = current_judgement(mix) if mix else None
    if mix is None or judgement is None:
        return Told(episode, mix, measured=False, rows=[Row(p, None) for p in episode.planted])
    free = [m for m in marked(mix, judgement) if m.finding is not None]
    rows = []
    for planted in episode.planted:
        mark = next((m for m in free if _is(m, planted, episode.leader_s)), None)
        free = [m for m in free if m is not mark]
        rows.append(Row(planted, mark))
    return Told(episode, mix, measured=True, rows=[*rows, *(Row(None, m) for m in free)])


def _is(found: Marked, planted: Planted, leader_s: float) -> bool:
    begin, end = planted.in_s + leader_s - _NEAR_S, planted.out_s + leader_s + _NEAR_S
    return found.mark.kind == planted.kind and found.in_s < end and begin < found.out_s
