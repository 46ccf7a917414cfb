"""What was planted in the demo, beside what Mezzavoce found of it."""

from collections.abc import Sequence
from dataclasses import dataclass

from mezzavoce.accounts.models import Person
from mezzavoce.library.models import Mix
from mezzavoce.library.selectors import productions_of
from mezzavoce.measuring.selectors import current_judgement
from mezzavoce.notes.models import Placement
from mezzavoce.notes.selectors import Marked, marked
from mezzavoce.recheck.models import Recheck

from .programmes.scenario import EPISODES, SERIES
from .programmes.story import Episode, Planted
from .second.mixes import SECOND_MIXES, Becomes, SecondMix

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


@dataclass(frozen=True)
class ToldAgain:
    """A second mix: what a recheck has to say of each fault, and what it says (None: nothing)."""

    second: SecondMix
    mix: Mix | None
    rows: Sequence[tuple[Becomes, Recheck | None]]

    @property
    def right(self) -> int:
        """How many results are as they have to be."""
        return sum(row is not None and row.result == becomes.result for becomes, row in self.rows)


def told_again(person: Person) -> list[ToldAgain]:
    """Every second mix of the demo that the person may see."""
    production = productions_of(person).filter(name=SERIES).first()
    found = Mix.objects.filter(programme__production=production, number=2).select_related("programme")
    mixes = {m.programme.number: m for m in found} if production else {}
    return [_told_again(second, mixes.get(second.number)) for second in SECOND_MIXES]


def _told_again(second: SecondMix, mix: Mix | None) -> ToldAgain:
    rows = list(Recheck.objects.filter(mix=mix).select_related("mark", "mix", "former")) if mix else []
    places = {
        p.mark_id: (p.mix.seconds(p.in_sample), p.mix.seconds(p.out_sample))
        for p in Placement.objects.filter(mix__in={r.former_id for r in rows}).select_related("mix")
    }

    def of(becomes: Becomes) -> Recheck | None:
        for row in rows:
            begin, end = places.get(row.mark_id, (0.0, 0.0))
            if row.mark.kind == becomes.kind and begin - _NEAR_S <= becomes.at_s <= end + _NEAR_S:
                return row
        return None

    return ToldAgain(second, mix, [(becomes, of(becomes)) for becomes in second.becomes])


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
