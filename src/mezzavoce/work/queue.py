"""Claiming work, holding it, ending it: the same for measuring, playback, excerpts and mail.

A worker claims a row with a lease and holds it for as long as it works. One that is killed leaves a lease that runs
out, and the row is taken up again, up to a number of attempts. Of the productions that wait the one that was served
longest ago goes first.
"""

import uuid
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Generic, TypeVar

from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from .models import FAILED, RUNNING, WAITING, Turn, Work

W = TypeVar("W", bound=Work)


@dataclass(frozen=True)
class Rules:
    """How patient a kind of work is."""

    lease_s: float
    """How long a worker may be silent before somebody else takes the row, seconds."""
    most_attempts: int
    first_wait_s: float
    """How long after a first failure it is tried again, seconds; four times as long after each further one."""
    given_up: str
    """What is said of a row whose worker stopped ``most_attempts`` times; ``{attempts}`` stands for how often."""
    longest_wait_s: float = 3600.0
    when_lost: str = WAITING
    """The state of a row whose worker was silent for too long: to be tried again, or something that only a person
    decides."""
    lost: str = ""
    """What is then said of it."""

    def wait_s(self, attempts: int) -> float:
        """How long to wait after so many attempts, seconds."""
        return min(self.first_wait_s * 4.0 ** max(attempts - 1, 0), self.longest_wait_s)


@dataclass(frozen=True)
class Queue(Generic[W]):
    """One kind of work: its rows, how a row reaches its production, and its rules."""

    kind: str
    rows: QuerySet[W]
    production: str
    rules: Rules

    def due(self) -> QuerySet[W]:
        """What somebody could take now: waiting and not put off, or left by a worker that was silent for too long."""
        return self.rows.filter(_free())

    @property
    def _all(self) -> QuerySet[W]:
        """The rows without what they hang on: a lock shall not reach further than the row."""
        return self.rows.model._default_manager.all()  # noqa: SLF001  (Django's documented way to a model's manager)

    def claim(self, only: int | None = None) -> W | None:
        """Take the oldest row of the production whose turn it is (or ``only`` this one).

        None where there is nothing to do.
        """
        for production, pk in self._in_turn(only):
            with transaction.atomic():
                row = self._all.select_for_update(skip_locked=True).filter(_free(), pk=pk).first()
                if row is not None and self._take(row, production):
                    return row
        return None

    def _in_turn(self, only: int | None) -> list[tuple[int, int]]:
        due = self.due() if only is None else self.due().filter(pk=only)
        waiting = list(due.values_list(self.production, "pk"))
        served = dict(
            Turn.objects.filter(kind=self.kind, production__in={p for p, _ in waiting}).values_list("production", "at")
        )
        never = datetime.min.replace(tzinfo=timezone.get_current_timezone())
        return sorted(waiting, key=lambda one: (served.get(one[0], never), one[1]))

    def _take(self, row: W, production: int) -> bool:
        """Make a row one's own, unless it is to be left alone: whoever had it was silent for too long, or too often."""
        was_running = row.state == RUNNING
        if was_running and self.rules.when_lost != WAITING:
            row.release(self.rules.when_lost, self.rules.lost)
        elif row.attempts >= self.rules.most_attempts:
            row.release(FAILED, self.rules.given_up.format(attempts=row.attempts))
        else:
            now = timezone.now()
            row.state, row.attempts, row.lease_holder, row.lease_until = (
                RUNNING,
                row.attempts + 1,
                uuid.uuid4().hex,
                self._until(),
            )
            turn = Turn(kind=self.kind, production=production, at=now)
            Turn.objects.bulk_create([turn], update_conflicts=True, update_fields=["at"])
        row.save()
        return bool(row.state == RUNNING)

    def _until(self) -> datetime:
        return timezone.now() + timedelta(seconds=self.rules.lease_s)

    def extend(self, row: W, **told: Any) -> bool:
        """Go on holding a row, with what is told of its progress.

        False when it was cancelled or taken by somebody else.
        """
        held = self._all.filter(pk=row.pk, state=RUNNING, lease_holder=row.lease_holder)
        return bool(held.update(lease_until=self._until(), **told))

    def mine(self, row: W) -> W | None:
        """The row, locked until the end of the transaction, if it is still held.

        Else None: then nothing of it may be written.
        """
        return self._all.select_for_update().filter(pk=row.pk, state=RUNNING, lease_holder=row.lease_holder).first()

    def end(self, row: W, state: str, error: str = "", **told: Any) -> bool:
        """The work is over, well or not. False when somebody else has the row."""
        with transaction.atomic():
            held = self.mine(row)
            if held is None:
                return False
            held.release(state, error)
            for name, value in told.items():
                setattr(held, name, value)
            held.save()
        return True

    def postpone(self, row: W, sentence: str, **told: Any) -> bool:
        """It went wrong and may go better later: wait for the next try, or, after too many, let it be failed."""
        with transaction.atomic():
            held = self.mine(row)
            if held is None:
                return False
            worn = held.attempts >= self.rules.most_attempts
            held.release(FAILED if worn else WAITING, sentence)
            held.next_try = None if worn else timezone.now() + timedelta(seconds=self.rules.wait_s(held.attempts))
            for name, value in told.items():
                setattr(held, name, value)
            held.save()
        return True


def _free() -> Q:
    """Waiting and not put off, or left by a worker that was silent for too long."""
    now = timezone.now()
    return Q(state=WAITING) & (Q(next_try=None) | Q(next_try__lte=now)) | Q(state=RUNNING, lease_until__lt=now)
