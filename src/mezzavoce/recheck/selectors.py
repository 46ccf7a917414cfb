"""Reading rechecks of what the person was already let in to."""

from dataclasses import dataclass
from functools import cached_property

from mezzavoce_core.versions.recheck import BY_HAND

from ..dispatch.models import Answer
from ..dispatch.selectors import newest_answers
from ..library.models import Mix
from ..measuring.models import Alignment
from ..notes.models import Note, PlacedByHand, Placement
from .models import Recheck

_ORDER = (
    Recheck.Result.WORSE,
    Recheck.Result.SAME,
    Recheck.Result.BETTER,
    Recheck.Result.UNKNOWN,
    Recheck.Result.GONE,
    Recheck.Result.CURED,
)


@dataclass(frozen=True)
class Told:
    """A recheck with what the page shows beside it."""

    row: Recheck
    title: str
    note: Note | None
    answer: Answer | None

    @property
    def contradicts(self) -> bool:
        """Whether an editor said that it is fixed, and the measurement says otherwise."""
        return self.row.is_left and self.answer is not None and self.answer.what == Answer.What.FIXED

    @property
    def words(self) -> str:
        """What became of it, with the figure that is still missing."""
        word = self.row.get_result_display()
        if self.row.result == Recheck.Result.UNKNOWN:
            return f"{word}: listen" if self.row.mark.kind == BY_HAND else f"{word}: stems or captions are wanted"
        if not self.row.is_left:
            return word
        joint = {"better": ", still short by ", "same": ", short by ", "worse": ", short by "}[self.row.result]
        return f"{word}{joint}{self.row.lacks:.1f} {self.row.unit}"

    @property
    def figures(self) -> str:
        """The figure before and now, and what is wanted."""
        row = self.row
        if row.before is None or row.limit is None:
            return ""
        now = f" → {row.now:.1f}" if row.now is not None else ""
        return f"{row.before:.1f}{now}, {row.limit:.1f} {row.unit} wanted"

    @property
    def at(self) -> tuple[str, str] | None:
        """Where it lies in the new mix, as timecodes; None where it is gone."""
        mix, begin, end = self.row.mix, self.row.in_sample, self.row.out_sample
        if begin is None or end is None:
            return None
        return mix.clock.timecode_in(mix.seconds(begin)), mix.clock.timecode_out(mix.seconds(end))


class Laid:
    """A new mix beside the one before it: what became of every note, what is new, what was cut."""

    def __init__(self, mix: Mix) -> None:
        """Of a mix that the person may see."""
        self.mix = mix
        self.alignment = Alignment.objects.filter(mix=mix).select_related("former__programme__production").first()

    @property
    def former(self) -> Mix | None:
        """The mix before."""
        return self.alignment.former if self.alignment else None

    @cached_property
    def told(self) -> list[Told]:
        """Every mark of the former mix, those to be looked at first."""
        rows = list(Recheck.objects.filter(mix=self.mix).select_related("mark", "mix", "confirmed_by"))
        if self.former is None:
            return []
        titles = dict(Placement.objects.filter(mix=self.former).values_list("mark", "title"))
        notes = {
            mark.pk: note
            for note in Note.objects.filter(mix=self.former, state__in=Note.STANDING).prefetch_related("marks")
            for mark in note.marks.all()
        }
        answers = newest_answers([self.former])
        told = [
            Told(r, titles.get(r.mark_id, ""), note := notes.get(r.mark_id), answers.get(note.pk) if note else None)
            for r in rows
        ]
        return sorted(told, key=lambda t: (_ORDER.index(Recheck.Result(t.row.result)), t.row.in_sample or 0, t.row.pk))

    @cached_property
    def by_hand(self) -> set[int]:
        """Marks that a person placed in this mix."""
        return set(PlacedByHand.objects.filter(mix=self.mix, withdrawn=None).values_list("mark", flat=True))

    @property
    def open(self) -> list[Told]:
        """What nobody has confirmed."""
        return [t for t in self.told if not t.row.is_confirmed]

    @cached_property
    def new(self) -> list[Placement]:
        """Marks that were found in the new mix first."""
        return list(Placement.objects.filter(mix=self.mix, mark__mix=self.mix).select_related("mark").defer("evidence"))

    @property
    def sentence(self) -> str:
        """What became of the notes, in a sentence."""
        if not self.told:
            return "Nothing was found in the mix before." if not self.new else f"{len(self.new)} new."
        parts = [f"{n} {r.label}" for r in _ORDER[::-1] if (n := sum(t.row.result == r for t in self.told))]
        return f"Of {len(self.told)}: {', '.join(parts)}{f'; {len(self.new)} new' if self.new else ''}."
