"""The desk: every programme of a production with its newest mix, composed from the selectors of the apps below."""

from functools import cached_property

from ..accounts.access import role_in
from ..accounts.models import Person
from ..dispatch.models import Answer
from ..dispatch.selectors import recent_answers
from ..library.models import Production, Programme
from ..measuring.models import Run
from ..measuring.selectors import active_runs
from .rows import STANDINGS, Row, rows_of


class Desk:
    """Everything that the desk of a production shows to a person in a role. What nobody asks for is not read."""

    def __init__(self, production: Production, role: str) -> None:
        self.production = production
        self.role = role

    @cached_property
    def rows(self) -> list[Row]:
        """Every programme with its newest mix."""
        programmes = Programme.objects.filter(production=self.production)
        return rows_of(programmes if self.production.archived else programmes.filter(archived_at=None))

    @property
    def standings(self) -> tuple[str, ...]:
        """Every word that may say where a programme stands."""
        return STANDINGS

    @cached_property
    def active(self) -> list[Run]:
        """What is being measured, or waits for it."""
        return list(active_runs([self.production.pk]))

    @cached_property
    def answers(self) -> list[Answer]:
        """What editors said last."""
        return recent_answers(self.production.pk)

    @property
    def next_row(self) -> Row | None:
        """The programme to go on with: the soonest due that has something open."""
        waiting = [r for r in self.rows if r.open]
        return min(waiting, key=lambda r: (r.programme.due is None, r.programme.due, r.programme.number), default=None)


def desk(person: Person, production: Production) -> Desk:
    """The desk of a production that the person belongs to."""
    return Desk(production, role_in(person, production) or "guest")
