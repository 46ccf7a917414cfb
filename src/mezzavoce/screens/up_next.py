"""Up next: over all productions of a person, what is theirs to do, the most urgent first."""

from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

from django.utils import timezone

from ..accounts.access import Role
from ..accounts.models import Person
from ..dispatch.models import Answer
from ..library.models import Production, Programme
from ..library.selectors import productions_of
from ..measuring.models import Run
from .rows import Row, rows_of

MOST = 60
"""As many programmes are listed; the others come up as these are done."""
_ASKED = (Answer.What.QUESTION, Answer.What.CANNOT)
_SOON = timedelta(days=1)
_WEEK = timedelta(days=7)


@dataclass(frozen=True)
class Task:
    """What is to be done about a programme: in words, by when, and how it ranks among those due on the same day."""

    row: Row
    words: str
    rank: int
    when: str

    @property
    def urgency(self) -> tuple[date, int, str, int]:
        """What they are ordered by: the day, then who waits, then production and number."""
        programme = self.row.programme
        return programme.due or date.max, self.rank, programme.production.name, programme.number


class UpNext:
    """Everything that the page shows."""

    def __init__(self, person: Person) -> None:
        """Of a person, in every production that they work in and that is not in the archive."""
        self.person = person

    @cached_property
    def productions(self) -> list[Production]:
        """Productions that are worked on, each with how many of its programmes want something."""
        return [p for p in productions_of(self.person) if not p.archived]

    @cached_property
    def keys(self) -> list[int]:
        """Their primary keys."""
        return [p.pk for p in self.productions]

    @cached_property
    def all(self) -> list[Task]:
        """All that is to do, the most urgent first."""
        mine = Programme.objects.filter(
            production__in=self.keys,
            production__memberships__person=self.person,
            production__memberships__role__in=(Role.REVIEWER, Role.LEAD),
            archived_at=None,
        )
        today = timezone.localdate()
        tasks = [task for row in rows_of(mine, with_figures=False) if (task := _task(row, today))]
        return sorted(tasks, key=lambda task: task.urgency)

    @property
    def tasks(self) -> list[Task]:
        """As many as are listed."""
        return self.all[:MOST]

    @property
    def counts(self) -> list[tuple[Production, int]]:
        """Each production with how many of its programmes want something."""
        wanting = [task.row.programme.production_id for task in self.all]
        return [(p, wanting.count(p.pk)) for p in self.productions]


def _task(row: Row, today: date) -> Task | None:
    """What is to be done about a programme; None where nothing is, or somebody else is at it."""
    if row.signed is not None:
        return None
    due = row.programme.due
    asked = [what for what in row.answers if what in _ASKED]
    must = sum(f.severity == "must" for f in row.open)
    asking = [f for f in row.open if f.severity != "note"]
    found: tuple[str, int] | None = None
    if asked:
        found = f"{len(asked)} answer{'' if len(asked) == 1 else 's'} with a question or a reason", 0
    elif row.judgement and asking:
        found = f"decide {len(asking)}{f', {must} of them must' if must else ''}", 1
    elif row.written:
        found = f"send {row.written} note{'' if row.written == 1 else 's'}", 2
    elif row.is_answered:
        found = "all answered: wants a new mix or a word", 3
    elif row.run and row.run.state == Run.State.FAILED and not row.judgement:
        found = "could not be measured", 4
    elif row.mix is None and due is not None and due <= today + _SOON:
        found = "no mix has come", 5
    return Task(row, *found, when=_when(due, today)) if found else None


def _when(due: date | None, today: date) -> str:
    """Under which heading a day comes."""
    if due is None:
        return "without a day"
    if due < today:
        return "overdue"
    return (
        "today"
        if due == today
        else "tomorrow"
        if due == today + _SOON
        else ("within a week" if due <= today + _WEEK else "later")
    )
