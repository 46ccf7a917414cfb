"""Runs, judgements and findings: derived, disposable. Nothing here takes human work along when it goes."""

from typing import Any, ClassVar

from django.db import models
from django.utils import timezone

from mezzavoce_core.exchange.forms import ALIGNMENT, DETAIL, FINDING

from ..accounts.models import Person
from ..config.fields import StoredDocumentField
from ..library.models import Mix, SpecVersion, StoredFile
from ..work.models import FAILED, RUNNING, WAITING, Making, Work


class Run(Work):
    """One measurement of one mix. The row is the truth; whoever works on it holds its lease."""

    class State(models.TextChoices):
        """From asked for to done."""

        WAITING = WAITING, "waiting"
        RUNNING = RUNNING, "running"
        MEASURED = "measured", "measured"
        FAILED = FAILED, "failed"
        CANCELLED = "cancelled", "cancelled"

    mix = models.ForeignKey(Mix, on_delete=models.CASCADE, related_name="runs")
    state = models.CharField(max_length=10, choices=State, default=State.WAITING, db_index=True)
    # Holds the mix's id while the run is wanted or running; unique, so that a mix is never measured twice at once.
    active_key = models.CharField(max_length=20, unique=True, null=True)
    stage = models.CharField(max_length=200, default="waiting for its turn")
    progress = models.FloatField(default=0.0)
    core_version = models.CharField(max_length=20, blank=True)
    features = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")
    peaks = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")
    requested_by = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    finished = models.DateTimeField(null=True, db_index=True)
    # Another spec counts by now than the one it was judged by; taken back by the judgement that follows.
    stale = models.BooleanField(default=False, db_index=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["-id"]

    def __str__(self) -> str:
        """What it measures and how far it is."""
        return f"{self.mix}: {self.state}"

    def release(self, state: str, error: str = "") -> None:
        """A run that is over makes room for the next one of its mix."""
        super().release(state, error)
        if not self.is_active:
            self.active_key, self.finished = None, timezone.now()

    @property
    def is_active(self) -> bool:
        """Whether it waits or runs."""
        return self.state in (self.State.WAITING, self.State.RUNNING)


class Correction(models.Model):
    """What a person said about a stretch of a mix, in whole samples.

    Human work: withdrawn when it is undone, never deleted; a later one wins.
    """

    class Kind(models.TextChoices):
        """As the core names them."""

        SPEECH = "speech", "somebody speaks"
        NO_SPEECH = "no-speech", "nobody speaks"
        IMPORTANT_EFFECT = "important-effect", "this effect matters"

    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="corrections")
    kind = models.CharField(max_length=16, choices=Kind)
    in_sample = models.PositiveBigIntegerField()
    out_sample = models.PositiveBigIntegerField()
    # Where somebody moved the ends of a region that was there: what it was before does not count any more.
    instead_in_sample = models.PositiveBigIntegerField(null=True)
    instead_out_sample = models.PositiveBigIntegerField(null=True)
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="corrections")
    at = models.DateTimeField(auto_now_add=True)
    withdrawn = models.DateTimeField(null=True)
    # What was said of the mix before, where its sound lies in this one.
    carried_from = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """What and where."""
        clock = self.mix.clock
        return f"{self.get_kind_display()} from {clock.timecode_in(self.mix.seconds(self.in_sample))}"


class Judgement(models.Model):
    """A run against a version of a spec. ``figures`` are for lists, ``detail`` for the page of one mix."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="judgements")
    spec_version = models.ForeignKey(SpecVersion, on_delete=models.PROTECT, related_name="+")
    verdict = models.CharField(max_length=4)
    figures = models.JSONField()
    detail = StoredDocumentField(form=DETAIL)
    revisited = models.JSONField(default=dict)
    """What was found where a hand made the music be looked at again; the next judgement need not look."""
    series = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")
    judged_at = models.DateTimeField(auto_now=True, db_index=True)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["run", "spec_version"], name="judged_once")
        ]

    def __str__(self) -> str:
        """Verdict and spec."""
        return f"{self.run.mix}: {self.verdict} by {self.spec_version}"


class Finding(models.Model):
    """What the machine says. ``evidence`` is the finding as the core wrote it; the mark is given by ``notes``."""

    judgement = models.ForeignKey(Judgement, on_delete=models.CASCADE, related_name="findings")
    kind = models.CharField(max_length=40)
    family = models.CharField(max_length=10)
    severity = models.CharField(max_length=6)
    role = models.CharField(max_length=10)
    in_s = models.FloatField()
    out_s = models.FloatField()
    evidence = StoredDocumentField(form=FINDING)
    mark = models.ForeignKey("notes.Mark", null=True, on_delete=models.SET_NULL, related_name="findings")

    class Meta:
        ordering: ClassVar[list[str]] = ["in_s", "id"]

    def __str__(self) -> str:
        """Kind and place."""
        return f"{self.kind} at {self.evidence['in_timecode']}"

    @property
    def title(self) -> str:
        """What it is, in a few words."""
        return str(self.evidence["title"])

    @property
    def remedy(self) -> dict[str, Any] | None:
        """What would mend it."""
        found: dict[str, Any] | None = self.evidence["remedy"]
        return found


class Alignment(models.Model):
    """A mix laid beside the one before it by its sound; derived, as a measurement is.

    ``pieces`` is empty where they could not be laid beside each other; ``problem`` says why.
    """

    mix = models.OneToOneField(Mix, on_delete=models.CASCADE, related_name="alignment")
    former = models.ForeignKey(Mix, on_delete=models.CASCADE, related_name="+")
    pieces = StoredDocumentField(default=dict, form=ALIGNMENT)
    problem = models.TextField(blank=True)
    # How much of what was said of the former mix was taken along, and how much lies in what was cut out.
    carried = models.JSONField(default=dict)

    def __str__(self) -> str:
        """Which two."""
        return f"{self.mix} beside mix {self.former.number}"


class PictureComparison(Making):
    """Where the picture of a mix is another than in the one before, although the sound is the same."""

    alignment = models.OneToOneField(Alignment, on_delete=models.CASCADE, related_name="pictures")
    # From where to where in the new mix, seconds.
    spans = models.JSONField(default=list)

    def __str__(self) -> str:
        """Of which two, and how far."""
        return f"{self.alignment}: {self.state}"
