"""A piece of work as a row of the database. The row is the truth; a message over the queue only wakes a worker."""

from typing import ClassVar

from django.db import models

WAITING, RUNNING, FAILED = "waiting", "running", "failed"
"""States that every kind of work has; what it is called when it is done is the kind's own."""


class Work(models.Model):
    """What a worker needs to know of a piece of work.

    Its state, who holds it until when, how often it was tried, and what went wrong.

    A kind of work has a ``state`` with at least ``WAITING``, ``RUNNING`` and ``FAILED``.
    """

    # Each kind declares its own, with the names of its states.
    state: "models.CharField[str, str]"
    attempts = models.PositiveIntegerField(default=0)
    lease_holder = models.CharField(max_length=40, blank=True)
    lease_until = models.DateTimeField(null=True)
    next_try = models.DateTimeField(null=True)
    error = models.TextField(blank=True)

    class Meta:
        abstract = True

    def release(self, state: str, error: str = "") -> None:
        """Nobody holds it any more. Not saved yet; a kind that keeps more about its end says so here."""
        self.state, self.error = state, error
        self.lease_holder, self.lease_until, self.next_try = "", None, None


class Making(Work):
    """Work whose end is something made: a file, or what was found in one."""

    class State(models.TextChoices):
        """How far it is."""

        WAITING = WAITING, "waiting"
        RUNNING = RUNNING, "being made"
        READY = "ready", "ready"
        FAILED = FAILED, "failed"

    state = models.CharField(max_length=10, choices=State, default=State.WAITING, db_index=True)

    class Meta:
        abstract = True


class Turn(models.Model):
    """When a production was served last by a kind of work.

    One with much to do does not keep the others waiting.
    """

    kind = models.CharField(max_length=20)
    # A plain number: this app knows nothing of productions.
    production = models.PositiveBigIntegerField()
    at = models.DateTimeField()

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["kind", "production"], name="one_turn_a_kind")
        ]

    def __str__(self) -> str:
        """What and when."""
        return f"{self.kind} for production {self.production} at {self.at}"
