"""Marks, decisions and notes.

Human work: anchored to the mix it was made on, in whole samples, never deleted with a measurement.
"""

from typing import ClassVar

from django.db import models

from mezzavoce_core.exchange.forms import FINDING

from ..accounts.models import Person
from ..config.fields import StoredDocumentField
from ..library.models import Contact, Mix, Production, Programme


class Mark(models.Model):
    """What a finding is, for the whole life of the programme: its label, and what kind of fault it names.

    Where it lies in a mix, and what was found there, is its placement in that mix.
    """

    programme = models.ForeignKey(Programme, on_delete=models.PROTECT, related_name="marks")
    label = models.CharField(max_length=4)
    # The mix in which it was found first.
    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="marks")
    role = models.CharField(max_length=10)
    kind = models.CharField(max_length=40)
    family = models.CharField(max_length=10)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            # Under its first name: the database needs its index for the reference to the programme.
            models.UniqueConstraint(fields=["programme", "label"], name="letters_given_once")
        ]
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """Its label and what kind it is of."""
        return f"{self.label}: {self.kind}"


class Placement(models.Model):
    """Where a mark lies in one mix, in whole samples, and the finding that it was last seen as there."""

    mark = models.ForeignKey(Mark, on_delete=models.PROTECT, related_name="placements")
    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="placements")
    in_sample = models.PositiveBigIntegerField()
    out_sample = models.PositiveBigIntegerField()
    severity = models.CharField(max_length=6)
    # What it is in a few words, apart from the long evidence: lists of hundreds need no more.
    title = models.CharField(max_length=120)
    certainty = models.FloatField(default=1.0)
    evidence = StoredDocumentField(form=FINDING)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["mix", "mark"], name="one_placement_a_mix")
        ]
        ordering: ClassVar[list[str]] = ["in_sample", "id"]

    def __str__(self) -> str:
        """Which mark, and what it is."""
        return f"{self.mark.label}: {self.title}"


class PlacedByHand(models.Model):
    """Where a person says that a mark of the mix before lies in a mix; the newest that was not withdrawn counts."""

    mark = models.ForeignKey(Mark, on_delete=models.PROTECT, related_name="placed_by_hand")
    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="placed_by_hand")
    in_sample = models.PositiveBigIntegerField()
    out_sample = models.PositiveBigIntegerField()
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    withdrawn = models.DateTimeField(null=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """Which mark."""
        return f"{self.mark.label} placed"


class Decision(models.Model):
    """What a person said about a mark. Only ever added to; the newest counts."""

    class What(models.TextChoices):
        """The words of the application for it."""

        NOTE = "note it", "noted"
        NOT_A_FAULT = "not a fault", "not a fault"
        ALLOW = "allow", "allowed"
        REOPEN = "reopen", "open again"

    mark = models.ForeignKey(Mark, on_delete=models.PROTECT, related_name="decisions")
    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="decisions")
    what = models.CharField(max_length=12, choices=What)
    reason = models.CharField(max_length=500, blank=True)
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="decisions")
    at = models.DateTimeField(auto_now_add=True)
    undoes = models.OneToOneField("self", null=True, on_delete=models.PROTECT, related_name="undone_by")
    # Decisions made together are undone together.
    batch = models.UUIDField(null=True)
    # The decision on the mix before, where nothing about the finding changed since.
    carried_from = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")
    # A repeated key press carries the same key and does nothing twice.
    client_key = models.CharField(max_length=40, unique=True, null=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """Mark and decision."""
        return f"{self.mark.label}: {self.what}"


class Trim(models.Model):
    """In and out of a mark as a person set them; the newest that was not withdrawn counts."""

    mark = models.ForeignKey(Mark, on_delete=models.PROTECT, related_name="trims")
    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="trims")
    in_sample = models.PositiveBigIntegerField()
    out_sample = models.PositiveBigIntegerField()
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="trims")
    at = models.DateTimeField(auto_now_add=True)
    withdrawn = models.DateTimeField(null=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """Which mark."""
        return f"{self.mark.label} moved"


class Note(models.Model):
    """What the editor is to be told. The wording is proposed until a person changes it."""

    class State(models.TextChoices):
        """Written, sent, taken back, or told in another note."""

        WRITTEN = "written", "written"
        SENT = "sent", "sent"
        WITHDRAWN = "withdrawn", "withdrawn"
        JOINED = "joined", "joined into another"

    programme = models.ForeignKey(Programme, on_delete=models.PROTECT, related_name="notes")
    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="notes")
    marks = models.ManyToManyField(Mark, related_name="notes")
    text = models.TextField()
    text_by_hand = models.BooleanField(default=False)
    # What was proposed when a person rewrote it: where that is another by now, the measurement has changed since.
    proposed_then = models.TextField(blank=True)
    severity = models.CharField(max_length=6)
    severity_by_hand = models.BooleanField(default=False)
    # Whom it is for; none: whoever mends the part of the sound that it is about.
    addressee = models.ForeignKey(Contact, null=True, on_delete=models.SET_NULL, related_name="+")
    # What it proposes: 0 the first remedy of its finding, 1 and up an alternative, or one of ``proposal``.
    choice = models.SmallIntegerField(default=0)
    # Level points that a person set: ``role`` and ``points`` in seconds of the file and dB.
    own_points = models.JSONField(null=True)
    # The note that tells of it as well, and, in that one, what it said before.
    joined_into = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="joined")
    alone = models.JSONField(null=True)
    state = models.CharField(max_length=10, choices=State, default=State.WRITTEN)
    version = models.PositiveIntegerField(default=1)

    STANDING: ClassVar[tuple[str, ...]] = (State.WRITTEN, State.SENT)

    def __str__(self) -> str:
        """Its first words."""
        return self.text[:60]


class Wording(models.Model):
    """How a production words its notes on a kind of finding, instead of the wording that comes with the application."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="wordings")
    kind = models.CharField(max_length=40)
    template = models.TextField()
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["production", "kind"], name="one_wording_a_kind")
        ]

    def __str__(self) -> str:
        """Of which kind."""
        return self.kind


class SeriesNote(models.Model):
    """What holds in all programmes of a production; it goes out with the notes of each mix."""

    production = models.ForeignKey(Production, on_delete=models.PROTECT, related_name="series_notes")
    title = models.CharField(max_length=120)
    text = models.TextField()
    severity = models.CharField(max_length=6)
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    withdrawn = models.DateTimeField(null=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """What it is about."""
        return self.title
